"""The main job through the real window: open the production, choose heroes, settle all, look at one shot, agree,
export.
"""

from collections.abc import Iterator
from dataclasses import replace
from pathlib import Path

import numpy as np
import pytest
from PySide6.QtCore import QCoreApplication, Qt
from PySide6.QtTest import QTest
from test_shots import until

from aquin.desk.app import application, put_away
from aquin.desk.board import cells
from aquin.desk.board.cells import BoardModel
from aquin.desk.kit.pictures import MODES
from aquin.desk.next_step import Open, next_step
from aquin.desk.screenshots import settle_down
from aquin.desk.window import Window
from aquin.exchange import grade_file
from aquin.exchange.proof import prove
from aquin.production import Camera, Grade, Production, Setup, Shot
from aquin.production.grading import held_grade
from desk.pages import do_next, page, shown_window


@pytest.fixture
def window(shoot_copy: Path) -> Iterator[Window]:
    made = shown_window(shoot_copy)
    made.show_view("board")
    until(lambda: bool(made.board.cells), 30)
    yield made
    put_away(made)


def word(window: Window, setup: str, camera: str) -> str:
    return next(
        c.word for c in window.board.cells.values() if (c.setup.name, c.camera.name) == (setup, camera)
    )


def choose(window: Window, setup: str, camera: str) -> None:
    board = window.board
    board.table.choose(
        [p for p, c in board.cells.items() if (c.setup.name, c.camera.name) == (setup, camera)]
    )


def test_the_main_job(window: Window, shoot_copy: Path, tmp_path: Path) -> None:
    board = window.board
    assert word(window, "upper-deck", "Skua") == "not started"
    assert window.next_step() == ("2 setups have no hero: let heroes be proposed", "board.propose")
    do_next(window)
    until(lambda: not board.heroless, 20)
    production = window.productions.current
    assert production is not None and all(s.hero_id for s in production.all(Setup) if s.name != "test-corner")
    # another hero, by hand
    choose(window, "pier", "Heron")
    board.list.setCurrentRow(board.list.count() - 1)
    chosen = board.shot
    board.table.setFocus()
    QTest.keyClick(window, Qt.Key.Key_H)
    assert chosen is not None and production.get(Setup, chosen.setup_id).hero_id == chosen.id
    # settle all
    until(lambda: board.open_count > 0, 20)
    assert window.next_step()[1] == "board.settle_all"
    do_next(window)
    assert not window.foot.next_button.isEnabled() and window.foot.stop_button.isVisible()
    settle_down(window, 240)
    until(lambda: board.open_count == 0, 30)
    assert board.summary is not None and all(c.done for c in board.summary.cells if c.by)
    assert word(window, "upper-deck", "Skua") in ("within", "to look at")
    if board.look_count:
        assert window.next_step()[1] == "board.look" and "to look at" in board.count.text()
    assert "cells are settled" in board.result.text() and board.result.isVisible()
    # look at one shot
    choose(window, "upper-deck", "Skua")
    until(lambda: board.list.count() > 0, 5)
    board.list.setCurrentRow(0)
    shot = board.shot
    assert shot is not None
    board.look()
    settle_down(window, 120)
    assert window.shown == "bench"
    until(lambda: window.state.match is not None, 120)
    settle_down(window, 60)
    assert window.bench.link.shot is not None and window.bench.link.shot.id == shot.id
    assert window.state.grade == held_grade(production, shot)
    rows = {r.axis.name: r for r in window.state.ledger()}
    # the Bench knows what the Board does: from the air, exposure is not known to a tenth of a stop
    assert rows["colour"].within and abs(rows["exposure"].value) < 0.1 and rows["exposure"].doubt > 0
    assert {"sharpness", "noise", "white ceiling"} <= set(rows)
    # agree with it
    window.show_view("board")
    board.agree()
    until(lambda: any(s.agreed for c in board.cells.values() for s in c.shots), 20)
    assert "agreed" in board.list.currentItem().text()
    # export its grade, and read it back with another program
    window.show_view("bench")
    path = tmp_path / "skua.clf"
    page(window).export(path)
    settle_down(window, 60)
    assert path.is_file() and "read back by OpenColorIO" in page(window).panel.export_note.text()
    usual = prove(path, window.state.grade)
    assert (usual.largest if window.state.grade.root is None else usual.usual * 10) < 0.05
    assert callable(grade_file.through_ocio(path))
    window.save()
    again = Production.open(shoot_copy, read_only=True)
    assert [g for g in again.all(Grade) if g.layer == "balance"]
    again.close()


