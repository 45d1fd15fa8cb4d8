"""`aquin new`, `ingest`, `measure`, `audit` and their kin: the production file from the command line."""

import json
import sys
from collections import Counter
from collections.abc import Callable
from fractions import Fraction
from pathlib import Path
from typing import Annotated, Any

import typer

from aquin.errors import AquinError

File = Annotated[Path, typer.Argument(metavar="PRODUCTION", help="A production file (.aquin).")]
AsJson = Annotated[bool, typer.Option("--json", help="Print one JSON object and nothing else.")]
Jobs = Annotated[
    int | None, typer.Option("--jobs", min=1, help="Processes to use; all processors if left out.")
]
Report = Annotated[Path | None, typer.Option("--report", help="A camera report as CSV.")]
Edits = Annotated[
    list[Path] | None, typer.Option("--edit", help="An edit to conform: .edl, .otio or .xml. Repeatable.")
]
Columns = Annotated[
    list[str] | None,
    typer.Option("--column", help="FIELD=COLUMN of the report, where it is not found by itself. Repeatable."),
]
Rate = Annotated[
    str, typer.Option("--rate", help="Frames a second of an .edl that does not say: 24, 25, 29.97, 30.")
]


def new(
    file: File,
    media: Annotated[list[Path] | None, typer.Argument(metavar="[MEDIA]...")] = None,
    name: Annotated[str, typer.Option("--name", help="The production's name.")] = "",
    report: Report = None,
    column: Columns = None,
    edit: Edits = None,
    rate: Rate = "24",
    jobs: Jobs = None,
    as_json: AsJson = False,
) -> None:
    """Make a production file, and log media into it if any are named."""
    from aquin.production import Production

    production = Production.create(file, name)
    data: dict[str, Any] = {"production": str(production.path), "name": production.name}
    data |= _take_in(production, media or [], report, column, edit, rate, jobs)
    production.close()
    printed(data, as_json, _say_intake)


def ingest(
    file: File,
    media: Annotated[list[Path] | None, typer.Argument(metavar="[MEDIA]...")] = None,
    report: Report = None,
    column: Columns = None,
    edit: Edits = None,
    rate: Rate = "24",
    jobs: Jobs = None,
    as_json: AsJson = False,
) -> None:
    """Log folders, files and sequences, read a camera report, conform edits. Exit 1 when something fits nothing."""
    if not (media or report or edit):
        raise AquinError("there is nothing to log", file, "Name media, or --report, or --edit")
    with opened(file) as production:
        data = _take_in(production, media or [], report, column, edit, rate, jobs)
    printed(data, as_json, _say_intake)
    bad = data.get("troubles") or data.get("report", {}).get("unmatched")
    bad = bad or any(e["unmatched"] for e in data.get("edits", []))
    raise typer.Exit(1 if bad else 0)


def relink(
    file: File, folder: Annotated[Path, typer.Argument(metavar="FOLDER")], as_json: AsJson = False
) -> None:
    """Find media that were moved or renamed, by name, size and content. Exit 1 when some stay missing."""
    from aquin.production.media import relink as look

    with opened(file) as production:
        done = look(production, folder)
        data = {"found": [s.path for s in done.found], "missing": [s.path for s in done.missing]}
    printed(data, as_json, lambda d: print(f"found {len(d['found'])}, still missing {len(d['missing'])}"))
    raise typer.Exit(1 if data["missing"] else 0)


def measure(file: File, jobs: Jobs = None, as_json: AsJson = False) -> None:
    """Measure every shot that is not measured yet. Stop with Ctrl-C: what was measured is kept."""
    from aquin.cli.main import with_progress
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
                {"path": s.path, "key": s.content} | _short(values[s.id]) for s in shots if s.id in values
            ],
            "not_measured": [s.path for s in shots if s.id not in values],
        }
    printed(data, as_json, _say_measured)
    raise typer.Exit(1 if data["not_measured"] or any(s.get("trouble") for s in data["shots"]) else 0)


def audit(
    file: File,
    jobs: Jobs = None,
    fix: Annotated[
        list[str] | None,
        typer.Option("--fix", help="Make the change a finding offers: its number. Repeatable."),
    ] = None,
    dismiss: Annotated[int | None, typer.Option("--dismiss", help="Set a finding aside: its number.")] = None,
    why: Annotated[str, typer.Option("--why", help="The reason, with --dismiss.")] = "",
    as_json: AsJson = False,
) -> None:
    """Find what is wrong with tags, light, papers and grades. Exit 1 with findings that are not dismissed."""
    from aquin.cli.main import with_progress
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
        data = {"findings": [_finding_data(production, k, f) for k, f in enumerate(found, 1)]}
    printed(data, as_json, _say_findings)
    raise typer.Exit(1 if any(not f.dismissed and f.severity != "note" for f in found) else 0)


