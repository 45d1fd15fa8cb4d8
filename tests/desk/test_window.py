"""The window as a new user meets it: where it opens, what it shows first, and what comes back."""

from collections.abc import Iterator
from pathlib import Path
from threading import Event

import pytest
from PySide6.QtCore import QMimeData, QPoint, QPointF, QRect, Qt, QUrl
from PySide6.QtGui import QDropEvent
from PySide6.QtTest import QTest
from PySide6.QtWidgets import QApplication, QLineEdit, QPushButton

from aquin.desk.app import application, first_window, put_away
from aquin.desk.kit import ask
from aquin.desk.kit.number import Number
from aquin.desk.kit.room import fit, fit_shown
from aquin.desk.screenshots import settle_down
from aquin.desk.window import Window
from aquin.production import Production, Root
from desk.pages import rest, wait_for


@pytest.fixture
def window() -> Iterator[Window]:
    application()
    made = Window()
    made.show()
    yield made
    put_away(made)


def test_the_first_start_shows_the_start_page_and_makes_no_other_view(window: Window) -> None:
    assert window.shown == "start"
    assert list(window.start.buttons) == ["file.folder", "file.open", "file.address", "app.demo", "app.bench"]
    assert window.views.there == {}
    assert window.start.buttons["file.folder"].hasFocus() or not window.isActiveWindow()


def test_views_are_made_one_after_the_other_and_then_all_are_there(window: Window) -> None:
    window.views.furnish()
    assert len(window.views.there) == 1
    wait_for(lambda: len(window.views.there) == 4)
    assert window.shown == "start"


class Small:
    """A screen of 1280 x 800 of which a panel takes 28 lines."""

    def availableGeometry(self) -> QRect:
        return QRect(0, 28, 1280, 772)


@pytest.fixture
def small(window: Window, monkeypatch: pytest.MonkeyPatch) -> QRect:
    monkeypatch.setattr(window, "screen", Small)
    return Small().availableGeometry()


def test_the_window_fits_what_the_screen_leaves(window: Window, small: QRect) -> None:
    window.hide()
    fit(window)
    assert window.width() <= small.width() and window.height() + 36 <= small.height()  # the title bar
    window.show()
    window.setGeometry(0, 28, 1280, 800)  # what a window manager made of it
    fit_shown(window)
    assert small.contains(window.frameGeometry())
    assert window.minimumWidth() <= 1180 and window.minimumHeight() <= 680


def test_at_the_least_size_everything_stays_inside(window: Window) -> None:
    """1180 x 680 is what a small laptop leaves: the foot line and the rail must be whole."""
    window.resize(1180, 680)
    for name in ("start", "plan", "shots", "charts", "board", "bench"):
        window.show_view(name)
        rest(20)
        assert (window.width(), window.height()) == (1180, 680), name
        assert window.pages.minimumSizeHint().width() + window.rail.width() <= 1180, name
        foot = window.foot.geometry().translated(window.centralWidget().pos())
        assert window.rect().contains(foot), name


def test_size_and_place_come_back_only_where_they_fit(window: Window, small: QRect) -> None:
    left = QRect(20, 40, 1190, 700)
    fit(window, left)
    assert (window.pos(), window.size()) == (left.topLeft(), left.size())
    fit(window, QRect(5000, 40, 1190, 700))  # on a screen that is gone
    assert small.contains(window.geometry())


def drop(window: Window, path: Path) -> None:
    data = QMimeData()
    data.setUrls([QUrl.fromLocalFile(str(path))])
    event = QDropEvent(
        QPointF(20, 20),
        Qt.DropAction.CopyAction,
        data,
        Qt.MouseButton.LeftButton,
        Qt.KeyboardModifier.NoModifier,
    )
    window.start.dropEvent(event)


def test_a_dropped_folder_becomes_a_production(
    window: Window, demo: Path, tmp_path: Path, monkeypatch: pytest.MonkeyPatch
) -> None:
    wanted = tmp_path / "crossing.aquin"
    monkeypatch.setattr("aquin.desk.productions.ask_save", lambda *a, **k: (wanted, ""))
    drop(window, demo / "media")
    wait_for(lambda: window.session.production is not None, 30)
    assert window.shown == "shots"
    settle_down(window, 120)
    production = window.session.production
    assert production is not None and production.path == wanted
    from aquin.production import Shot

    assert len(production.all(Shot)) >= 2
    assert window.productions.recent == [wanted]


