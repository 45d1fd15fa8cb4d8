"""Papers with plots and pictures: one description, written as HTML with SVG and as PDF."""

from pathlib import Path

import defusedxml.ElementTree as ET
import pytest

from aquin.charts.latitude import Latitude, Row
from aquin.exchange.latitude_report import Report, html, write_latitude
from aquin.exchange.paper import Heading, Paper, Picture, Pictures, Table, write_paper
from aquin.exchange.plots import Bar, Curve, Label, Stroke, bars, curves, ticks


def camera(name: str, warmer: float) -> Latitude:
    rows = tuple(
        Row(float(s), float(s), warmer * s, 0.0, 0.0, 0.5 * abs(s), 3.0, 8.0 * 2.0**-s, 1.0, 0, 1.0, 0.0)
        for s in range(-3, 4)
    )
    return Latitude(name, rows, -3.0, 2.0, 5.0)


@pytest.mark.parametrize(
    ("low", "high", "expected"),
    [
        (0.0, 10.0, [0, 2, 4, 6, 8, 10]),
        (-4.0, 4.0, [-4, -2, 0, 2, 4]),
        (0.0, 0.03, [0, 0.005, 0.01, 0.015, 0.02, 0.025, 0.03]),
    ],
)
def test_ticks_are_round(low: float, high: float, expected: list[float]) -> None:
    assert ticks(low, high) == pytest.approx(expected)


def test_a_plot_lies_where_its_numbers_are() -> None:
    """Twice the value is twice as far up; each line is told by its own dashes and its name."""
    made = curves(
        "noise",
        [Curve("A", (0.0, 1.0, 2.0), (0.0, 1.0, 2.0)), Curve("B", (0.0, 2.0), (2.0, 0.0))],
        "st",
        "codes",
    )
    lines = [s for s in made.shapes if isinstance(s, Stroke) and s.width == 0.4]
    first, second = lines
    steps = [b[1] - a[1] for a, b in zip(first.points[:-1], first.points[1:], strict=True)]
    assert steps[0] == pytest.approx(steps[1]) and steps[0] < 0 and first.dash != second.dash
    names = [s.words for s in made.shapes if isinstance(s, Label)]
    assert {"A", "B", "noise", "codes"} <= set(names) and "A from 0.00 to 2.00" in made.said
    row = bars(
        "range", [Bar("A <&> B", -2.0, 6.0, ((0.0, "grey"),)), Bar("C", -1.0, 3.0)], "stops", zero="18 %"
    )
    boxes = [s for s in row.shapes if hasattr(s, "left")]
    assert boxes[0].width == pytest.approx(2 * boxes[1].width)
    root = ET.fromstring(row.svg())  # names are escaped
    assert any(e.text == "A <&> B" for e in root.iter())


def test_a_latitude_report_has_its_plots(tmp_path: Path) -> None:
    report = Report("Ferry <film>", "2026-11-29", "bright", (camera("Heron", 2.0), camera("Skua", -3.0)))
    page = html(report)
    assert page.count("<svg") == 5 and "Ferry &lt;film&gt;" in page and "warmth against normal" in page
    write_latitude(tmp_path / "r.pdf", report)
    assert (tmp_path / "r.pdf").read_bytes()[:5] == b"%PDF-"


def test_pictures_stand_beside_their_words(tmp_path: Path) -> None:
    import cv2
    import numpy as np

    data = bytes(cv2.imencode(".jpg", np.full((9, 16, 3), 128, np.uint8))[1])
    block = Pictures([Picture(data, "as filmed"), Picture(data, "released")], ["<b>A01</b>", "+0.30 st"])
    table = Table(("a",), [(str(k),) for k in range(60)], (40,))
    paper = Paper("release", [Heading("Release", 1), table, Heading("Shots"), *[block] * 30])
    write_paper(tmp_path / "p.html", paper, "a report")
    text = (tmp_path / "p.html").read_text()
    assert text.count("data:image/jpeg;base64,") == 60 and "&lt;b&gt;A01" in text
    write_paper(tmp_path / "p.pdf", paper, "a report")
    assert (tmp_path / "p.pdf").read_bytes().count(b"/Type /Page") > 5
