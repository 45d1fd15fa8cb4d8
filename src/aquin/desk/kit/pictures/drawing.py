"""How the pictures are drawn in each compare mode, with corners, tags, legends and the marks of hands on top."""

from typing import TYPE_CHECKING

import numpy as np
from PySide6.QtCore import QPointF, QRectF, Qt
from PySide6.QtGui import QColor, QImage, QPainter, QPainterPath, QPaintEvent, QPen, QPixmap, QPolygonF
from PySide6.QtWidgets import QWidget

from aquin.colour.region import WHOLE, Window
from aquin.desk.kit import theme
from aquin.desk.kit.corners import draw_corners
from aquin.desk.kit.pictures.geometry import Placed
from aquin.desk.kit.preview import GAP_COLOURS, ZONE_COLOURS
from aquin.jobs.load_side import ROLES, Role
from aquin.measure.scopes import ZONES

if TYPE_CHECKING:
    from aquin.arrays import Float64
    from aquin.desk.kit.pictures.hand import Hand

STRIPS = 8


def _minus(text: str) -> str:
    return text.replace("-", "\u2212")


Legend = tuple[tuple[str, tuple[int, int, int]], ...]
GAP_NAMES: Legend = tuple(
    (name, (int(c[0]), int(c[1]), int(c[2])))
    for name, c in zip(("dE00 to 1", "to 2", "to 4", "to 8", "beyond"), GAP_COLOURS, strict=True)
)
ZONE_NAMES: Legend = tuple(
    (name, (int(c[0]), int(c[1]), int(c[2])))
    for name, c in zip(
        (_minus(f"under {ZONES[0]:g} st"), *(_minus(f"{z:+g}") for z in ZONES)), ZONE_COLOURS, strict=True
    )
)
"""Each zone by the stops from grey at which it begins."""


class Drawn(Placed):
    """Paints what it is given; changes nothing by itself."""

    def __init__(self, parent: QWidget | None = None) -> None:
        super().__init__(parent)
        self.images: dict[Role, QImage | None] = {"hero": None, "shot": None}
        self.stand_ins: dict[Role, QPixmap | None] = {"hero": None, "shot": None}
        """Small pictures that are shown until the frames are read."""
        self.corners: dict[Role, Float64 | None] = {"hero": None, "shot": None}
        self.show_corners = True
        self.picked: tuple[Role, int] = ("hero", 0)
        self.messages: dict[Role, str] = {"hero": "", "shot": ""}
        self.names: dict[Role, str] = {"hero": "hero", "shot": "shot"}
        """What the two are called where they share one place."""
        self.gaps: QImage | None = None
        """The map of differences, where that is shown."""
        self.zone_names: Legend = ()
        """What the colours of the pictures mean, while exposure zones are shown."""
        self.seam = [0.5, 0.5, 0.0]
        """A point on the seam, as shares of the picture, and its angle from the vertical in degrees."""
        self.held = False
        self.parts: dict[Role, Window] = {"hero": WHOLE, "shot": WHOLE}
        """Which part of its picture each image is."""
        self.hand: Hand | None = None
        self.under: tuple[Hand, ...] = ()
        """Hands whose marks stay on show while they rest."""
        self.at_: tuple[Role, float, float] = ("hero", 0.5, 0.5)
        """Where the keys have the hand."""
        self.steered = False
        """Whether keys moved the hand last, so that it has to be shown."""
        self.blink_hero = False

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
                p.drawImage(self.place_of("shot", self.parts["shot"]), self.gaps)
            else:
                self._picture(p, "shot", "shot")
            self._legend(p, area, GAP_NAMES)
            return
        if self.mode == "blink" or self.held:
            role = "hero" if self.held or self.blink_hero else "shot"
            self._picture(p, role, role)
            self._hands(p, role, role)
            self._tag(p, self.visible(role), self.names[role])
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
            p.drawEllipse(self.seam_point(area), 4, 4)
            p.drawEllipse(self.turn_point(area), 4, 4)
        self._hands(p, "shot", "shot")
        self._tag(p, area, self.names["hero"], False)
        self._tag(p, area, self.names["shot"], True)

    def _hands(self, p: QPainter, role: Role, place: Role) -> None:
        """What hands show on a picture, and where the keys have the hand."""
        p.setRenderHint(QPainter.RenderHint.Antialiasing)

        def to(x: float, y: float) -> QPointF:
            return self.from_share(place, x, y)

        for hand in dict.fromkeys([*([self.hand] if self.hand is not None else []), *self.under]):
            hand.paint(p, role, to)
        if self.hand is not None and self.steered and self.hasFocus() and self.at_[0] == role:
            at = to(*self.at_[1:])
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

    def _picture(self, p: QPainter, place: Role, role: Role) -> None:
        area, image = self.visible(place), self.images[role]
        if image is not None:
            p.save()
            p.setClipRect(self.cell(place), Qt.ClipOperation.IntersectClip)
            p.drawImage(self.place_of(place, self.parts[role]), image)
            p.restore()
            return
        if (small := self.stand_ins[role]) is not None:
            p.drawPixmap(area, small, QRectF(small.rect()))
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

    def _legend(self, p: QPainter, area: QRectF, names: Legend) -> None:
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
        points = [self.to_widget(role, c) for c in corners]
        draw_corners(p, points, self.picked[1] if self.hasFocus() and self.picked[0] == role else None)

    def seam_point(self, area: QRectF) -> QPointF:
        return QPointF(area.left() + self.seam[0] * area.width(), area.top() + self.seam[1] * area.height())

    def _along(self) -> QPointF:
        angle = np.radians(self.seam[2])
        return QPointF(float(np.sin(angle)), float(-np.cos(angle)))

    def turn_point(self, area: QRectF) -> QPointF:
        return self.seam_point(area) + self._along() * (0.3 * area.height())

    def _seam_line(self, area: QRectF) -> tuple[QPointF, QPointF]:
        """The ends of the seam where it leaves the picture: its line clipped by the four edges."""
        mid, along = self.seam_point(area), self._along()
        low, high = -4000.0, 4000.0
        for at, step, first, last in (
            (mid.x(), along.x(), area.left(), area.right()),
            (mid.y(), along.y(), area.top(), area.bottom()),
        ):
            if abs(step) < 1e-9:
                continue
            near, far = sorted(((first - at) / step, (last - at) / step))
            low, high = max(low, near), min(high, far)
        return mid + along * low, mid + along * max(high, low)

    def _seam_path(self, area: QRectF) -> QPainterPath:
        mid, along = self.seam_point(area), self._along() * 4000
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
