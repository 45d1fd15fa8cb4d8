"""The tables behind the records: one per record class, one column per field, plus the journal and what can be
recomputed.
"""

import types
from collections.abc import Mapping
from dataclasses import fields
from typing import Any, Union, get_args, get_origin, get_type_hints

import sqlalchemy as sql

from aquin.production.records import RECORDS, Grade, Place, Record

APPLICATION_ID = 0x4171756E  # "Aqun", so that tools know the file
METADATA = sql.MetaData()

_REFERS = {"root_id": "root", "edit_id": "edit"}
"""Columns that never stand empty, with a foreign key. Others may be empty and are checked by `Production.change`."""
GRADE_PLACE = ("layer", "camera_id", "setup_id", "shot_id")
"""A balance, trim or conversion stands alone in its place; there are several looks."""
ONE_GRADE, ONE_PLACE = "one_grade_in_a_place", "one_place_of_a_root"
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
    columns = [_column(f.name, hints[f.name]) for f in fields(record) if f.compare]
    indices = [sql.Index(f"ix_{record.table}_{n}", n) for n in _INDEXED.get(record.table, ())]
    if record is Grade:
        one = sql.text("layer != 'look'")
        indices.append(
            sql.Index(ONE_GRADE, *GRADE_PLACE, unique=True, sqlite_where=one, postgresql_where=one)
        )
    if record is Place:
        indices.append(sql.Index(ONE_PLACE, "root_id", "workstation", unique=True))
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
    sql.Column("seat", sql.Text, nullable=False, server_default=""),
    sql.Column("based_on", sql.Integer, nullable=False, server_default="0"),
)
"""One row per transaction. `step`: do, undo or redo; `of`: the entry that is undone or redone; `changes`: JSON,
before and after; `seat`: the workstation; `based_on`: the newest entry that the program knew when it was asked.
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

SEAT = sql.Table(
    "seat",
    METADATA,
    sql.Column("id", sql.Text, primary_key=True),
    sql.Column("who", sql.Text, nullable=False),
    sql.Column("workstation", sql.Text, nullable=False),
    sql.Column("process", sql.BigInteger, nullable=False),
    sql.Column("shot_id", sql.Text, nullable=False),
    sql.Column("at", sql.Text, nullable=False),
)
"""Programs that have the production open, and the shot that each is on. `at`: when it was last heard of."""

CLAIM = sql.Table(
    "claim",
    METADATA,
    sql.Column("key", sql.Text, primary_key=True),
    sql.Column("seat_id", sql.Text, nullable=False),
    sql.Column("what", sql.Text, nullable=False),
    sql.Column("at", sql.Text, nullable=False),
)
"""What a seat is at work on: a long job, or a shot or cell that it asked to be left alone."""