def settle(
    file: File,
    cells: Annotated[
        list[str] | None,
        typer.Option(
            "--cell",
            metavar="SETUP/CAMERA",
            help="Only this cell; SETUP alone is all of its cameras. Repeatable.",
        ),
    ] = None,
    model: Annotated[
        str, typer.Option("--model", help="The balance: best, gains, cdl, matrix, root or full.")
    ] = "best",
    exposure: Annotated[
        str, typer.Option("--exposure", help="How bright: weighed, chart, or filmed (as the crew set it).")
    ] = "weighed",
    heroes: Annotated[
        bool, typer.Option("--heroes", help="Propose heroes for setups without one first.")
    ] = False,
    trims: Annotated[bool, typer.Option("--trims/--no-trims", help="Trim shots that stand apart.")] = True,
    jobs: Jobs = None,
    as_json: AsJson = False,
) -> None:
    """Match the cameras of each setup to its hero: balances by charts and by what both saw. Exit 1 when cells are left."""
    from aquin.charts.solve import FULL
    from aquin.cli.main import with_progress
    from aquin.production.cells import board
    from aquin.production.heroes import take_proposed
    from aquin.production.match_desk import Desk
    from aquin.production.matching import MODELS, Wish
    from aquin.production.matching import settle as match
    from aquin.production.measuring import measure_shots
    from aquin.production.records import Camera, Setup, Shot
    from aquin.production.settings import config_of
    from aquin.workers import part

    chosen = FULL if model == "full" else model
    if chosen not in MODELS:
        raise AquinError(f"there is no model '{model}'", None, "Use best, gains, cdl, matrix, root or full")
    if exposure not in ("weighed", "chart", "filmed"):
        raise AquinError(f"there is no exposure '{exposure}'", None, "Use weighed, chart or filmed")
    with opened(file) as production:
        config = config_of(production)
        if heroes:
            take_proposed(production)
        names = {
            p: (production.get(Setup, p[0]).name, production.get(Camera, p[1]).name)
            for p in Desk(production, config).shots
        }
        wanted = [p for p, n in names.items() if not cells or n[0] in cells or "/".join(n) in cells]
        if not wanted:
            raise AquinError(
                "no cell has that name", file, f"There are: {', '.join('/'.join(n) for n in names.values())}"
            )
        setups = {p[0] for p in wanted}
        shots = [
            s for s in production.all(Shot) if s.setup_id in setups and s.kind not in ("series", "reference")
        ]
        wish = Wish(chosen, shots=trims, exposure="as filmed" if exposure == "filmed" else exposure)

        def work(tell: Any) -> Any:
            measure_shots(production, config, shots, jobs, part(tell, 0.0, 0.3))
            return match(production, config, wanted, wish, None, jobs, part(tell, 0.3, 1.0))

        done = with_progress("settling", work)
        found = board(production, config)
        data = {
            "cells": [
                {
                    "setup": names[c.place][0], "camera": names[c.place][1], "done": c.done, "what": c.words, "by": c.by, "model": c.model,
                    "sure": c.sure, "delta_e00_before": c.before, "delta_e00_after": c.after,
                    "state": found[c.place].word if c.place in found else "",
                }
                for c in done.cells
            ],
            "trims": [{"shot": name, "why": why} for name, why in done.trims],
        }  # fmt: skip
    printed(data, as_json, _say_cells)
    raise typer.Exit(0 if all(c.done for c in done.cells) else 1)


def _say_cells(data: dict[str, Any]) -> None:
    for c in data["cells"]:
        print(f"{c['setup']}, {c['camera']}: {c['state'] or 'left'}; {c['what']}")
    for t in data["trims"]:
        print(f"  {t['shot']}: {t['why']}")


def journal(
    file: File,
    limit: Annotated[int, typer.Option("--limit", min=1)] = 30,
    undo: Annotated[bool, typer.Option("--undo", help="Take back the last step first.")] = False,
    redo: Annotated[
        bool, typer.Option("--redo", help="Bring back the last step that was taken back.")
    ] = False,
    as_json: AsJson = False,
) -> None:
    """What was decided, by whom, when and why; newest first."""
    with opened(file) as production:
        if undo or redo:
            entry = production.undo() if undo else production.redo()
            if entry is None:
                raise AquinError(
                    f"there is nothing to {'undo' if undo else 'redo'}", file, "See: aquin journal"
                )
        entries = production.journal(limit)
        data = {
            "entries": [
                {
                    "number": e.number,
                    "at": e.at,
                    "who": e.who,
                    "step": e.step,
                    "of": e.of,
                    "what": e.what,
                    "why": e.why,
                }
                for e in entries
            ]
        }
    printed(
        data,
        as_json,
        lambda d: [
            print(f"{e['number']:5}  {e['at'][:19]}  {e['who']:12} {e['step']:5} {e['what']}  {e['why']}")
            for e in d["entries"]
        ],
    )


