"""The journal written for people and spreadsheets: .csv, .html and .pdf."""

from __future__ import annotations

import csv
import io
from collections.abc import Sequence
from pathlib import Path
from typing import TYPE_CHECKING

from aquin.errors import AquinError
from aquin.exchange.paper import Heading, Lines, Paper, Table, write_paper
from aquin.files import write_text
from aquin.production.diary import names_of, told

if TYPE_CHECKING:
    from aquin.production.diary import Line
    from aquin.production.store import Production

SUFFIXES = (".csv", ".html", ".pdf")
COLUMNS = ("number", "when", "who", "workstation", "what", "why", "concerns", "changes")
WIDTHS = (16, 34, 24, 80, 60, 40)


def write_journal(path: Path, production: Production, lines: Sequence[Line], force: bool = False) -> None:
    """Write lines of the journal, the newest first, in the format of the name's ending. Raises AquinError."""
    suffix = path.suffix.lower()
    if suffix == ".csv":
        table = io.StringIO()
        writer = csv.writer(table, lineterminator="\n")
        writer.writerow(COLUMNS)
        for line in lines:
            more = "; ".join(told(production, line))
            row = (
                line.number,
                line.at,
                line.who,
                line.seat,
                line.words,
                line.why,
                names_of(production, line),
                more,
            )
            writer.writerow([_plain(str(v)) for v in row])
        write_text(path, table.getvalue(), force)
        return
    if suffix not in SUFFIXES:
        raise AquinError("this ending names no journal", path, f"Use one of {' '.join(SUFFIXES)}")
    rows = [
        (
            f"{line.merged}.{line.number}" if line.merged else str(line.number),
            line.at[:16].replace("T", " "),
            line.who,
            line.words,
            line.why,
            names_of(production, line),
        )
        for line in lines
    ]
    paper = Paper(
        f"{production.name}: journal",
        [
            Heading(f"{production.name}: journal", 1),
            Lines([f"{len(lines)} entries, the newest first. Times are UTC."]),
            Table(("number", "when", "who", "what", "why", "concerns"), rows, WIDTHS),
        ],
    )
    write_paper(path, paper, "a journal", force)


def _plain(text: str) -> str:
    """A cell that no spreadsheet takes for a formula."""
    return f"'{text}" if text[:1] in ("=", "+", "-", "@", "\t", "\r") and not text[1:2].isdigit() else text
