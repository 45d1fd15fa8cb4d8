"""What the commands compute and how they print it: data with fixed keys, then tables for people."""

from collections.abc import Sequence
from dataclasses import dataclass, replace
from pathlib import Path
from typing import Any

import numpy as np

from aquin.charts.layout import layout
from aquin.charts.read import read_chart
from aquin.charts.solve import BASES, FULL, Solution, title_of
from aquin.charts.solve import MODELS as SOLVED
from aquin.colour import acescct
from aquin.colour.config import ColourConfig
from aquin.colour.grade import Grade
from aquin.colour.levels import Levels
from aquin.errors import AquinError
from aquin.exchange import cdl_file, grade_file, picture
from aquin.exchange.proof import Proof, prove
from aquin.match.engine import IN_A_CDL, By, Match, Side, Weight, match_sides, second_pass
from aquin.match.skin import with_skin
from aquin.measure.clip import Clip
from aquin.measure.ledger import difference_of, measure
from aquin.measure.looks import clipped_share, facts
from aquin.measure.skin import skin_mask


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


@dataclass(frozen=True)
class MatchAsk:
    """What `aquin match` was asked for. `named`: pairs of places in pixels, hero's and shot's."""

    out: Path
    by: By = "auto"
    weight: str = "auto"
    model: str | None = None
    layout: str = "24-patch"
    hero_frame: int | None = None
    shot_frame: int | None = None
    strength: float = 1.0
    named: tuple[tuple[tuple[float, float], tuple[float, float]], ...] = ()
    size: int = 65
    force: bool = False
    again: bool = False


def match_data(hero: Clip, shot: Clip, ask: MatchAsk, config: ColourConfig) -> tuple[dict[str, Any], Proof]:
    """Match by what supports it, write the grade, and prove the file."""
    out = ask.out
    model = FULL if ask.model == "full" else ask.model
    if out.suffix.lower() not in grade_file.SUFFIXES:
        raise AquinError(
            "this ending names no grade format", out, f"Use one of {' '.join(grade_file.SUFFIXES)}"
        )
    if model not in (None, *SOLVED):
        raise AquinError(f"there is no model '{model}'", None, f"Use one of {', '.join(SOLVED)} or full")
    if model not in (None, *IN_A_CDL) and out.suffix.lower() in cdl_file.SUFFIXES:
        raise AquinError(
            f"a {title_of(model).replace('3×3', '3×3 matrix')} does not fit into a CDL",
            out,
            "Name a .clf or .cube, or use --model cdl",
        )
    if out.exists() and not ask.force:
        raise AquinError("the file exists already", out, "Choose another name, or overwrite it with --force")
    display, view = config.default_view()
    seen = config.view(display, view)

    def shown(log: Any) -> Any:
        return seen(np.asarray(acescct.decode(log), np.float32))

    sides = [_side(clip, number, ask) for clip, number in ((hero, ask.hero_frame), (shot, ask.shot_frame))]
    named = [(_colour_at(sides[0], a, hero), _colour_at(sides[1], b, shot)) for a, b in ask.named]
    models = (*BASES, *([model] if model and model not in BASES else []))
    found = match_sides(sides[0], sides[1], ask.by, models, named)
    if ask.weight != "frame":
        found = _with_skin(found, sides, (hero, shot), shown, models, ask.weight == "skin")
    if model is not None and model not in {s.model for s in found.solutions}:
        raise AquinError(
            f"the evidence can't carry a {title_of(model)}", None, "Use --model gains, or name more pairs"
        )
    weight: Weight = found.preferred if ask.weight == "auto" else "skin" if ask.weight == "skin" else "frame"
    solution = found.solution(model, weight)
    whole, passed = solution.grade, False
    if ask.again and (more := second_pass(found.evidence, whole)) is not None:
        if out.suffix.lower() in cdl_file.SUFFIXES:
            raise AquinError(
                "a second pass does not fit into a CDL",
                out,
                "Name a .clf or .cube, or leave --second-pass out",
            )
        whole, passed = more, True
    grade = whole.at_strength(ask.strength)
    grade_file.write(out, grade, f"{shot.source.path.stem}_to_{hero.source.path.stem}", ask.force, ask.size)
    proof = prove(out, grade)
    if out.suffix.lower() in cdl_file.SUFFIXES:  # what is reported is what the file does
        grade = Grade(trim=grade.folded())
    before, after = difference_of(found.evidence), difference_of(found.evidence.graded(grade))
    pictures = [
        facts(side.linear, g, shown, clipped_share(side.signal)).values()
        for side, g in ((sides[0], Grade()), (sides[1], Grade()), (sides[1], grade))
    ]
    rows = measure(found.evidence, grade, (pictures[0], pictures[1], pictures[2]))
    kept = whole.at_strength(ask.strength)
    balance, trim = kept.balance, kept.trim
    mired, duv = balance.shift
    data = {
        "by": found.by,
        "evidence": [{"by": s.by, "pairs": len(s.evidence.hero), "sure": s.sureness} for s in found.sources],
        "weight": weight,
        "weights": _weights(found, solution.model),
        "model": solution.model,
        "second_pass": passed,
        "strength": ask.strength,
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
                "measured": "picture" if row.axis.picture else "pairs",
            }
            for row in rows
        ],
        "alternatives": [_solution(s) for s in found.solutions if s.model != solution.model],
        "warnings": list(found.warnings),
    }
    return data, proof


