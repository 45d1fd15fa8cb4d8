"""What all views of the window show: the production, the configuration, the screen, and the shot that is worked on."""

from __future__ import annotations

from collections.abc import Mapping
from typing import TYPE_CHECKING

from PySide6.QtCore import QObject, Signal

from aquin.colour.config import ColourConfig
from aquin.desk.kit.this_screen import ThisScreen
from aquin.production import Shot

if TYPE_CHECKING:
    from aquin.production import Production
    from aquin.production.cells import Cell, ShotState
    from aquin.production.shoot import CellKey, Shoot


Screen = tuple[str, str]
"""A display of the configuration and one of its views."""


class Session(QObject):
    """Observed by every view; nothing of it is copied into one.

    `opened`: another production, or none, or the same one through another configuration. `changed`: something in it
    was decided, here or elsewhere. `screened`: another screen, or another profile of this one. `selected`: another
    shot is worked on. `measured`: the Board's cells were looked at again. `looked`: the look is to be seen, or not.
    """

    opened = Signal()
    changed = Signal()
    screened = Signal()
    selected = Signal()
    measured = Signal()
    looked = Signal()

    def __init__(self, config: ColourConfig | None = None, parent: QObject | None = None) -> None:
        super().__init__(parent)
        self.production: Production | None = None
        self.config = config or ColourConfig.load()
        self.screen: Screen = self.config.default_view()
        self.shot_id = ""
        self.cells: Mapping[CellKey, Cell] = {}
        """What the Board last knew of each camera in each setup."""
        self.look_shown = False
        """Whether the Bench shows the look that is on: off while one balances."""
        self.asked: Mapping[str, str] = {}
        """Who asks to leave a shot alone, by the shot's id."""
        self.revision = 0
        self.monitor = ThisScreen(self)
        """What pictures are shown on."""
        self.monitor.changed.connect(self.screened)
        for moved in (self.screened, self.opened):
            moved.connect(lambda: self.monitor.follow(self.config, self.screen))
        self._shoot: tuple[int, Shoot] | None = None

    # what is open

    def show(self, production: Production | None, config: ColourConfig) -> None:
        """Another production, or another configuration; a screen that the configuration does not know becomes its
        usual one.
        """
        if production is not self.production:
            self.shot_id, self.cells = "", {}
        self.production, self.config = production, config
        self.revision += 1
        moved = not self._knows(self.screen)
        if moved:
            self.screen = config.default_view()
        self.opened.emit()
        if moved:
            self.screened.emit()

    def touch(self) -> None:
        """Something in the production was decided."""
        self.revision += 1
        self.changed.emit()

    def set_screen(self, display: str, view: str) -> None:
        """Another screen, for every view."""
        if (display, view) != self.screen:
            self.screen = (display, view)
            self.screened.emit()

    def toggle_look(self) -> None:
        """See the Bench's pictures with the look that is on, or without."""
        self.look_shown = not self.look_shown
        self.looked.emit()

    def _knows(self, screen: Screen) -> bool:
        return screen[1] in dict(self.config.displays()).get(screen[0], [])

    # what is worked on

    def select(self, shot_id: str) -> None:
        """The shot that is worked on; other views show it when one goes to them."""
        if shot_id and shot_id != self.shot_id:
            self.shot_id = shot_id
            self.selected.emit()

    @property
    def shot(self) -> Shot | None:
        return self.production.find(Shot, self.shot_id) if self.production is not None else None

    @property
    def writable(self) -> bool:
        return self.production is not None and not self.production.read_only

    @property
    def shoot(self) -> Shoot | None:
        """What is looked up for matching; made once for each state of the production."""
        from aquin.production.shoot import Shoot

        if self.production is None:
            return None
        if self._shoot is None or self._shoot[0] != self.revision:
            self._shoot = (self.revision, Shoot(self.production, self.config))
        return self._shoot[1]

    def show_cells(self, cells: Mapping[CellKey, Cell]) -> None:
        """What the Board knows now."""
        self.cells = cells
        self.measured.emit()

    def state_of(self, shot_id: str) -> ShotState | None:
        """What the Board last knew of a shot."""
        found = (s for c in self.cells.values() for s in c.shots if s.shot.id == shot_id)
        return next(found, None)


class OfSession:
    """For whatever shows a session: its production and its configuration."""

    session: Session

    @property
    def production(self) -> Production | None:
        return self.session.production

    @property
    def config(self) -> ColourConfig:
        return self.session.config
