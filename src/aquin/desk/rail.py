"""The rail: the views in working order with what is open in each, and below them the program's own actions."""

from collections.abc import Callable

from PySide6.QtCore import Qt, Signal
from PySide6.QtWidgets import QLabel, QMenu, QPushButton, QVBoxLayout, QWidget

from aquin.desk.kit import theme
from aquin.desk.kit.labels import Words

VIEWS = (
    ("plan", "Plan", "1", "The chain, exposure and charts"),
    ("shots", "Shots", "2", "The log and what is wrong in it"),
    ("charts", "Charts", "3", "Read charts, balance, profile and latitude"),
    ("board", "Board", "4", "Setups by cameras: heroes, settle, propagate"),
    ("bench", "Bench", "5", "Hero and shot, the ledger and the stack"),
)
WIDTH = 92


class Rail(QWidget):
    """`chosen` carries the name of a view."""

    chosen = Signal(str)

    def __init__(
        self,
        files: tuple[tuple[str, Callable[[], None]], ...],
        actions: tuple[tuple[str, str, Callable[[], None]], ...],
    ) -> None:
        super().__init__()
        self.setFixedWidth(WIDTH)
        self.setAutoFillBackground(True)
        palette = self.palette()
        palette.setColor(self.backgroundRole(), theme.PANEL)
        self.setPalette(palette)
        column = QVBoxLayout(self)
        column.setContentsMargins(0, theme.GRID, 0, theme.GRID)
        column.setSpacing(2)
        self.buttons: dict[str, QPushButton] = {}
        self.counts: dict[str, QLabel] = {}
        for name, title, key, tip in VIEWS:
            button = QPushButton()
            button.setText(title)
            button.setCheckable(True)
            button.setFixedSize(WIDTH, 34)
            button.setProperty("rail", True)
            button.setToolTip(f"{tip} ({key})")
            button.clicked.connect(lambda _=False, n=name: self.chosen.emit(n))
            column.addWidget(button)
            self.buttons[name] = button
            count = Words("", button)
            count.setAlignment(Qt.AlignmentFlag.AlignRight | Qt.AlignmentFlag.AlignVCenter)
            count.setAttribute(Qt.WidgetAttribute.WA_TransparentForMouseEvents)
            count.set_role("soft")
            count.setGeometry(WIDTH - 38, 0, 28, 34)
            self.counts[name] = count
        column.addStretch()
        self.file_button = QPushButton("File")
        self.file_button.setProperty("quiet", True)
        self.file_button.setToolTip("Productions: new, open, copy, relink")
        menu = QMenu(self.file_button)
        for words, action in files:
            menu.addAction(words).triggered.connect(lambda _=False, a=action: a())
        self.file_button.setMenu(menu)
        column.addWidget(self.file_button)
        for title, tip, action in actions:
            other = QPushButton(title)
            other.setProperty("quiet", True)
            other.setToolTip(tip)
            other.clicked.connect(lambda _=False, a=action: a())
            column.addWidget(other)

    def show_view(self, name: str) -> None:
        for other, button in self.buttons.items():
            button.setChecked(other == name)

    def set_count(self, name: str, count: int, words: str) -> None:
        """How much is open in a view; 0 shows nothing."""
        title = next(t for n, t, _, _ in VIEWS if n == name)
        button = self.buttons[name]
        self.counts[name].setText(str(count) if count else "")
        button.setAccessibleName(f"{title}, {count} {words}" if count else title)
