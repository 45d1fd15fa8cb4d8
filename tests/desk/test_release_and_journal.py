"""The release and the journal by hand: two seats work, one releases, the other verifies, grades on and sends a copy
back, it is merged; a picture from elsewhere is asked about; the journal is filtered, and undone from.
"""

import json
import shutil
from collections.abc import Iterator
from pathlib import Path

import cv2
import numpy as np
import pytest
from PySide6.QtCore import Qt
from PySide6.QtTest import QTest

from aquin.colour.grade import Balance
from aquin.colour.grade import Grade as Correction
from aquin.desk.window import Window
from aquin.production import Production, Shot
from aquin.production.grading import held_grade, keep_grade
from aquin.production.settings import Deliverable, config_of, deliverables_of, keep_deliverables
from desk.pages import a_window, press, production_of, wait_for
from shoots import copy_of


@pytest.fixture
def window(settled: Path, tmp_path: Path) -> Iterator[Window]:
    path = settled.with_name(f"{tmp_path.name}.aquin")
    copy_of(settled, path)
    production = Production.open(path)
    from dataclasses import replace

    shots = [s for s in production.all(Shot) if s.kind == "shot"]
    production.change("fewer shots", *(replace(s, kind="reference") for s in shots[4:]))
    production.close()
    with a_window(path) as made:
        yield made


def shots_of(production: Production) -> list[Shot]:
    return [s for s in production.all(Shot) if s.kind == "shot"]


def regrade(path: Path, name: str, stops: float) -> None:
    production = Production.open(path)
    shot = next(s for s in production.all(Shot) if s.name == name)
    from dataclasses import replace

    grade = held_grade(production, shot) or Correction()
    moved = Balance(grade.balance.stops + stops, grade.balance.gains)
    keep_grade(production, config_of(production), shot, replace(grade, balance=moved), "by hand")
    production.close()


def test_two_seats_one_release(window: Window, tmp_path: Path) -> None:
    press(window.bench.pictures, Qt.Key.Key_9)
    view, production = window.views.release, production_of(window)
    assert window.shown == "release" and view.page == "contents"
    wait_for(lambda: len(view.desk.rows) == 4 and view.idle(), 30)
    assert view.contents.table.rowCount() == 4 and "first release" in window.next_step()[0]
    # release, by the keyboard and the dialog
    out = tmp_path / "handed-on"
    press(view.list, Qt.Key.Key_Return, Qt.KeyboardModifier.ControlModifier)
    dialog = view.doings.dialog
    assert dialog is not None and dialog.isVisible()
    dialog.place.setText("not/absolute")
    dialog.ok.click()
    assert dialog.isVisible() and "where shall" in dialog.trouble.text()
    dialog.place.setText(str(out))
    dialog.formats["cube"].setChecked(False)
    dialog.formats["ready"].setChecked(False)
    dialog.note.setText("for the others")
    dialog.ok.click()
    wait_for(lambda: view.desk.verified is not None, 120)
    assert view.page == "verify" and view.desk.verified is not None and view.desk.verified.ok
    assert view.list.count() == 1 and "whole" in view.check.title.text()
    data = json.loads((out / "release.json").read_text())
    assert data["note"] == "for the others" and len(data["shots"]) == 4

    # the other seat: verifies, opens the copy in it, which is for reading; works on a copy of it and sends that back
    other = Production.open(out / "production.aquin")
    assert other.read_only and any("release" in note for note in other.notes)
    back = tmp_path / "back.aquin"
    other.save_copy(back)
    other.close()
    names = [s.name for s in shots_of(production)]
    regrade(back, names[1], -0.4)
    regrade(back, names[2], 0.25)
    regrade(production.path, names[1], 0.3)  # and here somebody graded one of the same
    wait_for(lambda: window.session.production is not None and not window.jobs.titles, 20)
    production.refresh()
    mine = held_grade(production, shots_of(production)[1])

    # it comes back and is merged, with theirs for the one that both have changed
    view.doings.plan_merge(back)
    wait_for(lambda: view.doings.merging is not None, 60)
    merging = view.doings.merging
    assert merging is not None and merging.table.rowCount() == 1 and len(merging.sheet.cells) == 2
    merging.take.setCurrentIndex(merging.take.findData("theirs"))
    merging.take.activated.emit(merging.take.currentIndex())
    merging.ok.click()
    wait_for(lambda: "are taken from" in window.message, 30)
    now = held_grade(production, shots_of(production)[1])
    assert mine is not None and now is not None
    assert now.balance.stops - mine.balance.stops == pytest.approx(-0.7, abs=1e-6)

    # what changed since the release
    window.commands.run("release.compare")
    wait_for(lambda: view.desk.compared is not None, 60)
    found = view.desk.compared
    assert found is not None and {c.shot: round(c.stops, 2) for c in found.changed} == {
        names[1]: -0.4,
        names[2]: 0.25,
    }
    assert view.page == "changes" and len(view.changes.sheet.cells) == 2
    view.step(1)
    assert view.desk.chosen == 1

    # one undo takes the merge back
    window.history.undo()
    assert held_grade(production, shots_of(production)[1]) == mine

    # a file that was changed is named
    shutil.copytree(out, tmp_path / "changed")
    name = data["shots"][0]["files"]["cc"]
    (tmp_path / "changed" / name).write_text((tmp_path / "changed" / name).read_text().replace("1.0", "1.1"))
    view.open_release(tmp_path / "changed")
    wait_for(lambda: view.desk.verified is not None, 60)
    assert "not as it was made" in view.check.title.text() and view.check.table.name_of(0) == name

    # what did they do?
    from aquin.release.routes import pixels

    shot = data["shots"][0]
    right = np.clip(pixels(out / shot["check"]["screen"]), 0, 1)
    shown = tmp_path / f"grab of {shot['name']}.png"
    cv2.imwrite(str(shown), np.round((right ** (2.2 / 2.4))[..., ::-1] * 255).astype(np.uint8))
    view.open_release(out)
    wait_for(lambda: view.desk.verified is not None and not window.jobs.titles, 60)
    view.doings.take_picture(shown)
    wait_for(lambda: view.desk.told is not None, 60)
    assert view.desk.told is not None and view.desk.told.causes[0].id == "gamma-2.2"
    assert view.page == "picture" and view.picture.shot_name == shot["name"]
    assert "gamma 2.2" in view.picture.verdict.text() and len(view.picture.sheet.cells) == 4


