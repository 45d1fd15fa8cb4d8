"""The others who have the production open: what they change arrives here, and where they are is shown."""

from __future__ import annotations

import threading
from collections.abc import Callable, Sequence
from contextlib import suppress
from functools import partial
from typing import TYPE_CHECKING

from PySide6.QtCore import QObject, Signal
from PySide6.QtWidgets import QWidget

from aquin.desk.foot import Foot
from aquin.desk.history import History
from aquin.errors import AquinError
from aquin.production.moved import Moved

if TYPE_CHECKING:
    from aquin.desk.kit.jobs import Jobs
    from aquin.desk.session import Session
    from aquin.production import Production
    from aquin.production.presence import Seat
    from aquin.production.store import Entry

SHOT = "shot "
"""As `aquin.production.presence` has it, which is not loaded at the start."""
LOOK = 0.5
"""Seconds between two looks at the file."""


class Others(QObject):
    """Looks at the production from a thread of its own, so that neither a slow drive nor a long job holds it up.

    `told`: what somebody else did, or why it can't be read. `present`: the others' seats, where that has changed;
    `lined`: how it stands with the line to a server; `refused`: a change of this program that met another's.
    """

    told = Signal(str)
    present = Signal(object)
    lined = Signal(object)
    refused = Signal(object)

    def __init__(self, owner: QWidget, session: Session, history: History, foot: Foot, jobs: Jobs) -> None:
        super().__init__(owner)
        self.jobs = jobs
        self.owner, self.session, self.history, self.foot = owner, session, history, foot
        self.seats: tuple[Seat, ...] = ()
        self._production: Production | None = None
        self._over = threading.Event()
        self._thread: threading.Thread | None = None
        self._shot = ""
        self._claimed: set[str] = set()
        session.opened.connect(self._opened)
        session.selected.connect(self._selected)
        self.present.connect(self._show)
        history.disagreed.connect(self._ask)
        foot.others_button.clicked.connect(self.list)
        self.lined.connect(lambda said: foot.show_line(*said))
        self.refused.connect(self._refused)

    def commands(self) -> list[tuple[str, Callable[[], object]]]:
        return [
            ("app.notes", self.show_notes),
            ("app.claim", self.claim),
            ("app.claim_cell", partial(self.claim, True)),
            ("app.unsent", self.show_unsent),
            ("file.people", self.show_people),
        ]

    def show_notes(self) -> None:
        """The notes on the shot that is worked on."""
        from aquin.desk.kit.notes_dialog import NotesDialog

        production, shot = self.session.production, self.session.shot
        if production is None or shot is None:
            self.told.emit("Choose a shot of the production first: notes are kept with shots.")
            return
        self.notes = NotesDialog(self.owner, production, shot)
        self.notes.changed.connect(self.session.touch)

    def claim(self, cell: bool = False) -> None:
        """Ask the others to leave the shot alone, or all of its camera in its setup; or not any more."""
        production, shot = self.session.production, self.session.shot
        if production is None or shot is None:
            self.told.emit("Choose a shot of the production first.")
            return
        asked = self._claimed
        ids = [shot.id]
        name = shot.name
        if cell:
            name = f"{self._name(production, shot.id)}'s camera in its setup"
            place = (shot.camera_id, shot.setup_id)
            ids = [s.id for s in production.all(type(shot)) if (s.camera_id, s.setup_id) == place]
        on = not set(ids) <= asked

        def work() -> str:
            for id in ids:
                other = production.keep_off(id, on)
                if other is not None:
                    return f"{other.who} asks to leave {self._name(production, id)} alone."
                (asked.add if on else asked.discard)(id)
            return f"The others are asked to leave {name} alone." if on else f"{name} is everybody's again."

        self.jobs.start("claim", "asking", work, self.told.emit, self.told.emit)

    def show_people(self) -> None:
        """Who may do what, and who is here."""
        production = self.session.production
        if production is None:
            self.told.emit("No production is open.")
        elif not production.shared:
            self.list()
        else:
            from aquin.desk.shared.people_dialog import PeopleDialog

            self.people = PeopleDialog(self.owner, production, self.jobs, self.words())
            self.people.show_fitting()

    def show_unsent(self) -> None:
        """What waits to be sent, and what was refused."""
        production = self.session.production
        if production is None or not production.shared:
            self.told.emit("The production is a file: what is decided is in it at once.")
            return
        from aquin.desk.shared.unsent_dialog import UnsentDialog

        self.unsent = UnsentDialog(self.owner, production)
        self.unsent.told.connect(self.told)
        self.unsent.show_fitting()

    def _refused(self, error: object) -> None:
        from aquin.desk.several import MovedDialog

        production = self.session.production
        if production is None or not isinstance(error, Moved):
            return
        self.moved = MovedDialog(self.owner, "change", error, production)

        def insist(_: str) -> None:
            work = lambda: production.insist(error.item)  # noqa: E731
            self.jobs.start(
                "insist", "saving it", work, lambda _: self.told.emit("Saved over it."), self.told.emit
            )

        self.moved.chosen.connect(insist)
        self.moved.show_fitting()

    # looking

    def _opened(self) -> None:
        if self.session.production is self._production:
            return
        self.stop()
        production = self.session.production
        if production is None:
            return
        self._production, self._over, self._shot = production, threading.Event(), self.session.shot_id
        production.news.append(self._heard)
        production.disagreed.append(self._disagreed)
        self._claimed.clear()
        self._thread = threading.Thread(target=self._run, args=(production, self._over), daemon=True)
        self._thread.start()

    def stop(self) -> None:
        """Stop looking; the thread ends by itself."""
        self._over.set()
        self._production = None
        self.foot.show_line(False, 0, 0)
        self._show(())

    def _selected(self) -> None:
        self._shot = self.session.shot_id

    def _run(self, production: Production, over: threading.Event) -> None:
        shot: str | None = None
        seats: tuple[Seat, ...] = ()
        line = (False, 0, 0)
        broken = False
        while not over.is_set() and not production.closed:
            now = (production.cut, len(production.waiting), len(production.refused))
            if now != line and not over.is_set():
                line = now
                with suppress(RuntimeError):
                    self.lined.emit(line)
            try:
                if shot != self._shot:
                    shot = self._shot
                    production.attend(shot)
                production.refresh()
                there = tuple(production.seats())
                if there != seats and not over.is_set():
                    seats = there
                    with suppress(RuntimeError):  # the window went meanwhile
                        self.present.emit(seats)
                broken = False
            except AquinError as error:
                if not broken and not over.is_set():
                    with suppress(RuntimeError):
                        self.told.emit(error.line())
                broken = True
            over.wait(LOOK)

    def _disagreed(self, error: Moved) -> None:
        if not self._over.is_set():
            with suppress(RuntimeError):
                self.refused.emit(error)

    def _heard(self, entries: Sequence[Entry]) -> None:
        if entries and not self._over.is_set():
            last = entries[-1]
            word = {"undo": "took back ", "redo": "did again "}.get(last.step, "")
            more = f" (and {len(entries) - 1} more)" if len(entries) > 1 else ""
            self.told.emit(f"{last.who}: {word}{last.what}{more}")

    # showing

    def _show(self, seats: object) -> None:
        self.seats = tuple(seats)  # type: ignore[arg-type]
        self.session.asked = {
            key.removeprefix(SHOT): s.who for s in self.seats for key, _ in s.work if key.startswith(SHOT)
        }
        self.foot.show_others(self.words())

    def words(self) -> list[str]:
        """Each of the others in words: who, on which shot, at work on what."""
        production = self.session.production
        out = []
        for seat in self.seats:
            shot = self._name(production, seat.shot_id)
            work = ", ".join(what for key, what in seat.work if not key.startswith(SHOT))
            kept = [self._name(production, k.removeprefix(SHOT)) for k, _ in seat.work if k.startswith(SHOT)]
            work += f"{', ' if work else ''}asks to leave {_few(kept)} alone" if any(kept) else ""
            out.append(f"{seat.who} {f'on {shot}' if shot else 'is here'}{f', {work}' if work else ''}")
        return out

    @staticmethod
    def _name(production: Production | None, id: str) -> str:
        from aquin.production import Shot

        found = production.find(Shot, id) if production is not None and id else None
        return found.name if found is not None else ""

    def list(self) -> None:
        """Who is here, in a dialog."""
        from aquin.desk.several import SeatsDialog

        SeatsDialog(self.owner, self.seats, self.words()).show_fitting()

    def _ask(self, word: str, error: object) -> None:
        from aquin.desk.several import MovedDialog

        dialog = MovedDialog(self.owner, word, error, self.session.production)  # type: ignore[arg-type]
        dialog.chosen.connect(lambda others: self.history.step_over(word, others))
        dialog.show_fitting()


def _few(names: Sequence[str]) -> str:
    """Some names, and how many more."""
    more = f" and {len(names) - 3} more" if len(names) > 3 else ""
    return ", ".join(names[:3]) + more
