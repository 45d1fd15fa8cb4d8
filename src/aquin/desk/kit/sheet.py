"""Pictures of the Look view: one shot large, without the look and with it; or several looks over several shots."""

from collections.abc import Sequence
from dataclasses import dataclass

import numpy as np
from PySide6.QtCore import QRectF, QSize, Qt, Signal
from PySide6.QtGui import QImage, QMouseEvent, QPainter, QPaintEvent, QResizeEvent
from PySide6.QtWidgets import QSizePolicy, QWidget

from aquin.desk.kit import monitor, theme

HEAD, FOOT, GAP = 20, 30, 6


@dataclass(frozen=True, eq=False)
class Cell:
    """One picture with what is written above and below it; `column` and `row` in the sheet."""

    image: QImage
    column: int
    row: int
    below: str = ""


def image_of(signal: np.ndarray) -> QImage:
    """(h, w, 3) display signal, 0 to 1, as an image of its own."""
    codes = np.ascontiguousarray(monitor.out(np.clip(signal * 255 + 0.5, 0, 255).astype(np.uint8)))
    h, w = codes.shape[:2]
    return QImage(codes.data, w, h, 3 * w, QImage.Format.Format_RGB888).copy()


class Sheet(QWidget):
    """`picked` carries a column and a row."""

    picked = Signal(int, int)
    resized = Signal()

    def __init__(self) -> None:
        super().__init__()
        self.setSizePolicy(QSizePolicy.Policy.Expanding, QSizePolicy.Policy.Expanding)
        self.setFocusPolicy(Qt.FocusPolicy.StrongFocus)
        self.setAccessibleName("Pictures")
        self.heads: tuple[str, ...] = ()
        self.sides: tuple[str, ...] = ()
        self.cells: list[Cell] = []
        self.chosen = -1
        """Column that is marked."""
        self.marked: tuple[int, int] | None = None
        """Column and row of the picture that is chosen."""
        self.foot = FOOT
        """Pixels for what is written below pictures, where there are more than two columns."""

    def sizeHint(self) -> QSize:
        return QSize(720, 480)

    def show_cells(
        self, heads: Sequence[str], sides: Sequence[str], cells: list[Cell], chosen: int = -1
    ) -> None:
        """`heads`: what stands above columns; `sides`: beside rows."""
        self.heads, self.sides, self.cells, self.chosen = tuple(heads), tuple(sides), cells, chosen
        said = "; ".join(f"{self.heads[c.column]}: {c.below}" for c in cells if c.below)
        self.setAccessibleDescription(said[:900])
        self.update()

    @property
    def columns(self) -> int:
        return max(len(self.heads), 1)

    @property
    def rows(self) -> int:
        return max(len(self.sides), 1)

    def place(self, column: int, row: int) -> QRectF:
        """Where a cell's picture may lie."""
        foot = self.foot if self.columns > 2 else HEAD
        head = HEAD if any(self.heads) else GAP
        wide = (self.width() - GAP * (self.columns - 1)) / self.columns
        high = (self.height() - head) / self.rows
        return QRectF(column * (wide + GAP), head + row * high, wide, high - foot)

    def paintEvent(self, event: QPaintEvent) -> None:
        p = QPainter(self)
        p.fillRect(self.rect(), theme.SURROUND)
        p.setRenderHint(QPainter.RenderHint.SmoothPixmapTransform)
        p.setFont(theme.font(theme.SMALL))
        for k, text in enumerate(self.heads):
            box = self.place(k, 0)
            p.setPen(theme.BRIGHT if k == self.chosen else theme.TEXT)
            p.drawText(QRectF(box.left() + 4, 0, box.width() - 8, HEAD), Qt.AlignmentFlag.AlignVCenter, text)
        for cell in self.cells:
            self._paint(p, cell)

    def _paint(self, p: QPainter, cell: Cell) -> None:
        box = self.place(cell.column, cell.row)
        scale = min(box.width() / cell.image.width(), box.height() / cell.image.height())
        w, h = cell.image.width() * scale, cell.image.height() * scale
        at = QRectF(box.center().x() - w / 2, box.top(), w, h)
        p.drawImage(at, cell.image)
        if self.marked == (cell.column, cell.row):
            p.setBrush(Qt.BrushStyle.NoBrush)
            for colour, inset in ((theme.grey(16), 0.5), (theme.BRIGHT, 1.5)):
                p.setPen(colour)
                p.drawRect(at.adjusted(inset, inset, -inset, -inset))
        p.setPen(theme.TEXT)
        if cell.below:
            below = QRectF(at.left(), at.bottom() + 1, at.width(), max(self.foot, FOOT))
            flags = Qt.AlignmentFlag.AlignTop | Qt.TextFlag.TextWordWrap
            p.drawText(below, flags, cell.below)

    def mousePressEvent(self, event: QMouseEvent) -> None:
        self.setFocus()
        for cell in self.cells:
            if self.place(cell.column, cell.row).contains(event.position()):
                self.picked.emit(cell.column, cell.row)
                return

    def resizeEvent(self, event: QResizeEvent) -> None:
        super().resizeEvent(event)
        self.resized.emit()
