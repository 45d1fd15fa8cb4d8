"""The ledger by arrow keys while the pictures have the keyboard: a row up or down, its number less or more."""

from __future__ import annotations

from typing import TYPE_CHECKING

from PySide6.QtCore import QEvent, QObject, Qt, QTimer
from PySide6.QtGui import QKeyEvent

if TYPE_CHECKING:
    from PySide6.QtWidgets import QWidget

    from aquin.desk.bench.side_panel import SidePanel

NUMBERS = {
    "exposure": "stops",
    "warmth": "mired",
    "tint": "duv",
    "shadow warmth": "shadows mired",
    "shadow tint": "shadows duv",
    "saturation": "saturation",
    "sharpness": "softness",
}
"""By the ledger's axis, the number of the stack that moves it."""
AGAINST = ("softness",)
"""Numbers of which more makes the axis less."""
REST_MS = 700
"""After so long without a key what it moved is a step, where nobody told that the key was let go."""


class RowKeys(QObject):
    """Watches what the Bench's own widgets leave of key presses: Up and Down, Left and Right (with Shift: coarse). What
    a key moves until it is let go is one step.
    """

    def __init__(self, panel: SidePanel, view: QWidget) -> None:
        super().__init__(view)
        self.panel = panel
        self._rest = QTimer(self, singleShot=True, interval=REST_MS)
        self._rest.timeout.connect(panel.stack.ended)
        view.installEventFilter(self)

    def eventFilter(self, watched: QObject, event: QEvent) -> bool:
        if not isinstance(event, QKeyEvent):
            return False
        if event.type() == QEvent.Type.KeyRelease and self._rest.isActive() and not event.isAutoRepeat():
            self._rest.stop()
            self.panel.stack.ended.emit()
        if event.type() != QEvent.Type.KeyPress:
            return False
        shift = bool(event.modifiers() & Qt.KeyboardModifier.ShiftModifier)
        other = event.modifiers() & ~(Qt.KeyboardModifier.ShiftModifier | Qt.KeyboardModifier.KeypadModifier)
        if other or not self.panel.isVisible():
            return False
        match Qt.Key(event.key()):
            case Qt.Key.Key_Up | Qt.Key.Key_Down if not shift:
                self.step(1 if event.key() == Qt.Key.Key_Down else -1)
            case Qt.Key.Key_Left | Qt.Key.Key_Right:
                return self.move((1 if event.key() == Qt.Key.Key_Right else -1) * (10 if shift else 1))
            case _:
                return False
        return True

    def step(self, by: int) -> None:
        """Select another row of the ledger that is shown, and bring it into sight."""
        ledger = self.panel.levels.ledger if self.panel.by_targets else self.panel.ledger
        shown = [n for n, row in ledger.rows.items() if not row.isHidden()]
        at = shown.index(ledger.selected) + by if ledger.selected in shown else 0
        if 0 <= at < len(shown):
            ledger.choose(shown[at])
            self.panel.ensureWidgetVisible(ledger.rows[shown[at]])

    def move(self, steps: int) -> bool:
        """Move the stack's number that belongs to the selected row, by its steps; False where there is none."""
        name = NUMBERS.get("" if self.panel.by_targets else self.panel.ledger.selected)
        if name is None or not self.panel.stack.isEnabled():
            return False
        number = self.panel.stack.numbers[name]
        number.set_value(number.value + (-steps if name in AGAINST else steps) * number.step, True)
        self._rest.start()
        return True