def test_what_the_picture_was_made_for_is_asked_where_there_are_several(window: Window) -> None:
    production = production_of(window)
    config = config_of(production)
    window.show_view("release")
    page = window.views.release.picture
    page.show_desk()
    assert page.deliverable is None and not page.deliverables.isVisibleTo(page)
    display, views = config.displays()[0]
    other = Deliverable("for the web", display, views[0])
    keep_deliverables(production, [*deliverables_of(production, config), other], "one more")
    window.session.touch()
    page.show_desk()
    assert page.deliverable is None and page.deliverables.isVisibleTo(page)
    page.deliverables.setCurrentIndex(1)
    assert page.deliverable == "for the web"


def test_a_stopped_release_leaves_nothing(window: Window, tmp_path: Path) -> None:
    from aquin.jobs.release_contents import Wish

    window.show_view("release")
    view = window.views.release
    view.doings.release(tmp_path / "r", Wish(formats=("cc",)), None)
    wait_for(lambda: window.jobs.running("release"), 10)
    window.stop()
    wait_for(lambda: not list(tmp_path.glob(".aquin-release-*")) and not (tmp_path / "r").exists(), 60)
    assert view.desk.releases == ()


def test_the_journal_by_hand(window: Window, tmp_path: Path) -> None:
    production = production_of(window)
    shots = shots_of(production)
    config = config_of(production)
    for k, shot in enumerate(shots[:3]):
        keep_grade(production, config, shot, Correction(Balance(0.1 * (k + 1))), "by hand")
    window.session.touch()
    press(window.bench.pictures, Qt.Key.Key_0)
    view = window.views.journal
    assert window.shown == "journal"
    wait_for(lambda: len(view.desk.lines) >= 4 and view.idle(), 30)
    everything = view.table.rowCount()
    press(view.table, Qt.Key.Key_F, Qt.KeyboardModifier.ControlModifier)
    QTest.keyClicks(view.text, "by hand")
    assert 3 <= view.table.rowCount() < everything
    press(view.text, Qt.Key.Key_Return)
    assert view.table.hasFocus()
    box = view.boxes["shot_id"]
    box.setCurrentIndex(box.findData(shots[1].id))
    box.activated.emit(box.currentIndex())
    assert view.table.rowCount() == 1
    view.table.setCurrentCell(0, 0)
    assert "+0.20 st" in view.changes.toPlainText()
    wait_for(lambda: len(view.sheet.cells) == 2, 30)  # before and after
    # undo from there takes back this step and the one after it, and is in the journal itself
    assert view.undo_button.isEnabled() and "1 later" in view.undo_button.text()
    before = held_grade(production, shots[0])
    view.undo_button.click()
    assert held_grade(production, shots[0]) == before
    assert held_grade(production, shots[1]) != Correction(Balance(0.2))
    view.text.clear()
    box.setCurrentIndex(0)
    box.activated.emit(0)
    wait_for(lambda: view.table.rowCount() == everything + 2, 30)
    view.boxes["kind"].setCurrentIndex(view.boxes["kind"].findData("grade"))
    view.boxes["kind"].activated.emit(view.boxes["kind"].currentIndex())
    assert view.table.rowCount() < everything
    # Enter looks at the shot
    row = next(k for k in range(view.table.rowCount()) if "trim of" in view.table.text(k, 3))
    view.table.setCurrentCell(row, 0)
    press(view.table, Qt.Key.Key_Return)
    assert window.shown == "bench"


def test_notes_by_hand(window: Window) -> None:
    production = production_of(window)
    shot = shots_of(production)[1]
    window.look_beside(shot)
    wait_for(lambda: window.bench.seeing.idle() and not window.jobs.titles, 60)
    window.commands.run("app.notes")
    dialog = window.others.notes
    QTest.keyClicks(dialog.text, "the wall is too warm")
    dialog.to.setCurrentText("editor")
    QTest.keyClick(dialog.text, Qt.Key.Key_Return)
    assert dialog.table.rowCount() == 1 and dialog.table.text(0, 3) == "editor"
    dialog.reject()
    wait_for(lambda: "the wall is too warm" in window.bench.notices.finding.words.text(), 20)
    window.bench.notices.finding.buttons[-1].click()
    dialog = window.others.notes
    dialog.table.setCurrentCell(0, 0)
    dialog.done_button.click()
    assert dialog.table.text(0, 0).startswith("done")
    dialog.reject()
    wait_for(lambda: "the wall" not in window.bench.notices.finding.words.text(), 20)
