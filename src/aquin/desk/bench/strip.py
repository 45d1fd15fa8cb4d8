"""The range of a shot as a strip: where the frame is, what of it is in the edit, and its timecode."""

from collections.abc import Sequence

from PySide6.QtCore import QPointF, QRectF, QSize, Qt, Signal
from PySide6.QtGui import QKeyEvent, QMouseEvent, QPainter, QPaintEvent, QPen, QPolygonF
from PySide6.QtWidgets import QSizePolicy, QToolTip, QWidget

from aquin.desk.kit import theme
from aquin.frames import Source

HEIGHT = 22


class Strip(QWidget):
    """A click, or arrow keys and Enter, choose a frame."""

    chosen = Signal(int)

    def __init__(self, parent: QWidget | None = None) -> None:
        super().__init__(parent)
        self.setFixedHeight(HEIGHT)
        self.setMinimumWidth(90)
        self.setSizePolicy(QSizePolicy.Policy.Expanding, QSizePolicy.Policy.Fixed)
        self.setFocusPolicy(Qt.FocusPolicy.StrongFocus)
        self.setMouseTracking(True)
        self.setToolTip(
            "The whole shot. A click goes to that frame, arrow keys and Enter, too (Shift: a second). "
            "Light: what the edit uses of it. Short bars below: keys of a grade that moves over time"
        )
        self.source: Source | None = None
        self.frame = 0
        self.playing: int | None = None
        self.used: tuple[tuple[int, int], ...] = ()
        self.keys: tuple[int, ...] = ()
        self._wish: int | None = None
        self.show_shot(None, 0)

    def sizeHint(self) -> QSize:
        return QSize(240, HEIGHT)

    def show_shot(self, source: Source | None, frame: int, used: Sequence[tuple[int, int]] = ()) -> None:
        """A source, the frame that is measured, and first and last frames of what the edit uses."""
        self.source, self.frame, self.used = source, frame, tuple(used)
        self._wish = None
        words = "no shot" if source is None else f"frame {frame} of {source.first} to {source.last}"
        self.setAccessibleName(f"range of the shot, {words}")
        self.update()

    def show_keys(self, frames: Sequence[int]) -> None:
        """Frames at which the grade has keys."""
        self.keys = tuple(frames)
        self.update()

    def show_playing(self, frame: int | None) -> None:
        self.playing = frame
        self.update()

    def _x(self, frame: int) -> float:
        assert self.source is not None
        return 6 + (self.width() - 12) * (frame - self.source.first) / max(self.source.count - 1, 1)

    def _at(self, x: float) -> int:
        assert self.source is not None
        share = min(max((x - 6) / max(self.width() - 12, 1), 0.0), 1.0)
        return self.source.first + round(share * (self.source.count - 1))

    def paintEvent(self, event: QPaintEvent) -> None:
        p = QPainter(self)
        p.setRenderHint(QPainter.RenderHint.Antialiasing)
        middle = HEIGHT / 2
        p.setPen(Qt.PenStyle.NoPen)
        p.setBrush(theme.grey(52))
        p.drawRoundedRect(QRectF(4, middle - 3, self.width() - 8, 6), 2, 2)
        if self.source is None:
            return
        p.setBrush(theme.grey(112))
        for first, last in self.used:
            p.drawRect(QRectF(self._x(first), middle - 3, max(self._x(last) - self._x(first), 2), 6))
        p.setBrush(theme.grey(200))
        for key in self.keys:
            p.drawRect(QRectF(self._x(key) - 1, middle + 4, 2, 6))
        at = self._x(self.frame)
        p.setBrush(theme.grey(224))
        p.drawPolygon(QPolygonF([QPointF(at - 5, 1), QPointF(at + 5, 1), QPointF(at, middle - 3)]))
        p.setPen(QPen(theme.grey(224), 1.4))
        p.drawLine(QPointF(at, middle - 3), QPointF(at, middle + 4))
        moving = self.playing if self.playing is not None else self._wish
        if moving is not None:
            x = self._x(moving)
            p.setPen(
                QPen(
                    theme.grey(240),
                    1.4,
                    Qt.PenStyle.SolidLine if self.playing is not None else Qt.PenStyle.DotLine,
                )
            )
            p.drawLine(QPointF(x, 2), QPointF(x, HEIGHT - 2))
        if self.hasFocus():
            p.setBrush(Qt.BrushStyle.NoBrush)
            p.setPen(QPen(theme.grey(150), 1, Qt.PenStyle.DotLine))
            p.drawRect(self.rect().adjusted(0, 0, -1, -1))

    def mousePressEvent(self, event: QMouseEvent) -> None:
        if self.source is not None and event.button() == Qt.MouseButton.LeftButton:
            self.chosen.emit(self._at(event.position().x()))

    def mouseMoveEvent(self, event: QMouseEvent) -> None:
        if self.source is not None:
            frame = self._at(event.position().x())
            words = self.source.timecode(frame)
            QToolTip.showText(
                event.globalPosition().toPoint(), f"frame {frame}{f', {words}' if words else ''}", self
            )

    def keyPressEvent(self, event: QKeyEvent) -> None:
        if self.source is None:
            super().keyPressEvent(event)
            return
        here = self._wish if self._wish is not None else self.frame
        far = (
            round(float(self.source.rate or 24))
            if event.modifiers() & Qt.KeyboardModifier.ShiftModifier
            else 1
        )
        step = {Qt.Key.Key_Left: -far, Qt.Key.Key_Right: far}.get(Qt.Key(event.key()))
        if step is not None:
            self._wish = min(max(here + step, self.source.first), self.source.last)
        elif event.key() == Qt.Key.Key_Home:
            self._wish = self.source.first
        elif event.key() == Qt.Key.Key_End:
            self._wish = self.source.last
        elif event.key() in (Qt.Key.Key_Return, Qt.Key.Key_Enter) and self._wish is not None:
            self.chosen.emit(self._wish)
        else:
            super().keyPressEvent(event)
            return
        self.update()