def _side(clip: Clip, number: int | None, ask: MatchAsk) -> Side:
    frame, linear = clip.read(number)
    reading = None
    if ask.by in ("auto", "chart"):
        reading = read_chart(frame.rgb, clip.to_linear, layout(ask.layout))
    if ask.by == "chart" and reading is None:
        raise AquinError(
            f"no chart was found in frame {frame.number}",
            clip.source.path,
            "Choose a frame that shows it, or mark its corners in the window",
        )
    return Side(frame.rgb, linear, reading)


def _with_skin(
    found: Match, sides: Sequence[Side], clips: Sequence[Clip], shown: Any, models: Sequence[str], must: bool
) -> Match:
    """With solutions for skin; AquinError where they must be and hardly any is seen."""
    masks = []
    for side, grade, clip in zip(sides, (Grade(), found.solution().grade), clips, strict=True):
        masks.append(skin_mask(np.asarray(shown(np.asarray(grade.apply_linear(side.linear))), np.float32)))
        if must and masks[-1].mean() < 0.002:
            raise AquinError("no skin was found in the frame", clip.source.path, "Use --weight frame")
    made = with_skin(found, sides[0], sides[1], (masks[0], masks[1]), models)
    if must and not made.other:
        raise AquinError(
            "too little skin is free of clipping in the two frames",
            clips[1].source.path,
            "Use --weight frame",
        )
    return made


def _weights(found: Match, model: str) -> dict[str, Any]:
    """The chosen model for the whole frame and for skin, side by side; empty where there is no skin in both."""
    if not found.other:
        return {}
    out: dict[str, Any] = {"preferred": found.preferred}
    weights: tuple[Weight, Weight] = ("frame", "skin")
    for weight in weights:
        s = found.solution(model, weight)
        out[weight] = {
            "delta_e00_mean": s.mean,
            "delta_e00_loo": _known(s.loo),
            "delta_e00_skin": found.on_skin[weight, model],
        }
    return out


def _colour_at(side: Side, place: tuple[float, float], clip: Clip) -> Any:
    """(3,) scene-linear mean of 7 by 7 pixels about a place."""
    x, y = (round(v) for v in place)
    h, w = side.linear.shape[:2]
    if not (3 <= x < w - 3 and 3 <= y < h - 3):
        raise AquinError(
            f"{place[0]:g},{place[1]:g} lies outside the frame", clip.source.path, "Name another place"
        )
    return np.asarray(side.linear[y - 3 : y + 4, x - 3 : x + 4].reshape(-1, 3).mean(axis=0), np.float64)


