"""A table of words that is read, not edited: rows are chosen, Enter or a double click takes one."""

from collections.abc import Sequence

from PySide6.QtCore import Qt, Signal
from PySide6.QtWidgets import QAbstractItemView, QHeaderView, QTableWidget, QTableWidgetItem

from aquin.desk.kit import theme

ROW = 22


class PlainTable(QTableWidget):
    """`chosen` and `taken` carry a row's name."""

    chosen = Signal(str)
    taken = Signal(str)

    def __init__(self, name: str, columns: Sequence[str], wide: int | tuple[int, ...] = 0) -> None:
        super().__init__(0, len(columns))
        self.setAccessibleName(name)
        self.setHorizontalHeaderLabels(list(columns))
        self.horizontalHeader().setDefaultAlignment(Qt.AlignmentFlag.AlignLeft)
        self.horizontalHeader().setSectionResizeMode(QHeaderView.ResizeMode.ResizeToContents)
        for column in (wide,) if isinstance(wide, int) else wide:
            self.horizontalHeader().setSectionResizeMode(column, QHeaderView.ResizeMode.Stretch)
        self.horizontalHeader().setHighlightSections(False)
        self.verticalHeader().hide()
        self.verticalHeader().setDefaultSectionSize(ROW)
        self.setEditTriggers(QAbstractItemView.EditTrigger.NoEditTriggers)
        self.setSelectionBehavior(QAbstractItemView.SelectionBehavior.SelectRows)
        self.setSelectionMode(QAbstractItemView.SelectionMode.SingleSelection)
        self.setTabKeyNavigation(False)
        self.setShowGrid(False)
        self.setWordWrap(False)
        self.setTextElideMode(Qt.TextElideMode.ElideRight)
        self.currentCellChanged.connect(lambda row, *_: self._tell(self.chosen, row))
        self.cellDoubleClicked.connect(lambda row, _: self._tell(self.taken, row))

    def show_rows(self, rows: Sequence[tuple[str, Sequence[str]]], faint: Sequence[bool] = ()) -> None:
        """Rows by name; `faint`: which of them step back."""
        kept = self.name_of(self.currentRow())
        self.blockSignals(True)
        self.setRowCount(len(rows))
        for k, (name, cells) in enumerate(rows):
            for column, text in enumerate(cells):
                item = QTableWidgetItem(text)
                item.setToolTip(text)
                item.setData(Qt.ItemDataRole.UserRole, name)
                if k < len(faint) and faint[k]:
                    item.setForeground(theme.DIM)
                self.setItem(k, column, item)
        at = next((k for k, (name, _) in enumerate(rows) if name == kept), -1)
        self.setCurrentCell(at, 0 if at >= 0 else -1)
        self.blockSignals(False)

    def name_of(self, row: int) -> str:
        item = self.item(row, 0)
        return "" if item is None else str(item.data(Qt.ItemDataRole.UserRole))

    def _tell(self, signal: object, row: int) -> None:
        if name := self.name_of(row):
            signal.emit(name)  # type: ignore[attr-defined]

    def keyPressEvent(self, event) -> None:  # type: ignore[no-untyped-def]
        if event.key() in (Qt.Key.Key_Return, Qt.Key.Key_Enter):
            self._tell(self.taken, self.currentRow())
        else:
            super().keyPressEvent(event)