def test_cells_that_change_together_are_drawn_over_several_turns(
    window: Window, monkeypatch: pytest.MonkeyPatch
) -> None:
    """So that no turn of the window's thread grows with the number of cells; until then each shows what it showed."""
    painter = window.board.table.itemDelegate()
    assert isinstance(painter, cells.CellPainter)
    settle_down(window, 60)
    window.board.table.viewport().repaint()
    before = {place: held[1].cacheKey() for place, held in painter._drawn.items()}
    assert len(before) == len(window.board.cells) > 4
    monkeypatch.setattr(cells, "AT_ONCE_S", 0.0)
    QCoreApplication.processEvents()
    for cell in list(window.board.model.cells.values()):
        window.board.model.cells[cell.place] = replace(cell, main="main")

    def anew() -> int:
        return sum(painter._drawn[place][1].cacheKey() != key for place, key in before.items())

    window.board.table.viewport().repaint()
    assert anew() == 1
    until(lambda: anew() == len(before), 20)


def test_nothing_is_called_settled_before_the_board_is_read(window: Window) -> None:
    production = window.session.production
    read = next_step("board", production, ("", ""), Open(board=4))
    assert read[1] == "board.bench" and "All cells are settled" in read[0]
    assert "settled" not in next_step("board", production, ("", ""), Open())[0]
    assert window.views.left().board == len(window.board.cells) > 4


def test_cells_are_reached_by_keyboard_and_said_to_screen_readers(window: Window) -> None:
    table, model = window.board.table, window.board.model
    table.setFocus()
    first = model.index(0, 0)
    table.setCurrentIndex(first)
    QTest.keyClick(table, Qt.Key.Key_Right)
    assert table.currentIndex().column() == 1
    QTest.keyClick(table, Qt.Key.Key_Left, Qt.KeyboardModifier.ShiftModifier)
    assert len(window.board.chosen) == 2
    text = model.data(first, Qt.ItemDataRole.AccessibleTextRole)
    assert text.endswith("not started") or ": " in text
    assert model.data(first, BoardModel.CELL) is not None
    assert window.board.buttons["settle"].isEnabled()
    for button in window.board.buttons.values():
        assert button.toolTip()


def test_a_setup_without_a_hero_is_said_instead_of_settled(window: Window) -> None:
    choose(window, "pier", "Egret")
    window.board.settle_chosen()
    assert "has a hero" in window.message
    assert not any("settling" in t for t in page(window).jobs.titles)


def test_main_hero_and_propagation_from_the_panel(window: Window) -> None:
    board = window.board
    board.propose()
    until(lambda: not board.heroless, 20)
    choose(window, "pier", "Heron")
    until(lambda: board.shot is not None, 5)
    board.make_main()
    until(lambda: any(c.main for c in board.cells.values()), 20)
    production = window.productions.current
    assert production is not None and production.can_undo is not None and "main hero" in production.can_undo
    window.show_view("board")
    QTest.keyClick(window, Qt.Key.Key_Z, Qt.KeyboardModifier.ControlModifier)
    until(lambda: not any(c.main for c in board.cells.values()), 20)


