"""What `aquin chart` and `aquin balance` compute and how they print it."""

from dataclasses import dataclass
from pathlib import Path
from typing import Any

import numpy as np

from aquin.charts.fits import METRICS, Metric
from aquin.charts.layout import Layout, layout
from aquin.charts.read import Reading, read_chart
from aquin.charts.solve import BASES, MODELS, WARPED, Solution, best_of, solve, solve_all
from aquin.charts.stages import stages
from aquin.charts.sweep import Sweep, numbers_of, sweep
from aquin.colour.difference import delta_e00, lab_of_ap1
from aquin.errors import AquinError
from aquin.measure.clip import Clip
from aquin.workers import Tell


@dataclass(frozen=True)
class Ask:
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


def chosen_models(text: str) -> list[str]:
    """Models by name with commas, or all. Raises AquinError."""
    if text.strip() == "all":
        return [*BASES, *WARPED]
    found = [t.strip() for t in text.split(",") if t.strip()]
    wrong = [t for t in found if t not in MODELS]
    if wrong or not found:
        raise AquinError(
            f"there is no model '{', '.join(wrong) or text}'", None, f"There are: {', '.join(MODELS)}"
        )
    return found


def metric_of(name: str) -> Metric:
    """A metric by name. Raises AquinError."""
    for key, metric in METRICS.items():
        if key.replace(" ", "").lower() == name.replace(" ", "").lower():
            return metric
    raise AquinError(f"there is no metric '{name}'", None, f"There are: {', '.join(METRICS)}")


def chart_data(clip: Clip, hero: Clip | None, ask: Ask, tell: Tell | None = None) -> dict[str, Any]:
    """Read the chart of one frame or of a sweep and solve it."""
    from aquin.production.charting import evidence_of

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
        notes, number = list(frame.warnings), frame.number
    empty: dict[str, Any] = {
        "found": False, "corners": [], "patches": [], "solutions": [], "light_uneven": None, "warnings": [],
        "frame": number, "sweep": looks,
    }  # fmt: skip
    if reading is None:
        what = "no chart was found: give its corners, or choose another frame"
        if not chosen.findable:
            what = f"the {chosen.title.lower()} can't be found by itself: give its corners"
        return empty | {"warnings": [*notes, what]}
    towards: Reading | None = None
    if hero is not None:
        towards = _swept(hero, chosen, None, None).reading()
        if towards is None:
            raise AquinError("no chart was found in the hero", hero.source.path, "Choose another file")
    warnings = [*notes, *reading.warnings]
    solutions: list[Solution] = []
    steps: list[dict[str, Any]] = []
    proof = None
    try:
        pairs = evidence_of(reading, towards, ask.neutral, ask.skin)
        solutions = solve_all(pairs, models=ask.models, metric=ask.metric)
        if ask.stages:
            steps = [
                {
                    "stage": s.name,
                    "mean": s.mean,
                    "neutral": s.neutral,
                    "hue_degrees": s.hue,
                    "saturation": s.saturation,
                }
                for s in stages(pairs, ask.metric)
            ]
    except AquinError as error:
        warnings.append(error.line())
    if ask.out is not None:
        proof = _written(ask, solutions, clip)
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
        "metric": ask.metric.name,
        "reference": "hero" if towards is not None else "published",
        "sweep": looks,
        **({"out": str(ask.out), "proof": proof} if ask.out is not None else {}),
    }


def _swept(clip: Clip, chosen: Layout, corners: Any, tell: Tell | None) -> Sweep:
    source = clip.source
    numbers = numbers_of(source.first, source.last)
    frames = ((n, source.read(n).rgb) for n in numbers)
    return sweep(frames, clip.to_linear, chosen, corners, len(numbers), tell, source.timecode)


def _written(ask: Ask, solutions: list[Solution], clip: Clip) -> str:
    from aquin.exchange import cdl_file, grade_file
    from aquin.exchange.proof import prove

    assert ask.out is not None
    if ask.out.suffix.lower() not in grade_file.SUFFIXES:
        raise AquinError(
            "this ending names no grade format", ask.out, f"Use one of {' '.join(grade_file.SUFFIXES)}"
        )
    fit = [s for s in solutions if ask.out.suffix.lower() not in cdl_file.SUFFIXES or not s.grade.beyond_cdl]
    chosen = [s for s in solutions if s.model == ask.model] if ask.model else [best_of(fit)] if fit else []
    if not chosen:
        raise AquinError(
            "there is no solution to write", ask.out, f"Name one of {', '.join(s.model for s in solutions)}"
        )
    grade_file.write(ask.out, chosen[0].grade, f"{clip.source.path.stem} {chosen[0].title}", ask.force)
    return f"{chosen[0].title}: {prove(ask.out, chosen[0].grade).line()}"


def look_data(look: Any) -> dict[str, Any]:
    return {
        "frame": look.number, "found": look.found, "quality": look.quality, "glare_stops": look.glare,
        "shadow_stops": look.shadow, "clipped": look.clipped, "blur_px": look.blur, "patch_px": look.size, "why": look.why,
    }  # fmt: skip


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
        "model": s.model, "delta_e00_mean": s.mean, "delta_e00_p95": s.p95, "delta_e00_loo": s.loo, "metric": s.metric,
        "condition": s.condition, "size": s.size,
    }  # fmt: skip