def test_a_new_production_leads_to_shots(
    window: Window, tmp_path: Path, monkeypatch: pytest.MonkeyPatch
) -> None:
    monkeypatch.setattr("aquin.desk.productions.ask_save", lambda *a, **k: (tmp_path / "new.aquin", ""))
    QTest.keyClick(window, Qt.Key.Key_N, Qt.KeyboardModifier.ControlModifier)
    wait_for(lambda: window.session.production is not None)
    wait_for(lambda: window.shown == "shots")
    assert "folder" in window.shots.empty.text().lower()
    assert window.next_step()[1] == "shots.log"


def test_recent_productions_are_on_the_start_page_and_in_the_menu(window: Window, tmp_path: Path) -> None:
    for name in ("one", "two"):
        Production.create(tmp_path / f"{name}.aquin").close()
        window.open_production(tmp_path / f"{name}.aquin")
    window.show_view("start")
    said = [window.start.recent.item(k).text().split()[0] for k in range(window.start.recent.count())]
    assert said == ["two", "one"]
    assert [a.text().split()[0] for a in window.rail.recent.actions()] == ["two", "one"]
    window.start.recent.setCurrentRow(1)
    window.start.recent.itemActivated.emit(window.start.recent.item(1))
    wait_for(lambda: window.windowTitle().startswith("one"))
    (tmp_path / "two.aquin").unlink()
    window.show_view("start")
    assert window.start.recent.count() == 1


def test_what_was_left_comes_back(tmp_path: Path) -> None:
    application()
    Production.create(tmp_path / "ferry.aquin").close()
    first = Window()
    first.open_production(tmp_path / "ferry.aquin")
    first.show_view("charts")
    display, views = first.session.config.displays()[-1]
    first.session.set_screen(display, views[-1])
    first.show()
    put_away(first)
    again = Window()
    assert again.shown == "charts" and again.session.screen == (display, views[-1])
    assert again.session.production is not None and again.session.production.path == tmp_path / "ferry.aquin"
    put_away(again)


def test_the_window_that_starts_the_program_is_dressed(window: Window) -> None:
    other = first_window()
    assert application().styleSheet()
    assert other.shown == "start"
    put_away(other)


def test_dialogs_begin_where_one_last_was_and_never_in_the_programs_folder(
    window: Window, tmp_path: Path, monkeypatch: pytest.MonkeyPatch
) -> None:
    monkeypatch.setattr(ask, "volumes", list)
    ask.work_in(None)
    for kind in (ask.PRODUCTIONS, ask.MEDIA, ask.EXPORTS, ask.CONFIGS):
        assert ask.folder_for(kind) == Path.home()
    (tmp_path / "cards").mkdir()
    ask.remember(ask.MEDIA, tmp_path / "cards")
    assert ask.folder_for(ask.MEDIA) == tmp_path / "cards"
    assert ask.folder_for(ask.EXPORTS) == Path.home()
    monkeypatch.setattr(ask, "volumes", lambda: [tmp_path / "volume"])
    (tmp_path / "cards").rmdir()
    assert ask.folder_for(ask.MEDIA) == tmp_path / "volume"


def test_an_open_productions_own_folders_are_at_hand(
    window: Window, tmp_path: Path, monkeypatch: pytest.MonkeyPatch
) -> None:
    monkeypatch.setattr(ask, "volumes", list)
    elsewhere = tmp_path / "elsewhere"
    elsewhere.mkdir()
    for kind in (ask.MEDIA, ask.STILLS, ask.EXPORTS):
        ask.remember(kind, elsewhere)
    (tmp_path / "film" / "media").mkdir(parents=True)
    production = Production.create(tmp_path / "film" / "film.aquin", "Film")
    production.change("a root", Root("media", "media"))
    production.close()
    window.open_production(tmp_path / "film" / "film.aquin")
    assert ask.folder_for(ask.STILLS) == ask.folder_for(ask.EXPORTS) == tmp_path / "film"
    assert ask.folder_for(ask.MEDIA) == tmp_path / "film" / "media"
    ask.remember(ask.STILLS, elsewhere)  # from then on where one last was
    assert (ask.folder_for(ask.STILLS), ask.folder_for(ask.EXPORTS)) == (elsewhere, tmp_path / "film")
    ask.work_in(None)
    assert ask.folder_for(ask.EXPORTS) == elsewhere


