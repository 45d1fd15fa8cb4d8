"""The shot log as Qt models: a tree of groups and shots for the table, and the same shots in a row for the pictures."""

from typing import Any

from PySide6.QtCore import (
    QAbstractItemModel,
    QAbstractListModel,
    QModelIndex,
    QPersistentModelIndex,
    QSize,
    Qt,
    Signal,
)
from PySide6.QtGui import QColor

from aquin.desk.kit import theme
from aquin.desk.kit.thumbs import Thumbs
from aquin.desk.shots.log import COLUMNS, Group, ShotLog
from aquin.errors import AquinError
from aquin.production import Shot

Index = QModelIndex | QPersistentModelIndex
ROW = QSize(0, 40)
FEW = 60
"""Up to so many changed rows are announced one by one; the rest is seen when it is painted."""
OPEN = 1500
"""Rows up to which groups are open at first."""
WARM = 0.02
"""Seconds of reading ahead for the filter at a time."""
_EDITABLE = Qt.ItemFlag.ItemIsEnabled | Qt.ItemFlag.ItemIsSelectable | Qt.ItemFlag.ItemIsEditable
_PLAIN = Qt.ItemFlag.ItemIsEnabled | Qt.ItemFlag.ItemIsSelectable


class ShotModel(QAbstractItemModel):
    """Groups at the top, their shots below. An edit of one selected shot goes to all selected ones (`chosen`)."""

    failed = Signal(str)
    pictured = Signal()
    """Pictures have come: what is on screen is to be painted again."""

    def __init__(self, log: ShotLog, thumbs: Thumbs) -> None:
        super().__init__()
        self.log, self.thumbs = log, thumbs
        self.groups: list[Group] = []
        self.chosen: list[Shot] = []
        self._at: dict[str, tuple[int, int]] = {}
        thumbs.ready.connect(self.pictured)

    def read(self) -> bool:
        """Take the log as it is now; tells whether rows came, went or moved (the view was then reset)."""
        groups = self.log.groups()
        shape = [(g.title, [s.id for s in g.shots]) for g in groups]
        if shape == [(g.title, [s.id for s in g.shots]) for g in self.groups]:
            old, self.groups = self.groups, groups
            changed = [
                (k, n)
                for k, group in enumerate(groups)
                for n, shot in enumerate(group.shots)
                if shot is not old[k].shots[n]
            ]
            for k, n in changed[:FEW]:
                row = self.createIndex(n, 0, k + 1)
                self.dataChanged.emit(row, self.createIndex(n, len(COLUMNS) - 1, k + 1))
            self.pictured.emit()  # findings may read otherwise, too
            return False
        self.beginResetModel()
        self.groups = groups
        self._at = {s.id: (k, n) for k, g in enumerate(groups) for n, s in enumerate(g.shots)}
        self.endResetModel()
        return True

    def shot(self, index: Index) -> Shot | None:
        """The shot of an index; None for a group."""
        if not index.isValid() or index.internalId() == 0:
            return None
        return self.groups[index.internalId() - 1].shots[index.row()]

    def index_of(self, id: str, column: int = 0) -> QModelIndex:
        """Where a shot is; invalid where the filter hides it."""
        at = self._at.get(id)
        return QModelIndex() if at is None else self.createIndex(at[1], column, at[0] + 1)

    @property
    def shots(self) -> list[Shot]:
        return [s for g in self.groups for s in g.shots]

    # Qt's questions

    def index(self, row: int, column: int, parent: Index = QModelIndex()) -> QModelIndex:  # noqa: B008
        if not parent.isValid():
            there, at = len(self.groups), 0
        elif parent.internalId() == 0 and parent.column() == 0 and parent.row() < len(self.groups):
            there, at = len(self.groups[parent.row()].shots), parent.row() + 1
        else:
            return QModelIndex()
        inside = 0 <= row < there and 0 <= column < len(COLUMNS)
        return self.createIndex(row, column, at) if inside else QModelIndex()

    def parent(self, index: Index = QModelIndex()) -> QModelIndex:  # type: ignore[override] # noqa: B008
        if not index.isValid() or index.internalId() == 0:
            return QModelIndex()
        return self.createIndex(int(index.internalId()) - 1, 0, 0)

    def rowCount(self, parent: Index = QModelIndex()) -> int:  # noqa: B008
        if not parent.isValid():
            return len(self.groups)
        if parent.internalId() == 0 and parent.column() == 0:
            return len(self.groups[parent.row()].shots)
        return 0

    def columnCount(self, parent: Index = QModelIndex()) -> int:  # noqa: B008
        return len(COLUMNS)

    def headerData(self, section: int, orientation: Qt.Orientation, role: int = 0) -> Any:
        column = COLUMNS[section]
        if role == Qt.ItemDataRole.DisplayRole:
            return column.title
        if role == Qt.ItemDataRole.ToolTipRole:
            return column.tip or column.title
        if role == Qt.ItemDataRole.TextAlignmentRole:
            side = Qt.AlignmentFlag.AlignRight if column.number else Qt.AlignmentFlag.AlignLeft
            return side | Qt.AlignmentFlag.AlignVCenter
        return None

    def flags(self, index: Index) -> Qt.ItemFlag:
        if self.shot(index) is None:
            return Qt.ItemFlag.ItemIsEnabled | (
                Qt.ItemFlag.ItemIsEditable if self.log.by in ("setup", "camera") else Qt.ItemFlag.NoItemFlags
            )
        return _EDITABLE if COLUMNS[index.column()].edits and not self.log.production.read_only else _PLAIN

    def data(self, index: Index, role: int = 0) -> Any:
        shot = self.shot(index)
        if shot is None:
            return self._group_data(index, role)
        column = COLUMNS[index.column()]
        if role in (Qt.ItemDataRole.DisplayRole, Qt.ItemDataRole.EditRole):
            return self.log.text(shot, column.key)
        if role == Qt.ItemDataRole.DecorationRole and index.column() == 0:
            return self.thumbs.get(shot)
        if role == Qt.ItemDataRole.ForegroundRole:
            return self._ink(shot, column.key)
        if role == Qt.ItemDataRole.ToolTipRole:
            if column.key == "findings":
                return "\n".join(f.said for f in self.log.of(shot)) or None
            return shot.path if index.column() == 0 else column.tip or None
        if role == Qt.ItemDataRole.TextAlignmentRole:
            side = Qt.AlignmentFlag.AlignRight if column.number else Qt.AlignmentFlag.AlignLeft
            return side | Qt.AlignmentFlag.AlignVCenter
        if role == Qt.ItemDataRole.SizeHintRole:
            return ROW
        return None

    def _ink(self, shot: Shot, key: str) -> QColor:
        if key == "findings":
            return theme.BRIGHT if any(f.severity == "error" for f in self.log.of(shot)) else theme.TEXT
        return theme.TEXT if self.log.own(shot, key) else theme.DIM

    def _group_data(self, index: Index, role: int) -> Any:
        group = self.groups[index.row()]
        if role == Qt.ItemDataRole.DisplayRole and index.column() == 0:
            open_ = sum(bool(self.log.of(s)) for s in group.shots)
            count = f"{len(group.shots)} shot" + ("s" if len(group.shots) != 1 else "")
            return f"{group.title}    {count}" + (f", {open_} with findings" if open_ else "")
        if role == Qt.ItemDataRole.EditRole:
            return group.title
        if role == Qt.ItemDataRole.FontRole:
            return theme.font(theme.BASE, True)
        if role == Qt.ItemDataRole.BackgroundRole:
            return theme.PANEL
        if role == Qt.ItemDataRole.SizeHintRole:
            return ROW
        return None

    def setData(self, index: Index, value: Any, role: int = Qt.ItemDataRole.EditRole) -> bool:
        if role != Qt.ItemDataRole.EditRole:
            return False
        shot = self.shot(index)
        try:
            if shot is None:
                return self.log.rename_group(self.groups[index.row()].title, str(value)) is not None
            column = COLUMNS[index.column()]
            if str(value).strip() == self.log.text(shot, column.key):
                return False
            several = self.chosen if any(s.id == shot.id for s in self.chosen) else [shot]
            return self.log.edit(several, column.key, str(value)) is not None
        except AquinError as error:
            self.failed.emit(error.line())
            return False


