"""Dialogs that fit: no larger than the window's screen leaves, what is longer scrolls, and the buttons stay in
reach.
"""

from collections.abc import Callable

from PySide6.QtCore import QSize, Qt
from PySide6.QtWidgets import (
    QDialog,
    QDialogButtonBox,
    QFrame,
    QPushButton,
    QScrollArea,
    QVBoxLayout,
    QWidget,
)

from aquin.desk.kit.boxes import column_of

MARGIN = 48
"""Room for the title bar and a rim, in pixels."""


def take_or_leave(dialog: QDialog, word: str, take: Callable[[], object]) -> QDialogButtonBox:
    """The last row of a dialog: the button `word`, which takes what was chosen, and one that leaves all as it was."""
    kinds = QDialogButtonBox.StandardButton
    buttons = QDialogButtonBox(kinds.Ok | kinds.Cancel)
    buttons.button(kinds.Ok).setText(word)
    buttons.button(kinds.Ok).setProperty("main", True)
    buttons.accepted.connect(take)
    buttons.rejected.connect(dialog.reject)
    return buttons


def room_for(dialog: QDialog) -> QSize:
    """What a dialog may take of its screen."""
    area = dialog.screen().availableGeometry()
    return QSize(area.width() - MARGIN, area.height() - MARGIN)


def open_fitting(dialog: QDialog) -> QDialog:
    """Show a dialog; where it would be larger than the screen leaves, its content scrolls and its last row, the
    buttons, stays.
    """
    room = room_for(dialog)
    hint = dialog.sizeHint().expandedTo(dialog.minimumSizeHint())
    if hint.height() > room.height() or hint.width() > room.width():
        _let_scroll(dialog)
        dialog.resize(min(hint.width() + 24, room.width()), min(hint.height(), room.height()))
    else:
        dialog.resize(dialog.size().boundedTo(room).expandedTo(hint))
    dialog.open()
    return dialog


def _let_scroll(dialog: QDialog) -> None:
    inner = dialog.layout()
    if inner is None:
        return
    last = inner.itemAt(inner.count() - 1)
    kept = last.widget() if last is not None else None
    if kept is not None and _of_buttons(kept):
        inner.removeWidget(kept)
    else:
        kept = None
    body = QWidget()
    body.setLayout(inner)  # takes the layout and its widgets over
    area = QScrollArea()
    area.setWidget(body)
    area.setWidgetResizable(True)
    area.setFrameShape(QFrame.Shape.NoFrame)
    outer = column_of((0, 0, 0, 8), dialog)
    outer.addWidget(area, 1)
    if kept is not None:
        outer.addWidget(kept, 0, Qt.AlignmentFlag.AlignRight)


def _of_buttons(row: QWidget) -> bool:
    """Whether it is a button, or a row of nothing else."""
    held = row.findChildren(QWidget, options=Qt.FindChildOption.FindDirectChildrenOnly)
    return isinstance(row, QPushButton) or (bool(held) and all(isinstance(w, QPushButton) for w in held))


def with_close(dialog: QDialog, column: QVBoxLayout) -> None:
    """A close button as the last row."""
    buttons = QDialogButtonBox(QDialogButtonBox.StandardButton.Close)
    buttons.rejected.connect(dialog.reject)
    column.addWidget(buttons)
