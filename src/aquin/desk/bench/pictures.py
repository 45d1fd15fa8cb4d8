"""Hero and shot as pictures: side by side, with a seam, in strips, or blinking; enlarged together; corners and what hands do on top."""

from pathlib import Path

import numpy as np
from PySide6.QtCore import QPoint, QPointF, QRectF, QSize, Qt, QTimer, Signal
from PySide6.QtGui import (
    QColor,
    QDragEnterEvent,
    QDropEvent,
    QImage,
    QKeyEvent,
    QMouseEvent,
    QPainter,
    QPainterPath,
    QPaintEvent,
    QPen,
    QPolygonF,
    QResizeEvent,
    QWheelEvent,
)
from PySide6.QtWidgets import QSizePolicy, QWidget

from aquin.arrays import Float64
from aquin.colour.region import WHOLE, Window
from aquin.desk.bench.hands import Hand
from aquin.desk.bench.preview import GAP_COLOURS, ZONE_COLOURS
from aquin.desk.bench.state import ROLES, Role
from aquin.desk.kit import theme
from aquin.measure.scopes import ZONES

MODES = ("side", "seam", "strips", "blink", "difference")
BLINK_MS = 500
"""Each picture of blink stays this long: two changes a second, below the three that can hurt."""
HOLD_MS = 350
"""A held key changes the picture no sooner than this after the last change."""
STRIPS = 8
MOST_ZOOM = 32.0
ZOOM_STEP = 1.25


GAP_NAMES = tuple(
    (name, (int(c[0]), int(c[1]), int(c[2])))
    for name, c in zip(("dE00 to 1", "to 2", "to 4", "to 8", "beyond"), GAP_COLOURS, strict=True)
)
ZONE_NAMES = tuple(
    (name, (int(c[0]), int(c[1]), int(c[2])))
    for name, c in zip(
        (f"under {ZONES[0]:g} st".replace("-", "\u2212"), *(f"{z:+g}".replace("-", "\u2212") for z in ZONES)),
        ZONE_COLOURS,
        strict=True,
    )
)
"""Each zone by the stops from grey at which it begins."""


