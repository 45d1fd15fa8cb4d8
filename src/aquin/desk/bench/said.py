"""What a person says on the Bench of a production's shot beside its hero: kept with the shot, and shown again."""

from __future__ import annotations

from typing import TYPE_CHECKING, Any

from aquin.jobs.load_side import ROLES, At, Loaded, colour_at
from aquin.late import late
from aquin.production import Shot

if TYPE_CHECKING:
    from aquin.desk.bench.state import BenchState, Decisions
    from aquin.production import Production, named
else:
    (named,) = late("aquin.production.named")


class Said:
    """Things that are the same in both pictures, and materials that are struck. Knows no widgets."""

    def __init__(self, state: BenchState) -> None:
        self.state = state
        self._heard: tuple[Any, ...] = ()
        """The shot, all that was said of it when it was last looked up, and the frames that were on the Bench."""

    @property
    def can_name(self) -> bool:
        """Whether both sides are the production's shots, and there to be looked at."""
        sides = [self.state.side(role) for role in ROLES]
        return all(s is not None and s.shot_id for s in sides) and None not in self.state.loaded.values()

    def keep(self, production: Production, before: Decisions, now: Decisions) -> None:
        """Keep what was decided. Raises AquinError."""
        if now.hero is None or now.shot is None:
            return
        shot = production.find(Shot, now.shot.shot_id)
        hero = production.find(Shot, now.hero.shot_id)
        if shot is None:
            return
        a, b = self.state.loaded["hero"], self.state.loaded["shot"]
        if before.pairs != now.pairs and hero is not None and a is not None and b is not None:
            things = [(pair, _colour(a, pair[0]), _colour(b, pair[1])) for pair in now.pairs]
            named.name_things(production, shot, hero, (now.hero.frame or 0, now.shot.frame or 0), things)
        if before.struck != now.struck:
            named.strike(production, shot, now.struck)

    def recall(self, production: Production, anew: bool = False) -> bool:
        """Show what was said of the frames that are on the Bench, where that is other than when it was last asked, or
        where the Bench shows them `anew`: what could not be kept stays. Whether anything was said of the shot, in
        whatever frames, since then.
        """
        hero, side = self.state.side("hero"), self.state.side("shot")
        shot = production.find(Shot, side.shot_id) if side is not None and side.shot_id else None
        if shot is None or side is None or hero is None or not hero.shot_id:
            return False
        things, struck = named.named_of(production, shot), named.struck_of(production, shot)
        here = hero.shot_id, hero.frame, side.frame
        before, self._heard = self._heard, (shot.id, things, struck, here)
        if anew or before != self._heard:
            pairs = tuple(n.places for n in things if (n.hero_id, n.hero_frame, n.shot_frame) == here)
            self.state.follow(pairs=pairs, struck=struck)
        return before[:1] == (shot.id,) and before[1:3] != (things, struck)


def _colour(loaded: Loaded, at: At) -> tuple[float, float, float]:
    """Scene-linear AP1 as filmed."""
    r, g, b = (float(v) for v in colour_at(loaded, at))
    return r, g, b
