"""A size and place for the window that its screen leaves room for."""

from PySide6.QtCore import QRect, QSize
from PySide6.QtWidgets import QMainWindow

SIZE = QSize(1280, 800)
LEAST = QSize(1180, 640)
FRAME = QSize(4, 36)
"""What a window manager's frame takes, where it is not known yet."""


def fit(window: QMainWindow, place: object = None) -> None:
    """The last size and place where they still fit, else the usual size as far as there is room."""
    area = window.screen().availableGeometry()
    frame = window.frameGeometry().size() - window.size() if window.isVisible() else FRAME
    room = QRect(area.topLeft(), area.size() - frame)
    if isinstance(place, QRect) and room.contains(place.topLeft()):
        wanted = place.intersected(room)
        if wanted.width() >= window.minimumWidth() and wanted.height() >= window.minimumHeight():
            window.resize(wanted.size())
            window.move(wanted.topLeft())
            return
    window.resize(SIZE.boundedTo(room.size()).expandedTo(window.minimumSize()))
    if window.isVisible():
        window.move(area.topLeft())


def fit_shown(window: QMainWindow) -> None:
    """Once the frame is known: what sticks out of the screen comes in."""
    area, frame = window.screen().availableGeometry(), window.frameGeometry()
    if window.isMaximized() or window.isFullScreen() or area.contains(frame):
        return
    extra = frame.size() - window.size()
    window.resize(window.size().boundedTo(area.size() - extra))
    window.move(area.topLeft())
