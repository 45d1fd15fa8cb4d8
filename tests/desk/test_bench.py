"""The Bench in its real window, driven as hands do it."""

import gc
import json
import threading
import time
import weakref
from collections.abc import Callable, Iterator
from functools import partial
from pathlib import Path
from typing import Any

import numpy as np
import pytest
from PySide6.QtCore import QMimeData, QPoint, QPointF, Qt, QUrl
from PySide6.QtGui import QDropEvent
from PySide6.QtTest import QTest
from PySide6.QtWidgets import QApplication

from aquin.colour.grade import Grade
from aquin.desk.app import put_away
from aquin.desk.bench.session_file import read_session
from aquin.desk.bench.side_panel import Alternatives, SidePanel
from aquin.desk.bench.state import BenchState
from aquin.desk.commands import BY_ID
from aquin.desk.kit import theme
from aquin.desk.kit.jobs import Jobs, Tell
from aquin.desk.kit.pictures import BLINK_MS, HOLD_MS
from aquin.desk.screenshots import settle_down
from aquin.desk.window import Window
from aquin.errors import AquinError
from aquin.exchange import cdl_file, grade_file
from aquin.jobs.load_side import Side
from aquin.own_files import last_session
from aquin.simulate.demo import film_first_takes, is_done
from cli.running import loaded_by
from desk.pages import a_window, do_next, page, press, rest


@pytest.fixture
def window(app: QApplication) -> Iterator[Window]:
    with a_window() as made:
        yield made


@pytest.fixture
def opened(window: Window, demo: Path) -> Window:
    """The window with the demo's two files open and solved."""
    assert window.open_session(demo / "ferry.json")
    settle_down(window)
    assert window.state.match is not None
    return window


def until(condition: Callable[[], bool], seconds: float = 15) -> None:
    end = time.monotonic() + seconds
    while not condition() and time.monotonic() < end:
        rest(15)
    assert condition()


def test_main_job_open_find_settle_export_read_back(
    window: Window, hero_file: Path, shot_file: Path, tmp_path: Path
) -> None:
    view = page(window)
    view.files.open_file("hero", str(hero_file), "Linear Heron")
    view.files.open_file("shot", str(shot_file), "Skua Log")
    settle_down(window)
    assert all(window.state.loaded[role].reading is not None for role in ("hero", "shot"))
    before = {row.axis.name: row for row in window.state.ledger()}
    assert before["colour"].after > 6
    assert not before["exposure"].within
    QTest.mouseClick(view.panel.settle_all_button, Qt.MouseButton.LeftButton)
    settle_down(window)
    told = {"exposure", "contrast", "warmth", "tint", "saturation", "colour"}
    off = [row for row in window.state.ledger() if not row.within]
    assert not told & {row.axis.name for row in off}
    assert len(window.state.ledger()) > 12  # sharpness, noise and others, on the pictures
    assert "export" in window.state.next_step()[1]
    path = tmp_path / "match.cdl"
    view.export(path)
    settle_down(window)
    assert "read back by OpenColorIO" in view.panel.export_note.text()
    cdl = next(iter(cdl_file.read(path).values()))
    assert cdl.slope == pytest.approx(window.state.grade.folded().slope, abs=1e-9)
    colours = grade_file.probe()[:1000].astype(np.float64)
    assert np.abs(grade_file.through_ocio(path)(colours) - cdl.apply(colours)).max() < 1e-6


def test_first_start_says_what_to_do(window: Window) -> None:
    assert window.shown == "start"
    assert window.start.buttons["file.folder"].isVisible()
    assert not window.start.recent.isVisible()
    QTest.mouseClick(window.start.buttons["app.bench"], Qt.MouseButton.LeftButton)
    assert window.shown == "bench"
    assert window.next_step() == ("Open a hero", "bench.open_hero")
    assert "Drop a hero here" in page(window).pictures.messages["hero"]
    assert not page(window).panel.settle_all_button.isEnabled()
    assert "not measured" in page(window).ledger.rows["warmth"].accessibleName()


def test_first_start_offers_the_demo(window: Window, demo: Path) -> None:
    assert "Demo" in page(window).pictures.messages["hero"]
    window.open_demo(demo)
    settle_down(window)
    assert window.state.match is not None


