"""The plumb gauge: how far something hangs from its hero."""

from PySide6.QtCore import QPointF, QRectF, Qt
from PySide6.QtGui import QPainter, QPen, QPolygonF

from aquin.desk.kit import theme

SPAN = 4.0
"""The scale reaches this many tolerances to either side."""


def draw_gauge(
    painter: QPainter, box: QRectF, difference: float, tolerance: float, doubt: float = float("nan")
) -> None:
    """A rule with a centre tick, a bracket for the tolerance, and a bob on its line.

    Inside the bracket the bob is small and hollow, outside it is filled; beyond the scale it is an arrowhead. A bar
    along the rule is as long as the doubt, where that is known.
    """
    middle, reach = box.center().x(), box.width() / 2 - 6
    y = box.center().y()
    unit = reach / SPAN
    painter.setRenderHint(QPainter.RenderHint.Antialiasing)
    painter.setPen(QPen(theme.LINE, 1))
    painter.drawLine(QPointF(middle - reach, y), QPointF(middle + reach, y))
    painter.setPen(QPen(theme.FAINT, 1))
    painter.drawLine(QPointF(middle, y - 4), QPointF(middle, y + 4))
    painter.setPen(QPen(theme.DIM, 1))
    for side in (-1, 1):
        x = middle + side * unit
        painter.drawPolyline(
            QPolygonF(
                [
                    QPointF(x - side * 3, y - 6),
                    QPointF(x, y - 6),
                    QPointF(x, y + 6),
                    QPointF(x - side * 3, y + 6),
                ]
            )
        )
    at = difference / tolerance
    if doubt == doubt:
        low, high = (float(min(max(at + s * doubt / tolerance, -SPAN), SPAN)) for s in (-1, 1))
        painter.setPen(QPen(theme.DIM, 3))
        painter.drawLine(QPointF(middle + low * unit, y), QPointF(middle + high * unit, y))
    if abs(at) <= 1:
        painter.setPen(QPen(theme.TEXT, 1.4))
        painter.setBrush(theme.PANEL)
        painter.drawEllipse(QPointF(middle + at * unit, y), 3.2, 3.2)
        return
    side = 1 if at > 0 else -1
    end = middle + side * min(abs(at), SPAN) * unit
    painter.setPen(QPen(theme.BRIGHT, 2))
    painter.drawLine(QPointF(middle, y), QPointF(end, y))
    painter.setPen(Qt.PenStyle.NoPen)
    painter.setBrush(theme.BRIGHT)
    if abs(at) > SPAN:
        painter.drawPolygon(
            QPolygonF(
                [QPointF(end + side * 6, y), QPointF(end - side * 3, y - 5), QPointF(end - side * 3, y + 5)]
            )
        )
    else:
        painter.drawEllipse(QPointF(end, y), 4.6, 4.6)
