"""What a hand does on the pictures: an area for the scopes, regions, skin, pairs. Places are shares of a picture's
width and height.
"""

from collections.abc import Callable
from dataclasses import replace
from typing import TYPE_CHECKING

import numpy as np
from PySide6.QtCore import QObject, QRectF, Qt, Signal
from PySide6.QtGui import QColor, QImage, QPainter, QPen

from aquin.colour.region import WHOLE, Ellipse, Window
from aquin.desk.kit import theme
from aquin.desk.kit.pictures.hand import Hand, To
from aquin.jobs.load_side import ROLES, At, Role
from aquin.measure.skin import Dab

if TYPE_CHECKING:
    from aquin.desk.bench.state import Pair

NEAR = 12.0
"""Pixels within which a handle is meant."""


def outline(p: QPainter, draw: Callable[[], None], light: int = 240, width: float = 1.3) -> None:
    """Draw twice, dark below light, so that it is seen on any picture."""
    p.setBrush(Qt.BrushStyle.NoBrush)
    for grey, pen in ((theme.grey(16), width + 2), (theme.grey(light), width)):
        p.setPen(QPen(grey, pen))
        draw()


class AreaHand(Hand):
    """A rectangle of each side that the scopes look at."""

    name = "area"
    hint = "Drag a rectangle on either picture: its scopes show that area only"

    def __init__(self, parent: QObject | None = None) -> None:
        super().__init__(parent)
        self.areas: dict[Role, Window] = {}
        self._moved = False
        self._from: tuple[Role, At] | None = None

    def of(self, role: Role) -> Window:
        return self.areas.get(role, WHOLE)

    def press(self, role: Role, at: At, to: To, other: bool = False) -> None:
        self._from, self._moved = (role, at), False

    def move(self, role: Role, at: At) -> None:
        if self._from is None:
            return
        self._moved = True
        (role, (x0, y0)), (x1, y1) = self._from, at
        x, y = sorted((x0, x1)), sorted((y0, y1))
        self.areas[role] = (max(x[0], 0.0), max(y[0], 0.0), min(x[1], 1.0), min(y[1], 1.0))

    def release(self) -> None:
        if self._from is not None:
            role = self._from[0]
            left, top, right, bottom = self.of(role)
            if (
                not self._moved or right - left < 0.01 or bottom - top < 0.01
            ):  # a click: the whole picture again
                self.areas.pop(role, None)
        self._from = None
        self.changed.emit()

    def clear(self) -> None:
        self.areas.clear()
        self.changed.emit()

    def paint(self, p: QPainter, role: Role, to: To) -> None:
        if role in self.areas:
            left, top, right, bottom = self.areas[role]
            outline(p, lambda: p.drawRect(QRectF(to(left, top), to(right, bottom))))


