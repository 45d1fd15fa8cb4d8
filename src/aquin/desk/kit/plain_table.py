"""A table of words that is read, not edited: rows are chosen, Enter or a double click takes one. Only what is seen is
put into words, so that many thousand rows cost nothing.
"""

from collections.abc import Callable, Sequence
from typing import Any

from PySide6.QtCore import QAbstractTableModel, QModelIndex, QPersistentModelIndex, Qt, Signal
from PySide6.QtGui import QKeyEvent
from PySide6.QtWidgets import QAbstractItemView, QHeaderView, QTableView

from aquin.desk.kit import theme

ROW = 22
LOOKED_AT = 40
"""Rows that the width of a column goes by."""
Index = QModelIndex | QPersistentModelIndex


class _Rows(QAbstractTableModel):
    """`cells` gives a row's words, `faint` whether it steps back."""

    def __init__(self, columns: Sequence[str]) -> None:
        super().__init__()
        self.columns = list(columns)
        self.names: Sequence[str] = ()
        self.cells: Callable[[int], Sequence[str]] = lambda row: ()
        self.faint: Callable[[int], bool] = lambda row: False
        self._known: dict[int, Sequence[str]] = {}

    def show(
        self, names: Sequence[str], cells: Callable[[int], Sequence[str]], faint: Callable[[int], bool]
    ) -> None:
        self.beginResetModel()
        self.names, self.cells, self.faint, self._known = names, cells, faint, {}
        self.endResetModel()

    def rowCount(self, parent: Index = QModelIndex()) -> int:  # noqa: B008 - Qt's own way
        return 0 if parent.isValid() else len(self.names)

    def columnCount(self, parent: Index = QModelIndex()) -> int:  # noqa: B008
        return 0 if parent.isValid() else len(self.columns)

    def headerData(self, section: int, way: Qt.Orientation, role: int = Qt.ItemDataRole.DisplayRole) -> Any:
        across = way == Qt.Orientation.Horizontal and role == Qt.ItemDataRole.DisplayRole
        return self.columns[section] if across else None

    def words(self, row: int) -> Sequence[str]:
        if row not in self._known:
            self._known[row] = tuple(self.cells(row))
        return self._known[row]

    def data(self, index: Index, role: int = Qt.ItemDataRole.DisplayRole) -> Any:
        row = index.row()
        if role in (Qt.ItemDataRole.DisplayRole, Qt.ItemDataRole.ToolTipRole):
            words = self.words(row)
            return words[index.column()] if index.column() < len(words) else ""
        if role == Qt.ItemDataRole.ForegroundRole and self.faint(row):
            return theme.DIM
        return None


class PlainTable(QTableView):
    """`chosen` and `taken` carry a row's name."""

    chosen = Signal(str)
    taken = Signal(str)

    def __init__(self, name: str, columns: Sequence[str], wide: int | tuple[int, ...] = 0) -> None:
        super().__init__()
        self._quiet = False
        self.rows = _Rows(columns)
        self.setModel(self.rows)
        self.setAccessibleName(name)
        header = self.horizontalHeader()
        header.setDefaultAlignment(Qt.AlignmentFlag.AlignLeft)
        header.setResizeContentsPrecision(LOOKED_AT)
        header.setSectionResizeMode(QHeaderView.ResizeMode.ResizeToContents)
        for column in (wide,) if isinstance(wide, int) else wide:
            header.setSectionResizeMode(column, QHeaderView.ResizeMode.Stretch)
        header.setHighlightSections(False)
        self.verticalHeader().hide()
        self.verticalHeader().setSectionResizeMode(QHeaderView.ResizeMode.Fixed)
        self.verticalHeader().setDefaultSectionSize(ROW)
        self.setSelectionBehavior(QAbstractItemView.SelectionBehavior.SelectRows)
        self.setSelectionMode(QAbstractItemView.SelectionMode.SingleSelection)
        self.setTabKeyNavigation(False)
        self.setShowGrid(False)
        self.setWordWrap(False)
        self.setTextElideMode(Qt.TextElideMode.ElideRight)
        self.doubleClicked.connect(lambda index: self.taken.emit(self.name_of(index.row())))

    def show_rows(self, rows: Sequence[tuple[str, Sequence[str]]], faint: Sequence[bool] = ()) -> None:
        """Rows by name; `faint`: which of them step back."""
        self.show_many(
            [name for name, _ in rows], lambda k: rows[k][1], lambda k: k < len(faint) and bool(faint[k])
        )

    def show_many(
        self,
        names: Sequence[str],
        cells: Callable[[int], Sequence[str]],
        faint: Callable[[int], bool] = lambda row: False,
    ) -> None:
        """The same where the words of a row are only made when it is seen. The row that was chosen stays chosen."""
        kept = self.name_of(self.currentRow())
        self._quiet = True
        self.rows.show(names, cells, faint)
        at = names.index(kept) if kept in names else -1
        if at >= 0:
            self.setCurrentCell(at)
        self._quiet = False

    def rowCount(self) -> int:
        return self.rows.rowCount()

    def currentRow(self) -> int:
        return self.currentIndex().row()

    def setCurrentCell(self, row: int, column: int = 0) -> None:
        self.setCurrentIndex(self.rows.index(row, column))

    def text(self, row: int, column: int) -> str:
        """The words of a cell."""
        return str(self.rows.words(row)[column])

    def name_of(self, row: int) -> str:
        return self.rows.names[row] if 0 <= row < len(self.rows.names) else ""

    def currentChanged(self, current: Index, previous: Index) -> None:
        super().currentChanged(current, previous)
        if not self._quiet and (name := self.name_of(current.row())):
            self.chosen.emit(name)

    def keyPressEvent(self, event: QKeyEvent) -> None:
        if event.key() in (Qt.Key.Key_Return, Qt.Key.Key_Enter):
            if name := self.name_of(self.currentRow()):
                self.taken.emit(name)
        else:
            super().keyPressEvent(event)
