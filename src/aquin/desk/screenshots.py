"""Drawing the main views into files, from the demo's own data."""

import time
from collections.abc import Callable, Sequence
from dataclasses import replace
from pathlib import Path

from PySide6.QtCore import QCoreApplication, QEventLoop, QTimer

from aquin.colour.cdl import Cdl
from aquin.colour.tone_curve import ToneCurve
from aquin.colour.zones import ZoneGains
from aquin.desk.app import application, put_away
from aquin.desk.window import Window
from aquin.look.look import Look
from aquin.measure.skin import Dab
from aquin.production import Production, Setup, Shot
from aquin.production.heroes import hero_of

Grab = Callable[[str], None]


def settle_down(window: Window, seconds: float = 60.0) -> None:
    """Let events run until nothing is worked on any more."""
    loop = QEventLoop()
    end = time.monotonic() + seconds
    quiet = 0
    while time.monotonic() < end and quiet < 5:
        QTimer.singleShot(20, loop.quit)
        loop.exec()
        quiet = quiet + 1 if is_idle(window) else 0


def is_idle(window: Window) -> bool:
    """Whether nothing is worked on that changes what is shown."""
    jobs, there = window.jobs, window.views.there
    return (
        ("shots" not in there or window.shots.thumbs.idle())
        and ("board" not in there or (window.board.thumbs.idle() and window.board.latest.idle()))
        and window.bench.seeing.idle()
        and window.bench.link.idle()
        and window.bench.materials.idle()
        and window.bench.levels.idle()
        and ("look" not in there or window.views.look.idle())
        and ("continuity" not in there or window.views.continuity.idle())
        and ("screens" not in there or window.views.screens.idle())
        and ("release" not in there or window.views.release.idle())
        and ("journal" not in there or window.views.journal.idle())
        and not jobs.titles
        and not jobs.running("solve skin")
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
    written: list[Path] = []

    def grab(name: str) -> None:
        settle_down(window)
        path = folder / name
        window.grab().save(str(path))
        written.append(path)

    window.show_view("start")
    grab("start.png")
    production = _copied(session.with_suffix(".aquin"))
    if production is not None and window.open_production(production):
        _draw_log(window, grab)
        _draw_charts(window, grab)
        _draw_board(window, grab)
        _draw_levels(window, grab)
        _draw_looks(window, session.parent, grab)
        _draw_cut(window, grab)
        _draw_screens(window, grab)
    window.show_view("bench")
    window.open_session(session)
    settle_down(window)
    window.bench.presenter.settle_all()
    grab("bench.png")
    put_away(window)
    if production is not None:
        for left in production.parent.glob(f"{production.name}*"):
            left.unlink()
    return written


def _draw_log(window: Window, grab: Grab) -> None:
    window.show_view("plan")
    grab("plan.png")
    window.show_view("shots")
    window.shots.show_first_finding()
    grab("shots.png")


def _draw_charts(window: Window, grab: Grab) -> None:
    charts = window.charts
    window.show_view("charts")
    settle_down(window)
    grab("charts.png")
    for page, work in (("profile", charts.profile), ("latitude", charts.latitude)):
        if not work.can_measure:  # the series are not filmed yet
            continue
        charts.show_page(page)
        work.measure()
        settle_down(window, 240)
        if page == "latitude":
            charts.latitude.table.selectRow(2)
            charts.latitude.show_lift()
        grab(f"charts-{page}.png")
    charts.show_page("reading")


def _draw_board(window: Window, grab: Grab) -> None:
    board = window.board
    window.show_view("board")
    settle_down(window)
    if board.heroless:
        board.propose()
        settle_down(window)
    board.settle_all()
    settle_down(window, 400)
    if (first := board.settling.first) is not None and first.isVisible():
        first.fix_button.click()
        settle_down(window, 400)
    cell = next((c for c in board.cells.values() if c.rows and len(c.shots) > 2), None)
    if cell is not None:
        board.table.choose([cell.place])
    grab("board.png")
    if cell is None:
        return
    board.list.setCurrentRow(1)
    board.look()
    settle_down(window, 120)
    window.bench.panel.ledger.rows["warmth"].setFocus()
    grab("bench-shot.png")
    _draw_hands(window, grab)


def _draw_hands(window: Window, grab: Grab) -> None:
    """What passes for skin, with a pair that is named; and the same materials."""
    view = window.bench
    production = window.session.production
    shots = [] if production is None else production.all(Shot)
    shoot = window.session.shoot
    there = [s for s in shots if production and _setup(production, s) == "galley"]
    pairs = [(s, at) for s in there if shoot is not None and (at := shoot.moment(s)) is not None]
    shot = next((s for s, at in pairs if at.hero.camera_id != s.camera_id), None)
    if shot is None:
        return
    window.look_beside(shot)
    settle_down(window, 120)
    now = replace(view.state.now, dabs=(_painted(HERO_SKIN), _painted(SHOT_SKIN)))
    view.state.decide("paint skin", now)
    view.refresh()
    view.tools.pairs.pairs = (((0.33, 0.66), (0.37, 0.66)),)
    view.tools.pairs.changed.emit()
    settle_down(window, 120)
    view.tools.choose("materials")
    settle_down(window, 60)
    view.panel.materials.hovered.emit("2")
    grab("bench-materials.png")
    view.tools.choose("")


def _draw_cut(window: Window, grab: Grab) -> None:
    """The cut, measured: the worst jump, and all of it by setup."""
    window.show_view("continuity")
    settle_down(window)
    view = window.views.continuity
    if view.desk.edit is None:
        return
    view.measure()
    settle_down(window, 600)
    view.worst()
    grab("continuity.png")
    view.show_page("sheet")
    view.lay_out()
    grab("continuity-sheet.png")


def _draw_screens(window: Window, grab: Grab) -> None:
    """Other screens, and wrong tags."""
    window.show_view("screens")
    view = window.views.screens
    view.desk.chosen = "telephone"
    for page, name in (("others", "screens.png"), ("tags", "screens-tags.png")):
        view.show_page(page)
        if page == "tags":
            view.desk.chosen = "player-flat"
        settle_down(window, 120)
        view.refresh()
        grab(name)


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


def _draw_levels(window: Window, grab: Grab) -> None:
    """A hero alone, brought to the production's level targets."""
    production = window.session.production
    if production is None:
        return
    setup = next((s for s in production.all(Setup) if s.name == "engine-room"), None)
    hero = hero_of(production, setup)
    if hero is None:
        return
    window.look_beside(hero)
    settle_down(window, 60)
    levels = window.bench.levels
    wait_until(lambda: levels.levelled is not None and levels.idle())
    levels.settle()
    settle_down(window, 60)
    wait_until(levels.idle)
    grab("bench-levels.png")


def _draw_looks(window: Window, folder: Path, grab: Grab) -> None:
    """Three looks over the heroes."""
    if window.session.production is None or not list(folder.glob("references/look.*")):
        return
    window.show_view("look")
    view = window.views.look
    for look in SHOWN_LOOKS:
        view.desk.add(look, "new look")
    view.desk.use(True)
    view.choose(view.desk.held[0].record.id)
    view.show_page("compare")
    wait_until(lambda: view.idle() and len(view.sheet.heads) > 2, 120)
    grab("look-grid.png")


SHOWN_LOOKS = (
    Look(
        "evening",
        curve=ToneCurve((-0.3, -0.2, 0.0, 0.15, -0.2)),
        zones=ZoneGains((-0.05, 0.0, 0.12), (0.0, 0.0, 0.0), (0.08, 0.0, -0.1)),
        clean=(0.6, 0.4),
        vignette=0.3,
    ),
    Look("chalk", curve=ToneCurve((0.5, 0.25, 0.0, -0.2, -0.5)), cdl=Cdl(saturation=0.6), clean=(0.8, 0.6)),
)
"""Invented looks of the demo."""


def wait_until(there: Callable[[], bool], seconds: float = 60) -> None:
    """Let the window work until something holds, or time is up."""
    end = time.monotonic() + seconds
    while not there() and time.monotonic() < end:
        QCoreApplication.processEvents()
        time.sleep(0.01)


def _copied(production: Path) -> Path | None:
    """A copy beside the media, so that drawing the views decides nothing in the person's own file. None where there
    is no production.
    """
    if not production.is_file():
        return None
    first = Production.open(production, read_only=True)
    path = production.with_name("views.aquin")
    first.save_copy(path, force=True)
    first.close()
    return path
