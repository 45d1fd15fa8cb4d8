"""What hands do on the Bench's pictures: enlarge, areas, regions, skin, pairs, playback; and notes, tolerances,
history.
"""

from collections.abc import Iterator
from pathlib import Path

import numpy as np
import pytest
from PySide6.QtCore import QEventLoop, QPoint, QPointF, Qt, QTimer
from PySide6.QtGui import QWheelEvent
from PySide6.QtTest import QTest
from PySide6.QtWidgets import QApplication

from aquin.colour.region import WHOLE
from aquin.desk.app import put_away
from aquin.desk.bench.hands import AreaHand
from aquin.desk.bench.session_file import read_session, write_session
from aquin.desk.screenshots import settle_down
from aquin.desk.window import Window
from aquin.frames import open_source
from aquin.jobs.load_side import Role
from aquin.jobs.shown_shot import neighbour
from aquin.production import Event, Production, Shot
from aquin.production.cells import tolerances_of
from aquin.production.grading import held_grade
from desk.pages import page, shown_window

LEFT = Qt.MouseButton.LeftButton


@pytest.fixture(scope="module")
def solved(pair: tuple[Path, Path]) -> Iterator[Window]:
    made = shown_window(keep=False)
    for role, path in zip(("hero", "shot"), pair, strict=True):
        page(made).files.open_file(role, str(path), "ACEScg")  # type: ignore[arg-type]
    settle_down(made)
    assert made.state.match is not None and made.state.match.by == "points"
    made.first = (made.state.now, made.state.match)  # type: ignore[attr-defined]
    yield made
    put_away(made)


@pytest.fixture
def window(solved: Window) -> Window:
    """The window with both files open and solved, as nobody had touched it."""
    bench, view = solved.state, page(solved)
    page(solved).jobs.cancel_all()
    bench.now, bench.match = solved.first  # type: ignore[attr-defined]
    bench.past.clear()
    bench.strength, bench.tolerances = 1.0, {}
    view.tools.choose("")
    view.tools.area.areas.clear()
    view.set_mode("side")
    view.pictures.set_zoom(1.0)
    view.refresh()
    settle_down(solved)
    return solved


def spot(window: Window, role: Role, x: float, y: float) -> QPoint:
    return page(window).pictures.from_share(role, x, y).toPoint()


def drag(
    window: Window, role: Role, a: tuple[float, float], b: tuple[float, float], button: Qt.MouseButton = LEFT
) -> None:
    pictures = page(window).pictures
    QTest.mousePress(pictures, button, pos=spot(window, role, *a))
    for share in (0.3, 0.7, 1.0):
        at = (a[0] + share * (b[0] - a[0]), a[1] + share * (b[1] - a[1]))
        QTest.mouseMove(pictures, spot(window, role, *at))
    QTest.mouseRelease(pictures, button, pos=spot(window, role, *b))


def pixels(window: Window, role: Role) -> np.ndarray:
    image = page(window).pictures.images[role]
    assert image is not None
    return np.array(image.constBits()).reshape(image.height(), -1, 4)[:, : image.width(), 2::-1].astype(float)


def test_escape_puts_a_tool_down(window: Window) -> None:
    tools = page(window).tools
    for key, name in ((Qt.Key.Key_J, "pairs"), (Qt.Key.Key_T, "materials"), (Qt.Key.Key_R, "regions")):
        QTest.keyClick(page(window).pictures, key)
        settle_down(window, 60)
        assert tools.chosen == name
        QTest.keyClick(page(window).pictures, Qt.Key.Key_Escape)
        assert tools.chosen == "" and not tools.buttons[name].isChecked()