class RegionHand(Hand):
    """The ellipse of the selected region on the shot: moved by its middle, sized and turned by its two handles."""

    name = "regions"
    begins = "shot"
    hint = "Drag the ellipse by its middle or a handle; with a key, click the colour that it is to hold"

    moved = Signal(object, bool)
    """An ellipse, and whether the drag goes on."""
    picked = Signal(float, float)

    def __init__(self, parent: QObject | None = None) -> None:
        super().__init__(parent)
        self.ellipse: Ellipse | None = None
        self.tall = 9 / 16
        """Height of the picture over its width."""
        self._drag = ""
        self._last: At = (0.0, 0.0)
        self._moved = False

    def _ends(self, e: Ellipse) -> tuple[At, At]:
        """The handles: at the end of the wide half axis and of the high one."""
        a = np.radians(e.turn)
        c, s = float(np.cos(a)), float(np.sin(a))
        return (e.x + c * e.wide, e.y + s * e.wide / self.tall), (
            e.x - s * e.high,
            e.y + c * e.high / self.tall,
        )

    def press(self, role: Role, at: At, to: To, other: bool = False) -> None:
        self._last, self._drag, self._moved = at, "", False
        if role != "shot":
            return
        if self.ellipse is None:
            self.picked.emit(*at)
            return
        here = to(*at)
        places = {
            "wide": self._ends(self.ellipse)[0],
            "high": self._ends(self.ellipse)[1],
            "middle": (self.ellipse.x, self.ellipse.y),
        }
        for name, place in places.items():
            gap = to(*place) - here
            if np.hypot(gap.x(), gap.y()) < NEAR:
                self._drag = name
                return
        self._drag = "middle"
        self.ellipse = replace(self.ellipse, x=at[0], y=at[1])

    def move(self, role: Role, at: At) -> None:
        e = self.ellipse
        if not self._drag or e is None:
            return
        self._moved = True
        dx, dy = at[0] - e.x, (at[1] - e.y) * self.tall
        away = float(np.clip(np.hypot(dx, dy), 0.005, 2.0))
        if self._drag == "middle":
            e = replace(
                e,
                x=float(np.clip(e.x + at[0] - self._last[0], 0, 1)),
                y=float(np.clip(e.y + at[1] - self._last[1], 0, 1)),
            )
        elif self._drag == "wide":
            e = replace(e, wide=away, turn=float(np.degrees(np.arctan2(dy, dx))))
        else:
            e = replace(e, high=away, turn=float(np.degrees(np.arctan2(-dx, dy))))
        self._last, self.ellipse = at, e
        self.moved.emit(e, True)

    def release(self) -> None:
        if self._drag and self.ellipse is not None:
            self.moved.emit(self.ellipse, False)
        self._drag = ""

    def paint(self, p: QPainter, role: Role, to: To) -> None:
        e = self.ellipse
        if role != "shot" or e is None:
            return
        around = np.radians(np.linspace(0, 360, 73))
        a = np.radians(e.turn)
        for share, light in ((1.0, 240), (1.0 - e.feather, 170)):
            if share < 0.03:
                continue
            u, v = share * e.wide * np.cos(around), share * e.high * np.sin(around)
            x = e.x + u * np.cos(a) - v * np.sin(a)
            y = e.y + (u * np.sin(a) + v * np.cos(a)) / self.tall
            points = [to(float(i), float(j)) for i, j in zip(x, y, strict=True)]
            outline(p, lambda q=points: p.drawPolyline(q), light)  # type: ignore[misc]
        p.setBrush(theme.grey(235))
        p.setPen(QPen(theme.grey(16), 1))
        for place in (*self._ends(e), (e.x, e.y)):
            p.drawEllipse(to(*place), 4.5, 4.5)


class SkinHand(Hand):
    """What counts as skin: hatched on both pictures; a brush adds to it, with Alt it takes away."""

    name = "skin"
    hint = "Brush over skin that is not hatched; Alt or the right button takes away what is none"

    def __init__(self, parent: QObject | None = None) -> None:
        super().__init__(parent)
        self.dabs: dict[Role, tuple[Dab, ...]] = {"hero": (), "shot": ()}
        self.masks: dict[Role, QImage | None] = {"hero": None, "shot": None}
        self.radius = 0.02
        self._role: Role | None = None
        self._add = True

    def set_mask(self, role: Role, mask: np.ndarray | None) -> None:
        """(h, w) bool: drawn as diagonal hatching."""
        if mask is None:
            self.masks[role] = None
            return
        h, w = mask.shape
        lines = (np.add.outer(np.arange(h), np.arange(w)) % 6) < 2
        pixels = np.zeros((h, w, 4), np.uint8)
        pixels[mask & lines] = (235, 235, 235, 200)
        pixels[mask & ~lines] = (16, 16, 16, 60)
        self.masks[role] = QImage(pixels.data, w, h, 4 * w, QImage.Format.Format_ARGB32).copy()

    def press(self, role: Role, at: At, to: To, other: bool = False) -> None:
        self._role, self._add = role, not other
        self._dab(at)

    def move(self, role: Role, at: At) -> None:
        if self._role == role:
            self._dab(at)

    def _dab(self, at: At) -> None:
        assert self._role is not None
        held = self.dabs[self._role]
        if (
            held
            and held[-1].add == self._add
            and np.hypot(held[-1].x - at[0], held[-1].y - at[1]) < self.radius / 3
        ):
            return
        if len(held) < 2000:
            self.dabs[self._role] = (*held, Dab(at[0], at[1], self.radius, self._add))

    def release(self) -> None:
        if self._role is not None:
            self._role = None
            self.changed.emit()

    def clear(self) -> None:
        for role in ROLES:
            self.dabs[role] = ()
        self.changed.emit()

    def paint(self, p: QPainter, role: Role, to: To) -> None:
        mask = self.masks[role]
        if mask is not None:
            p.drawImage(QRectF(to(0, 0), to(1, 1)), mask)
        if self._role == role:  # what is painted now is measured when the brush is lifted
            width = to(1, 0).x() - to(0, 0).x()
            for dab in self.dabs[role][-400:]:
                p.setPen(Qt.PenStyle.NoPen)
                p.setBrush(QColor(235, 235, 235, 110) if dab.add else QColor(16, 16, 16, 110))
                p.drawEllipse(to(dab.x, dab.y), dab.radius * width, dab.radius * width)