def test_undo_and_redo_walk_through_decisions(opened: Window) -> None:
    view, bench = page(opened), opened.state
    press(opened, Qt.Key.Key_S, Qt.KeyboardModifier.ShiftModifier)
    settled = bench.grade
    assert settled != Grade()
    number = view.stack.numbers["stops"]
    number.setFocus()
    press(number, Qt.Key.Key_Up)
    assert bench.grade.balance.stops == pytest.approx(settled.balance.stops + 0.05)
    page(opened).pictures.setFocus()
    press(opened, Qt.Key.Key_Z, Qt.KeyboardModifier.ControlModifier)
    assert bench.grade == settled
    press(opened, Qt.Key.Key_Z, Qt.KeyboardModifier.ControlModifier)
    assert bench.grade == Grade()
    press(opened, Qt.Key.Key_Y, Qt.KeyboardModifier.ControlModifier)
    assert bench.grade == settled
    assert view.stack.numbers["slope0"].value == pytest.approx(settled.trim.slope[0])


def test_a_drag_of_a_number_is_one_step_of_undo_and_the_preview_follows(opened: Window) -> None:
    number = page(opened).stack.numbers["stops"]
    shot = page(opened).pictures.images["shot"]
    assert shot is not None
    before = shot.pixels.mean()
    steps = len(opened.state._past)
    centre = number.rect().center()
    QTest.mousePress(number, Qt.MouseButton.LeftButton, pos=centre)
    for distance in range(5, 80, 5):
        QTest.mouseMove(number, centre + QPoint(distance, 0))
        rest(5)
    until(lambda: page(opened).pictures.images["shot"].pixels.mean() > before + 5)
    assert opened.state.grade.balance.stops > 0.5
    QTest.mouseRelease(number, Qt.MouseButton.LeftButton, pos=centre + QPoint(75, 0))
    assert len(opened.state._past) == steps + 1
    page(opened).undo()
    assert opened.state.grade.balance.stops == 0
    assert page(opened).preview_ms


def test_flare_is_typed_in_per_cent_of_white_and_reset(opened: Window) -> None:
    view = page(opened)
    numbers = [view.stack.numbers[f"flare{k}"] for k in range(3)]
    for number, text in zip(numbers, ("0.4", "0.3", "0.2"), strict=True):
        number.setFocus()
        number.selectAll()
        QTest.keyClicks(number, text)
        press(number, Qt.Key.Key_Return)
    assert opened.state.grade.flare == pytest.approx((0.004, 0.003, 0.002))
    assert "flare" in opened.state.grade.beyond_cdl and "flare" not in view.stack.note.text()
    view.stack._reset("flare")
    assert opened.state.grade == Grade()


def test_numbers_are_typed_stepped_reset_and_refuse_nonsense(opened: Window) -> None:
    number = page(opened).stack.numbers["mired"]
    number.setFocus()
    number.selectAll()
    QTest.keyClicks(number, "-12.5")
    press(number, Qt.Key.Key_Return)
    assert opened.state.grade.balance.shift[0] == pytest.approx(-12.5, abs=0.01)
    press(number, Qt.Key.Key_Up, Qt.KeyboardModifier.ShiftModifier)
    assert opened.state.grade.balance.shift[0] == pytest.approx(-2.5, abs=0.01)
    press(number, Qt.Key.Key_Up, Qt.KeyboardModifier.ControlModifier)
    assert opened.state.grade.balance.shift[0] == pytest.approx(-2.4, abs=0.01)
    number.setText("1e999")
    number.setModified(True)
    press(number, Qt.Key.Key_Return)
    assert opened.state.grade.balance.shift[0] == pytest.approx(-2.4, abs=0.01)
    QTest.mouseDClick(number, Qt.MouseButton.LeftButton)
    assert opened.state.grade.balance.shift[0] == pytest.approx(0, abs=0.01)
    slope = page(opened).stack.numbers["slope1"]
    slope.set_value(-3)
    assert opened.state.grade.trim.slope[1] == 0.0
    page(opened).stack._reset("slope")
    assert opened.state.grade.trim.slope == (1.0, 1.0, 1.0)


