"""`aquin grade`, `history`, `drift`, `tolerances`: single shots of a production and what counts as settled, from the command line."""

import json
from pathlib import Path
from typing import Annotated, Any

import typer

from aquin.cli.commands.production import AsJson, File, Jobs, opened, printed
from aquin.errors import AquinError

ShotName = Annotated[str, typer.Argument(metavar="SHOT", help="A shot's name, as the log has it.")]


def grade(
    file: File,
    shot: ShotName,
    out: Annotated[
        Path | None,
        typer.Option("--out", help="Write it: .cdl .cc .ccc .clf .cube, or .json with all of it."),
    ] = None,
    take: Annotated[
        Path | None, typer.Option("--take", help="A .json of this command: it becomes the shot's grade.")
    ] = None,
    size: Annotated[int, typer.Option("--size", help="Points of a .cube: 33 or 65.")] = 65,
    force: Annotated[bool, typer.Option("--force", help="Overwrite OUT.")] = False,
    as_json: AsJson = False,
) -> None:
    """What a shot is graded with: its numbers and regions, and where they came from. Written, or read back, if wished."""
    from aquin.colour.grade import Grade
    from aquin.exchange import grade_file
    from aquin.exchange.proof import prove
    from aquin.files import write_safely
    from aquin.production.grading import balance_of, held_grade, keep_grade, trim_of
    from aquin.production.settings import config_of

    with opened(file) as production:
        found = shot_of(production, shot, file)
        if take is not None:
            keep_grade(production, config_of(production), found, _grade_from(take), f"taken from {take.name}")
        now = held_grade(production, found) or Grade()
        record = trim_of(production, found) or balance_of(production, found)
        data: dict[str, Any] = {
            "shot": found.name,
            "grade": now.values(),
            "origin": record.origin if record is not None else "",
            "note": found.note,
            "not_in_a_lut": now.beyond_lut,
            "not_in_a_cdl": now.beyond_cdl,
        }
        if out is not None and out.suffix.lower() == ".json":
            text = json.dumps({"shot": found.name, "grade": now.values()}, indent=2) + "\n"
            write_safely(out, lambda p: _put(p, text), force)
            data["out"] = str(out)
        elif out is not None:
            grade_file.write(out, now, found.name, force, size)
            proof = prove(out, now)
            data |= {"out": str(out), "proof": proof.line()}
    printed(data, as_json, _say_grade)


def _put(path: Path, text: str) -> None:
    path.write_text(text, encoding="utf-8")


def _grade_from(path: Path) -> Any:
    from aquin.colour.grade import Grade

    try:
        if path.stat().st_size > 1_000_000:
            raise ValueError("it is too large")
        return Grade.of(json.loads(path.read_text(encoding="utf-8"))["grade"])
    except OSError as error:
        raise AquinError(f"the grade can't be read ({error.strerror})", path, "Check the name") from error
    except (ValueError, KeyError, TypeError, AttributeError) as error:
        raise AquinError(
            f"this is no grade ({error})", path, "Write one with: aquin grade --out X.json"
        ) from error


def shot_of(production: Any, name: str, file: Path) -> Any:
    """A shot by its name. Raises AquinError."""
    from aquin.production.records import Shot

    found = [s for s in production.all(Shot) if s.name == name]
    if not found:
        raise AquinError(
            f"there is no shot '{name}'", file, "Names are in the Shots view, and in: aquin measure"
        )
    if len(found) > 1:
        raise AquinError(f"{len(found)} shots are called '{name}'", file, "Rename them in the Shots view")
    return found[0]


def history(file: File, shot: ShotName, as_json: AsJson = False) -> None:
    """The grades that a shot had, the newest first, and how far each left it from its hero."""
    from aquin.measure.ledger import measure
    from aquin.production.cells import tolerances_of
    from aquin.production.history import history_of
    from aquin.production.ledgers import known_charts, known_frames, shot_evidence
    from aquin.production.match_desk import Desk
    from aquin.production.settings import config_of

    with opened(file) as production:
        found = shot_of(production, shot, file)
        desk = Desk(production, config_of(production))
        at = desk.moment(found)
        evidence, by = None, ""
        if at is not None:
            place = (found.setup_id, found.camera_id)
            known_charts(desk, [place])
            known_frames(desk, [place])
            evidence, by = shot_evidence(desk, found, at)
        steps = []
        for step in history_of(production, found):
            rows = (
                measure(evidence, step.grade, None, tolerances_of(production)) if evidence is not None else []
            )
            steps.append(
                {
                    "at": step.at, "who": step.who, "what": step.what, "grade": step.grade.values(),
                    "ledger": {r.axis.name: {"after": r.after, "within": r.within} for r in rows},
                }
            )  # fmt: skip
    printed({"shot": shot, "by": by, "steps": steps}, as_json, _say_history)