def show_match(data: dict[str, Any], out: Path, proof: Proof) -> None:
    b = data["balance"]
    print(
        f"{out}: {title_of(data['model'])} by {data['by'].replace('+', ' and ')}, sure {data['confidence']:.2f}"
    )
    for source in data["evidence"]:
        print(f"  {source['by']:11} {source['pairs']} pairs, sure {source['sure']:.2f}")
    print(
        f"  dE00 on the evidence  before {data['before']['delta_e00_mean']:.2f}   after {data['after']['delta_e00_mean']:.2f} (95 %: {data['after']['delta_e00_p95']:.2f})"
    )
    print(f"  balance     {b['stops']:+.3f} stops  {b['mired']:+.1f} mired  {1e3 * b['duv']:+.2f} 1e-3 Duv")
    for row in data["ledger"]:
        state = "within" if row["within"] else "off"
        print(
            f"  {row['axis']:13} {row['difference']:+8.3f} -> {row['after']:+8.3f} {row['unit']:11} {state}"
        )
    _show_solutions(data["alternatives"])
    print(f"  {proof.line()}")
    for warning in data["warnings"]:
        print(f"  note: {warning}")


def render_shot(
    file: Path,
    name: str,
    out: Path,
    to: str | None,
    display: str | None,
    view: str | None,
    number: int | None,
    timecode: str | None,
    force: bool,
) -> dict[str, Any]:
    """A shot's frame with its whole grade, regions and softness and all, written as a picture."""
    from aquin.cli.commands.shots import shot_of
    from aquin.frames import open_source
    from aquin.production import Production
    from aquin.production.grading import held_grade
    from aquin.production.match_desk import Desk
    from aquin.production.match_work import side_of
    from aquin.production.media import file_of
    from aquin.production.settings import config_of

    production = Production.open(file, read_only=True)
    try:
        config = config_of(production)
        shot = shot_of(production, name, file)
        desk = Desk(production, config)
        path = file_of(production, shot)
        ref = desk.ref(shot, shot.first + shot.frames // 2 if number is None else number)
        if path is None or ref is None:
            raise AquinError(
                f"{name} can't be read", file, "Find its media, and choose its camera's encoding in Plan"
            )
        if timecode is not None:
            ref = replace(ref, frame=open_source(path).number_at(timecode))
        grade = held_grade(production, shot) or Grade()
        linear = side_of(ref, desk.config_path).linear
        linear = np.asarray(acescct.decode(np.asarray(grade.picture(linear), np.float32)), np.float32)
        return _written(config, linear, out, to, display, view, ref.frame, force)
    finally:
        production.close()


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
    frame, linear = clip.read(number)
    if grade is not None:
        graded = grade_file.read(grade)(acescct.encode(linear))
        linear = acescct.decode(np.asarray(graded, np.float32)).astype(np.float32)
    return _written(config, linear, out, to, display, view, frame.number, force)


def _written(
    config: ColourConfig,
    linear: Any,
    out: Path,
    to: str | None,
    display: str | None,
    view: str | None,
    number: int,
    force: bool,
) -> dict[str, Any]:
    """Graded scene-linear into an encoding, or through a display's view, into a file."""
    if to is not None and (display is not None or view is not None):
        raise AquinError("--to and --display/--view exclude each other", None, "Use one of them")
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
        "frame": number,
        "to": name,
        "width": result.shape[1],
        "height": result.shape[0],
    }


def _solution(s: Solution) -> dict[str, Any]:
    return {
        "model": s.model,
        "delta_e00_mean": s.mean,
        "delta_e00_p95": s.p95,
        "delta_e00_loo": _known(s.loo),
    }


def _known(value: float) -> float | None:
    """None where there was nothing to leave out."""
    return value if np.isfinite(value) else None


def _summary(gap: Any) -> dict[str, float]:
    return {"delta_e00_mean": float(gap.mean()), "delta_e00_p95": float(np.percentile(gap, 95))}


def _show_solutions(solutions: list[dict[str, Any]]) -> None:
    for s in solutions:
        print(
            f"  {s['model']:7} dE00 {s['delta_e00_mean']:.2f}, 95 % {s['delta_e00_p95']:.2f}, leave-one-out {'-' if s['delta_e00_loo'] is None else format(s['delta_e00_loo'], '.2f')}"
        )


def _list(values: Any) -> list[float]:
    return [float(v) for v in values]
