"""Drawing the main views into files, from the demo's own data."""

import tempfile
import time
from collections.abc import Callable
from dataclasses import replace
from pathlib import Path

import numpy as np
from PySide6.QtCore import QCoreApplication, QEventLoop, QTimer

from aquin.colour.cdl import Cdl
from aquin.colour.grade import Balance, Grade
from aquin.colour.tone_curve import ToneCurve
from aquin.colour.zones import ZoneGains
from aquin.desk.app import application, put_away
from aquin.desk.window import Window
from aquin.exchange import picture
from aquin.jobs.release_contents import Wish
from aquin.look.look import Look
from aquin.production import Production, Setup, Shot
from aquin.production.grading import held_grade, keep_grade
from aquin.production.heroes import hero_of
from aquin.release.manifest import read_manifest
from aquin.release.routes import pixels

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
        _draw_release(window, grab)
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
            grab("charts-latitude.png")
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


def _draw_cut(window: Window, grab: Grab) -> None:
    """The cut, measured: the worst jump."""
    window.show_view("continuity")
    settle_down(window)
    view = window.views.continuity
    if view.desk.edit is None:
        return
    view.measure()
    settle_down(window, 600)
    view.worst()
    grab("continuity.png")


def _draw_screens(window: Window, grab: Grab) -> None:
    """Other screens."""
    window.show_view("screens")
    view = window.views.screens
    view.desk.chosen = "telephone"
    view.show_page("others")
    settle_down(window, 120)
    view.refresh()
    grab("screens.png")


def _draw_release(window: Window, grab: Grab) -> None:
    """A release that is verified, a picture that went wrong elsewhere, what changed since, and the journal."""
    production, config = window.session.production, window.session.config
    window.show_view("release")
    view = window.views.release
    settle_down(window, 60)
    going = [r for r in view.desk.going if r.state != "hero"] or view.desk.going
    if production is None or not going:
        return
    with tempfile.TemporaryDirectory() as kept:
        out = Path(kept) / f"{production.name.lower().replace(' ', '-')}-release-1"
        view.doings.release(out, Wish(formats=("cc", "clf"), note="for the mix"), None)
        wait_until(lambda: view.desk.verified is not None and not window.jobs.titles, 900)
        grab("release.png")
        shot = production.get(Shot, going[len(going) // 2].id)
        stem = next(s["stem"] for s in read_manifest(out)[0].shots if s["id"] == shot.id)
        right = np.clip(pixels(out / "check" / f"{stem}-screen.exr"), 0, 1)
        picture.write(Path(kept) / f"grab of {shot.name}.png", right ** (2.2 / 2.4))
        view.doings.take_picture(Path(kept) / f"grab of {shot.name}.png")
        wait_until(lambda: view.desk.told is not None and not window.jobs.titles, 60)
        grab("release-picture.png")
        for row, stops in zip(going[:3], (0.3, -0.2, 0.15), strict=False):
            held = production.get(Shot, row.id)
            grade = held_grade(production, held) or Grade()
            moved = replace(grade, balance=Balance(grade.balance.stops + stops, grade.balance.gains))
            keep_grade(production, config, held, moved, "by hand")
        window.session.touch()
        view.doings.compare()
        wait_until(lambda: view.desk.compared is not None and not window.jobs.titles, 60)
        grab("release-changes.png")
    window.show_view("journal")
    settle_down(window, 60)
    grab("journal.png")


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
