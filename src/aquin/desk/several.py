"""Dialogs for several hands: who is here, and what another changed that undo would take away."""

from __future__ import annotations

import json
from collections.abc import Sequence
from typing import TYPE_CHECKING, Any

from PySide6.QtCore import Signal
from PySide6.QtWidgets import (
    QDialog,
    QDialogButtonBox,
    QHeaderView,
    QPushButton,
    QTableWidget,
    QTableWidgetItem,
    QWidget,
)

from aquin.desk.kit import theme
from aquin.desk.kit.boxes import column_of
from aquin.desk.kit.dialogs import open_fitting, with_close
from aquin.desk.kit.labels import Words
from aquin.production.moved import Moved, Part

if TYPE_CHECKING:
    from aquin.production import Production
    from aquin.production.presence import Seat

LONG = 60
"""Letters of a value that are shown."""


class SeatsDialog(QDialog):
    """The other programs that have this production open."""

    def __init__(self, owner: QWidget, seats: Sequence[Seat], words: Sequence[str]) -> None:
        super().__init__(owner)
        self.setWindowTitle("Who else is here")
        column = column_of(theme.GRID, self)
        said = (
            "Each sees what the others save within a second. Two who change the same thing at once are told."
        )
        column.addWidget(about := Words(said, role="soft"))
        about.setWordWrap(True)
        rows = [(one, seat.workstation, seat.at[11:19]) for one, seat in zip(words, seats, strict=True)]
        column.addWidget(
            table_of(("Who, and where in the production", "Workstation", "Heard of (UTC)"), rows)
        )
        with_close(self, column)
        self.resize(620, 320)

    def show_fitting(self) -> None:
        open_fitting(self)


class MovedDialog(QDialog):
    """What stands there now against what the step left: `chosen` carries what is to become of it."""

    chosen = Signal(str)

    def __init__(self, owner: QWidget, word: str, error: Moved, production: Production | None) -> None:
        super().__init__(owner)
        took = {"undo": "Take back", "redo": "Do again", "change": "Save"}[word]
        title = "Not saved" if word == "change" else took
        self.setWindowTitle(f"{title}: somebody has worked on it since")
        column = column_of(theme.GRID, self)
        left = (
            "This is not what your change was based on"
            if word == "change"
            else "These are not as your step left them"
        )
        said = f"Nothing has been changed yet. {left}" + (
            "; the rest of the step can be done without touching them." if error.rest else "."
        )
        column.addWidget(about := Words(said, role="soft"))
        about.setWordWrap(True)
        rows = [row_of(p, production) for p in error.parts]
        self.table = table_of(("Who and what", "There now", "Would become"), rows)
        column.addWidget(self.table)
        buttons = QDialogButtonBox()
        self.rest, self.all, self.none = (
            QPushButton(f"{took} the rest"),
            QPushButton(f"{took} all of it"),
            QPushButton("Leave everything"),
        )
        self.rest.setToolTip("What others changed stays as it is")
        self.all.setToolTip("Overwrites what is listed here, where it can be; the journal keeps it")
        for button, role, others in (
            (self.rest, QDialogButtonBox.ButtonRole.AcceptRole, "leave"),
            (self.all, QDialogButtonBox.ButtonRole.AcceptRole, "overwrite"),
        ):
            buttons.addButton(button, role)
            button.clicked.connect(lambda _=False, o=others: self._choose(o))
        buttons.addButton(self.none, QDialogButtonBox.ButtonRole.RejectRole)
        self.none.clicked.connect(self.reject)
        if word == "change":
            self.rest.hide()
            self.all.setText("Save mine over it")
            self.none.setText("Leave theirs")
            self.all.setEnabled(bool(error.changes))
        self.rest.setEnabled(error.rest)
        (self.rest if error.rest else self.none).setDefault(True)
        column.addWidget(buttons)
        self.resize(760, min(190 + 30 * len(rows), 420))

    def show_fitting(self) -> None:
        open_fitting(self)

    def _choose(self, others: str) -> None:
        self.accept()
        self.chosen.emit(others)


def row_of(part: Part, production: Production | None) -> tuple[str, str, str]:
    """One thing that moved: who changed what, what is there, and what was wanted; other records by their names."""
    if not part.field:
        return part.line(), "", ""
    from aquin.production.putting import REFERENCES

    kind = REFERENCES.get(part.field)

    def said(value: Any) -> str:
        found: Any = (
            production.find(kind, value) if kind is not None and production is not None and value else None
        )
        return short(found.name if found is not None else value)

    return part.line(), said(part.there), said(part.wanted)


def short(value: Any) -> str:
    """A value in a cell."""
    text = value if isinstance(value, str) else json.dumps(value, ensure_ascii=False, default=str)
    return (text if len(text) <= LONG else f"{text[: LONG - 1]}…") or "(empty)"


def table_of(titles: Sequence[str], rows: Sequence[Sequence[str]]) -> QTableWidget:
    """Rows to be read; whole texts are in the tooltips."""
    table = QTableWidget(len(rows), len(titles))
    table.setHorizontalHeaderLabels(list(titles))
    table.verticalHeader().hide()
    table.setEditTriggers(QTableWidget.EditTrigger.NoEditTriggers)
    table.setSelectionBehavior(QTableWidget.SelectionBehavior.SelectRows)
    table.setWordWrap(True)
    for k, row in enumerate(rows):
        for n, text in enumerate(row):
            item = QTableWidgetItem(text)
            item.setToolTip(text)
            table.setItem(k, n, item)
    table.horizontalHeader().setSectionResizeMode(0, QHeaderView.ResizeMode.Stretch)
    for n in range(1, len(titles)):
        table.horizontalHeader().setSectionResizeMode(n, QHeaderView.ResizeMode.ResizeToContents)
    table.resizeRowsToContents()
    return table
