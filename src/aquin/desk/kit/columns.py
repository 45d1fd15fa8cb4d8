"""List rows whose texts stand in columns."""

from PySide6.QtCore import QModelIndex, QObject, QPersistentModelIndex, QRectF, QSize, Qt
from PySide6.QtGui import QPainter
from PySide6.QtWidgets import QStyle, QStyledItemDelegate, QStyleOptionViewItem

from aquin.desk.kit import theme

COLUMNS = Qt.ItemDataRole.UserRole + 1
"""Item data: a mark, a name, and numbers that are set right-aligned."""


class Columns(QStyledItemDelegate):
    """Draws `COLUMNS`; the item's own text stays what screen readers say."""

    def __init__(self, parent: QObject, height: int = 25) -> None:
        super().__init__(parent)
        self.height = height

    def sizeHint(self, option: QStyleOptionViewItem, index: QModelIndex | QPersistentModelIndex) -> QSize:
        return QSize(100, self.height)

    def paint(
        self, p: QPainter, option: QStyleOptionViewItem, index: QModelIndex | QPersistentModelIndex
    ) -> None:
        mark, name, *numbers = index.data(COLUMNS)
        box = QRectF(option.rect)
        if not index.flags() & Qt.ItemFlag.ItemIsSelectable:  # the heading of a group
            p.setFont(theme.font(theme.SMALL))
            p.setPen(theme.DIM)
            p.drawText(box.adjusted(8, 4, 0, 0), Qt.AlignmentFlag.AlignVCenter, name)
            return
        chosen = option.state & QStyle.StateFlag.State_Selected
        if option.state & QStyle.StateFlag.State_MouseOver or (
            chosen and option.state & QStyle.StateFlag.State_HasFocus
        ):
            p.fillRect(box, theme.grey(60))
        elif chosen:  # keys work on it, too, while another part of the view has the keyboard
            p.fillRect(box, theme.grey(44))
        p.setFont(theme.font())
        p.setPen(theme.TEXT)
        middle = Qt.AlignmentFlag.AlignVCenter
        p.drawText(QRectF(box.left() + 8, box.top(), 20, box.height()), middle, mark)
        p.drawText(QRectF(box.left() + 28, box.top(), box.width() - 28, box.height()), middle, name)
        step = 72 if len(numbers) < 3 else 48
        for k, text in enumerate(reversed(numbers)):
            wide = max(
                step - 8, p.fontMetrics().horizontalAdvance(text) + 2
            )  # words may be longer than numbers
            right = box.right() - step * k - 12
            p.drawText(
                QRectF(right - wide, box.top(), wide, box.height()),
                middle | Qt.AlignmentFlag.AlignRight,
                text,
            )
