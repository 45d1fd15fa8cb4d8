"""The demo's production file: its media logged, the camera report read, the edit conformed. As an assistant does it."""

from collections.abc import Callable
from pathlib import Path

from aquin.exchange.edits import read_edit
from aquin.production import Edit, Production
from aquin.production.audit import run_audit
from aquin.production.conform import conform
from aquin.production.ingest import ingest
from aquin.production.report import apply_report, propose_mapping, read_sheet
from aquin.production.settings import config_of
from aquin.workers import part

NAME = "ferry.aquin"
TITLE = "Ferry film"


def log_demo(
    folder: Path,
    tell: Callable[[float, str], None] | None = None,
    audit: bool = False,
    jobs: int | None = None,
) -> Path:
    """Log what is filmed of a shoot into its production file, made if missing; `audit` also measures and audits it.

    What is logged already is left alone. Raises AquinError.
    """
    path = folder / NAME
    production = Production.open(path) if path.exists() else Production.create(path, TITLE)
    try:
        config = config_of(production)
        media = [p for p in (folder / "media", folder / "references") if p.is_dir()]
        done = ingest(production, media, config, jobs, part(tell, 0, 0.2 if audit else 0.9))
        report = folder / "reports" / "camera-report.csv"
        if done.added and report.is_file():
            sheet = read_sheet(report)
            apply_report(production, sheet, propose_mapping(sheet, {}), config)
        edit = folder / "edit" / "ferry-cut3.otio"
        if edit.is_file() and (done.added or not production.all(Edit)):
            conform(production, read_edit(edit))
        if audit:
            run_audit(production, config, jobs, part(tell, 0.2, 1))
    finally:
        production.close()
    return path
