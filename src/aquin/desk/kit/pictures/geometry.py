"""Where the two pictures lie: side by side or in one place, whole or enlarged together."""

import numpy as np
from PySide6.QtCore import QPointF, QRectF, Signal
from PySide6.QtWidgets import QWidget

from aquin.arrays import Float64
from aquin.colour.region import WHOLE, Window
from aquin.desk.kit import theme
from aquin.jobs.load_side import Role

MODES = ("side", "seam", "strips", "blink", "difference")
MOST_ZOOM = 32.0


class Placed(QWidget):
    """A widget that knows where the pictures lie in it. `resized`: other parts of them, or of another size, are to be
    made.
    """

    resized = Signal()
    handled = Signal()
    """The hand did something that its hint or its pictures show."""

    def __init__(self, parent: QWidget | None = None) -> None:
        super().__init__(parent)
        self.mode = "side"
        self.sizes: dict[Role, tuple[int, int]] = {"hero": (16, 9), "shot": (16, 9)}
        self.split = 0.5
        """Share of the width that the hero has beside the shot."""
        self.zoom = 1.0
        self.centre = (0.5, 0.5)
        """What lies in the middle of both pictures, as shares of their width and height."""

    def cell(self, role: Role) -> QRectF:
        """The room that this role's picture has in the current mode."""
        gap, w, h = theme.GRID, self.width(), self.height()
        if self.mode == "side":
            first = (w - gap) * self.split
            return QRectF(0, 0, first, h) if role == "hero" else QRectF(first + gap, 0, w - gap - first, h)
        return QRectF(0, 0, w, h)

    def area(self, role: Role) -> QRectF:
        """Where this role's whole picture lies in the current mode: beyond its cell where it is enlarged."""
        box = self.cell(role)
        fw, fh = self.sizes[role]
        scale = min(box.width() / fw, box.height() / fh) * self.zoom
        w, h = fw * scale, fh * scale
        x, y = (
            self.edge(self.centre[k], size, room)
            for k, (size, room) in enumerate(((w, box.width()), (h, box.height())))
        )
        return QRectF(round(box.left() + x), round(box.top() + y), round(w), round(h))

    @staticmethod
    def edge(middle: float, size: float, room: float) -> float:
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
            role = self.role_at(about)
            x, y = self.to_share(role, about)
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

    def to_widget(self, role: Role, point: Float64) -> QPointF:
        area, (w, h) = self.area(role), self.sizes[role]
        return QPointF(area.left() + point[0] / w * area.width(), area.top() + point[1] / h * area.height())

    def from_share(self, role: Role, x: float, y: float) -> QPointF:
        area = self.area(role)
        return QPointF(area.left() + x * area.width(), area.top() + y * area.height())

    def to_share(self, role: Role, point: QPointF) -> tuple[float, float]:
        area = self.area(role)
        return (
            float(np.clip((point.x() - area.left()) / area.width(), 0, 1)),
            float(np.clip((point.y() - area.top()) / area.height(), 0, 1)),
        )

    def role_at(self, point: QPointF) -> Role:
        return "hero" if self.mode == "side" and self.cell("hero").right() > point.x() else "shot"

    def to_frame(self, role: Role, point: QPointF) -> Float64:
        area, (w, h) = self.area(role), self.sizes[role]
        return np.array(
            [(point.x() - area.left()) / area.width() * w, (point.y() - area.top()) / area.height() * h]
        ).clip(0, (w, h))

    def place_of(self, role: Role, part: Window) -> QRectF:
        """Where a part of this role's picture lies."""
        return QRectF(self.from_share(role, part[0], part[1]), self.from_share(role, part[2], part[3]))
