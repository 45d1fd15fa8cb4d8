"""The Plan view: the chain from the screens back to the cameras, exposure, the chart routine, and what the
crew gets.
"""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import replace
from pathlib import Path
from typing import TYPE_CHECKING, Any

from PySide6.QtCore import Qt, Signal
from PySide6.QtGui import QShowEvent
from PySide6.QtWidgets import (
    QApplication,
    QComboBox,
    QFrame,
    QHBoxLayout,
    QLineEdit,
    QPushButton,
    QScrollArea,
    QWidget,
)

from aquin.desk.commands import tip, words
from aquin.desk.kit import theme
from aquin.desk.kit.ask import CONFIGS, OCIO, ask_open
from aquin.desk.kit.boxes import column_of
from aquin.desk.kit.labels import Words
from aquin.desk.kit.timers import HIDDEN_MS, later
from aquin.desk.plan.chain import chain_table
from aquin.desk.plan.dialogs import ask_luts, ask_nearest, ask_sheet, pick_encoding
from aquin.desk.plan.exposure import exposure, routine
from aquin.desk.plan.targets import targets
from aquin.desk.session import OfSession
from aquin.errors import AquinError
from aquin.own_files import remembered_file
from aquin.production.plan import (
    Chain,
    chain_of,
)
from aquin.production.remembered import Remembered
from aquin.production.settings import (
    Deliverable,
    choose_config,
    deliverables_of,
    keep_deliverables,
)

if TYPE_CHECKING:
    from aquin.desk.kit.jobs import Jobs
    from aquin.desk.session import Session
    from aquin.production import Camera, Production


