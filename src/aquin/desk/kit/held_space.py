"""Space is held, not pressed."""

from collections.abc import Callable

from PySide6.QtCore import QEvent, QObject, Qt
from PySide6.QtGui import QKeyEvent
from PySide6.QtWidgets import QApplication, QLineEdit, QPlainTextEdit, QWidget
from shiboken6 import isValid


class HeldSpace(QObject):
    """Sees the keys of whichever widget of a window has the keyboard, before the widget does: an event filter of the
    whole application would be asked about every event. `hold` is told when Space goes down and up, where `here` says
    that it counts; in text it is typed.
    """

    def __init__(
        self,
        window: QWidget,
        app: QApplication,
        here: Callable[[], bool],
        hold: Callable[[bool], object],
    ) -> None:
        super().__init__(window)
        self.window, self.here, self.hold = window, here, hold
        window.installEventFilter(self)  # has the keys where no widget in it does
        app.focusChanged.connect(self._moved)
        self._moved(None, app.focusWidget())

    def _moved(self, old: QWidget | None, new: QWidget | None) -> None:
        if old is not None and old is not self.window and isValid(old):
            old.removeEventFilter(self)
        if new is not None and self.window.isAncestorOf(new):
            new.installEventFilter(self)

    def eventFilter(self, watched: QObject, event: QEvent) -> bool:
        kind = event.type()
        if kind not in (QEvent.Type.KeyPress, QEvent.Type.KeyRelease) or not isinstance(event, QKeyEvent):
            return False
        if event.key() != Qt.Key.Key_Space or not self._counts():
            return False
        if not event.isAutoRepeat():
            self.hold(kind == QEvent.Type.KeyPress)
        return True

    def _counts(self) -> bool:
        return (
            self.window.isActiveWindow()
            and self.here()
            and not isinstance(QApplication.focusWidget(), QLineEdit | QPlainTextEdit)
            and QApplication.activeModalWidget() is None
        )
