"""Dialogs of the ledger: a production's tolerances, and the ledger's history."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from typing import TYPE_CHECKING

from PySide6.QtCore import Qt, Signal
from PySide6.QtWidgets import (
    QAbstractItemView,
    QDialog,
    QDialogButtonBox,
    QGridLayout,
    QHBoxLayout,
    QPushButton,
    QTableWidgetItem,
    QVBoxLayout,
    QWidget,
)

from aquin.colour.grade import Grade
from aquin.desk.kit import theme
from aquin.desk.kit.axes import MEANING, UNITS, difference_text
from aquin.desk.kit.dialogs import take_or_leave
from aquin.desk.kit.labels import Words
from aquin.desk.kit.listing import listing
from aquin.desk.kit.number import Number
from aquin.measure.ledger import AXES, MAIN, Evidence, measure

if TYPE_CHECKING:
    from aquin.production.history import Step


class ToleranceDialog(QDialog):
    """What counts as settled, axis by axis. `chosen` carries all of them."""

    chosen = Signal(object)

    def __init__(self, held: Mapping[str, float], where: str, parent: QWidget) -> None:
        super().__init__(parent)
        self.setWindowTitle("Tolerances")
        column = QVBoxLayout(self)
        words = Words(f"How far a shot may be from its hero and still pass, {where}.")
        words.setWordWrap(True)
        column.addWidget(words)
        grid = QGridLayout()
        grid.setHorizontalSpacing(12)
        self.numbers: dict[str, Number] = {}
        for row, axis in enumerate(AXES):
            name = Words(axis.name)
            name.setToolTip(MEANING[axis.name])
            if axis.name in MAIN:
                name.setFont(theme.font(theme.BASE, True))
                name.setToolTip(f"{MEANING[axis.name]} It decides whether a shot is within tolerance.")
            digits = 2 if axis.tolerance < 2 else 1
            unit = UNITS.get(axis.unit, axis.unit)
            number = Number(
                f"tolerance of {axis.name}",
                unit,
                axis.tolerance,
                axis.tolerance / 10,
                axis.tolerance / 20,
                axis.tolerance * 20,
                digits,
            )
            number.show_value(held.get(axis.name, axis.tolerance))
            self.numbers[axis.name] = number
            usual = Words(f"usually {axis.tolerance:g}")
            usual.set_role("dim")
            for k, widget in enumerate((name, number, Words(unit), usual)):
                grid.addWidget(widget, row, k)
        column.addLayout(grid)
        buttons = take_or_leave(self, "Keep", self._keep)
        self.usual_button = QPushButton("All as usual")
        self.usual_button.clicked.connect(self.as_usual)
        buttons.addButton(self.usual_button, QDialogButtonBox.ButtonRole.ResetRole)
        column.addWidget(buttons)

    def as_usual(self) -> None:
        for axis in AXES:
            self.numbers[axis.name].show_value(axis.tolerance)

    def _keep(self) -> None:
        self.chosen.emit({name: number.value for name, number in self.numbers.items()})
        self.accept()


class HistoryDialog(QDialog):
    """The ledger of a shot under each grade that it had, the newest first. `taken` carries one of these grades."""

    taken = Signal(object, str)

    def __init__(
        self,
        steps: Sequence[Step],
        evidence: Evidence | None,
        tolerances: Mapping[str, float],
        name: str,
        parent: QWidget,
    ) -> None:
        super().__init__(parent)
        self.steps = list(steps)
        self.setWindowTitle(f"History of {name}")
        self.resize(960, 480)
        column = QVBoxLayout(self)
        words = Words(
            "How far the shot was from its hero under each of its grades, measured on what speaks for it now"
            if evidence is not None
            else "The grades that the shot had. Nothing is measured here: no evidence is at hand"
        )
        words.set_role("soft")
        column.addWidget(words)
        axes = [a for a in AXES if a.name in MAIN]
        headings = ("when", "who", "what", *(f"{a.name} {UNITS.get(a.unit, a.unit)}" for a in axes))
        self.table = listing("History of the ledger", headings, wide=2, rows=len(self.steps))
        self.table.setSelectionMode(QAbstractItemView.SelectionMode.SingleSelection)
        for row, step in enumerate(self.steps):
            when = step.at[:16].replace("T", " ")
            texts = [when, step.who, step.what]
            rows = (
                {}
                if evidence is None
                else {r.axis.name: r for r in measure(evidence, step.grade, None, tolerances)}
            )
            cells = [QTableWidgetItem(t) for t in texts]
            for axis in axes:
                found = rows.get(axis.name)
                item = QTableWidgetItem("" if found is None else difference_text(axis, found.after))
                item.setTextAlignment(Qt.AlignmentFlag.AlignRight | Qt.AlignmentFlag.AlignVCenter)
                if found is not None and not found.within:
                    item.setFont(theme.font(theme.BASE, True))
                    item.setToolTip("out of tolerance")
                cells.append(item)
            for k, item in enumerate(cells):
                self.table.setItem(row, k, item)
        column.addWidget(self.table, 1)
        line = QHBoxLayout()
        self.take_button, close = QPushButton("Take this grade again"), QPushButton("Close")
        self.take_button.setToolTip("The selected grade becomes the shot's, as a new step")
        self.take_button.clicked.connect(self._take)
        close.clicked.connect(self.accept)
        line.addWidget(self.take_button)
        line.addStretch()
        line.addWidget(close)
        column.addLayout(line)
        self.table.itemSelectionChanged.connect(self._buttons)
        self._buttons()

    def _buttons(self) -> None:
        self.take_button.setEnabled(bool(self.table.selectionModel().selectedRows()))

    def _take(self) -> None:
        rows = self.table.selectionModel().selectedRows()
        if rows:
            step = self.steps[rows[0].row()]
            self.taken.emit(step.grade, f"back to {step.what}")
            self.accept()


def session_steps(past: Sequence[tuple[str, Grade]], now: Grade) -> list[Step]:
    """Grades of this session, the newest first, from what was done and the grade before it."""
    from aquin.production.history import Step

    out: list[Step] = []
    after = now
    for what, before in reversed(past):
        if before != after:
            out.append(Step("", "", what, after))
            after = before
    out.append(Step("", "", "as filmed" if after == Grade() else "before", after))
    return out
