"""A field of words by which a list is filtered."""

from PySide6.QtCore import QEvent, Qt, Signal
from PySide6.QtGui import QKeyEvent
from PySide6.QtWidgets import QLineEdit

ON = (Qt.Key.Key_Down, Qt.Key.Key_Return, Qt.Key.Key_Enter)


class FilterField(QLineEdit):
    """`left`: go on to the list, by Down or Enter, or by Escape, which clears the field first. `enter`: whether Enter
    does; a dialog may have another use of it.
    """

    left = Signal()

    def __init__(self, placeholder: str, name: str, enter: bool = True) -> None:
        super().__init__()
        self._on = ON if enter else ON[:1]
        self.setPlaceholderText(placeholder)
        self.setAccessibleName(name)
        self.setClearButtonEnabled(True)

    def event(self, event: QEvent) -> bool:
        if (
            event.type() == QEvent.Type.ShortcutOverride
            and isinstance(event, QKeyEvent)
            and self._mine(event)
        ):
            event.accept()  # before the window's own keys
            return True
        return super().event(event)

    def keyPressEvent(self, event: QKeyEvent) -> None:
        if not self._mine(event):
            super().keyPressEvent(event)
        elif event.key() == Qt.Key.Key_Escape and self.text():
            self.clear()
        else:
            self.left.emit()

    def _mine(self, event: QKeyEvent) -> bool:
        if event.key() == Qt.Key.Key_Escape:
            return Qt.Key.Key_Return in self._on or bool(self.text())
        return event.key() in self._on
