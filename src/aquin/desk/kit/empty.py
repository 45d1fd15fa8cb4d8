"""What a view says while there is nothing to show: what to do, in the middle, with the buttons that do it."""

from collections.abc import Callable, Sequence

from PySide6.QtCore import Qt
from PySide6.QtWidgets import QHBoxLayout, QPushButton, QVBoxLayout, QWidget

from aquin.desk.kit import theme
from aquin.desk.kit.labels import Words


class Empty(QWidget):
    """Words, the button of what one mostly does, and those of what else there is."""

    def __init__(self, name: str = "") -> None:
        super().__init__()
        self.setAccessibleName(name)
        column = QVBoxLayout(self)
        column.addStretch(2)
        self.words = Words("", role="soft", size=theme.LARGE, wrap=True)
        self.words.setAlignment(Qt.AlignmentFlag.AlignCenter)
        self.words.setMaximumWidth(560)
        line = QHBoxLayout()
        line.addStretch(1)
        line.addWidget(self.words, 8)
        line.addStretch(1)
        column.addLayout(line)
        self.button = QPushButton("")
        self.button.setProperty("main", True)
        self.button.setMinimumHeight(32)
        self.button.clicked.connect(self._do)
        self._act: Callable[[], object] | None = None
        self.others: list[QPushButton] = []
        self._row = QHBoxLayout()
        self._row.addStretch()
        self._row.addWidget(self.button)
        self._row.addStretch()
        column.addSpacing(theme.GRID)
        column.addLayout(self._row)
        column.addStretch(3)

    def say(
        self,
        words: str,
        button: str = "",
        act: Callable[[], object] | None = None,
        others: Sequence[tuple[str, Callable[[], object]]] = (),
    ) -> None:
        """What to do, and the buttons for it."""
        self.words.setText(words)
        self.button.setText(button)
        self.button.setVisible(bool(button))
        self._act = act
        if [b.text() for b in self.others] != [text for text, _ in others]:
            self._put(others)

    def _put(self, others: Sequence[tuple[str, Callable[[], object]]]) -> None:
        for old in self.others:
            self._row.removeWidget(old)
            old.deleteLater()
        self.others = []
        for text, act in others:
            made = QPushButton(text)
            made.setMinimumHeight(32)
            made.clicked.connect(lambda _=False, act=act: act())
            self._row.insertWidget(self._row.count() - 1, made)
            self.others.append(made)

    def take_keyboard(self) -> bool:
        """Give the button the keyboard, where it is shown; whether it is."""
        shown = self.button.isVisible()
        if shown:
            self.button.setFocus()
        return shown

    def _do(self) -> None:
        if self._act is not None:
            self._act()
