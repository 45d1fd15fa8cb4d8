"""Match one file to another by what supports it, write the grade, and prove the file."""

from collections.abc import Sequence
from dataclasses import dataclass
from pathlib import Path
from typing import Any

import numpy as np

from aquin.charts.layout import layout
from aquin.charts.read import read_chart
from aquin.charts.solve import BASES, FLARED, FULL, Solution, title_of
from aquin.charts.solve import MODELS as SOLVED
from aquin.colour import acescct
from aquin.colour.config import ColourConfig
from aquin.colour.grade import Grade
from aquin.errors import AquinError
from aquin.exchange import cdl_file, grade_file
from aquin.exchange.proof import Proof
from aquin.jobs.export_grade import check_ending, export_grade
from aquin.match.engine import IN_A_CDL, MODELS, By, Match, Side, Weight, match_sides, second_pass
from aquin.match.skin import Masks, with_skin
from aquin.measure.clip import Clip
from aquin.measure.ledger import Row, difference_of, measure
from aquin.measure.looks import clipped_share, facts
from aquin.measure.skin import find_skin

KEYS = (
    *(
        "by",
        "evidence",
        "weight",
        "weights",
        "model",
        "second_pass",
        "strength",
        "confidence",
        "balance",
        "trim",
        "flare",
    ),
    *("before", "after", "ledger", "alternatives", "warnings"),
)
"""What scripts may rely on, in this order."""


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


def match_files(hero: Clip, shot: Clip, ask: MatchAsk, config: ColourConfig) -> tuple[dict[str, Any], Proof]:
    """Match by what supports it, write the grade, and prove the file: what `aquin match --json` says, and the proof.
    Raises AquinError.
    """
    model = _checked(ask)
    seen = config.view(*config.default_view())

    def shown(log: Any) -> Any:
        return seen(np.asarray(acescct.decode(log), np.float32))

    sides = [_side(clip, number, ask) for clip, number in ((hero, ask.hero_frame), (shot, ask.shot_frame))]
    named = [(_colour_at(sides[0], a, hero), _colour_at(sides[1], b, shot)) for a, b in ask.named]
    offered = (*BASES, *FLARED) if model or ask.out.suffix.lower() in cdl_file.SUFFIXES else MODELS
    models = tuple(dict.fromkeys([*offered, *([model] if model else [])]))
    found = match_sides(sides[0], sides[1], ask.by, models, named)
    skin = find_skin(sides[0].linear, shown), find_skin(sides[1].linear, shown)
    if ask.weight != "frame":
        found = _with_skin(found, sides, (hero, shot), skin, models, ask.weight == "skin")
    if model is not None and model not in {s.model for s in found.solutions}:
        raise AquinError(
            f"the evidence can't carry a {title_of(model)}", None, "Use --model gains, or name more pairs"
        )
    weight: Weight = found.preferred if ask.weight == "auto" else "skin" if ask.weight == "skin" else "frame"
    solution = found.solution(model, weight, ask.out.suffix.lower() not in cdl_file.SUFFIXES)
    whole, passed = _passed(found, solution.grade, ask)
    kept = whole.at_strength(ask.strength)
    title = f"{shot.source.path.stem}_to_{hero.source.path.stem}"
    proof = export_grade(ask.out, kept, title, ask.force, ask.size, sides[1].linear)
    in_file = kept
    if ask.out.suffix.lower() in cdl_file.SUFFIXES:  # what is reported is what the file does
        in_file = Grade(trim=grade_file.nearest_cdl(kept, sides[1].linear))
    pictures = [
        facts(sides[k].linear, g, shown, clipped_share(sides[k].signal), mask=skin[k]).values()
        for k, g in ((0, Grade()), (1, Grade()), (1, in_file))
    ]
    rows = measure(found.evidence, in_file, (pictures[0], pictures[1], pictures[2]))
    data = _match_values(found, solution, weight) | {"second_pass": passed, "strength": ask.strength}
    data |= _grade_values(kept) | {
        "before": _summary(difference_of(found.evidence)),
        "after": _summary(difference_of(found.evidence.graded(in_file))),
        "ledger": [_row_values(row) for row in rows],
    }
    return {key: data[key] for key in KEYS}, proof


def _checked(ask: MatchAsk) -> str | None:
    """The model that is asked for. Raises AquinError for what can't be done, before anything is read."""
    out, model = ask.out, FULL if ask.model == "full" else ask.model
    check_ending(out)
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
    return model


def _passed(found: Match, grade: Grade, ask: MatchAsk) -> tuple[Grade, bool]:
    """The grade after a second pass, where that is asked for and helps. Raises AquinError."""
    more = second_pass(found.evidence, grade) if ask.again else None
    if more is None:
        return grade, False
    if ask.out.suffix.lower() in cdl_file.SUFFIXES:
        raise AquinError(
            "a second pass does not fit into a CDL",
            ask.out,
            "Name a .clf or .cube, or leave --second-pass out",
        )
    return more, True


def _match_values(found: Match, solution: Solution, weight: Weight) -> dict[str, Any]:
    return {
        "by": found.by,
        "evidence": [{"by": s.by, "pairs": len(s.evidence.hero), "sure": s.sureness} for s in found.sources],
        "weight": weight,
        "weights": _weights(found, solution.model),
        "model": solution.model,
        "confidence": found.confidence(solution),
        "alternatives": [_solution(s) for s in found.solutions if s.model != solution.model],
        "warnings": list(found.warnings),
    }


def _grade_values(grade: Grade) -> dict[str, Any]:
    balance, trim = grade.balance, grade.trim
    mired, duv = balance.shift
    return {
        "balance": {"stops": balance.stops, "gains": list(balance.gains), "mired": mired, "duv": duv},
        "trim": {
            "slope": list(trim.slope),
            "offset": list(trim.offset),
            "power": list(trim.power),
            "saturation": trim.saturation,
        },
        "flare": list(grade.flare),
    }


def _row_values(row: Row) -> dict[str, Any]:
    return {
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
    found: Match, sides: Sequence[Side], clips: Sequence[Clip], skin: Masks, models: Sequence[str], must: bool
) -> Match:
    """With solutions for skin; AquinError where they must be and hardly any is seen."""
    for mask, clip in zip(skin, clips, strict=True):
        if must and mask.mean() < 0.002:
            raise AquinError("no skin was found in the frame", clip.source.path, "Use --weight frame")
    made = with_skin(found, sides[0], sides[1], skin, models)
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
    if not all(abs(v) < 1e9 for v in place):
        raise AquinError(f"{place[0]:g},{place[1]:g} is no place", clip.source.path, "Name one in pixels")
    x, y = (round(v) for v in place)
    h, w = side.linear.shape[:2]
    if not (3 <= x < w - 3 and 3 <= y < h - 3):
        raise AquinError(
            f"{place[0]:g},{place[1]:g} lies outside the frame", clip.source.path, "Name another place"
        )
    return np.asarray(side.linear[y - 3 : y + 4, x - 3 : x + 4].reshape(-1, 3).mean(axis=0), np.float64)


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