def drift(
    file: File,
    setup: Annotated[str, typer.Argument(metavar="SETUP")],
    accept: Annotated[
        list[str] | None, typer.Option("--accept", help="A shot whose trim is kept, or all. Repeatable.")
    ] = None,
    jobs: Jobs = None,
    as_json: AsJson = False,
) -> None:
    """How light changed over the day in a setup, with its uncertainty, and the trims of shots that follow from it."""
    from aquin.cli.main import with_progress
    from aquin.match.drift import to_parts
    from aquin.production import trims
    from aquin.production.audit.light import STOPS_A_MIRED
    from aquin.production.ledgers import compare_frames, known_charts
    from aquin.production.match_desk import Desk
    from aquin.production.records import Camera, Setup
    from aquin.production.settings import config_of
    from aquin.production.setups import seconds_of

    with opened(file) as production:
        config = config_of(production)
        one = next((s for s in production.all(Setup) if s.name == setup), None)
        if one is None:
            there = ", ".join(s.name for s in production.all(Setup))
            raise AquinError(f"there is no setup '{setup}'", file, f"There are: {there}")
        desk = Desk(production, config)
        places = [p for p in desk.shots if p[0] == one.id]
        known_charts(desk, places)
        with_progress("comparing", lambda tell: compare_frames(desk, places, jobs, tell))
        found = [t for t in trims.trims_for(desk, places, all_of_them=True) if t.record.on]
        model = trims.drift_in(desk, one)
        if accept:
            unknown = set(accept) - {"all"} - {t.shot.name for t in found}
            if unknown:
                raise AquinError(
                    f"no trim is proposed for {', '.join(sorted(unknown))}",
                    file,
                    "See the list without --accept",
                )
            chosen = [t for t in found if not t.held and ("all" in accept or t.shot.name in accept)]
            if chosen:
                trims.accept(production, config, chosen)
            kept = {t.shot.id for t in chosen}
        else:
            kept = set()
        names = {c.id: c.name for c in production.all(Camera)}
        data = {
            "setup": setup,
            "seen": [
                {"at": s.at, **_parts(to_parts_of(to_parts, s.change), STOPS_A_MIRED), "error_stops": s.error}
                for s in model.seen
            ],
            "trims": [
                {
                    "shot": t.shot.name, "camera": names.get(t.shot.camera_id, ""), "at": (seconds_of(t.shot) or (None,))[0],
                    "stops": t.parts[0], "mired": t.parts[1], "error_stops": t.error, "by": t.by,
                    "kept": t.held or t.shot.id in kept,
                }
                for t in found
            ],
        }  # fmt: skip
    printed(data, as_json, _say_drift)


def to_parts_of(to_parts: Any, change: tuple[float, float, float]) -> Any:
    import numpy as np

    return to_parts(np.array(change)[None])[0]


def _parts(parts: Any, a_mired: float) -> dict[str, float]:
    return {"stops": float(parts[0]), "mired": float(parts[1]) / a_mired, "green_stops": float(parts[2])}


def tolerances(
    file: File,
    values: Annotated[list[str] | None, typer.Argument(metavar="[AXIS=VALUE]...")] = None,
    usual: Annotated[bool, typer.Option("--usual", help="All as usual again.")] = False,
    as_json: AsJson = False,
) -> None:
    """How far a shot may be from its hero on each axis of the ledger, in this production."""
    from aquin.measure.ledger import axes
    from aquin.production.cells import keep_tolerances, tolerances_of

    with opened(file) as production:
        held = {} if usual else dict(tolerances_of(production))
        known = {a.name: a for a in axes()}
        for text in values or []:
            name, sign, number = text.partition("=")
            name = name.strip().replace("-", " ")
            try:
                value = float(number)
            except ValueError:
                value = -1.0
            if not sign or name not in known or not 0 < value < 1e6:
                raise AquinError(
                    f"'{text}' names no tolerance", None, f"AXIS=VALUE, with one of {', '.join(known)}"
                )
            held[name] = value
        if values or usual:
            keep_tolerances(production, {a.name: a.tolerance for a in axes()} | held)
        own = tolerances_of(production)
        data = {
            "axes": [
                {"axis": a.name, "unit": a.unit, "tolerance": a.tolerance, "usual": known[a.name].tolerance}
                for a in axes(own)
            ]
        }
    printed(data, as_json, _say_tolerances)


def _say_grade(data: dict[str, Any]) -> None:
    g = data["grade"]
    print(f"{data['shot']}: {data['origin'] or 'as filmed'}")
    print(f"  exposure {g['stops']:+.3f} st, gains {' '.join(f'{v:.4f}' for v in g['gains'])}")
    for key in ("slope", "offset", "power"):
        print(f"  {key:8} {' '.join(f'{v:.4f}' for v in g[key])}")
    print(f"  saturation {g['saturation']:.4f}")
    for words in (data["not_in_a_cdl"], data["not_in_a_lut"]):
        if words:
            print(f"  and {words}")
    if data["note"]:
        print(f"  note: {data['note']}")
    if "out" in data:
        print(f"  written to {data['out']}" + (f", {data['proof']}" if "proof" in data else ""))


def _say_history(data: dict[str, Any]) -> None:
    for s in data["steps"]:
        off = ", ".join(f"{k} {v['after']:+.2f}" for k, v in s["ledger"].items() if not v["within"])
        state = "" if not s["ledger"] else f"  off: {off}" if off else "  within tolerance"
        print(f"{s['at'][:16].replace('T', ' '):16}  {s['who']:12} {s['what']}{state}")


def _say_drift(data: dict[str, Any]) -> None:
    for s in data["seen"]:
        print(f"{_clock(s['at'])}  light {s['stops']:+.2f} st, {s['mired']:+.0f} mired")
    for t in data["trims"]:
        kept = "kept" if t["kept"] else "proposed"
        print(
            f"{_clock(t['at'])}  {t['shot']} ({t['camera']}): {t['stops']:+.2f} st, {t['mired']:+.0f} mired, ±{t['error_stops']:.2f} st, by {t['by']}; {kept}"
        )
    if not data["trims"]:
        print("no shot needs a trim for its light")


def _clock(seconds: float | None) -> str:
    if seconds is None:
        return "        "
    whole = round(seconds)
    return f"{whole // 3600:02}:{whole // 60 % 60:02}:{whole % 60:02}"


def _say_tolerances(data: dict[str, Any]) -> None:
    for a in data["axes"]:
        usual = "" if a["usual"] == a["tolerance"] else f"  (usually {a['usual']:g})"
        print(f"{a['axis']:14} {a['tolerance']:8g} {a['unit']}{usual}")
