"""One session: what is decided or chosen in one place counts in every other one."""

import time
from collections.abc import Iterator
from pathlib import Path

import numpy as np
import pytest
from PySide6.QtCore import QEventLoop, Qt, QTimer
from PySide6.QtTest import QTest
from PySide6.QtWidgets import QApplication, QDialog

from aquin.colour.cdl import Cdl
from aquin.desk.app import application, put_away
from aquin.desk.screenshots import settle_down
from aquin.desk.window import Window
from aquin.errors import AquinError
from aquin.own_files import window_settings
from aquin.production import Production, Setup, Shot
from aquin.production.audit import Finding
from aquin.production.audit.finding import Fix
from aquin.production.cells import State, board
from aquin.production.grading import held_grade
from aquin.production.named import named_of, struck_of
from aquin.production.settings import config_of
from desk.pages import page, press, production_of, shown_window, wait_for
from shoots import copy_of, small_film


def opened(path: Path) -> Window:
    made = shown_window(path)
    made.show_view("board")
    wait_for(lambda: bool(made.board.cells), 30)
    settle_down(made, 60)
    return made


@pytest.fixture
def file(settled: Path) -> Path:
    return copy_of(settled)


@pytest.fixture
def window(file: Path) -> Iterator[Window]:
    made = opened(file)
    yield made
    put_away(made)


def test_an_empty_bench_goes_to_the_films_first_shot(window: Window) -> None:
    window.show_view("bench")
    view = page(window)
    assert window.state.empty
    assert "first shot" in view.pictures.messages["hero"] and window.next_step()[1] == "bench.next"
    press(view.pictures, Qt.Key.Key_Period)
    settle_down(window, 60)
    first = window.session.shot
    assert first is not None and window.state.now.shot is not None and window.state.now.hero is not None
    production = production_of(window)
    positions = {s.id: s.position for s in production.all(Setup)}
    placed = [s for s in production.all(Shot) if s.setup_id and window.session.shoot.moment(s) is not None]  # type: ignore[union-attr]
    assert positions[first.setup_id] == min(positions[s.setup_id] for s in placed)
    press(view.pictures, Qt.Key.Key_Period)
    settle_down(window, 60)
    assert window.session.shot is not None and window.session.shot.id != first.id


def within(window: Window) -> Shot:
    """A shot that the Board calls within, no hero."""
    return next(s.shot for c in window.board.cells.values() for s in c.shots if s.state is State.WITHIN)


def other_screen(window: Window) -> tuple[str, str]:
    return next(
        (display, view)
        for display, views in window.session.config.displays()
        for view in views
        if (display, view) != window.session.screen and display != window.session.screen[0]
    )


def grade(window: Window, stops: float) -> None:
    """A decision on the Bench: gain of the shot's grade."""
    state = window.state
    gain = 2.0**stops
    from dataclasses import replace

    state.set_grade(replace(state.grade, trim=Cdl(slope=(gain, gain, gain))), "gain")


# one screen


def test_a_chosen_screen_reaches_every_view(window: Window) -> None:
    shot = within(window)
    window.look_beside(shot)
    window.show_view("charts")
    settle_down(window, 60)
    before = window.bench.seeing.baked
    screen = other_screen(window)
    window.session.set_screen(*screen)
    settle_down(window, 60)
    assert window.bench.seeing.baked is not before
    assert page(window).screen == screen
    for thumbs in (window.shots.thumbs, window.board.thumbs):
        assert thumbs._seen_on == screen
    # the Board measures what is seen: nothing that was measured through another screen counts
    window.show_view("board")
    settle_down(window, 60)
    cells = board(production_of(window), window.session.config, screen)
    known = {s.shot.id: s.state for c in cells.values() for s in c.shots}
    wait_for(lambda: {s.shot.id: s.state for c in window.board.cells.values() for s in c.shots} == known)


def test_thumbnails_are_seen_through_the_chosen_screen(window: Window) -> None:
    shot = within(window)

    def picture() -> np.ndarray:
        wait_for(lambda: window.board.thumbs.get(shot) is not None, 20)
        icon = window.board.thumbs.get(shot)
        assert icon is not None
        image = icon.pixmap(icon.availableSizes()[0]).toImage().convertToFormat(_rgb())
        return np.frombuffer(image.constBits(), np.uint8).reshape(image.height(), -1).copy()

    first = picture()
    assert np.array_equal(first, picture())
    window.session.set_screen(*other_screen(window))
    assert not np.array_equal(first, picture())


