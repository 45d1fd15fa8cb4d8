"""A ledger as rows: name, plumb gauge, difference; the selected one also says where hero and shot are, and can be
settled.
"""

import math
from collections.abc import Collection, Mapping, Sequence

from PySide6.QtCore import QRectF, QSize, Qt, Signal
from PySide6.QtGui import QKeyEvent, QMouseEvent, QPainter, QPaintEvent
from PySide6.QtWidgets import QPushButton, QSizePolicy, QWidget

from aquin.desk.kit import theme
from aquin.desk.kit.axes import MEANING, UNITS, difference_text, doubt_text, standing, value_text
from aquin.desk.kit.boxes import column_of, line_of
from aquin.desk.kit.gauge import draw_gauge
from aquin.measure.ledger import AXES, REPORTED, Axis, Row
from aquin.measure.scopes import SKIN_ANGLE

LOW, HIGH = 22, 42
"""Heights of a row and of the selected one, which also says where hero and shot are."""


class LedgerRow(QWidget):
    """One axis. Click or arrow keys select it; its button settles it."""

    chosen = Signal(str)
    settle = Signal(str)

    def __init__(
        self, axis: Axis, meaning: str, goal: str = "to the hero", parent: QWidget | None = None
    ) -> None:
        super().__init__(parent)
        self.axis, self.meaning = axis, meaning
        self.details = ""
        """The selected row's second line."""
        self.number = ""
        """What stands for the difference, where that is not what people look for."""
        self.row: Row | None = None
        self.selected = False
        self.setFixedHeight(LOW)
        self.setSizePolicy(QSizePolicy.Policy.Expanding, QSizePolicy.Policy.Fixed)
        self.setFocusPolicy(Qt.FocusPolicy.StrongFocus)
        self.button = QPushButton("Settle", self)
        self.button.setProperty("quiet", True)
        self.button.setFont(theme.font(theme.SMALL))
        self.button.setFocusPolicy(Qt.FocusPolicy.NoFocus)
        self.button.setAccessibleName(f"Settle {axis.name}")
        self.button.setToolTip(f"Bring {axis.name} {goal} and leave the rest (S on the selected row)")
        self.button.clicked.connect(lambda: self.settle.emit(axis.name))
        self.button.setFixedHeight(20)
        line = line_of((0, 18, 2, 0), self)
        line.addStretch()
        line.addWidget(self.button)
        self.show_row(None)

    def sizeHint(self) -> QSize:
        return QSize(320, LOW)

    def show_row(self, row: Row | None, details: str = "", number: str = "") -> None:
        self.row, self.number = row, number
        self.details = details or (_details(self.axis, row) if row is not None else "")
        axis = self.axis if row is None else row.axis  # the production's own tolerance
        self.setToolTip(f"{self.meaning} Tolerance {axis.tolerance:g} {UNITS.get(axis.unit, axis.unit)}.")
        self.button.setEnabled(row is not None and self.axis.name not in REPORTED)
        if row is None:
            self.setAccessibleName(f"{self.axis.name}: not measured")
        else:
            state = standing(row) or ", within tolerance"
            unit = UNITS.get(self.axis.unit, self.axis.unit)
            self.setAccessibleName(
                f"{self.axis.name}: {difference_text(self.axis, row.value)}{doubt_text(row)} {unit}{state}"
            )
        self.update()

    def select(self, on: bool) -> None:
        self.selected = on
        self.setFixedHeight(HIGH if on else LOW)
        self.button.setVisible(on)
        self.update()

    def mousePressEvent(self, event: QMouseEvent) -> None:
        self.setFocus()
        self.chosen.emit(self.axis.name)

    def focusInEvent(self, event: object) -> None:
        self.chosen.emit(self.axis.name)
        super().focusInEvent(event)  # type: ignore[arg-type]

    def keyPressEvent(self, event: QKeyEvent) -> None:
        if event.key() in (Qt.Key.Key_Up, Qt.Key.Key_Down):
            self.focusNextPrevChild(event.key() == Qt.Key.Key_Down)
        elif event.key() in (Qt.Key.Key_Return, Qt.Key.Key_Enter):
            self.settle.emit(self.axis.name)
        else:
            super().keyPressEvent(event)

    def paintEvent(self, event: QPaintEvent) -> None:
        p = QPainter(self)
        if self.selected:
            p.fillRect(self.rect(), theme.grey(44))
            p.fillRect(0, 0, 2, self.height(), theme.grey(200))
        left, right = 8, self.width() - 4
        name, unit_box = QRectF(left, 1, 104, 20), QRectF(right - 54, 1, 54, 20)
        middle = Qt.AlignmentFlag.AlignVCenter
        p.setFont(theme.font())
        row = self.row
        p.setPen(theme.TEXT if row is not None else theme.FAINT)
        p.drawText(name, middle, self.axis.name)
        p.setFont(theme.font(theme.SMALL))
        p.setPen(theme.DIM)
        if row is None:
            p.setPen(theme.FAINT)
            p.drawText(QRectF(name.right(), 1, 200, 20), middle, "not measured")
            return
        p.drawText(unit_box, middle, UNITS.get(self.axis.unit, self.axis.unit))
        if self.selected:
            p.drawText(
                QRectF(left, 20, right - left - self.button.width(), 18),
                middle,
                self.details,
            )
        number = QRectF(unit_box.left() - 64, 1, 60, 20)
        draw_gauge(
            p,
            QRectF(name.right(), 1, number.left() - name.right() - 2, 20),
            row.value,
            self.axis.tolerance,
            row.doubt,
        )
        p.setFont(theme.font(theme.BASE, not row.within))
        p.setPen(theme.BRIGHT if not row.within else theme.DIM)
        text = self.number or difference_text(self.axis, row.value)
        p.drawText(number, middle | Qt.AlignmentFlag.AlignRight, text)


