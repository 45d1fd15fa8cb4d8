"""The cut as a strip: each piece with small pictures of its two ends, and below it a lane for each axis with a plumb
gauge at every cut that is judged.
"""

from __future__ import annotations

from collections.abc import Mapping
from typing import TYPE_CHECKING

import numpy as np
from PySide6.QtCore import QEvent, QPointF, QRectF, Qt, Signal
from PySide6.QtGui import (
    QHelpEvent,
    QImage,
    QKeyEvent,
    QMouseEvent,
    QPainter,
    QPaintEvent,
    QPen,
    QWheelEvent,
)
from PySide6.QtWidgets import QScrollBar, QSizePolicy, QToolTip, QWidget

from aquin.desk.continuity.state import DIGITS, SHORT, difference_words
from aquin.desk.kit import theme
from aquin.desk.kit.boxes import column_of
from aquin.desk.kit.gauge import draw_gauge
from aquin.desk.kit.labels import plain_tip
from aquin.production.cut.lanes import LANES, UNITS

if TYPE_CHECKING:
    from aquin.production.cut.judged import Continuity, Cut
    from aquin.production.cut.pieces import Piece

NAMES, PIECE, THUMB, HEAD, LANE = 96, 138, 38, 18, 23
"""Pixels: the column of names, a piece's width, a small picture's height, the line of names, a lane's height."""
GAUGE = 74
SPREAD = {"exposure": 1.0, "warmth": 40.0, "tint": 12.0, "saturation": 0.4, "skin level": 12.0}
"""How far a lane reaches at least to either side of its middle, in the axis' unit."""

Smalls = Mapping[tuple[int, int], QImage]
"""Small pictures by piece and end."""


