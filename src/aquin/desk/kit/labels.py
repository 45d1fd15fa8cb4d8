"""Words on the window: always plain text, so that names of files, cameras and setups are never read as markup."""

from html import escape

from PySide6.QtCore import QEvent, QObject, QPoint, QRect, Qt
from PySide6.QtGui import QHelpEvent, QMouseEvent, QPainter, QPaintEvent, QWindow
from PySide6.QtWidgets import (
    QAbstractItemView,
    QApplication,
    QLabel,
    QSizePolicy,
    QStyleOption,
    QToolTip,
    QWidget,
)
from shiboken6 import isValid

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
        """Let it be cut off, with an ellipsis, rather than widen what it stands in."""
        self.setSizePolicy(QSizePolicy.Policy.Ignored, QSizePolicy.Policy.Preferred)
        return self

    @property
    def shown(self) -> str:
        """As much of a line that gives way as there is room for."""
        gives = self.sizePolicy().horizontalPolicy() == QSizePolicy.Policy.Ignored
        if (
            not gives or self.wordWrap() or "padded" in str(self.property("role"))
        ):  # padding is the style sheet's
            return self.text()
        room = self.contentsRect().width()
        return self.fontMetrics().elidedText(self.text(), Qt.TextElideMode.ElideRight, room)

    def paintEvent(self, event: QPaintEvent) -> None:
        shown = self.shown
        if shown == self.text() or "\n" in self.text():
            super().paintEvent(event)
            return
        option = QStyleOption()
        option.initFrom(self)
        painter = QPainter(self)
        line = int(self.alignment())
        self.style().drawItemText(
            painter, self.contentsRect(), line, option.palette, self.isEnabled(), shown, self.foregroundRole()
        )
        painter.end()


class PlainTips(QObject):
    """Tooltips of widgets are shown as they are written, never as markup. An event filter of what is under the pointer:
    one of the whole application would be asked about every event, a tenth of the window's time.
    """

    def __init__(self, app: QApplication) -> None:
        super().__init__(app)
        self._over: list[QWidget] = []
        app.focusWindowChanged.connect(self._watch)
        self._watch(app.focusWindow())

    def _watch(self, window: QWindow | None) -> None:
        """Tooltips come in the active window only: see where the pointer moves in it."""
        if window is not None:
            window.installEventFilter(self)

    def _follow(self, at: QPoint) -> None:
        """The widget under the pointer, and those around it, which are asked where it has no tooltip of its own."""
        widget = QApplication.widgetAt(at)
        if widget is (self._over[0] if self._over else None):
            return
        for left in self._over:
            if isValid(left):
                left.removeEventFilter(self)
        self._over = []
        while widget is not None:
            widget.installEventFilter(self)
            self._over.append(widget)
            widget = None if widget.isWindow() else widget.parentWidget()

    def eventFilter(self, watched: QObject, event: QEvent) -> bool:
        kind = event.type()
        if isinstance(watched, QWindow):
            if kind == QEvent.Type.MouseMove and isinstance(event, QMouseEvent):
                self._follow(event.globalPosition().toPoint())
            return False
        if kind != QEvent.Type.ToolTip or not isinstance(event, QHelpEvent):
            return False
        return isinstance(watched, QWidget) and self._show(watched, event)

    def _show(self, watched: QWidget, event: QHelpEvent) -> bool:
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
