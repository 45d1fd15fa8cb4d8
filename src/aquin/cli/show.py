"""What the commands compute and how they print it: data with fixed keys, then tables for people."""

from pathlib import Path
from typing import Any

import numpy as np

from aquin.charts.layout import layout
from aquin.charts.read import Reading, read_chart
from aquin.charts.solve import BASES, MODELS, Solution
from aquin.colour import acescct
from aquin.colour.config import ColourConfig
from aquin.colour.grade import Grade
from aquin.colour.levels import Levels
from aquin.errors import AquinError
from aquin.exchange import cdl_file, grade_file, picture
from aquin.exchange.proof import Proof, prove
from aquin.match.chart import match_charts, scene_colours
from aquin.measure.clip import Clip
from aquin.measure.ledger import difference_of, measure


def levels_data(found: Levels) -> dict[str, Any]:
    def level(part: Any) -> dict[str, Any]:
        return {"linear": part.linear, "signal": part.signal, "code10": part.code10}

    return {
        "encoding": found.encoding,
        "grey": level(found.grey),
        "white": level(found.white),
        "black": level(found.black),
        "ceiling": {"linear": found.ceiling_linear, "stops_above_grey": found.ceiling_stops_above_grey},
        "stop_per_code10": found.stop_per_code10,
    }


def show_levels(data: dict[str, Any]) -> None:
    print(data["encoding"])
    for key, title in (("grey", "18 % grey"), ("white", "90 % white"), ("black", "black")):
        print(f"  {title:11} {data[key]['signal']:7.2f} %   code {data[key]['code10']:4d} of 1023")
    print(
        f"  ceiling     {data['ceiling']['stops_above_grey']:+7.2f} stops above grey (linear {data['ceiling']['linear']:.3g})"
    )
    print(f"  at grey, one 10-bit code is {data['stop_per_code10']:.4f} stop")


def match_data(
    hero: Clip,
    shot: Clip,
    layout_name: str,
    model: str | None,
    out: Path,
    hero_frame: int | None,
    shot_frame: int | None,
    size: int,
    force: bool,
) -> tuple[dict[str, Any], Proof]:
    """Match by chart, write the grade, and prove the file."""
    if out.suffix.lower() not in grade_file.SUFFIXES:
        raise AquinError(
            "this ending names no grade format", out, f"Use one of {' '.join(grade_file.SUFFIXES)}"
        )
    if model not in (None, *MODELS):
        raise AquinError(f"there is no model '{model}'", None, f"Use one of {', '.join(MODELS)}")
    beyond = (
        (model or "cdl")
        .replace("matrix", "3x3 matrix")
        .replace("root", "root polynomial")
        .replace("+warp", " with a hue warp")
    )
    if model not in (None, "gains", "cdl") and out.suffix.lower() in cdl_file.SUFFIXES:
        raise AquinError(
            f"a {beyond} does not fit into a CDL", out, "Name a .clf or .cube, or use --model cdl"
        )
    if out.exists() and not force:
        raise AquinError("the file exists already", out, "Choose another name, or overwrite it with --force")
    chosen = layout(layout_name)
    readings: list[Reading] = []
    colours = None
    for clip, number in ((hero, hero_frame), (shot, shot_frame)):
        frame, linear = clip.read(number)
        reading = read_chart(frame.rgb, clip.to_linear, chosen)
        if reading is None:
            raise AquinError(
                f"no chart was found in frame {frame.number}",
                clip.source.path,
                "Choose a frame that shows it, or mark its corners in the window",
            )
        readings.append(reading)
        colours = scene_colours(linear)
    found = match_charts(
        readings[0], readings[1], colours, models=(*BASES, *([model] if model and model not in BASES else []))
    )
    solution = found.solution(model)
    grade = solution.grade
    grade_file.write(out, grade, f"{shot.source.path.stem}_to_{hero.source.path.stem}", force, size)
    proof = prove(out, grade)
    if out.suffix.lower() in cdl_file.SUFFIXES:  # what is reported is what the file does
        grade = Grade(trim=grade.folded())
    before, after = difference_of(found.evidence), difference_of(found.evidence.graded(grade))
    rows = measure(found.evidence, grade)
    balance, trim = solution.grade.balance, solution.grade.trim
    mired, duv = balance.shift
    data = {
        "by": "chart",
        "model": solution.model,
        "confidence": found.confidence(solution),
        "balance": {"stops": balance.stops, "gains": list(balance.gains), "mired": mired, "duv": duv},
        "trim": {
            "slope": list(trim.slope),
            "offset": list(trim.offset),
            "power": list(trim.power),
            "saturation": trim.saturation,
        },
        "before": _summary(before),
        "after": _summary(after),
        "ledger": [
            {
                "axis": row.axis.name,
                "unit": row.axis.unit,
                "hero": row.hero,
                "shot": row.shot,
                "difference": row.difference,
                "after": row.after,
                "tolerance": row.axis.tolerance,
                "within": row.within,
            }
            for row in rows
        ],
        "alternatives": [_solution(s) for s in found.solutions if s.model != solution.model],
        "warnings": list(found.warnings),
    }
    return data, proof


