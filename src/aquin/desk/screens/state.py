"""What the Screens view shows, without Qt: the shot, the screens with their numbers, and what was measured."""

from __future__ import annotations

from dataclasses import dataclass, field, replace
from typing import TYPE_CHECKING, Any

from aquin.production import Setup, Shot
from aquin.production.heroes import hero_of
from aquin.screens.light import SCREENS, Screen

if TYPE_CHECKING:
    from aquin.colour.config import ColourConfig
    from aquin.jobs.other_screens import Delivered, Graded, Misread
    from aquin.production import Production
    from aquin.screens.losses import Losses
    from aquin.screens.players import Player
    from aquin.screens.tags import FileTags

NUMBERS = ("white", "black", "lux", "rate")
LIMITS = {"white": (1.0, 10000.0), "black": (0.0001, 50.0), "lux": (0.0, 100000.0), "rate": (0.1, 200.0)}


@dataclass
class ScreensDesk:
    """`chosen`: id of the screen, or reading, that is looked at."""

    production: Production | None = None
    config: ColourConfig | None = None
    shot_id: str = ""
    screens: tuple[Screen, ...] = SCREENS
    chosen: str = SCREENS[0].id
    found: Graded | None = None
    lost: dict[str, Losses] = field(default_factory=dict)
    misread: tuple[Misread, ...] = ()
    delivered: tuple[Delivered, ...] = ()
    worst: dict[str, list[tuple[Shot, Losses]]] = field(default_factory=dict)
    file: FileTags | None = None
    file_name: str = ""
    players: tuple[Player, ...] = ()

    @property
    def shots(self) -> list[Shot]:
        """The heroes first, then the other shots of scenes."""
        if self.production is None:
            return []
        heroes = [h for s in self.production.all(Setup) if (h := hero_of(self.production, s)) is not None]
        ids = {h.id for h in heroes}
        return heroes + [s for s in self.production.all(Shot) if s.kind == "shot" and s.id not in ids]

    @property
    def shot(self) -> Shot | None:
        found = [s for s in self.shots if not s.trouble]
        return next((s for s in found if s.id == self.shot_id), found[0] if found else None)

    def step(self, by: int) -> None:
        """The next or previous shot."""
        ids = [s.id for s in self.shots if not s.trouble]
        if ids:
            at = ids.index(self.shot.id) if self.shot is not None else 0
            self.shot_id = ids[(at + by) % len(ids)]

    @property
    def screen(self) -> Screen:
        return next((s for s in self.screens if s.id == self.chosen), self.screens[0])

    def set_number(self, name: str, value: float) -> bool:
        """Another number of the chosen screen; False where it can't be (black as light as white)."""
        low, high = LIMITS[name]
        changes: dict[str, Any] = {name: min(max(value, low), high)}
        made = replace(self.screen, **changes)
        if made.black >= made.white:
            return False
        self.screens = tuple(made if s.id == made.id else s for s in self.screens)
        return True

    def next_step(self) -> tuple[str, str]:
        if self.production is None:
            return "Open a production, or read a movie's tags", "screens.file"
        if not self.worst:
            return "Find the worst shots under each screen", "screens.worst"
        return "Read the tags of a delivered movie", "screens.file"
