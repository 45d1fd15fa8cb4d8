"""Before a merge: what both have changed, with numbers and pictures, and what is taken of each."""

from __future__ import annotations

from collections.abc import Mapping
from typing import TYPE_CHECKING, Any

from PySide6.QtCore import Signal
from PySide6.QtGui import QImage
from PySide6.QtWidgets import QComboBox, QDialog, QDialogButtonBox, QVBoxLayout, QWidget

from aquin.desk.kit.boxes import line_of
from aquin.desk.kit.dialogs import open_fitting
from aquin.desk.kit.labels import Words
from aquin.desk.kit.plain_table import PlainTable
from aquin.desk.kit.sheet import Cell, Sheet
from aquin.production.diary import grade_text

if TYPE_CHECKING:
    from aquin.production.merging import Conflict, Plan

TAKES = {"mine": "keep ours", "theirs": "take theirs", "between": "half way"}


class MergeDialog(QDialog):
    """`agreed` carries what is taken, by conflict. `pictures`: by shot id JPEG of ours and theirs."""

    agreed = Signal(object)

    def __init__(
        self, parent: QWidget, name: str, plan: Plan, pictures: Mapping[str, tuple[bytes, bytes]]
    ) -> None:
        super().__init__(parent)
        self.plan, self.pictures = plan, pictures
        self.takes: dict[tuple[str, str, str], str] = {c.key: "mine" for c in plan.conflicts}
        self.setWindowTitle("Merge")
        column = QVBoxLayout(self)
        people = ", ".join(dict.fromkeys(e.who for e in plan.entries if e.who))
        many = len(plan.conflicts)
        both = (
            f"{many} are changed on both sides: say what holds."
            if many
            else "Nothing is changed on both sides."
        )
        text = f"{name}: {len(plan.entries)} entries by {people}. {plan.taken} records are taken as they are. {both}"
        column.addWidget(Words(text, wrap=True))
        self.table = PlainTable(
            "What both have changed", ("", "was", "ours", "theirs", "taken"), wide=(1, 2, 3)
        )
        self.table.setMinimumSize(760, 180)
        self.table.chosen.connect(self._choose)
        column.addWidget(self.table, 1)
        line = line_of(0, spacing=8)
        self.take = QComboBox()
        self.take.setAccessibleName("What is taken")
        for id, title in TAKES.items():
            self.take.addItem(title, id)
        self.take.activated.connect(self._taken)
        self.said = Words("", role="dim").gives_way()
        line.addWidget(Words("For this one"))
        line.addWidget(self.take)
        line.addWidget(self.said, 1)
        column.addLayout(line)
        self.sheet = Sheet()
        self.sheet.setMinimumHeight(190)
        column.addWidget(self.sheet, 1)
        buttons = QDialogButtonBox(QDialogButtonBox.StandardButton.Cancel)
        self.ok = buttons.addButton("Merge", QDialogButtonBox.ButtonRole.AcceptRole)
        self.ok.setProperty("main", True)
        buttons.accepted.connect(self._done)
        buttons.rejected.connect(self.reject)
        column.addWidget(buttons)
        for widget in (self.table, self.take, self.sheet):
            widget.setEnabled(bool(many))
        self.sheet.setVisible(bool(pictures))
        self._fill()
        if many:
            self.table.setCurrentCell(0, 0)
        open_fitting(self)

    def _fill(self) -> None:
        rows = []
        for k, c in enumerate(self.plan.conflicts):
            values = [_words(c, v) for v in (c.base, c.mine, c.theirs)]
            title = c.record + (f", {c.field}" if c.field and c.field != "values" else "")
            rows.append((str(k), (title, *values, TAKES[self.takes[c.key]])))
        self.table.show_rows(rows)

    @property
    def conflict(self) -> Conflict | None:
        at = self.table.currentRow()
        return self.plan.conflicts[at] if 0 <= at < len(self.plan.conflicts) else None

    def _choose(self, _: str) -> None:
        conflict = self.conflict
        if conflict is None:
            return
        self.take.setCurrentIndex(self.take.findData(self.takes[conflict.key]))
        self.take.setEnabled(conflict.can_take)
        self.said.setText("" if conflict.can_take else "It refers to something that is gone here.")
        both = self.pictures.get(conflict.shot_id)
        if both is None:
            self.sheet.show_cells([""], [""], [])
            return
        images = [QImage.fromData(p) for p in both]
        cells = [Cell(i, k, 0, f"{conflict.record}: {('ours', 'theirs')[k]}") for k, i in enumerate(images)]
        self.sheet.show_cells(["", ""], [""], cells)

    def _taken(self) -> None:
        conflict = self.conflict
        if conflict is not None:
            self.takes[conflict.key] = str(self.take.currentData())
            self._fill()

    def _done(self) -> None:
        self.accept()
        self.agreed.emit(self.takes)


def _words(conflict: Conflict, value: Any) -> str:
    if value is None:
        return "not there"
    if conflict.table == "grade" and conflict.field == "values":
        return grade_text(value)
    return str(value)[:60]
