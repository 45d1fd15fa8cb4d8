"""The table of commands as actions of a window."""

from collections.abc import Callable

from PySide6.QtCore import QObject, Signal
from PySide6.QtGui import QAction, QKeySequence
from PySide6.QtWidgets import QPushButton, QWidget

from aquin.desk.commands import BY_ID, TABLE, VIEWS, Command, tip, words


class Commands(QObject):
    """The table as actions of one window. Those of a view can be used while it is shown; `ran` carries a command's
    id.
    """

    ran = Signal(str)

    def __init__(self, window: QWidget) -> None:
        super().__init__(window)
        self._runs: dict[str, Callable[[], object]] = {}
        self._can: dict[str, Callable[[], bool]] = {}
        self.shown = ""
        self.actions_of: dict[str, QAction] = {}
        for found in TABLE:
            action = QAction(found.words, self)
            action.setToolTip(tip(found.id))
            if not found.hand:
                action.setShortcuts([QKeySequence(k) for k in found.keys])
            action.triggered.connect(lambda _=False, id=found.id: self.run(id))
            window.addAction(action)
            self.actions_of[found.id] = action

    def bind(self, id: str, run: Callable[[], object], can: Callable[[], bool] | None = None) -> None:
        """What a command does, and whether it can now."""
        self._runs[BY_ID[id].id] = run
        if can is not None:
            self._can[id] = can

    @property
    def unbound(self) -> list[str]:
        """Commands that do nothing yet, apart from those whose keys a widget reads."""
        return [c.id for c in TABLE if c.id not in self._runs and not c.hand]

    def run(self, id: str) -> None:
        """Do it, if it can be done now."""
        if id in self._runs and self.can(id):
            self._runs[id]()
            self.ran.emit(id)

    def can(self, id: str) -> bool:
        return id not in self._can or self._can[id]()

    def show_view(self, view: str) -> None:
        """From now on the keys of this view count."""
        self.shown = view
        for id, action in self.actions_of.items():
            action.setEnabled(BY_ID[id].group in ("app", "file", view))

    def now(self) -> list[Command]:
        """What can be done now: first in the view that is shown, then everywhere, then in other views."""
        order = {self.shown: 0, "app": 1, "file": 1}
        found = [c for c in TABLE if c.id in self._runs and self.can(c.id)]
        return sorted(found, key=lambda c: order.get(c.group, 2))

    def run_in_its_view(self, id: str) -> None:
        """Do it where it belongs: show its view first."""
        group = BY_ID[id].group
        if group in VIEWS and group != self.shown:
            self.run(f"app.{group}")
        self.run(id)

    def button(self, id: str, button: QPushButton, keys: bool = True) -> QPushButton:
        """Give a button a command's words, tooltip and work."""
        button.setText(words(id, keys))
        button.setToolTip(tip(id))
        button.clicked.connect(lambda: self.run(id))
        return button