def test_settling_one_row_settles_that_axis(opened: Window) -> None:
    row = page(opened).ledger.rows["warmth"]
    QTest.mouseClick(row, Qt.MouseButton.LeftButton, pos=QPoint(20, 10))
    assert page(opened).ledger.selected == "warmth"
    press(opened, Qt.Key.Key_S)
    ledger = {r.axis.name: r for r in opened.state.ledger()}
    assert ledger["warmth"].within
    assert not ledger["exposure"].within
    assert "within tolerance" in row.accessibleName()
    QTest.mouseClick(page(opened).ledger.rows["exposure"].button, Qt.MouseButton.LeftButton)
    assert {r.axis.name: r for r in opened.state.ledger()}["exposure"].within


def test_one_decision_measures_the_ledger_once(opened: Window, monkeypatch: pytest.MonkeyPatch) -> None:
    """Ledger, count, next step and notice all ask for it, on the window's thread."""
    from aquin.desk.bench import state

    asked = []
    monkeypatch.setattr(state, "measure", lambda *of, known=state.measure: asked.append(of) or known(*of))
    page(opened).stack.numbers["slope1"].set_value(1.2)
    settle_down(opened)
    assert (
        len({repr(of[1]) for of in asked}) == 1 and len(asked) <= 2
    )  # with the pictures and, before, without
    rows = {r.axis.name: r.after for r in opened.state.ledger()}
    page(opened).stack._reset("slope")
    assert {r.axis.name: r.after for r in opened.state.ledger()} != rows


def test_grade_off_shows_the_shot_as_it_came(opened: Window) -> None:
    page(opened).settle_all()
    rest(150)
    press(opened, Qt.Key.Key_G)
    assert opened.state.ledger()[0].after == pytest.approx(opened.state.ledger()[0].difference)
    assert page(opened).grade_button.text() == "grade off"
    press(opened, Qt.Key.Key_G)
    assert opened.state.ledger()[0].within


def test_compare_modes_show_what_they_say(opened: Window) -> None:
    view, pictures = page(opened), page(opened).pictures
    press(opened, Qt.Key.Key_C)
    assert pictures.mode == "seam"
    settle_down(opened)
    rest(200)

    def pixel(x: float) -> np.ndarray:
        area = pictures.area("shot")
        colour = (
            pictures.grab()
            .toImage()
            .pixelColor(int(area.left() + x * area.width()), int(area.top() + 0.2 * area.height()))
        )
        return np.array([colour.red(), colour.green(), colour.blue()])

    hero_sky, shot_sky = pixel(0.3), pixel(0.9)
    assert np.abs(hero_sky - shot_sky).max() > 8
    view.set_mode("strips")
    columns = [pixel((k + 0.5) / 8) for k in range(3, 8)]
    assert np.abs(np.diff(np.array(columns, int), axis=0)).max(axis=1).min() > 4
    view.set_mode("blink")
    assert pictures._timer.isActive()
    view.set_mode("side")
    assert not pictures._timer.isActive()


def test_blink_and_held_space_stay_below_three_changes_a_second(opened: Window) -> None:
    """Common guidance for flashing pictures: fewer than three changes in any second."""
    assert 1000 / BLINK_MS < 3
    assert 1000 / HOLD_MS < 3
    pictures = page(opened).pictures
    opened.activateWindow()
    pictures.setFocus()
    changes = 0
    for _ in range(12):
        was = pictures.held
        QTest.keyPress(pictures, Qt.Key.Key_Space)
        changes += pictures.held and not was
        QTest.keyRelease(pictures, Qt.Key.Key_Space)
        assert not pictures.held
    assert changes == 1
    rest(HOLD_MS + 30)
    QTest.keyPress(pictures, Qt.Key.Key_Space)
    assert pictures.held
    QTest.keyRelease(pictures, Qt.Key.Key_Space)
    assert "two changes a second" in page(opened).mode_buttons["blink"].toolTip()


