"""One history: undo takes back the last decision, whether it was made on the Bench or in the production, from
wherever it is asked.
"""

from __future__ import annotations

from typing import TYPE_CHECKING, Literal

from PySide6.QtCore import QObject, Signal

from aquin.desk.bench.state import BenchState, Decisions
from aquin.desk.session import Session
from aquin.errors import AquinError
from aquin.production.moved import Moved

if TYPE_CHECKING:
    from aquin.production.undoing import OnOthers

Kind = Literal["bench", "production"]


class History(QObject):
    """`stepped` carries how the Bench was before one of its own steps was taken back or made again."""

    stepped = Signal(object)
    told = Signal(str)
    disagreed = Signal(str, object)
    """Undo or redo met what others have changed since: what was asked, and the error that names it."""

    def __init__(self, session: Session, state: BenchState) -> None:
        super().__init__(session)
        self.session, self.state = session, state
        self._undone: list[Kind] = []
        self._at = 0
        self._stepping = False
        session.changed.connect(self._changed)
        session.opened.connect(self._changed)

    def next_kind(self) -> Kind | None:
        """Where the last decision was made."""
        production, past = self.session.production, self.state.past
        newest = production.newest if production is not None else 0
        if past and past[-1].after_entry >= newest:
            return "bench"
        return "production" if newest else "bench" if past else None

    def undo(self) -> None:
        self.state.end_stroke()
        kind = self.next_kind()
        if kind is None:
            self.told.emit("There is nothing to undo.")
            return
        if self._step(kind, "undo"):
            self._undone.append(kind)

    def redo(self) -> None:
        kind = self._undone.pop() if self._undone else self._left()
        if kind is None:
            self.told.emit("There is nothing to redo.")
        else:
            self._step(kind, "redo")

    def _left(self) -> Kind | None:
        """After a restart: what the production still has."""
        production = self.session.production
        if production is not None and production.can_redo is not None:
            return "production"
        return "bench" if self.state.can_redo is not None else None

    def step_over(self, word: str, others: OnOthers) -> None:
        """The same step once it is known what is to become of the others' work."""
        if self._step("production", "undo" if word == "undo" else "redo", others) and word == "undo":
            self._undone.append("production")

    def _step(self, kind: Kind, word: Literal["undo", "redo"], others: OnOthers = "refuse") -> bool:
        said = {"undo": "Took back", "redo": "Did again"}[word]
        what: str | None
        if kind == "bench":
            before: Decisions = self.state.now
            what = self.state.undo() if word == "undo" else self.state.redo()
            if what is not None:
                self.stepped.emit(before)
        else:
            production = self.session.production
            assert production is not None
            self._stepping = True
            try:
                entry = production.undo(others) if word == "undo" else production.redo(others)
            except Moved as error:
                self.told.emit(error.line())
                self.disagreed.emit(word, error)
                return False
            except AquinError as error:
                self.told.emit(error.line())
                return False
            finally:
                self._stepping = False
                self._at = production.newest
            what = None if entry is None else entry.what
            if entry is not None and entry.left:
                what = f"{entry.what}; left as others made it: {len(entry.left)}"
        self.told.emit(f"{said}: {what}" if what is not None else f"There is nothing to {word}.")
        return what is not None

    def _changed(self) -> None:
        """A decision that is no step of this history leaves nothing to bring back."""
        production = self.session.production
        newest = production.newest if production is not None else 0
        if newest != self._at and not self._stepping:
            self._at = newest
            self._undone.clear()
            self.state.forget_future()