def show_solutions(solutions: list[dict[str, Any]]) -> None:
    for s in solutions:
        loo = "      " if not np.isfinite(s["delta_e00_loo"]) else f"{s['delta_e00_loo']:6.2f}"
        print(
            f"  {s['model']:12} {s['metric']} {s['delta_e00_mean']:6.2f}   95 % {s['delta_e00_p95']:6.2f}   leave-one-out {loo}"
            f"   moves colours by {s['size']:5.2f}, stretch {s['condition']:.2f}"
        )


def show_chart(data: dict[str, Any]) -> None:
    if not data["found"]:
        print("no chart found")
    if data.get("chosen"):
        print(f"  {data['chosen']}")
    for p in data["patches"]:
        signal = " ".join(f"{100 * v:6.2f}" for v in p["signal"])
        left = f"   left out: {p['left_out']}" if p["left_out"] else ""
        print(
            f"  {p['name']:14} {p['role']:8} signal {signal} %   dE00 {p['delta_e00']:5.2f}   noise {p['noise']:4.1f} codes{left}"
        )
    show_solutions(data["solutions"])
    for s in data.get("stages", []):
        print(
            f"  {s['stage']:11} {data['metric']} {s['mean']:6.2f}   neutrals {s['neutral']:5.2f}   hue off {s['hue_degrees']:5.2f} degrees"
            f"   saturation {s['saturation']:.3f}"
        )
    if data.get("proof"):
        print(f"  {data['out']}: {data['proof']}")
    for warning in data["warnings"]:
        print(f"  note: {warning}")


def balance_data(
    file: Path,
    camera: str | None,
    setup: str | None,
    model: str,
    metric: Metric,
    to_hero: bool,
    release: bool,
    jobs: int | None,
) -> dict[str, Any]:
    """Read a production's chart takes, best per camera and setup, and keep the balances."""
    from aquin.cli.commands.production import opened
    from aquin.cli.main import with_progress
    from aquin.production import charting
    from aquin.production.records import Camera, Setup
    from aquin.production.settings import config_of

    if model not in MODELS:
        raise AquinError(f"there is no model '{model}'", None, f"There are: {', '.join(MODELS)}")
    with opened(file) as production:
        config = config_of(production)
        cameras = _wanted(production.all(Camera), camera, "camera", file)
        setups = _wanted(production.all(Setup), setup, "setup", file)
        takes = [
            s
            for s in charting.chart_takes(production)
            if s.kind == "chart"
            and s.camera_id in cameras
            and s.setup_id in setups
            and s.target in ("24-patch", "")
        ]
        heroes = {s.id: h for s in takes if to_hero and (h := charting.hero_take(production, s)) is not None}
        every = list({s.id: s for s in (*takes, *heroes.values())}.values())
        reads = {
            r.shot.id: r
            for r in with_progress(
                "reading charts", lambda tell: charting.read_takes(production, config, every, jobs, tell)
            )
        }
        best: dict[tuple[str, str], tuple[Any, Solution]] = {}
        troubles: list[str] = []
        for shot in takes:
            reading = reads[shot.id].reading
            if reading is None:
                troubles.append(f"{shot.name}: {reads[shot.id].trouble or 'no chart was found'}")
                continue
            hero = heroes.get(shot.id)
            try:
                pairs = charting.evidence_of(reading, reads[hero.id].reading if hero is not None else None)
                found = solve(pairs, model, metric=metric)
            except AquinError as error:
                troubles.append(f"{shot.name}: {error.line()}")
                continue
            key = (shot.camera_id, shot.setup_id)
            if key not in best or found.mean < best[key][1].mean:
                best[key] = (shot, found)
        rows = []
        for shot, found in best.values():
            charting.keep_balance(production, config, shot, found)
            follow, own = charting.followers(production, shot)
            if release and own:
                charting.let_follow(production, own)
            mired, duv = found.grade.balance.shift
            rows.append(
                {
                    "camera": production.get(Camera, shot.camera_id).name,
                    "setup": production.get(Setup, shot.setup_id).name,
                    "take": shot.name,
                    "reference": "hero" if shot.id in heroes else "published",
                    "stops": found.grade.balance.stops,
                    "mired": mired,
                    "duv": duv,
                    **solution_data(found),
                    "following": [s.name for s in (*follow, *(own if release else []))],
                    "own_corrections": [] if release else [s.name for s in own],
                }
            )
    return {"balances": rows, "troubles": troubles}


def _wanted(records: list[Any], name: str | None, what: str, file: Path) -> set[str]:
    found = {r.id for r in records if name is None or r.name == name}
    if not found:
        raise AquinError(
            f"there is no {what} '{name}'", file, f"There are: {', '.join(r.name for r in records)}"
        )
    return found


def show_balance(data: dict[str, Any]) -> None:
    for b in data["balances"]:
        print(
            f"{b['setup']:14} {b['camera']:10} {b['take']:10} {b['stops']:+.2f} st {b['mired']:+6.1f} mired {1e3 * b['duv']:+5.1f} 10-3 Duv"
            f"   {b['metric']} {b['delta_e00_mean']:.2f}   {len(b['following'])} shots follow"
            + (f", {len(b['own_corrections'])} hold their own" if b["own_corrections"] else "")
        )
    for trouble in data["troubles"]:
        print(f"  trouble: {trouble}")


def _list(values: Any) -> list[float]:
    return [float(v) for v in values]


__all__ = ["BASES", "Ask", "balance_data", "chart_data", "show_balance", "show_chart"]
