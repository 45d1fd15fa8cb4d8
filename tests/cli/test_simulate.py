"""`aquin simulate` as scripts use it."""

import json
import os
import subprocess
import sys
from pathlib import Path

import cv2
import numpy as np
import pytest

from aquin.cli import main as command
from aquin.errors import AquinError
from aquin.frames import open_source
from aquin.simulate.world import lens


@pytest.fixture
def run(capsys: pytest.CaptureFixture[str], monkeypatch: pytest.MonkeyPatch):
    def call(*words: object) -> tuple[int, str, str]:
        monkeypatch.setattr("sys.argv", ["aquin", "simulate", *map(str, words)])
        with pytest.raises(SystemExit) as stop:
            command.run()
        out = capsys.readouterr()
        return int(stop.value.code or 0), out.out, out.err

    return call


def test_the_pieces_are_listed(run) -> None:
    code, out, _ = run("list", "--json")
    found = json.loads(out)
    assert code == 0
    assert list(found) == ["places", "cameras", "targets", "lights"]
    assert set(found["cameras"]) == {"Heron", "Egret", "Skua", "Petrel"}
    assert "D65" in found["lights"]
    assert "galley" in run("list")[1]


def test_a_filmed_wedge_has_its_steps(run, tmp_path: Path) -> None:
    """Scene-linear EXR of the wedge under its own white: the steps' levels are their reflectances."""
    from aquin.simulate.targets import wedge_steps

    code, out, err = run(
        "target", "crossed wedge", "--out", tmp_path / "w.exr", "--light", "FL4", "--clean", "--json"
    )
    facts = json.loads(out)
    assert (code, err) == (0, "")
    assert facts["encoding"] == "Linear Heron"
    rgb = open_source(tmp_path / "w.exr").read(0).rgb
    (left, top), (right, _), (_, bottom), _ = facts["corners"]
    x = (left + (np.arange(11) + 0.5) / 11 * (right - left)).astype(int)
    row = rgb[int(top + 0.2 * (bottom - top)), x]
    assert row[:, 1] == pytest.approx(wedge_steps(), rel=0.01)
    assert row[:, 0] / row[:, 1] == pytest.approx(np.ones(11), rel=0.01)


@pytest.mark.parametrize(("stops", "factor"), [(1.0, 2.0), (-2.0, 0.25)])
def test_stops_are_factors(stops: float, factor: float, run, tmp_path: Path) -> None:
    for name, value in (("a", 0.0), ("b", stops)):
        assert (
            run("target", "grey card", "--out", tmp_path / f"{name}.exr", "--stops", value, "--clean")[0] == 0
        )
    a, b = (open_source(tmp_path / f"{name}.exr").read(0).rgb[270, 480] for name in "ab")
    assert b / a == pytest.approx([factor] * 3, rel=2e-3)


def test_a_movie_has_what_was_asked_for(run, tmp_path: Path) -> None:
    words = (
        "--frames",
        3,
        "--codec",
        "hevc",
        "--range",
        "full",
        "--timecode",
        "05:06:07:08",
        "--reel",
        "Z09",
        "--camera",
        "skua",
    )
    code, out, _ = run("target", "video chart", "--out", tmp_path / "v.mov", *words, "--json")
    source = open_source(tmp_path / "v.mov")
    assert (code, json.loads(out)["encoding"]) == (0, "Skua Log")
    assert (source.count, source.signal.range, source.start, source.metadata["reel_name"]) == (
        3,
        "full",
        "05:06:07:08",
        "Z09",
    )
    assert not np.array_equal(source.read(0).rgb, source.read(1).rgb)