class Pictures(QWidget):
    """Both pictures. Files can be dropped on the side they are meant for."""

    dropped = Signal(str, list)
    corners_moved = Signal(str, object)
    resized = Signal()
    handled = Signal()
    """The hand did something that its hint or its pictures show."""

    def __init__(self, parent: QWidget | None = None) -> None:
        super().__init__(parent)
        self.setAcceptDrops(True)
        self.setFocusPolicy(Qt.FocusPolicy.StrongFocus)
        self.setSizePolicy(QSizePolicy.Policy.Expanding, QSizePolicy.Policy.Expanding)
        self.setMinimumSize(480, 150)
        self.setMouseTracking(True)
        self.setAccessibleName("Hero and shot")
        self.mode = "side"
        self.images: dict[Role, QImage | None] = {"hero": None, "shot": None}
        self.sizes: dict[Role, tuple[int, int]] = {"hero": (16, 9), "shot": (16, 9)}
        self.corners: dict[Role, Float64 | None] = {"hero": None, "shot": None}
        self.show_corners = True
        self.messages: dict[Role, str] = {"hero": "", "shot": ""}
        self.gaps: QImage | None = None
        """The map of differences, where that is shown."""
        self.zone_names: tuple[tuple[str, tuple[int, int, int]], ...] = ()
        """What the colours of the pictures mean, while exposure zones are shown."""
        self.seam = [0.5, 0.5, 0.0]
        """A point on the seam, as shares of the picture, and its angle from the vertical in degrees."""
        self.held = False
        self._blink_hero = False
        self._timer = QTimer(self)
        self._timer.setInterval(BLINK_MS)
        self._timer.timeout.connect(self._blink)
        self._still = QTimer(self)
        self._still.setSingleShot(True)
        self._drag: tuple[str, Role, int] | None = None
        self.picked: tuple[Role, int] = ("hero", 0)
        self.zoom = 1.0
        self.centre = (0.5, 0.5)
        """What lies in the middle of both pictures, as shares of their width and height."""
        self.parts: dict[Role, Window] = {"hero": WHOLE, "shot": WHOLE}
        """Which part of its picture each image is."""
        self.hand: Hand | None = None
        self.under: tuple[Hand, ...] = ()
        """Hands whose marks stay on show while they rest."""
        self._at: tuple[Role, float, float] = ("hero", 0.5, 0.5)
        """Where the keys have the hand."""
        self._steered = False
        """Whether keys moved the hand last, so that it has to be shown."""
        self._pressed: Role | None = None
        self._by_keys = False
        self._pan: QPoint | None = None

    def sizeHint(self) -> QSize:
        return QSize(860, 260)

    # what is shown

    def set_mode(self, mode: str) -> None:
        self.mode = mode
        self._blink_hero = False
        if mode == "blink":
            self._timer.start()
        else:
            self._timer.stop()
        self.setAccessibleDescription(f"compare mode {mode}")
        self.resized.emit()
        self.update()

    def set_hand(self, hand: Hand | None) -> None:
        """What the mouse, or arrow keys and Enter, do on the pictures from now on."""
        self.hand, self._pressed, self._by_keys = hand, None, False
        if hand is not None:
            self._at = (hand.begins, *self._at[1:])
        self.setCursor(Qt.CursorShape.ArrowCursor if hand is None else Qt.CursorShape.CrossCursor)
        self.handled.emit()
        self.update()

    def set_image(
        self, role: Role, pixels: np.ndarray | None, ratio: float = 1.0, part: Window = WHOLE
    ) -> None:
        self.parts[role] = part
        if pixels is None:
            self.images[role] = None
        else:
            h, w = pixels.shape[:2]
            image = QImage(pixels.data, w, h, 4 * w, QImage.Format.Format_RGB32)
            image.pixels = pixels  # type: ignore[attr-defined]  # keeps the bytes alive as long as the image
            image.setDevicePixelRatio(ratio)
            self.images[role] = image
        self.update()

    def set_gaps(self, pixels: np.ndarray | None, ratio: float = 1.0) -> None:
        """The map of differences, (h, w, 4) bytes."""
        self.gaps = None
        if pixels is not None:
            h, w = pixels.shape[:2]
            image = QImage(pixels.data, w, h, 4 * w, QImage.Format.Format_RGB32).copy()
            image.setDevicePixelRatio(ratio)
            self.gaps = image
        self.update()

    def hold(self, on: bool) -> None:
        """While held, the hero stands in the shot's place."""
        if on and (self.held or self._still.isActive()):
            return
        if on:
            self._still.start(HOLD_MS)
        self.held = on
        self.update()

    def cell(self, role: Role) -> QRectF:
        """The room that this role's picture has in the current mode."""
        gap, w, h = theme.GRID, self.width(), self.height()
        if self.mode == "side":
            half = (w - gap) / 2
            return QRectF(0 if role == "hero" else half + gap, 0, half, h)
        return QRectF(0, 0, w, h)

    def area(self, role: Role) -> QRectF:
        """Where this role's whole picture lies in the current mode: beyond its cell where it is enlarged."""
        box = self.cell(role)
        fw, fh = self.sizes[role]
        scale = min(box.width() / fw, box.height() / fh) * self.zoom
        w, h = fw * scale, fh * scale
        x, y = (
            self._edge(self.centre[k], size, room)
            for k, (size, room) in enumerate(((w, box.width()), (h, box.height())))
        )
        return QRectF(round(box.left() + x), round(box.top() + y), round(w), round(h))

    @staticmethod
    def _edge(middle: float, size: float, room: float) -> float:
        """Where a picture begins in its room: centred if it fits, else with no empty margin."""
        return (room - size) / 2 if size <= room else float(np.clip(room / 2 - middle * size, room - size, 0))

    def visible(self, role: Role) -> QRectF:
        """What of the picture's place can be seen."""
        return self.area(role).intersected(self.cell(role))

    def part_seen(self, role: Role) -> Window:
        """The part of the picture that can be seen."""
        whole, seen = self.area(role), self.visible(role)
        if self.zoom == 1.0 or seen.isEmpty():
            return WHOLE
        return (
            (seen.left() - whole.left()) / whole.width(),
            (seen.top() - whole.top()) / whole.height(),
            (seen.right() - whole.left()) / whole.width(),
            (seen.bottom() - whole.top()) / whole.height(),
        )

    def set_zoom(self, zoom: float, about: QPointF | None = None) -> None:
        """Enlarge both pictures together; what is at `about`, a place in the widget, stays there."""
        zoom = float(np.clip(zoom, 1.0, MOST_ZOOM))
        zoom = 1.0 if zoom < 1.01 else zoom
        if about is not None:
            role = self._role_at(about)
            x, y = self._to_share(role, about)
            middle = self.cell(role).center()
            self.zoom = zoom
            whole = self.area(role)
            self.centre = (
                float(np.clip(x - (about.x() - middle.x()) / whole.width(), 0, 1)),
                float(np.clip(y - (about.y() - middle.y()) / whole.height(), 0, 1)),
            )
        self.zoom = zoom
        if zoom == 1.0:
            self.centre = (0.5, 0.5)
        self.setAccessibleDescription(f"compare mode {self.mode}, enlarged {zoom:.1f} times")
        self.resized.emit()
        self.handled.emit()
        self.update()

    def pan(self, x: float, y: float) -> None:
        """Move both pictures by pixels of the widget."""
        whole, box = self.area("shot"), self.cell("shot")
        rests = [
            min(r / (2 * max(s, 1.0)), 0.5)
            for r, s in ((box.width(), whole.width()), (box.height(), whole.height()))
        ]
        self.centre = (
            float(np.clip(self.centre[0] - x / whole.width(), rests[0], 1 - rests[0])),
            float(np.clip(self.centre[1] - y / whole.height(), rests[1], 1 - rests[1])),
        )
        self.resized.emit()
        self.update()

    def _blink(self) -> None:
        self._blink_hero = not self._blink_hero
        self.update()

    # drawing

    def paintEvent(self, event: QPaintEvent) -> None:
        p = QPainter(self)
        self._draw(p)
        self._hint(p)
        p.end()

    def _draw(self, p: QPainter) -> None:
        p.setRenderHint(QPainter.RenderHint.SmoothPixmapTransform)
        p.fillRect(self.rect(), theme.SURROUND)
        if self.mode == "side":
            for role in ROLES:
                shown: Role = "hero" if self.held else role
                self._picture(p, role, shown)
                p.save()
                p.setClipRect(self.cell(role))
                if self.show_corners and not (self.held and role == "shot"):
                    self._overlay(p, role)
                self._hands(p, shown, role)
                p.restore()
            if self.zone_names:
                self._legend(p, self.visible("hero"), self.zone_names)
            return
        area = self.visible("shot")
        if self.mode == "difference" and not self.held:
            if self.gaps is not None:
                p.drawImage(self._place("shot", self.parts["shot"]), self.gaps)
            else:
                self._picture(p, "shot", "shot")
            self._legend(p, area, GAP_NAMES)
            return
        if self.mode == "blink" or self.held:
            role = "hero" if self.held or self._blink_hero else "shot"
            self._picture(p, role, role)
            self._hands(p, role, role)
            self._tag(p, self.visible(role), role)
            return
        self._picture(p, "shot", "shot")
        path = self._strips_path(area) if self.mode == "strips" else self._seam_path(area)
        p.save()
        p.setClipPath(path)
        self._picture(p, "hero", "hero")
        p.restore()
        if self.mode == "seam":
            a, b = self._seam_line(area)
            p.setRenderHint(QPainter.RenderHint.Antialiasing)
            p.setPen(QPen(theme.grey(20), 3))
            p.drawLine(a, b)
            p.setPen(QPen(theme.grey(235), 1))
            p.drawLine(a, b)
            p.setBrush(theme.grey(235))
            p.drawEllipse(self._seam_point(area), 4, 4)
            p.drawEllipse(self._turn_point(area), 4, 4)
        self._hands(p, "shot", "shot")
        self._tag(p, area, "hero", False)
        self._tag(p, area, "shot", True)

    def _hands(self, p: QPainter, role: Role, place: Role) -> None:
        """What hands show on a picture, and where the keys have the hand."""
        p.setRenderHint(QPainter.RenderHint.Antialiasing)

        def to(x: float, y: float) -> QPointF:
            return self._from_share(place, x, y)

        for hand in dict.fromkeys([*([self.hand] if self.hand is not None else []), *self.under]):
            hand.paint(p, role, to)
        if self.hand is not None and self._steered and self.hasFocus() and self._at[0] == role:
            at = to(*self._at[1:])
            for colour, width in ((theme.grey(16), 3.0), (theme.grey(240), 1.0)):
                p.setPen(QPen(colour, width))
                p.drawLine(at - QPointF(9, 0), at + QPointF(9, 0))
                p.drawLine(at - QPointF(0, 9), at + QPointF(0, 9))

    def _hint(self, p: QPainter) -> None:
        """What the hand can do, over the upper edge."""
        if self.hand is None:
            return
        p.setFont(theme.font(theme.SMALL))
        text = self.hand.hint
        box = QRectF(6, 6, min(p.fontMetrics().horizontalAdvance(text) + 14, self.width() - 12), 20)
        p.fillRect(box, theme.grey(24))
        p.setPen(theme.TEXT)
        p.drawText(box.adjusted(7, 0, -7, 0), Qt.AlignmentFlag.AlignVCenter, text)

    def _place(self, role: Role, part: Window) -> QRectF:
        """Where a part of this role's picture lies."""
        return QRectF(self._from_share(role, part[0], part[1]), self._from_share(role, part[2], part[3]))

    def _picture(self, p: QPainter, place: Role, role: Role) -> None:
        area, image = self.visible(place), self.images[role]
        if image is not None:
            p.save()
            p.setClipRect(self.cell(place), Qt.ClipOperation.IntersectClip)
            p.drawImage(self._place(place, self.parts[role]), image)
            p.restore()
            return
        p.setPen(QPen(theme.grey(96), 1, Qt.PenStyle.DashLine))
        p.drawRect(area.adjusted(0, 0, -1, -1))
        p.setPen(theme.TEXT)
        p.setFont(theme.font(theme.LARGE))
        p.drawText(
            area.adjusted(24, 0, -24, 0),
            Qt.AlignmentFlag.AlignCenter | Qt.TextFlag.TextWordWrap,
            self.messages[role],
        )

    def _tag(self, p: QPainter, area: QRectF, text: str, right: bool = False) -> None:
        p.setFont(theme.font(theme.SMALL))
        width = p.fontMetrics().horizontalAdvance(text) + 12
        box = QRectF(area.right() - width - 6 if right else area.left() + 6, area.bottom() - 24, width, 18)
        p.setPen(Qt.PenStyle.NoPen)
        p.setBrush(theme.grey(24))
        p.drawRect(box)
        p.setPen(theme.TEXT)
        p.drawText(box, Qt.AlignmentFlag.AlignCenter, text)

    def _legend(self, p: QPainter, area: QRectF, names: tuple[tuple[str, tuple[int, int, int]], ...]) -> None:
        """What colours mean, along the lower edge."""
        p.setFont(theme.font(theme.SMALL))
        x, y = area.left() + 6, area.bottom() - 22
        for text, (r, g, b) in names:
            width = p.fontMetrics().horizontalAdvance(text) + 24
            p.fillRect(QRectF(x, y, width, 17), theme.grey(24))
            p.fillRect(QRectF(x + 3, y + 3, 12, 11), QColor(r, g, b))
            p.setPen(theme.TEXT)
            p.drawText(QRectF(x + 19, y, width, 17), Qt.AlignmentFlag.AlignVCenter, text)
            x += width

    def _overlay(self, p: QPainter, role: Role) -> None:
        corners = self.corners[role]
        if corners is None or self.images[role] is None:
            return
        points = [self._to_widget(role, c) for c in corners]
        p.setRenderHint(QPainter.RenderHint.Antialiasing)
        p.setBrush(Qt.BrushStyle.NoBrush)
        for colour, width in ((theme.grey(16), 3.0), (theme.grey(240), 1.2)):
            p.setPen(QPen(colour, width))
            p.drawPolygon(QPolygonF(points))
            for k, point in enumerate(points):
                if k == 0:  # the first patch's corner is a square
                    p.drawRect(QRectF(point.x() - 5, point.y() - 5, 10, 10))
                else:
                    p.drawEllipse(point, 4.5, 4.5)
        if self.hasFocus() and self.picked[0] == role:
            p.setBrush(theme.grey(240))
            p.drawEllipse(points[self.picked[1]], 4.5, 4.5)

    # the seam and the strips

    def _seam_point(self, area: QRectF) -> QPointF:
        return QPointF(area.left() + self.seam[0] * area.width(), area.top() + self.seam[1] * area.height())

    def _along(self) -> QPointF:
        angle = np.radians(self.seam[2])
        return QPointF(float(np.sin(angle)), float(-np.cos(angle)))

    def _turn_point(self, area: QRectF) -> QPointF:
        return self._seam_point(area) + self._along() * (0.3 * area.height())

    def _seam_line(self, area: QRectF) -> tuple[QPointF, QPointF]:
        far, mid = self._along() * 4000, self._seam_point(area)
        path = QPainterPath()
        path.addRect(area)
        inside = [
            mid + self._along() * t
            for t in np.linspace(-1500, 1500, 1501)
            if area.contains(mid + self._along() * float(t))
        ]
        return (inside[0], inside[-1]) if inside else (mid - far, mid + far)

    def _seam_path(self, area: QRectF) -> QPainterPath:
        mid, along = self._seam_point(area), self._along() * 4000
        left = QPointF(along.y(), -along.x())
        path = QPainterPath()
        path.addPolygon(QPolygonF([mid + along, mid + along + left, mid - along + left, mid - along]))
        path.closeSubpath()
        return path

    def _strips_path(self, area: QRectF) -> QPainterPath:
        path = QPainterPath()
        step = area.width() / STRIPS
        for k in range(0, STRIPS, 2):
            path.addRect(QRectF(area.left() + k * step, area.top(), step, area.height()))
        return path

    # hands

    def _to_widget(self, role: Role, point: Float64) -> QPointF:
        area, (w, h) = self.area(role), self.sizes[role]
        return QPointF(area.left() + point[0] / w * area.width(), area.top() + point[1] / h * area.height())

    def _from_share(self, role: Role, x: float, y: float) -> QPointF:
        area = self.area(role)
        return QPointF(area.left() + x * area.width(), area.top() + y * area.height())

    def _to_share(self, role: Role, point: QPointF) -> tuple[float, float]:
        area = self.area(role)
        return (
            float(np.clip((point.x() - area.left()) / area.width(), 0, 1)),
            float(np.clip((point.y() - area.top()) / area.height(), 0, 1)),
        )

    def _role_at(self, point: QPointF) -> Role:
        return "hero" if self.mode == "side" and self.cell("hero").right() > point.x() else "shot"

    def _to_frame(self, role: Role, point: QPointF) -> Float64:
        area, (w, h) = self.area(role), self.sizes[role]
        return np.array(
            [(point.x() - area.left()) / area.width() * w, (point.y() - area.top()) / area.height() * h]
        ).clip(0, (w, h))

    def mousePressEvent(self, event: QMouseEvent) -> None:
        at = event.position()
        right = event.button() == Qt.MouseButton.RightButton
        self._steered = False
        if self.hand is not None and event.button() != Qt.MouseButton.MiddleButton:
            role = self._role_at(at)
            alt = bool(event.modifiers() & Qt.KeyboardModifier.AltModifier)
            self._at = (role, *self._to_share(role, at))
            self._press(role, right or alt)
            return
        if event.button() == Qt.MouseButton.MiddleButton:
            self._pan = at.toPoint()
            return
        if self.mode == "side" and self.show_corners:
            for role in ROLES:
                corners = self.corners[role]
                if corners is None:
                    continue
                for k in range(4):
                    gap = self._to_widget(role, corners[k]) - at
                    if np.hypot(gap.x(), gap.y()) < 12:
                        self._drag, self.picked = ("corner", role, k), (role, k)
                        self.update()
                        return
        elif self.mode == "seam":
            gap = self._turn_point(self.visible("shot")) - at
            self._drag = ("turn" if np.hypot(gap.x(), gap.y()) < 14 else "seam", "shot", 0)
            self.mouseMoveEvent(event)
            return
        if self.zoom > 1:
            self._pan = at.toPoint()

    def mouseMoveEvent(self, event: QMouseEvent) -> None:
        at = event.position()
        if self._pan is not None:
            step = at.toPoint() - self._pan
            self._pan = at.toPoint()
            self.pan(step.x(), step.y())
            return
        if self._pressed is not None and self.hand is not None and not self._by_keys:
            self._at = (self._pressed, *self._to_share(self._pressed, at))
            self.hand.move(self._pressed, self._at[1:])
            self.update()
            return
        if self._drag is None:
            return
        what, role, k = self._drag
        if what == "corner":
            corners = self.corners[role]
            assert corners is not None
            moved = corners.copy()
            moved[k] = self._to_frame(role, at)
            self.corners[role] = moved
        else:
            area = self.visible("shot")
            if what == "seam":
                self.seam[0] = float(np.clip((at.x() - area.left()) / area.width(), 0, 1))
                self.seam[1] = float(np.clip((at.y() - area.top()) / area.height(), 0, 1))
            else:
                gap = at - self._seam_point(area)
                self.seam[2] = float(np.degrees(np.arctan2(gap.x(), -gap.y())))
        self.update()

    def _press(self, role: Role, other: bool = False) -> None:
        assert self.hand is not None
        self._pressed = role
        self.hand.press(role, self._at[1:], lambda x, y: self._from_share(role, x, y), other)
        self.handled.emit()
        self.update()

    def _release(self) -> None:
        if self._pressed is not None and self.hand is not None:
            self.hand.release()
        self._pressed, self._by_keys = None, False
        self.handled.emit()
        self.update()

    def wheelEvent(self, event: QWheelEvent) -> None:
        steps = event.angleDelta().y() / 120
        if steps:
            self.set_zoom(self.zoom * ZOOM_STEP**steps, event.position())
        event.accept()

    def mouseDoubleClickEvent(self, event: QMouseEvent) -> None:
        if self.hand is None and self.zoom > 1 and self.mode != "seam":
            self.set_zoom(1.0)
        else:
            self.mousePressEvent(event)

    def mouseReleaseEvent(self, event: QMouseEvent) -> None:
        self._pan = None
        if self._pressed is not None and not self._by_keys:
            self._release()
            return
        if self._drag is not None and self._drag[0] == "corner":
            role = self._drag[1]
            self.corners_moved.emit(role, self.corners[role])
        self._drag = None

    def keyPressEvent(self, event: QKeyEvent) -> None:
        """Arrow keys move the seam (Alt turns it), the picked corner, or the hand, which Enter presses; N picks the next corner or the other
        picture. Plus and minus enlarge, Ctrl with arrow keys moves what is enlarged."""
        step = {
            Qt.Key.Key_Left: (-1, 0),
            Qt.Key.Key_Right: (1, 0),
            Qt.Key.Key_Up: (0, -1),
            Qt.Key.Key_Down: (0, 1),
        }.get(Qt.Key(event.key()))
        coarse = 10 if event.modifiers() & Qt.KeyboardModifier.ShiftModifier else 1
        alt = bool(event.modifiers() & Qt.KeyboardModifier.AltModifier)
        if event.key() in (Qt.Key.Key_Plus, Qt.Key.Key_Equal):
            self.set_zoom(self.zoom * ZOOM_STEP)
        elif event.key() == Qt.Key.Key_Minus:
            self.set_zoom(self.zoom / ZOOM_STEP)
        elif step and event.modifiers() & Qt.KeyboardModifier.ControlModifier:
            self.pan(-24 * coarse * step[0], -24 * coarse * step[1])
        elif self.hand is not None and step:
            self._steered = True
            role, x, y = self._at
            area = self.area(role)
            x = float(np.clip(x + step[0] * coarse * 2 / area.width(), 0, 1))
            y = float(np.clip(y + step[1] * coarse * 2 / area.height(), 0, 1))
            self._at = (role, x, y)
            if self._pressed is not None:
                self.hand.move(role, (x, y))
        elif self.hand is not None and event.key() in (Qt.Key.Key_Return, Qt.Key.Key_Enter):
            if self._pressed is not None:
                self._release()
            else:
                self._press(self._at[0], alt)
                self._by_keys = True
                if not self.hand.drags:
                    self._release()
        elif self.hand is not None and event.key() == Qt.Key.Key_N and self._pressed is None:
            self._steered = True
            self._at = ("shot" if self._at[0] == "hero" else "hero", *self._at[1:])
        elif self.mode == "seam" and step:
            if event.modifiers() & Qt.KeyboardModifier.AltModifier:
                self.seam[2] += (step[0] or step[1]) * coarse
            else:
                self.seam[0] = float(np.clip(self.seam[0] + step[0] * 0.01 * coarse, 0, 1))
                self.seam[1] = float(np.clip(self.seam[1] + step[1] * 0.01 * coarse, 0, 1))
        elif self.mode == "side" and event.key() == Qt.Key.Key_N:
            places: list[tuple[Role, int]] = [(role, k) for role in ROLES for k in range(4)]
            self.picked = places[(places.index(self.picked) + 1) % 8]
        elif self.mode == "side" and step and self.corners[self.picked[0]] is not None:
            role, k = self.picked
            moved = np.array(self.corners[role])
            moved[k] = (moved[k] + np.array(step) * coarse).clip(0, self.sizes[role])
            self.corners[role] = moved
            self.corners_moved.emit(role, moved)
        else:
            super().keyPressEvent(event)
            return
        self.update()

    def resizeEvent(self, event: QResizeEvent) -> None:
        super().resizeEvent(event)
        self.resized.emit()

    def dragEnterEvent(self, event: QDragEnterEvent) -> None:
        if event.mimeData().hasUrls() and any(url.isLocalFile() for url in event.mimeData().urls()):
            event.acceptProposedAction()

    def dropEvent(self, event: QDropEvent) -> None:
        files = [str(Path(url.toLocalFile())) for url in event.mimeData().urls() if url.isLocalFile()]
        if files:
            role = "hero" if event.position().x() < self.width() / 2 else "shot"
            event.acceptProposedAction()
            self.dropped.emit(role, files)
