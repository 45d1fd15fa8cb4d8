"""Opening, reading and solving: what happens to files between the person's hand and the Bench's state."""

from __future__ import annotations

from collections import OrderedDict
from collections.abc import Callable, Sequence
from dataclasses import replace
from pathlib import Path
from typing import TYPE_CHECKING, Any

import numpy as np
from PySide6.QtCore import QObject, Signal
from PySide6.QtWidgets import QWidget

from aquin.colour.config import ColourConfig
from aquin.desk.bench.state import BenchState
from aquin.desk.kit.ask import MEDIA, ask_open
from aquin.desk.kit.dialogs import open_fitting
from aquin.desk.kit.jobs import Jobs, Latest
from aquin.errors import AquinError
from aquin.files import write_text
from aquin.frames.opening import SUFFIXES
from aquin.jobs.load_side import (
    ROLES,
    Loaded,
    Role,
    Side,
    key_of,
    open_side,
    reread,
    size_of,
    with_chart,
    with_layer,
)
from aquin.late import late
from aquin.own_files import added_config
from aquin.trusted import Unasked

if TYPE_CHECKING:
    from aquin.jobs import match_pair
    from aquin.match.engine import Match
else:
    (match_pair,) = late("aquin.jobs.match_pair")

KEPT_BYTES = 400_000_000
"""Frames that are kept for coming back to, or were read ahead."""