def _rgb() -> object:
    from PySide6.QtGui import QImage

    return QImage.Format.Format_RGB888


# one way to make a hero


def test_a_hero_made_in_shots_is_a_hero_made_on_the_board(settled: Path) -> None:
    """The same records, and the same cells afterwards."""
    held = []
    for place in ("shots", "board"):
        made = opened(copy_of(settled))
        shot = within(made)
        if place == "shots":
            made.show_view("shots")
            made.shots.select([shot.id])
            made.shots.make_hero()
        else:
            where = next(p for p, c in made.board.cells.items() if any(s.shot == shot for s in c.shots))
            made.board.table.choose([where])
            cell = made.board.cells[where]
            made.board.list.setCurrentRow([s.shot.id for s in cell.shots].index(shot.id))
            assert made.board.shot == shot
            made.board.make_hero()
        settle_down(made, 60)
        production = production_of(made)
        setup = production.get(Setup, shot.setup_id)
        cells = board(production, config_of(production))
        held.append((setup, {p: (c.state, c.off) for p, c in cells.items()}, production.journal(1)[0].what))
        assert setup.hero_id == shot.id
        put_away(made)
    assert held[0] == held[1]


# one history


def test_undo_takes_back_the_last_decision_wherever_it_is_asked(window: Window) -> None:
    production = production_of(window)
    shot = within(window)
    window.look_beside(shot)
    settle_down(window, 60)
    was = held_grade(production, shot)
    grade(window, 0.5)
    graded = window.state.grade
    assert held_grade(production, shot) == graded != was
    production.change("note", _noted(shot, "after the grade"))
    assert production.get(Shot, shot.id).note == "after the grade"
    # asked on the Bench: the note goes first, the grade stays
    assert window.shown == "bench"
    QTest.keyClick(window, Qt.Key.Key_Z, Qt.KeyboardModifier.ControlModifier)
    assert production.get(Shot, shot.id).note == "" and window.state.grade == graded
    # asked in another view: the grade goes, on the Bench too
    window.show_view("shots")
    QTest.keyClick(window, Qt.Key.Key_Z, Qt.KeyboardModifier.ControlModifier)
    assert held_grade(production, shot) == was and window.state.grade == (was or window.state.grade)
    assert window.state.grade != graded
    for _ in range(2):
        QTest.keyClick(window, Qt.Key.Key_Y, Qt.KeyboardModifier.ControlModifier)
    assert window.state.grade == graded and production.get(Shot, shot.id).note == "after the grade"


def _noted(shot: Shot, words: str) -> Shot:
    from dataclasses import replace

    return replace(shot, note=words)


# coming back


def test_after_a_restart_the_bench_shows_the_shot_it_showed(settled: Path, tmp_path: Path) -> None:
    """By id: renamed meanwhile by another hand, its media moved under another name."""
    path = copy_of(settled)
    application()
    first = Window()
    first.show()
    first.open_production(path)
    production = production_of(first)
    shoot = first.session.shoot
    assert shoot is not None
    shot = next(s for s in production.all(Shot) if (m := shoot.moment(s)) is not None and m.hero.id != s.id)
    first.look_beside(shot)
    settle_down(first, 60)
    first.save()
    put_away(first)
    elsewhere = Production.open(path)
    from dataclasses import replace

    elsewhere.change("rename", replace(elsewhere.get(Shot, shot.id), name="another name"))
    elsewhere.close()
    from aquin.desk.app import _open

    again = Window()
    again.show()
    _open(again, None, None)
    settle_down(again, 60)
    assert again.bench.link.shot is not None and again.bench.link.shot.id == shot.id
    assert again.bench.link.shot.name == "another name"
    assert again.state.grade == (held_grade(production_of(again), shot) or again.state.grade)
    assert window_settings().is_file()
    again.save()
    put_away(again)
    other = small_film(tmp_path)
    other.close()
    for film, same in ((path, True), (other.path, False)):
        again = Window()
        again.show()
        _open(again, film, None)
        settle_down(again, 60)
        assert again.shown == "shots" and again.session.production is not None
        assert (again.bench.link.shot.id if again.bench.link.shot else "") == (shot.id if same else "")
        put_away(again)


# findings


def planted(production: Production, shot: Shot) -> Finding:
    fix = Fix("read it as full range", (("shot", shot.id, {"range": "full"}),))
    found = Finding("range", "error", 0.9, "<b>Skua</b> & co. are read as legal", (shot.id,), fix=fix)
    production.keep_findings({found.key: found.data()})
    return found


