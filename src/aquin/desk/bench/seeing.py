"""What is seen and measured of the two sides: previews through the baked view, scopes, patches, and the ledger's
facts. Beside this thread.
"""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import replace
from typing import TYPE_CHECKING, Any

import numpy as np
from PySide6.QtCore import QElapsedTimer, QObject, Signal

from aquin.colour import acescct
from aquin.colour.baked import BakedView, baked_view
from aquin.colour.grade import Grade
from aquin.desk.bench.scope_strip import ScopeStrip
from aquin.desk.bench.state import BenchState
from aquin.desk.bench.tools import Tools
from aquin.desk.kit.jobs import Jobs, Latest
from aquin.desk.kit.pictures import ZONE_NAMES, Pictures
from aquin.desk.kit.preview import Seen, Shown, Wish, gaps, graded, see
from aquin.desk.kit.timers import later
from aquin.desk.session import Session
from aquin.jobs.load_side import ROLES, Loaded, Role
from aquin.measure.ledger import Evidence, PictureValues, difference_of
from aquin.measure.looks import Facts, clipped_share, facts
from aquin.measure.scopes import scopes_of
from aquin.measure.skin import Dab, find_skin

if TYPE_CHECKING:
    from aquin.look.look import Look

LATER_MS = 80
"""While a number is dragged, the pictures follow at once, and numbers and scopes this much later at most."""
MOST_FACTS = 24

Made = dict[Role, tuple[object, object, Seen]]


