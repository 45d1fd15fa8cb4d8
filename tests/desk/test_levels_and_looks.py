"""Levels on the Bench and the Look view, by hand: settle a hero to targets, switch a look on, see it, take one from a
still.
"""

from collections.abc import Iterator
from pathlib import Path

import numpy as np
import pytest
from PySide6.QtCore import QPointF, Qt
from PySide6.QtTest import QTest

from aquin.desk.window import Window
from aquin.look.look import Look
from aquin.production import Production, Setup, Shot
from aquin.production.grading import held_grade
from aquin.production.heroes import hero_of
from aquin.production.looks import look_for
from desk.pages import a_window, press, production_of, wait_for
from shoots import copy_of


@pytest.fixture
def window(settled: Path, tmp_path: Path) -> Iterator[Window]:
    path = settled.with_name(f"{tmp_path.name}.aquin")
    copy_of(settled, path)
    with a_window(path) as made:
        yield made


def hero_in(production: Production, name: str) -> Shot:
    found = hero_of(production, next(s for s in production.all(Setup) if s.name == name))
    assert found is not None
    return found


def alone(window: Window) -> Shot:
    """The pier's hero alone on the Bench, measured against targets."""
    hero = hero_in(production_of(window), "pier")
    window.look_beside(hero)
    levels = window.bench.levels
    wait_for(lambda: levels.levelled is not None and levels.idle(), 60)
    return hero


def test_a_hero_alone_is_settled_to_targets_and_taken_back(window: Window) -> None:
    hero, bench = alone(window), window.bench
    production = production_of(window)
    assert bench.panel.by_targets
    assert bench.pictures.cell("hero").width() > 3 * bench.pictures.cell("shot").width()
    shown = bench.panel.levels.ledger
    assert "black floor" in [n for n, r in shown.rows.items() if not r.isHidden()]
    before = held_grade(production, hero)
    bench.panel.levels.schools.setCurrentIndex(2)
    bench.panel.levels.schools.activated.emit(2)
    wait_for(lambda: bench.levels.targets.school == "dark" and bench.levels.idle(), 30)
    press(bench.pictures, Qt.Key.Key_S, Qt.KeyboardModifier.ShiftModifier)
    wait_for(lambda: held_grade(production, hero) != before, 60)
    assert "go along" in window.message
    wait_for(bench.levels.idle, 30)
    assert bench.state.hero_grade == held_grade(production, hero)
    assert bench.panel.stack.grade == bench.state.hero_grade
    window.commands.run("app.undo")
    wait_for(lambda: held_grade(production, hero) == before, 10)
    press(bench.pictures, Qt.Key.Key_E)
    assert not bench.panel.by_targets


def test_levels_follow_a_view_that_is_ready_after_the_picture(window: Window) -> None:
    alone(window)
    levels, seeing = window.bench.levels, window.bench.seeing
    seeing.baked = None
    levels.look()
    assert levels.levelled is None
    seeing.bake()
    wait_for(lambda: levels.levelled is not None and levels.idle(), 30)


def test_something_neutral_is_pointed_at_and_a_number_is_typed(window: Window) -> None:
    hero, bench = alone(window), window.bench
    production = production_of(window)
    bench.tools.toggle("neutral")
    area = bench.pictures.area("hero")
    QTest.mouseClick(
        bench.pictures,
        Qt.MouseButton.LeftButton,
        pos=QPointF(area.left() + 0.5 * area.width(), area.top() + 0.3 * area.height()).toPoint(),
    )
    wait_for(lambda: bench.levels.levelled is not None and bench.levels.levelled.by == "a named neutral", 30)
    assert "named neutral" in bench.panel.levels.notes.text()
    number = bench.panel.stack.numbers["lights mired"]
    number.set_value(-6.0)
    wait_for(lambda: (g := held_grade(production, hero)) is not None and g.zones is not None, 10)


