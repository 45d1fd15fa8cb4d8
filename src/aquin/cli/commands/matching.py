"""`aquin settle`, `grade`, `history`, `drift`, `tolerances`, `beside`, `follow`: matching from the command line."""

import json
from pathlib import Path
from typing import Annotated, Any

import typer

from aquin.cli import options as of
from aquin.cli.commands.beside import beside
from aquin.cli.commands.follow import follow
from aquin.cli.opening import opened, shot_of
from aquin.cli.output import printed, with_progress
from aquin.errors import AquinError
from aquin.reading import json_of
from aquin.workers import Tell, get_ready

CELL_HELP = "Only this cell; SETUP alone is all of its cameras. Repeatable."


def settle(
    file: of.File,
    cells: Annotated[list[str] | None, typer.Option("--cell", metavar="SETUP/CAMERA", help=CELL_HELP)] = None,
    model: Annotated[
        str,
        typer.Option(
            "--model",
            help="The balance: best, gains, cdl, matrix, root, gains+flare, matrix+flare, matrix+curve or full.",
        ),
    ] = "best",
    exposure: Annotated[
        str, typer.Option("--exposure", help="How bright: weighed, chart, or filmed (as the crew set it).")
    ] = "weighed",
    heroes: Annotated[
        bool, typer.Option("--heroes", help="Propose heroes for setups without one first.")
    ] = False,
    trims: Annotated[bool, typer.Option("--trims/--no-trims", help="Trim shots that stand apart.")] = True,
    fix: Annotated[
        bool, typer.Option("--fix", help="First mend what the audit is sure of, as a step of its own.")
    ] = False,
    jobs: of.Jobs = None,
    cluster: of.Cluster = None,
    as_json: of.AsJson = False,
) -> None:
    """Match the cameras of each setup to its hero: balances by charts and by what both saw. A camera without an
    encoding is given one first; exit 1 when cells are left.
    """
    get_ready()
    from aquin.cli.words.matching import cells_data, say_cells
    from aquin.jobs.settle_cells import settle_cells
    from aquin.production.cells import board
    from aquin.production.heroes import hero_of
    from aquin.production.matching import Summary, Wish
    from aquin.production.records import Setup
    from aquin.production.settings import config_of

    chosen = _model_of(model, exposure)
    with opened(file) as production:
        config = config_of(production)
        names = _cell_names(production, config)
        wanted = [p for p, n in names.items() if not cells or n[0] in cells or "/".join(n) in cells]
        if not wanted:
            there = ", ".join("/".join(n) for n in names.values())
            raise AquinError("no cell has that name", file, f"There are: {there}")
        if not heroes and all(hero_of(production, production.get(Setup, p[0])) is None for p in wanted):
            raise AquinError("no setup has a hero to be matched to", file, "Have them proposed: --heroes")
        wish = Wish(chosen, shots=trims, exposure="as filmed" if exposure == "filmed" else exposure)

        def work(tell: Tell) -> Summary:
            return settle_cells(production, config, wanted, wish, None, jobs, tell, fix, heroes=heroes)

        done = with_progress("settling", work)
        data = cells_data(done, names, board(production, config_of(production)))
    printed(data, as_json, say_cells)
    raise typer.Exit(0 if all(c.done for c in done.cells) else 1)


def _model_of(model: str, exposure: str) -> str:
    """The model that is meant. Raises AquinError for one, or a way of exposure, that there is not."""
    from aquin.charts.solve import FULL
    from aquin.production.matching import MODELS

    chosen = FULL if model == "full" else model
    if chosen not in MODELS:
        raise AquinError(
            f"there is no model '{model}'", None, f"Use {', '.join(m for m in MODELS if m != FULL)} or full"
        )
    if exposure not in ("weighed", "chart", "filmed"):
        raise AquinError(f"there is no exposure '{exposure}'", None, "Use weighed, chart or filmed")
    return chosen


def _cell_names(production: Any, config: Any) -> dict[tuple[str, str], tuple[str, str]]:
    """Setup and camera by their ids."""
    from aquin.production.records import Camera, Setup
    from aquin.production.shoot import Shoot

    shots = Shoot(production, config).shots
    return {p: (production.get(Setup, p[0]).name, production.get(Camera, p[1]).name) for p in shots}


