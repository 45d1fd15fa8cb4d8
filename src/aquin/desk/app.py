"""Starting the window and putting it away."""

import gc
import sys
from contextlib import suppress
from pathlib import Path

from PySide6.QtCore import QEvent, QTimer
from PySide6.QtWidgets import QApplication, QDialog, QPushButton, QWidget

from aquin.desk.bench.session_file import read_session
from aquin.desk.kit import theme
from aquin.desk.kit.labels import PlainTips
from aquin.desk.kit.room import fit_shown
from aquin.desk.window import Window
from aquin.errors import AquinError
from aquin.own_files import last_session
from aquin.production import Shot
from aquin.production.address import is_address

SWITCH_S = 0.00002
"""How long work beside it may keep the window's thread waiting for the interpreter, each time: a painter gives it away
with every line that it draws.
"""
FURNISH_AFTER_MS = 300


def application() -> QApplication:
    """The one QApplication, with the theme applied."""
    app = _bare()
    if not app.styleSheet():
        _dress(app)
    return app


def first_window() -> Window:
    """The window with which the program starts, built before the application is dressed, in half the time."""
    app = _bare()
    window = Window()
    if not app.styleSheet():
        _dress(app)
    return window


def _bare() -> QApplication:
    there = QApplication.instance()
    if isinstance(there, QApplication):
        return there
    sys.setswitchinterval(SWITCH_S)
    app = QApplication(sys.argv[:1])
    app.setApplicationName("Aquin")
    app.setDesktopFileName("aquin")
    theme.apply(app)
    return app


def _dress(app: QApplication) -> None:
    theme.dress(app)
    app.plain_tips = PlainTips(app)  # type: ignore[attr-defined]
    app.focusChanged.connect(_pressed_by_enter)


def _pressed_by_enter(_: QWidget | None, now: QWidget | None) -> None:
    """Enter presses the button that has the keyboard, as Space does; in dialogs Qt sees to it."""
    if isinstance(now, QPushButton) and not isinstance(now.window(), QDialog):
        now.setAutoDefault(True)


def run_window(session: Path | None = None, demo: Path | None = None) -> int:
    """Show the window with a session, or with the last one, and run until it is closed. The demo in a folder is
    finished.
    """
    window = first_window()
    app = application()
    window.show()
    keep_still(window)
    QTimer.singleShot(0, lambda: fit_shown(window))
    QTimer.singleShot(0, lambda: _open(window, session, demo))
    QTimer.singleShot(FURNISH_AFTER_MS, window.views.furnish)
    code = int(app.exec())
    put_away(window)
    return code


def keep_still(window: Window) -> None:
    """From now on what is loaded is left out of looking for garbage, which would hold the window up for 100 ms in the
    midst of work. What was left over by one production is looked for when another is opened.
    """
    shown: list[object] = [window.session.production]

    def again() -> None:
        if window.session.production is not shown[0]:
            shown[0] = window.session.production
            gc.unfreeze()
            gc.collect()
        gc.freeze()

    gc.freeze()
    gc.enable()
    window.session.opened.connect(again)


def _open(window: Window, session: Path | None, demo: Path | None) -> None:
    if session is not None and (session.suffix == ".aquin" or is_address(session)):
        window.show_view("shots")
        if window.open_production(session):
            _bench_again(window)
        return
    if session is not None:
        beside = session.with_suffix(".aquin")
        if demo is not None and beside.is_file():
            window.open_production(beside)
        window.show_view("bench")
        window.open_session(session)
    elif last_session().is_file():
        window.open_session(last_session())
    if demo is not None:
        window.demo.finish(demo)


def _bench_again(window: Window) -> None:
    """The Bench as it was left, where that was a shot of the production that is open."""
    production = window.session.production
    with suppress(AquinError):
        _, left = read_session(last_session())
        shot = left.shot.shot_id if left.shot is not None else ""
        if production is not None and shot and production.find(Shot, shot) is not None:
            window.open_session(last_session())


def put_away(window: Window) -> None:
    """Close a window and destroy it now, children first, so that nothing of Qt is left to Python's own exit."""
    window.close()
    app = application()
    window.deleteLater()
    app.sendPostedEvents(None, QEvent.Type.DeferredDelete.value)
    app.processEvents()
