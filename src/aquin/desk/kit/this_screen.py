"""Choosing what pictures are shown on: a monitor's profile, read beside the window's thread."""

from __future__ import annotations

from collections.abc import Callable
from pathlib import Path
from typing import Any

from PySide6.QtCore import QObject, Signal

from aquin.desk.kit.jobs import Latest
from aquin.desk.kit.monitor import Monitor, monitor_for, use
from aquin.errors import AquinError


class ThisScreen(QObject):
    """What pictures are shown on. `changed`: another profile is at work, or none; `told`: a line for the foot."""

    changed = Signal()
    told = Signal(str)

    def __init__(self, parent: QObject | None = None) -> None:
        super().__init__(parent)
        self.path: Path | None = None
        self._key: tuple[Any, ...] = ()
        self._reading = Latest(self)
        self._reading.ready.connect(self._read)

    def choose(self, path: Path | None, config: Any, screen: tuple[str, str]) -> None:
        """Another profile, made for a display of the configuration; None: none."""
        if path is None:
            self.path, self._key = None, ()
            use(None)
            self.changed.emit()
            return
        self._ask(lambda: path, config, screen)

    def choose_desktop(self, config: Any, screen: tuple[str, str]) -> None:
        """The profile that the desktop's colour service has for a display, if there is one."""
        from aquin.screens.desktop import desktop_profile

        self._ask(desktop_profile, config, screen)

    def follow(self, config: Any, screen: tuple[str, str]) -> None:
        """Pictures are made for another display: the profile stays."""
        if self.path is not None and self._key[1:] != (config, screen):
            self.choose(self.path, config, screen)

    def _ask(self, find: Callable[[], Path | None], config: Any, screen: tuple[str, str]) -> None:
        def work() -> Any:
            from aquin.screens.icc import read_profile

            try:
                path = find()
                if path is None:
                    return (), None, "The desktop names no profile of this screen: choose an ICC file."
                return (path, config, screen), monitor_for(read_profile(path), config, *screen), ""
            except AquinError as error:
                return (), None, error.line()

        self._reading.ask(work)

    def _read(self, found: tuple[tuple[Any, ...], Monitor | None, str]) -> None:
        key, made, trouble = found
        if made is None:
            self.told.emit(trouble)
            return
        self.path, self._key = made.profile.path, key
        use(made)
        self.told.emit(f"Pictures go through {made.words}.")
        self.changed.emit()

    def idle(self) -> bool:
        return self._reading.idle()

    def finish(self) -> None:
        self._reading.finish()