def grade(
    file: of.File,
    shot: of.ShotName,
    out: Annotated[
        Path | None,
        typer.Option("--out", help="Write it: .cdl .cc .ccc .clf .cube, or .json with all of it."),
    ] = None,
    take: Annotated[
        Path | None, typer.Option("--take", help="A .json of this command: it becomes the shot's grade.")
    ] = None,
    size: of.Size = 65,
    force: of.Force = False,
    as_json: of.AsJson = False,
) -> None:
    """What a shot is graded with: its numbers and regions, and where they came from. Written, or read back, if
    wished.
    """
    from aquin.cli.words.matching import say_grade
    from aquin.colour.grade import Grade
    from aquin.files import write_text
    from aquin.jobs.export_grade import export_grade
    from aquin.jobs.render_frame import shot_picture
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
            write_text(out, text, force)
            data["out"] = str(out)
        elif out is not None:
            picture = shot_picture(production, config_of(production), found)
            proof = export_grade(out, now, found.name, force, size, picture)
            data |= {"out": str(out), "proof": proof.line()}
    printed(data, as_json, say_grade)


def _grade_from(path: Path) -> Any:
    from aquin.colour.grade import Grade

    try:
        return Grade.of(json_of(path, 1_000_000)["grade"])
    except OSError as error:
        raise AquinError(f"the grade can't be read ({error.strerror})", path, "Check the name") from error
    except (ValueError, KeyError, TypeError, AttributeError) as error:
        raise AquinError(
            f"this is no grade ({error})", path, "Write one with: aquin grade --out X.json"
        ) from error


def history(file: of.File, shot: of.ShotName, as_json: of.AsJson = False) -> None:
    """The grades that a shot had, the newest first, and how far each left it from its hero."""
    from aquin.cli.words.matching import say_history
    from aquin.measure.ledger import measure
    from aquin.production.cells import tolerances_of
    from aquin.production.history import history_of
    from aquin.production.ledgers import known_charts, known_frames, shot_evidence
    from aquin.production.settings import config_of
    from aquin.production.shoot import Shoot

    with opened(file) as production:
        found = shot_of(production, shot, file)
        shoot = Shoot(production, config_of(production))
        at = shoot.moment(found)
        evidence, by = None, ""
        if at is not None:
            place = (found.setup_id, found.camera_id)
            known_charts(shoot)
            known_frames(shoot, [place])
            evidence, by = shot_evidence(shoot, found, at)
        steps = []
        for step in history_of(production, found):
            rows = (
                measure(evidence, step.grade, None, tolerances_of(production)) if evidence is not None else []
            )
            steps.append(
                {
                    "at": step.at,
                    "who": step.who,
                    "what": step.what,
                    "grade": step.grade.values(),
                    "ledger": {r.axis.name: {"after": r.after, "within": r.within} for r in rows},
                }
            )
    printed({"shot": shot, "by": by, "steps": steps}, as_json, say_history)


def drift(
    file: of.File,
    setup: Annotated[str, typer.Argument(metavar="SETUP")],
    accept: Annotated[
        list[str] | None, typer.Option("--accept", help="A shot whose trim is kept, or all. Repeatable.")
    ] = None,
    jobs: of.Jobs = None,
    cluster: of.Cluster = None,
    as_json: of.AsJson = False,
) -> None:
    """How light changed over the day in a setup, with its uncertainty, and the trims of shots that follow from it."""
    from aquin.cli.words.matching import drift_data, say_drift
    from aquin.jobs.light import look_at_light
    from aquin.production import trims
    from aquin.production.records import Setup
    from aquin.production.settings import config_of

    with opened(file) as production:
        config = config_of(production)
        one = next((s for s in production.all(Setup) if s.name == setup), None)
        if one is None:
            there = ", ".join(s.name for s in production.all(Setup))
            raise AquinError(f"there is no setup '{setup}'", file, f"There are: {there}")
        found = with_progress(
            "comparing", lambda tell: look_at_light(production, config, one, True, jobs, tell)
        )
        names = set(accept or [])
        unknown = names - {"all"} - {t.shot.name for t in found.trims}
        if unknown:
            words = f"no trim is proposed for {', '.join(sorted(unknown))}"
            raise AquinError(words, file, "See the list without --accept")
        chosen = [t for t in found.trims if not t.held and ("all" in names or t.shot.name in names)]
        if chosen:
            trims.accept(production, config, chosen)
        data = drift_data(setup, found, {t.shot.id for t in chosen})
    printed(data, as_json, say_drift)


def tolerances(
    file: of.File,
    values: Annotated[list[str] | None, typer.Argument(metavar="[AXIS=VALUE]...")] = None,
    usual: Annotated[bool, typer.Option("--usual", help="All as usual again.")] = False,
    as_json: of.AsJson = False,
) -> None:
    """How far a shot may be from its hero on each axis of the ledger, in this production."""
    from aquin.cli.words.matching import say_tolerances
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
    printed(data, as_json, say_tolerances)


COMMANDS = (settle, beside, drift, follow, grade, history, tolerances)