class Seeing(QObject):
    """`baked_anew`: the view was prepared. `judged`: the ledger's facts have come. `caught_up`: numbers are to follow
    a drag now.
    """

    baked_anew = Signal()
    judged = Signal()
    caught_up = Signal()
    told = Signal(str)

    def __init__(
        self,
        state: BenchState,
        session: Session,
        pictures: Pictures,
        scopes: ScopeStrip,
        tools: Tools,
        jobs: Jobs,
    ) -> None:
        super().__init__(pictures)
        self.state, self.session, self.jobs = state, session, jobs
        self.pictures, self.scopes, self.tools = pictures, scopes, tools
        self.latest, self.scoping, self.judging = Latest(self), Latest(self), Latest(self)
        self.latest.ready.connect(self._shown)
        self.scoping.ready.connect(scopes.show_scopes)
        self.judging.ready.connect(self._judged)
        self.baked: BakedView | None = None
        self.look: Look | None = None
        """The look that is seen: never measured through."""
        self.looked: BakedView | None = None
        """The view with that look before it."""
        self.hovered: Grade | None = None
        self.zones = False
        self.paused = False
        """While frames are played, nothing is drawn from here."""
        self.preview_ms: list[float] = []
        self.clock = QElapsedTimer()
        self._facts: dict[tuple[object, ...], Facts] = {}
        self._skin: dict[tuple[object, ...], np.ndarray] = {}
        self._seen: Made = {}
        """By side: which frame, window and size it is of; which grade and view; and what was made."""
        self.scoped: dict[Role, Shown] = {}
        self._later = later(self, self._catch_up, LATER_MS)

    # the view

    def bake(self) -> None:
        """Bake the session's view for the preview, away from this thread."""
        config, (display, view) = self.state.config, self.session.screen
        if view not in dict(config.displays()).get(
            display, []
        ):  # a file by hand may bring its own configuration
            display, view = config.default_view()

        def done(baked: BakedView) -> None:
            self.baked = baked
            self._facts.clear()
            self._skin.clear()
            self.redraw()
            self.baked_anew.emit()

        self.jobs.start(
            "bake",
            "preparing the view",
            lambda: baked_view(config.view(display, view)),
            done,
            self.told.emit,
        )

    def show_look(self, look: Look | None) -> None:
        """See the pictures through a look, or without."""
        self.look = look
        if look is None:
            self.looked = None
            self.redraw()
            return
        config, screen = self.state.config, self.session.screen

        def work() -> BakedView:
            shown = config.view(*screen)

            def through(linear: Any) -> Any:
                log = look.colours(acescct.encode(np.asarray(linear, np.float32)))
                return shown(acescct.decode(np.asarray(log, np.float32)))

            return BakedView.bake(through, 65)

        def done(baked: BakedView) -> None:
            if self.look == look:
                self.looked = baked
                self.redraw()

        self.jobs.start("look", "preparing the look", work, done, self.told.emit)

    def show_zones(self, on: bool) -> None:
        self.zones = on
        self.pictures.zone_names = ZONE_NAMES if on else ()
        self.redraw()

    def grade_shown(self) -> Grade:
        return self.hovered or (self.state.here if self.state.graded else Grade())

    # pictures

    def forget(self) -> None:
        """The sides have changed places."""
        self._seen.clear()

    def redraw(self) -> None:
        """Ask for a new preview of what is on screen; only the latest wish is worked on."""
        baked = self.looked or self.baked
        if baked is None or self.paused:
            return
        wishes = [w for role in ROLES if (w := self._wish(role, baked)) is not None]
        if not wishes:
            self.scopes.show_scopes((None, None))
            return
        known, in_gaps = dict(self._seen), self.pictures.mode == "difference"

        def work() -> tuple[Made, np.ndarray | None]:
            out: Made = {}
            for role, wish, of, key in wishes:
                held = known.get(role)
                if held is not None and held[1] == key:
                    out[role] = held
                    continue
                small = (held[2].small, held[2].window) if held is not None and held[0] == of else None
                out[role] = (of, key, see(wish, baked, small))
            if not in_gaps or len(out) < 2:
                return out, None
            sides = [
                graded(out[role][2].small, wish.grade, out[role][2].window) for role, wish, _, _ in wishes
            ]
            h, w = out["shot"][2].small.shape[:2]
            return out, gaps(sides[0], sides[1], (w, h))

        self.latest.ask(work)

    def _wish(self, role: Role, view: BakedView) -> tuple[Role, Wish, object, object] | None:
        """What is to be seen of a side: of which pixels, and under which grade and view. None where it is empty."""
        loaded = self.state.loaded[role]
        if loaded is None:
            self.pictures.set_image(role, None)
            self._seen.pop(role, None)
            return None
        ratio = self.pictures.devicePixelRatioF()
        area, part = self.pictures.visible(role), self.pictures.part_seen(role)
        size = (round(area.width() * ratio), round(area.height() * ratio))
        grade = self.state.hero_grade if role == "hero" else self.grade_shown()
        if (
            self.looked is not None and self.look is not None
        ):  # what depends on places comes before its colours
            grade = replace(grade, regions=(*grade.regions, *self.look.regions))
        wish = Wish(loaded.linear, grade, part, size, self.tools.area.of(role), self.zones)
        of: object = (loaded.serial, part, size)
        return role, wish, of, (of, view, repr(grade), wish.area, self.zones)

    def _shown(self, made: tuple[Made, np.ndarray | None]) -> None:
        if self.paused:
            return
        sides, difference = made
        ratio = self.pictures.devicePixelRatioF()
        self.pictures.set_gaps(difference, ratio)
        for role, (of, _, seen) in sides.items():
            loaded = self.state.loaded[role]
            if loaded is None or loaded.serial != of[0]:  # type: ignore[index]  # another frame has come meanwhile
                continue
            pixels = seen.picture.pixels if seen.zones is None else seen.zones
            self.pictures.set_image(role, pixels, ratio, seen.window)
        self._seen = sides
        if self.clock.isValid():  # the pair first, the scopes after it
            self.pictures.repaint()
            self.preview_ms.append(self.clock.nsecsElapsed() / 1e6)
            self.clock.invalidate()
        self.scoped = {role: seen.scoped for role, (_, _, seen) in sides.items()}
        if not self._later.isActive():
            self.show_scopes()
        if self.scopes.patches.colours is None:
            self.show_patches()

    # scopes and numbers

    def later(self) -> None:
        """Numbers and scopes follow a drag a little later than the picture."""
        if not self._later.isActive():
            self._later.start()

    def _catch_up(self) -> None:
        self.caught_up.emit()
        self.show_scopes()

    def show_scopes(self) -> None:
        if not self.scopes.isVisible():
            return
        shown = [self.scoped.get(role) for role in ROLES]
        self.scoping.ask(  # of the very bytes on screen
            lambda: [None if side is None else scopes_of(side.pixels[..., 2::-1]) for side in shown]
        )

    def show_patches(self) -> None:
        """The chart's patches in both, where both show one."""
        hero, shot = self.state.loaded["hero"], self.state.loaded["shot"]
        pair = _readings(hero, shot)
        baked, match = self.baked, self.state.match
        if pair is None or baked is None or match is None:
            self.scopes.patches.show_patches(None, None, 6)
            self.scopes.show_third(False)
            return
        self.scopes.show_third(True)
        grade, first = self.grade_shown(), self.state.hero_grade
        both = np.stack([first.apply_linear(pair[0]), grade.apply_linear(pair[1])], axis=1)
        all_of_it = Evidence(
            np.asarray(first.linear(pair[0])), np.asarray(grade.linear(pair[1])), self.state.chart.neutral
        )
        colours = baked.process(both.astype(np.float32))
        self.scopes.patches.show_patches(colours, difference_of(all_of_it), self.state.chart.columns)

    def judge(self) -> None:
        """Measure what the ledger measures on whole pictures."""
        state, baked = self.state, self.baked
        hero, shot = state.loaded["hero"], state.loaded["shot"]
        if baked is None or hero is None or shot is None or state.evidence is None:
            return
        grade, first = self.grade_shown(), state.hero_grade
        (hero_dabs, shot_dabs), faces = state.now.dabs, state.now.faces

        def work() -> Any:
            sides = []
            for loaded, g, dabs in (
                (hero, first, hero_dabs),
                (shot, Grade(), shot_dabs),
                (shot, grade, shot_dabs),
            ):
                key = (loaded.serial, repr(g), baked, dabs, faces)
                found = self._facts.get(key)  # which another view may empty meanwhile
                if found is None:
                    if len(self._facts) > MOST_FACTS:
                        self._facts.clear()
                    clipped = clipped_share(loaded.frame.rgb)
                    mask = self._skin_in(loaded, baked, dabs, faces)
                    found = self._facts[key] = facts(loaded.linear, g, baked.process, clipped, mask=mask)
                sides.append(found)
            values = (sides[0].values(), sides[1].values(), sides[2].values())
            return (hero.serial, shot.serial), values, {"hero": sides[0].skin, "shot": sides[2].skin}

        self.judging.ask(work)

    def _skin_in(
        self, loaded: Loaded, baked: BakedView, dabs: tuple[Dab, ...] = (), faces: bool = False
    ) -> np.ndarray:
        """A picture's skin, looked for once."""
        key = (loaded.serial, baked, dabs, faces)
        found = self._skin.get(key)
        if found is None:
            if len(self._skin) > MOST_FACTS:
                self._skin.clear()
            found = self._skin[key] = find_skin(loaded.linear, baked.process, dabs, faces)
        return found

    def skin_in(self, role: Role) -> np.ndarray | None:
        """The skin of one side as it is measured; for a worker. None before it can be looked for."""
        loaded, baked, now = self.state.loaded[role], self.baked, self.state.now
        if loaded is None or baked is None:
            return None
        return self._skin_in(loaded, baked, now.dabs[ROLES.index(role)], now.faces)

    def _judged(self, found: tuple[object, PictureValues, dict[Role, np.ndarray | None]]) -> None:
        of, pictures, skin = found
        for role in ROLES:
            self.tools.skin.set_mask(role, skin[role])
        self.pictures.update()
        hero, shot = self.state.loaded["hero"], self.state.loaded["shot"]
        if hero is not None and shot is not None and of == (hero.serial, shot.serial):
            self.state.pictures = pictures
            self.judged.emit()

    def idle(self) -> bool:
        return all(k.idle() for k in (self.latest, self.scoping, self.judging)) and not self._later.isActive()

    @property
    def view(self) -> Callable[[Any], Any] | None:
        """ACEScct to display signal."""
        return None if self.baked is None else self.baked.process

    def finish(self) -> None:
        for worker in (self.latest, self.scoping, self.judging):
            worker.finish()


def _readings(hero: Loaded | None, shot: Loaded | None) -> tuple[Any, Any] | None:
    """The two charts' linear colours, where both sides show one."""
    if hero is None or shot is None or hero.reading is None or shot.reading is None:
        return None
    return hero.reading.linear, shot.reading.linear
