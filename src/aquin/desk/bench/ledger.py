"""The ledger as rows: name, plumb gauge, difference; the selected one also says where hero and shot are, and can be settled."""

from PySide6.QtCore import QRectF, QSize, Qt, Signal
from PySide6.QtGui import QKeyEvent, QMouseEvent, QPainter, QPaintEvent
from PySide6.QtWidgets import QHBoxLayout, QPushButton, QSizePolicy, QVBoxLayout, QWidget

from aquin.desk.kit import theme
from aquin.desk.kit.gauge import draw_gauge
from aquin.measure.ledger import AXES, REPORTED, Axis, Row
from aquin.measure.scopes import SKIN_ANGLE

UNITS = {
    "stop": "st",
    "ratio": "×",
    "1e-3 Duv": "10⁻³ Duv",
    "degree": "°",
    "10-bit code": "codes",
    "% of pixels": "% px",
}
MEANING = {
    "exposure": "Median difference of luminance on the chart, in stops. Positive: the shot is brighter.",
    "contrast": "Slope of the shot's tones over the hero's. Above 1: the shot is harder.",
    "warmth": "Difference of the neutrals' colour temperature in mired. Positive: the shot is warmer.",
    "tint": "Difference of the neutrals in thousandths of Duv. Positive: the shot is greener.",
    "saturation": "Mean chroma of the shot over the hero's, at equal exposure and white.",
    "black floor": "The darkest 0.5 % of the picture's luma, in % of the display's signal.",
    "white ceiling": "The brightest 0.5 % of the picture's luma, in % of the display's signal.",
    "shadow warmth": "The same as warmth, by the darkest third of what both show.",
    "shadow tint": "The same as tint, by the darkest third of what both show.",
    "skin hue": "Median angle of skin on the BT.709 chroma plane. Skin of all darkness lies near 123 degrees.",
    "skin level": "Median luma of skin, in % of the display's signal.",
    "sharpness": "Fine detail over coarse detail, shot over hero, noise taken off. Softness can only take away.",
    "noise": "Robust sigma in flat parts at mid grey, in 10-bit codes of working log. Reported, not settled: grain is not faked.",
    "clipping": "Share of pixels at the recording's ceiling or floor. Reported, not settled.",
    "colour": "Mean colour difference on the chart, CIEDE2000.",
}


LOW, HIGH = 26, 46
"""Heights of a row and of the selected one, which also says where hero and shot are."""


def difference_text(axis: Axis, difference: float) -> str:
    """A difference as people write it: signed, or the ratio itself."""
    if axis.ratio:
        return f"{1 + difference:.3f}"
    if axis.unit == "dE00":
        return f"{difference:.2f}"
    text = f"{difference:+.{1 if axis.unit == 'mired' else 2}f}".replace("-", "−")
    return text


def value_text(axis: Axis, value: float) -> str:
    digits = {"mired": 1, "stop": 2, "ratio": 3}.get(axis.unit, 2)
    signed = axis.unit in ("stop", "1e-3 Duv")
    return (f"{value:+.{digits}f}" if signed else f"{value:.{digits}f}").replace("-", "−")


class LedgerRow(QWidget):
    """One axis. Click or arrow keys select it; its button settles it."""

    chosen = Signal(str)
    settle = Signal(str)

    def __init__(self, axis: Axis, parent: QWidget | None = None) -> None:
        super().__init__(parent)
        self.axis = axis
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
        self.button.setToolTip(f"Bring {axis.name} to the hero and leave the rest (S on the selected row)")
        self.button.clicked.connect(lambda: self.settle.emit(axis.name))
        self.button.setFixedHeight(20)
        line = QHBoxLayout(self)
        line.setContentsMargins(0, 22, 2, 0)
        line.addStretch()
        line.addWidget(self.button)
        self.show_row(None)

    def sizeHint(self) -> QSize:
        return QSize(320, LOW)

    def show_row(self, row: Row | None) -> None:
        self.row = row
        axis = self.axis if row is None else row.axis  # the production's own tolerance
        self.setToolTip(
            f"{MEANING[axis.name]} Tolerance {axis.tolerance:g} {UNITS.get(axis.unit, axis.unit)}."
        )
        self.button.setEnabled(row is not None and self.axis.name not in REPORTED)
        if row is None:
            self.setAccessibleName(f"{self.axis.name}: not measured")
        else:
            state = "within tolerance" if row.within else "out of tolerance"
            unit = UNITS.get(self.axis.unit, self.axis.unit)
            self.setAccessibleName(
                f"{self.axis.name}: {difference_text(self.axis, row.after)} {unit}, {state}"
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
        name, unit_box = QRectF(left, 3, 104, 20), QRectF(right - 54, 3, 54, 20)
        middle = Qt.AlignmentFlag.AlignVCenter
        p.setFont(theme.font())
        row = self.row
        p.setPen(theme.TEXT if row is not None else theme.FAINT)
        p.drawText(name, middle, self.axis.name)
        p.setFont(theme.font(theme.SMALL))
        p.setPen(theme.DIM)
        if row is None:
            p.setPen(theme.FAINT)
            p.drawText(QRectF(name.right(), 3, 200, 20), middle, "not measured")
            return
        p.drawText(unit_box, middle, UNITS.get(self.axis.unit, self.axis.unit))
        if self.selected:
            p.drawText(
                QRectF(left, 23, right - left - self.button.width(), 18),
                middle,
                f"hero {value_text(self.axis, row.hero)}     shot {value_text(self.axis, row.shot)}"
                f"     now {value_text(self.axis, row.hero + row.after)}"
                + (f"     line {SKIN_ANGLE:g}" if self.axis.name == "skin hue" else ""),
            )
        number = QRectF(unit_box.left() - 64, 3, 60, 20)
        draw_gauge(
            p, QRectF(name.right(), 3, number.left() - name.right() - 2, 20), row.after, self.axis.tolerance
        )
        p.setFont(theme.font(theme.BASE, not row.within))
        p.setPen(theme.BRIGHT if not row.within else theme.DIM)
        p.drawText(number, middle | Qt.AlignmentFlag.AlignRight, difference_text(self.axis, row.after))


class Ledger(QWidget):
    """All axes in the order in which they are settled."""

    settle = Signal(str)

    def __init__(self, parent: QWidget | None = None) -> None:
        super().__init__(parent)
        column = QVBoxLayout(self)
        column.setContentsMargins(0, 0, 0, 0)
        column.setSpacing(0)
        self.rows = {axis.name: LedgerRow(axis, self) for axis in AXES}
        self.selected = AXES[0].name
        for row in self.rows.values():
            column.addWidget(row)
            row.chosen.connect(self._choose)
            row.settle.connect(self.settle)
        self._choose(self.selected)

    def show_rows(self, rows: list[Row]) -> None:
        found = {row.axis.name: row for row in rows}
        for name, widget in self.rows.items():
            widget.show_row(found.get(name))

    def _choose(self, name: str) -> None:
        self.selected = name
        for key, row in self.rows.items():
            row.select(key == name)
