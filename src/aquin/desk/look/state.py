"""What the Look view shows, without Qt: the production's looks, the chosen one as it is edited, and its pictures."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass, field, replace
from typing import TYPE_CHECKING

from aquin.errors import AquinError
from aquin.look.look import Look
from aquin.production.looks import (
    Held,
    drop_look,
    fingerprint,
    keep_look,
    looks_of,
    scoped,
    use_look,
)

if TYPE_CHECKING:
    from aquin.colour.config import ColourConfig
    from aquin.jobs.look_work import Dissected, Material
    from aquin.production import Production

MOST_LOOKS, MOST_SHOTS = 4, 6
"""What the grid shows at once."""


@dataclass
class LookDesk:
    """`draft`: the chosen look as a drag has it, until it is kept. `with_look`: whether pictures are shown with it."""

    production: Production | None = None
    config: ColourConfig | None = None
    held: list[Held] = field(default_factory=list)
    chosen: str = ""
    """Id of a look's record."""
    draft: Look | None = None
    material: list[Material] = field(default_factory=list)
    shot: int = 0
    """Which of the material is shown large."""
    with_look: bool = True
    dissected: Dissected | None = None

    def read(self) -> None:
        """Take over what the production holds now."""
        self.held = (
            [] if self.production is None or self.config is None else looks_of(self.production, self.config)
        )
        if not any(h.record.id == self.chosen for h in self.held):
            on = next((h for h in self.held if h.record.on), None)
            self.chosen = on.record.id if on is not None else self.held[0].record.id if self.held else ""
        self.draft = None

    @property
    def current(self) -> Held | None:
        return next((h for h in self.held if h.record.id == self.chosen), None)

    @property
    def look(self) -> Look | None:
        """The chosen look, as it is shown."""
        if self.draft is not None:
            return self.draft
        return self.current.look if self.current is not None else None

    @property
    def compared(self) -> list[Look]:
        """The looks of the grid: the chosen one first."""
        others = [h.look for h in self.held if h.look is not None and h.record.id != self.chosen]
        return [k for k in (self.look, *others) if k is not None][:MOST_LOOKS]

    def rows(self) -> list[tuple[str, tuple[str, ...], str]]:
        """The list of looks: id, columns (mark, name, strength), and in words."""
        out: list[tuple[str, tuple[str, ...], str]] = []
        for h in self.held:
            strength = "–" if h.look is None else f"{100 * h.look.strength:.0f} %"
            where = scoped(self.production, h) if self.production is not None else ""
            words = h.trouble or f"{h.name}, {'on' if h.record.on else 'off'}, {strength}, for {where}"
            out.append((h.record.id, ("●" if h.record.on else "○", h.name, strength), words))
        return out

    # decisions

    def keep(self, look: Look, what: str, setups: Sequence[str] | None = None) -> None:
        """Keep the chosen look as it is now. Raises AquinError."""
        held = self.current
        if self.production is None or held is None:
            return
        self.draft = None
        keep_look(self.production, look, what, held.record, setups)

    def add(self, look: Look, what: str) -> None:
        """A new look, which is chosen. Raises AquinError."""
        if self.production is None:
            raise AquinError("a look needs a production", None, "Open one")
        names = {h.name for h in self.held}
        title, k = look.name, 2
        while title in names:
            title, k = f"{look.name} {k}", k + 1
        self.chosen = keep_look(self.production, replace(look, name=title), what).id

    def use(self, on: bool) -> None:
        """Switch the chosen look on, or all off. Raises AquinError."""
        held = self.current
        if self.production is not None:
            use_look(self.production, held.record if on and held is not None else None)

    def drop(self) -> None:
        held = self.current
        if self.production is not None and held is not None:
            drop_look(self.production, held.record)

    @property
    def key(self) -> tuple[str, ...]:
        """Changes when other pictures are to be drawn."""
        return tuple(fingerprint(k) for k in self.compared)

    def next_step(self) -> tuple[str, str]:
        if self.production is None:
            return "Open a production", "file.open"
        if not self.held:
            return "Take a look from a reference still", "look.still"
        if not any(h.record.on for h in self.held):
            return (
                f"{len(self.held)} look{'s' if len(self.held) > 1 else ''}, none on: switch one on",
                "look.use",
            )
        return "Compare the looks over the heroes", "look.compare"
