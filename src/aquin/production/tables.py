"""The tables behind the records: one per record class, one column per field, plus the journal and what can be
recomputed.
"""

import types
from collections.abc import Mapping
from dataclasses import fields
from typing import Any, Union, get_args, get_origin, get_type_hints

import sqlalchemy as sql

from aquin.production.records import RECORDS, Record

APPLICATION_ID = 0x4171756E  # "Aqun", so that tools know the file
METADATA = sql.MetaData()

_REFERS = {"root_id": "root", "edit_id": "edit"}
"""Columns that never stand empty, with a foreign key. Others may be empty and are checked by `Production.change`."""
_INDEXED = {"shot": ("camera_id", "setup_id"), "event": ("edit_id",), "grade": ("layer",)}


def _column(name: str, hint: Any) -> sql.Column[Any]:
    optional = get_origin(hint) in (Union, types.UnionType)
    plain = next(a for a in get_args(hint) if a is not type(None)) if optional else hint
    origin = get_origin(plain) or plain
    if origin in (Mapping, tuple) or plain is Any:
        kind: Any = sql.JSON()
    else:
        kind = {str: sql.Text(), int: sql.BigInteger(), float: sql.Float(), bool: sql.Boolean()}[plain]
    key = [sql.ForeignKey(f"{_REFERS[name]}.id")] if name in _REFERS else []
    return sql.Column(name, kind, *key, primary_key=name == "id", nullable=optional or plain is Any)


def _table(record: type[Record]) -> sql.Table:
    hints = get_type_hints(record)
    columns = [_column(f.name, hints[f.name]) for f in fields(record)]
    indices = [sql.Index(f"ix_{record.table}_{n}", n) for n in _INDEXED.get(record.table, ())]
    return sql.Table(record.table, METADATA, *columns, *indices)


TABLES: dict[type[Record], sql.Table] = {record: _table(record) for record in RECORDS}

JOURNAL = sql.Table(
    "journal",
    METADATA,
    sql.Column("number", sql.Integer, primary_key=True, autoincrement=True),
    sql.Column("id", sql.Text, nullable=False, unique=True),
    sql.Column("at", sql.Text, nullable=False),
    sql.Column("who", sql.Text, nullable=False),
    sql.Column("what", sql.Text, nullable=False),
    sql.Column("why", sql.Text, nullable=False),
    sql.Column("step", sql.Text, nullable=False),
    sql.Column("of", sql.Integer),
    sql.Column("changes", sql.Text, nullable=False),
)
"""One row per transaction. `step`: do, undo or redo; `of`: the entry that is undone or redone; `changes`: JSON,
before and after.
"""

MEASUREMENT = sql.Table(
    "measurement",
    METADATA,
    sql.Column("key", sql.Text, primary_key=True),
    sql.Column("kind", sql.Text, nullable=False),
    sql.Column("at", sql.Text, nullable=False),
    sql.Column("values", sql.JSON, nullable=False),
)
"""What was measured, by the hash of what it was measured from. Can always be thrown away."""

FINDING = sql.Table(
    "finding",
    METADATA,
    sql.Column("key", sql.Text, primary_key=True),
    sql.Column("values", sql.JSON, nullable=False),
)
"""What the last audit found."""
