"""The table of commands: what is bound, which keys count where, and what is derived from it."""

import re
from collections import Counter
from collections.abc import Iterator
from pathlib import Path

import pytest
from PySide6.QtCore import QEvent, Qt
from PySide6.QtGui import QHelpEvent
from PySide6.QtTest import QTest
from PySide6.QtWidgets import (
    QApplication,
    QDialog,
    QDialogButtonBox,
    QLabel,
    QPushButton,
    QScrollArea,
    QToolTip,
)

from aquin import desk
from aquin.desk.app import application
from aquin.desk.commands import BY_ID, TABLE, VIEWS, tip, words
from aquin.desk.help import help_of, keys_dialog, keys_of
from aquin.desk.kit import dialogs
from aquin.desk.kit.labels import Words, no_mnemonic, plain_tip
from aquin.desk.next_step import Open, next_step
from aquin.desk.window import Window
from desk.pages import a_window, rest


@pytest.fixture
def window() -> Iterator[Window]:
    with a_window(keep=False) as made:
        yield made


def test_every_command_does_something(window: Window) -> None:
    assert window.commands.unbound == []
    assert len(BY_ID) == len(TABLE)


@pytest.mark.parametrize("view", VIEWS)
def test_no_key_means_two_things_in_one_view(view: str) -> None:
    keys = Counter(k for c in TABLE if c.group in ("app", "file", view) for k in c.keys if not c.hand)
    assert [k for k, n in keys.items() if n > 1] == []


@pytest.mark.parametrize("view", VIEWS)
def test_a_view_listens_to_its_own_keys_only(window: Window, view: str) -> None:
    window.show_view(view)
    for id, action in window.commands.actions_of.items():
        assert action.isEnabled() == (BY_ID[id].group in ("app", "file", view))


def test_the_keys_page_is_the_table(window: Window) -> None:
    said = {label.text() for label in keys_dialog(window, "bench").findChildren(QLabel)}
    for command in TABLE:
        if command.keys:
            assert {command.words, command.shown_keys} <= said, command.id
    assert sum(len(keys_of(g)) for g in ("app", "file", *VIEWS)) == sum(bool(c.keys) for c in TABLE)


@pytest.mark.parametrize("size", [(1280, 760), (1000, 500), (700, 360)])
def test_dialogs_fit_the_screen_and_their_buttons_stay_in_reach(
    window: Window, size: tuple[int, int], monkeypatch: pytest.MonkeyPatch
) -> None:
    from PySide6.QtCore import QSize

    monkeypatch.setattr(dialogs, "room_for", lambda dialog: QSize(*size))
    dialog = keys_dialog(window, "bench")
    rest(50)
    assert dialog.width() <= size[0] and dialog.height() <= size[1]
    close = dialog.findChild(QDialogButtonBox)
    assert close is not None
    assert dialog.rect().contains(
        close.geometry().translated(close.parentWidget().mapTo(dialog, close.pos()) - close.pos())
    )
    scrolls = dialog.findChild(QScrollArea)
    if size[1] < 500:
        assert scrolls is not None and scrolls.verticalScrollBar().maximum() > 0
    QTest.mouseClick(close.buttons()[0], Qt.MouseButton.LeftButton)
    assert not dialog.isVisible()


def test_a_command_is_found_by_words_and_done(window: Window) -> None:
    QTest.keyClick(window, Qt.Key.Key_K, Qt.KeyboardModifier.ControlModifier)
    dialog = window.find_dialog
    assert isinstance(dialog, QDialog) and dialog.isVisible()
    QTest.keyClicks(dialog.field, "views rooms nowhere")
    assert dialog.list.count() == 0
    dialog.field.setText("log")
    found = [dialog.list.item(k).data(Qt.ItemDataRole.UserRole) for k in range(dialog.list.count())]
    assert "app.shots" in found and "app.find" not in found
    dialog.field.setText("shots log")
    QTest.keyClick(dialog.field, Qt.Key.Key_Return)
    assert window.shown == "shots" and not dialog.isVisible()


