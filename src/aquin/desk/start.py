"""The start page: a new production from a folder of media, one that exists, the demo, or two files on the Bench."""

from collections.abc import Sequence
from pathlib import Path

from PySide6.QtCore import Qt, Signal
from PySide6.QtGui import QDragEnterEvent, QDropEvent
from PySide6.QtWidgets import (
    QGridLayout,
    QHBoxLayout,
    QListWidget,
    QListWidgetItem,
    QPushButton,
    QVBoxLayout,
    QWidget,
)

from aquin.desk.commands import tip
from aquin.desk.kit import theme
from aquin.desk.kit.labels import Words
from aquin.production.address import Address, place_of

CHOICES = (
    (
        "file.folder",
        "New production from a folder …",
        "Log cards or a whole shoot. Cameras and setups are proposed from what the files say.",
    ),
    (
        "file.open",
        "Open a production …",
        "A file that ends in .aquin. Everything in it was saved as it was decided.",
    ),
    (
        "file.address",
        "Open from a server …",
        "A production that several editors and graders share.",
    ),
    (
        "app.demo",
        "Look at the demo",
        "A documentary about a small car ferry, filmed by four simulated cameras, with its mistakes.",
    ),
    (
        "app.bench",
        "Two files on the Bench",
        "Match one shot to a hero without a production, and export the grade.",
    ),
)


class StartPage(QWidget):
    """`asked` carries a command; `opened` a production that was open before; `dropped` files and folders."""

    asked = Signal(str)
    opened = Signal(object)
    dropped = Signal(list)

    def __init__(self) -> None:
        super().__init__()
        self.setAcceptDrops(True)
        outer = QVBoxLayout(self)
        outer.addStretch(2)
        column = QVBoxLayout()
        column.setSpacing(10)
        column.addWidget(Words("Make many cameras look like one film", size=theme.TITLE, strong=True))
        column.addWidget(Words("Drop a folder of media anywhere here, or choose:", role="soft"))
        grid = QGridLayout()
        grid.setHorizontalSpacing(16)
        grid.setVerticalSpacing(12)
        self.buttons: dict[str, QPushButton] = {}
        for row, (command, title, words) in enumerate(CHOICES):
            button = self.buttons[command] = QPushButton(title)
            button.setMinimumSize(250, 34)
            button.setToolTip(tip(command))
            button.clicked.connect(lambda _=False, c=command: self.asked.emit(c))
            grid.addWidget(button, row, 0)
            grid.addWidget(Words(words, role="soft", wrap=True), row, 1)
        self.buttons["file.folder"].setProperty("main", True)
        grid.setColumnStretch(1, 1)
        column.addLayout(grid)
        self.recent_words = Words("Recent productions", role="dim")
        self.recent = QListWidget()
        self.recent.setAccessibleName("Recent productions")
        self.recent.setMaximumHeight(150)
        self.recent.itemActivated.connect(self._open)
        self.recent.itemClicked.connect(self._open)
        column.addSpacing(8)
        column.addWidget(self.recent_words)
        column.addWidget(self.recent)
        middle = QHBoxLayout()
        middle.addStretch(1)
        box = QWidget()
        box.setLayout(column)
        box.setFixedWidth(720)
        middle.addWidget(box)
        middle.addStretch(1)
        outer.addLayout(middle)
        outer.addStretch(3)
        self.show_recent(())

    def show_recent(self, paths: Sequence[Path | Address]) -> None:
        """Productions that were open before, the newest first."""
        self.recent.clear()
        for path in paths:
            item = QListWidgetItem(f"{path.stem}     {path.parent}")
            item.setData(Qt.ItemDataRole.UserRole, str(path))
            self.recent.addItem(item)
        for widget in (self.recent, self.recent_words):
            widget.setVisible(bool(paths))

    def _open(self, item: QListWidgetItem) -> None:
        self.opened.emit(place_of(str(item.data(Qt.ItemDataRole.UserRole))))

    def take_keyboard(self) -> None:
        self.buttons["file.folder"].setFocus()

    def dragEnterEvent(self, event: QDragEnterEvent) -> None:
        if event.mimeData().hasUrls():
            event.acceptProposedAction()

    def dropEvent(self, event: QDropEvent) -> None:
        paths = [Path(u.toLocalFile()) for u in event.mimeData().urls() if u.isLocalFile()]
        if paths:
            event.acceptProposedAction()
            self.dropped.emit(paths)
