"""What a chart says, drawn: the sweep, split swatches, arrows on the chroma plane, converging step lines."""

from collections.abc import Callable
from typing import Any

import numpy as np
from PySide6.QtCore import QPointF, QRectF, Qt, Signal
from PySide6.QtGui import QColor, QKeyEvent, QMouseEvent, QPainter, QPaintEvent, QPen, QPolygonF
from PySide6.QtWidgets import QToolTip, QWidget

from aquin.arrays import Float64
from aquin.charts.sweep import Sweep
from aquin.desk.kit import theme

Colour = Callable[[Float64], QColor]
"""Scene-linear AP1 to what the screen shows of it."""


class SweepStrip(QWidget):
    """One column a frame: how good it is, with marks for what is wrong. `asked` carries a frame number."""

    asked = Signal(int)

    def __init__(self) -> None:
        super().__init__()
        self.setFixedHeight(64)
        self.setFocusPolicy(Qt.FocusPolicy.StrongFocus)
        self.setMouseTracking(True)
        self.seen: Sweep | None = None
        self.shown: int | None = None
        self.setAccessibleName("Frames of the sweep")

    def show_sweep(self, seen: Sweep | None, shown: int | None) -> None:
        self.seen, self.shown = seen, shown
        self.setAccessibleDescription(seen.why if seen is not None else "")
        self.update()

    def _column(self, k: int) -> QRectF:
        assert self.seen is not None
        wide = min((self.width() - 16) / max(len(self.seen.looks), 1), 44.0)
        return QRectF(8 + k * wide, 4, wide, self.height() - 20)

    def paintEvent(self, event: QPaintEvent) -> None:
        p = QPainter(self)
        p.fillRect(self.rect(), theme.PANEL)
        if self.seen is None:
            return
        p.setFont(theme.font(theme.SMALL))
        for k, look in enumerate(self.seen.looks):
            box = self._column(k)
            bar = QRectF(
                box.left() + 1,
                box.bottom() - max(box.height() * look.quality, 1),
                box.width() - 2,
                max(box.height() * look.quality, 1),
            )
            best = self.seen.best is not None and look.number == self.seen.best.number
            good = look.number in self.seen.good
            p.fillRect(bar, theme.grey(214) if best else theme.grey(132) if good else theme.grey(72))
            if not look.found:
                p.setPen(theme.FAINT)
                p.drawText(box, Qt.AlignmentFlag.AlignHCenter | Qt.AlignmentFlag.AlignBottom, "–")
            x = box.center().x()
            p.setPen(QPen(theme.grey(238), 1.2))
            if look.found and look.glare > 0.15:  # glare: a small sun above the bar
                p.drawEllipse(QPointF(x, box.top() + 4), 2.6, 2.6)
            if look.found and look.shadow > 0.3:  # shadow: a wedge
                y = box.top() + 12
                p.setBrush(theme.grey(238))
                p.drawPolygon(
                    QPolygonF([QPointF(x - 3, y + 3), QPointF(x + 3, y + 3), QPointF(x + 3, y - 3)])
                )
                p.setBrush(Qt.BrushStyle.NoBrush)
            if look.number == self.shown:
                p.setPen(QPen(theme.grey(250), 1))
                p.drawRect(box.adjusted(0, -2, -1, 1))
            if best or k % max(len(self.seen.looks) // 12, 1) == 0:
                p.setPen(theme.TEXT if best else theme.FAINT)
                p.drawText(
                    QRectF(x - 24, box.bottom() + 1, 48, 14), Qt.AlignmentFlag.AlignCenter, str(look.number)
                )

    def _at(self, x: float) -> int | None:
        if self.seen is None:
            return None
        for k in range(len(self.seen.looks)):
            box = self._column(k)
            if box.left() <= x < box.right():
                return k
        return None

    def mousePressEvent(self, event: QMouseEvent) -> None:
        k = self._at(event.position().x())
        if k is not None and self.seen is not None:
            self.asked.emit(self.seen.looks[k].number)

    def mouseMoveEvent(self, event: QMouseEvent) -> None:
        k = self._at(event.position().x())
        if k is not None and self.seen is not None:
            look = self.seen.looks[k]
            words = (
                f"frame {look.number} {look.timecode}\nglare {look.glare:.2f} st, shadow {look.shadow:.2f} "
                f"st, clipped {look.clipped:.0%},\n"
                f"edges {look.blur:.1f} px, patches {look.size:.0f} px, score {look.quality:.2f}\n{look.why}"
                if look.found
                else f"frame {look.number}: no chart"
            )
            QToolTip.showText(event.globalPosition().toPoint(), words, self)

    def keyPressEvent(self, event: QKeyEvent) -> None:
        step = {Qt.Key.Key_Left: -1, Qt.Key.Key_Right: 1}.get(Qt.Key(event.key()))
        if step is None or self.seen is None or not self.seen.looks:
            super().keyPressEvent(event)
            return
        numbers = [k.number for k in self.seen.looks]
        at = numbers.index(self.shown) if self.shown in numbers else 0
        self.asked.emit(numbers[int(np.clip(at + step, 0, len(numbers) - 1))])


class Swatches(QWidget):
    """The chart as split swatches: left what was measured (with the correction), right the reference; dE00 below.
    `toggled` carries a patch's name.
    """

    toggled = Signal(str)

    def __init__(self) -> None:
        super().__init__()
        self.setMinimumHeight(150)
        self.setMouseTracking(True)
        self.setAccessibleName("Patches: measured and reference")
        self.rows: list[dict[str, Any]] = []
        self.aspect = 1.5
        self.colour: Colour = lambda c: theme.grey(80)

    def show_patches(self, rows: list[dict[str, Any]], aspect: float, colour: Colour) -> None:
        self.rows, self.aspect, self.colour = rows, aspect, colour
        self.setAccessibleDescription(
            "; ".join(
                f"{r['name']} {r['after_de']:.1f}" + (f" left out, {r['dropped']}" if r["dropped"] else "")
                for r in rows
            )
        )
        self.update()

    def _box(self, row: dict[str, Any]) -> QRectF:
        w = min(self.width() - 8.0, (self.height() - 8.0) * self.aspect)
        h = w / self.aspect
        x, y, bw, bh = row["box"]
        left = (self.width() - w) / 2
        return QRectF(left + x * w + 1, 4 + y * h + 1, bw * w - 2, bh * h - 2)

    def paintEvent(self, event: QPaintEvent) -> None:
        p = QPainter(self)
        p.fillRect(self.rect(), theme.WELL)
        p.setFont(theme.font(theme.SMALL))
        for row in self.rows:
            box = self._box(row)
            half = QRectF(box.left(), box.top(), box.width() / 2, box.height())
            p.fillRect(half, self.colour(row["after"]))
            p.fillRect(half.translated(box.width() / 2, 0), self.colour(row["reference"]))
            light = self.colour(row["reference"]).lightnessF() > 0.55
            p.setPen(theme.grey(16) if light else theme.grey(244))
            if row["dropped"]:
                p.drawLine(box.topLeft(), box.bottomRight())
                p.drawLine(box.topRight(), box.bottomLeft())
            elif box.width() > 22 and box.height() > 14:
                p.drawText(
                    box.adjusted(0, 0, -2, -1),
                    Qt.AlignmentFlag.AlignRight | Qt.AlignmentFlag.AlignBottom,
                    f"{row['after_de']:.1f}",
                )

    def _at(self, at: QPointF) -> dict[str, Any] | None:
        return next((r for r in self.rows if self._box(r).contains(at)), None)

    def mouseMoveEvent(self, event: QMouseEvent) -> None:
        row = self._at(event.position())
        if row is not None:
            words = (
                f"{row['name']} ({row['role']})\nas filmed dE00 {row['before_de']:.2f}, corrected "
                f"{row['after_de']:.2f}"
            )
            words += f"\nleft out: {row['dropped']}" if row["dropped"] else "\nclick to leave it out"
            QToolTip.showText(event.globalPosition().toPoint(), words, self)

    def mousePressEvent(self, event: QMouseEvent) -> None:
        row = self._at(event.position())
        if row is not None:
            self.toggled.emit(row["name"])


class Plane(QWidget):
    """CIELAB a*, b*: an arrow from each patch as it is to where it belongs; hollow as filmed, filled with the
    correction.
    """

    def __init__(self) -> None:
        super().__init__()
        self.setMinimumSize(150, 130)
        self.setAccessibleName("Chroma plane: measured to reference")
        self.points: tuple[Float64, Float64, Float64] = (np.zeros((0, 2)),) * 3

    def show_points(self, points: tuple[Float64, Float64, Float64]) -> None:
        self.points = points
        self.update()

    def paintEvent(self, event: QPaintEvent) -> None:
        p = QPainter(self)
        p.setRenderHint(QPainter.RenderHint.Antialiasing)
        p.fillRect(self.rect(), theme.WELL)
        filmed, after, reference = self.points
        reach = max(float(np.abs(np.concatenate([*self.points])).max()) if len(filmed) else 40.0, 20.0) * 1.12
        middle = QPointF(self.width() / 2, self.height() / 2)
        scale = (min(self.width(), self.height() - 34) / 2) / reach
        p.setFont(theme.font(theme.SMALL))
        p.setPen(QPen(theme.grey(52), 1))
        step = 20 if reach < 90 else 50
        for r in range(step, int(reach) + 1, step):
            p.drawEllipse(middle, r * scale, r * scale)
        p.drawLine(
            QPointF(middle.x() - reach * scale, middle.y()), QPointF(middle.x() + reach * scale, middle.y())
        )
        p.drawLine(
            QPointF(middle.x(), middle.y() - reach * scale), QPointF(middle.x(), middle.y() + reach * scale)
        )
        p.setPen(theme.DIM)
        p.drawText(QRectF(8, 2, self.width() - 16, 16), Qt.AlignmentFlag.AlignLeft, f"a*, b*  rings {step}")
        p.drawText(
            QRectF(8, self.height() - 18, self.width() - 16, 16),
            Qt.AlignmentFlag.AlignRight,
            "○ filmed   ● corrected   + reference",
        )

        def at(v: Float64) -> QPointF:
            return QPointF(middle.x() + float(v[0]) * scale, middle.y() - float(v[1]) * scale)

        for a, b, c in zip(filmed, after, reference, strict=True):
            p.setPen(QPen(theme.grey(110), 1))
            p.drawLine(at(a), at(c))
            p.drawEllipse(at(a), 2.4, 2.4)
            p.setPen(QPen(theme.grey(226), 1.2))
            p.drawLine(at(b), at(c))
            end = at(c)
            p.drawLine(QPointF(end.x() - 3.5, end.y()), QPointF(end.x() + 3.5, end.y()))
            p.drawLine(QPointF(end.x(), end.y() - 3.5), QPointF(end.x(), end.y() + 3.5))
            p.setBrush(theme.grey(226))
            p.drawEllipse(at(b), 2.2, 2.2)
            p.setBrush(Qt.BrushStyle.NoBrush)


class StepLines(QWidget):
    """Neutral steps: how many stops each channel is off the reference, from dark to light; thin as filmed, thick
    corrected.
    """

    def __init__(self) -> None:
        super().__init__()
        self.setMinimumSize(150, 130)
        self.setAccessibleName("Step lines of the three channels")
        self.data: tuple[Float64, Float64, Float64] = (np.zeros(0), np.zeros((0, 3)), np.zeros((0, 3)))

    def show_lines(self, data: tuple[Float64, Float64, Float64]) -> None:
        self.data = data
        self.update()

    def paintEvent(self, event: QPaintEvent) -> None:
        p = QPainter(self)
        p.setRenderHint(QPainter.RenderHint.Antialiasing)
        p.fillRect(self.rect(), theme.WELL)
        p.setFont(theme.font(theme.SMALL))
        at, filmed, after = self.data
        p.setPen(theme.DIM)
        p.drawText(
            QRectF(8, 2, self.width() - 16, 16),
            Qt.AlignmentFlag.AlignLeft,
            "grey steps, stops off the reference",
        )
        if not len(at):
            return
        area = QRectF(38, 22, self.width() - 48, self.height() - 42)
        reach = max(float(np.abs(np.concatenate([filmed, after])).max()) * 1.1, 0.1)
        low, high = float(at.min()), float(at.max())

        def x(v: float) -> float:
            return area.left() + (v - low) / max(high - low, 1e-6) * area.width()

        def y(v: float) -> float:
            return area.center().y() - v / reach * area.height() / 2

        for v in (-reach, 0.0, reach):
            p.setPen(QPen(theme.grey(90 if v == 0 else 48), 1))
            p.drawLine(QPointF(area.left(), y(v)), QPointF(area.right(), y(v)))
            p.setPen(theme.FAINT)
            text = f"{v:+z.2f}".replace("-", "−") if v else "0"
            p.drawText(
                QRectF(0, y(v) - 8, 34, 16), Qt.AlignmentFlag.AlignRight | Qt.AlignmentFlag.AlignVCenter, text
            )
        p.drawText(
            QRectF(area.left(), area.bottom() + 3, area.width(), 14),
            Qt.AlignmentFlag.AlignLeft,
            f"{low:+z.1f} st".replace("-", "−"),
        )
        p.drawText(
            QRectF(area.left(), area.bottom() + 3, area.width(), 14),
            Qt.AlignmentFlag.AlignRight,
            f"{high:+z.1f} st",
        )
        for rows, width, dim in ((filmed, 1.0, True), (after, 1.8, False)):
            for k, colour in enumerate((theme.RED, theme.GREEN, theme.BLUE)):
                shade = QColor(colour)
                shade.setAlpha(120 if dim else 255)
                p.setPen(QPen(shade, width, Qt.PenStyle.DashLine if dim else Qt.PenStyle.SolidLine))
                p.drawPolyline(
                    QPolygonF(
                        [QPointF(x(float(a)), y(float(v))) for a, v in zip(at, rows[:, k], strict=True)]
                    )
                )
