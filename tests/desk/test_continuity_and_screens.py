"""The cut and the screens by hand: measure, step through jumps, close one, say that one is meant, lay the cut out; a
monitor's profile, other screens, wrong tags, a movie's tags.
"""

from collections.abc import Iterator
from dataclasses import replace
from fractions import Fraction
from pathlib import Path

import numpy as np
import pytest
from PySide6.QtCore import Qt
from PySide6.QtTest import QTest

from aquin.colour.grade import Balance
from aquin.colour.grade import Grade as Correction
from aquin.desk.kit import monitor
from aquin.desk.kit.pictures import BLINK_MS, HOLD_MS
from aquin.desk.window import Window
from aquin.frames.timecode import frames_of, timecode_of
from aquin.production import Production, Setup, Shot
from aquin.production.audit import Finding
from aquin.production.conform import Cut, CutList, conform
from aquin.production.grading import held_grade, keep_grade
from aquin.production.heroes import hero_of
from aquin.production.settings import config_of
from aquin.screens.icc import make_profile
from aquin.screens.light import srgb, to_xyz
from desk.pages import a_window, press, production_of, wait_for
from shoots import copy_of

RATE = Fraction(24)
SHIFT = Qt.KeyboardModifier.ShiftModifier


@pytest.fixture
def window(settled: Path, tmp_path: Path) -> Iterator[Window]:
    path = settled.with_name(f"{tmp_path.name}.aquin")
    copy_of(settled, path)
    with a_window(path) as made:
        yield made
    monitor.use(None)


def pier(production: Production) -> list[Shot]:
    held = next(s for s in production.all(Setup) if s.name == "pier")
    hero = hero_of(production, held)
    assert hero is not None
    rest = [s for s in production.all(Shot) if s.setup_id == held.id and s.kind == "shot" and s.id != hero.id]
    return [hero, *rest]


def with_edit(production: Production, name: str = "cut 1") -> list[Shot]:
    """Three pieces, the last of which is planted to be 0.6 stops too bright."""
    shots = pier(production)[:3]
    cuts = []
    for shot in shots:
        begin = frames_of(shot.start, RATE)
        ends = [timecode_of(begin + k, RATE) for k in (0, 3)]
        cuts.append(Cut(shot.reel, shot.name, *ends, "", 3, shot.path))
    grade = held_grade(production, shots[2]) or Correction()
    bright = Balance.from_factors(grade.balance.factors * 2.0**0.6)
    keep_grade(production, config_of(production), shots[2], replace(grade, balance=bright), "planted")
    conform(production, CutList(name, "", RATE, tuple(cuts)))
    return shots


def test_from_an_edit_to_a_closed_jump(window: Window) -> None:
    production = production_of(window)
    window.show_view("continuity")
    view = window.views.continuity
    assert view.stack.currentWidget() is view.empty and window.next_step()[1] == "continuity.new"
    shots = with_edit(production)
    window.session.touch()
    wait_for(lambda: view.desk.found is not None and view.idle(), 30)
    assert window.next_step()[1] == "continuity.measure"
    press(view.strip.lanes, Qt.Key.Key_M)
    wait_for(lambda: not window.jobs.running("continuity") and view.desk.found.unmeasured == 0, 120)
    assert view.open_count >= 1 and view.list.count() == view.open_count
    wait_for(lambda: len(view.smalls.by_end) == 6, 20)
    press(view.strip.lanes, Qt.Key.Key_W)
    cut = view.desk.cut
    assert cut is not None and cut.position == 3 and cut.worst is not None
    wait_for(lambda: view.pair.idle() and view.pair.pictures.images["shot"] is not None, 20)
    # what is open about its shots is said beside it
    found = Finding("changing light", "warning", 0.9, "Its light falls", (shots[2].id,), advice="Follow it")
    production.keep_findings({found.key: found.data()})
    view.refresh()
    assert not view.panel.about.isHidden()
    assert view.panel.about.text() == f"?  {shots[2].name}: Its light falls"
    assert view.panel.about.toolTip() == "Follow it"
    production.keep_findings({})
    view.refresh()
    assert view.panel.about.isHidden()
    # compare modes as on the Bench, and blink stays slow
    assert BLINK_MS >= 334 and HOLD_MS >= 334
    for mode in ("seam", "strips", "blink", "side"):
        press(view.strip.lanes, Qt.Key.Key_C)
        assert view.pair.pictures.mode == mode
    press(view.strip.lanes, Qt.Key.Key_Space, SHIFT)
    wait_for(lambda: view.pair.playing, 30)
    press(view.strip.lanes, Qt.Key.Key_Space, SHIFT)
    assert not view.pair.playing
    # closed on the right: the jump is gone, the shot holds a trim with its reason
    before = held_grade(production, shots[2])
    press(view.strip.lanes, Qt.Key.Key_Right, SHIFT)
    wait_for(lambda: held_grade(production, shots[2]) != before, 10)
    wait_for(lambda: not window.jobs.running("continuity") and view.idle(), 120)
    wait_for(lambda: (c := view.desk.at(3)) is not None and c.measured and not c.jump, 20)
    window.commands.run("app.undo")
    wait_for(lambda: held_grade(production, shots[2]) == before, 10)
    wait_for(lambda: (c := view.desk.at(3)) is not None and c.jump, 20)
    # or it is meant so
    press(view.strip.lanes, Qt.Key.Key_N)
    assert view.panel.reason.hasFocus()
    QTest.keyClicks(view.panel.reason, "the sun comes out")
    QTest.keyClick(view.panel.reason, Qt.Key.Key_Return)
    wait_for(lambda: (c := view.desk.at(3)) is not None and c.meant == "the sun comes out", 20)
    assert "meant so" in view.strip.lanes.found.cuts[1].state