class PlanView(QScrollArea, OfSession):
    """Reads the production anew after each change; every control writes one decision."""

    told = Signal(str)
    config_changed = Signal()
    checked = Signal()
    """The checks of the chain were made anew."""

    def __init__(self, session: Session, jobs: Jobs) -> None:
        super().__init__()
        self.session, self.jobs = session, jobs
        self.chain: Chain | None = None
        self.setWidgetResizable(True)
        self.setFrameShape(QFrame.Shape.NoFrame)
        self.setHorizontalScrollBarPolicy(Qt.ScrollBarPolicy.ScrollBarAlwaysOff)
        self._dirty = False
        self._returns_to: tuple[str, str, str] | None = None
        """The control that gets the keyboard back from a dialog, which is built anew meanwhile."""
        self._later = later(self, self._redraw)
        self._build()
        session.opened.connect(self.opened)
        session.changed.connect(self.refresh)

    def opened(self) -> None:
        """Another production, or none."""
        self.refresh()

    def refresh(self) -> None:
        """Draw the plan as it is now, as soon as whoever asked for it has finished."""
        self._later.start(0 if self.isVisible() else HIDDEN_MS)

    def showEvent(self, event: QShowEvent) -> None:
        super().showEvent(event)
        if self._dirty or self._later.isActive():
            self._later.stop()
            self._redraw()

    def _redraw(self) -> None:
        """Build anew; scrolling and the focus stay where they were. While it is hidden, only the checks are made
        anew.
        """
        self.chain = chain_of(self.production, self.config) if self.production is not None else None
        self.checked.emit()
        self._dirty = not self.isVisible()
        if self._dirty:
            return
        at, focus = self.verticalScrollBar().value(), _mark(QApplication.focusWidget())
        focus, self._returns_to = self._returns_to or focus, None
        old = self.takeWidget()
        if old is not None:
            old.deleteLater()
        self._build()
        self.verticalScrollBar().setValue(at)
        controls = self.body.findChildren(QWidget) if focus is not None else []
        again = next((w for w in controls if _mark(w) == focus), None)
        if again is not None:
            again.setFocus()

    @property
    def open_count(self) -> int:
        """Links that are not right."""
        if self.chain is None:
            return 0
        checks = [self.chain.working, *(s.check for s in self.chain.screens)]
        checks += [c for camera in self.chain.cameras for c in camera.checks]
        return sum(c.state != "right" for c in checks)

    def attempt(self, work: Callable[[], object]) -> None:
        try:
            work()
        except AquinError as error:
            self.told.emit(error.line())

    # building

    def _build(self) -> None:
        self.body = body = QWidget()
        column = column_of((16, 12, 16, 12), body, spacing=14)
        if self.production is None or self.chain is None:
            words = Words(
                "No production is open.\n\nMake one with File, New production (Ctrl+N), open one "
                "(Ctrl+Shift+P), or look at the demo."
            )
            words.setAlignment(Qt.AlignmentFlag.AlignCenter)
            words.set_role("soft")
            column.addWidget(words)
        else:
            column.addLayout(self._head(self.production, self.chain))
            column.addWidget(chain_table(self, self.production, self.chain))
            column.addWidget(exposure(self, self.production, self.chain))
            column.addWidget(targets(self, self.production))
            column.addWidget(routine(self, self.production))
            column.addStretch()
        body.setEnabled(self.production is None or not self.production.read_only)
        self.setWidget(body)

    def _head(self, production: Production, chain: Chain) -> QHBoxLayout:
        line = QHBoxLayout()
        name = Words(production.name)
        name.setFont(theme.font(theme.TITLE, True))
        open_ = self.open_count
        state = Words(
            "every link is right" if not open_ else f"{open_} link{'s' if open_ > 1 else ''} to look at"
        )
        state.set_role("dim")
        line.addWidget(name)
        line.addSpacing(12)
        line.addWidget(state, 1)
        for id, action in (("plan.luts", self.ask_luts), ("plan.sheet", self.ask_sheet)):
            button = QPushButton(words(id))
            button.setToolTip(tip(id))
            button.clicked.connect(lambda _=False, a=action: a())
            line.addWidget(button)
        return line

    # decisions

    def change_camera(self, camera: Camera, what: str, **fields: Any) -> None:
        production = self.production
        if production is not None:
            self.attempt(lambda: production.change(f"{camera.name}: {what}", replace(camera, **fields)))

    def _kept_screens(self) -> list[Deliverable]:
        return [] if self.production is None else deliverables_of(self.production, self.config)

    def put_screens(self, screens: list[Deliverable], what: str) -> None:
        production = self.production
        if production is not None:
            self.attempt(lambda: keep_deliverables(production, screens, what))

    def add_screen(self, display: str, view: str) -> None:
        screens = self._kept_screens()
        self.put_screens(
            [*screens, Deliverable(_new_name(display, view, screens), display, view)], f"add screen {display}"
        )

    def change_screen(self, k: int, display: str, view: str) -> None:
        screens = self._kept_screens()
        others = screens[:k] + screens[k + 1 :]
        screens[k] = Deliverable(_new_name(display, view, others), display, view)
        self.put_screens(screens, f"screen {display}, {view}")

    def drop_screen(self, k: int) -> None:
        screens = self._kept_screens()
        gone = screens.pop(k)
        self.put_screens(screens, f"remove screen {gone.display}")

    def ask_config(self) -> None:
        if path := ask_open(self, "Use another colour configuration", CONFIGS, OCIO):
            self.use_config(path)

    def use_config(self, path: Path | None) -> None:
        """Another configuration for the production."""
        production = self.production
        if production is not None:
            self.attempt(lambda: choose_config(production, path))
            self.config_changed.emit()

    def ask_next_encoding(self) -> None:
        """The encoding of the next camera that has none, or of the first."""
        cameras = [c.camera for c in self.chain.cameras] if self.chain is not None else []
        if cameras:
            self.ask_encoding(next((c for c in cameras if not c.encoding), cameras[0]))
        else:
            self.told.emit("There is no camera yet: log media in Shots.")

    def ask_encoding(self, camera: Camera) -> None:
        self._returns_to = "QPushButton", f"Change {camera.name}", "Change"
        self.picker = pick_encoding(
            self,
            self.config,
            camera,
            lambda encoding, range: self.change_camera(
                camera, f"encoding {encoding}", encoding=encoding, encoding_note="", range=range
            ),
        )

    def ask_nearest(self, camera: Camera) -> None:
        """Rank the known encodings by the camera's charts, and let the person take one."""
        production, config = self.production, self.config
        if production is None:
            return
        from aquin.production.stand_in import nearest_for, take_stand_in

        def done(found: object) -> None:
            assert isinstance(found, list)
            self.nearest = ask_nearest(
                self,
                camera,
                found,
                lambda candidate: self.attempt(lambda: take_stand_in(production, camera, candidate)),
            )

        self.jobs.start_long(
            "nearest",
            f"trying encodings on {camera.name}'s charts",
            lambda tell: nearest_for(production, config, camera, tell=tell),
            done,
            self.told.emit,
        )

    def use_preset(self, camera: Camera, preset: dict[str, str]) -> None:
        try:
            encoding = self.config.resolve(preset["encoding"])
        except AquinError as error:
            self.told.emit(error.line())
            return
        self.change_camera(
            camera,
            f"encoding {encoding}, as in earlier productions",
            encoding=encoding,
            range=preset.get("range", ""),
            encoding_note=preset.get("note", ""),
        )

    def keep_preset(self, camera: Camera) -> None:
        kept = Remembered.read(remembered_file())
        self.attempt(
            lambda: kept.keep_camera(camera.name, camera.encoding, camera.range, camera.encoding_note)
        )
        self.told.emit(f"{camera.name} as {camera.encoding} can now be used in other productions.")
        self.refresh()

    def ask_luts(self) -> None:
        if self.production is not None and self.chain is not None:
            from aquin.production.looks import look_for

            look = look_for(self.production, self.config, "")
            self.luts = ask_luts(self, self.config, self.chain, self.jobs, self.told.emit, look)

    def ask_sheet(self) -> None:
        if self.production is not None and self.chain is not None:
            ask_sheet(self, self.production, self.config, self.chain, self.jobs, self.told.emit)


def _mark(widget: QWidget | None) -> tuple[str, str, str] | None:
    """What tells a control from the others after the view was built anew."""
    if not isinstance(widget, QPushButton | QComboBox | QLineEdit):
        return None
    text = widget.text() if isinstance(widget, QPushButton) else ""
    return type(widget).__name__, widget.accessibleName(), text


def _new_name(display: str, view: str, others: list[Deliverable]) -> str:
    """The display's name, with its view or a number where it is there already."""
    taken = {d.name for d in others}
    plain = display.replace(" - Display", "")
    names = (plain, f"{plain}, {view}", *(f"{plain}, {view} {k}" for k in range(2, 100)))
    return next(n for n in names if n not in taken)
