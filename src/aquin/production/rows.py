"""Records as rows of the tables and back, and the writing of many rows at once."""

from __future__ import annotations

import json
from collections.abc import Iterable, Iterator
from dataclasses import fields
from typing import TYPE_CHECKING, Any, TypeVar

from aquin.production.records import RECORDS, Record

if TYPE_CHECKING:
    import sqlalchemy as sql

R = TypeVar("R", bound=Record)
Row = dict[str, Any]
Change = tuple[str, str, Row | None, Row | None]
"""Table, id, what it was and what it is: whole rows where a record came or went, else only the fields that changed."""

BY_TABLE = {record.table: record for record in RECORDS}
NAMES = {r: [f.name for f in fields(r) if f.compare] for r in RECORDS}
TUPLES = {r: [f.name for f in fields(r) if str(f.type).startswith("tuple")] for r in RECORDS}
CHUNK = 400
"""Ids in one query."""


def changes_of(text: str) -> tuple[Change, ...]:
    """What a journal entry holds."""
    return tuple((table, id, before, after) for table, id, before, after in json.loads(text))


def row_of(record: Record) -> Row:
    """Every field of a record, as its columns hold it."""
    kind = type(record)
    row = {name: getattr(record, name) for name in NAMES[kind]}
    for name in TUPLES[kind]:
        row[name] = list(row[name])
    return row


def record_of(kind: type[R], row: Row, stamp: int = 0) -> R:
    """The record of a whole row, as it came with a journal entry. The row is used up."""
    for name in TUPLES[kind]:
        row[name] = tuple(row[name])
    row["stamp"] = stamp
    made = object.__new__(kind)  # the constructor of a frozen class would cost five times as much
    made.__dict__.update(row)
    return made


def rows_of(connection: sql.Connection, table: sql.Table, ids: Iterable[str]) -> dict[str, Row]:
    """The rows of some ids as they are in the file."""
    import sqlalchemy as sql

    found: dict[str, Row] = {}
    for chunk in chunks(list(ids)):
        for row in connection.execute(sql.select(table).where(table.c.id.in_(chunk))):
            found[row.id] = dict(row._mapping)
    return found


def chunks(items: list[str]) -> Iterator[list[str]]:
    """Ids in pieces that one query takes."""
    for k in range(0, len(items), CHUNK):
        yield items[k : k + CHUNK]


def grouped(changes: list[Change]) -> Iterator[tuple[type[Record], list[Change]]]:
    """Neighbouring changes of one table together, in order."""
    group: list[Change] = []
    for change in changes:
        if group and change[0] != group[0][0]:
            yield BY_TABLE[group[0][0]], group
            group = []
        group.append(change)
    if group:
        yield BY_TABLE[group[0][0]], group


def apply_changes(connection: sql.Connection, table: sql.Table, changes: list[Change]) -> None:
    """Make changes of one table, as undo and redo need them."""
    import sqlalchemy as sql

    gone = [id for _, id, _, after in changes if after is None]
    for chunk in chunks(gone):
        connection.execute(sql.delete(table).where(table.c.id.in_(chunk)))
    fresh = [after for _, _, before, after in changes if before is None and after is not None]
    if fresh:
        connection.execute(sql.insert(table), fresh)
    renewed = [(id, after) for _, id, before, after in changes if before is not None and after is not None]
    update_rows(connection, table, renewed)


def update_rows(connection: sql.Connection, table: sql.Table, renewed: list[tuple[str, Row]]) -> None:
    """Write changed fields; rows whose changes are in the same fields go together."""
    import sqlalchemy as sql

    alike: dict[tuple[str, ...], list[Row]] = {}
    for id, values in renewed:
        alike.setdefault(tuple(values), []).append(
            {"the_id": id} | {f"new_{k}": v for k, v in values.items()}
        )
    for names, rows in alike.items():
        values = {name: sql.bindparam(f"new_{name}", type_=table.c[name].type) for name in names}
        connection.execute(
            sql.update(table).where(table.c.id == sql.bindparam("the_id")).values(values), rows
        )
