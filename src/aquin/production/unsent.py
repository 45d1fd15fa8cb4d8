"""Changes that wait while the line to a server is cut: made in memory and written down on this machine at once, sent in
their order when the line is back, each one compared with what others have done meanwhile.
"""

from __future__ import annotations

import json
import threading
from collections.abc import Iterable, Sequence
from contextlib import AbstractContextManager, suppress
from dataclasses import dataclass, replace
from typing import TYPE_CHECKING, Any, Literal, Protocol

import sqlalchemy as sql

from aquin.errors import AquinError
from aquin.production import undoing
from aquin.production.entries import Entry
from aquin.production.memory import By, Memory, Unknown
from aquin.production.moved import LineCut, Part
from aquin.production.people import workstation
from aquin.production.recomputable import now
from aquin.production.records import new_id
from aquin.production.rows import Change, changes_of
from aquin.production.stacks import Stacks
from aquin.production.tables import JOURNAL

if TYPE_CHECKING:
    from aquin.production.keeper import Keeper

FIRST = 2**40
"""Numbers of entries that wait begin here: no journal comes so far."""
OWN = 200
"""Steps that can be taken back without the server."""


@dataclass(frozen=True)
class Waiting:
    """An entry that the server does not have yet. `number`: what it is called on this machine meanwhile; `known`: the
    newest entry that this program knew; `parts`, `why_not`: why the server refused it (empty: it waits).
    """

    id: str
    number: int
    at: str
    what: str
    why: str
    step: str
    of: int | None
    known: int
    changes: tuple[Change, ...]
    parts: tuple[Part, ...] = ()
    why_not: str = ""

    @property
    def words(self) -> str:
        return f"{self.what}: {'; '.join(p.line() for p in self.parts) or self.why_not}"


class Outbox(Protocol):
    """Keeps what waits and what was refused through the end of the program, however it ends."""

    waiting: tuple[Waiting, ...]
    refused: tuple[Waiting, ...]

    def add(self, item: Waiting) -> None:
        """Write it down. Raises AquinError."""

    def done(self, item: Waiting) -> None:
        """The server has it, or it is let go."""

    def refuse(self, item: Waiting) -> None: ...
    def close(self) -> None: ...


class Nowhere:
    """Stands for a connection while a change is only made in memory."""

    def execute(self, *_: Any) -> None:
        """Nothing is written."""


