"""A number that can be typed, dragged, stepped and reset."""

from PySide6.QtCore import QEvent, QPointF, Qt, Signal
from PySide6.QtGui import QFocusEvent, QKeyEvent, QMouseEvent, QWheelEvent
from PySide6.QtWidgets import QLineEdit, QWidget

from aquin.desk.kit import theme


class Number(QLineEdit):
    """One number with its step and limits.

    Drag sideways (Shift coarse, Ctrl fine), arrow keys, or type and press Enter; double-click resets. `changed`
    carries the value and whether it is part of a drag; `ended` tells that a drag is over.
    """

    changed = Signal(float, bool)
    ended = Signal()

    def __init__(
        self,
        name: str,
        unit: str,
        neutral: float,
        step: float,
        low: float,
        high: float,
        digits: int,
        signed: bool = False,
        parent: QWidget | None = None,
    ) -> None:
        super().__init__(parent)
        self.neutral, self.step, self.low, self.high, self.digits, self.signed = (
            neutral,
            step,
            low,
            high,
            digits,
            signed,
        )
        self.value = neutral
        self._press: QPointF | None = None
        self._from = neutral
        self._dragging = False
        self.setAlignment(Qt.AlignmentFlag.AlignRight)
        self.setFont(theme.font())
        self.setAccessibleName(f"{name}, {unit}" if unit else name)
        self.setToolTip(
            f"{name}{f' in {unit}' if unit else ''}. Drag sideways, arrow keys, or type; Shift is coarse, "
            "Ctrl fine; double-click resets."
        )
        self.setCursor(Qt.CursorShape.SizeHorCursor)
        self.setFixedHeight(22)
        self.setMinimumWidth(52)
        self.editingFinished.connect(self._typed)
        self.show_value(neutral)

    def show_value(self, value: float) -> None:
        """Set the value without telling anybody."""
        self.value = value
        if not (self.hasFocus() and self.isModified()):
            sign = "+" if self.signed else ""
            self.setText(f"{value:{sign}z.{self.digits}f}".replace("-", "−"))
            self.setModified(False)
            changed = abs(value - self.neutral) > 0.5 * 10**-self.digits
            if self.property("neutral") != (not changed):
                self.setProperty("neutral", not changed)
                self.style().polish(self)

    def set_value(self, value: float, dragging: bool = False) -> None:
        """Set the value as a hand does."""
        value = min(max(value, self.low), self.high)
        if value != self.value:
            self.setModified(False)
            self.show_value(value)
            self.changed.emit(value, dragging)

    def give_back(self) -> None:
        """Let the keyboard go to where the view wants it: its own keys count again."""
        above = self.parentWidget()
        while above is not None:
            take = getattr(above, "take_keyboard", None)
            if callable(take):
                take()
                return
            above = above.parentWidget()
        self.clearFocus()

    def _factor(self, modifiers: Qt.KeyboardModifier) -> float:
        if modifiers & Qt.KeyboardModifier.ShiftModifier:
            return 10.0
        return 0.1 if modifiers & Qt.KeyboardModifier.ControlModifier else 1.0

    def _typed(self) -> None:
        if not self.isModified():
            return
        text = self.text().replace("−", "-").replace(",", ".").strip()
        self.setModified(False)
        try:
            value = float(text)
            if value != value or abs(value) == float("inf"):
                raise ValueError
        except ValueError:
            self.show_value(self.value)
            return
        if value == self.value:
            self.show_value(value)
        else:
            self.set_value(value)
            self.show_value(self.value)

    def event(self, event: QEvent) -> bool:
        """Letters stay with the window's keys: only what can be part of a number is typed here."""
        if event.type() == QEvent.Type.ShortcutOverride and isinstance(event, QKeyEvent):
            if event.key() == Qt.Key.Key_Escape:  # leaves the field, and stops nothing
                event.accept()
                return True
            text = event.text()
            if (
                text
                and not event.modifiers() & Qt.KeyboardModifier.ControlModifier
                and text not in "0123456789+-.,e\b\x7f"
            ):
                event.ignore()
                return False
        return super().event(event)

    def keyPressEvent(self, event: QKeyEvent) -> None:
        direction = {Qt.Key.Key_Up: 1, Qt.Key.Key_Down: -1}.get(Qt.Key(event.key()))
        if direction:
            self.setModified(False)
            self.set_value(self.value + direction * self.step * self._factor(event.modifiers()))
        elif event.key() == Qt.Key.Key_Escape:
            self.setModified(False)
            self.show_value(self.value)
            self.give_back()
        elif event.key() in (Qt.Key.Key_Return, Qt.Key.Key_Enter):
            self._typed()
            self.give_back()
        else:
            super().keyPressEvent(event)

    def mousePressEvent(self, event: QMouseEvent) -> None:
        if event.button() == Qt.MouseButton.LeftButton and not self.isModified():
            self._press, self._from, self._dragging = event.position(), self.value, False
        super().mousePressEvent(event)

    def mouseMoveEvent(self, event: QMouseEvent) -> None:
        if self._press is None:
            super().mouseMoveEvent(event)
            return
        distance = event.position().x() - self._press.x()
        if self._dragging or abs(distance) > 3:
            self._dragging = True
            self.deselect()
            self.set_value(self._from + distance * 0.25 * self.step * self._factor(event.modifiers()), True)

    def mouseReleaseEvent(self, event: QMouseEvent) -> None:
        self._press = None
        if self._dragging:
            self._dragging = False
            self.ended.emit()
            self.give_back()
            return
        super().mouseReleaseEvent(event)
        self.selectAll()

    def mouseDoubleClickEvent(self, event: QMouseEvent) -> None:
        self._press = None
        self.setModified(False)
        self.set_value(self.neutral)

    def wheelEvent(self, event: QWheelEvent) -> None:
        event.ignore()  # a panel that scrolls must not change numbers on the way

    def focusOutEvent(self, event: QFocusEvent) -> None:
        super().focusOutEvent(event)
        self.deselect()