def test_the_whole_cut_and_a_newer_one(window: Window, tmp_path: Path) -> None:
    production = production_of(window)
    with_edit(production)
    window.show_view("continuity")
    view = window.views.continuity
    wait_for(lambda: view.desk.found is not None and view.idle(), 30)
    press(view.strip.lanes, Qt.Key.Key_T)
    assert view.page == "sheet"
    assert [heading for heading, _ in view.overview.page.groups] == ["", "not in this cut"]
    rest = view.overview.page.groups[1][1]
    assert len(rest) == len([s for s in production.all(Shot) if s.kind == "shot"]) - 3
    wait_for(lambda: all((p.number, 0) in view.overview.page.smalls for p, _, _ in rest), 30)
    press(view.strip.lanes, Qt.Key.Key_T)
    assert view.desk.order == "setup" and view.overview.page.groups[0][0] == "pier"
    view.papers.export(tmp_path / "cut.otio")
    wait_for(lambda: (tmp_path / "cut.otio").is_file() and not window.jobs.titles, 30)
    assert "markers" in window.message
    text = (tmp_path / "cut.otio").read_text().replace('"cut 1"', '"cut 2"', 1)
    (tmp_path / "cut.otio").write_text(text)
    view.papers.take_new(tmp_path / "cut.otio")
    wait_for(lambda: view.desk.edit is not None and view.desk.edit.name == "cut 2", 30)
    assert "nothing changed" in window.message
    (tmp_path / "bad.xml").write_text('<!DOCTYPE x [<!ENTITY e "e">]><x>&e;</x>')
    view.papers.take_new(tmp_path / "bad.xml")
    wait_for(lambda: "refused" in window.message, 20)
    press(view.strip.lanes, Qt.Key.Key_D)
    wait_for(view.idle, 20)
    assert view.page == "light" and view.light.said.text()


def test_this_screen_comes_first(window: Window, tmp_path: Path) -> None:
    path = tmp_path / "monitor.icc"
    path.write_bytes(make_profile(to_xyz("p3").T, srgb(np.linspace(0, 1, 1024)), "desk monitor"))
    press(window.bench.pictures, Qt.Key.Key_8)
    view = window.views.screens
    assert window.shown == "screens" and view.page == "this"
    assert "no profile" in view.this.said.text() and "no profile" in window.foot.screen_button.text()
    hero = pier(production_of(window))[0]
    window.look_beside(hero)
    wait_for(lambda: window.bench.pictures.images["hero"] is not None and window.bench.seeing.idle(), 30)
    plain = pixels_of(window)
    signals = window.bench.seeing.scoped["hero"]
    window.session.monitor.choose(path, window.session.config, window.session.screen)
    wait_for(lambda: monitor.current() is not None, 20)
    wait_for(lambda: not window.jobs.titles and window.bench.seeing.idle(), 30)
    wait_for(lambda: (pixels_of(window) != plain).any(), 20)
    assert "desk monitor" in window.foot.screen_button.text()
    scoped = window.bench.seeing.scoped["hero"]
    assert signals is not None and scoped is not None
    assert scoped.pixels == pytest.approx(signals.pixels, abs=1)  # the scopes are of what is delivered
    window.show_view("screens")
    assert "desk monitor" in view.this.said.text()
    press(view.list, Qt.Key.Key_F)
    assert view.this.picture.name == "near white"
    (tmp_path / "bad.icc").write_bytes(b"nothing")
    window.session.monitor.choose(tmp_path / "bad.icc", window.session.config, window.session.screen)
    wait_for(lambda: "no ICC profile" in window.message, 20)
    assert monitor.current() is not None  # what was there stays
    view.this.standard.emit("sRGB")
    wait_for(lambda: "sRGB, as the standard has it" in window.foot.screen_button.text(), 20)
    view.this.none_button.click()
    wait_for(lambda: monitor.current() is None, 10)


def pixels_of(window: Window) -> np.ndarray:
    image = window.bench.pictures.images["hero"]
    assert image is not None
    return np.array(image.pixels)  # type: ignore[attr-defined]


def test_other_screens_wrong_tags_and_a_movie(window: Window) -> None:
    window.show_view("screens")
    view = window.views.screens
    view.show_page("others")
    wait_for(lambda: len(view.sheet.cells) == 9 and view.idle(), 60)
    view.desk.chosen = "telephone"
    view.refresh()
    before = view.desk.lost["telephone"].contrast
    lux = view.panel.numbers["lux"]
    lux.set_value(10000.0)
    wait_for(
        lambda: view.desk.screen.lux == 10000.0 and view.desk.lost["telephone"].contrast < before / 3, 60
    )
    view.panel.numbers["black"].set_value(50.0)
    assert view.desk.screen.black == 50.0
    press(view.sheet, Qt.Key.Key_B)
    assert len(view.sheet.cells) == 2
    press(view.sheet, Qt.Key.Key_B)
    view.show_page("tags")
    wait_for(lambda: len(view.desk.misread) == 8 and len(view.sheet.cells) == 9, 60)
    press(view.sheet, Qt.Key.Key_PageDown)
    assert "Its mark" in view.panel.more.text() and "What to do" in view.panel.more.text()
    movie = next(s for s in production_of(window).all(Shot) if s.path.endswith((".mov", ".mp4")))
    from aquin.production.media import file_of

    path = file_of(production_of(window), movie)
    assert path is not None
    view.read_file(path)
    wait_for(lambda: view.desk.file is not None and not window.jobs.titles, 30)
    assert "header" in view.panel.more.text() and path.name in view.panel.title.text()
    view.show_page("delivered")
    wait_for(lambda: len(view.desk.delivered) == 1 and "Tags" in view.panel.more.text(), 60)
