"""Words on the window: always plain text, so that names of files, cameras and setups are never read as markup."""

from html import escape

from PySide6.QtCore import QEvent, QObject, QRect, Qt
from PySide6.QtGui import QHelpEvent
from PySide6.QtWidgets import QAbstractItemView, QLabel, QSizePolicy, QToolTip, QWidget

from aquin.desk.kit import theme


class Words(QLabel):
    """A label. `role` names how loud it is (see the theme's style sheet): dim, soft, faint, or nothing."""

    def __init__(
        self,
        text: str = "",
        parent: QWidget | None = None,
        role: str = "",
        size: int = 0,
        strong: bool = False,
        wrap: bool = False,
    ) -> None:
        super().__init__(parent)
        self.setTextFormat(Qt.TextFormat.PlainText)
        self.setText(text)
        if role:
            self.set_role(role)
        if size or strong:
            self.setFont(theme.font(size or theme.BASE, strong))
        self.setWordWrap(wrap)

    def set_role(self, role: str) -> None:
        self.setProperty("role", role)
        self.style().polish(self)

    def gives_way(self) -> "Words":
        """Let it be cut off rather than widen what it stands in."""
        self.setSizePolicy(QSizePolicy.Policy.Ignored, QSizePolicy.Policy.Preferred)
        return self


class PlainTips(QObject):
    """An event filter of the application: tooltips of widgets are shown as they are written, never as markup."""

    def eventFilter(self, watched: QObject, event: QEvent) -> bool:
        if event.type() != QEvent.Type.ToolTip or not isinstance(event, QHelpEvent):
            return False
        if not isinstance(watched, QWidget):
            return False
        text, place = watched.toolTip(), QRect()
        view = watched.parentWidget()
        if isinstance(view, QAbstractItemView) and watched is view.viewport():  # an item's own tooltip
            index = view.indexAt(event.pos())
            if index.isValid() and isinstance(said := index.data(Qt.ItemDataRole.ToolTipRole), str):
                text, place = said, view.visualRect(index)
            text = text or view.toolTip()
        if not text:
            return False
        QToolTip.showText(event.globalPos(), plain_tip(text), watched, place, watched.toolTipDuration())
        return True


def plain_tip(text: str) -> str:
    """A text as a tooltip that shows it to the letter, wrapped."""
    return f"<p style='white-space:pre-wrap'>{escape(text)}</p>" if text else ""


def no_mnemonic(name: str) -> str:
    """A name for a button or a menu, in which an ampersand would mark a key."""
    return name.replace("&", "&&")
