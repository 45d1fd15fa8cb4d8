"""Tables that are read and chosen from, not typed into: whole rows, no grid."""

from collections.abc import Sequence

from PySide6.QtWidgets import QAbstractItemView, QHeaderView, QTableWidget


def listing(name: str, headings: Sequence[str], wide: int, rows: int = 0) -> QTableWidget:
    """A table with the name that screen readers say; the column `wide` takes the room that the others leave."""
    table = QTableWidget(rows, len(headings))
    table.setAccessibleName(name)
    table.setHorizontalHeaderLabels(list(headings))
    table.setSelectionBehavior(QAbstractItemView.SelectionBehavior.SelectRows)
    table.setEditTriggers(QAbstractItemView.EditTrigger.NoEditTriggers)
    table.setShowGrid(False)
    table.verticalHeader().setVisible(False)
    table.verticalHeader().setDefaultSectionSize(24)
    header = table.horizontalHeader()
    header.setSectionResizeMode(QHeaderView.ResizeMode.ResizeToContents)
    header.setSectionResizeMode(wide, QHeaderView.ResizeMode.Stretch)
    return table