class Lanes(QWidget):
    """`picked` carries the position of a cut."""

    picked = Signal(int)
    opened = Signal(int)

    def __init__(self) -> None:
        super().__init__()
        self.setSizePolicy(QSizePolicy.Policy.Expanding, QSizePolicy.Policy.Fixed)
        self.setFixedHeight(HEAD + THUMB + 6 + LANE * len(LANES) + 2)
        self.setFocusPolicy(Qt.FocusPolicy.StrongFocus)
        self.setAccessibleName("The cut, piece by piece, with a lane for each axis")
        self.setMouseTracking(True)
        self.found: Continuity | None = None
        self.smalls: Smalls = {}
        self.chosen = 0
        self.offset = 0
        """Pixels that are scrolled away on the left."""
        self._scales: tuple[Continuity | None, dict[str, tuple[float, float]]] = (None, {})

    @property
    def length(self) -> int:
        """Pixels that all pieces take."""
        return PIECE * len(self.found.pieces) if self.found is not None else 0

    def left_of(self, number: int) -> int:
        """Where a piece begins."""
        return NAMES + PIECE * (number - 1) - self.offset

    def paintEvent(self, event: QPaintEvent) -> None:
        p = QPainter(self)
        p.fillRect(self.rect(), theme.WELL)
        if self.found is not None:
            p.save()
            p.setClipRect(QRectF(NAMES, 0, self.width() - NAMES, self.height()))
            first = max(self.offset // PIECE, 0)
            last = min((self.offset + self.width()) // PIECE + 1, len(self.found.pieces))
            self._chosen(p)
            for piece in self.found.pieces[first:last]:
                self._piece(p, piece)
            self._curves(p, first, last)
            for cut in self.found.cuts[max(first - 1, 0) : last]:
                self._cut(p, cut)
            p.restore()
        self._names(p)

    def _names(self, p: QPainter) -> None:
        p.setFont(theme.font(theme.SMALL))
        for k, axis in enumerate(LANES):
            y = self._lane(k)
            p.setPen(theme.DIM)
            text = f"{axis}  {SHORT[UNITS[axis]]}"
            p.drawText(QRectF(6, y, NAMES - 8, LANE), Qt.AlignmentFlag.AlignVCenter, text)
            p.setPen(QPen(theme.grey(40), 1))
            p.drawLine(QPointF(0, y), QPointF(self.width(), y))

    @staticmethod
    def _lane(k: int) -> float:
        return HEAD + THUMB + 6 + LANE * k

    def _chosen(self, p: QPainter) -> None:
        """The ground of the cut that is looked at."""
        if self.chosen:
            x = self.left_of(self.chosen)
            p.fillRect(QRectF(x - GAUGE / 2, HEAD + THUMB + 6, GAUGE, self.height()), theme.grey(38))

    def _piece(self, p: QPainter, piece: Piece) -> None:
        x = self.left_of(piece.number)
        p.setPen(theme.TEXT if piece.shot is not None else theme.FAINT)
        p.setFont(theme.font(theme.SMALL))
        words = f"{piece.number}  {piece.name}"
        p.drawText(QRectF(x + 12, 0, PIECE - 24, HEAD), Qt.AlignmentFlag.AlignVCenter, words)
        wide = (PIECE - 4) / 2
        for end in (0, 1):
            box = QRectF(x + 2 + end * wide, HEAD, wide - 1, THUMB)
            small = self.smalls.get((piece.number, end))
            if small is None:
                p.fillRect(box, theme.PANEL)
                continue
            scale = max(box.width() / small.width(), box.height() / small.height())
            w, h = box.width() / scale, box.height() / scale
            source = QRectF((small.width() - w) / 2, (small.height() - h) / 2, w, h)
            p.drawImage(box, small, source)
        if piece.shot is None:
            p.setPen(theme.DIM)
            p.drawText(QRectF(x + 4, HEAD, PIECE - 8, THUMB), Qt.AlignmentFlag.AlignCenter, "not conformed")

    def _curves(self, p: QPainter, first: int, last: int) -> None:
        """Each axis from a piece's first frame to its last, about the middle of the whole cut."""
        assert self.found is not None
        p.setRenderHint(QPainter.RenderHint.Antialiasing)
        for k, axis in enumerate(LANES):
            middle, reach = self._scale(axis)
            y = self._lane(k) + LANE / 2
            p.setPen(QPen(theme.grey(104), 1.4))
            for piece in self.found.pieces[first:last]:
                ends = self.found.values.get(piece.number)
                if ends is None or not all(axis in e for e in ends):
                    continue
                x = self.left_of(piece.number)
                at = [float(np.clip((e[axis] - middle) / reach, -1, 1)) for e in ends]
                room = LANE / 2 - 3
                p.drawLine(QPointF(x + 6, y - at[0] * room), QPointF(x + PIECE - 6, y - at[1] * room))

    def _scale(self, axis: str) -> tuple[float, float]:
        """The middle of an axis over the cut, and how far its lane reaches to either side."""
        assert self.found is not None
        if self._scales[0] is not self.found:
            self._scales = self.found, {}
        scales = self._scales[1]
        if axis not in scales:
            scales[axis] = self._scale_of(self.found, axis)
        return scales[axis]

    @staticmethod
    def _scale_of(found: Continuity, axis: str) -> tuple[float, float]:
        values = [e[axis] for ends in found.values.values() for e in ends if axis in e]
        if not values:
            return 0.0, 1.0
        middle = float(np.median(values))
        far = float(np.percentile(np.abs(np.array(values) - middle), 95))
        return middle, max(far, SPREAD.get(axis, 0.0), 1e-6)

    def _cut(self, p: QPainter, cut: Cut) -> None:
        x = self.left_of(cut.position)
        p.setPen(QPen(theme.grey(84) if cut.position != self.chosen else theme.BRIGHT, 1))
        p.drawLine(QPointF(x, 0), QPointF(x, self.height()))
        for jump in cut.jumps:
            if not jump.judged:
                continue
            k = LANES.index(jump.axis)
            box = QRectF(x - GAUGE / 2, self._lane(k) + 1, GAUGE, LANE - 2)
            draw_gauge(p, box, jump.difference, jump.tolerance, jump.doubt)
        mark = {"jump": "▼", "meant so": "○", "to look at": "▽"}.get(cut.state, "")
        if mark:
            p.setPen(theme.BRIGHT)
            p.setFont(theme.font(theme.SMALL))
            p.fillRect(QRectF(x - 8, 1, 16, HEAD - 3), theme.WELL)
            p.drawText(QRectF(x - 10, 0, 20, HEAD), Qt.AlignmentFlag.AlignCenter, mark)

    def cut_at(self, x: float) -> int | None:
        """The position of the cut nearest to a place."""
        if self.found is None or x < NAMES:
            return None
        place = round((x - NAMES + self.offset) / PIECE) + 1
        return place if 2 <= place <= len(self.found.pieces) else None

    def mousePressEvent(self, event: QMouseEvent) -> None:
        self.setFocus()
        at = self.cut_at(event.position().x())
        if at is not None:
            self.picked.emit(at)

    def event(self, event: QEvent) -> bool:
        if event.type() == QEvent.Type.ToolTip and isinstance(event, QHelpEvent):
            at = self.cut_at(event.pos().x())
            found = next((c for c in self.found.cuts if c.position == at), None) if self.found else None
            QToolTip.showText(event.globalPos(), plain_tip(said_of(found)) if found is not None else "", self)
            return True
        return super().event(event)


def said_of(cut: Cut) -> str:
    """A cut in words, line by line."""
    lines = [f"Cut {cut.position}: {cut.left.name} to {cut.right.name}: {cut.state}"]
    if cut.meant:
        lines.append(cut.meant)
    for jump in cut.jumps:
        who = f"by {jump.judged_by}" if jump.judged else "not judged: it may be content"
        doubt = ""
        if jump.judged and jump.doubt == jump.doubt:
            doubt = f" ±{jump.doubt:.{DIGITS[UNITS[jump.axis]]}f}"
        lines.append(f"{jump.axis} {difference_words(jump)}{doubt}, {who}")
    return "\n".join(lines)


class CutStrip(QWidget):
    """The lanes and their scroll bar."""

    def __init__(self) -> None:
        super().__init__()
        self.lanes, self.bar = Lanes(), QScrollBar(Qt.Orientation.Horizontal)
        column = column_of(0, self, spacing=0)
        column.addWidget(self.lanes)
        column.addWidget(self.bar)
        self.bar.valueChanged.connect(self._scrolled)
        self.setSizePolicy(QSizePolicy.Policy.Expanding, QSizePolicy.Policy.Fixed)

    def show_cut(self, found: Continuity | None, chosen: int, smalls: Smalls) -> None:
        self.lanes.found, self.lanes.chosen, self.lanes.smalls = found, chosen, smalls
        said = "" if found is None else f"{len(found.pieces)} pieces, {len(found.jumping)} cuts jump"
        self.lanes.setAccessibleDescription(said)
        self._range()
        self.lanes.update()

    def reveal(self, position: int) -> None:
        """Scroll so that a cut is seen, in the middle where there is room."""
        room = self.lanes.width() - NAMES
        at = PIECE * (position - 1)
        if not self.bar.value() + PIECE / 2 <= at <= self.bar.value() + room - PIECE / 2:
            self.bar.setValue(round(at - room / 2))

    def _range(self) -> None:
        room = max(self.lanes.width() - NAMES, 1)
        self.bar.setRange(0, max(self.lanes.length - room, 0))
        self.bar.setPageStep(room)
        self.bar.setSingleStep(PIECE)

    def _scrolled(self, value: int) -> None:
        self.lanes.offset = value
        self.lanes.update()

    def resizeEvent(self, event: object) -> None:
        super().resizeEvent(event)  # type: ignore[arg-type]
        self._range()

    def wheelEvent(self, event: QWheelEvent) -> None:
        turn = event.angleDelta().x() or event.angleDelta().y()
        self.bar.setValue(self.bar.value() - turn)

    def keyPressEvent(self, event: QKeyEvent) -> None:
        steps = {Qt.Key.Key_Home: 0, Qt.Key.Key_End: self.bar.maximum()}
        if event.key() in steps:
            self.bar.setValue(steps[Qt.Key(event.key())])
        else:
            super().keyPressEvent(event)
