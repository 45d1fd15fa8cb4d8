"""`aquin new`, `ingest`, `measure`, `audit` and their kin: the production file from the command line."""

from pathlib import Path
from typing import Annotated, Any

import typer

from aquin.cli import options as of
from aquin.cli.opening import opened, rate_in, shot_of
from aquin.cli.output import printed, with_progress
from aquin.errors import AquinError
from aquin.workers import get_ready


def new(
    file: of.File,
    media: of.Media = None,
    name: Annotated[str, typer.Option("--name", help="The production's name.")] = "",
    report: of.Report = None,
    column: of.Columns = None,
    edit: of.Edits = None,
    rate: of.Rate = "24",
    jobs: of.Jobs = None,
    cluster: of.Cluster = None,
    as_json: of.AsJson = False,
) -> None:
    """Make a production file, and log media into it if any are named."""
    from aquin.cli.words.production import say_intake
    from aquin.production import Production

    production = Production.create(file, name)
    data: dict[str, Any] = {"production": str(production.place), "name": production.name}
    data |= _taken(production, media or [], report, column, edit, rate, jobs)
    production.close()
    printed(data, as_json, say_intake)


def ingest(
    file: of.File,
    media: of.Media = None,
    report: of.Report = None,
    column: of.Columns = None,
    edit: of.Edits = None,
    rate: of.Rate = "24",
    jobs: of.Jobs = None,
    cluster: of.Cluster = None,
    as_json: of.AsJson = False,
) -> None:
    """Log folders, files and sequences, read a camera report, conform edits. Exit 1 when something fits nothing."""
    from aquin.cli.words.production import say_intake

    if not (media or report or edit):
        raise AquinError("there is nothing to log", file, "Name media, or --report, or --edit")
    with opened(file) as production:
        data = _taken(production, media or [], report, column, edit, rate, jobs)
    printed(data, as_json, say_intake)
    bad = data.get("troubles") or data.get("report", {}).get("unmatched")
    bad = bad or any(e["unmatched"] for e in data.get("edits", []))
    raise typer.Exit(1 if bad else 0)


def relink(
    file: of.File, folder: Annotated[Path, typer.Argument(metavar="FOLDER")], as_json: of.AsJson = False
) -> None:
    """Find media that were moved or renamed, by name, size and content. Exit 1 when some stay missing."""
    from aquin.production.media import relink as look

    with opened(file) as production:
        done = look(production, folder)
        data = {"found": [s.path for s in done.found], "missing": [s.path for s in done.missing]}
    printed(data, as_json, lambda d: print(f"found {len(d['found'])}, still missing {len(d['missing'])}"))
    raise typer.Exit(1 if data["missing"] else 0)


def measure(
    file: of.File, jobs: of.Jobs = None, cluster: of.Cluster = None, as_json: of.AsJson = False
) -> None:
    """Measure every shot that is not measured yet. Stop with Ctrl-C: what was measured is kept."""
    get_ready()
    from aquin.cli.words.production import say_measured, short
    from aquin.production.measuring import measure_shots
    from aquin.production.records import Shot
    from aquin.production.settings import config_of

    with opened(file) as production:
        config = config_of(production)
        values = with_progress(
            "measuring", lambda tell: measure_shots(production, config, jobs=jobs, tell=tell)
        )
        shots = production.all(Shot)
        data: dict[str, Any] = {
            "shots": [
                {"path": s.path, "key": s.content} | short(values[s.id]) for s in shots if s.id in values
            ],
            "not_measured": [s.path for s in shots if s.id not in values],
        }
    printed(data, as_json, say_measured)
    raise typer.Exit(1 if data["not_measured"] or any(s.get("trouble") for s in data["shots"]) else 0)


def audit(
    file: of.File,
    jobs: of.Jobs = None,
    cluster: of.Cluster = None,
    fix: Annotated[
        list[str] | None,
        typer.Option("--fix", help="Make the change a finding offers: its number. Repeatable."),
    ] = None,
    dismiss: Annotated[int | None, typer.Option("--dismiss", help="Set a finding aside: its number.")] = None,
    why: Annotated[str, typer.Option("--why", help="The reason, with --dismiss.")] = "",
    as_json: of.AsJson = False,
) -> None:
    """Find what is wrong with tags, light, papers and grades. Exit 1 with findings that are not dismissed."""
    get_ready()
    from aquin.cli.words.production import finding_data, say_findings
    from aquin.production.audit import apply_fix, kept_findings, run_audit
    from aquin.production.audit import dismiss as set_aside
    from aquin.production.settings import config_of

    with opened(file) as production:
        if fix or dismiss is not None:
            kept = kept_findings(production)
            for number in fix or []:
                apply_fix(production, _numbered(kept, number, file))
            if dismiss is not None:
                if not why.strip():
                    raise AquinError("a dismissal needs a reason", file, 'Give one: --why "..."')
                set_aside(production, _numbered(kept, str(dismiss), file), why)
        config = config_of(production)
        found = with_progress("auditing", lambda tell: run_audit(production, config, jobs, tell))
        data = {"findings": [finding_data(production, k, f) for k, f in enumerate(found, 1)]}
    printed(data, as_json, say_findings)
    raise typer.Exit(1 if any(not f.dismissed and f.severity != "note" for f in found) else 0)


