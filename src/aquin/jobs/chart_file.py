"""Read the chart of a file, solve it, and write the solution that is wanted."""

from dataclasses import dataclass
from pathlib import Path
from typing import Any

import numpy as np

from aquin.charts.diversity import diversity_of
from aquin.charts.fits import Metric
from aquin.charts.layout import Layout, layout
from aquin.charts.read import Reading, read_chart
from aquin.charts.solve import Solution, best_of, solve_all
from aquin.charts.stages import stages
from aquin.charts.sweep import Sweep, numbers_of, sweep
from aquin.colour.difference import delta_e00, lab_of_ap1
from aquin.errors import AquinError
from aquin.exchange import cdl_file
from aquin.jobs.export_grade import check_ending, export_grade
from aquin.measure.clip import Clip
from aquin.production.charting import evidence_of
from aquin.workers import Tell


@dataclass(frozen=True)
class ChartAsk:
    """What the person asked `aquin chart` for."""

    layout: str
    number: int | None
    sweep: bool
    corners: Any
    models: tuple[str, ...]
    metric: Metric
    neutral: float
    skin: float
    stages: bool
    out: Path | None
    model: str | None
    force: bool


def read_file(clip: Clip, hero: Clip | None, ask: ChartAsk, tell: Tell | None = None) -> dict[str, Any]:
    """Read the chart of one frame or of a sweep and solve it."""
    chosen = layout(ask.layout)
    looks: list[dict[str, Any]] = []
    notes: list[str] = []
    seen: Sweep | None = None
    if ask.sweep:
        seen = _swept(clip, chosen, ask.corners, tell)
        reading = seen.reading()
        looks = [look_data(k) for k in seen.looks]
        number = seen.best.number if seen.best is not None else clip.source.first
    else:
        frame, _ = clip.read(ask.number)
        reading = read_chart(frame.rgb, clip.to_linear, chosen, ask.corners)
        notes, number = [*clip.source.notes, *frame.warnings], frame.number
    if reading is None:
        return _nothing(chosen, number, looks, notes)
    towards: Reading | None = None
    if hero is not None:
        towards = _swept(hero, chosen, None, None).reading()
        if towards is None:
            raise AquinError("no chart was found in the hero", hero.source.path, "Choose another file")
    solutions, steps, trouble = _solved(reading, towards, ask)
    warnings = [*notes, *reading.warnings, *trouble]
    proof = _written(ask, solutions, clip, number) if ask.out is not None else None
    return {
        "found": True,
        "corners": [_list(c) for c in reading.corners],
        "patches": patches_data(reading, towards),
        "solutions": [solution_data(s) for s in solutions],
        "light_uneven": reading.light_uneven,
        "warnings": warnings,
        "frame": number,
        "chosen": seen.why if seen else "",
        "averaged": list(seen.good) if seen else [],
        "stages": steps,
        "untold": _untold(reading, towards, ask) if solutions else "",
        "metric": ask.metric.name,
        "reference": "hero" if towards is not None else "published",
        "sweep": looks,
        **({"out": str(ask.out), "proof": proof} if ask.out is not None else {}),
    }


def _nothing(chosen: Layout, number: int, looks: list[dict[str, Any]], notes: list[str]) -> dict[str, Any]:
    """What is said where no chart was found."""
    what = "no chart was found: give its corners, or choose another frame"
    if not chosen.findable:
        what = f"the {chosen.title.lower()} can't be found by itself: give its corners"
    return {
        "found": False,
        "corners": [],
        "patches": [],
        "solutions": [],
        "light_uneven": None,
        "warnings": [*notes, what],
        "frame": number,
        "sweep": looks,
    }


def _solved(
    reading: Reading, towards: Reading | None, ask: ChartAsk
) -> tuple[list[Solution], list[dict[str, Any]], list[str]]:
    """Solutions, steps, and what went wrong."""
    try:
        pairs = evidence_of(reading, towards, ask.neutral, ask.skin)
        solutions = solve_all(pairs, models=ask.models, metric=ask.metric)
        found = stages(pairs, ask.metric) if ask.stages else []
    except AquinError as error:
        return [], [], [error.line()]
    steps = [
        {
            "stage": s.name,
            "mean": s.mean,
            "neutral": s.neutral,
            "hue_degrees": s.hue,
            "saturation": s.saturation,
        }
        for s in found
    ]
    return solutions, steps, []


def _untold(reading: Reading, towards: Reading | None, ask: ChartAsk) -> str:
    """What the chart's colours are too few to tell, in words."""
    return diversity_of(evidence_of(reading, towards, ask.neutral, ask.skin)).words


def _swept(clip: Clip, chosen: Layout, corners: Any, tell: Tell | None) -> Sweep:
    source = clip.source
    numbers = numbers_of(source.first, source.last)
    frames = ((n, source.read(n).rgb) for n in numbers)
    return sweep(frames, clip.to_linear, chosen, corners, len(numbers), tell, source.timecode)


def _written(ask: ChartAsk, solutions: list[Solution], clip: Clip, number: int) -> str:
    assert ask.out is not None
    check_ending(ask.out)
    fit = [s for s in solutions if ask.out.suffix.lower() not in cdl_file.SUFFIXES or not s.grade.beyond_cdl]
    chosen = [s for s in solutions if s.model == ask.model] if ask.model else [best_of(fit)] if fit else []
    if not chosen:
        raise AquinError(
            "there is no solution to write", ask.out, f"Name one of {', '.join(s.model for s in solutions)}"
        )
    title = f"{clip.source.path.stem} {chosen[0].title}"
    picture = clip.read(number)[1]
    return f"{chosen[0].title}: {export_grade(ask.out, chosen[0].grade, title, ask.force, picture=picture).line()}"


def look_data(look: Any) -> dict[str, Any]:
    return {
        "frame": look.number,
        "found": look.found,
        "quality": look.quality,
        "glare_stops": look.glare,
        "shadow_stops": look.shadow,
        "clipped": look.clipped,
        "blur_px": look.blur,
        "patch_px": look.size,
        "why": look.why,
    }


def patches_data(reading: Reading, towards: Reading | None = None) -> list[dict[str, Any]]:
    card = reading.layout
    reference = card.ap1 if towards is None else towards.linear
    gap = delta_e00(lab_of_ap1(np.maximum(reading.linear, 0)), lab_of_ap1(reference))
    dropped = reading.dropped or ("",) * len(card.patches)
    return [
        {
            "name": p.name,
            "role": p.role,
            "signal": _list(reading.signal[k]),
            "linear": _list(reading.linear[k]),
            "reference": list(p.xyz),
            "delta_e00": float(gap[k]),
            "clipped": float(reading.clipped[k]),
            "noise": float(reading.noise[k]),
            "left_out": dropped[k],
        }
        for k, p in enumerate(card.patches)
    ]


def solution_data(s: Solution) -> dict[str, Any]:
    """With the keys of the command line's contract; by the metric that was asked for."""
    return {
        "model": s.model,
        "delta_e00_mean": s.mean,
        "delta_e00_p95": s.p95,
        "delta_e00_loo": s.loo,
        "metric": s.metric,
        "condition": s.condition,
        "size": s.size,
    }


def _list(values: Any) -> list[float]:
    return [float(v) for v in values]
