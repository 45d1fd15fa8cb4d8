"""A grade that moves over time, on the Bench: followed, stepped through, edited by hand, played, taken back."""

from collections.abc import Iterator
from dataclasses import replace
from pathlib import Path

import numpy as np
import pytest
from PySide6.QtCore import Qt
from PySide6.QtTest import QTest

from aquin.desk.screenshots import settle_down
from aquin.desk.window import Window
from aquin.production import Shot
from aquin.production.grading import held_grade
from changing import FRAMES, change
from desk.pages import BenchPage, a_window, page, press, production_of, wait_for
from shoots import copy_of


@pytest.fixture
def window(changing: Path) -> Iterator[Window]:
    with a_window(copy_of(changing)) as made:
        yield made


def opened(window: Window, name: str) -> BenchPage:
    """A shot of the production on the Bench, at its middle frame."""
    window.show_view("bench")
    bench = page(window)
    shot = next(s for s in production_of(window).all(Shot) if s.name == name)
    assert bench.link.open(shot, "shot", FRAMES // 2)
    settle_down(window, 60)
    return bench


def test_light_is_followed_by_key_shown_and_taken_back(window: Window) -> None:
    bench = opened(window, "coffee")
    notice = window.bench.notices.finding
    assert notice.isVisible() and "falls by 0.6" in notice.words.text()
    assert any("Follow the light" in b.text() for b in notice.buttons)
    press(window, Qt.Key.Key_D)
    wait_for(lambda: bool(bench.state.grade.keys), 60)
    settle_down(window, 60)
    production = production_of(window)
    shot = next(s for s in production.all(Shot) if s.name == "coffee")
    held = held_grade(production, shot)
    assert held is not None and held == bench.state.grade
    assert bench.tools.strip.keys == tuple(k.frame for k in held.keys)
    # what is seen follows the frame: as filmed it falls, graded it holds
    assert bench.state.here.balance.stops == pytest.approx(0.0, abs=0.01)
    press(window, Qt.Key.Key_PageDown, Qt.KeyboardModifier.ShiftModifier)
    settle_down(window, 60)
    frame = bench.state.frame
    assert frame in bench.tools.strip.keys and frame > FRAMES // 2
    away = float((change("coffee", [FRAMES // 2]) - change("coffee", [frame]))[0].mean())
    assert bench.grade_shown().balance.stops == pytest.approx(away, abs=0.05)
    assert "on a key" in bench.stack.note.text()
    # the finding is gone, whichever view was never opened
    wait_for(lambda: not bench.state.known.findings, 20)
    assert not notice.isVisible()
    window.history.undo()
    settle_down(window, 60)
    assert not bench.state.grade.keys and bench.tools.strip.keys == ()


def test_keys_are_put_edited_and_taken_away_by_hand(window: Window) -> None:
    bench = opened(window, "steady")
    press(window, Qt.Key.Key_I)
    assert [k.frame for k in bench.state.grade.keys] == [0, FRAMES // 2, FRAMES - 1]
    assert bench.state.here.balance.stops == 0.0
    stops = bench.stack.numbers["stops"]
    stops.setFocus()
    QTest.keyClick(stops, Qt.Key.Key_Up)
    QTest.keyClick(stops, Qt.Key.Key_Return)
    moved = bench.state.here.balance.stops
    assert moved == pytest.approx(0.05, abs=1e-3)
    ends = [bench.state.grade.at(f).balance.stops for f in (0, FRAMES - 1)]
    assert ends == pytest.approx([0.0, 0.0], abs=1e-3)  # that key alone
    press(window, Qt.Key.Key_PageDown)
    settle_down(window, 60)
    here = bench.state.here.balance.stops
    assert 0 < here < moved and "between keys" in bench.stack.note.text()
    stops.setFocus()
    QTest.keyClick(stops, Qt.Key.Key_Up)
    QTest.keyClick(stops, Qt.Key.Key_Return)
    ends = [bench.state.grade.at(f).balance.stops for f in (0, FRAMES - 1)]
    assert ends == pytest.approx([0.05, 0.05], abs=2e-3)  # all of them
    for _ in range(2):
        press(window, Qt.Key.Key_PageUp, Qt.KeyboardModifier.ShiftModifier)
        settle_down(window, 60)
    assert bench.state.frame == 0
    press(window, Qt.Key.Key_I)  # two are left
    assert [k.frame for k in bench.state.grade.keys] == [FRAMES // 2, FRAMES - 1]


def test_where_light_holds_nothing_is_changed(window: Window) -> None:
    bench = opened(window, "steady")
    said: list[str] = []
    window.bench.over_time.told.connect(said.append)
    press(window, Qt.Key.Key_D)
    wait_for(lambda: any("holds within the take" in s for s in said), 60)
    assert not bench.state.grade.keys


def test_what_comes_too_late_or_fails_changes_nothing(
    window: Window, monkeypatch: pytest.MonkeyPatch
) -> None:
    """Another shot is on the Bench before the light was followed, and a file that can't be read any more."""
    bench = opened(window, "coffee")
    said: list[str] = []
    window.bench.over_time.told.connect(said.append)
    press(window, Qt.Key.Key_D)
    shot = next(s for s in production_of(window).all(Shot) if s.name == "steady")
    assert bench.link.open(shot, "shot", FRAMES // 2)
    wait_for(lambda: any("Another shot" in s for s in said), 60)
    settle_down(window, 60)
    assert not bench.state.grade.keys
    job = window.bench.over_time._job()
    assert job is not None
    gone = replace(job, ref=replace(job.ref, path=job.path.with_name("gone.mkv")))
    monkeypatch.setattr(window.bench.over_time, "_job", lambda: gone)
    press(window, Qt.Key.Key_D)
    wait_for(lambda: any("gone.mkv" in s for s in said), 60)
    assert not bench.state.grade.keys


def test_playback_moves_with_the_grade(window: Window) -> None:
    """The mean of what is played hardly changes, where as filmed it falls by half a stop and more."""
    bench = opened(window, "coffee")
    press(window, Qt.Key.Key_D)
    wait_for(lambda: bool(bench.state.grade.keys), 60)
    settle_down(window, 60)
    bench.files.go_to("shot", "0")
    settle_down(window, 60)
    seen: list[tuple[int, float]] = []
    bench.play()
    player = bench.player
    assert player is not None and player.tracks["shot"].grade.keys
    player.shown.connect(lambda made, n: seen.append((n, float(np.mean(made["shot"][..., :3])))))
    wait_for(lambda: any(n > 62 for n, _ in seen), 30)
    bench.playing.stop()
    early, late = (np.mean([v for n, v in seen if a <= n < b]) for a, b in ((0, 16), (58, FRAMES)))
    assert late / early == pytest.approx(
        1.0, abs=0.08
    )  # as filmed 0.66 in linear light: some 0.8 on the screen