def test_corners_are_dragged_and_read_again(opened: Window) -> None:
    pictures, bench = page(opened).pictures, opened.state
    before = bench.loaded["shot"].reading.corners.copy()
    start = pictures.to_widget("shot", before[2])
    QTest.mousePress(pictures, Qt.MouseButton.LeftButton, pos=start.toPoint())
    QTest.mouseMove(pictures, (start + QPointF(-6, -4)).toPoint())
    QTest.mouseRelease(pictures, Qt.MouseButton.LeftButton, pos=(start + QPointF(-6, -4)).toPoint())
    settle_down(opened)
    after = bench.loaded["shot"].reading.corners
    assert np.abs(after[:2] - before[:2]).max() < 1e-6
    assert 5 < np.abs(after[2] - before[2]).max() < 40
    assert bench.side("shot").corners is not None
    assert bench.match is not None
    page(opened).undo()
    settle_down(opened)
    assert np.abs(bench.loaded["shot"].reading.corners - before).max() < 0.01
    pictures.setFocus()
    press(pictures, Qt.Key.Key_N)
    picked, number = pictures.picked
    press(pictures, Qt.Key.Key_Right, Qt.KeyboardModifier.ShiftModifier)
    settle_down(opened)
    assert bench.side(picked).corners is not None
    assert (picked, number) == ("shot", 3)


def test_without_a_chart_the_corners_are_asked_for(window: Window, tmp_path: Path) -> None:
    from aquin.exchange import picture

    picture.write(tmp_path / "grey.png", np.zeros((180, 320, 3)))  # nothing in it supports a match
    window.show_view("bench")
    for role in ("hero", "shot"):
        page(window).files.open_file(role, str(tmp_path / "grey.png"), "ACEScct")
    settle_down(window)
    words, action = window.state.next_step()
    assert "corners" in words
    assert action == "bench.corners_hero"
    do_next(window)
    assert page(window).pictures.corners["hero"].shape == (4, 2)


def test_files_are_dropped_on_their_side(window: Window, shot_file: Path) -> None:
    pictures = page(window).pictures
    data = QMimeData()
    data.setUrls([QUrl.fromLocalFile(str(shot_file))])
    at = QPointF(pictures.width() * 0.8, 50)
    pictures.dropEvent(
        QDropEvent(
            at, Qt.DropAction.CopyAction, data, Qt.MouseButton.LeftButton, Qt.KeyboardModifier.NoModifier
        )
    )
    picker = page(window).files.picker
    assert picker.isVisible()
    assert Path(window.state.config.path).name == "config.ocio"
    QTest.keyClicks(picker.search, "skua log")
    assert picker.list.count() == 1
    assert "18 % grey at" in picker.note.text()
    picker.search.clear()
    QTest.keyClicks(picker.search, "nothing like it")
    assert not picker.ok.isEnabled()
    picker.search.clear()
    QTest.keyClicks(picker.search, "log skua")
    QTest.mouseClick(picker.ok, Qt.MouseButton.LeftButton)
    settle_down(window)
    assert window.state.side("shot").encoding == "Skua Log"
    assert window.state.loaded["shot"].reading is not None


def test_range_is_set_by_hand_and_shown(opened: Window) -> None:
    header = page(opened).headers["shot"]
    assert "full range" in header.facts.text()
    page(opened).files.pick_encoding("shot")
    picker = page(opened).files.picker
    picker.range.setCurrentIndex(picker.range.findData("legal"))
    picker.accept()
    settle_down(opened)
    assert "legal range (set)" in header.facts.text()
    assert opened.state.loaded["shot"].clip.source.signal.range_from == "user"


def test_an_encoding_of_ones_own_is_added_and_kept(
    opened: Window, demo: Path, tmp_path: Path, own_state: Path
) -> None:
    from own_encoding import TERN

    TERN.write(tmp_path / "t.json")
    page(opened).files.pick_encoding("shot")
    page(opened).files.picker.add_from(tmp_path / "t.json")
    assert page(opened).files.picker.encoding == "Tern Log"
    assert (own_state / "config.ocio").is_file()
    (tmp_path / "bad.json").write_text("{}")
    page(opened).files.picker.add_from(tmp_path / "bad.json")
    assert "bad.json" in page(opened).files.picker.note.text()
    page(opened).files.picker.reject()


