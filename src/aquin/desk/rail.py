"""The rail: the views in working order with what is open in each, and below them the program's own actions."""

from collections.abc import Sequence
from pathlib import Path

from PySide6.QtCore import Qt, Signal
from PySide6.QtWidgets import QMenu, QPushButton, QWidget

from aquin.desk.actions import Commands
from aquin.desk.commands import BY_ID, TABLE, VIEWS, tip
from aquin.desk.kit import theme
from aquin.desk.kit.boxes import column_of
from aquin.desk.kit.labels import Words, no_mnemonic
from aquin.production.address import Address

WIDTH = 92


class Rail(QWidget):
    """Buttons of the table's commands. `opened` carries a recent production."""

    opened = Signal(object)

    def __init__(self, commands: Commands) -> None:
        super().__init__()
        self.setFixedWidth(WIDTH)
        self.setAutoFillBackground(True)
        palette = self.palette()
        palette.setColor(self.backgroundRole(), theme.PANEL)
        self.setPalette(palette)
        column = column_of((0, theme.GRID, 0, theme.GRID), self, spacing=2)
        self.buttons: dict[str, QPushButton] = {}
        self.counts: dict[str, Words] = {}
        for name in VIEWS:
            button = self.buttons[name] = QPushButton(BY_ID[f"app.{name}"].words)
            button.setCheckable(True)
            button.setFixedSize(WIDTH, 34)
            button.setProperty("rail", True)
            button.setToolTip(tip(f"app.{name}"))
            button.clicked.connect(lambda _=False, n=name: commands.run(f"app.{n}"))
            column.addWidget(button)
            count = self.counts[name] = Words("", button, role="soft")
            count.setAlignment(Qt.AlignmentFlag.AlignRight | Qt.AlignmentFlag.AlignVCenter)
            count.setAttribute(Qt.WidgetAttribute.WA_TransparentForMouseEvents)
            count.setGeometry(WIDTH - 38, 0, 28, 34)
        column.addStretch()
        self.file_button = QPushButton("File")
        self.file_button.setProperty("quiet", True)
        self.file_button.setToolTip("Productions: new, open, recent ones, copy, relink")
        menu = QMenu(self.file_button)
        for found in TABLE:
            if found.group == "file":
                menu.addAction(commands.actions_of[found.id])
                if found.id == "file.open":
                    self.recent = menu.addMenu("Recent productions")
        self.file_button.setMenu(menu)
        column.addWidget(self.file_button)
        for id, title in (("app.demo", "Demo"), ("app.help", "Help"), ("app.keys", "Keys")):
            other = QPushButton(title)
            other.setProperty("quiet", True)
            other.setToolTip(tip(id))
            other.clicked.connect(lambda _=False, i=id: commands.run(i))
            column.addWidget(other)

    def show_recent(self, paths: Sequence[Path | Address]) -> None:
        """Productions that were open before, in the File menu."""
        self.recent.clear()
        for path in paths:
            action = self.recent.addAction(f"{no_mnemonic(path.stem)}     {no_mnemonic(str(path.parent))}")
            action.triggered.connect(lambda _=False, p=path: self.opened.emit(p))
        self.recent.setEnabled(bool(paths))

    def show_view(self, name: str) -> None:
        for other, button in self.buttons.items():
            button.setChecked(other == name)

    def set_count(self, name: str, count: int, words: str) -> None:
        """How much is open in a view; 0 shows nothing."""
        title, button = BY_ID[f"app.{name}"].words, self.buttons[name]
        self.counts[name].setText(str(count) if count else "")
        button.setAccessibleName(f"{title}, {count} {words}" if count else title)