def journal(
    file: of.File,
    limit: Annotated[int, typer.Option("--limit", min=1, max=10_000_000)] = 30,
    undo: Annotated[bool, typer.Option("--undo", help="Take back the last step first.")] = False,
    redo: Annotated[
        bool, typer.Option("--redo", help="Bring back the last step that was taken back.")
    ] = False,
    others: Annotated[
        str,
        typer.Option(
            "--others",
            help="With --undo and --redo, what others have changed since: refuse, leave (the rest is done), overwrite.",
        ),
    ] = "refuse",
    who: Annotated[str, typer.Option("--who", help="Only what this person did.")] = "",
    shot: Annotated[str | None, typer.Option("--shot", help="Only what concerns this shot.")] = None,
    camera: of.CameraName = None,
    day: Annotated[str, typer.Option("--day", help="Only of this day: 2026-11-29.")] = "",
    kind: Annotated[
        str, typer.Option("--kind", help="Only of one kind: grade, look, shots, charts, plan …")
    ] = "",
    text: Annotated[str, typer.Option("--text", help="Only with these words.")] = "",
    changes: Annotated[bool, typer.Option("--changes", help="With what each entry changed.")] = False,
    out: Annotated[Path | None, typer.Option("--out", help="Write it: .csv, .html or .pdf.")] = None,
    force: of.Force = False,
    as_json: of.AsJson = False,
) -> None:
    """What was decided, by whom, when and why; newest first. --undo takes back your own last step."""
    from aquin.exchange.journal_paper import write_journal
    from aquin.production.diary import KINDS, Sieve, lines_of, told
    from aquin.production.records import Camera

    if others not in ("refuse", "leave", "overwrite"):
        raise AquinError(f"--others can't be '{others}'", None, "Use refuse, leave or overwrite")
    if kind and kind not in KINDS:
        raise AquinError(f"there is no kind '{kind}'", None, f"There are: {', '.join(KINDS)}")
    with opened(file) as production:
        if undo or redo:
            step = production.undo if undo else production.redo
            entry = step(others)
            if entry is None:
                raise AquinError(
                    f"there is nothing to {'undo' if undo else 'redo'}", file, "See: aquin journal"
                )
        found = next((c for c in production.all(Camera) if c.name == camera), None)
        if camera is not None and found is None:
            raise AquinError(f"there is no camera '{camera}'", file, "Names are in the Plan view")
        shot_id = shot_of(production, shot, file).id if shot is not None else ""
        sieve = Sieve(who, shot_id, found.id if found is not None else "", day, kind, text)
        lines = [line for line in lines_of(production) if sieve.keeps(line, production)][:limit]
        if out is not None:
            write_journal(out, production, lines, force)
        more = [told(production, line) if changes else [] for line in lines]
        data = {
            "entries": [
                line.data() | ({"changes": m} if changes else {}) for line, m in zip(lines, more, strict=True)
            ]
        }
    printed(data, as_json, _say_entries)


def _say_entries(data: dict[str, Any]) -> None:
    for e in data["entries"]:
        number = f"{e['merged']}.{e['number']}" if e["merged"] else str(e["number"])
        print(f"{number:>5}  {e['at'][:19]}  {e['who']:12} {e['step']:5} {e['what']}  {e['why']}")
        for line in e.get("changes", ()):
            print(f"         {line}")


def copy(
    file: of.File,
    out: Annotated[Path, typer.Argument(metavar="OUT")],
    force: Annotated[bool, typer.Option("--force", help="Overwrite OUT.")] = False,
    as_json: of.AsJson = False,
) -> None:
    """Save a whole copy of a production, also while it is open elsewhere."""
    with opened(file) as production:
        production.save_copy(out, force)
    printed({"copy": str(out)}, as_json, lambda d: print(d["copy"]))


def _taken(
    production: Any,
    media: list[Path],
    report: Path | None,
    column: list[str] | None,
    edit: list[Path] | None,
    rate: str,
    jobs: int | None,
) -> dict[str, Any]:
    from aquin.jobs.take_in import take_in

    def work(tell: Any) -> dict[str, Any]:
        return take_in(production, media, report, column, edit, rate_in(rate), jobs, tell)

    found: dict[str, Any] = with_progress("logging", work)
    return found


def _numbered(found: list[Any], number: str, file: Path) -> Any:
    if not number.isdigit() or not 1 <= int(number) <= len(found):
        raise AquinError(f"there is no finding {number}", file, f"The last audit found {len(found)}")
    return found[int(number) - 1]


COMMANDS = (new, ingest, relink, measure, audit, journal, copy)
