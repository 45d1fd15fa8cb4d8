"""Words over a picture with a choice beside them: what is open about a shot, or that nobody knows how it was
recorded.
"""

from collections.abc import Callable, Sequence

from PySide6.QtCore import QEvent, QObject, QRect, Qt
from PySide6.QtGui import QKeyEvent
from PySide6.QtWidgets import QFrame, QHBoxLayout, QPushButton, QWidget

from aquin.desk.kit import theme
from aquin.desk.kit.boxes import column_of
from aquin.desk.kit.labels import Words, no_mnemonic

Choice = tuple[str, str, Callable[[], object]]
"""A button's words, its tooltip, and what it does."""


class Notice(QFrame):
    """Lies over its parent, in the middle or along the upper edge, so that nothing moves when it comes."""

    def __init__(self, parent: QWidget, name: str, top: bool) -> None:
        super().__init__(parent)
        self._top = top
        self.setProperty("notice", True)
        self.setAccessibleName(name)
        column = column_of((10, 6, 10, 6), self, spacing=4)
        self.words = Words("", wrap=True)
        column.addWidget(self.words)
        self.line = QHBoxLayout()
        self.line.setSpacing(6)
        column.addLayout(self.line)
        self._said: tuple[str, tuple[str, ...]] = ("", ())
        self.buttons: list[QPushButton] = []
        parent.installEventFilter(self)
        self.hide()

    def say(self, words: str, choices: Sequence[Choice] = ()) -> None:
        """Show words with buttons; empty words hide it."""
        said = (words, tuple(c[0] for c in choices))
        if said != self._said:
            self._said = said
            self.words.setText(words)
            for old in self.buttons:
                self.line.removeWidget(old)
                old.deleteLater()
            self.buttons = []
            for text, tip, act in choices:
                button = QPushButton(no_mnemonic(text))
                button.setFont(theme.font(theme.SMALL))
                button.setToolTip(tip)
                button.clicked.connect(lambda _=False, a=act: a())
                self.line.addWidget(button)
                self.buttons.append(button)
        self.setVisible(bool(words))
        self.place()

    def place(self) -> None:
        """Where it belongs over its parent."""
        parent = self.parentWidget()
        if parent is None or not self._said[0]:
            return
        room = self.area()
        wide = min(max(room.width() - 24, 160), 460)
        self.setFixedWidth(wide)
        inner = self.layout()
        assert inner is not None
        inner.activate()
        self.setFixedHeight(
            inner.totalHeightForWidth(wide) if inner.hasHeightForWidth() else self.sizeHint().height()
        )
        left = room.left() + (room.width() - wide) // 2
        above = room.top() + (8 if self._top else max((room.height() - self.height()) // 2, 4))
        self.move(left, above)
        self.raise_()

    def area(self) -> QRect:
        """The part of the parent that it lies over."""
        parent = self.parentWidget()
        assert parent is not None
        return parent.rect()

    def eventFilter(self, watched: QObject, event: QEvent) -> bool:
        if event.type() == QEvent.Type.Resize and self.isVisible():
            self.place()
        return False

    def keyPressEvent(self, event: QKeyEvent) -> None:
        if event.key() == Qt.Key.Key_Escape:
            parent = self.parentWidget()
            if parent is not None:
                parent.setFocus()
            return
        super().keyPressEvent(event)
