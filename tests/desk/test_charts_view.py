"""The Charts view in its real window: takes are read, marked, solved and kept; profile and latitude follow; undo
takes it back.
"""

from collections.abc import Iterator
from pathlib import Path

import numpy as np
import pytest
from PySide6.QtCore import QPointF, Qt
from PySide6.QtTest import QTest
from PySide6.QtWidgets import QApplication
from test_shots import until

from aquin.charts.layout import layout
from aquin.desk.app import put_away
from aquin.desk.charts.state import ChartDesk, said_without_takes
from aquin.desk.screenshots import settle_down
from aquin.desk.shots.raw_dialog import RawDialog
from aquin.desk.window import Window
from aquin.frames import Decode
from aquin.production import Camera, Production, Setup, Shot
from aquin.production.audit import Finding, dismiss
from aquin.production.audit.charts import CHART
from aquin.production.charting import mark_of
from aquin.production.grading import balance_of, held_grade
from aquin.production.raw import decode_of
from aquin.production.records import Root
from desk.pages import production_of, shown_window
from rawfile import put
from stills import still

STOPS = range(-3, 4)


def fill(folder: Path) -> Path:
    """Charts of two cameras in one setup, a grey card, a raw chart, and a short series."""
    card = layout()
    media = folder / "media"
    media.mkdir()
    made = Production.create(folder / "ferry.aquin", "Ferry film")
    root, setup = Root("media", "media"), Setup("galley", 1)
    cameras = [Camera("Heron", "ACEScct", position=0), Camera("Egret", "ACEScct", position=1)]
    shots = []

    def log(
        name: str, kind: str, target: str, camera: Camera, stops: float | None = None, suffix: str = ".tif"
    ) -> None:
        shots.append(
            Shot(
                root.id,
                f"{name}{suffix}",
                name,
                kind,
                camera.id,
                setup.id if kind != "series" else "",
                target=target,
                frames=1,
                series_stops=stops,
                content=name,
                file_range="full",
                file_matrix="rgb",
                floating=suffix == ".dng",
            )
        )

    for name, camera, stops in (("a1x", cameras[0], 0.0), ("b1x", cameras[1], 0.5)):
        still(media / f"{name}.tif", card, stops)
        log(name, "chart", "24-patch", camera)
    still(media / "cx.tif", card, 0.0, card=False)
    log("cx", "grey card", "grey card", cameras[0])
    put(media / "r1x.dng", card)
    log("r1x", "chart", "24-patch", cameras[1], suffix=".dng")
    for s in STOPS:
        name = f"s{'m' if s < 0 else 'p'}{abs(s)}x"
        still(media / f"{name}.tif", card, s)
        log(name, "series", "24-patch", cameras[0], float(s))
    for name in ("d1", "d2"):
        log(name, "shot", "", cameras[0])
    made.change("log", root, setup, *cameras, *shots)
    made.close()
    return folder / "ferry.aquin"


@pytest.fixture
def window(app: QApplication, tmp_path: Path) -> Iterator[Window]:
    made = shown_window(fill(tmp_path))
    made.show_view("charts")
    until(lambda: made.charts.shot is not None and made.charts.shot.id in made.charts.desk.solved, 60)
    settle_down(made)
    yield made
    put_away(made)


def shot(window: Window, name: str) -> Shot:
    return next(s for s in production_of(window).all(Shot) if s.name == name)


def pick(window: Window, name: str) -> None:
    view = window.charts
    for row in range(view.list.count()):
        if view.list.item(row).data(Qt.ItemDataRole.UserRole) == shot(window, name).id:
            view.list.setCurrentRow(row)
    settle_down(window)


def test_a_take_is_read_solved_and_kept_as_the_balance(window: Window) -> None:
    view = window.charts
    assert view.shot is not None
    assert view.shot.name == "a1x"
    assert "frame 0 of 1" in view.why.text()
    assert view.frame.corners is not None
    assert view.frame.image is not None
    titles = [view.solutions.item(k).text().split(":")[0] for k in range(view.solutions.count())]
    assert titles[:4] == ["grey gains", "CDL", "3×3", "root polynomial"]
    assert [t.split(",")[0] for t in titles[-3:]] == ["step 1", "step 2", "step 3"]
    assert {"grey gains + flare", "3×3 + flare"} >= set(titles[4:-3])
    assert window.rail.counts["charts"].text() == "2"
    view.solutions.setCurrentRow(1)
    QTest.keyClick(window, Qt.Key.Key_Return, Qt.KeyboardModifier.ControlModifier)
    settle_down(window)
    production = production_of(window)
    kept = balance_of(production, shot(window, "a1x"))
    assert kept is not None
    assert kept.origin.startswith("CDL of a1x")
    assert held_grade(production, shot(window, "d1")) is not None
    assert "2 shots of Heron in galley follow" in view.offer.text()
    assert window.rail.counts["charts"].text() == "1"
    QTest.keyClick(window, Qt.Key.Key_Z, Qt.KeyboardModifier.ControlModifier)
    settle_down(window)
    assert balance_of(production, shot(window, "a1x")) is None


