"""Edits in and out: a newer one conformed, the present one written with its markers."""

from __future__ import annotations

from pathlib import Path
from typing import TYPE_CHECKING, Any

from PySide6.QtCore import QObject, Signal
from PySide6.QtWidgets import QWidget

from aquin.desk.kit.ask import EXPORTS, MEDIA, ask_open, ask_save

if TYPE_CHECKING:
    from aquin.desk.continuity.state import CutDesk
    from aquin.desk.kit.jobs import Jobs

EDITS = "Edits (*.edl *.otio *.xml)"
MARKED = "OpenTimelineIO (*.otio);;CMX 3600 (*.edl)"


class CutPapers(QObject):
    """`taken`: a newer edit is conformed and its changes are in the desk."""

    told = Signal(str)
    taken = Signal()

    def __init__(self, desk: CutDesk, jobs: Jobs, owner: QWidget) -> None:
        super().__init__(owner)
        self.desk, self.jobs, self.owner = desk, jobs, owner

    def ask_new(self) -> None:
        path = ask_open(self.owner, "Conform a newer edit", MEDIA, EDITS)
        if path is not None:
            self.take_new(path)

    def take_new(self, path: Path) -> None:
        """Conform a newer edit and list what it changes."""
        production, edit = self.desk.production, self.desk.edit
        if production is None:
            return

        def work() -> Any:
            from aquin.exchange.edits import read_edit
            from aquin.jobs.new_cut import NewCut, take_new_cut
            from aquin.production.conform import conform

            if edit is None:
                return NewCut(conform(production, read_edit(path)), "", ())
            return take_new_cut(production, path, edit)

        self.jobs.start("new cut", f"conforming {path.name}", work, self._conformed, self.told.emit)

    def _conformed(self, made: Any) -> None:
        self.desk.changes, self.desk.before = made.changes, made.before
        self.desk.edit_id, self.desk.found, self.desk.chosen = made.conformed.edit.id, None, 0
        lost = len(made.conformed.unmatched)
        said = made.summary if made.before else "conformed"
        self.told.emit(
            f"{made.conformed.edit.name}: {said}" + (f"; {lost} pieces found no shot" if lost else "")
        )
        self.taken.emit()

    def ask_export(self) -> None:
        if self.desk.found is None:
            return
        name = f"{self.desk.found.edit.name}.otio"
        path, _ = ask_save(self.owner, "Write the edit with markers", EXPORTS, name, MARKED)
        if path is not None:
            self.export(path)

    def export(self, path: Path) -> None:
        """Write the edit with a marker at each jump; the dialog has asked about a file that is there."""
        found, production = self.desk.found, self.desk.production
        if found is None or production is None:
            return

        def work() -> int:
            from aquin.jobs.new_cut import write_back

            return write_back(production, found, path, True)

        def done(count: int) -> None:
            self.told.emit(f"{path.name} is written with {count} markers.")

        self.jobs.start("write edit", f"writing {path.name}", work, done, self.told.emit)
