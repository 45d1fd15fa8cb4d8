"""The whole cut at a glance: a page of small pictures in cut order, by setup, or sorted by an axis; what falls out is
marked.
"""

from __future__ import annotations

from collections.abc import Sequence
from typing import TYPE_CHECKING

from PySide6.QtCore import QRectF, Qt, Signal
from PySide6.QtGui import QMouseEvent, QPainter, QPaintEvent, QPen, QResizeEvent
from PySide6.QtWidgets import QFrame, QScrollArea, QSizePolicy, QWidget

from aquin.desk.continuity.strip import Smalls
from aquin.desk.kit import theme

if TYPE_CHECKING:
    from aquin.production.cut.pieces import Piece

LEAST, GAP, FOOT, HEAD = 124, 8, 34, 26
Group = tuple[str, list[tuple["Piece", str, bool]]]
"""A heading; and its pieces with what stands below them, and whether they fall out."""


class Page(QWidget):
    """`picked` carries a piece's number."""

    picked = Signal(int)

    def __init__(self) -> None:
        super().__init__()
        self.setSizePolicy(QSizePolicy.Policy.Expanding, QSizePolicy.Policy.Minimum)
        self.setAccessibleName("The whole cut")
        self.groups: list[Group] = []
        self.smalls: Smalls = {}
        self._placed: list[tuple[int, QRectF]] = []

    def show_groups(self, groups: Sequence[Group], smalls: Smalls) -> None:
        self.groups, self.smalls = list(groups), smalls
        odd = [words for _, pieces in groups for _, words, out in pieces if out]
        self.setAccessibleDescription(f"falls out: {'; '.join(odd)[:800]}" if odd else "nothing falls out")
        self._fit()
        self.update()

    @property
    def across(self) -> int:
        return max((self.width() - GAP) // (LEAST + GAP), 1)

    @property
    def cell(self) -> tuple[float, float]:
        wide = (self.width() - GAP) / self.across - GAP
        return wide, wide * 9 / 16 + FOOT

    def _fit(self) -> None:
        high = sum(
            (HEAD if heading else GAP) + -(-len(pieces) // self.across) * (self.cell[1] + GAP)
            for heading, pieces in self.groups
        )
        self.setMinimumHeight(round(high) + GAP)

    def paintEvent(self, event: QPaintEvent) -> None:
        p = QPainter(self)
        p.fillRect(self.rect(), theme.SURROUND)
        p.setRenderHint(QPainter.RenderHint.SmoothPixmapTransform)
        self._placed = []
        seen = QRectF(event.rect())
        y = 0.0
        wide, high = self.cell
        for heading, pieces in self.groups:
            if heading:
                p.setFont(theme.font(theme.BASE, True))
                p.setPen(theme.TEXT)
                p.drawText(
                    QRectF(GAP, y, self.width() - 2 * GAP, HEAD), Qt.AlignmentFlag.AlignVCenter, heading
                )
            y += HEAD if heading else GAP
            for k, (piece, words, out) in enumerate(pieces):
                x = GAP + (k % self.across) * (wide + GAP)
                top = y + (k // self.across) * (high + GAP)
                box = QRectF(x, top, wide, high - FOOT)
                self._placed.append((piece.number, QRectF(x, top, wide, high)))
                if box.adjusted(0, 0, 0, FOOT).intersects(seen):
                    self._picture(p, piece, box, words, out)
            y += -(-len(pieces) // self.across) * (high + GAP)

    def _picture(self, p: QPainter, piece: Piece, box: QRectF, words: str, out: bool) -> None:
        small = self.smalls.get((piece.number, 0))
        if small is None:
            p.fillRect(box, theme.PANEL)
        else:
            scale = min(box.width() / small.width(), box.height() / small.height())
            w, h = small.width() * scale, small.height() * scale
            p.drawImage(QRectF(box.center().x() - w / 2, box.top(), w, h), small, QRectF(small.rect()))
        if out:  # a corner mark, and its words below: it reads without colour
            p.setPen(Qt.PenStyle.NoPen)
            p.setBrush(theme.grey(16))
            p.drawRect(QRectF(box.right() - 16, box.top(), 16, 16))
            p.setPen(QPen(theme.BRIGHT, 2))
            p.drawLine(box.topRight() + _at(-12, 4), box.topRight() + _at(-4, 12))
            p.drawLine(box.topRight() + _at(-4, 4), box.topRight() + _at(-12, 12))
        p.setFont(theme.font(theme.SMALL))
        p.setPen(theme.BRIGHT if out else theme.TEXT)
        below = QRectF(box.left(), box.bottom() + 1, box.width(), FOOT - 2)
        p.drawText(below, Qt.AlignmentFlag.AlignTop, words)

    def mousePressEvent(self, event: QMouseEvent) -> None:
        for number, box in self._placed:
            if box.contains(event.position()):
                self.picked.emit(number)
                return

    def resizeEvent(self, event: QResizeEvent) -> None:
        super().resizeEvent(event)
        self._fit()


def _at(x: float, y: float):  # type: ignore[no-untyped-def]
    from PySide6.QtCore import QPointF

    return QPointF(x, y)


class Overview(QScrollArea):
    """The page, which scrolls."""

    def __init__(self) -> None:
        super().__init__()
        self.page = Page()
        self.setWidget(self.page)
        self.setWidgetResizable(True)
        self.setFrameShape(QFrame.Shape.NoFrame)
        self.setHorizontalScrollBarPolicy(Qt.ScrollBarPolicy.ScrollBarAlwaysOff)