def test_picking_a_solution_moves_swatches_plane_and_lines(window: Window) -> None:
    view = window.charts
    seen = []
    for row in (0, 3):
        view.solutions.setCurrentRow(row)
        seen.append(float(np.mean([r["after_de"] for r in view.swatches.rows])))
        assert len(view.plane.points[0]) == sum(not r["dropped"] for r in view.swatches.rows) >= 22
        assert view.lines.data[2].shape == (6, 3)
    assert seen[1] < seen[0]
    filmed, after = view.lines.data[1:]
    assert np.ptp(after, axis=1).max() < np.ptp(filmed, axis=1).max() + 1e-9
    assert np.abs(after).max() < np.abs(filmed).max()


def test_a_corner_is_dragged_with_a_loupe_and_the_reading_follows_and_undo_takes_it_back(
    window: Window,
) -> None:
    view = window.charts
    production = production_of(window)
    before = view.frame.corners
    assert before is not None
    start = view.frame._to_widget(before[2])
    end = QPointF(start.x() + 6, start.y() + 4)
    QTest.mousePress(view.frame, Qt.MouseButton.LeftButton, pos=start.toPoint())
    QTest.mouseMove(view.frame, end.toPoint())
    assert view.frame._held == 2
    assert not view.frame.grab().isNull()  # with the loupe
    QTest.mouseRelease(view.frame, Qt.MouseButton.LeftButton, pos=end.toPoint())
    until(lambda: bool(mark_of(production, shot(window, "a1x")).corners))
    settle_down(window)
    assert view.frame.corners is not None
    assert np.abs(view.frame.corners[2] - before[2]).max() > 2
    QTest.keyClick(window, Qt.Key.Key_Z, Qt.KeyboardModifier.ControlModifier)
    settle_down(window)
    assert not mark_of(production, shot(window, "a1x")).corners
    assert view.frame.corners is not None
    assert np.abs(view.frame.corners - before).max() < 1


def test_corners_move_by_keys(window: Window) -> None:
    view = window.charts
    view.frame.setFocus()
    view.frame.picked = 0
    QTest.keyClick(view.frame, Qt.Key.Key_N)
    assert view.frame.picked == 1
    was = view.frame.corners
    assert was is not None
    QTest.keyClick(view.frame, Qt.Key.Key_Right, Qt.KeyboardModifier.ShiftModifier)
    marked = mark_of(production_of(window), shot(window, "a1x")).corners
    assert marked[1][0] == pytest.approx(was[1][0] + 10, abs=0.1)


def test_a_patch_is_left_out_by_a_click_and_taken_back(window: Window) -> None:
    view = window.charts
    production = production_of(window)
    row = next(r for r in view.swatches.rows if r["name"] == "red")
    assert not row["dropped"]
    pairs = len(view.desk.solved[shot(window, "a1x").id].evidence.hero)
    at = view.swatches._box(row).center().toPoint()
    QTest.mouseClick(view.swatches, Qt.MouseButton.LeftButton, pos=at)
    settle_down(window)
    assert mark_of(production, shot(window, "a1x")).leave_out == ("red",)
    assert next(r for r in view.swatches.rows if r["name"] == "red")["dropped"] == "left out by hand"
    assert len(view.desk.solved[shot(window, "a1x").id].evidence.hero) == pairs - 1
    QTest.mouseClick(view.swatches, Qt.MouseButton.LeftButton, pos=at)
    settle_down(window)
    assert mark_of(production, shot(window, "a1x")).leave_out == ()


def test_a_grey_card_is_marked_by_hand_and_gives_gains(window: Window) -> None:
    view = window.charts
    pick(window, "cx")
    assert view.frame.corners is None
    view.mark_button.click()
    assert view.frame.corners is not None
    QTest.keyClick(view.frame, Qt.Key.Key_Right)
    settle_down(window)
    solved = view.desk.solved[shot(window, "cx").id]
    assert [s.model for s in solved.solutions] == ["gains"]
    view.auto_button.click()
    settle_down(window)
    assert not mark_of(production_of(window), shot(window, "cx")).corners


def test_metric_warp_weights_and_hero_change_how_it_is_solved(window: Window) -> None:
    view = window.charts
    view.metric_box.setCurrentIndex(view.metric_box.findData("dE ITP"))
    view.metric_box.activated.emit(view.metric_box.currentIndex())
    settle_down(window)
    solved = view.desk.solved[shot(window, "a1x").id]
    assert {s.metric for s in solved.solutions} == {"dE ITP"}
    view.warp.setChecked(True)
    settle_down(window)
    models = [s.model for s in view.desk.solved[shot(window, "a1x").id].solutions]
    assert len([m for m in models if "flare" not in m]) == 8
    view.warp.setChecked(False)
    view.weights["skin"].setText("20")
    view.weights["skin"].setModified(True)
    view.weights["skin"].editingFinished.emit()
    settle_down(window)
    assert view.desk.choice.skin == 20
    from dataclasses import replace

    production = production_of(window)
    production.change("hero", replace(production.all(Setup)[0], hero_id=shot(window, "d1").id))
    settle_down(window)
    pick(window, "b1x")
    view.reference.setCurrentIndex(1)
    view.reference.activated.emit(1)
    settle_down(window)
    hero = view.desk.solved[shot(window, "b1x").id].hero
    assert hero is not None
    assert hero.name == "a1x"


