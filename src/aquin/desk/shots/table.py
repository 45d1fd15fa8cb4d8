"""The table of shots: Enter opens one, and cells are typed into or chosen from a list."""

from typing import TYPE_CHECKING

from PySide6.QtCore import QEvent, QModelIndex, QObject, Qt, Signal
from PySide6.QtGui import QKeyEvent
from PySide6.QtWidgets import (
    QAbstractItemView,
    QApplication,
    QComboBox,
    QCompleter,
    QLineEdit,
    QStyledItemDelegate,
    QStyleOptionViewItem,
    QTreeView,
    QWidget,
)

from aquin.desk.shots.log import COLUMNS

if TYPE_CHECKING:
    from aquin.desk.shots.view import ShotsView


class ShotTable(QTreeView):
    """A table in which Enter opens a shot, and F2 edits."""

    opened = Signal()

    def keyPressEvent(self, event: QKeyEvent) -> None:
        editing = self.state() == QAbstractItemView.State.EditingState
        if event.key() in (Qt.Key.Key_Return, Qt.Key.Key_Enter) and not editing:
            self.opened.emit()
            return
        super().keyPressEvent(event)


class Cells(QStyledItemDelegate):
    """Cells are typed into, or chosen from a list that can be typed into."""

    def __init__(self, view: "ShotsView") -> None:
        super().__init__(view)
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
