"""Settling from the Board: what is wrong with recordings is seen to first, then the cells are matched."""

from __future__ import annotations

import time
from collections.abc import Callable, Sequence
from functools import partial

from PySide6.QtCore import QObject, QTimer, Signal
from PySide6.QtWidgets import QCheckBox, QDialog, QPushButton, QVBoxLayout, QWidget

from aquin.desk.kit.boxes import line_of
from aquin.desk.kit.dialogs import open_fitting
from aquin.desk.kit.jobs import Jobs, Tell
from aquin.desk.kit.labels import Words, no_mnemonic
from aquin.desk.session import Session
from aquin.jobs.settle_cells import Ready, prepare, settle_cells
from aquin.production import Camera, Production, Shot
from aquin.production.audit import Finding, apply_fixes
from aquin.production.matching import Summary, Wish
from aquin.production.shoot import CellKey
from aquin.production.stand_in import StandIn
from aquin.wording import few

Go = Callable[[Sequence[Finding]], None]
"""Settles; mends this first."""


class Settling(QObject):
    """`configured`: the production has another configuration now, since a camera was measured, and it is not shown yet.
    `done` carries the summary.
    """

    told = Signal(str)
    configured = Signal()
    done = Signal(object)

    def __init__(self, session: Session, jobs: Jobs, owner: QWidget) -> None:
        super().__init__(owner)
        self.session, self.jobs, self.owner = session, jobs, owner
        self.first: FixFirst | None = None

    def start(self, places: Sequence[CellKey], wish: Wish) -> None:
        """Measure, encode and audit; ask about sure fixes, where there are any; settle."""
        production, config = self.session.production, self.session.config
        if production is None:
            return

        def work(tell: Tell) -> Ready:
            return prepare(production, config, places, tell=tell, offered=self.session.writable)

        def ready(found: Ready) -> None:
            if production is not self.session.production:
                return
            if found.encoded and config is self.session.config:  # else it was followed while the audit ran
                self.configured.emit()
            go = partial(self._settle, places, wish, found.encoded)
            if found.fixes and self.session.writable:
                QTimer.singleShot(0, self, lambda: self._ask(production, found.fixes, go))
            else:
                go(())

        self.jobs.start_long("settle", "looking at the recordings", work, ready, self.told.emit)

    def _ask(self, production: Production, fixes: Sequence[Finding], go: Go) -> None:
        """In a turn of the window's thread of its own, as what follows is in others: each is short so."""
        if production is not self.session.production:
            return
        self.first = FixFirst(fixes, self._names(fixes), self.owner)

        def chosen(fixes: Sequence[Finding]) -> None:
            if production is self.session.production:
                go(fixes)

        self.first.chosen.connect(lambda fixes: QTimer.singleShot(0, self, lambda: chosen(fixes)))
        QTimer.singleShot(0, self.first, partial(open_fitting, self.first))

    def _names(self, fixes: Sequence[Finding]) -> list[str]:
        production = self.session.production
        assert production is not None
        out = []
        for fix in fixes:
            shots = [s.name for id in fix.shots if (s := production.find(Shot, id)) is not None]
            camera = production.find(Camera, fix.camera)
            out.append(few(shots) if shots or camera is None else camera.name)
        return out

    def _settle(
        self,
        places: Sequence[CellKey],
        wish: Wish,
        encoded: tuple[StandIn, ...],
        fixes: Sequence[Finding],
    ) -> None:
        production, config, seen_on = self.session.production, self.session.config, self.session.screen
        if production is None:
            return

        def work(tell: Tell) -> Summary:
            time.sleep(PAINTED_S)
            if fixes:  # here, since it is written through to the disk
                apply_fixes(production, fixes)
            return settle_cells(production, config, places, wish, seen_on, tell=tell, encoded=encoded)

        self.jobs.start_long("settle", f"settling {len(places)} cells", work, self.done.emit, self.told.emit)


PAINTED_S = 0.06
"""What the dialog leaves is painted by then; settling begins with work that wants the interpreter, too."""


class FixFirst(QDialog):
    """What the audit is sure of, to be mended before anything is matched. `chosen` carries the findings to mend; none
    of them: settle as it is.
    """

    chosen = Signal(object)

    def __init__(self, fixes: Sequence[Finding], names: Sequence[str], owner: QWidget) -> None:
        super().__init__(owner)
        self.setWindowTitle("Before settling")
        self.fixes = tuple(fixes)
        column = QVBoxLayout(self)
        words = Words(
            "The audit is sure of what follows. Mended first, it is one step that can be undone. Left as it is, these "
            "shots are matched as their camera's others are read and never called within, and charts that nobody "
            "logged say nothing."
        )
        words.setWordWrap(True)
        words.setMinimumWidth(560)
        column.addWidget(words)
        self.boxes: list[QCheckBox] = []
        for finding, name in zip(self.fixes, names, strict=True):
            assert finding.fix is not None
            box = QCheckBox(no_mnemonic(f"{name}: {finding.fix.words}"))
            box.setChecked(True)
            column.addWidget(box)
            said = Words(f"{finding.said} ({finding.confidence:.0%} sure)")
            said.set_role("soft")
            said.setWordWrap(True)
            said.setContentsMargins(26, 0, 0, 6)
            column.addWidget(said)
            self.boxes.append(box)
        column.addStretch()
        row = QWidget()
        buttons = line_of((0, 8, 0, 0), row)
        self.fix_button, self.as_is_button = QPushButton("Mend and settle"), QPushButton("Settle as it is")
        cancel = QPushButton("Cancel")
        self.fix_button.setProperty("main", True)
        buttons.addStretch()
        for button, act in (
            (cancel, self.reject),
            (self.as_is_button, lambda: self._choose(())),
            (self.fix_button, lambda: self._choose(self.wanted)),
        ):
            button.clicked.connect(act)
            buttons.addWidget(button)
        column.addWidget(row)
        self.fix_button.setDefault(True)  # not before the dialog holds it
        self.fix_button.setFocus()

    @property
    def wanted(self) -> tuple[Finding, ...]:
        return tuple(f for f, box in zip(self.fixes, self.boxes, strict=True) if box.isChecked())

    def _choose(self, fixes: tuple[Finding, ...]) -> None:
        self.accept()
        self.chosen.emit(fixes)
