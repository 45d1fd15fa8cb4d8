"""Charts and exposure series that are logged as shots."""

from __future__ import annotations

from collections.abc import Iterator, Sequence

from aquin.production.audit.case import Case
from aquin.production.audit.finding import Finding, Fix
from aquin.production.charts_seen import Seen, Series, by_place, series_seen
from aquin.production.heroes import CHARTS
from aquin.production.records import Camera
from aquin.wording import minus

UNLOGGED = CHART, SERIES = CHARTS
"""Kinds of the findings."""
TOLD = 4
"""Takes that are told of one by one."""


def unlogged(case: Case) -> Iterator[Finding]:
    """Takes that show a chart, though nobody said so: as one step for each camera, and each of its series."""
    held: set[str] = set()
    for (camera_id, setup_id), series in series_seen(case.production, case.config, case.glimpsed).items():
        held |= {s.shot.id for s in series.takes}
        yield _series(case.production.get(Camera, camera_id), setup_id, series)
    charts: dict[str, list[Seen]] = {}
    for (camera_id, _), seen in by_place(case.production, case.glimpsed).items():
        charts.setdefault(camera_id, []).extend(s for s in seen if s.there and s.shot.id not in held)
    for camera_id, found in charts.items():
        camera = case.production.find(Camera, camera_id)
        if found and camera is not None:
            yield _charts(case, camera, found)


def _series(camera: Camera, setup_id: str, series: Series) -> Finding:
    count, first, last = len(series.takes), series.stops[0], series.stops[-1]
    if series.measured is not None:
        step, off = series.measured
        steps = f"{abs(step):.2f} st, single takes {off:.2f} st off that in the median"
    elif series.beside:
        steps = f"as {series.beside}'s {count} takes there; its own encoding is not known"
    else:
        steps = "its encoding is not known: whole stops about the middle take are assumed"
    shown = sum(s.there for s in series.takes)
    return Finding(
        SERIES,
        "warning",
        0.95 if series.sure else 0.8,
        f"{count} recordings of {camera.name} look like an exposure series, and are logged as shots",
        tuple(s.shot.id for s in series.takes),
        camera.id,
        setup_id,
        (
            ("the chart is seen at one place", f"in {shown} of {count}"),
            ("its greys", "rise from take to take" if last > first else "fall from take to take"),
            ("steps", steps),
            ("from, to", f"{series.takes[0].shot.name}, {series.takes[-1].shot.name}"),
        ),
        "Look at the first and the last take; single stops are changed in Shots.",
        Fix(
            minus(f"log them as a series, {first:+z.3g} to {last:+z.3g} stops"),
            tuple(
                ("shot", s.shot.id, {"kind": "series", "target": "24-patch", "series_stops": stops})
                for s, stops in zip(series.takes, series.stops, strict=True)
            ),
        ),
    )


def _charts(case: Case, camera: Camera, charts: Sequence[Seen]) -> Finding:
    one = len(charts) == 1
    evidence = [
        (f"{s.shot.name}, {case.setup(s.shot)}", f"match {s.score:.2f}, {s.wide:.0%} of the width")
        for s in charts[:TOLD]
    ]
    if len(charts) > TOLD:
        evidence.append(
            ("and", f"{len(charts) - TOLD} more, match {min(s.score for s in charts):.2f} or better")
        )
    return Finding(
        CHART,
        "warning",
        0.95,
        f"{len(charts)} recording{'' if one else 's'} of {camera.name} show{'s' if one else ''} a chart, and "
        f"{'is logged as a shot' if one else 'are logged as shots'}",
        tuple(s.shot.id for s in charts),
        camera.id,
        evidence=tuple(evidence),
        advice="A chart that only lies about in a shot makes it no chart take.",
        fix=Fix(
            "log it as a chart take" if one else "log them as chart takes",
            tuple(("shot", s.shot.id, {"kind": "chart", "target": "24-patch"}) for s in charts),
        ),
    )
