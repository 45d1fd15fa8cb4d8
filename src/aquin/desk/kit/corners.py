"""The outline of a chart with its four corners, as they are drawn on any picture."""

from collections.abc import Sequence

from PySide6.QtCore import QPointF, QRectF, Qt
from PySide6.QtGui import QPainter, QPen, QPolygonF

from aquin.desk.kit import theme

RADIUS = 5.0


def draw_corners(p: QPainter, points: Sequence[QPointF], picked: int | None = None) -> None:
    """Four points, the first patch's corner first, as a square; the one that the keyboard moves is filled."""
    p.setRenderHint(QPainter.RenderHint.Antialiasing)
    p.setBrush(Qt.BrushStyle.NoBrush)
    for colour, width in ((theme.grey(16), 3.0), (theme.grey(242), 1.3)):
        p.setPen(QPen(colour, width))
        p.drawPolygon(QPolygonF(points))
        for k, point in enumerate(points):
            if k == 0:
                p.drawRect(QRectF(point.x() - RADIUS, point.y() - RADIUS, 2 * RADIUS, 2 * RADIUS))
            else:
                p.drawEllipse(point, RADIUS, RADIUS)
    if picked is not None:
        p.setBrush(theme.grey(242))
        p.drawEllipse(points[picked], RADIUS, RADIUS)
