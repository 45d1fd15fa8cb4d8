"""A list to choose from by looking: what is under the pointer or the arrow keys is shown, a click or Enter takes it."""

from PySide6.QtCore import QEvent, QObject, QPoint, Qt, Signal
from PySide6.QtGui import QKeyEvent
from PySide6.QtWidgets import QListWidget, QListWidgetItem

from aquin.desk.kit.columns import COLUMNS, Columns

ROW = 22
"""Height of a row."""


class Choices(QListWidget):
    """`hovered` and `taken` carry an item's name; `hovered` an empty one when the pointer leaves."""

    hovered = Signal(str)
    taken = Signal(str)

    def __init__(self, name: str, tip: str) -> None:
        super().__init__()
        self.setItemDelegate(Columns(self, ROW))
        self.setAccessibleName(name)
        self.setToolTip(tip)
        self.setMouseTracking(True)
        self._still: QPoint | None = None
        self.itemEntered.connect(self._hover)
        self.currentItemChanged.connect(lambda item, _: self._hover(item) if self.hasFocus() else None)
        self.itemClicked.connect(self._take)
        self.itemActivated.connect(self._take)
        self.viewport().installEventFilter(self)
        self.installEventFilter(self)

    def put(self, name: str, columns: tuple[str, ...], said: str, tip: str = "") -> None:
        """An item. `said`: what a reader of the screen says, and the tooltip where there is no other."""
        item = QListWidgetItem(said, self)
        item.setToolTip(tip or said)
        item.setData(Qt.ItemDataRole.UserRole, name)
        item.setData(COLUMNS, columns)

    def fit(self, least: int, most: int) -> None:
        """As high as its rows."""
        self.setFixedHeight(min(max(self.count(), least), most) * ROW + 4)

    def _hover(self, item: QListWidgetItem | None) -> None:
        if item is not None:
            self.hovered.emit(str(item.data(Qt.ItemDataRole.UserRole)))

    def _take(self, item: QListWidgetItem) -> None:
        self.taken.emit(str(item.data(Qt.ItemDataRole.UserRole)))

    def eventFilter(self, watched: QObject, event: QEvent) -> bool:
        kind = event.type()
        left = kind == QEvent.Type.Leave or (watched is self and kind == QEvent.Type.FocusOut)
        escape = (
            isinstance(event, QKeyEvent) and kind == QEvent.Type.KeyPress and event.key() == Qt.Key.Key_Escape
        )
        if left or escape:
            self.hovered.emit("")
        return escape
