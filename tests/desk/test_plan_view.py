"""The Plan view in its real window: each control writes one decision, and the chain says what it means."""

from collections.abc import Iterator
from dataclasses import replace
from pathlib import Path

import pytest
from PySide6.QtCore import Qt
from PySide6.QtTest import QTest
from PySide6.QtWidgets import QApplication, QComboBox, QLabel, QMenu, QPushButton
from test_shots import fill, until

from aquin.charts.identify import Candidate
from aquin.desk.app import put_away
from aquin.desk.kit.number import Number
from aquin.desk.plan.dialogs import ask_nearest, write_sheet
from aquin.desk.plan.strip import ExposureStrip
from aquin.desk.screenshots import settle_down
from aquin.desk.window import Window
from aquin.exchange import cube
from aquin.production import Camera, Setup
from aquin.production.settings import deliverables_of, policy_of
from desk.pages import production_of, rest, shown_window


@pytest.fixture
def window(app: QApplication, tmp_path: Path) -> Iterator[Window]:
    fill(tmp_path / "ferry.aquin").close()
    made = shown_window(tmp_path / "ferry.aquin")
    made.show_view("plan")
    settle_down(made)
    yield made
    put_away(made)


def words(window: Window) -> str:
    rest(5)
    return "\n".join(label.text() for label in window.plan.widget().findChildren(QLabel))


def button(window: Window, text: str) -> QPushButton:
    rest(5)
    return next(b for b in window.plan.widget().findChildren(QPushButton) if b.text() == text)


def choose(menu: QMenu, *path: str) -> None:
    """Click through a menu and its submenus."""
    for name in path[:-1]:
        menu = next(a for a in menu.actions() if a.text() == name).menu()  # type: ignore[assignment]
    next(a for a in menu.actions() if a.text() == path[-1]).trigger()


def test_chain_and_exposure_of_a_known_curve(window: Window) -> None:
    """ACEScct (Academy S-2016-001): 18 % grey at 0.4136, that is legal code 64 + 876 x 0.4136 = 426."""
    said = words(window)
    assert "41.4 %  426" in said
    assert "reached; its ceiling" in said
    assert window.plan.open_count == 0
    assert "every link is right" in said
    assert len(window.plan.widget().findChildren(ExposureStrip)) == 2
    assert window.next_step()[1] == "shots.audit"


def test_encodings_are_chosen_one_after_the_other_by_key(window: Window) -> None:
    production = production_of(window)
    cameras = sorted(production.all(Camera), key=lambda c: c.name)
    production.change("no encodings", *(replace(c, encoding="") for c in cameras))
    settle_down(window)
    names = [c.camera.name for c in window.plan.chain.cameras]
    for name in names:
        QTest.keyClick(window, Qt.Key.Key_E)
        picker = window.plan.picker
        assert name in picker.windowTitle()
        picker.search.setText("ACEScct")
        picker.accept()
        window.activateWindow()  # without a window manager nobody does it when the dialog goes
        rest(50)
        focus = window.focusWidget()
        assert focus is not None and focus.accessibleName() == f"Change {name}"
    assert {c.encoding for c in production.all(Camera)} == {"ACEScct"}


def test_policy_moves_the_asked_grey(window: Window) -> None:
    assert "47.1 %  476" in words(window)  # one stop up: 0.4136 + 1 / 17.52
    QTest.mouseClick(button(window, "Protect highlights"), Qt.MouseButton.LeftButton)
    assert policy_of(production_of(window)) == "protect"
    assert "38.5 %  401" in words(window)  # half a stop down
    stops = window.plan.widget().findChild(Number)
    stops.setFocus()
    stops.selectAll()
    QTest.keyClicks(stops, "-2")
    QTest.keyClick(stops, Qt.Key.Key_Return)
    assert "29.9 %  326" in words(window)
    QTest.keyClick(window, Qt.Key.Key_Z, Qt.KeyboardModifier.ControlModifier)
    QTest.keyClick(window, Qt.Key.Key_Z, Qt.KeyboardModifier.ControlModifier)
    assert "47.1 %  476" in words(window)


def test_cameras_with_different_targets_are_said(window: Window) -> None:
    camera = production_of(window).all(Camera)[1]
    production_of(window).change("other", replace(camera, exposure_stops=0.5))
    assert "expose each to its own target" in words(window)


def test_several_screens_plain_or_tone_mapped(window: Window) -> None:
    config = window.plan.config
    p3 = next(d for d, _ in config.displays() if "P3" in d)
    menu = button(window, "Add a screen").menu()
    views = dict(config.displays())[p3]
    choose(menu, p3.replace(" - Display", ""), views[0])
    assert [d.display for d in deliverables_of(production_of(window), config)][1] == p3
    assert words(window).count("tone-mapped") == 2
    plain = next(v for v in views if "Un-tone" in v)
    rest(5)
    box = window.plan.widget().findChildren(QComboBox)[1]
    box.setCurrentText(plain)
    box.textActivated.emit(plain)
    assert "plain, cut off 2.5 stops over grey" in words(window)
    raw = next((v for v in views if v == "Raw"), None)
    if raw:
        window.plan.change_screen(1, p3, raw)
        assert "without any view" in words(window)
    rest(5)
    removes = [b for b in window.plan.widget().findChildren(QPushButton) if b.text() == "Remove"]
    QTest.mouseClick(removes[1], Qt.MouseButton.LeftButton)
    assert len(deliverables_of(production_of(window), config)) == 1