def test_a_look_is_switched_on_seen_and_never_measured_through(window: Window) -> None:
    production = production_of(window)
    window.show_view("look")
    view = window.views.look
    assert not view.empty.isHidden()
    assert window.next_step()[1] == "look.still"
    window.commands.run("look.new")
    wait_for(lambda: bool(view.desk.held), 10)
    view.parts.numbers["shadows mired"].set_value(-15.0)
    view.parts.numbers["saturation"].set_value(0.6)
    look = view.desk.look
    assert look is not None
    assert look.cdl.saturation == 0.6
    assert look.zones is not None
    wait_for(lambda: bool(view.sheet.cells) and view.idle(), 60)
    press(view, Qt.Key.Key_L, Qt.KeyboardModifier.ShiftModifier)
    assert look_for(production, window.session.config, "") == look
    window.commands.run("look.compare")
    wait_for(lambda: view.idle() and len(view.sheet.heads) == 2, 60)
    assert "costs" in view.sheet.cells[-1].below
    # on the Bench it is off until it is asked for, and numbers leave it out
    alone(window)
    bench = window.bench
    rows = [r.after for r in bench.levels.levelled.rows]  # type: ignore[union-attr]
    wait_for(lambda: bench.pictures.images["hero"] is not None, 30)
    plain = np.array(bench.pictures.images["hero"].pixels)  # type: ignore[union-attr]
    press(bench.pictures, Qt.Key.Key_L)
    wait_for(lambda: bench.seeing.looked is not None and bench.seeing.idle(), 60)
    seen = np.array(bench.pictures.images["hero"].pixels)  # type: ignore[union-attr]
    assert np.abs(seen.astype(int) - plain.astype(int)).mean() > 2
    wait_for(bench.levels.idle, 30)
    assert [r.after for r in bench.levels.levelled.rows] == rows  # type: ignore[union-attr]
    press(bench.pictures, Qt.Key.Key_L)
    wait_for(lambda: bench.seeing.looked is None, 10)


def test_a_still_is_taken_apart_in_the_view(window: Window, tmp_path: Path) -> None:
    from aquin.jobs.look_work import Asked
    from aquin.jobs.render_frame import Target, render_shot

    production, config = production_of(window), window.session.config
    hero = hero_in(production, "pier")
    render_shot(
        production, config, hero, Target(tmp_path / "still.tif"), look=Look("x", colour=0.3, strength=1.0)
    )
    window.show_view("look")
    view = window.views.look
    view.dialogs.take_apart(Asked(tmp_path / "still.tif", "display", bold=True))
    wait_for(lambda: view.desk.dissected is not None, 120)
    assert view.page == "apart"
    assert view.apart.accessibleDescription().startswith("suits")
    assert view.apart.still is not None and view.apart.shot is not None
    assert view.desk.held
    assert not view.desk.held[0].record.on
    held = len(view.desk.held)
    window.commands.run("app.undo")
    assert len(view.desk.held) == held - 1
    first = view.desk.dissected
    assert len(first.by_shot) > 1 and first.best[0] == hero.name  # made of it
    assert view.again.bold.isHidden() and hero.name in view.again.alone.text()
    QTest.mouseClick(view.again.alone, Qt.MouseButton.LeftButton)
    wait_for(lambda: view.desk.dissected is not first, 120)
    alone = view.desk.dissected
    assert [name for name, _ in alone.by_shot] == [hero.name] and alone.asked.bold
    assert alone.score > first.score and view.again.isHidden()
    window.commands.run("app.undo")


def test_the_board_levels_the_heroes_of_its_cells(window: Window) -> None:
    production = production_of(window)
    window.show_view("board")
    wait_for(lambda: bool(window.board.cells), 30)
    hero = hero_in(production, "pier")
    before = held_grade(production, hero)
    window.board.table.choose([p for p, c in window.board.cells.items() if c.setup.name == "pier"])
    window.commands.run("board.level")
    wait_for(lambda: held_grade(production, hero) != before, 60)
    wait_for(lambda: hero.name in window.message, 30)
