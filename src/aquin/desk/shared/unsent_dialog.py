"""What waits to be sent to the server, and what it refused since others had changed the same."""

from __future__ import annotations

from typing import TYPE_CHECKING, Literal

from PySide6.QtCore import Signal
from PySide6.QtWidgets import QDialog, QDialogButtonBox, QPushButton, QWidget

from aquin.desk.kit import theme
from aquin.desk.kit.boxes import column_of
from aquin.desk.kit.dialogs import open_fitting
from aquin.desk.kit.labels import Words
from aquin.desk.kit.plain_table import PlainTable
from aquin.errors import AquinError

if TYPE_CHECKING:
    from aquin.production import Production

Take = Literal["rest", "all", "none"]
CHOICES: tuple[tuple[Take, str, str], ...] = (
    ("rest", "Do the rest of it", "What others changed stays as it is"),
    ("all", "Do all of it", "Overwrites what others changed; the journal keeps theirs"),
    ("none", "Let it go", "The server's state stays; this change is dropped"),
)


class UnsentDialog(QDialog):
    """`told`: what became of one."""

    told = Signal(str)

    def __init__(self, owner: QWidget, production: Production) -> None:
        super().__init__(owner)
        self.production = production
        self.setWindowTitle("Changes that the server does not have")
        column = column_of(theme.GRID, self)
        self.about = Words("", role="soft", wrap=True)
        column.addWidget(self.about)
        self.table = PlainTable(
            "Changes that the server does not have", ("", "when (UTC)", "what", "why"), wide=3
        )
        self.table.setMinimumSize(680, 200)
        column.addWidget(self.table, 1)
        buttons = QDialogButtonBox(QDialogButtonBox.StandardButton.Close)
        buttons.rejected.connect(self.reject)
        self.choices: dict[Take, QPushButton] = {}
        for take, words, tip in CHOICES:
            button = self.choices[take] = QPushButton(words)
            button.setToolTip(tip)
            button.setAutoDefault(False)
            button.clicked.connect(lambda _=False, t=take: self.decide(t))
            buttons.addButton(button, QDialogButtonBox.ButtonRole.ActionRole)
        column.addWidget(buttons)
        self.table.selectionModel().currentChanged.connect(lambda *_: self._enable())
        self.show_all()

    def show_fitting(self) -> None:
        open_fitting(self)

    def show_all(self) -> None:
        waiting, refused = self.production.waiting, self.production.refused
        cut = "The line to the server is cut. " if self.production.cut else ""
        kept = "What waits is kept on this machine, also if Aquin is closed, and sent when the line is back. "
        choose = "What others had changed meanwhile was not overwritten: choose what becomes of it."
        self.about.setText(
            f"{cut}{kept if waiting else ''}{choose if refused else ''}" or "The server has everything."
        )
        rows = [
            ("refused", i.at[5:19].replace("T", " "), i.what, i.words.partition(": ")[2]) for i in refused
        ]
        rows += [("waits", i.at[5:19].replace("T", " "), i.what, i.why) for i in waiting]
        ids = [i.id for i in (*refused, *waiting)]
        self.table.show_rows(list(zip(ids, rows, strict=True)), [r[0] == "waits" for r in rows])
        if rows:
            self.table.setCurrentCell(0)
        self._enable()

    def _enable(self) -> None:
        id = self.table.name_of(self.table.currentRow())
        known = any(i.id == id for i in self.production.refused)
        for button in self.choices.values():
            button.setEnabled(known and not self.production.cut)

    def decide(self, take: Take) -> None:
        """What becomes of the chosen change."""
        id = self.table.name_of(self.table.currentRow())
        try:
            self.production.decide(str(id), take)
        except AquinError as error:
            self.told.emit(error.line())
        self.show_all()
