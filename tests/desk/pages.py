"""The window as tests reach it: parts by what they are, whatever holds them. One place to change when the window is
built otherwise.
"""

import time
from collections.abc import Callable, Iterator
from contextlib import contextmanager
from pathlib import Path
from typing import Any

from PySide6.QtCore import QCoreApplication, Qt
from PySide6.QtTest import QTest
from PySide6.QtWidgets import QWidget

from aquin.desk.app import application, put_away
from aquin.desk.kit.jobs import Jobs
from aquin.desk.window import Window
from aquin.production import Production


def shown_window(production: Path | None = None, keep: bool = True) -> Window:
    """A window of the size that the screenshots have. With `keep` what is decided is written, as in the program; the
    last session is taken up again only where no production is given.
    """
    application()
    made = Window(keep=keep and production is None)
    made.keep = keep
    made.resize(1280, 800)
    made.show()
    if production is not None:
        assert made.open_production(production)
    return made


@contextmanager
def a_window(production: Path | None = None, keep: bool = True) -> Iterator[Window]:
    """A shown window, put away at the end."""
    made = shown_window(production, keep)
    yield made
    put_away(made)


class BenchPage:
    """The Bench of a window."""

    def __init__(self, window: Window) -> None:
        bench = window.bench
        self.window, self.view = window, bench
        self.state, self.files, self.jobs = bench.state, bench.files, window.jobs
        self.link, self.seeing, self.presenter, self.playing = (
            bench.link,
            bench.seeing,
            bench.presenter,
            bench.playing,
        )
        self.pictures, self.panel, self.tools, self.headers = (
            bench.pictures,
            bench.panel,
            bench.tools,
            bench.headers,
        )
        self.ledger, self.stack, self.alternatives = (
            bench.panel.ledger,
            bench.panel.stack,
            bench.panel.alternatives,
        )
        self.waveform, self.plane = bench.scopes.waveform, bench.scopes.plane
        self.patches, self.tones, self.third = bench.scopes.patches, bench.scopes.tones, bench.scopes.third
        self.mode_buttons, self.grade_button, self.zones_button = (
            bench.mode_buttons,
            bench.grade_button,
            bench.zones_button,
        )
        self.third_button = bench.third_button
        self.settle, self.settle_all = bench.presenter.settle, bench.presenter.settle_all
        self.hover, self.take, self.export = (
            bench.presenter.hover,
            bench.presenter.take,
            bench.presenter.export,
        )
        self.second_pass, self.swap = bench.presenter.second_pass, bench.presenter.swap
        self.set_mode, self.refresh, self.play = bench.set_mode, bench.refresh, bench.playing.toggle
        self.undo, self.redo = window.history.undo, window.history.redo
        self.grade_shown = bench.seeing.grade_shown

    @property
    def baked(self) -> Any:
        return self.seeing.baked

    @property
    def player(self) -> Any:
        return self.playing.player

    @property
    def preview_ms(self) -> list[float]:
        return self.seeing.preview_ms

    @property
    def screen(self) -> tuple[str, str]:
        return self.window.session.screen


def page(window: Window) -> BenchPage:
    return BenchPage(window)


def jobs(window: Window) -> Jobs:
    return window.jobs


def do_next(window: Window) -> None:
    """Click the next step in the foot line, as soon as it can be."""
    wait_for(window.foot.next_button.isEnabled, 60)
    QTest.mouseClick(window.foot.next_button, Qt.MouseButton.LeftButton)


PATIENCE = 3.0
"""How many times as long as on a quiet machine is waited: a busy one is no failure."""


def wait_for(condition: Callable[[], bool], seconds: float = 15) -> None:
    """Let events run until something holds, and fail where it does not come to."""
    end = time.monotonic() + PATIENCE * seconds
    while not condition() and time.monotonic() < end:
        rest(10)
    assert condition()


def rest(milliseconds: float) -> None:
    """Let events run for a while. The toolkit's own wait would hold the interpreter, and no other thread would run."""
    end = time.monotonic() + milliseconds / 1000
    while True:
        QCoreApplication.processEvents()
        if time.monotonic() >= end:
            return
        time.sleep(0.003)


def press(
    widget: QWidget, key: Qt.Key, modifier: Qt.KeyboardModifier = Qt.KeyboardModifier.NoModifier
) -> None:
    QTest.keyClick(widget, key, modifier)
    rest(20)


def production_of(window: Window) -> Production:
    found = window.productions.current
    assert found is not None
    return found


def session_file(folder: Path) -> Path:
    return folder / "ferry.json"
