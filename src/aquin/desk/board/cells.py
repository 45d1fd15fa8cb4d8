"""The board's grid: setups down, cameras across; each cell a picture, one word, and five plumb gauges."""

import time
from collections.abc import Mapping, Sequence
from typing import Any

from PySide6.QtCore import (
    QAbstractTableModel,
    QModelIndex,
    QPersistentModelIndex,
    QPointF,
    QRectF,
    QSize,
    QSizeF,
    Qt,
)
from PySide6.QtGui import QIcon, QPainter, QPen, QPixmap, QResizeEvent
from PySide6.QtWidgets import QHeaderView, QStyle, QStyledItemDelegate, QStyleOptionViewItem, QTableView

from aquin.desk.kit import theme
from aquin.desk.kit.axes import difference_text, doubt_text, shown_doubt, standing
from aquin.desk.kit.gauge import draw_gauge
from aquin.desk.kit.thumbs import Key, Thumbs
from aquin.desk.kit.timers import later
from aquin.production.cells import GAUGES, Cell, State
from aquin.production.shoot import CellKey

Index = QModelIndex | QPersistentModelIndex
SHORT = {"exposure": "exp", "warmth": "warm", "tint": "tint", "saturation": "sat", "sharpness": "sharp"}
WIDTH, HEIGHT = 214, 97
"""The least that a cell takes."""
MOST_HEIGHT = 264
WORDS = 34
"""Room for the words below a picture."""


def picture_size(cell: QSizeF) -> QSizeF:
    """How large a picture may be in a cell of this size: 16 by 9, beside the gauges, above the words."""
    wide = min(0.52 * cell.width() - 20, (cell.height() - WORDS - 14) * 16 / 9)
    wide = max(wide, 88.0)
    return QSizeF(wide, wide * 9 / 16)


class BoardModel(QAbstractTableModel):
    """Cells by setup and camera. Data of `CELL` is the cell, or None where the camera did not film."""

    CELL = Qt.ItemDataRole.UserRole + 1

    def __init__(self) -> None:
        super().__init__()
        self.cells: dict[CellKey, Cell] = {}
        self.setups: list[str] = []
        self.cameras: list[str] = []

    def show_cells(self, cells: Mapping[CellKey, Cell]) -> None:
        setups = list(dict.fromkeys(c.setup.id for c in cells.values() if c.shots or c.charts))
        order = sorted({c.camera.id: c.camera for c in cells.values()}.values(), key=lambda c: c.position)
        cameras = [c.id for c in order]
        kept = {p: c for p, c in cells.items() if p[0] in setups}
        if (setups, cameras) != (self.setups, self.cameras):
            self.beginResetModel()
            self.cells, self.setups, self.cameras = kept, setups, cameras
            self.endResetModel()
            return
        was, names = self.cells, self._names()
        self.cells = {p: old if (old := was.get(p)) == c else c for p, c in kept.items()}
        for place in was.keys() | kept.keys():  # only what changed is painted again
            if self.cells.get(place) is not was.get(place):
                index = self.index_of(place)
                self.dataChanged.emit(index, index)
        if names != self._names():
            self.headerDataChanged.emit(Qt.Orientation.Vertical, 0, len(setups) - 1)
            self.headerDataChanged.emit(Qt.Orientation.Horizontal, 0, len(cameras) - 1)

    def _names(self) -> set[tuple[str, str]]:
        return {(c.setup.name, c.camera.name) for c in self.cells.values()}

    def rowCount(self, parent: Index = QModelIndex()) -> int:  # noqa: B008
        return 0 if parent.isValid() else len(self.setups)

    def columnCount(self, parent: Index = QModelIndex()) -> int:  # noqa: B008
        return 0 if parent.isValid() else len(self.cameras)

    def place(self, index: Index) -> CellKey:
        return self.setups[index.row()], self.cameras[index.column()]

    def cell(self, index: Index) -> Cell | None:
        return self.cells.get(self.place(index)) if index.isValid() else None

    def index_of(self, place: CellKey) -> QModelIndex:
        if place[0] in self.setups and place[1] in self.cameras:
            return self.index(self.setups.index(place[0]), self.cameras.index(place[1]))
        return QModelIndex()

    def flags(self, index: Index) -> Qt.ItemFlag:
        if self.cell(index) is None:
            return Qt.ItemFlag.NoItemFlags
        return Qt.ItemFlag.ItemIsEnabled | Qt.ItemFlag.ItemIsSelectable

    def data(self, index: Index, role: int = Qt.ItemDataRole.DisplayRole) -> object:
        cell = self.cell(index)
        if role == self.CELL:
            return cell
        if cell is None:
            return None
        if role in (Qt.ItemDataRole.DisplayRole, Qt.ItemDataRole.AccessibleTextRole):
            return f"{cell.setup.name}, {cell.camera.name}: {cell.word}"
        if role == Qt.ItemDataRole.ToolTipRole:
            return _tip(cell)
        return None

    def headerData(
        self, section: int, orientation: Qt.Orientation, role: int = Qt.ItemDataRole.DisplayRole
    ) -> object:
        if role != Qt.ItemDataRole.DisplayRole:
            return None
        if orientation == Qt.Orientation.Horizontal:
            camera = self.cameras[section]
            return next(c.camera.name for c in self.cells.values() if c.camera.id == camera)
        setup = self.setups[section]
        return next(c.setup.name for c in self.cells.values() if c.setup.id == setup)