def copy(
    file: File,
    out: Annotated[Path, typer.Argument(metavar="OUT")],
    force: Annotated[bool, typer.Option("--force", help="Overwrite OUT.")] = False,
    as_json: AsJson = False,
) -> None:
    """Save a whole copy of a production, also while it is open elsewhere."""
    with opened(file) as production:
        production.save_copy(out, force)
    printed({"copy": str(out)}, as_json, lambda d: print(d["copy"]))


def register(app: typer.Typer) -> None:
    """Add these commands to the program."""
    from aquin.cli.commands.plan import plan
    from aquin.cli.commands.shots import drift, grade, history, tolerances

    for command in (
        new, ingest, relink, measure, audit, plan, settle, drift, grade, history, tolerances, journal, copy,
    ):  # fmt: skip
        app.command()(command)


class opened:
    """Open a production for one command, with its notes on stderr, and close it whatever happens."""

    def __init__(self, file: Path) -> None:
        self.file = file

    def __enter__(self) -> Any:
        from aquin.production import Production

        self.production = Production.open(self.file)
        for note in self.production.notes:
            print(f"aquin: {note}", file=sys.stderr)
        return self.production

    def __exit__(self, *error: object) -> None:
        self.production.close()


def _take_in(
    production: Any,
    media: list[Path],
    report: Path | None,
    column: list[str] | None,
    edit: list[Path] | None,
    rate: str,
    jobs: int | None,
) -> dict[str, Any]:
    """Media, report and edits in this order."""
    from aquin.cli.main import with_progress
    from aquin.exchange.edits import check_edit, read_edit
    from aquin.own_files import remembered_file
    from aquin.production.conform import conform
    from aquin.production.ingest import ingest as take_in
    from aquin.production.remembered import Remembered
    from aquin.production.report import FIELDS, apply_report, propose_mapping, read_sheet
    from aquin.production.settings import config_of

    config = config_of(production)
    sheet = read_sheet(report) if report is not None else None
    for path in edit or []:
        check_edit(path)
    data: dict[str, Any] = {}
    if media:
        done = with_progress("logging", lambda tell: take_in(production, media, config, jobs, tell))
        data |= {
            "added": len(done.added), "changed": len(done.changed), "known": done.known, "troubles": list(done.troubles),
            "cameras": [c.name for c in done.cameras], "setups": [s.name for s in done.setups],
        }  # fmt: skip
    if sheet is not None:
        kept = Remembered.read(remembered_file())
        mapping = propose_mapping(sheet, kept.mappings)
        for pair in column or []:
            field, _, name = pair.partition("=")
            if field not in FIELDS or name not in sheet.columns:
                raise AquinError(
                    f"'{pair}' maps nothing",
                    sheet.path,
                    f"Fields: {', '.join(FIELDS)}. Columns: {', '.join(sheet.columns)}",
                )
            mapping[field] = name
        said = apply_report(production, sheet, mapping, config)
        if column:
            kept.keep_mapping(sheet.signature, mapping)
        data["report"] = {
            "matched": said.matched, "unmatched": list(said.unmatched), "unlisted": list(said.unlisted),
            "remarks": list(said.remarks), "columns": mapping,
        }  # fmt: skip
    for path in edit or []:
        cut = conform(production, read_edit(path, _rate(rate)))
        data.setdefault("edits", []).append(
            {
                "edit": cut.edit.name,
                "pieces": len(cut.events),
                "unmatched": [
                    {"clip": e.clip, "reel": e.reel, "in": e.source_in, "why": e.why} for e in cut.unmatched
                ],
            }
        )
    return data


def _rate(text: str) -> Fraction:
    known = {
        "23.976": Fraction(24000, 1001),
        "23.98": Fraction(24000, 1001),
        "29.97": Fraction(30000, 1001),
        "59.94": Fraction(60000, 1001),
    }
    try:
        rate = known.get(text) or Fraction(text)
    except (ValueError, ZeroDivisionError):
        rate = Fraction(0)
    if not 1 <= rate <= 240:
        raise AquinError(f"'{text}' is no frame rate", None, "Use 24, 25, 29.97 or 30")
    return rate