def test_the_ledger_by_arrow_keys_while_the_pictures_have_the_keyboard(window: Window) -> None:
    view, pictures = page(window), page(window).pictures
    view.pictures.setFocus()
    ledger, stack = view.ledger, view.stack
    ledger.choose("exposure")
    before = {row.axis.name: row.value for row in view.state.ledger()}
    stops, steps = stack.numbers["stops"], len(view.state.past)
    was = stops.value
    for _ in range(3):  # a key that is held is one step
        QTest.keyPress(pictures, Qt.Key.Key_Right)
    QTest.keyRelease(pictures, Qt.Key.Key_Right)
    assert abs(stops.value - was - 3 * stops.step) < 1e-6 and len(view.state.past) == steps + 1
    for axis, by in (("warmth", 10), ("tint", 1), ("saturation", 1)):
        while ledger.selected != axis:
            QTest.keyClick(pictures, Qt.Key.Key_Down)
        number = stack.numbers[{"warmth": "mired", "tint": "duv"}.get(axis, axis)]
        was = number.value
        if by == 10:
            QTest.keyClick(pictures, Qt.Key.Key_Right, Qt.KeyboardModifier.ShiftModifier)
        else:
            QTest.keyClick(pictures, Qt.Key.Key_Right)
        assert abs(number.value - was - by * number.step) < 1e-6
    settle_down(window)
    after = {row.axis.name: row.value for row in view.state.ledger()}
    for axis in ("exposure", "warmth", "tint", "saturation"):  # right is more of what the row tells
        assert after[axis] > before[axis], axis
    assert len(view.state.past) == steps + 4
    for _ in range(20):
        QTest.keyClick(pictures, Qt.Key.Key_Up)
    assert ledger.selected == "exposure"
    while ledger.selected != "noise":
        QTest.keyClick(pictures, Qt.Key.Key_Down)
    held = view.state.grade
    QTest.keyClick(pictures, Qt.Key.Key_Left)  # nothing moves noise
    assert view.state.grade == held
    view.set_mode("seam")
    seam = list(pictures.seam)
    QTest.keyClick(pictures, Qt.Key.Key_Right)
    assert pictures.seam != seam and view.state.grade == held  # the seam has them first


def test_both_pictures_are_enlarged_about_the_pointer_and_moved_together(window: Window) -> None:
    pictures = page(window).pictures
    at = QPointF(spot(window, "shot", 0.25, 0.25))
    wheel = QWheelEvent(
        at,
        pictures.mapToGlobal(at),
        QPoint(),
        QPoint(0, 480),
        Qt.MouseButton.NoButton,
        Qt.KeyboardModifier.NoModifier,
        Qt.ScrollPhase.NoScrollPhase,
        False,
    )
    whole = pixels(window, "shot")
    QApplication.sendEvent(pictures, wheel)
    assert pictures.zoom == pytest.approx(1.25**4)
    assert pictures.from_share("shot", 0.25, 0.25).toPoint() - at.toPoint() in [
        QPoint(x, y) for x in (-1, 0, 1) for y in (-1, 0, 1)
    ]
    settle_down(window)
    part = pictures.parts["shot"]
    assert part != WHOLE and pictures.parts["hero"] != WHOLE
    h, w = whole.shape[:2]
    y0, y1, x0, x1 = (round(v) for v in (part[1] * h, part[3] * h, part[0] * w, part[2] * w))
    assert np.abs(pixels(window, "shot").mean(axis=(0, 1)) - whole[y0:y1, x0:x1].mean(axis=(0, 1))).max() < 3
    before = pictures.centre
    QTest.keyClick(pictures, Qt.Key.Key_Right, Qt.KeyboardModifier.ControlModifier)
    assert pictures.centre[0] > before[0]
    drag(window, "shot", (0.3, 0.3), (0.35, 0.3), Qt.MouseButton.MiddleButton)
    QTest.keyClick(window, Qt.Key.Key_F)
    settle_down(window)
    assert pictures.zoom == 1.0 and pictures.part_seen("shot") == WHOLE
    QTest.keyClick(pictures, Qt.Key.Key_Plus)
    assert pictures.zoom == pytest.approx(1.25)