class PairHand(Hand):
    """Pairs that a person names: a thing in the hero, then the same thing in the shot."""

    name = "pairs"
    drags = False

    def __init__(self, parent: QObject | None = None) -> None:
        super().__init__(parent)
        self.pairs: tuple[Pair, ...] = ()
        self.waiting: At | None = None

    @property
    def hint(self) -> str:  # type: ignore[override]
        if self.waiting is not None:
            return "Now click the same thing in the shot"
        return (
            "Click an even patch in the hero, then the same thing in the shot; click a mark again to take its "
            "pair away"
        )

    def press(self, role: Role, at: At, to: To, other: bool = False) -> None:
        side = ROLES.index(role)
        for k, pair in enumerate(self.pairs):
            gap = to(*pair[side]) - to(*at)
            if np.hypot(gap.x(), gap.y()) < NEAR:
                self.pairs = self.pairs[:k] + self.pairs[k + 1 :]
                self.changed.emit()
                return
        if role == "hero":
            self.waiting = at
        elif self.waiting is not None:
            self.pairs = (*self.pairs, (self.waiting, at))
            self.waiting = None
            self.changed.emit()

    def clear(self) -> None:
        self.pairs, self.waiting = (), None
        self.changed.emit()

    def paint(self, p: QPainter, role: Role, to: To) -> None:
        side = ROLES.index(role)
        p.setFont(theme.font(theme.SMALL, True))
        places = [(str(k + 1), pair[side]) for k, pair in enumerate(self.pairs)]
        if self.waiting is not None and role == "hero":
            places.append(("?", self.waiting))
        for text, place in places:
            at = to(*place)
            outline(p, lambda at=at: p.drawRect(QRectF(at.x() - 5, at.y() - 5, 10, 10)))  # type: ignore[misc]
            box = QRectF(at.x() + 7, at.y() - 9, 18, 17)
            p.fillRect(box, theme.grey(24))
            p.setPen(theme.TEXT)
            p.drawText(box, Qt.AlignmentFlag.AlignCenter, text)


class NeutralHand(Hand):
    """A place that is neutral, pointed at on the picture that is levelled."""

    name = "neutral"
    hint = "Click something grey or white that is lit as the scene is; a click on the mark takes it away"
    drags = False

    def __init__(self, parent: QObject | None = None) -> None:
        super().__init__(parent)
        self.marks: dict[Role, At] = {}

    def press(self, role: Role, at: At, to: To, other: bool = False) -> None:
        held = self.marks.get(role)
        if held is not None and abs(to(*held).x() - to(*at).x()) + abs(to(*held).y() - to(*at).y()) < 12:
            del self.marks[role]
        else:
            self.marks[role] = at
        self.changed.emit()

    def clear(self) -> None:
        self.marks.clear()
        self.changed.emit()

    def paint(self, p: QPainter, role: Role, to: To) -> None:
        if role in self.marks:
            at = to(*self.marks[role])
            outline(p, lambda: p.drawRect(QRectF(at.x() - 6, at.y() - 6, 12, 12)))
            outline(p, lambda: p.drawPoint(at))