@pytest.mark.parametrize("whose", ["shot", "hero"])
def test_an_open_finding_is_shown_with_its_fix_and_never_called_within(window: Window, whose: str) -> None:
    production, shot = production_of(window), within(window)
    shoot = window.session.shoot
    at = shoot.moment(shot) if shoot is not None else None
    assert at is not None
    planted(production, shot if whose == "shot" else at.hero)
    settle_down(window, 60)
    wait_for(lambda: (s := window.session.state_of(shot.id)) is not None and s.state is not State.WITHIN, 20)
    state = window.session.state_of(shot.id)
    assert state is not None and state.state is State.FINDING and "within" not in state.word
    cell = next(c for c in window.board.cells.values() if any(s.shot.id == shot.id for s in c.shots))
    assert cell.findings >= 1 and cell.state is not State.WITHIN
    # the Board's panel says it, in words that fit their button or end in dots and stand in its tooltip
    window.show_view("board")
    window.board.table.choose([cell.place])
    settle_down(window, 60)
    fix = window.board.fix_button
    if whose == "shot":
        row = next(k for k, s in enumerate(cell.shots) if s.shot.id == shot.id)
        window.board.list.setCurrentRow(row)
        assert fix.isVisible() and "full range" in fix.toolTip() and "can be undone" in fix.toolTip()
        assert fix.fontMetrics().horizontalAdvance(fix.text()) <= fix.width() - 12
        assert "And" not in window.board.finding_words.text() or ". And" in window.board.finding_words.text()
    # the Bench says it, as it is written, with the fix beside it
    window.look_beside(shot)
    settle_down(window, 60)
    notice = window.bench.notices.finding
    assert notice.isVisible() and "<b>Skua</b> & co." in notice.words.text()
    button = next(b for b in notice.buttons if "full range" in b.text())
    QTest.mouseClick(button, Qt.MouseButton.LeftButton)
    settle_down(window, 60)
    target = shot if whose == "shot" else at.hero
    assert production.get(Shot, target.id).range == "full"
    window.history.undo()
    assert production.get(Shot, target.id).range == target.range


# a shot nobody knows how to read


def test_a_missing_encoding_is_said_in_place_and_no_dialog_opens(window: Window) -> None:
    from dataclasses import replace

    from aquin.production import Camera

    production, shot = production_of(window), within(window)
    camera = production.get(Camera, shot.camera_id)
    production.change(
        "forget",
        replace(camera, encoding=""),
        *(
            replace(s, encoding="", said_encoding="")
            for s in production.all(Shot)
            if s.camera_id == camera.id
        ),
    )
    settle_down(window, 60)
    window.look_beside(production.get(Shot, shot.id))
    settle_down(window, 30)
    assert QApplication.activeModalWidget() is None
    assert not [d for d in window.findChildren(QDialog) if d.isVisible()]
    notice = window.bench.notices.sides["shot"]
    assert notice.isVisible() and any("ncoding" in b.text() for b in notice.buttons)


# what a person says of a shot


def beside_another_camera(window: Window) -> Shot:
    shoot = window.session.shoot
    assert shoot is not None
    return next(
        s.shot
        for c in window.board.cells.values()
        for s in c.shots
        if (at := shoot.moment(s.shot)) is not None and at.hero.camera_id != s.shot.camera_id and s.rows
    )


def test_materials_are_outlined_struck_and_taken_back(window: Window) -> None:
    """By keys alone: T, the list, Enter; and Ctrl+Z takes it back wherever it is asked."""
    production, shot = production_of(window), beside_another_camera(window)
    window.look_beside(shot)
    settle_down(window, 60)
    press(window, Qt.Key.Key_T)
    hand, listed = page(window).tools.materials, page(window).panel.materials
    wait_for(lambda: hand.found is not None and listed.count() > 2, 30)
    assert hand.found is not None and page(window).panel.sections["materials"].isVisible()
    assert all(m.outlines[0] and m.outlines[1] for m in hand.found.materials[:2])
    listed.setFocus()
    listed.setCurrentRow(0)
    press(listed, Qt.Key.Key_Down)
    assert hand.over == 2
    said = {r.axis.name: (r.beside, r.doubt) for r in window.state.ledger()}
    press(listed, Qt.Key.Key_Return)
    settle_down(window, 60)
    assert len(struck_of(production, shot)) == 1 and window.state.now.struck == struck_of(production, shot)
    assert hand.found is not None and sum(m.struck for m in hand.found.materials) == 1
    assert {r.axis.name: (r.beside, r.doubt) for r in window.state.ledger()} != said
    window.history.undo()
    settle_down(window, 60)
    assert not struck_of(production, shot) and not window.state.now.struck
    assert not any(m.struck for m in hand.found.materials)
    press(window, Qt.Key.Key_T)
    assert not page(window).panel.sections["materials"].isVisible()