class Files(QObject):
    """Works on the Bench's state in the background.

    `changed`: there is something new to show. `said`: a message in the place of one side's picture. `told`: a
    message for the foot line. `config_chosen`: another configuration is to be used. `encoding_chosen`: how one side
    is to be understood now.
    """

    changed = Signal()
    said = Signal(str, str)
    told = Signal(str)
    config_chosen = Signal(object)
    encoding_chosen = Signal(str, object)

    def __init__(self, state: BenchState, jobs: Jobs, owner: QWidget) -> None:
        super().__init__(owner)
        self.state, self.jobs, self.owner = state, jobs, owner
        self.view: Callable[[], Callable[[Any], Any] | None] = lambda: None
        """Gives ACEScct to display signal, for finding skin."""
        self.waiting = False
        """While it is looked up what the production knows of the two, nothing is solved."""
        self._quiet = False
        self._asked: set[Path] = set()
        self._kept: OrderedDict[tuple[object, ...], Loaded] = OrderedDict()
        self._ahead = Latest(self)
        self._ahead.ready.connect(self._came_ahead)

    # opening

    def ask_file(self, role: Role) -> None:
        side = self.state.side(role)
        kinds = f"Pictures and movies ({' '.join(f'*{s}' for s in sorted(SUFFIXES))});;All files (*)"
        if path := ask_open(self.owner, f"Open a {role}", MEDIA, kinds, side.file if side else ""):
            self.open_file(role, str(path))

    def open_file(
        self, role: Role, path: str, encoding: str | None = None, then: Callable[[], None] | None = None
    ) -> None:
        """Open a file on one side by hand; without an encoding the person is asked for it, and `then` follows their
        choice.
        """
        if self.state.config.path is None:
            try:
                found = ColourConfig.find(None, path)
            except Unasked as error:
                if error.path not in self._asked:
                    self._ask_trust(error.path, lambda: self.open_file(role, path, encoding, then))
                    return
                found = self.state.config
            except AquinError as error:
                self.told.emit(error.line())
                found = self.state.config
            if found.path is not None:
                self.config_chosen.emit(found)
        old = self.state.side(role)
        if role == "hero":
            self.state.hero_grade = type(self.state.hero_grade)()
        self.state.given = None
        if encoding is None:
            self._ask_encoding(role, Side(path, old.encoding if old else ""), then)
            return
        self.state.set_side(role, Side(path, encoding))
        self.load(role)

    def _ask_trust(self, path: Path, again: Callable[[], None]) -> None:
        """A configuration lies above the file: whether it is used is asked once in a session."""
        self._asked.add(path)
        from aquin.desk.kit.trust_dialog import TrustDialog

        self.trusting = TrustDialog(self.owner, path, again, self.told.emit)
        self.trusting.rejected.connect(again)
        self.trusting.show_fitting()

    def pick_encoding(self, role: Role) -> None:
        side = self.state.side(role)
        if side is not None:
            self._ask_encoding(role, side)

    def pick_missing(self) -> None:
        """Ask how the side was recorded of which nobody knows it."""
        missing = [r for r in ROLES if (s := self.state.side(r)) is not None and not s.encoding]
        self.pick_encoding(missing[0] if missing else "shot")

    def _ask_encoding(self, role: Role, side: Side, then: Callable[[], None] | None = None) -> None:
        from aquin.desk.kit.picker import Picker

        held, decode = self.state.loaded[role], dict(side.raw)
        pictures = held.clip.source.pictures if held is not None and held.side.file == side.file else ()
        picker = Picker(
            self.state.config,
            side.file,
            side.encoding,
            side.matrix,
            side.range,
            self.owner,
            pictures,
            decode.get("layer", ""),
        )
        picker.config_changed.connect(self._keep_config)
        self.picker = picker

        def accepted() -> None:
            chosen = replace(
                side,
                encoding=picker.encoding,
                matrix=picker.matrix.currentData(),
                range=picker.range.currentData(),
                raw=with_layer(side.raw, picker.layer.currentData()) if pictures else side.raw,
            )
            self.state.set_side(role, chosen)
            self.encoding_chosen.emit(role, chosen)
            self.load(role)
            if then is not None:
                then()

        picker.accepted.connect(accepted)
        open_fitting(picker)

    def _keep_config(self, config: ColourConfig) -> None:
        """A configuration with an added encoding is kept as a file, so that the next start has it too."""
        path = added_config()
        try:
            write_text(path, config.text(), force=True)
            config.path = path
        except AquinError as error:
            self.told.emit(error.line())
        self.config_chosen.emit(config)

    def dropped(self, role: Role, files: list[str]) -> None:
        """Files dropped on one side; two at once on an empty Bench are hero and shot, asked for one after the other."""
        if len(files) >= 2 and self.state.side("hero") is None and self.state.side("shot") is None:
            self.open_file("hero", files[0], then=lambda: self.open_file("shot", files[1]))
        else:
            self.open_file(role, files[0])

    # reading

    def load_both(self) -> None:
        """Read what is not at hand of both sides, and show once what is."""
        self._quiet = True
        try:
            for role in ROLES:
                self.load(role)
        finally:
            self._quiet = False
        self.changed.emit()
        self.solve()

    def _changed(self) -> None:
        if not self._quiet:
            self.changed.emit()

    def load(self, role: Role) -> None:
        """Read one side in the background, then look for its chart and solve. What is at hand is shown at once."""
        side, state = self.state.side(role), self.state
        state.match = state.pictures = None
        self.jobs.cancel("solve")
        self.jobs.cancel(f"load {role}")
        held = state.loaded[role]
        if side is None:
            state.loaded[role] = None
        elif not side.encoding:
            state.loaded[role] = None
            self.said.emit(role, "")
        elif held is not None and held.key == key_of(side) and held.side.corners == side.corners:
            self._came(role, held)
            return
        elif (kept := self._kept_for(side)) is not None:
            self._came(role, kept)
            return
        else:
            self._read(role, side)
        self._changed()

    def _read(self, role: Role, side: Side) -> None:
        config = self.state.config
        self.state.loaded[role] = None
        self.said.emit(role, f"Reading {Path(side.file).name}")

        def done(loaded: Loaded) -> None:
            self._keep_loaded(loaded)
            self._came(role, loaded)

        def failed(line: str) -> None:
            self.state.loaded[role] = None
            self.said.emit(role, line)
            self.told.emit(line)
            self.changed.emit()

        self.jobs.start(f"load {role}", f"reading the {role}", lambda: open_side(side, config), done, failed)

    def _came(self, role: Role, loaded: Loaded) -> None:
        self.state.put_loaded(role, loaded)
        self.said.emit(role, "")
        for warning in (*loaded.clip.source.notes, *loaded.frame.warnings):
            self.told.emit(warning)
        self._changed()
        self.solve()

    def _kept_for(self, side: Side) -> Loaded | None:
        found = self._kept.get((*key_of(side), self.state.config))
        if found is None or side.corners is not None:
            return None
        return replace(found, side=replace(side, frame=found.frame.number))

    def _keep_loaded(self, loaded: Loaded) -> None:
        key = (*loaded.key, self.state.config)
        self._kept[key] = loaded
        self._kept.move_to_end(key)
        while len(self._kept) > 2 and size_of(self._kept) > KEPT_BYTES:
            self._kept.popitem(last=False)

    def read_ahead(self, sides: Sequence[Side]) -> None:
        """Read what will probably be looked at next, when nothing else is to be read."""
        config = self.state.config
        wanted = [s for s in sides if s.encoding and (*key_of(s), config) not in self._kept]
        if wanted:
            self._ahead.ask(lambda: (config, [k for s in wanted if (k := _quietly(s, config)) is not None]))

    def _came_ahead(self, came: tuple[Any, list[Loaded]]) -> None:
        if came[0] == self.state.config:
            for loaded in came[1]:
                self._keep_loaded(loaded)

    def forget(self) -> None:
        """Files or their configuration have changed."""
        self._kept.clear()

    # solving

    def solve(self) -> None:
        """Look for charts where they can decide, and solve, as soon as what is to be read has been."""
        state = self.state
        if self.waiting or self._quiet or any(self.jobs.running(f"load {role}") for role in ROLES):
            return
        hero, shot = state.loaded["hero"], state.loaded["shot"]
        if hero is None or shot is None:
            self._look_for_chart()
            return
        grade, named, chart = state.hero_grade, tuple(state.named), state.chart
        struck = state.now.struck
        given = state.given.source if state.given is not None else None
        self.jobs.cancel("solve skin")

        def work() -> tuple[Loaded, Loaded, Match | AquinError]:
            sides = [hero, shot] if given is not None else [with_chart(k, chart) for k in (hero, shot)]
            try:
                return (
                    sides[0],
                    sides[1],
                    match_pair.solve_sides(sides[0], sides[1], grade, named, given, struck),
                )
            except AquinError as error:
                return sides[0], sides[1], error

        def done(found: tuple[Loaded, Loaded, Match | AquinError]) -> None:
            for role, loaded in zip(ROLES, found[:2], strict=True):
                if state.loaded[role] is not loaded:
                    state.put_loaded(role, loaded)
                    self._keep_loaded(loaded)
            if isinstance(found[2], AquinError):
                self.told.emit(found[2].line())
                self.changed.emit()
                return
            state.match = found[2]
            for warning in state.match.warnings:
                self.told.emit(warning)
            self.changed.emit()
            self.solve_for_skin()

        self.jobs.start("solve", "solving the match", work, done, self.told.emit)

    def _look_for_chart(self) -> None:
        """One side alone shows where its chart is, too."""
        state = self.state
        role: Role | None = next((r for r in ROLES if state.loaded[r] is not None), None)
        loaded = state.loaded[role] if role is not None else None
        if role is None or loaded is None or loaded.looked:
            return
        chart = state.chart

        def done(found: Loaded) -> None:
            if state.loaded[role] is loaded:
                state.put_loaded(role, found)
                self._keep_loaded(found)
                self.changed.emit()

        self.jobs.start(
            "solve",
            f"looking for a chart in the {role}",
            lambda: with_chart(loaded, chart),
            done,
            self.told.emit,
        )

    def view_there(self) -> None:
        """The view through which skin is found was not there when the match was."""
        match = self.state.match
        if match is not None and not match.other and not self.jobs.running("solve skin"):
            self.solve_for_skin()

    def solve_for_skin(self) -> None:
        """The same for skin, after what is for the whole frame is shown already."""
        state, view = self.state, self.view()
        match, hero, shot = state.match, state.loaded["hero"], state.loaded["shot"]
        if match is None or hero is None or shot is None or view is None:
            return
        grade, now = state.hero_grade, state.now
        wish = match_pair.SkinWish(view, now.dabs, now.faces)

        def done(found: tuple[Match, bool]) -> None:
            if state.match is match and found[1]:
                state.match = found[0]
                self.changed.emit()

        self.jobs.start_long(
            "solve skin",
            "solving for skin",
            lambda tell: match_pair.solve_for_skin(match, hero, shot, grade, wish),
            done,
            self.told.emit,
            aside=True,
        )

    def go_to(self, role: Role, where: str) -> None:
        """Another frame: a step (+1, -1), a number, or a timecode."""
        loaded, side = self.state.loaded[role], self.state.side(role)
        if loaded is None or side is None:
            return
        source = loaded.clip.source
        try:
            if where in ("+1", "-1"):
                number = min(max(loaded.frame.number + int(where), source.first), source.last)
            elif where.isdigit():
                number = int(where)
            else:
                number = source.number_at(where)
            source.check(number)
        except AquinError as error:
            self.told.emit(error.line())
            self.changed.emit()
            return
        if number != loaded.frame.number:
            self.state.set_side(role, replace(side, frame=number))
            self.state.given = None  # known of the shot's own moment only
            self.load(role)

    def corners_moved(self, role: Role, corners: np.ndarray) -> None:
        loaded = self.state.loaded[role]
        if loaded is None:
            return
        chart = self.state.chart

        def done(again: Loaded) -> None:
            self.state.set_side(role, again.side)
            self.state.put_loaded(role, again)
            self.changed.emit()
            self.solve()

        def failed(line: str) -> None:
            self.told.emit(line)
            self.changed.emit()

        self.jobs.cancel("solve")
        self.jobs.start(
            f"load {role}", "reading the chart", lambda: reread(loaded, corners, chart), done, failed
        )

    def finish(self) -> None:
        self._ahead.finish()


def _quietly(side: Side, config: ColourConfig) -> Loaded | None:
    try:
        return open_side(side, config)
    except AquinError:  # it is told when it is opened
        return None
