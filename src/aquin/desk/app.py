"""Starting the window, and drawing the main views into files."""

import sys
import time
from collections import Counter
from collections.abc import Callable, Sequence
from dataclasses import replace
from pathlib import Path

from PySide6.QtCore import QEvent, QEventLoop, QTimer
from PySide6.QtWidgets import QApplication

from aquin.desk.kit import theme
from aquin.desk.window import Window
from aquin.measure.skin import Dab
from aquin.own_files import last_session
from aquin.production import Production, Setup, Shot


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
            _draw_hands(window, grab)
        _draw_light(window, folder, written)
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


def _draw_hands(window: Window, grab: Callable[[str], None]) -> None:
    """A region on the shot, enlarged; and what passes for skin, with a pair that is named."""
    view = window.view
    view.edit_regions()
    region = view.panel.regions.region
    if region is not None and region.ellipse is not None:
        made = replace(region, name="face", stops=0.4, mired=-8.0)
        view.panel.regions.put(
            replace(made, ellipse=replace(region.ellipse, x=0.385, y=0.395, wide=0.06, high=0.085)),
            "a region",
        )
    view.pictures.set_zoom(1.8, view.pictures._from_share("shot", 0.385, 0.395))
    settle_down(window)
    view.panel.ensureWidgetVisible(view.panel.regions)
    view.panel.verticalScrollBar().setValue(view.panel.regions.y() - 40)
    grab("bench-region.png")
    view.pictures.set_zoom(1.0)
    view.panel.verticalScrollBar().setValue(0)
    production = window.productions.current
    shots = [] if production is None else production.all(Shot)
    there = [window.link.beside(s) for s in shots if production and _setup(production, s) == "galley"]
    if not (pair := next((b for b in there if len(b) == 2 and b[0][0].camera_id != b[1][0].camera_id), None)):
        return
    for shot, role, frame in pair:
        window.look_at(shot, role, frame)
    settle_down(window, 120)
    view.bench.decide("paint skin", replace(view.bench.now, dabs=(_painted(HERO_SKIN), _painted(SHOT_SKIN))))
    view.tools.pairs.pairs = (((0.33, 0.66), (0.37, 0.66)),)
    view.tools.pairs.changed.emit()
    settle_down(window, 120)
    view.tools.choose("skin")
    grab("bench-skin.png")
    view.tools.choose("")


Line = tuple[float, float, float, float, float, bool]
HERO_SKIN: tuple[Line, ...] = (
    (0.0, 0.62, 1.0, 0.66, 0.04, False),
    (0.0, 0.93, 1.0, 0.93, 0.09, False),
    (0.44, 0.27, 0.98, 0.27, 0.03, False),
    (0.335, 0.26, 0.335, 0.31, 0.02, True),
    (0.82, 0.50, 0.82, 0.55, 0.02, True),
)
SHOT_SKIN: tuple[Line, ...] = (
    (0.0, 0.70, 1.0, 0.62, 0.05, False),
    (0.0, 0.82, 0.55, 0.72, 0.08, False),
    (0.40, 0.19, 0.90, 0.24, 0.03, False),
    (0.5, 0.99, 1.0, 0.97, 0.06, False),
    (0.345, 0.27, 0.345, 0.37, 0.025, True),
    (0.865, 0.51, 0.865, 0.56, 0.02, True),
)
"""Strokes of a brush in the demo: from, to, radius, and whether they add skin. The table and the shelves are none."""


def _painted(lines: Sequence[Line]) -> tuple[Dab, ...]:
    return tuple(
        Dab(x0 + k / 20 * (x1 - x0), y0 + k / 20 * (y1 - y0), radius, add)
        for x0, y0, x1, y1, radius, add in lines
        for k in range(21)
    )


def _setup(production: Production, shot: Shot) -> str:
    found = production.find(Setup, shot.setup_id)
    return "" if found is None else found.name


def _draw_light(window: Window, folder: Path, written: list[Path]) -> None:
    """The light over the day of the setup in which it changed most."""
    board = window.board
    window.show_view("board")
    settle_down(window)
    trims = Counter(c.setup.name for c in board.cells.values() for s in c.shots if "drift" in s.own)
    places = [c.place for c in board.cells.values() if trims and c.setup.name == trims.most_common(1)[0][0]]
    if not places:
        return
    board.table.choose(places[:1])
    board.ask_drift()
    settle_down(window)
    if board.drift is not None:
        path = folder / "board-light.png"
        board.drift.grab().save(str(path))
        written.append(path)
        board.drift.close()


def _copied(production: Path) -> Path | None:
    """A copy beside the media, so that drawing the views decides nothing in the person's own file. None where there is no production."""
    if not production.is_file():
        return None
    first = Production.open(production, read_only=True)
    path = production.with_name("views.aquin")
    first.save_copy(path, force=True)
    first.close()
    return path