def show_match(data: dict[str, Any], out: Path, proof: Proof) -> None:
    b = data["balance"]
    print(f"{out}: {data['model']} by {data['by']}, sure {data['confidence']:.2f}")
    print(
        f"  chart dE00  before {data['before']['delta_e00_mean']:.2f}   after {data['after']['delta_e00_mean']:.2f} (95 %: {data['after']['delta_e00_p95']:.2f})"
    )
    print(f"  balance     {b['stops']:+.3f} stops  {b['mired']:+.1f} mired  {1e3 * b['duv']:+.2f} 1e-3 Duv")
    for row in data["ledger"]:
        state = "within" if row["within"] else "off"
        print(f"  {row['axis']:11} {row['difference']:+8.3f} -> {row['after']:+8.3f} {row['unit']:9} {state}")
    _show_solutions(data["alternatives"])
    print(f"  {proof.line()}")
    for warning in data["warnings"]:
        print(f"  note: {warning}")


def render_picture(
    clip: Clip,
    config: ColourConfig,
    out: Path,
    grade: Path | None,
    to: str | None,
    display: str | None,
    view: str | None,
    number: int | None,
    force: bool,
) -> dict[str, Any]:
    """The exact chain for one frame, written as a picture."""
    if to is not None and (display is not None or view is not None):
        raise AquinError("--to and --display/--view exclude each other", None, "Use one of them")
    frame, linear = clip.read(number)
    if grade is not None:
        graded = grade_file.read(grade)(acescct.encode(linear))
        linear = acescct.decode(np.asarray(graded, np.float32)).astype(np.float32)
    if to is not None:
        name = config.resolve(to)
        result = config.from_linear(name)(linear)
    else:
        first_display, first_view = config.default_view()
        display = display or first_display
        view = view or (
            first_view if display == first_display else dict(config.displays()).get(display, [""])[0]
        )
        name = f"{display} / {view}"
        result = config.view(display, view)(linear)
    picture.write(out, result, force)
    return {
        "out": str(out),
        "frame": frame.number,
        "to": name,
        "width": result.shape[1],
        "height": result.shape[0],
    }


def _solution(s: Solution) -> dict[str, Any]:
    return {"model": s.model, "delta_e00_mean": s.mean, "delta_e00_p95": s.p95, "delta_e00_loo": s.loo}


def _summary(gap: Any) -> dict[str, float]:
    return {"delta_e00_mean": float(gap.mean()), "delta_e00_p95": float(np.percentile(gap, 95))}


def _show_solutions(solutions: list[dict[str, Any]]) -> None:
    for s in solutions:
        print(
            f"  {s['model']:7} dE00 {s['delta_e00_mean']:.2f}, 95 % {s['delta_e00_p95']:.2f}, leave-one-out {s['delta_e00_loo']:.2f}"
        )


def _list(values: Any) -> list[float]:
    return [float(v) for v in values]