def test_frames_by_number_timecode_and_step(opened: Window) -> None:
    header = page(opened).headers["shot"]
    source = opened.state.loaded["shot"].clip.source
    assert header.frame.text() == source.timecode(0)
    press(opened, Qt.Key.Key_PageDown)
    settle_down(opened)
    assert opened.state.loaded["shot"].frame.number == 1
    page(opened).files.go_to("shot", source.timecode(6))
    settle_down(opened)
    assert opened.state.loaded["shot"].frame.number == 6
    page(opened).files.go_to("shot", "999")
    assert "no frame 999" in opened.message
    assert "frame 6 of 0–23" in header.of.text()


def test_alternatives_preview_and_are_taken(opened: Window) -> None:
    view = page(opened)
    listed = view.alternatives
    assert listed.count() == 7  # for the whole frame: nobody looks at these cameras
    assert "leave-one-out" in listed.item(2).text()
    view.hover("matrix")
    assert view.grade_shown().matrix is not None
    assert opened.state.grade == Grade()
    view.hover("")
    assert view.grade_shown() == Grade()
    listed.itemClicked.emit(listed.item(2))
    assert opened.state.grade.matrix is not None
    assert "taken" in listed.item(2).text()
    view.export(Path("x.cdl"))
    settle_down(opened)
    assert "matrix" in view.panel.export_note.text()


def test_settling_all_takes_the_best_that_the_wanted_file_holds(opened: Window) -> None:
    """A CDL at first; of all models where that is switched off, which is remembered."""
    view = page(opened)
    match = opened.state.match
    best = match.solution(beyond=True)
    assert best.grade.beyond_cdl and view.panel.cdl_button.isChecked()
    assert match.solution().title in best_of(view.alternatives)
    view.panel.settle_all_button.click()
    assert opened.state.grade == match.solution().grade and not opened.state.grade.beyond_cdl
    view.panel.cdl_button.click()
    assert best.title in best_of(view.alternatives)
    view.panel.settle_all_button.click()
    assert opened.state.grade == best.grade
    assert not SidePanel().cdl_button.isChecked()
    view.panel.cdl_button.click()
    assert SidePanel().cdl_button.isChecked()


def best_of(listed: Alternatives) -> str:
    return next(t for k in range(listed.count()) if (t := listed.item(k).text()).endswith(", best"))


def test_making_the_shot_the_hero_swaps_the_sides(opened: Window) -> None:
    was = opened.state.now
    press(opened, Qt.Key.Key_H)
    settle_down(opened)
    assert opened.state.now.hero == was.shot
    assert opened.state.now.shot == was.hero
    assert opened.state.match is not None
    assert opened.state.ledger()[0].difference > 0.2


def test_everything_decided_is_saved_and_comes_back(opened: Window, app: QApplication) -> None:
    page(opened).settle_all()
    grade = opened.state.grade
    until(
        lambda: (
            last_session().is_file()
            and json.loads(last_session().read_text())["grade"]["slope"] == list(grade.trim.slope)
        )
    )
    assert opened.foot.saved.text().startswith("saved")
    data = json.loads(last_session().read_text())
    assert data["shot"]["encoding"] == "Skua Log"
    again = Window()
    again.open_session(last_session())
    settle_down(again)
    assert again.state.grade.trim == grade.trim
    assert again.state.grade.balance.stops == pytest.approx(grade.balance.stops)
    assert {r.axis.name: r.within for r in again.state.ledger()}["colour"]
    put_away(again)


@pytest.mark.parametrize(
    "text",
    [
        "",
        "{}",
        '{"version": 9}',
        '{"version": 1, "hero": {"file": 3}}',
        '{"version": 1, "grade": {"stops": 0, "gains": [0, 1, 1]}}',
        (
            '{"version": 1, "grade": {"stops": 0, "gains": [1, 1, 1], "slope": [1], "offset": [0,0,0], "power": '
            '[1,1,1], "saturation": 1}}'
        ),
    ],
)
def test_wrong_sessions_are_refused(text: str, tmp_path: Path, window: Window) -> None:
    path = tmp_path / "bad.json"
    path.write_text(text)
    with pytest.raises(AquinError, match=r"bad\.json"):
        read_session(path)
    assert not window.open_session(path)
    assert "bad.json" in window.message


