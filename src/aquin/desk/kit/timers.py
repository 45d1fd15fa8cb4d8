"""What a widget does a little later."""

from collections.abc import Callable

from PySide6.QtCore import QObject, QTimer

HIDDEN_MS = 250
"""Pause after which a view that is hidden follows a change."""


def later(owner: QObject, run: Callable[[], object], milliseconds: int = 0) -> QTimer:
    """A timer that runs out once after each `start`; started again, it begins anew."""
    timer = QTimer(owner)
    timer.setSingleShot(True)
    timer.setInterval(milliseconds)
    timer.timeout.connect(run)
    return timer