# numbers give the keyboard back


@pytest.fixture
def field(window: Window) -> Number:
    window.show_view("bench")
    window.activateWindow()
    stack = window.bench.panel.stack
    return next(n for n in stack.findChildren(Number) if n.isVisible())


def test_a_drag_gives_the_keyboard_back(window: Window, field: Number) -> None:
    """1 and 4, pressed after a drag to change views, were typed into the grade."""
    middle = field.rect().center()
    QTest.mousePress(field, Qt.MouseButton.LeftButton, pos=middle)
    for x in (6, 12, 20):
        QTest.mouseMove(field, middle + QPoint(x, 0))
    QTest.mouseRelease(field, Qt.MouseButton.LeftButton, pos=middle + QPoint(20, 0))
    value = field.value
    assert not isinstance(QApplication.focusWidget(), QLineEdit)
    QTest.keyClick(QApplication.focusWidget() or window, Qt.Key.Key_4)
    assert window.shown == "board"
    assert field.value == value


def test_escape_leaves_a_number_as_it_was_and_enter_takes_it(window: Window, field: Number) -> None:
    was = field.value
    field.setFocus()
    QTest.keyClicks(field, "0.5")
    QTest.keyClick(field, Qt.Key.Key_Escape)
    assert field.value == was and not field.hasFocus()
    field.setFocus()
    field.selectAll()
    QTest.keyClicks(field, "0.25")
    QTest.keyClick(field, Qt.Key.Key_Return)
    assert field.value == pytest.approx(0.25) and not field.hasFocus()


def test_pictures_only_and_back(window: Window) -> None:
    window.show_view("bench")
    bench = window.bench
    before = bench.columns.sizes()
    QTest.keyClick(window, Qt.Key.Key_X)
    assert bench.bare and not bench.panel.isVisible() and not bench.scopes.isVisible()
    QTest.keyClick(window, Qt.Key.Key_X)
    assert not bench.bare and bench.panel.isVisible() and bench.scopes.isVisible()
    assert bench.columns.sizes() == before
    QTest.keyClick(window, Qt.Key.Key_X, Qt.KeyboardModifier.ShiftModifier)
    assert not bench.scopes.isVisible() and bench.panel.isVisible()


def test_pictures_take_most_of_the_bench(window: Window) -> None:
    """At 1280 x 800 under a title bar, with everything shown."""
    window.resize(1280, 764)
    window.show_view("bench")
    rest(50)
    assert window.bench.pictures.height() >= 0.5 * 764
    assert window.bench.pictures.width() >= 820


def test_enter_presses_the_button_that_has_the_keyboard_as_space_does_and_moves_nothing(
    window: Window,
) -> None:
    window.show_view("look")
    look = window.views.look
    button = QPushButton("press", look)
    pressed: list[int] = []
    button.clicked.connect(lambda: pressed.append(1))
    button.show()
    size = button.sizeHint()
    button.setFocus()
    wait_for(button.hasFocus)
    assert button.sizeHint() == size
    for key in (Qt.Key.Key_Return, Qt.Key.Key_Enter, Qt.Key.Key_Space):
        QTest.keyClick(button, key)
    assert len(pressed) == 3


def test_an_empty_view_gives_the_keyboard_to_the_button_that_fills_it(window: Window, tmp_path: Path) -> None:
    Production.create(tmp_path / "film.aquin", "Film").close()
    window.open_production(tmp_path / "film.aquin")
    for name in ("look", "continuity"):
        window.show_view(name)
        empty = getattr(window.views, name).empty
        wait_for(empty.button.isVisible)
        wait_for(empty.button.hasFocus)


def test_the_foot_line_writes_names_as_they_are(window: Window) -> None:
    """What is worked on begins with a capital letter, and a clip's name in it stays what it is on the card."""
    go = Event()
    window.jobs.start_long(
        "read", "reading A01_001", lambda tell: go.wait(20), lambda found: None, lambda why: None
    )
    try:
        wait_for(lambda: "A01_001" in window.foot.next_button.text(), 10)
        assert window.foot.next_button.text().startswith("Reading A01_001")
    finally:
        go.set()
        window.jobs.wait()
