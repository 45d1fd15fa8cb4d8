"""The table of shots: Enter opens one, and cells are typed into or chosen from a list."""

from typing import Protocol

from PySide6.QtCore import QEvent, QModelIndex, QObject, QPoint, QSize, Qt, Signal
from PySide6.QtGui import QKeyEvent
from PySide6.QtWidgets import (
    QAbstractItemView,
    QApplication,
    QComboBox,
    QCompleter,
    QLineEdit,
    QListView,
    QMenu,
    QStyledItemDelegate,
    QStyleOptionViewItem,
    QTreeView,
    QWidget,
)

from aquin.desk.shots.log import COLUMNS, ShotLog
from aquin.desk.shots.model import ShotModel


class Shown(Protocol):
    """What the cells ask of their view: the log and the model that are shown now."""

    log: ShotLog | None
    model: ShotModel | None


class ShotTable(QTreeView):
    """A table in which Enter opens a shot, and F2 edits."""

    opened = Signal()

    def __init__(self, view: Shown) -> None:
        super().__init__()
        self.setSelectionMode(QAbstractItemView.SelectionMode.ExtendedSelection)
        self.setSelectionBehavior(QAbstractItemView.SelectionBehavior.SelectRows)
        edits = QAbstractItemView.EditTrigger
        self.setEditTriggers(edits.DoubleClicked | edits.EditKeyPressed)
        self.setUniformRowHeights(True)
        self.setIconSize(QSize(64, 36))
        self.setIndentation(10)
        self.setSortingEnabled(True)
        self.setAccessibleName("Shots")
        self.setItemDelegate(Cells(self, view))
        self.setObjectName("shots")
        header = self.header()
        header.setSectionsMovable(True)
        header.setStretchLastSection(True)
        header.setContextMenuPolicy(Qt.ContextMenuPolicy.CustomContextMenu)
        header.customContextMenuRequested.connect(self.choose_columns)

    def choose_columns(self, at: QPoint) -> None:
        """A menu of the columns, each shown or hidden."""
        menu = QMenu(self)
        for k, column in enumerate(COLUMNS[1:], 1):
            action = menu.addAction(column.title)
            action.setCheckable(True)
            action.setChecked(not self.isColumnHidden(k))
            action.toggled.connect(lambda on, k=k: self.setColumnHidden(k, not on))
        self.column_menu = menu
        menu.popup(self.header().mapToGlobal(at))

    def keyPressEvent(self, event: QKeyEvent) -> None:
        editing = self.state() == QAbstractItemView.State.EditingState
        if event.key() in (Qt.Key.Key_Return, Qt.Key.Key_Enter) and not editing:
            self.opened.emit()
            return
        super().keyPressEvent(event)


class Cells(QStyledItemDelegate):
    """Cells are typed into, or chosen from a list that can be typed into."""

    def __init__(self, parent: QWidget, view: Shown) -> None:
        super().__init__(parent)
        self.view = view

    def createEditor(  # type: ignore[override]
        self, parent: QWidget, option: QStyleOptionViewItem, index: QModelIndex
    ) -> QWidget:
        log, model = self.view.log, self.view.model
        column = COLUMNS[index.column()]
        if log is None or model is None or model.shot(index) is None or column.edits == "text":
            editor = QLineEdit(parent)
            editor.setAccessibleName(column.title)
            return editor
        box = QComboBox(parent)
        box.setAccessibleName(column.title)
        box.setEditable(True)
        box.setInsertPolicy(QComboBox.InsertPolicy.NoInsert)
        box.addItems(log.choices(column.key))
        completer = box.completer()
        if completer is not None:
            completer.setFilterMode(Qt.MatchFlag.MatchContains)
            completer.setCompletionMode(QCompleter.CompletionMode.PopupCompletion)
        box.setMinimumWidth(180 if column.key == "encoding" else 110)
        box.activated.connect(lambda _: self._take(box))
        return box

    def _take(self, box: QComboBox) -> None:
        self.commitData.emit(box)
        self.closeEditor.emit(box)

    def setEditorData(self, editor: QWidget, index: QModelIndex) -> None:  # type: ignore[override]
        text = str(index.data(Qt.ItemDataRole.EditRole) or "")
        if isinstance(editor, QComboBox):
            editor.setEditText(text)
            edit = editor.lineEdit()
            if edit is not None:
                edit.selectAll()
        elif isinstance(editor, QLineEdit):
            editor.setText(text)

    def setModelData(self, editor: QWidget, model: QObject, index: QModelIndex) -> None:  # type: ignore[override]
        text = (
            editor.currentText()
            if isinstance(editor, QComboBox)
            else editor.text()
            if isinstance(editor, QLineEdit)
            else ""
        )
        self.view.model.setData(index, text)  # type: ignore[union-attr]

    def eventFilter(self, editor: QObject, event: QEvent) -> bool:
        pressed = event.type() == QEvent.Type.KeyPress and isinstance(event, QKeyEvent)
        enter = pressed and event.key() in (Qt.Key.Key_Return, Qt.Key.Key_Enter)  # type: ignore[attr-defined]
        if enter and isinstance(editor, QComboBox) and QApplication.activePopupWidget() is None:
            self._take(editor)
            return True
        return super().eventFilter(editor, event)


def shot_pictures() -> QListView:
    """The log as pictures."""
    pictures = QListView()
    pictures.setViewMode(QListView.ViewMode.IconMode)
    pictures.setResizeMode(QListView.ResizeMode.Adjust)
    pictures.setMovement(QListView.Movement.Static)
    pictures.setSelectionMode(QAbstractItemView.SelectionMode.ExtendedSelection)
    pictures.setIconSize(QSize(192, 108))
    pictures.setUniformItemSizes(True)
    pictures.setSpacing(4)
    pictures.setAccessibleName("Pictures of the shots")
    pictures.setObjectName("shotPictures")
    return pictures