def test_commands_of_other_views_are_found_by_words_and_done_there(window: Window) -> None:
    window.show_view("board")
    QTest.keyClick(window, Qt.Key.Key_K, Qt.KeyboardModifier.ControlModifier)
    dialog = window.find_dialog

    def listed() -> list[str]:
        return [dialog.list.item(k).data(Qt.ItemDataRole.UserRole) for k in range(dialog.list.count())]

    assert not any(id.startswith("plan.") for id in listed()) and dialog.none.isHidden()
    dialog.field.setText("views rooms nowhere")
    assert listed() == [] and not dialog.none.isHidden()
    dialog.field.setText("camera's encod")
    assert listed() == ["plan.encoding"]
    QTest.keyClick(dialog.field, Qt.Key.Key_Return)
    assert window.shown == "plan"
    assert "There is no camera yet" in window.message


def test_next_steps_are_commands() -> None:
    asked = [
        next_step(view, None, ("", ""), Open(links=1, charts=2, heroless=1, cells=3, findings=4))
        for view in VIEWS
    ]
    assert all(id in BY_ID for _, id in asked if id)
    assert any(id for _, id in asked)


def test_tooltips_say_the_keys() -> None:
    assert tip("app.undo").endswith("(Ctrl+Z)")
    assert words("bench.settle_all", keys=True) == "Settle all   ⇧S"
    assert words("board.propose", keys=True) == "Propose heroes"


@pytest.mark.parametrize("view", [*VIEWS])
def test_each_view_has_its_help(view: str) -> None:
    title, said = help_of(view)
    assert title and len(said) > 200


def test_a_line_that_gives_way_ends_in_an_ellipsis() -> None:
    application()
    label = Words("22 of 22 cells are settled, 31 shots have a trim of their own").gives_way()
    label.resize(160, 24)
    assert label.shown.endswith("…") and label.text().startswith(label.shown[:-1])
    drawn = label.grab().toImage()
    label.resize(900, 24)
    assert label.shown == label.text()
    assert label.grab().toImage().copy(0, 0, 160, 24) != drawn
    right = [drawn.pixelColor(x, y) for x in range(150, 160) for y in range(24)]
    assert len({c.rgb() for c in right}) > 1  # the ellipsis reaches the edge
    assert Words("a name").shown == "a name"


def test_names_are_never_markup() -> None:
    application()
    name = "<b>A & B</b><img src=x>"
    label = Words(name)
    assert label.textFormat() is Qt.TextFormat.PlainText and label.text() == name
    shown = plain_tip(name)
    assert "<b>" not in shown and "<img" not in shown and "&lt;b&gt;A &amp; B" in shown
    assert no_mnemonic(name) == name.replace("&", "&&")


def test_a_tooltip_is_shown_as_it_is_written(window: Window) -> None:
    """The pointer moves over the window as the system tells it, and rests: on a button, and on what lies in it."""
    window.activateWindow()
    button = window.foot.next_button
    inner = QLabel(button)  # without a tooltip of its own: its parent's is shown
    inner.resize(6, 6)
    inner.show()
    for under in (button, inner):
        button.setToolTip(f"<b>{type(under).__name__}</b>")
        at = under.mapTo(window, under.rect().center())
        QTest.mouseMove(window.windowHandle(), at)
        rest(20)
        shown = window.mapToGlobal(at)
        QApplication.sendEvent(under, QHelpEvent(QEvent.Type.ToolTip, under.rect().center(), shown))
        assert QToolTip.isVisible() and f"&lt;b&gt;{type(under).__name__}&lt;/b&gt;" in QToolTip.text()
        QToolTip.hideText()


def test_no_event_filter_sees_the_whole_application(window: Window) -> None:
    """One in Python is asked about every event of every widget: a tenth of the window's time went into two of them."""
    source = Path(desk.__file__).parent
    found = [
        p.name for p in source.rglob("*.py") if re.search(r"app\w*(\(\))?\.installEventFilter", p.read_text())
    ]
    assert not found


def test_every_label_and_tooltip_of_the_window_is_plain(window: Window) -> None:
    while window.views.there.keys() < set(VIEWS) - {"bench"}:
        window.views.furnish()
    labels = window.findChildren(QLabel)
    assert len(labels) > 80
    assert [w.text() for w in labels if w.textFormat() is not Qt.TextFormat.PlainText] == []
    assert all("<" not in b.toolTip() for b in window.findChildren(QPushButton))