class PictureModel(QAbstractListModel):
    """The shots of the other model in a row, for the view of pictures."""

    def __init__(self, shots: ShotModel) -> None:
        super().__init__()
        self.source = shots
        self._flat: list[Shot] = []
        shots.modelReset.connect(self._read)
        shots.dataChanged.connect(lambda *_: self._refresh())

    def _read(self) -> None:
        self.beginResetModel()
        self._flat = self.source.shots
        self.endResetModel()

    def _refresh(self) -> None:
        self._flat = self.source.shots
        if self._flat:
            self.dataChanged.emit(self.index(0), self.index(len(self._flat) - 1))

    def shot(self, index: Index) -> Shot | None:
        return self._flat[index.row()] if index.isValid() and index.row() < len(self._flat) else None

    def row_of(self, id: str) -> int:
        return next((k for k, s in enumerate(self._flat) if s.id == id), -1)

    def rowCount(self, parent: Index = QModelIndex()) -> int:  # noqa: B008
        return 0 if parent.isValid() else len(self._flat)

    def data(self, index: Index, role: int = 0) -> Any:
        shot = self.shot(index)
        if shot is None:
            return None
        log = self.source.log
        if role == Qt.ItemDataRole.DisplayRole:
            marks = log.text(shot, "findings")
            return f"{shot.name}\n{log.text(shot, 'camera')}, {log.text(shot, 'setup')}" + (
                f"\n{marks}" if marks else "\n"
            )
        if role == Qt.ItemDataRole.DecorationRole:
            return self.source.thumbs.get(shot)
        if role == Qt.ItemDataRole.ToolTipRole:
            return shot.path
        if role == Qt.ItemDataRole.SizeHintRole:
            return QSize(210, 176)
        return None
