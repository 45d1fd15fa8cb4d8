"""Starting the window, and drawing the main views into files."""

import sys
import time
from pathlib import Path

from PySide6.QtCore import QEvent, QEventLoop, QTimer
from PySide6.QtWidgets import QApplication

from aquin.desk import theme
from aquin.desk.places import last_session
from aquin.desk.window import Window
from aquin.production import Production


def application() -> QApplication:
    """The one QApplication, with the theme applied."""
    app = QApplication.instance()
    if not isinstance(app, QApplication):
        app = QApplication(sys.argv[:1])
        app.setApplicationName("Aquin")
        app.setDesktopFileName("aquin")
        theme.apply(app)
    return app


def run_window(session: Path | None = None, demo: Path | None = None) -> int:
    """Show the window with a session, or with the last one, and run until it is closed. The demo in a folder is finished."""
    app = application()
    window = Window()
    window.show()
    if session is not None and session.suffix == ".aquin":
        production = session
        window.show_view("shots")
        QTimer.singleShot(0, lambda: window.open_production(production))
    else:
        chosen = session if session is not None else last_session()
        if session is not None or chosen.is_file():
            QTimer.singleShot(0, lambda: window.open_session(chosen))
    if session is not None and demo is not None and session.with_suffix(".aquin").is_file():
        QTimer.singleShot(0, lambda: window.open_production(session.with_suffix(".aquin")))
    if demo is not None:
        QTimer.singleShot(0, lambda: window.finish_demo(demo))
    code = int(app.exec())
    put_away(window)
    return code


def put_away(window: Window) -> None:
    """Close a window and destroy it now, children first, so that nothing of Qt is left to Python's own exit."""
    window.close()
    app = application()
    window.deleteLater()
    app.sendPostedEvents(None, QEvent.Type.DeferredDelete.value)
    app.processEvents()


def settle_down(window: Window, seconds: float = 60.0) -> None:
    """Let events run until nothing is worked on any more."""
    loop = QEventLoop()
    end = time.monotonic() + seconds
    quiet = 0
    while time.monotonic() < end and quiet < 5:
        QTimer.singleShot(30, loop.quit)
        loop.exec()
        beside = (window.view.latest, window.view.judging, window.view.scoping, window.board.latest)
        idle = window.shots.thumbs.idle() and window.board.thumbs.idle() and all(k.idle() for k in beside)
        quiet = (
            quiet + 1
            if idle and not window.view.jobs.titles and not window.view.jobs.running("solve skin")
            else 0
        )


def draw_views(session: Path, folder: Path, width: int = 1280, height: int = 800) -> list[Path]:
    """PNGs of each main view on a session and the production beside it, settled; the person's own state is not touched.

    Raises AquinError.
    """
    application()
    folder.mkdir(parents=True, exist_ok=True)
    window = Window(keep=False)
    window.resize(width, height)
    window.show()
    written = []

    def grab(name: str) -> None:
        settle_down(window)
        path = folder / name
        window.grab().save(str(path))
        written.append(path)

    production = _copied(session.with_suffix(".aquin"))
    if production is not None and window.open_production(production):
        window.show_view("plan")
        grab("plan.png")
        window.show_view("shots")
        window.shots.show_first_finding()
        grab("shots.png")
        window.shots.select([])
        window.shots.show_as(1)
        grab("shots-pictures.png")
        window.shots.show_as(0)
        window.show_view("charts")
        settle_down(window)
        grab("charts.png")
        for page, work in (("profile", window.charts.profile), ("latitude", window.charts.latitude)):
            if not work.measure_button.isEnabled():  # the series are not filmed yet
                continue
            window.charts.show_page(page)
            work.measure()
            settle_down(window, 240)
            if page == "latitude":
                window.charts.latitude.table.selectRow(2)
                window.charts.latitude.show_lift()
            grab(f"charts-{page}.png")
        window.charts.show_page("reading")
        window.show_view("board")
        settle_down(window)
        if window.board.heroless:
            window.board.propose()
            settle_down(window)
        window.board.settle_all()
        settle_down(window, 400)
        cell = next((c for c in window.board.cells.values() if c.rows and len(c.shots) > 2), None)
        if cell is not None:
            window.board.table.choose([cell.place])
        grab("board.png")
        if cell is not None:
            window.board.list.setCurrentRow(1)
            window.board.look()
            settle_down(window, 120)
            window.view.ledger.rows["warmth"].setFocus()
            grab("bench-shot.png")
            window.view.zones_button.setChecked(True)
            window.view.waveform.cycle()
            grab("bench-zones.png")
            window.view.zones_button.setChecked(False)
            window.view.waveform.cycle()
            window.view.waveform.cycle()
    window.show_view("bench")
    window.open_session(session)
    settle_down(window)
    grab("bench-before.png")
    window.view.settle_all()
    grab("bench.png")
    window.view.set_mode("seam")
    window.view.pictures.seam = [0.55, 0.5, 12.0]
    grab("bench-seam.png")
    put_away(window)
    if production is not None:
        for left in production.parent.glob(f"{production.name}*"):
            left.unlink()
    return written


def _copied(production: Path) -> Path | None:
    """A copy beside the media, so that drawing the views decides nothing in the person's own file. None where there is no production."""
    if not production.is_file():
        return None
    first = Production.open(production, read_only=True)
    path = production.with_name("views.aquin")
    first.save_copy(path, force=True)
    first.close()
    return path