def test_scopes_look_at_a_drawn_area_only(window: Window) -> None:
    view, tools = page(window), page(window).tools
    QTest.keyClick(window, Qt.Key.Key_A)
    assert tools.chosen == "area" and tools.clear_button.isVisible()
    hero_before = view.seeing.scoped["hero"].signal
    drag(window, "shot", (0.1, 0.2), (0.4, 0.6))
    settle_down(window)
    assert (
        tools.area.of("shot") == pytest.approx((0.1, 0.2, 0.4, 0.6), abs=0.01)
        and tools.area.of("hero") == WHOLE
    )
    shown = pixels(window, "shot") / 255
    h, w = shown.shape[:2]
    inside = shown[round(0.2 * h) : round(0.6 * h), round(0.1 * w) : round(0.4 * w)]
    assert view.seeing.scoped["shot"].signal.mean(axis=(0, 1)) == pytest.approx(
        inside.mean(axis=(0, 1)), abs=0.02
    )
    assert view.seeing.scoped["hero"].signal is hero_before
    QTest.mouseClick(view.pictures, LEFT, pos=spot(window, "shot", 0.5, 0.5))  # a click: the whole again
    assert tools.area.of("shot") == WHOLE
    # the same by keys: N, arrows, Enter
    view.pictures.setFocus()
    view.pictures.at_ = ("shot", 0.2, 0.2)
    QTest.keyClick(view.pictures, Qt.Key.Key_Return)
    for key in (Qt.Key.Key_Right, Qt.Key.Key_Down):
        for _ in range(8):
            QTest.keyClick(view.pictures, key, Qt.KeyboardModifier.ShiftModifier)
    QTest.keyClick(view.pictures, Qt.Key.Key_Return)
    left, top, right, bottom = tools.area.of("shot")
    assert left == pytest.approx(0.2) and right > 0.4 and bottom > 0.4 and top == pytest.approx(0.2)
    tools.clear()
    assert not tools.area.areas
    assert isinstance(view.pictures.hand, AreaHand)
    QTest.keyClick(window, Qt.Key.Key_A)
    assert not tools.chosen and not tools.clear_button.isVisible()