def test_a_place_is_filmed_with_a_chart_in_it(run, tmp_path: Path) -> None:
    words = (
        "--from",
        "small",
        "--camera",
        "Petrel",
        "--white",
        "4100K",
        "--target",
        "24-patch",
        "--angles",
        "10,-5,2",
    )
    code, out, _ = run("scene", "galley", "--out", tmp_path / "s.tif", *words, "--json")
    facts = json.loads(out)
    assert (code, facts["view"], facts["encoding"]) == (0, "small", None)
    assert np.array(facts["corners"]).shape == (4, 2)
    assert open_source(tmp_path / "s.tif").read(0).rgb.std() > 0.1
    code, _, err = run("scene", "galley", "--out", tmp_path / "s.tif", *words)
    assert (code, "exists already" in err) == (2, True)


@pytest.mark.parametrize(
    ("words", "said"),
    [
        (("target", "moon", "--out", "a.exr"), "no target 'moon'"),
        (("target", "grey card", "--out", "a.doc"), "kind of file"),
        (("target", "grey card", "--out", "a.exr", "--camera", "Eye"), "no camera 'Eye'"),
        (("target", "grey card", "--out", "a.exr", "--light", "moonshine"), "no light"),
        (("target", "grey card", "--out", "a.mp4", "--codec", "ffv1"), "ffv1"),
        (("target", "grey card", "--out", "a.mkv", "--codec", "paper"), "no codec"),
        (("target", "grey card", "--out", "a.exr", "--frames", "5"), "one frame"),
        (("target", "grey card", "--out", "a.mkv", "--range", "wide"), "no range"),
        (("scene", "moon", "--out", "a.exr"), "no place 'moon'"),
        (("scene", "galley", "--out", "a.exr", "--from", "flying"), "nothing is filmed from 'flying'"),
        (("scene", "galley", "--out", "a.exr", "--angles", "1,2"), "three numbers"),
        (("scene", "galley", "--out", "a.exr", "--minutes", "99"), "0 to 60 minutes"),
        (("shoot", "x", "--setup", "moon"), "no setup 'moon'"),
        (("shoot", "x", "--jobs", "0"), "at least one"),
        (("sheet", "x", "--out", "a.jpg"), ".png"),
        (("sheet", "x", "--out", "a.png"), "no simulated shoot"),
    ],
)
def test_wrong_use_is_one_clear_line(
    words: tuple[str, ...], said: str, run, tmp_path: Path, monkeypatch: pytest.MonkeyPatch
) -> None:
    monkeypatch.chdir(tmp_path)
    code, out, err = run(*words)
    assert (code, out) == (2, "")
    assert said in err
    assert len(err.splitlines()) == 1
    assert not list(tmp_path.iterdir())


def test_pictures_have_the_size_that_is_asked_for(tmp_path: Path) -> None:
    """Other tests film smaller than the demo; the same is to be seen at each size."""
    seen = []
    for size, expected in ((None, (960, 540)), ("320x180", (320, 180))):
        around = {k: v for k, v in os.environ.items() if k != lens.SIZE} | ({lens.SIZE: size} if size else {})
        path = tmp_path / f"{size}.exr"
        words = ("simulate", "scene", "wheelhouse", "--out", path, "--clean")
        subprocess.run(
            [sys.executable, "-m", "aquin", *map(str, words)], env=around, check=True, capture_output=True
        )
        rgb = open_source(path).read(0).rgb
        assert rgb.shape[1::-1] == expected
        seen.append(cv2.resize(rgb, (8, 6), interpolation=cv2.INTER_AREA))
    apart = np.abs(np.log2(seen[1] / seen[0]))
    assert np.median(apart) < 0.08
    assert apart.max() < 0.3


@pytest.mark.parametrize("wrong", ["640", "641x360", "640x480", "-640x360", "64000x36000", "16x9"])
def test_a_size_that_is_none_is_refused(wrong: str, monkeypatch: pytest.MonkeyPatch) -> None:
    monkeypatch.setenv(lens.SIZE, wrong)
    with pytest.raises(AquinError, match=f"{lens.SIZE} is '{wrong}'"):
        lens._size()