def test_a_missing_file_is_named_and_nothing_else_is_lost(opened: Window, tmp_path: Path) -> None:
    page(opened).settle_all()
    grade = opened.state.grade
    page(opened).files.open_file("shot", str(tmp_path / "gone.mov"), "Skua Log")
    settle_down(opened)
    assert "gone.mov" in opened.message
    assert "gone.mov" in page(opened).pictures.messages["shot"]
    assert opened.state.grade == grade
    page(opened).undo()
    settle_down(opened)
    assert opened.state.match is not None


def test_running_work_can_be_stopped(opened: Window) -> None:
    page(opened).files.load("shot")
    assert opened.foot.stop_button.isVisible()
    press(opened, Qt.Key.Key_Escape)
    assert not page(opened).jobs.titles
    assert "Stopped" in opened.message


def test_interface_thread_is_never_blocked_long(opened: Window) -> None:
    """While both files are read, solved and previewed, events go on being handled: judged by what the thread itself
    works in one go, so that another program's load can't fail it, and by the clock for the most part.
    """
    view = page(opened)
    view.files.forget()
    opened.state.loaded["hero"] = opened.state.loaded["shot"] = None
    worked: list[float] = []
    gaps: list[float] = []

    def note() -> None:
        nonlocal last, used
        now, spent = time.perf_counter(), time.thread_time()
        gaps.append(now - last)
        worked.append(spent - used)
        last, used = now, spent

    last, used = time.perf_counter(), time.thread_time()
    view.files.load_both()
    note()
    assert view.jobs.titles
    while view.jobs.titles:
        QApplication.processEvents()
        note()
        time.sleep(0.002)
    assert opened.state.match is not None
    assert len(gaps) >= 3
    assert max(worked) < 0.15
    assert np.median(gaps) < 0.15


def test_chrome_is_exactly_neutral(window: Window, app: QApplication) -> None:
    settle_down(window)
    page(window).pictures.messages = {"hero": "", "shot": ""}
    picture = window.grab().toImage()
    pixels = (
        np.frombuffer(picture.constBits(), np.uint8)
        .reshape(picture.height(), -1, 4)[:, : picture.width(), :3]
        .astype(int)
    )
    assert (np.ptp(pixels, axis=2) == 0).all()
    for colour in (theme.GROUND, theme.PANEL, theme.WELL, theme.SURROUND, theme.TEXT):
        assert colour.red() == colour.green() == colour.blue()


def test_every_control_has_a_name_and_the_keys_are_listed(opened: Window) -> None:
    from PySide6.QtWidgets import QAbstractButton, QLineEdit

    for kind in (QAbstractButton, QLineEdit):
        for widget in opened.findChildren(kind):
            if widget.isVisible():
                assert widget.accessibleName() or (isinstance(widget, QAbstractButton) and widget.text()), (
                    widget
                )
    opened.show_keys()
    assert opened.keys_dialog.isVisible()
    opened.keys_dialog.close()
    press(opened, Qt.Key.Key_F1)
    assert opened.help_dialog.isVisible()
    opened.help_dialog.close()
    assert BY_ID["bench.grade"].keys == ("G",)


def test_tab_reaches_pictures_rows_numbers_and_export(opened: Window) -> None:
    opened.activateWindow()
    page(opened).pictures.setFocus()
    seen = set()
    for _ in range(130):
        focus = QApplication.focusWidget()
        if focus is not None:
            seen.add(focus)
        QTest.keyClick(focus or opened, Qt.Key.Key_Tab)
    view = page(opened)
    for widget in (
        view.pictures,
        view.ledger.rows["tint"],
        view.stack.numbers["power2"],
        view.alternatives,
        view.panel.export_button,
        view.headers["shot"].encoding,
    ):
        assert widget in seen, widget.accessibleName()


def test_another_screen_changes_the_picture(opened: Window) -> None:
    before = page(opened).pictures.images["hero"].pixels.copy()
    display = next(d for d, _ in opened.state.config.displays() if "1886" in d)
    opened.session.set_screen(display, "Un-tone-mapped")
    settle_down(opened)
    until(lambda: np.abs(page(opened).pictures.images["hero"].pixels.astype(int) - before).max() > 10)
    assert "codes of 10 bit" in opened.foot.screen_button.toolTip()


