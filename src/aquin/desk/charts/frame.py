"""The frame of a chart take: the found grid with its four corners to drag, and a loupe beside the corner that is
held.
"""

import numpy as np
from PySide6.QtCore import QPointF, QRectF, Qt, Signal
from PySide6.QtGui import QImage, QKeyEvent, QMouseEvent, QPainter, QPaintEvent, QPen, QPolygonF
from PySide6.QtWidgets import QSizePolicy, QWidget

from aquin.arrays import Float64
from aquin.charts.find import project, unit_to_pixels
from aquin.charts.layout import Layout
from aquin.desk.charts.state import ShownFrame
from aquin.desk.kit import monitor, theme
from aquin.desk.kit.corners import draw_corners

LOUPE = 132
ZOOM = 6.0
STEPS = {Qt.Key.Key_Left: (-1, 0), Qt.Key.Key_Right: (1, 0), Qt.Key.Key_Up: (0, -1), Qt.Key.Key_Down: (0, 1)}


class ChartFrame(QWidget):
    """`moved` carries the corners, (4, 2) pixels of the frame, when a corner was let go."""

    moved = Signal(object)

    def __init__(self) -> None:
        super().__init__()
        self.setMinimumSize(300, 170)
        self.setSizePolicy(QSizePolicy.Policy.Expanding, QSizePolicy.Policy.Expanding)
        self.setFocusPolicy(Qt.FocusPolicy.StrongFocus)
        self.setAccessibleName("Chart frame")
        self.setToolTip(
            "Drag a corner; or N picks the next corner and the arrow keys move it (Shift: 10 pixels)"
        )
        self.image: QImage | None = None
        self.size_ = (16, 9)
        self.corners: Float64 | None = None
        self.layout_: Layout | None = None
        self.dropped: tuple[str, ...] = ()
        self.message = ""
        self.picked = 0
        self._held: int | None = None

    def show_frame(self, shown: ShownFrame | None) -> None:
        self.image = None
        if shown is not None:
            pixels = monitor.out(shown.pixels)
            h, w = pixels.shape[:2]
            self.image = QImage(pixels.data, w, h, 4 * w, QImage.Format.Format_RGB32)
            self.image.pixels = pixels  # type: ignore[attr-defined]  # keeps the bytes alive
            self.size_ = (shown.width, shown.height)
        self.update()

    def show_grid(self, corners: Float64 | None, layout: Layout | None, dropped: tuple[str, ...]) -> None:
        self.corners, self.layout_, self.dropped = corners, layout, dropped
        self.update()

    def start_marking(self) -> None:
        """Lay a grid in the middle, to be dragged where the chart is."""
        w, h = self.size_
        aspect = self.layout_.aspect if self.layout_ is not None else 1.5
        wide = min(0.3 * w, 0.5 * h * aspect)
        x, y, high = (w - wide) / 2, (h - wide / aspect) / 2, wide / aspect
        self.corners = np.array([[x, y], [x + wide, y], [x + wide, y + high], [x, y + high]])
        self.setFocus()
        self.update()

    def area(self) -> QRectF:
        fw, fh = self.size_
        scale = min(self.width() / fw, self.height() / fh)
        w, h = fw * scale, fh * scale
        return QRectF((self.width() - w) / 2, (self.height() - h) / 2, w, h)

    def paintEvent(self, event: QPaintEvent) -> None:
        p = QPainter(self)
        p.setRenderHint(QPainter.RenderHint.SmoothPixmapTransform)
        p.setRenderHint(QPainter.RenderHint.Antialiasing)
        p.fillRect(self.rect(), theme.SURROUND)
        if self.image is None:
            p.setPen(theme.TEXT)
            p.drawText(
                self.rect().adjusted(24, 0, -24, 0),
                Qt.AlignmentFlag.AlignCenter | Qt.TextFlag.TextWordWrap,
                self.message,
            )
            return
        p.drawImage(self.area(), self.image)
        if self.corners is not None:
            self._grid(p)
        if self._held is not None and self.corners is not None:
            self._loupe(p, self.corners[self._held])

    def _grid(self, p: QPainter) -> None:
        assert self.corners is not None
        if self.layout_ is not None and len(self.layout_.patches) > 1:
            unit = unit_to_pixels(self.corners)
            for k, (x, y, w, h) in enumerate(self.layout_.boxes):
                mx, my = w * 0.2, h * 0.2
                box = np.array(
                    [[x + mx, y + my], [x + w - mx, y + my], [x + w - mx, y + h - my], [x + mx, y + h - my]]
                )
                quad = [self._to_widget(c) for c in project(unit, box)]
                for colour, width in ((theme.grey(16), 2.0), (theme.grey(232), 0.9)):
                    p.setPen(QPen(colour, width))
                    p.drawPolygon(QPolygonF(quad))
                if k < len(self.dropped) and self.dropped[k]:  # a cross through what is left out
                    for colour, width in ((theme.grey(16), 3.0), (theme.grey(240), 1.4)):
                        p.setPen(QPen(colour, width))
                        p.drawLine(quad[0], quad[2])
                        p.drawLine(quad[1], quad[3])
        points = [self._to_widget(c) for c in self.corners]
        draw_corners(p, points, self.picked if self.hasFocus() else None)

    def _loupe(self, p: QPainter, corner: Float64) -> None:
        """A piece of the picture around a corner, enlarged, in the half of the view where the corner is not."""
        assert self.image is not None
        at = self._to_widget(corner)
        x = 8.0 if at.x() > self.width() / 2 else self.width() - LOUPE - 8.0
        frame = QRectF(x, 8, LOUPE, LOUPE)
        scale = self.image.width() / self.size_[0]
        side = LOUPE / ZOOM * self.image.width() / max(self.area().width(), 1)
        source = QRectF(corner[0] * scale - side / 2, corner[1] * scale - side / 2, side, side)
        p.fillRect(frame.adjusted(-1, -1, 1, 1), theme.grey(230))
        p.fillRect(frame, theme.grey(20))
        p.setRenderHint(QPainter.RenderHint.SmoothPixmapTransform, False)
        p.drawImage(frame, self.image, source)
        c = frame.center()
        for colour, width in ((theme.grey(16), 3.0), (theme.grey(244), 1.0)):
            p.setPen(QPen(colour, width))
            p.drawLine(QPointF(c.x() - 16, c.y()), QPointF(c.x() + 16, c.y()))
            p.drawLine(QPointF(c.x(), c.y() - 16), QPointF(c.x(), c.y() + 16))

    # hands

    def _to_widget(self, point: Float64) -> QPointF:
        area = self.area()
        return QPointF(
            area.left() + float(point[0]) / self.size_[0] * area.width(),
            area.top() + float(point[1]) / self.size_[1] * area.height(),
        )

    def _to_frame(self, at: QPointF) -> Float64:
        area = self.area()
        point = [
            (at.x() - area.left()) / area.width() * self.size_[0],
            (at.y() - area.top()) / area.height() * self.size_[1],
        ]
        return np.array(point).clip(0, self.size_)

    def mousePressEvent(self, event: QMouseEvent) -> None:
        if self.corners is None:
            return
        for k in range(4):
            gap = self._to_widget(self.corners[k]) - event.position()
            if np.hypot(gap.x(), gap.y()) < 14:
                self._held = self.picked = k
                self.corners = self.corners.copy()
                self.update()
                return

    def mouseMoveEvent(self, event: QMouseEvent) -> None:
        if self._held is not None and self.corners is not None:
            self.corners[self._held] = self._to_frame(event.position())
            self.update()

    def mouseReleaseEvent(self, event: QMouseEvent) -> None:
        if self._held is not None:
            self._held = None
            self.moved.emit(self.corners)
            self.update()

    def keyPressEvent(self, event: QKeyEvent) -> None:
        step = STEPS.get(Qt.Key(event.key()))
        if event.key() == Qt.Key.Key_N and self.corners is not None:
            self.picked = (self.picked + 1) % 4
        elif step and self.corners is not None:
            coarse = 10 if event.modifiers() & Qt.KeyboardModifier.ShiftModifier else 1
            moved = self.corners.copy()
            moved[self.picked] = (moved[self.picked] + np.array(step) * coarse).clip(0, self.size_)
            self.corners = moved
            self.moved.emit(moved)
        else:
            super().keyPressEvent(event)
            return
        self.update()
