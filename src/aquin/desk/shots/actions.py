"""What one does with the selected shots, and with findings."""

from __future__ import annotations

from collections.abc import Callable
from typing import TYPE_CHECKING

from PySide6.QtCore import Signal
from PySide6.QtWidgets import QMenu, QWidget

from aquin.desk.kit.labels import no_mnemonic
from aquin.desk.session import OfSession
from aquin.desk.shots.raw_dialog import ask_decode
from aquin.errors import AquinError
from aquin.frames import Decode
from aquin.production.audit import Finding, apply_fix, dismiss
from aquin.production.heroes import make_hero
from aquin.production.raw import decode_of, is_raw, keep_decode, keep_layer, pictures_of

if TYPE_CHECKING:
    from aquin.desk.kit.jobs import Jobs
    from aquin.desk.session import Session
    from aquin.desk.shots.log import ShotLog
    from aquin.production import Shot


class ShotActions(QWidget, OfSession):
    """The view says which shots are selected. `looked_at` carries a shot to open on the Bench, and its role there."""

    told = Signal(str)
    looked_at = Signal(object, str)

    def __init__(self, session: Session, jobs: Jobs) -> None:
        super().__init__()
        self.session, self.jobs = session, jobs
        self.log: ShotLog | None = None

    @property
    def selected(self) -> list[Shot]:
        """The selected shots in the order in which they are shown."""
        raise NotImplementedError

    def _try(self, work: Callable[[], object], done: str = "") -> None:
        try:
            work()
        except AquinError as error:
            self.told.emit(error.line())
        else:
            if done:
                self.told.emit(done)

    def look(self, role: str) -> None:
        shots = self.selected
        if len(shots) == 1:
            self.looked_at.emit(shots[0], role)

    def make_hero(self) -> None:
        """The selected shot becomes its setup's hero and the Bench's."""
        shots, production = self.selected, self.production
        if len(shots) != 1 or production is None:
            return
        if not production.read_only:
            self._try(lambda: make_hero(production, shots[0]))
        self.looked_at.emit(shots[0], "hero")

    def confirm(self) -> None:
        if self.log is not None:
            log, shots = self.log, self.selected
            self._try(lambda: log.confirm(shots), "The setups are confirmed.")

    def drop(self) -> None:
        shots, log = self.selected, self.log
        if shots and log is not None:
            self._try(lambda: log.drop(shots), f"Took {len(shots)} out of the log; Ctrl+Z brings them back.")

    def develop(self) -> None:
        """How the selected raw stills are developed."""
        shots, production = self.selected, self.production
        if production is None or not shots or not all(is_raw(s) for s in shots):
            return
        now = decode_of(production, shots[0]) or Decode()
        said = shots[0].metadata.get("as shot", "") if len(shots) == 1 else ""
        self.raw_dialog = ask_decode(
            self,
            [s.name for s in shots],
            now,
            said,
            lambda decode: self._try(lambda: keep_decode(production, shots, decode)),
        )

    def choose_picture(self, below: QWidget) -> None:
        """Which of the pictures in the selected files is meant, from those that all of them hold."""
        shots, production = self.selected, self.production
        if production is None or not shots:
            return
        first = pictures_of(shots[0])
        decode = decode_of(production, shots[0])
        now = decode.layer if decode is not None else ""
        self.picture_menu = QMenu(self)
        for name in ("", *(p for p in first if all(p in pictures_of(s) for s in shots))):
            action = self.picture_menu.addAction(no_mnemonic(name or f"The likeliest ({first[0]})"))
            action.setCheckable(True)
            action.setChecked(name == now)
            action.triggered.connect(
                lambda _=False, layer=name: self._try(lambda: keep_layer(production, shots, layer))
            )
        self.picture_menu.popup(below.mapToGlobal(below.rect().bottomLeft()))

    def fix(self, finding: Finding) -> None:
        production = self.production
        if production is not None:
            self._try(lambda: apply_fix(production, finding))

    def set_aside(self, finding: Finding, reason: str) -> None:
        production = self.production
        if production is not None:
            self._try(lambda: dismiss(production, finding, reason))
