"""Two seats on one production in the window: who is here, what they do, and undo that does not take their work away."""

import os
import subprocess
import sys
from collections.abc import Iterator
from dataclasses import replace
from pathlib import Path

import pytest
from PySide6.QtWidgets import QApplication

from aquin.colour.config import ColourConfig
from aquin.desk.screenshots import settle_down
from aquin.desk.several import MovedDialog, SeatsDialog
from aquin.desk.window import Window
from aquin.production import Camera, Option, Production, Setup, Shot
from desk.pages import a_window
from desk.pages import wait_for as until
from own_encoding import TERN


@pytest.fixture
def window(app: QApplication) -> Iterator[Window]:
    with a_window(keep=False) as made:
        yield made


@pytest.fixture
def film(tmp_path: Path, monkeypatch: pytest.MonkeyPatch) -> Path:
    from aquin.production import Root

    monkeypatch.setenv("AQUIN_PERSON", "Ingrid")
    made = Production.create(tmp_path / "ferry.aquin")
    root, setup = Root("media", "media"), Setup("galley")
    made.change(
        "log", root, setup, *(Shot(root.id, f"{k}.mkv", f"A{k}", setup_id=setup.id) for k in range(3))
    )
    made.close()
    return made.path


OTHER = """
import sys, time
from dataclasses import replace
from pathlib import Path
from aquin.production import Production, Setup, Shot
production = Production.open(Path(sys.argv[1]))
shots = production.all(Shot)
production.attend(shots[1].id)
setup = production.all(Setup)[0]
production.change("A2 is the hero of galley", replace(setup, hero_id=shots[2].id))
print("ready", flush=True)
sys.stdin.readline()
production.close()
"""


def test_who_is_here_what_they_do_and_undo_beside_it(window: Window, film: Path) -> None:
    assert window.productions.open(film)
    production = window.session.production
    assert production is not None
    shots, setup = production.all(Shot), production.all(Setup)[0]
    production.change(
        "A1 is the hero of galley", replace(setup, hero_id=shots[1].id), replace(shots[0], note="x")
    )
    other = subprocess.Popen(
        [sys.executable, "-c", OTHER, str(film)],
        stdin=subprocess.PIPE,
        stdout=subprocess.PIPE,
        env=os.environ | {"AQUIN_PERSON": "Oskar"},
        text=True,
    )
    try:
        until(lambda: production.get(Setup, setup.id).hero_id == shots[2].id, 20)
        until(lambda: window.message.startswith("Oskar: A2 is the hero"), 5)
        until(lambda: window.foot.others_button.text() == "Oskar on A1", 5)
        assert window.foot.others_button.isVisibleTo(window)
        window.foot.others_button.click()
        listed = next(
            w for w in QApplication.topLevelWidgets() if isinstance(w, SeatsDialog) and w.isVisible()
        )
        listed.close()

        window.history.undo()
        asked = next(
            w for w in QApplication.topLevelWidgets() if isinstance(w, MovedDialog) and w.isVisible()
        )
        assert [asked.table.item(0, k).text() for k in range(3)] == [
            "Oskar has changed the hero of setup galley",
            "A2",
            "(empty)",
        ]
        assert production.get(Shot, shots[0].id).note == "x"
        assert asked.rest.isEnabled()
        asked.rest.click()
        assert production.get(Shot, shots[0].id).note == ""
        assert production.get(Setup, setup.id).hero_id == shots[2].id
        assert "left as others made it: 1" in window.message
    finally:
        other.communicate("\n", timeout=20)
    until(lambda: not window.foot.others_button.isVisibleTo(window), 10)


def test_changes_of_others_arrive_while_a_job_runs(window: Window, film: Path) -> None:
    import threading

    assert window.productions.open(film)
    production = window.session.production
    assert production is not None
    over = threading.Event()
    window.jobs.start_long("long", "a long job", lambda tell: over.wait(20), lambda _: None, window.tell)
    other = Production.open(film)
    try:
        other.change("note", replace(other.all(Shot)[0], note="seen"))
        until(lambda: production.all(Shot)[0].note == "seen", 5)
        assert window.jobs.titles
    finally:
        over.set()
        other.close()


@pytest.mark.parametrize("by", ["this window", "another seat"])
def test_a_configuration_is_read_before_its_cameras_are_shown(
    window: Window, film: Path, tmp_path: Path, by: str
) -> None:
    """A camera that was measured names an encoding that the configuration before does not know."""
    path = tmp_path / "own.ocio"
    path.write_text(ColourConfig.load().with_encodings(TERN).text())
    assert window.productions.open(film)
    window.show_view("board")
    seen: list[bool] = []

    def look() -> None:
        cameras, config = window.session.production.all(Camera), window.session.config
        seen.append(all(config.resolve(c.encoding) == c.encoding for c in cameras))

    window.session.changed.connect(look)
    here = by == "this window"
    production = window.session.production if here else Production.open(film)
    production.change("measure Tern", Camera("Tern", "Tern Log"), Option(str(path.name), id="config"))
    until(lambda: bool(seen))
    settle_down(window)
    assert all(seen) and window.session.config.path == path
    assert "no encoding" not in window.message
    if not here:
        production.close()


def test_a_configuration_that_is_not_there_is_said_and_nothing_stands_still(
    window: Window, film: Path
) -> None:
    assert window.productions.open(film)
    before, seen = window.session.config, []
    window.session.changed.connect(lambda: seen.append(window.message))
    production = window.session.production
    production.change("another seat's", Option("gone.ocio", id="config"))
    production.change("and a camera", Camera("Tern", "ACEScct"))
    until(lambda: bool(seen))
    assert "gone.ocio" in seen[0] and window.session.config is before
    production.change("and another", Camera("Egret", "ACEScct"))
    assert len(seen) == 2