def _tip(cell: Cell) -> str:
    lines = [f"{cell.setup.name}, {cell.camera.name}: {cell.word}"]
    if cell.origin:
        lines.append(cell.origin)
    seen = {f.key: f for s in cell.shots for f in s.findings}
    lines += [f"! {f.said}" for f in seen.values()]
    lines += [
        f"{r.axis.name}: {difference_text(r.axis, r.value)}{doubt_text(r)} {r.axis.unit}{standing(r)}"
        for r in cell.rows
    ]
    return "\n".join(lines)


AT_ONCE_S = 0.008
"""Of a turn of the window's thread, for cells that changed; the others are drawn in the turns after it."""


class CellPainter(QStyledItemDelegate):
    """Draws a cell. Missing cells are left as plain ground."""

    def __init__(self, thumbs: Thumbs, parent: QTableView) -> None:
        super().__init__(parent)
        self.thumbs, self._table = thumbs, parent
        self._drawn: dict[CellKey, tuple[Any, QPixmap]] = {}
        """Each cell as it was last drawn, and what it was drawn from."""
        self._keys: dict[CellKey, tuple[Cell, Key | None]] = {}
        self._spent = 0.0
        self._left: list[QPersistentModelIndex] = []
        self._next = later(self, self._go_on, 0)

    def sizeHint(self, option: QStyleOptionViewItem, index: Index) -> QSize:
        return QSize(WIDTH, HEIGHT)

    def paint(self, p: QPainter, option: QStyleOptionViewItem, index: Index) -> None:
        cell = index.data(BoardModel.CELL)
        if not isinstance(cell, Cell):
            return
        selected = bool(option.state & QStyle.StateFlag.State_Selected)
        focused = bool(option.state & QStyle.StateFlag.State_HasFocus)
        icon = self.thumbs.held(self._key(cell))
        ratio = p.device().devicePixelRatioF()
        of = cell, option.rect.size(), selected, focused, icon and icon.cacheKey(), ratio
        held = self._drawn.get(cell.place)
        if held is None or held[0] != of:
            if held is not None and (held[0][1], held[0][-1]) == (of[1], ratio) and self._spent > AT_ONCE_S:
                self._left.append(QPersistentModelIndex(index))
                p.drawPixmap(option.rect.topLeft(), held[1])
                return
            begin = time.perf_counter()
            held = of, self._draw(cell, option.rect.size(), selected, focused, icon, ratio)
            self._drawn[cell.place] = held
            self._spent += time.perf_counter() - begin
            self._next.start()
        elif held[0][0] is not cell:  # the same, made anew: the next look at it is quick
            self._drawn[cell.place] = of, held[1]
        p.drawPixmap(option.rect.topLeft(), held[1])

    def _key(self, cell: Cell) -> Key | None:
        """Of its picture, made once for each cell: they are painted far more often than they change."""
        known = self._keys.get(cell.place)
        if known is None or known[0] is not cell:
            known = cell, None if cell.cover is None else self.thumbs.key(cell.cover, cell.grade)
            self._keys[cell.place] = known
        return known[1]

    def behind(self, cell: Cell) -> bool:
        """Whether it was drawn with another picture than it has now."""
        held = self._drawn.get(cell.place)
        if held is None:
            return False
        icon = self.thumbs.held(self._key(cell))
        return bool(held[0][4] != (icon and icon.cacheKey()))

    def _go_on(self) -> None:
        """A new turn: what was left over is drawn."""
        self._spent = 0.0
        left, self._left = self._left, []
        for index in left:
            if index.isValid():
                self._table.update(self._table.model().index(index.row(), index.column()))

    def _draw(
        self, cell: Cell, room: QSize, selected: bool, focused: bool, icon: QIcon | None, ratio: float
    ) -> QPixmap:
        out = QPixmap(room * ratio)
        out.setDevicePixelRatio(ratio)
        out.fill(Qt.GlobalColor.transparent)
        p = QPainter(out)
        box = QRectF(QPointF(0, 0), room.toSizeF()).adjusted(3, 3, -3, -3)
        p.setPen(QPen(theme.grey(200) if selected else theme.grey(46), 1.5 if selected else 1))
        p.setBrush(theme.grey(46) if selected else theme.PANEL)
        p.drawRect(box)
        if focused:
            p.setPen(QPen(theme.BRIGHT, 1, Qt.PenStyle.DotLine))
            p.drawRect(box.adjusted(2, 2, -2, -2))
        size = picture_size(box.size())
        self._picture(p, box, size, icon)
        self._words(p, box, size, cell)
        self._gauges(p, box, size, cell)
        p.end()
        return out

    def _picture(self, p: QPainter, box: QRectF, size: QSizeF, icon: QIcon | None) -> None:
        area = QRectF(box.topLeft() + QPointF(7, 7), size)
        p.fillRect(area, theme.WELL)
        if icon is not None:
            sizes = icon.availableSizes()
            pixmap = icon.pixmap(sizes[0]) if sizes else None
            if pixmap is not None and not pixmap.isNull():
                scale = min(area.width() / pixmap.width(), area.height() / pixmap.height())
                w, h = pixmap.width() * scale, pixmap.height() * scale
                p.setRenderHint(QPainter.RenderHint.SmoothPixmapTransform)
                p.drawPixmap(
                    QRectF(area.center().x() - w / 2, area.center().y() - h / 2, w, h),
                    pixmap,
                    QRectF(pixmap.rect()),
                )

    def _words(self, p: QPainter, box: QRectF, size: QSizeF, cell: Cell) -> None:
        settled = cell.settled
        p.setFont(theme.font(theme.BASE, not settled or cell.state is State.HERO))
        p.setPen(theme.TEXT if settled else theme.BRIGHT)
        left, top = box.left() + 7, box.top() + size.height() + 8
        word = "main hero" if cell.main == "main" else cell.word
        word += f"  !{cell.findings}" if cell.findings else ""
        room = QRectF(left, top, size.width() + 4, 18)
        if p.fontMetrics().horizontalAdvance(word) > room.width():  # the gauges' names begin beside it
            p.setFont(theme.font(theme.SMALL, not settled or cell.state is State.HERO))
            word = word.replace("  !", " !")
        p.drawText(room, Qt.AlignmentFlag.AlignVCenter, word)
        p.setFont(theme.font(theme.SMALL))
        p.setPen(theme.DIM)
        shots = f"{len(cell.shots)} shot{'' if len(cell.shots) == 1 else 's'}"
        own = sum(bool(s.own) for s in cell.shots)
        more = f", {own} own" if own else ""
        if cell.charts and not cell.shots:
            shots = f"{cell.charts} charts"
        p.drawText(QRectF(left, top + 16, size.width() + 6, 15), Qt.AlignmentFlag.AlignVCenter, shots + more)

    def _gauges(self, p: QPainter, box: QRectF, size: QSizeF, cell: Cell) -> None:
        if cell.state is State.HERO:  # nothing to hang from
            return
        left = box.left() + size.width() + 13
        width = box.right() - left - 2
        step = min((box.height() - 10) / len(GAUGES), 30.0)
        p.setFont(theme.font(theme.SMALL))
        for k, name in enumerate(GAUGES):
            y = box.top() + 5 + k * step
            row = cell.row(name)
            p.setPen(theme.DIM if row is not None else theme.grey(84))
            p.drawText(QRectF(left, y, 32, step), Qt.AlignmentFlag.AlignVCenter, SHORT[name])
            place = QRectF(left + 26, y, width - 24, step)
            if row is None:
                p.setPen(QPen(theme.grey(50), 1))
                y = place.center().y()
                p.drawLine(QPointF(place.left() + 6, y), QPointF(place.right() - 6, y))
                continue
            draw_gauge(p, place, row.value, row.axis.tolerance, shown_doubt(row))


