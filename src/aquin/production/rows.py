"""Records as rows of the tables and back, and the writing of many rows at once."""

from __future__ import annotations

import json
import math
import types
from collections.abc import Iterable, Iterator, Mapping, Sequence
from dataclasses import fields
from operator import itemgetter
from typing import TYPE_CHECKING, Any, TypeVar, Union, get_args, get_origin, get_type_hints

from aquin.errors import AquinError
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
_FIELDS = {r: itemgetter(*names) for r, names in NAMES.items()}
CHUNK = 400
"""Ids in one query."""


class Spoilt(ValueError):
    """What another program left in the file can't be used."""


def changes_of(text: str) -> tuple[Change, ...]:
    """What a journal entry holds. Raises Spoilt."""
    try:
        values = json.loads(text)
    except (ValueError, RecursionError) as error:
        raise Spoilt(f"an entry of the journal can't be used ({error})") from error
    return checked_changes(values)


def checked_changes(values: Iterable[Any]) -> tuple[Change, ...]:
    """The same from lists. Raises Spoilt."""
    out: list[Change] = []
    try:
        for table, id, before, after in values:
            names = set(NAMES[BY_TABLE[table]])
            if not isinstance(id, str) or any(
                r is not None and not r.keys() <= names for r in (before, after)
            ):
                raise ValueError("it names fields that are not there")
            out.append((table, id, before, after))
    except (ValueError, TypeError, KeyError, AttributeError, RecursionError) as error:
        raise Spoilt(f"an entry of the journal can't be used ({error})") from error
    return tuple(out)


def kinds_of(record: type[Record]) -> list[tuple[str, tuple[type, ...]]]:
    """What each field of a record may be, as its column gives it; empty: anything."""
    out: list[tuple[str, tuple[type, ...]]] = []
    hints = get_type_hints(record)
    for name in NAMES[record]:
        hint = hints[name]
        parts = get_args(hint) if get_origin(hint) in (Union, types.UnionType) else (hint,)
        kinds = {
            tuple: list,
            Mapping: dict,
            float: float,
            int: int,
            bool: bool,
            str: str,
            type(None): type(None),
        }
        found = tuple(kinds.get(get_origin(p) or p, object) for p in parts)
        out.append((name, () if object in found else found))
    return out


KINDS_OF = {record: kinds_of(record) for record in RECORDS}


def check_row(kind: type[Record], values: Sequence[Any]) -> None:
    """Refuse values that are not what their columns hold. Raises Spoilt."""
    for (name, kinds), value in zip(KINDS_OF[kind], values, strict=True):
        if kinds and type(value) not in kinds:
            raise Spoilt(f"the {name} of a {kind.table} is a {type(value).__name__}")
        if type(value) is float and not math.isfinite(value):
            raise Spoilt(f"the {name} of a {kind.table} is no number")


def row_of(record: Record) -> Row:
    """Every field of a record, as its columns hold it."""
    kind = type(record)
    row = dict(zip(NAMES[kind], _FIELDS[kind](record.__dict__), strict=True))
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


def changed(record: R, **new: Any) -> R:
    """As `dataclasses.replace` with fields that are there, for many records: a tenth of its time."""
    made = object.__new__(type(record))
    made.__dict__.update(record.__dict__, **new)
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
        wrote(connection.execute(sql.delete(table).where(table.c.id.in_(chunk))), len(chunk))
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
        made = sql.update(table).where(table.c.id == sql.bindparam("the_id")).values(values)
        wrote(connection.execute(made, rows), len(rows))


def wrote(result: Any, count: int) -> None:
    """Refuse what was not written whole: a server passes over rows that an account may not change."""
    if result is not None and result.rowcount not in (-1, count):
        raise AquinError(
            "the change was not saved: the server does not allow this account to do that",
            None,
            "Ask who leads the production",
        )