def _numbered(found: list[Any], number: str, file: Path) -> Any:
    if not number.isdigit() or not 1 <= int(number) <= len(found):
        raise AquinError(f"there is no finding {number}", file, f"The last audit found {len(found)}")
    return found[int(number) - 1]


def _finding_data(production: Any, number: int, finding: Any) -> dict[str, Any]:
    from aquin.production.records import Camera, Setup, Shot

    def named(kind: Any, id: str) -> str:
        found = production.find(kind, id)
        return found.name if found is not None else ""

    return {
        "number": number,
        "kind": finding.kind,
        "severity": finding.severity,
        "confidence": finding.confidence,
        "what": finding.what,
        "files": [s.path for i in finding.shots if (s := production.find(Shot, i)) is not None],
        "camera": named(Camera, finding.camera),
        "setup": named(Setup, finding.setup),
        "evidence": [{"what": a, "value": b} for a, b in finding.evidence],
        "advice": finding.advice,
        "fix": finding.fix.words if finding.fix else None,
        "dismissed": finding.dismissed,
    }


def _short(values: dict[str, Any]) -> dict[str, Any]:
    """The numbers of a survey that people ask for."""
    from aquin.measure.survey import AT

    held = values.get("survey")
    if not held:
        return {"trouble": values.get("trouble", [])}
    chart = values.get("chart")
    return {
        "stops_over_grey": {p: held["stops"][AT[p]] for p in (5, 50, 95)},
        "signal": {p: 100 * held["luma"][AT[p]] for p in (0.1, 1, 50, 99, 99.9)},
        "red_over_blue_stops": held["warm"],
        "green_stops": held["green"],
        "clipped": held["clipped"],
        "chart_score": chart["score"] if chart else None,
        "trouble": values.get("trouble", []),
    }


def _say_intake(data: dict[str, Any]) -> None:
    if "production" in data:
        print(f"{data['production']}: {data['name']}")
    if "added" in data:
        print(f"logged {data['added']} new, {data['changed']} changed, {data['known']} known already")
        for line in data["troubles"]:
            print(f"  trouble: {line}")
    if "report" in data:
        said = data["report"]
        print(
            f"report: {said['matched']} rows matched, {len(said['unmatched'])} fit nothing, {len(said['unlisted'])} shots unlisted"
        )
        for line in (
            *(f"  fits nothing: {r}" for r in said["unmatched"]),
            *(f"  unlisted: {r}" for r in said["unlisted"]),
            *(f"  {r}" for r in said["remarks"]),
        ):
            print(line)
    for edit in data.get("edits", []):
        print(
            f"edit {edit['edit']}: {edit['pieces'] - len(edit['unmatched'])} of {edit['pieces']} pieces conformed"
        )
        for piece in edit["unmatched"]:
            print(f"  {piece['clip']} {piece['in']}: {piece['why']}")


def _say_measured(data: dict[str, Any]) -> None:
    for shot in data["shots"]:
        if "signal" in shot:
            print(
                f"{shot['path']:40} {shot['stops_over_grey'][50]:+6.2f} st  1 % {shot['signal'][1]:5.1f}  99 % {shot['signal'][99]:5.1f} % of signal"
                f"  R/B {shot['red_over_blue_stops']:+.2f} st" + ("  chart" if shot["chart_score"] else "")
            )
        else:
            print(f"{shot['path']:40} {'; '.join(shot['trouble'])}")
    for path in data["not_measured"]:
        print(f"{path:40} the file is missing")


def _say_findings(data: dict[str, Any]) -> None:
    for f in data["findings"]:
        about = ", ".join(f["files"]) or " in ".join(v for v in (f["camera"], f["setup"]) if v)
        mark = "dismissed" if f["dismissed"] else f["severity"]
        print(f"{f['number']:3}  {mark:9} {f['confidence']:.0%}  {about}: {f['what']}")
        for e in f["evidence"]:
            print(f"       {e['what']}: {e['value']}")
        print(
            f"       -> {f['dismissed'] or f['advice']}"
            + (f"  [fix: {f['fix']}]" if f["fix"] and not f["dismissed"] else "")
        )
    counts = Counter(f["severity"] for f in data["findings"] if not f["dismissed"])
    print(", ".join(f"{n} {k}s" for k, n in counts.items()) or "nothing found")


def printed(data: dict[str, Any], as_json: bool, say: Callable[[dict[str, Any]], Any]) -> None:
    """One JSON object, or the words for people."""
    if as_json:
        print(json.dumps(data, allow_nan=False))
    else:
        say(data)