def test_a_region_is_drawn_moved_typed_and_undone(window: Window) -> None:
    view, regions = page(window), page(window).panel.regions
    QTest.keyClick(window, Qt.Key.Key_R)
    assert view.tools.chosen == "regions" and len(window.state.grade.regions) == 1
    before = pixels(window, "shot")
    regions.numbers["trim", "stops"].set_value(1.0)
    settle_down(window)
    after = pixels(window, "shot")
    h, w = after.shape[:2]
    assert after[h // 2, w // 2].mean() > before[h // 2, w // 2].mean() + 15
    assert np.abs(after[: h // 8] - before[: h // 8]).max() < 2
    drag(window, "shot", (0.5, 0.5), (0.2, 0.3))
    made = window.state.grade.regions[0].ellipse
    assert made is not None and (made.x, made.y) == pytest.approx((0.2, 0.3), abs=0.01)
    wide, _ = view.tools.region._ends(made)
    drag(window, "shot", wide, (wide[0] + 0.1, wide[1]))
    wider = window.state.grade.regions[0].ellipse
    assert wider is not None and wider.wide == pytest.approx(made.wide + 0.1, abs=0.01)
    assert window.state.can_undo == "move a region"
    view.undo()
    assert window.state.grade.regions[0].ellipse == made
    regions.numbers["ellipse", "feather"].set_value(10.0)
    assert window.state.grade.regions[0].ellipse.feather == pytest.approx(0.1)  # type: ignore[union-attr]
    # what is taken leaves regions as they are; a CDL says that it can't hold them
    view.settle_all()
    assert len(window.state.grade.regions) == 1
    regions.buttons["outside"].click()
    assert window.state.grade.regions[0].outside
    regions.buttons["on"].click()
    assert not window.state.grade.by_place
    regions.buttons["remove"].click()
    assert not window.state.grade.regions and not regions.body.isVisible()


def test_a_key_takes_the_colour_under_the_hand(window: Window) -> None:
    view, regions = page(window), page(window).panel.regions
    regions.add("key")
    view.tools.choose("regions")
    view.settle_all()
    QTest.mouseClick(view.pictures, LEFT, pos=spot(window, "shot", 0.3, 0.45))
    first = window.state.grade.regions[0].key
    QTest.mouseClick(view.pictures, LEFT, pos=spot(window, "shot", 0.75, 0.8))
    other = window.state.grade.regions[0].key
    assert first is not None and other is not None and first != other
    assert first.high - first.low == pytest.approx(4.0) and first.low < 8
    regions.numbers["key", "low"].set_value(99.0)  # above its highest: held at the limit, or refused
    held = window.state.grade.regions[0].key
    assert held is not None and held.low < held.high
    regions.buttons["also a key"].click()
    assert window.state.grade.regions[0].ellipse is not None


def test_named_pairs_count_in_the_match_and_are_kept(window: Window, tmp_path: Path) -> None:
    view, pictures = page(window), page(window).pictures
    QTest.keyClick(window, Qt.Key.Key_J)
    for hero, shot in (((0.30, 0.30), (0.27, 0.30)), ((0.62, 0.72), (0.58, 0.72))):
        QTest.mouseClick(pictures, LEFT, pos=spot(window, "hero", *hero))
        assert "Now click" in view.tools.pairs.hint
        QTest.mouseClick(pictures, LEFT, pos=spot(window, "shot", *shot))
    settle_down(window)
    assert window.state.match is not None and window.state.match.by == "pairs+points"
    assert len(window.state.now.pairs) == 2 and view.tools.buttons["pairs"].text() == "pairs 2"
    write_session(tmp_path / "last.json", window.state.config, window.state.now)
    assert read_session(tmp_path / "last.json")[1].pairs == window.state.now.pairs
    QTest.mouseClick(pictures, LEFT, pos=spot(window, "shot", 0.58, 0.72))  # on its mark: away
    assert len(window.state.now.pairs) == 1
    view.undo()
    settle_down(window)
    assert len(window.state.now.pairs) == 2 and view.tools.pairs.pairs == window.state.now.pairs
    view.tools.clear()
    settle_down(window)
    assert not window.state.now.pairs and window.state.match.by == "points"


def test_painted_skin_is_measured_solved_for_and_kept(window: Window, tmp_path: Path) -> None:
    view = page(window)
    QTest.keyClick(window, Qt.Key.Key_M)
    assert view.tools.brush.isVisible() and view.tools.faces_button.isVisible()
    view.tools.brush.set_value(6.0)
    for role, at in (("hero", (0.3, 0.4)), ("shot", (0.27, 0.4))):
        drag(window, role, at, (at[0] + 0.1, at[1] + 0.1))  # type: ignore[arg-type]
    settle_down(window)
    dabs = window.state.now.dabs
    assert dabs[0] and dabs[1] and all(d.radius == pytest.approx(0.06) for d in dabs[0])
    assert view.tools.skin.masks["hero"] is not None
    rows = {r.axis.name: r for r in window.state.ledger()}
    assert {"skin hue", "skin level"} <= set(rows)
    match = window.state.match
    assert match is not None and match.other and ("skin", "cdl") in match.on_skin
    texts = [view.alternatives.item(k).text() for k in range(view.alternatives.count())]
    assert any(t.startswith("CDL for skin") and "on skin" in t for t in texts)
    view.take("cdl@skin")
    assert window.state.grade == match.solution("cdl", "skin").grade
    write_session(tmp_path / "last.json", window.state.config, window.state.now)
    read = read_session(tmp_path / "last.json")[1].dabs
    assert [[len(side)] for side in read] == [[len(side)] for side in dabs]
    assert (read[0][0].x, read[0][0].y) == pytest.approx((dabs[0][0].x, dabs[0][0].y), abs=1e-3)
    drag(window, "shot", (0.27, 0.4), (0.37, 0.5), Qt.MouseButton.RightButton)  # takes away
    assert not window.state.now.dabs[1][-1].add
    view.tools.clear()
    assert window.state.now.dabs == ((), ())


def test_strength_and_the_second_pass(window: Window) -> None:
    view = page(window)
    match = window.state.match
    assert match is not None
    view.panel.strength.set_value(50.0)
    view.take("cdl")
    whole = match.solution("cdl", "frame").grade
    assert window.state.grade == whole.at_strength(0.5)
    view.panel.strength.set_value(100.0)
    view.take("gains")
    before = window.state.ledger()
    view.panel.again_button.click()
    settle_down(window)
    made = window.state.grade
    if made.curve is None and made.warp is None:
        assert "finds nothing" in window.message
    else:
        rows = {r.axis.name: r.after for r in before}
        assert {r.axis.name: r.after for r in window.state.ledger()}["colour"] < rows["colour"]


def test_history_of_a_session_shows_each_grade_and_brings_one_back(window: Window) -> None:
    view = page(window)
    view.settle_all()
    settled = window.state.grade
    view.stack.numbers["stops"].set_value(settled.balance.stops + 1.0)
    dialog = window.bench.link.show_history()
    assert dialog is not None and dialog.table.rowCount() == 3
    assert (
        dialog.table.item(0, 2).text() == "change balance exposure"
        and dialog.table.item(2, 2).text() == "as filmed"
    )
    headings = [dialog.table.horizontalHeaderItem(k).text() for k in range(dialog.table.columnCount())]
    column = next(k for k, t in enumerate(headings) if t.startswith("exposure"))
    assert float(dialog.table.item(0, column).text().replace("−", "-")) == pytest.approx(1.0, abs=0.15)
    assert dialog.table.item(0, column).font().bold() or dialog.table.item(0, column).font().weight() > 500
    dialog.table.selectRow(1)
    dialog.take_button.click()
    assert window.state.grade == settled


def test_tolerances_of_a_session_are_typed(window: Window) -> None:
    dialog = window.bench.link.ask_tolerances()
    dialog.numbers["colour"].set_value(9.0)  # type: ignore[attr-defined]
    dialog._keep()  # type: ignore[attr-defined]
    assert window.state.tolerances["colour"] == 9.0
    assert next(r for r in window.state.ledger() if r.axis.name == "colour").axis.tolerance == 9.0


def wait(window: Window, condition: object, seconds: float = 20.0) -> None:
    assert callable(condition)
    loop, steps = QEventLoop(), int(seconds * 20)
    while not condition() and steps:
        QTimer.singleShot(50, loop.quit)
        loop.exec()
        steps -= 1
    assert condition()


@pytest.fixture
def film(shoot_copy: Path) -> Iterator[Window]:
    """The window on a filmed production, one shot beside its hero."""
    production = Production.open(shoot_copy)
    from aquin.production.heroes import take_proposed

    take_proposed(production)
    production.close()
    made = shown_window(shoot_copy)
    current = made.productions.current
    assert current is not None
    shoot = made.session.shoot
    assert shoot is not None
    shot = next(s for s in current.all(Shot) if shoot.moment(s) is not None)
    made.look_beside(shot)
    settle_down(made, 120)
    assert made.bench.link.shot == shot
    yield made
    put_away(made)


def test_shots_one_after_the_other_with_notes_and_agreement(film: Window) -> None:
    production, link = film.productions.current, film.bench.link
    assert production is not None
    shot = link.shot
    assert shot is not None
    # a note
    note = page(film).panel.note
    assert note.isEnabled()
    note.setFocus()
    QTest.keyClicks(note, "sun comes out at the end")
    page(film).pictures.setFocus()
    note.written.emit(note.toPlainText()) if production.get(Shot, shot.id).note == "" else None
    assert production.get(Shot, shot.id).note == "sun comes out at the end"
    # a grade with a region is kept with the shot
    page(film).panel.regions.add("ellipse")
    page(film).panel.regions.numbers["trim", "stops"].set_value(0.5)
    film.save()
    held = held_grade(production, shot)
    assert held is not None and held.regions[0].stops == pytest.approx(0.5)
    # agreed, open again
    film.agree()
    assert "is agreed" in film.message
    film.agree()
    assert "open again" in film.message
    # what the edit uses
    assert page(film).tools.strip.used == tuple(
        sorted({(e.first, e.first + e.frames - 1) for e in production.all(Event) if e.shot_id == shot.id})
    )
    # the production's own history and tolerances
    dialog = link.show_history()
    assert dialog is not None and dialog.table.item(0, 1).text() and dialog.table.rowCount() >= 2
    dialog.close()
    asked = link.ask_tolerances()
    asked.numbers["exposure"].set_value(0.25)  # type: ignore[attr-defined]
    asked._keep()  # type: ignore[attr-defined]
    assert tolerances_of(production) == {"exposure": 0.25}
    # painted skin comes back with the shot
    page(film).tools.choose("skin")
    drag(film, "shot", (0.5, 0.5), (0.55, 0.5))
    film.save()
    dabs = film.state.now.dabs[1]
    assert dabs and production.option(f"skin:{shot.id}")["dabs"]
    around = [neighbour(production, film.session.shoot, shot, by) for by in (1, -1)]  # type: ignore[arg-type]
    nearby = around[0] or around[1]
    assert nearby is not None and nearby.setup_id == shot.setup_id
    film.step_shot(1 if around[0] is not None else -1)
    settle_down(film, 120)
    assert link.shot == nearby and not film.state.now.dabs[1]
    film.look_beside(production.get(Shot, shot.id))
    assert film.state.now.dabs[1] == pytest.approx(dabs) or len(film.state.now.dabs[1]) == len(dabs)
    assert note.toPlainText() == "sun comes out at the end"
    settle_down(film, 120)


def test_hero_and_shot_are_played_in_step_at_reduced_size(film: Window) -> None:
    view, strip = page(film), page(film).tools.strip
    frame = strip.frame
    source = view.state.loaded["shot"].clip.source  # type: ignore[union-attr]
    seen: list[int] = []
    whole = pixels(film, "shot").mean(axis=(0, 1))
    view.play()
    assert view.player is not None and view.tools.play_button.text() == "stop"
    view.player.shown.connect(lambda _, number: seen.append(number))
    wait(film, lambda: view.player is None)  # to the end of the shot
    assert seen and seen == sorted(seen) and seen[0] == frame and seen[-1] <= source.last
    assert "Played" in film.message and strip.frame == frame and strip.playing is None
    settle_down(film)
    assert np.abs(pixels(film, "shot").mean(axis=(0, 1)) - whole).max() < 1.0
    view.play()
    QTest.keyClick(film, Qt.Key.Key_Space, Qt.KeyboardModifier.ShiftModifier)
    assert view.player is None
    # the strip chooses a frame
    strip.setFocus()
    QTest.keyClick(strip, Qt.Key.Key_Home)
    QTest.keyClick(strip, Qt.Key.Key_Return)
    settle_down(film, 120)
    assert view.state.loaded["shot"].frame.number == source.first  # type: ignore[union-attr]


def test_reduced_frames_are_the_same_picture(film: Window) -> None:
    side = film.state.now.shot
    assert side is not None
    source = open_source(side.file, side.matrix, side.range)
    whole = source.read(source.first).rgb
    few = source.read_thinned(source.first, 2).rgb
    assert few.shape == (whole.shape[0] // 2, whole.shape[1] // 2, 3)
    assert np.abs(few - whole[1::2, 1::2]).mean() < 0.004
    source.close()