def test_empty_board_says_what_to_do() -> None:
    application()
    made = Window(keep=False)
    made.show()
    made.show_view("board")
    assert "Open a production" in made.board.empty.text() and made.board.empty.isVisible()
    assert not made.board.settle_button.isEnabled()
    put_away(made)


def test_difference_zones_and_scopes(window: Window) -> None:
    """A shot against itself differs by nothing; zones say stops from grey."""
    production = window.productions.current
    assert production is not None
    shot = next(s for s in production.all(Shot) if s.name == "A02_003")
    for role in ("hero", "shot"):
        window.look_at(shot, role)  # type: ignore[arg-type]
    settle_down(window, 60)
    view = page(window)
    assert "difference" in MODES
    view.set_mode("difference")
    settle_down(window, 20)
    assert view.pictures.gaps is not None
    colours = {
        view.pictures.gaps.pixel(x, y) & 0xFFFFFF for x in range(20, 300, 40) for y in range(20, 150, 40)
    }
    assert colours == {0x222222}
    view.set_mode("side")
    QTest.keyClick(window, Qt.Key.Key_Z)
    settle_down(window, 20)
    assert view.zones_button.isChecked() and len(view.pictures.zone_names) == 9
    QTest.keyClick(window, Qt.Key.Key_Z)
    QTest.keyClick(window, Qt.Key.Key_W)
    assert view.waveform.mode == "side by side"
    assert view.tones.shot is not None
    assert view.tones.shot.share[3].sum() == pytest.approx(1, abs=1e-4)
    grabbed = window.grab().toImage()
    assert grabbed.width() >= 1280 and not grabbed.isNull()


def test_an_axis_of_the_picture_is_settled_beside_the_window(window: Window) -> None:
    production = window.productions.current
    assert production is not None
    hero, shot = (next(s for s in production.all(Shot) if s.name == n) for n in ("A02_003", "A02_004"))
    window.look_at(hero, "hero")
    window.look_at(shot, "shot")
    settle_down(window, 120)
    until(lambda: window.state.match is not None, 120)
    settle_down(window, 30)
    before = {r.axis.name: r for r in window.state.ledger()}["white ceiling"]
    page(window).settle("white ceiling")
    settle_down(window, 60)
    after = {r.axis.name: r for r in window.state.ledger()}["white ceiling"]
    assert abs(after.after) <= max(abs(before.after), 0.2)
    page(window).settle("noise")
    assert "only reported" in window.message
    assert np.isfinite(after.after)


def test_sure_faults_are_mended_before_settling(window: Window) -> None:
    board, production = window.board, window.session.production
    assert production is not None
    do_next(window)
    until(lambda: not board.heroless, 20)
    one = next(s for s in production.all(Shot) if s.kind == "shot" and s.codec and not s.encoding)
    wrong = next(c.encoding for c in production.all(Camera) if c.id != one.camera_id and "Log" in c.encoding)
    production.change("spoil", replace(one, encoding=wrong))
    choose(window, next(s.name for s in production.all(Setup) if s.id == one.setup_id), "Egret")
    board.settle_chosen()
    until(lambda: board.settling.first is not None and board.settling.first.isVisible(), 120)
    asked = board.settling.first
    assert asked is not None and one.name in asked.boxes[0].text()
    assert asked.fix_button.isDefault()
    QTest.keyClick(asked, Qt.Key.Key_Escape)
    assert production.get(Shot, one.id).encoding == wrong and board.summary is None
    board.settle_chosen()
    until(lambda: (d := board.settling.first) is not asked and d is not None and d.isVisible(), 60)
    again = board.settling.first
    assert again is not None
    QTest.keyClick(again, Qt.Key.Key_Return)
    until(lambda: board.summary is not None, 240)
    assert production.get(Shot, one.id).encoding == ""
    assert not board.summary.fixes  # type: ignore[union-attr]
    steps = [e.what for e in production.journal(10)]
    assert any(s.startswith("fix: use") for s in steps)
