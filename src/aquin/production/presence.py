"""Who has the production open, on which shot, and what each is at work on: told to all seats, never a decision."""

from __future__ import annotations

import os
import threading
from collections.abc import Iterator
from contextlib import AbstractContextManager, contextmanager, nullcontext, suppress
from dataclasses import dataclass
from datetime import datetime
from pathlib import Path
from typing import TYPE_CHECKING, Any

import sqlalchemy as sql

from aquin.errors import AquinError
from aquin.production.people import workstation
from aquin.production.records import new_id
from aquin.production.tables import CLAIM, SEAT

if TYPE_CHECKING:
    from aquin.production.keeper import Keeper

BEAT = 20.0
"""Seconds between two words of a seat that it is still there."""

SILENT = 90.0
"""Seconds after which a seat on another machine counts as gone; one on this machine, when its process is."""

SHOT = "shot "
"""Begins the key of a shot that a seat has asked the others to leave alone."""

WORK = "work "
"""Begins the key of a long job that several may do at once."""

SETTLE = "settle"
"""What two programs must not do at once."""


@dataclass(frozen=True)
class Seat:
    """One program that has the production open. `work`: what it is at work on, by key."""

    id: str
    who: str
    workstation: str
    process: int
    shot_id: str
    at: str
    work: tuple[tuple[str, str], ...] = ()


class Present:
    """A part of `Production`, which gives the file and its lock."""

    _lock: threading.RLock
    _keeper: Keeper
    place: str | Path
    read_only: bool

    def __init__(self) -> None:
        self.seat_id = new_id()
        self.closed = False
        self._shot = ""
        self._beating: threading.Event | None = None

    @property
    def who(self) -> str:
        raise NotImplementedError

    def _errors(self, what: str = "") -> AbstractContextManager[None]:
        raise NotImplementedError

    def attend(self, shot_id: str | None = None) -> None:
        """Say that this program is here, and on which shot (None: as before); from then on it keeps saying so."""
        if self.read_only or self.closed:
            return
        self._shot = self._shot if shot_id is None else shot_id
        row = {"id": self.seat_id, "who": self.who, "workstation": workstation(), "process": os.getpid()}
        row |= {"shot_id": self._shot, "at": self._now()}
        with self._aside() as connection:
            connection.execute(sql.delete(SEAT).where(SEAT.c.id == self.seat_id))
            connection.execute(sql.insert(SEAT).values(**row))
            gone = [s.id for s in _seats(connection) if not self._alive(s)]
            if gone:
                connection.execute(sql.delete(SEAT).where(SEAT.c.id.in_(gone)))
                connection.execute(sql.delete(CLAIM).where(CLAIM.c.seat_id.in_(gone)))
        if self._beating is None:
            self._beating = threading.Event()
            threading.Thread(target=self._beat, args=(self._beating,), daemon=True, name="seat").start()

    def leave(self) -> None:
        """Say that this program goes; what it was at work on is free."""
        if self._beating is None:
            return
        self._beating.set()
        self._beating = None
        with self._aside() as connection:
            connection.execute(sql.delete(SEAT).where(SEAT.c.id == self.seat_id))
            connection.execute(sql.delete(CLAIM).where(CLAIM.c.seat_id == self.seat_id))

    def seats(self) -> list[Seat]:
        """The other programs that have it open."""
        lock = nullcontext() if self._keeper.shared else self._lock
        with lock, self._errors():
            if self.closed:
                return []
            with self._keeper.connect() as connection:
                return [s for s in _seats(connection) if s.id != self.seat_id and self._alive(s)]

    def claim(self, key: str, what: str) -> Seat | None:
        """Say that this seat is at work on something; the seat that is already, where there is one."""
        if self.read_only:
            return None
        if self._beating is None:
            self.attend()
        with self._aside() as connection:
            for seat in _seats(connection):
                if seat.id != self.seat_id and key in dict(seat.work) and self._alive(seat):
                    return seat
            connection.execute(sql.delete(CLAIM).where(CLAIM.c.key == key))
            row = {"key": key, "seat_id": self.seat_id, "what": what, "at": self._now()}
            connection.execute(sql.insert(CLAIM).values(**row))
        return None

    def keep_off(self, shot_id: str, on: bool = True) -> Seat | None:
        """Ask the others to leave a shot alone, or not any more; the seat that has asked before. It hinders nobody."""
        if on:
            return self.claim(f"{SHOT}{shot_id}", "asks to leave it alone")
        self.release(f"{SHOT}{shot_id}")
        return None

    def release(self, key: str) -> None:
        """Say that this seat is done with it."""
        with self._aside() as connection:
            mine = (CLAIM.c.key == key) & (CLAIM.c.seat_id == self.seat_id)
            connection.execute(sql.delete(CLAIM).where(mine))

    @contextmanager
    def alone(self, key: str, what: str) -> Iterator[None]:
        """For a long job that two programs must not do at once. Raises AquinError where another is at it."""
        if self.read_only:
            yield
            return
        other = self.claim(key, what)
        if other is not None:
            raise AquinError(
                f"{other.who} is {dict(other.work)[key]} on {other.workstation} just now",
                self.place,
                "Wait until that is done",
            )
        try:
            yield
        finally:
            self.release(key)

    @contextmanager
    def at_work(self, what: str) -> Iterator[None]:
        """Tell the others what this program is at, for a long job that several may do at once."""
        key = f"{WORK}{self.seat_id}"
        told = False
        with suppress(AquinError):  # a line that is cut keeps nobody from working
            told = not self.read_only and self.claim(key, what) is None
        try:
            yield
        finally:
            if told:
                with suppress(AquinError):
                    self.release(key)

    @contextmanager
    def _aside(self) -> Iterator[sql.Connection]:
        """Writing what is no decision; on a server beside all decisions."""
        lock = nullcontext() if self._keeper.shared else self._lock
        with lock, self._errors("it was not saved"), self._keeper.connect() as plain:
            connection = plain.execution_options(**{"aside" if self._keeper.shared else "writes": True})
            with connection.begin():
                yield connection

    def _now(self) -> str:
        return self._keeper.clock().isoformat(timespec="milliseconds")

    def _alive(self, seat: Seat) -> bool:
        if seat.workstation == workstation():
            return Path(f"/proc/{seat.process}").exists()
        try:
            heard = datetime.fromisoformat(seat.at)
        except ValueError:
            return False
        return (self._keeper.clock() - heard).total_seconds() < SILENT

    def _beat(self, over: threading.Event) -> None:
        while not over.wait(BEAT):
            try:
                with self._aside() as connection:
                    if over.is_set():
                        return
                    there = sql.update(SEAT).where(SEAT.c.id == self.seat_id).values(at=self._now())
                    connection.execute(there)
            except AquinError:
                continue  # the drive or the line is away: it is told where something is to be written


def _seats(connection: sql.Connection) -> list[Seat]:
    work: dict[str, list[tuple[str, str]]] = {}
    for row in connection.execute(
        sql.select(CLAIM.c.key, CLAIM.c.what, CLAIM.c.seat_id).order_by(CLAIM.c.key)
    ):
        work.setdefault(row.seat_id, []).append((row.key, row.what))
    rows: list[Any] = list(connection.execute(sql.select(SEAT).order_by(SEAT.c.who, SEAT.c.id)))
    return [
        Seat(r.id, r.who, r.workstation, r.process, r.shot_id, r.at, tuple(work.get(r.id, ()))) for r in rows
    ]
