"""Small dialogs of the Shots view: which column of a report means what, and the pieces of the edits."""

from __future__ import annotations

from collections.abc import Callable
from typing import TYPE_CHECKING

from PySide6.QtCore import Qt
from PySide6.QtWidgets import (
    QAbstractItemView,
    QComboBox,
    QDialog,
    QDialogButtonBox,
    QFormLayout,
    QHBoxLayout,
    QTableWidget,
    QTableWidgetItem,
    QVBoxLayout,
    QWidget,
)

from aquin.desk.kit import theme
from aquin.desk.kit.dialogs import open_fitting, take_or_leave
from aquin.desk.kit.labels import Words
from aquin.production import Edit, Event, Shot
from aquin.production.report import FIELDS, TITLES, Sheet

if TYPE_CHECKING:
    from aquin.production import Production


NOT_THERE = "(not in this report)"


def ask_columns(
    parent: QWidget, sheet: Sheet, proposed: dict[str, str], chosen: Callable[[dict[str, str]], None]
) -> QDialog:
    """Let the person map a report's columns to fields; `chosen` gets field to column."""
    dialog = QDialog(parent)
    dialog.setWindowTitle(f"Columns of {sheet.path.name}")
    column = QVBoxLayout(dialog)
    words = Words(
        f"{len(sheet.rows)} rows. Which column says what? The answer is remembered for reports with the same columns."
    )
    words.setWordWrap(True)
    column.addWidget(words)
    form: list[QFormLayout] = [QFormLayout(), QFormLayout()]
    both = QHBoxLayout()
    both.setSpacing(24)
    boxes: dict[str, QComboBox] = {}
    for k, field in enumerate(FIELDS):
        box = QComboBox()
        box.setAccessibleName(TITLES[field])
        box.addItem(NOT_THERE)
        for name in sheet.columns:
            example = next(
                (row[sheet.columns.index(name)] for row in sheet.rows if row[sheet.columns.index(name)]), ""
            )
            box.addItem(f"{name}   e.g. {example[:24]}" if example else name, name)
        if field in proposed:
            box.setCurrentIndex(sheet.columns.index(proposed[field]) + 1)
        boxes[field] = box
        form[k >= (len(FIELDS) + 1) // 2].addRow(TITLES[field][:1].upper() + TITLES[field][1:], box)
    for part in form:
        both.addLayout(part)
    column.addLayout(both)

    def accepted() -> None:
        dialog.accept()
        chosen({f: str(b.currentData()) for f, b in boxes.items() if b.currentData()})

    column.addWidget(take_or_leave(dialog, "Read the report", accepted))
    dialog.boxes = boxes  # type: ignore[attr-defined]
    open_fitting(dialog)
    return dialog


def show_edits(parent: QWidget, production: Production) -> QDialog:
    """All pieces of all edits; those that fit no shot first, with the reason."""
    dialog = QDialog(parent)
    dialog.setWindowTitle("Edits")
    dialog.resize(900, 520)
    column = QVBoxLayout(dialog)
    edits = {e.id: e for e in production.all(Edit)}
    events = sorted(
        production.all(Event), key=lambda e: (bool(e.shot_id), edits[e.edit_id].position, e.position)
    )
    left = sum(not e.shot_id for e in events)
    title = Words(
        f"{len(events) - left} of {len(events)} pieces conform."
        + (f" {left} fit no shot, and come first." if left else "")
    )
    title.setFont(theme.font(theme.LARGE, True))
    column.addWidget(title)
    heads = ("edit", "piece", "reel", "clip", "in", "out", "shot", "why not")
    table = QTableWidget(len(events), len(heads))
    table.setHorizontalHeaderLabels(list(heads))
    table.setEditTriggers(QAbstractItemView.EditTrigger.NoEditTriggers)
    table.setSelectionBehavior(QAbstractItemView.SelectionBehavior.SelectRows)
    table.verticalHeader().hide()
    table.horizontalHeader().setStretchLastSection(True)
    for row, event in enumerate(events):
        shot = production.find(Shot, event.shot_id)
        cells = (
            edits[event.edit_id].name,
            str(event.position + 1),
            event.reel,
            event.clip,
            event.source_in,
            event.source_out,
            shot.path if shot is not None else "",
            event.why,
        )
        for k, text in enumerate(cells):
            item = QTableWidgetItem(text)
            if heads[k] in ("piece", "in", "out"):
                item.setTextAlignment(Qt.AlignmentFlag.AlignRight | Qt.AlignmentFlag.AlignVCenter)
            table.setItem(row, k, item)
    for k, width in enumerate((130, 46, 52, 90, 92, 92, 160)):
        table.setColumnWidth(k, width)
    column.addWidget(table)
    buttons = QDialogButtonBox(QDialogButtonBox.StandardButton.Close)
    buttons.rejected.connect(dialog.reject)
    column.addWidget(buttons)
    open_fitting(dialog)
    return dialog