class Unsent:
    """A part of `Production`, which gives memory, journal and the way to write."""

    _lock: threading.RLock
    _memory: Memory
    """As the file or the server has it."""
    _stacks: Stacks
    _keeper: Keeper

    def __init__(self) -> None:
        self.outbox: Outbox | None = None
        self._shown: Memory
        self._shown_stacks: Stacks
        """What is seen here: the server's state, with what waits on top of it."""
        self._sending = False
        self._since, self._newest = 0, 0
        """The server's newest entry when the line was cut, and the newest one here."""
        self.needless: dict[str, str] = {}
        """What made no difference any more when it was sent: others had done the same, or what it takes back was
        refused.
        """
        self._numbers: dict[int, int] = {}
        """What entries are called on the server that have waited."""
        self._own: dict[int, tuple[Change, ...]] = {}
        """What this program's last steps changed, so that they can be taken back without the server."""

    def _writing(self, relaxed: bool = False) -> AbstractContextManager[sql.Connection]:
        raise NotImplementedError

    def _finish(self, connection: sql.Connection, item: Waiting, changes: list[Change]) -> Entry | None:
        raise NotImplementedError

    def _tell(self) -> None:
        raise NotImplementedError

    @property
    def waiting(self) -> tuple[Waiting, ...]:
        """Changes that the server does not have yet, the first one first."""
        return () if self.outbox is None else self.outbox.waiting

    @property
    def cut(self) -> bool:
        """Whether the line to a server is cut just now."""
        return not self._keeper.up

    @property
    def refused(self) -> tuple[Waiting, ...]:
        """Changes that waited and could not be sent, since others had changed the same. They are kept until somebody
        decides.
        """
        return () if self.outbox is None else self.outbox.refused

    @property
    def _ahead(self) -> bool:
        """Whether something waits."""
        return self._shown is not self._memory

    def _fork(self) -> None:
        self._shown, self._shown_stacks = self._memory.fork(), self._stacks.fork()

    def _join(self) -> None:
        """Nothing waits: what is seen is what the server has."""
        if self._ahead:
            self._memory.recall(self._shown, FIRST, self._since)
        self._shown, self._shown_stacks = self._memory, self._stacks

    def _hold(self, item: Waiting) -> Entry:
        """Make a change in memory and write it down. Raises AquinError where that can't be done."""
        assert self.outbox is not None
        item = replace(item, number=max(FIRST, self._shown.number + 1, self._newest + 1))
        self.outbox.add(item)
        self._newest = item.number
        if not self._ahead:
            self._since = self._memory.number
            self._fork()
        return self._overlay(item)

    def _keep_own(self, number: int, changes: tuple[Change, ...]) -> None:
        if self.outbox is not None:
            self._own[number] = changes
            if len(self._own) > OWN:
                del self._own[next(iter(self._own))]

    def _overlay(self, item: Waiting) -> Entry:
        who, seat = self._keeper.who, workstation()
        self._shown.apply(item.changes, By(item.number, who, True))
        self._shown_stacks.note(item.number, item.step, item.of, item.what, who, seat, here=True)
        self._keep_own(item.number, item.changes)
        return Entry(
            item.number,
            item.at,
            who,
            item.what,
            item.why,
            item.step,
            item.of,
            item.changes,
            seat,
            waiting=True,
        )

    def adopt(self) -> None:
        """Take up what an earlier program could not send, before anything else is done."""
        if self.outbox is None or not self.outbox.waiting:
            return
        with self._lock:
            self._since = self._memory.number
            self._fork()
            for item in self.outbox.waiting:
                self._newest = max(self._newest, item.number)
                with suppress(Unknown):  # what it changes is gone meanwhile: that is told when it is sent
                    self._overlay(item)

    def send(self) -> None:
        """Send what waits, one after the other; what is changed meanwhile waits behind it. Raises LineCut where the
        line is cut again: then the rest waits on.
        """
        while True:
            with self._lock:
                if self.outbox is None or not self._ahead:
                    return
                if not self.outbox.waiting:
                    self._join()
                    break
                self._sending = True
                try:
                    self._send(self.outbox.waiting[0])
                finally:
                    self._sending = False
        self._tell()

    def _send(self, item: Waiting) -> None:
        """One entry, unless the server has it already: the line may have been cut before it could say so."""
        assert self.outbox is not None
        try:
            with self._writing() as connection:
                there = sql.select(JOURNAL.c.number).where(JOURNAL.c.id == item.id)
                number = connection.execute(there).scalar()
                of = item.of if item.of is None or item.of < FIRST else self._numbers.get(item.of)
                lost = item.of is not None and of is None  # what it takes back was refused
                if number is None and not lost:
                    plan = undoing.plan(self._memory, item.changes, "redo", "merge")
                    if plan.parts:
                        self.outbox.refuse(replace(item, parts=tuple(plan.parts)))
                        return
                    undoing.carry_out(connection, plan)
                    made = self._finish(connection, replace(item, of=of), plan.changes)
                    number = None if made is None else made.number
        except LineCut:
            raise
        except AquinError as error:
            self.outbox.refuse(replace(item, why_not=error.what))
            return
        if number is not None:
            self._numbers[item.number] = number
        else:
            self.needless[item.id] = item.what
        self.outbox.done(item)

    def insist(self, item: Waiting) -> Entry | None:
        """Make a refused change all the same, over what others had put there; the journal keeps that. Raises
        AquinError.
        """
        with self._lock, self._writing() as connection:
            plan = undoing.plan(self._memory, item.changes, "redo", "overwrite")
            undoing.carry_out(connection, plan)
            fresh = replace(item, id=new_id(), at=now(), known=self._memory.number)
            return self._finish(connection, fresh, plan.changes)

    def decide(self, id: str, take: Literal["rest", "all", "none"]) -> Entry | None:
        """What becomes of a refused change: what of it meets nobody's work is done, or all of it, or it is let go.
        Raises AquinError.
        """
        item = next((i for i in self.refused if i.id == id), None)
        if item is None or self.outbox is None:
            return None
        entry = None
        if take != "none":
            with self._lock, self._writing() as connection:
                others: undoing.OnOthers = "overwrite" if take == "all" else "leave"
                plan = undoing.plan(self._memory, item.changes, "redo", others)
                undoing.carry_out(connection, plan)
                fresh = replace(item, step="do", of=None, known=self._memory.number)
                entry = self._finish(connection, fresh, plan.changes)
        self.outbox.done(item)
        self._tell()
        return entry


def waiting_of(
    id: str, what: str, why: str, step: str, of: int | None, known: int, changes: Sequence[Change] = ()
) -> Waiting:
    """An entry before it is written; values are as the journal will hold them."""
    return Waiting(id, 0, now(), what, why, step, of, known, held(changes))


def held(changes: Iterable[Change]) -> tuple[Change, ...]:
    """Changes as they come back from the journal."""
    return changes_of(json.dumps(list(changes), allow_nan=False, separators=(",", ":")))
