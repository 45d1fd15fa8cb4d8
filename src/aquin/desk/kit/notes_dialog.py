"""The notes on a shot: read, written, seen to."""

from __future__ import annotations

from typing import TYPE_CHECKING

from PySide6.QtCore import Signal
from PySide6.QtWidgets import QComboBox, QDialog, QLineEdit, QPushButton, QVBoxLayout, QWidget

from aquin.desk.kit.boxes import line_of
from aquin.desk.kit.dialogs import open_fitting, with_close
from aquin.desk.kit.labels import Words
from aquin.desk.kit.plain_table import PlainTable
from aquin.errors import AquinError
from aquin.production.notes import add_note, finish_note, notes_of, people_of

if TYPE_CHECKING:
    from aquin.production import Production, Shot


class NotesDialog(QDialog):
    """`changed`: a note was written or seen to."""

    changed = Signal()

    def __init__(self, parent: QWidget, production: Production, shot: Shot) -> None:
        super().__init__(parent)
        self.production, self.shot = production, shot
        self.setWindowTitle(f"Notes on {shot.name}")
        column = QVBoxLayout(self)
        self.table = PlainTable("Notes", ("", "when", "from", "to", "note"), wide=4)
        self.table.setMinimumSize(640, 200)
        self.table.setToolTip("Enter: seen to, or open again")
        self.table.taken.connect(self._finish)
        column.addWidget(self.table, 1)
        line = line_of(0, spacing=6)
        self.text = QLineEdit()
        self.text.setPlaceholderText("What is to be seen to")
        self.text.setAccessibleName("Note")
        self.text.setMaxLength(2000)
        self.text.returnPressed.connect(self._add)
        self.to = QComboBox()
        self.to.setEditable(True)
        self.to.setAccessibleName("To whom")
        self.to.addItem("")
        self.to.addItems(people_of(production))
        self.add_button = QPushButton("Write")
        self.add_button.setAutoDefault(False)
        self.add_button.clicked.connect(self._add)
        self.done_button = QPushButton("Seen to, or open again")
        self.done_button.setAutoDefault(False)
        self.done_button.clicked.connect(lambda: self._finish(self.table.name_of(self.table.currentRow())))
        line.addWidget(self.text, 1)
        line.addWidget(Words("to"))
        line.addWidget(self.to)
        line.addWidget(self.add_button)
        line.addWidget(self.done_button)
        column.addLayout(line)
        self.trouble = Words("", role="soft", wrap=True)
        column.addWidget(self.trouble)
        with_close(self, column)
        for widget in (self.text, self.to, self.add_button, self.done_button):
            widget.setEnabled(not production.read_only)
        self._fill()
        open_fitting(self)
        self.text.setFocus()

    def _fill(self) -> None:
        notes = notes_of(self.production, self.shot.id)
        self.table.show_rows(
            [
                (
                    n.id,
                    (
                        f"done, {n.done}" if n.done else "open",
                        n.at[:16].replace("T", " "),
                        n.who,
                        n.to,
                        n.text,
                    ),
                )
                for n in notes
            ],
            [bool(n.done) for n in notes],
        )

    def _add(self) -> None:
        try:
            add_note(self.production, self.shot, self.text.text(), self.to.currentText())
        except AquinError as error:
            self.trouble.setText(error.line())
            return
        self.text.clear()
        self.trouble.setText("")
        self._fill()
        self.changed.emit()

    def _finish(self, id: str) -> None:
        note = next((n for n in notes_of(self.production, self.shot.id) if n.id == id), None)
        if note is None:
            return
        try:
            finish_note(self.production, self.shot, id, not note.done)
        except AquinError as error:
            self.trouble.setText(error.line())
            return
        self._fill()
        self.changed.emit()
