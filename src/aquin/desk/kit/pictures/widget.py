"""The pictures under hands: modes, blinking, corners, the seam, tools, enlarging, and files dropped on either side."""

from pathlib import Path

import numpy as np
from PySide6.QtCore import QPoint, QSize, Qt, QTimer, Signal
from PySide6.QtGui import (
    QDragEnterEvent,
    QDropEvent,
    QImage,
    QKeyEvent,
    QMouseEvent,
    QResizeEvent,
    QWheelEvent,
)
from PySide6.QtWidgets import QSizePolicy, QWidget

from aquin.colour.region import WHOLE, Window
from aquin.desk.kit.pictures.drawing import Drawn
from aquin.desk.kit.pictures.hand import Hand
from aquin.jobs.load_side import ROLES, Role

BLINK_MS = 500
"""Each picture of blink stays this long: two changes a second, below the three that can hurt."""
HOLD_MS = 350
"""A held key changes the picture no sooner than this after the last change."""
ZOOM_STEP = 1.25
_STEPS = {
    Qt.Key.Key_Left: (-1, 0),
    Qt.Key.Key_Right: (1, 0),
    Qt.Key.Key_Up: (0, -1),
    Qt.Key.Key_Down: (0, 1),
}


class Pictures(Drawn):
    """Both pictures. Files can be dropped on the side they are meant for."""

    dropped = Signal(str, list)
    corners_moved = Signal(str, object)

    def __init__(self, parent: QWidget | None = None) -> None:
        super().__init__(parent)
        self.setAcceptDrops(True)
        self.setFocusPolicy(Qt.FocusPolicy.StrongFocus)
        self.setSizePolicy(QSizePolicy.Policy.Expanding, QSizePolicy.Policy.Expanding)
        self.setMinimumSize(400, 150)
        self.setMouseTracking(True)
        self.setAccessibleName("Hero and shot")
        self._timer = QTimer(self)
        self._timer.setInterval(BLINK_MS)
        self._timer.timeout.connect(self._blink)
        self._still = QTimer(self)
        self._still.setSingleShot(True)
        self._drag: tuple[str, Role, int] | None = None
        self._pressed: Role | None = None
        self._by_keys = False
        self._pan: QPoint | None = None

    def sizeHint(self) -> QSize:
        return QSize(860, 260)

    def set_mode(self, mode: str) -> None:
        self.mode = mode
        self.blink_hero = False
        if mode == "blink":
            self._timer.start()
        else:
            self._timer.stop()
        self.setAccessibleDescription(f"compare mode {mode}")
        self.resized.emit()
        self.update()

    def set_hand(self, hand: Hand | None) -> None:
        """What the mouse, or arrow keys and Enter, do on the pictures from now on."""
        self.hand, self._pressed, self._by_keys = hand, None, False
        if hand is not None:
            self.at_ = (hand.begins, *self.at_[1:])
        self.setCursor(Qt.CursorShape.ArrowCursor if hand is None else Qt.CursorShape.CrossCursor)
        self.handled.emit()
        self.update()

    def set_image(
        self, role: Role, pixels: np.ndarray | None, ratio: float = 1.0, part: Window = WHOLE
    ) -> None:
        self.parts[role] = part
        if pixels is None:
            self.images[role] = None
        else:
            self.stand_ins[role] = None
            h, w = pixels.shape[:2]
            image = QImage(pixels.data, w, h, 4 * w, QImage.Format.Format_RGB32)
            image.pixels = pixels  # type: ignore[attr-defined]  # keeps the bytes alive as long as the image
            image.setDevicePixelRatio(ratio)
            self.images[role] = image
        self.update()

    def set_gaps(self, pixels: np.ndarray | None, ratio: float = 1.0) -> None:
        """The map of differences, (h, w, 4) bytes."""
        self.gaps = None
        if pixels is not None:
            h, w = pixels.shape[:2]
            image = QImage(pixels.data, w, h, 4 * w, QImage.Format.Format_RGB32).copy()
            image.setDevicePixelRatio(ratio)
            self.gaps = image
        self.update()

    def hold(self, on: bool) -> None:
        """While held, the hero stands in the shot's place."""
        if on and (self.held or self._still.isActive()):
            return
        if on:
            self._still.start(HOLD_MS)
        self.held = on
        self.update()

    def _blink(self) -> None:
        self.blink_hero = not self.blink_hero
        self.update()

    def mousePressEvent(self, event: QMouseEvent) -> None:
        at = event.position()
        right = event.button() == Qt.MouseButton.RightButton
        self.steered = False
        if self.hand is not None and event.button() != Qt.MouseButton.MiddleButton:
            role = self.role_at(at)
            alt = bool(event.modifiers() & Qt.KeyboardModifier.AltModifier)
            self.at_ = (role, *self.to_share(role, at))
            self._press(role, right or alt)
            return
        if event.button() == Qt.MouseButton.MiddleButton:
            self._pan = at.toPoint()
            return
        if self.mode == "side" and self.show_corners:
            for role in ROLES:
                corners = self.corners[role]
                if corners is None:
                    continue
                for k in range(4):
                    gap = self.to_widget(role, corners[k]) - at
                    if np.hypot(gap.x(), gap.y()) < 12:
                        self._drag, self.picked = ("corner", role, k), (role, k)
                        self.update()
                        return
        elif self.mode == "seam":
            gap = self.turn_point(self.visible("shot")) - at
            self._drag = ("turn" if np.hypot(gap.x(), gap.y()) < 14 else "seam", "shot", 0)
            self.mouseMoveEvent(event)
            return
        if self.zoom > 1:
            self._pan = at.toPoint()

    def mouseMoveEvent(self, event: QMouseEvent) -> None:
        at = event.position()
        if self._pan is not None:
            step = at.toPoint() - self._pan
            self._pan = at.toPoint()
            self.pan(step.x(), step.y())
            return
        if self._pressed is not None and self.hand is not None and not self._by_keys:
            self.at_ = (self._pressed, *self.to_share(self._pressed, at))
            self.hand.move(self._pressed, self.at_[1:])
            self.update()
            return
        if self._drag is None:
            return
        what, role, k = self._drag
        if what == "corner":
            corners = self.corners[role]
            assert corners is not None
            moved = corners.copy()
            moved[k] = self.to_frame(role, at)
            self.corners[role] = moved
        else:
            area = self.visible("shot")
            if what == "seam":
                self.seam[0] = float(np.clip((at.x() - area.left()) / area.width(), 0, 1))
                self.seam[1] = float(np.clip((at.y() - area.top()) / area.height(), 0, 1))
            else:
                gap = at - self.seam_point(area)
                self.seam[2] = float(np.degrees(np.arctan2(gap.x(), -gap.y())))
        self.update()

    def _press(self, role: Role, other: bool = False) -> None:
        assert self.hand is not None
        self._pressed = role
        self.hand.press(role, self.at_[1:], lambda x, y: self.from_share(role, x, y), other)
        self.handled.emit()
        self.update()

    def _release(self) -> None:
        if self._pressed is not None and self.hand is not None:
            self.hand.release()
        self._pressed, self._by_keys = None, False
        self.handled.emit()
        self.update()

    def wheelEvent(self, event: QWheelEvent) -> None:
        steps = event.angleDelta().y() / 120
        if steps:
            self.set_zoom(self.zoom * ZOOM_STEP**steps, event.position())
        event.accept()

    def mouseDoubleClickEvent(self, event: QMouseEvent) -> None:
        if self.hand is None and self.zoom > 1 and self.mode != "seam":
            self.set_zoom(1.0)
        else:
            self.mousePressEvent(event)

    def mouseReleaseEvent(self, event: QMouseEvent) -> None:
        self._pan = None
        if self._pressed is not None and not self._by_keys:
            self._release()
            return
        if self._drag is not None and self._drag[0] == "corner":
            role = self._drag[1]
            self.corners_moved.emit(role, self.corners[role])
        self._drag = None

    def keyPressEvent(self, event: QKeyEvent) -> None:
        """Arrow keys move the seam (Alt turns it), the picked corner, or the hand, which Enter presses; N picks the
        next corner or the other picture. Plus and minus enlarge, Ctrl with arrow keys moves what is enlarged.
        """
        step = _STEPS.get(Qt.Key(event.key()))
        far = 10 if event.modifiers() & Qt.KeyboardModifier.ShiftModifier else 1
        alt = bool(event.modifiers() & Qt.KeyboardModifier.AltModifier)
        if event.key() in (Qt.Key.Key_Plus, Qt.Key.Key_Equal):
            self.set_zoom(self.zoom * ZOOM_STEP)
        elif event.key() == Qt.Key.Key_Minus:
            self.set_zoom(self.zoom / ZOOM_STEP)
        elif step and event.modifiers() & Qt.KeyboardModifier.ControlModifier:
            self.pan(-24 * far * step[0], -24 * far * step[1])
        elif not (
            self._hand_key(event.key(), step, far, alt)
            if self.hand is not None
            else self._seam_key(step, far, alt)
            if self.mode == "seam"
            else self._corner_key(event.key(), step, far)
        ):
            super().keyPressEvent(event)
            return
        self.update()

    def _hand_key(self, key: int, step: tuple[int, int] | None, far: int, alt: bool) -> bool:
        """Move the hand, press and let go, or go to the other picture; False where the key is none of these."""
        hand = self.hand
        assert hand is not None
        role, x, y = self.at_
        if step:
            self.steered = True
            area = self.area(role)
            x = float(np.clip(x + step[0] * far * 2 / area.width(), 0, 1))
            y = float(np.clip(y + step[1] * far * 2 / area.height(), 0, 1))
            self.at_ = (role, x, y)
            if self._pressed is not None:
                hand.move(role, (x, y))
        elif key in (Qt.Key.Key_Return, Qt.Key.Key_Enter):
            if self._pressed is not None:
                self._release()
            else:
                self._press(role, alt)
                self._by_keys = True
                if not hand.drags:
                    self._release()
        elif key == Qt.Key.Key_N and self._pressed is None:
            self.steered = True
            self.at_ = ("shot" if role == "hero" else "hero", x, y)
        else:
            return False
        return True

    def _seam_key(self, step: tuple[int, int] | None, far: int, alt: bool) -> bool:
        if not step:
            return False
        if alt:
            self.seam[2] += (step[0] or step[1]) * far
        else:
            self.seam[0] = float(np.clip(self.seam[0] + step[0] * 0.01 * far, 0, 1))
            self.seam[1] = float(np.clip(self.seam[1] + step[1] * 0.01 * far, 0, 1))
        return True

    def _corner_key(self, key: int, step: tuple[int, int] | None, far: int) -> bool:
        if self.mode != "side":
            return False
        role, k = self.picked
        corners = self.corners[role]
        if key == Qt.Key.Key_N:
            places: list[tuple[Role, int]] = [(r, n) for r in ROLES for n in range(4)]
            self.picked = places[(places.index(self.picked) + 1) % 8]
        elif step and corners is not None:
            moved = np.array(corners)
            moved[k] = (moved[k] + np.array(step) * far).clip(0, self.sizes[role])
            self.corners[role] = moved
            self.corners_moved.emit(role, moved)
        else:
            return False
        return True

    def resizeEvent(self, event: QResizeEvent) -> None:
        super().resizeEvent(event)
        self.resized.emit()

    def dragEnterEvent(self, event: QDragEnterEvent) -> None:
        if event.mimeData().hasUrls() and any(url.isLocalFile() for url in event.mimeData().urls()):
            event.acceptProposedAction()

    def dropEvent(self, event: QDropEvent) -> None:
        files = [str(Path(url.toLocalFile())) for url in event.mimeData().urls() if url.isLocalFile()]
        if files:
            role = "hero" if event.position().x() < self.width() / 2 else "shot"
            event.acceptProposedAction()
            self.dropped.emit(role, files)
