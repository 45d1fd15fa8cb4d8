"""What a hand on the pictures is: one kind of work. Places are shares of a picture's width and height."""

from collections.abc import Callable

from PySide6.QtCore import QObject, QPointF, Signal
from PySide6.QtGui import QPainter

from aquin.jobs.load_side import At, Role

To = Callable[[float, float], QPointF]
"""From shares of the picture to the widget."""


class Hand(QObject):
    """One kind of work on the pictures. `drags`: press and release are two things."""

    name = ""
    hint = ""
    drags = True
    begins: Role = "hero"
    """The picture on which keys have the hand at first."""

    changed = Signal()

    def __init__(self, parent: QObject | None = None) -> None:
        super().__init__(parent)

    def press(self, role: Role, at: At, to: To, other: bool = False) -> None:
        """`other`: with the key (Alt) or button that means the opposite."""

    def move(self, role: Role, at: At) -> None: ...

    def release(self) -> None: ...

    def clear(self) -> None: ...

    def paint(self, p: QPainter, role: Role, to: To) -> None: ...
