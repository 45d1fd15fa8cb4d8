"""Take media, a camera report and edits into a production, in this order."""

from __future__ import annotations

from fractions import Fraction
from pathlib import Path
from typing import TYPE_CHECKING, Any

from aquin.errors import AquinError
from aquin.exchange.edits import check_edit, read_edit
from aquin.own_files import remembered_file
from aquin.production.conform import conform
from aquin.production.ingest import ingest
from aquin.production.remembered import Remembered
from aquin.production.report import FIELDS, apply_report, propose_mapping, read_sheet
from aquin.production.settings import config_of

if TYPE_CHECKING:
    from aquin.production import Production
    from aquin.workers import Tell


def take_in(
    production: Production,
    media: list[Path],
    report: Path | None,
    column: list[str] | None,
    edit: list[Path] | None,
    rate: Fraction,
    jobs: int | None = None,
    tell: Tell | None = None,
) -> dict[str, Any]:
    """Media, report and edits in this order."""
    config = config_of(production)
    sheet = read_sheet(report) if report is not None else None
    for path in edit or []:
        check_edit(path)
    data: dict[str, Any] = {}
    if media:
        done = ingest(production, media, config, jobs, tell)
        data |= {
            "added": len(done.added),
            "changed": len(done.changed),
            "known": done.known,
            "troubles": list(done.troubles),
            "cameras": [c.name for c in done.cameras],
            "setups": [s.name for s in done.setups],
        }
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
            "matched": said.matched,
            "unmatched": list(said.unmatched),
            "unlisted": list(said.unlisted),
            "remarks": list(said.remarks),
            "columns": mapping,
        }
    for path in edit or []:
        cut = conform(production, read_edit(path, rate))
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