def _details(axis: Axis, row: Row) -> str:
    """The selected row's second line: where hero and shot are; or what the chart says, where the picture says more."""
    if math.isfinite(row.beside):
        seen = difference_text(axis, row.beside) + doubt_text(row)
        return f"chart {difference_text(axis, row.after)}     picture {seen}"
    return (
        f"hero {value_text(axis, row.hero)}     shot {value_text(axis, row.shot)}"
        f"     now {value_text(axis, row.hero + row.after)}"
        + (f"     line {SKIN_ANGLE:g}" if axis.name == "skin hue" else "")
    )


class Ledger(QWidget):
    """Axes in the order in which they are settled, with what each means; `goal`: where settling brings them."""

    settle = Signal(str)

    def __init__(
        self,
        axes: Sequence[Axis] = AXES,
        meaning: Mapping[str, str] = MEANING,
        goal: str = "to the hero",
        parent: QWidget | None = None,
    ) -> None:
        super().__init__(parent)
        column = column_of(0, self, spacing=0)
        self.rows = {axis.name: LedgerRow(axis, meaning[axis.name], goal, self) for axis in axes}
        self.selected = axes[0].name
        for row in self.rows.values():
            column.addWidget(row)
            row.chosen.connect(self.choose)
            row.settle.connect(self.settle)
        self.choose(self.selected)

    def show_rows(self, rows: Sequence[Row], words: Mapping[str, tuple[str, str]] | None = None) -> None:
        """`words`: by axis, other words than hero, shot and now for the selected row's second line, and what stands for
        its difference.
        """
        found, said = {row.axis.name: row for row in rows}, words or {}
        for name, widget in self.rows.items():
            widget.show_row(found.get(name), *said.get(name, ("", "")))

    def show_only(self, names: Collection[str]) -> None:
        """Hide all other rows; the selection stays among those that are shown."""
        for name, row in self.rows.items():
            row.setVisible(name in names)
        if self.selected not in names and names:
            self.choose(next(n for n in self.rows if n in names))

    def choose(self, name: str) -> None:
        """Select a row."""
        self.selected = name
        for key, row in self.rows.items():
            row.select(key == name)
