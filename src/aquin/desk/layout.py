"""What the window remembers of how it was left: place, view, production, screen, and how its rooms are divided."""

from __future__ import annotations

from collections.abc import Mapping
from pathlib import Path
from typing import TYPE_CHECKING

from PySide6.QtCore import QRect, QSettings
from PySide6.QtWidgets import QSplitter, QWidget

from aquin.desk.views import Views
from aquin.own_files import window_settings
from aquin.production.address import Address, place_of

if TYPE_CHECKING:
    from aquin.desk.bench.view import BenchView
    from aquin.desk.session import Session
    from aquin.desk.shots.view import ShotsView


def settings() -> QSettings:
    return QSettings(str(window_settings()), QSettings.Format.IniFormat)


def last_view() -> str:
    return str(settings().value("view", "bench"))


def last_production() -> Path | Address | None:
    """The production that was open: on a server, or in a file that is still there."""
    last = place_of(str(settings().value("production") or ""))
    return last if isinstance(last, Address) or last.is_file() else None


def last_place() -> object:
    return settings().value("place")


def restore(bench: BenchView) -> None:
    """The Bench's division."""
    _divide(_of_bench(bench))
    if settings().value("scopes folded") == "true":
        bench.scopes_button.setChecked(False)


def restore_view(name: str, view: QWidget) -> None:
    """A view's division, as soon as it is made."""
    _divide(Views.splitters({name: view}))


def restore_columns(shots: ShotsView) -> None:
    """The columns of the log, once it has some."""
    if (columns := settings().value("shot columns")) is not None:
        shots.table.header().restoreState(columns)


def restore_screen(session: Session) -> None:
    """The screen that was chosen, if the configuration still has it."""
    screen = settings().value("screen")
    if isinstance(screen, list) and len(screen) == 2:
        display, view = (str(v) for v in screen)
        if view in dict(session.config.displays()).get(display, []):
            session.set_screen(display, view)

    monitor = settings().value("monitor profile")
    if monitor and (str(monitor).startswith("standard:") or Path(str(monitor)).is_file()):
        session.monitor.choose(Path(str(monitor)), session.config, session.screen)


def keep_screen(session: Session) -> None:
    settings().setValue("screen", list(session.screen))
    settings().setValue("monitor profile", str(session.monitor.path or ""))


def keep(window: QWidget, shown: str, bench: BenchView, views: Views) -> None:
    """Remember all of it."""
    kept = settings()
    kept.setValue("place", QRect(window.pos(), window.size()))
    splitters = Views.splitters(views.there)
    if not bench.bare:
        splitters |= _of_bench(bench)
    for name, splitter in splitters.items():
        kept.setValue(name, splitter.saveState())
    kept.setValue("scopes folded", "false" if bench.scopes_button.isChecked() else "true")
    kept.setValue("view", shown)
    if "shots" in views.there and views.shots.log is not None:
        kept.setValue("shot columns", views.shots.table.header().saveState())


def _of_bench(bench: BenchView) -> dict[str, QSplitter]:
    return {"bench columns": bench.columns, "bench rows": bench.rows, "bench scopes": bench.scopes}


def _divide(splitters: Mapping[str, QSplitter]) -> None:
    for name, splitter in splitters.items():
        if (state := settings().value(name)) is not None:
            splitter.restoreState(state)