class BoardTable(QTableView):
    """The grid. Arrow keys move, Shift and Ctrl select several."""

    def __init__(self, model: BoardModel, thumbs: Thumbs) -> None:
        super().__init__()
        self.setModel(model)
        self.setItemDelegate(CellPainter(thumbs, self))
        self.setShowGrid(False)
        self.setSelectionMode(QTableView.SelectionMode.ExtendedSelection)
        self.setVerticalScrollMode(QTableView.ScrollMode.ScrollPerPixel)
        self.setHorizontalScrollMode(QTableView.ScrollMode.ScrollPerPixel)
        self.setAccessibleName("Board")
        self.setObjectName("board")
        across, down = self.horizontalHeader(), self.verticalHeader()
        across.setDefaultSectionSize(WIDTH)
        across.setSectionResizeMode(QHeaderView.ResizeMode.Stretch)
        across.setMinimumSectionSize(176)
        across.setHighlightSections(False)
        down.setDefaultSectionSize(HEIGHT)
        down.setSectionResizeMode(QHeaderView.ResizeMode.Fixed)
        down.setDefaultAlignment(Qt.AlignmentFlag.AlignLeft | Qt.AlignmentFlag.AlignVCenter)
        down.setHighlightSections(False)
        down.setMaximumWidth(104)
        thumbs.ready.connect(self._pictures_came)
        model.modelReset.connect(self.fit_rows)

    def _pictures_came(self) -> None:
        """Cells are painted again whose picture is another one now."""
        model, painter = self.model(), self.itemDelegate()
        assert isinstance(model, BoardModel) and isinstance(painter, CellPainter)
        for place, cell in model.cells.items():
            if painter.behind(cell):
                self.update(model.index_of(place))

    def resizeEvent(self, event: QResizeEvent) -> None:
        super().resizeEvent(event)
        self.fit_rows()

    def fit_rows(self) -> None:
        """Rows share the room that there is."""
        rows = max(self.model().rowCount(), 1)
        room = self.viewport().height() // rows
        width = max(self.viewport().width() // max(self.model().columnCount(), 1), WIDTH)
        tall = min(MOST_HEIGHT, round((0.52 * width - 20) * 9 / 16) + WORDS + 20)
        self.verticalHeader().setDefaultSectionSize(max(HEIGHT, min(room, tall)))

    def chosen(self) -> list[CellKey]:
        """The selected cells, in reading order."""
        model = self.model()
        assert isinstance(model, BoardModel)
        found = sorted(self.selectionModel().selectedIndexes(), key=lambda i: (i.row(), i.column()))
        return [model.place(i) for i in found if model.cell(i) is not None]

    def choose(self, places: Sequence[CellKey]) -> None:
        model = self.model()
        assert isinstance(model, BoardModel)
        select = self.selectionModel()
        select.clearSelection()
        for place in places:
            index = model.index_of(place)
            if index.isValid():
                select.select(index, select.SelectionFlag.Select)
                select.setCurrentIndex(index, select.SelectionFlag.NoUpdate)