def test_working_space_and_configuration(window: Window, tmp_path: Path) -> None:
    box = next(
        b for b in window.plan.widget().findChildren(QComboBox) if b.accessibleName() == "Working space"
    )
    assert box.currentText() == "ACEScct"
    box.textActivated.emit("ACEScc")
    assert "ACEScc" in window.plan.chain.working.name
    other = tmp_path / "other.ocio"
    other.write_text(window.plan.config.text())
    window.plan.use_config(other)
    assert window.plan.config.path == other
    assert production_of(window).option("config") == "other.ocio"
    window.plan.use_config(tmp_path / "none.ocio")
    assert "does not exist" in window.message
    assert window.plan.config.path == other


def test_encoding_range_and_presets_of_a_camera(window: Window) -> None:
    plan = window.plan
    camera = production_of(window).all(Camera)[0]
    production_of(window).change("unknown", replace(camera, encoding=""))
    until(lambda: plan.open_count == 1)
    assert "not chosen yet" in words(window)
    plan.ask_encoding(production_of(window).all(Camera)[0])
    plan.picker.search.setText("acescct")
    plan.picker.range.setCurrentIndex(1)
    plan.picker.accept()
    chosen = production_of(window).all(Camera)[0]
    assert (chosen.encoding, chosen.range) == ("ACEScct", "full")
    assert "full, said by a person" in words(window)
    rest(5)
    change = next(b for b in plan.widget().findChildren(QPushButton) if b.accessibleName() == "Change Heron")
    choose(change.menu(), "Keep as a preset for other productions")
    production_of(window).change("unknown", replace(chosen, encoding="", range=""))
    rest(5)
    change = next(b for b in plan.widget().findChildren(QPushButton) if b.accessibleName() == "Change Heron")
    choose(change.menu(), "As in earlier productions: ACEScct")
    assert production_of(window).all(Camera)[0].encoding == "ACEScct"
    rest(5)
    change = next(b for b in plan.widget().findChildren(QPushButton) if b.accessibleName() == "Change Heron")
    choose(change.menu(), "Range of its files", "legal")
    assert production_of(window).all(Camera)[0].range == "legal"


def test_a_stand_in_is_doubtful_with_its_reason(window: Window) -> None:
    from aquin.production.stand_in import take_stand_in

    production, plan = production_of(window), window.plan
    camera = production.all(Camera)[1]
    found = [Candidate("ACEScct", 0.04, 1.01, 1.2), Candidate("ACEScc", 0.2, 1.1, 3.0)]
    dialog = ask_nearest(plan, camera, found, lambda c: take_stand_in(production, camera, c))
    ok = next(b for b in dialog.findChildren(QPushButton) if b.text() == "Let it stand in")
    QTest.mouseClick(ok, Qt.MouseButton.LeftButton)
    assert "stands in: nearest known by its chart: grey steps within 0.04 stop" in words(window)
    assert production.journal(1)[0].why.startswith("nearest known")
    plan.ask_nearest(camera)  # no chart was filmed with media that are there
    until(lambda: "no chart of Egret can be read" in window.message, 30)


def test_routine_is_chosen_per_setup(window: Window) -> None:
    assert "● 24-patch" in words(window)
    assert "○ grey card" in words(window)
    galley = button(window, "galley")
    choose(galley.menu(), "grey card")
    assert production_of(window).all(Setup)[0].routine == ("24-patch",)
    assert words(window).count("○ grey card") == 2  # the pier still asks for it


def test_luts_and_crew_sheet_go_to_files(window: Window, tmp_path: Path) -> None:
    plan = window.plan
    plan.ask_luts()
    plan.luts.write(tmp_path)
    until(lambda: "Wrote" in window.message, 60)
    assert {p.name for p in tmp_path.glob("*.cube")} == {"Heron-monitor.cube", "Egret-monitor.cube"}
    assert cube.read(tmp_path / "Heron-monitor.cube")[1] == 33
    for name in ("sheet.pdf", "sheet.html"):
        write_sheet(production_of(window), plan.config, plan.chain, tmp_path / name, window.jobs, window.tell)
        until(lambda n=name: f"Wrote {n}" in window.message, 60)
        assert (tmp_path / name).stat().st_size > 2000


def test_without_a_production_the_views_say_what_to_do(app: QApplication) -> None:
    empty = Window(keep=False)
    empty.show()
    for name in ("plan", "shots"):
        empty.show_view(name)
        assert empty.next_step() == ("Open a production, or the demo", "file.open")
    assert "No production is open" in "\n".join(label.text() for label in empty.plan.findChildren(QLabel))
    put_away(empty)


def test_digits_switch_views_and_each_has_its_help(window: Window) -> None:
    for key, name in ((Qt.Key.Key_2, "shots"), (Qt.Key.Key_5, "bench"), (Qt.Key.Key_1, "plan")):
        QTest.keyClick(window, key)
        assert window.shown == name
        window.show_help()
        assert name[:4].lower() in window.help_dialog.windowTitle().lower()
        window.help_dialog.close()
        window.activateWindow()