def test_which_encoding_is_asked_and_answered(window: Window) -> None:
    window.charts.what_button.click()
    until(lambda: hasattr(window.charts, "dialog"), 30)
    text = window.charts.dialog.windowTitle()
    assert "a1x" in text
    window.charts.dialog.reject()


def test_keys_step_through_takes(window: Window) -> None:
    view = window.charts
    names = [s.name for s in view.desk.takes()]
    assert names == ["a1x", "cx", "b1x", "r1x"]
    QTest.keyClick(window, Qt.Key.Key_Period)
    assert view.shot is not None
    assert view.shot.name == "cx"
    QTest.keyClick(window, Qt.Key.Key_Comma)
    assert view.shot.name == "a1x"
    settle_down(window)


def test_a_series_is_measured_exported_and_used(window: Window, tmp_path: Path) -> None:
    view = window.charts
    view.show_page("profile")
    page = view.profile
    page.measure_button.click()
    until(lambda: bool(page.made), 90)
    settle_down(window)
    assert "log curve" in page.summary.text()
    assert "matrix to AP1" in page.words.text()
    assert page.curve.lines
    assert page.residual.lines
    page.export(tmp_path / "heron.clf")
    until(lambda: "Wrote heron.clf" in window.message)
    page.name.setText("Heron own")
    page.use_button.click()
    settle_down(window)
    production = production_of(window)
    assert next(c for c in production.all(Camera) if c.name == "Heron").encoding == "Heron own"
    assert window.session.config.resolve("Heron own") == "Heron own"
    window.history.undo()
    assert next(c for c in production.all(Camera) if c.name == "Heron").encoding == "ACEScct"


def test_latitude_is_measured_judged_anew_and_reported(window: Window, tmp_path: Path) -> None:
    view = window.charts
    view.show_page("latitude")
    page = view.latitude
    page.measure_button.click()
    until(lambda: bool(page.found), 90)
    settle_down(window)
    assert page.table.rowCount() == len(STOPS)
    assert "usable from" in page.words.text()
    (found,) = page.found.values()
    page.limits["mired"].setText("0.5")
    page.limits["mired"].setModified(True)
    page.limits["mired"].editingFinished.emit()
    (again,) = page.found.values()
    assert again.limits.mired == 0.5
    assert again.width <= found.width
    page.table.selectRow(0)
    page.lift_button.click()
    until(lambda: page.pair.lifted is not None)
    settle_down(window)
    assert page.pair.lifted is not None
    assert page.pair.lifted.delta_e00[1] > page.pair.lifted.delta_e00[0]
    assert not page.pair.grab().isNull()
    page.write_report(tmp_path / "latitude.html")
    until(lambda: (tmp_path / "latitude.html").exists())


def test_raw_settings_are_asked_in_shots_and_kept(window: Window) -> None:
    window.show_view("shots")
    window.shots.select([shot(window, "r1x").id])
    settle_down(window)
    button = window.shots.shot_buttons["Develop …"]
    assert button.isVisible()
    button.click()
    dialog = window.shots.raw_dialog
    assert isinstance(dialog, RawDialog)
    dialog.exposure.show_value(0.7)
    dialog.as_shot.setChecked(False)
    dialog.kelvin.show_value(4800)
    dialog.accept()
    settle_down(window)
    assert decode_of(production_of(window), shot(window, "r1x")) == Decode(0.7, 4800.0)
    window.shots.select([shot(window, "a1x").id])
    assert not button.isVisible()
    window.look_at(shot(window, "r1x"), "shot")
    until(lambda: window.state.loaded["shot"] is not None, 30)
    side = window.state.now.shot
    assert side is not None
    assert dict(side.raw)["kelvin"] == 4800


def test_an_empty_program_says_what_to_do(app: QApplication) -> None:
    made = Window(keep=False)
    made.show()
    made.show_view("charts")
    settle_down(made)
    assert "No production is open" in made.charts.frame.message
    assert made.charts.desk.takes() == []
    assert ChartDesk().open_count == 0
    put_away(made)


def test_an_empty_view_says_what_is_known_of_charts(tmp_path: Path) -> None:
    assert "No production is open" in said_without_takes(None)
    made = Production.create(tmp_path / "p.aquin")
    assert "Log the shoot" in said_without_takes(made)
    root = Root("media", "media")
    shots = [Shot(root.id, f"{k}.mov", str(k)) for k in range(3)]
    made.change("log", root, *shots)
    assert "Audit" in said_without_takes(made)
    found = Finding(CHART, "warning", 0.95, "they show a chart", tuple(s.id for s in shots))
    made.keep_findings({found.key: found.data()})
    assert "3 recordings show one" in said_without_takes(made)
    dismiss(made, found, "it lies about")
    assert "Audit" in said_without_takes(made)
    made.close()