def test_a_pair_that_is_named_counts_on_board_and_bench_and_stays(window: Window, file: Path) -> None:
    """It is what the Board asks for where a shot is in doubt; it is there again after a restart."""
    production, shot = production_of(window), beside_another_camera(window)
    window.look_beside(shot)
    settle_down(window, 60)
    pairs = (((0.5, 0.5), (0.5, 0.5)), ((0.3, 0.6), (0.4, 0.6)))
    page(window).tools.pairs.pairs = pairs
    page(window).tools.pairs.changed.emit()
    settle_down(window, 60)
    assert [n.places for n in named_of(production, shot)] == list(pairs)
    assert window.state.given is not None and window.state.given.beside is not None
    assert "what was named" in window.state.given.beside.by
    assert window.state.match is not None and window.state.match.by.startswith(
        "chart"
    )  # it is not thrown away
    window.step_shot(1)
    settle_down(window, 60)
    assert window.state.now.pairs != pairs
    window.look_beside(shot)
    settle_down(window, 60)
    assert window.state.now.pairs == pairs
    window.history.undo()
    settle_down(window, 60)
    assert not named_of(production, shot) and not window.state.now.pairs


def test_pairs_that_cant_be_kept_stay_on_the_bench(window: Window, monkeypatch: pytest.MonkeyPatch) -> None:
    """A full disk is told, and nothing is taken from under the hand."""
    production, shot = production_of(window), beside_another_camera(window)
    window.look_beside(shot)
    settle_down(window, 60)

    def full(*_: object, **__: object) -> None:
        raise AquinError("the change was not saved (the disk is full)", None, "Make room")

    with monkeypatch.context() as patch:
        patch.setattr(type(production), "change", full)
        pairs = (((0.5, 0.5), (0.5, 0.5)),)
        page(window).tools.pairs.pairs = pairs
        page(window).tools.pairs.changed.emit()
        assert "not saved" in window.message
        settle_down(window, 60)
        page(window).refresh()
        window.session.changed.emit()
        settle_down(window, 60)
    assert window.state.now.pairs == pairs and not named_of(production, shot)


# stepping


def test_stepping_shows_at_once_what_the_board_knows(window: Window) -> None:
    """Ledger and stand-in pictures are there before any frame is read, and the pictures soon after."""
    production, shot = production_of(window), within(window)
    setup = [s for s in production.all(Shot) if s.setup_id == shot.setup_id and s.kind == "shot"]
    assert len(setup) > 1
    window.look_beside(shot)
    settle_down(window, 60)
    shown, times = 0, []
    for by in (1, 1, -1, -1, 1, -1):
        before = window.bench.link.shot
        began = time.thread_time()  # what the thread works itself: other programs' load can't fail it
        window.step_shot(by)
        times.append(time.thread_time() - began)
        now = window.bench.link.shot
        if now is None or now == before:
            continue
        known = window.session.state_of(now.id)
        assert known is not None
        assert {r.axis.name: r.after for r in window.state.ledger()} == {
            r.axis.name: r.after for r in known.rows
        }
        shown += bool(known.rows)
        _events(0.4)
    assert shown and sorted(times)[len(times) // 2] < 0.1  # one of them may meet other work of the machine
    settle_down(window, 60)


def _events(seconds: float) -> None:
    loop = QEventLoop()
    QTimer.singleShot(int(seconds * 1000), loop.quit)
    loop.exec()


def test_nothing_of_the_shot_before_speaks_for_files_that_are_opened(window: Window, demo: Path) -> None:
    """Two charts were matched by what the production knew of another shot."""
    window.look_beside(within(window))
    settle_down(window, 60)
    assert window.state.given is not None
    assert window.open_session(demo / "ferry.json")
    assert window.state.given is None and window.state.match is None and not window.state.known.rows
    settle_down(window, 120)
    assert window.state.given is None
    assert window.state.match is not None and window.state.match.by == "chart"