def test_preview_is_the_exact_chain_within_its_known_error(opened: Window) -> None:
    from aquin.desk.kit.preview import fit, show

    page(opened).settle_all()
    loaded, baked = opened.state.loaded["shot"], page(opened).baked
    small = fit(loaded.linear, 320, 180)
    drawn = show(small, opened.state.grade, baked).pixels[..., 2::-1].astype(float)
    exact = opened.state.config.view(*opened.session.screen)(opened.state.grade.linear(small))
    gap = np.abs(drawn - np.clip(exact, 0, 1) * 255)
    assert np.percentile(gap, 99.9) < 0.51 + baked.error_code10[0] / 4


def test_state_knows_no_qt() -> None:
    loaded = loaded_by("aquin.desk.bench.state", "aquin.desk.kit.preview")
    assert not [m for m in loaded if m.startswith("PySide6")]


def test_a_fresh_bench_has_nothing_to_undo() -> None:
    bench = BenchState()
    assert bench.undo() is None
    assert bench.redo() is None
    assert (bench.can_undo, bench.can_redo) == (None, None)
    bench.set_side("hero", Side("a.exr", "ACEScct"))
    assert bench.can_undo == "open hero"


def test_a_new_demo_opens_after_its_first_takes_and_the_rest_is_filmed_beside(
    window: Window, tmp_path: Path
) -> None:
    """The first takes are opened and solved, the rest goes on with progress in the foot line, and stops on demand."""
    folder = tmp_path / "ferry"
    window.open_demo(folder)
    assert window.foot.stop_button.isVisible()
    until(lambda: window.state.match is not None, 240)
    until(lambda: "rest of the demo shoot" in window.message, 60)
    assert window.foot.next_button.isEnabled()
    assert window.foot.stop_button.isVisible()
    assert not is_done(folder)
    window.stop()
    until(lambda: not page(window).jobs.asides)
    page(window).jobs.wait()
    assert not list(folder.rglob(".part-*"))
    assert film_first_takes(folder) == folder / "ferry.json"


def test_long_jobs_say_how_far_they_are_and_stop_at_the_next_word(app: QApplication) -> None:
    jobs, said, ended = Jobs(), [], []
    gate = threading.Event()

    def work(tell: Tell) -> str:
        tell(0.5, "half")
        gate.wait(10)
        tell(0.6, "more")
        ended.append("went on")
        return "done"

    jobs.start_long("x", "long work", work, said.append, said.append)
    until(lambda: "50%" in jobs.states[0])
    assert jobs.states[0].startswith("long work, 50%, about 10 s left")
    assert jobs.titles == ["long work"]
    jobs.cancel("x")
    gate.set()
    jobs.wait()
    assert (said, ended, jobs.titles) == ([], [], [])
    jobs.start_long("y", "beside", lambda tell: gate.wait(0.2), said.append, said.append, aside=True)
    assert (jobs.titles, jobs.asides) == ([], ["beside"])
    until(lambda: said == [True])


@pytest.mark.parametrize("way", ["done", "cancelled", "failed"])
def test_what_a_job_held_is_let_go_of(app: QApplication, way: str) -> None:
    """Pictures and a match of two frames, each time something was solved, would add up over a day."""

    class Pictures:
        pass

    jobs, held, gate = Jobs(), Pictures(), threading.Event()
    left = weakref.ref(held)

    def work(told: Pictures, tell: Tell) -> Pictures:
        gate.wait(10)
        if way == "failed":
            raise AquinError("no", None, "")
        return told

    def taker(told: Pictures) -> Callable[[Any], None]:
        return lambda value: seen.append(told is value)

    seen: list[bool] = []
    jobs.start_long("x", "solving", partial(work, held), taker(held), taker(held))
    del held
    if way == "cancelled":
        jobs.cancel("x")
    gate.set()
    jobs.wait()
    until(lambda: not jobs.titles and (way == "cancelled" or bool(seen)))

    def gone() -> bool:
        gc.collect()
        return left() is None

    until(gone)
