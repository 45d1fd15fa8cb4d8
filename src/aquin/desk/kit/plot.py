"""A small plot of lines and points over one axis, in the window's greys."""

from collections.abc import Callable, Sequence
from dataclasses import dataclass

import numpy as np
from PySide6.QtCore import QPointF, QRectF, Qt
from PySide6.QtGui import QColor, QPainter, QPaintEvent, QPen, QPolygonF
from PySide6.QtWidgets import QSizePolicy, QWidget

from aquin.arrays import Float64
from aquin.desk.kit import theme


@dataclass(frozen=True)
class Line:
    """Points (n,) by (n,). `style`: solid, dash, dots or rings (points only) or band (then `y2` is its upper edge)."""

    x: Float64
    """(n,)."""
    y: Float64
    colour: QColor
    style: str = "solid"
    """solid, dash, dots, rings (points only) or band."""
    name: str = ""
    y2: Float64 | None = None


class Plot(QWidget):
    """Lines over a common x axis; the limits follow the data unless they are given."""

    def __init__(self, title: str, x_unit: str, y_unit: str) -> None:
        super().__init__()
        self.title, self.x_unit, self.y_unit = title, x_unit, y_unit
        self.lines: list[Line] = []
        self.y_range: tuple[float, float] | None = None
        self.x_range: tuple[float, float] | None = None
        self.x_ticks = 9
        self.x_words: Callable[[float], str] = _words
        self.shade: tuple[float, float] | None = None
        """x from which to which data support the plot."""
        self.setMinimumSize(240, 120)
        self.setSizePolicy(QSizePolicy.Policy.Expanding, QSizePolicy.Policy.Expanding)
        self.setAccessibleName(title)

    def show_lines(
        self,
        lines: Sequence[Line],
        y_range: tuple[float, float] | None = None,
        x_range: tuple[float, float] | None = None,
        shade: tuple[float, float] | None = None,
    ) -> None:
        self.lines, self.y_range, self.x_range, self.shade = list(lines), y_range, x_range, shade
        self.update()

    def _limits(self) -> tuple[float, float, float, float]:
        xs = np.concatenate([np.asarray(k.x, np.float64) for k in self.lines])
        ys = np.concatenate(
            [np.asarray(y, np.float64) for k in self.lines for y in (k.y, k.y2) if y is not None]
        )
        ys = ys[np.isfinite(ys)]
        x0, x1 = self.x_range or (float(xs.min()), float(xs.max()))
        y0, y1 = self.y_range or ((float(ys.min()), float(ys.max())) if len(ys) else (0.0, 1.0))
        if y1 - y0 < 1e-9:
            y0, y1 = y0 - 0.5, y1 + 0.5
        pad = 0.0 if self.y_range else 0.06 * (y1 - y0)
        return x0, max(x1, x0 + 1e-6), y0 - pad, y1 + pad

    def paintEvent(self, event: QPaintEvent) -> None:
        p = QPainter(self)
        p.setRenderHint(QPainter.RenderHint.Antialiasing)
        p.fillRect(self.rect(), theme.WELL)
        p.setFont(theme.font(theme.SMALL))
        p.setPen(theme.DIM)
        room = self.width() - 16 - self._legend_width(p)
        long = f"{self.title}: {self.y_unit} over {self.x_unit}"
        fits = p.fontMetrics().horizontalAdvance(long) <= room
        p.drawText(
            QRectF(8, 3, room, 16),
            Qt.AlignmentFlag.AlignLeft,
            long if fits else f"{self.title}, {self.y_unit}",
        )
        if not self.lines:
            return
        x0, x1, y0, y1 = self._limits()
        area = QRectF(46, 24, self.width() - 58, self.height() - 44)

        def at(x: float, y: float) -> QPointF:
            return QPointF(
                area.left() + (x - x0) / (x1 - x0) * area.width(),
                area.bottom() - (y - y0) / (y1 - y0) * area.height(),
            )

        if self.shade is not None:
            left, right = at(max(self.shade[0], x0), y0), at(min(self.shade[1], x1), y1)
            p.fillRect(QRectF(left.x(), area.top(), right.x() - left.x(), area.height()), theme.grey(34))
        for v in _ticks(y0, y1, 5):
            p.setPen(QPen(theme.grey(52), 1))
            p.drawLine(at(x0, v), at(x1, v))
            p.setPen(theme.FAINT)
            box = QRectF(0, at(x0, v).y() - 8, 42, 16)
            p.drawText(box, Qt.AlignmentFlag.AlignRight | Qt.AlignmentFlag.AlignVCenter, _words(v))
        for v in _ticks(x0, x1, self.x_ticks):
            p.setPen(QPen(theme.grey(42), 1))
            p.drawLine(at(v, y0), at(v, y1))
            p.setPen(theme.FAINT)
            p.drawText(
                QRectF(at(v, y0).x() - 22, area.bottom() + 3, 44, 14),
                Qt.AlignmentFlag.AlignCenter,
                self.x_words(v),
            )
        p.save()
        p.setClipRect(area.adjusted(-1, -1, 1, 1))
        for line in self.lines:
            self._line(p, line, at)
        p.restore()
        self._legend(p)

    def _line(self, p: QPainter, line: Line, at: object) -> None:
        assert callable(at)
        points = [at(float(x), float(y)) for x, y in zip(line.x, line.y, strict=True) if np.isfinite(y)]
        if line.style == "dots":
            p.setPen(Qt.PenStyle.NoPen)
            p.setBrush(line.colour)
            for point in points:
                p.drawEllipse(point, 1.8, 1.8)
            p.setBrush(Qt.BrushStyle.NoBrush)
        elif line.style == "rings":
            p.setPen(QPen(line.colour, 1.3))
            for point in points:
                p.drawEllipse(point, 3.4, 3.4)
        elif line.style == "band" and line.y2 is not None:
            upper = [at(float(x), float(y)) for x, y in zip(line.x, line.y2, strict=True)]
            p.setPen(Qt.PenStyle.NoPen)
            p.setBrush(line.colour)
            p.drawPolygon(QPolygonF([*points, *reversed(upper)]))
            p.setBrush(Qt.BrushStyle.NoBrush)
        else:
            dash = Qt.PenStyle.DashLine if line.style == "dash" else Qt.PenStyle.SolidLine
            p.setPen(QPen(line.colour, 1.6, dash))
            p.drawPolyline(QPolygonF(points))

    def _legend_width(self, p: QPainter) -> int:
        """Pixels that the names of the lines take at the right of the title."""
        return sum(p.fontMetrics().horizontalAdvance(k.name) + 32 for k in self.lines if k.name)

    def _legend(self, p: QPainter) -> None:
        x = self.width() - 8.0
        for line in reversed([k for k in self.lines if k.name]):
            width = p.fontMetrics().horizontalAdvance(line.name)
            x -= width
            p.setPen(theme.DIM)
            p.drawText(QPointF(x, 15), line.name)
            x -= 20
            dash = Qt.PenStyle.DashLine if line.style == "dash" else Qt.PenStyle.SolidLine
            p.setPen(QPen(line.colour, 2, dash))
            p.drawLine(QPointF(x, 11), QPointF(x + 14, 11))
            x -= 12


def _ticks(low: float, high: float, count: int) -> list[float]:
    span = high - low
    step = 10.0 ** np.floor(np.log10(span / count))
    step = next(step * k for k in (1, 2, 5, 10) if span / (step * k) <= count)
    return [float(v) for v in np.arange(np.ceil(low / step) * step, high + 1e-9, step)]


def _words(value: float) -> str:
    return f"{value:.3g}".replace("-", "−") if abs(value) > 1e-9 else "0"
