"""Opening, reading and solving: what happens to files between the person's hand and the Bench's state."""

from collections.abc import Callable
from dataclasses import replace
from pathlib import Path
from typing import Any

import numpy as np
from PySide6.QtCore import QObject, Signal
from PySide6.QtWidgets import QWidget

from aquin.colour.config import ColourConfig
from aquin.colour.grade import Grade
from aquin.desk.bench.state import (
    Bench,
    Loaded,
    Role,
    Side,
    SkinWish,
    load_side,
    reread,
    solve_for_skin,
    solve_sides,
)
from aquin.desk.kit.ask import MEDIA, ask_open
from aquin.desk.kit.jobs import Jobs
from aquin.errors import AquinError
from aquin.files import write_safely
from aquin.frames import Matrix, Range, RawDecode
from aquin.frames.opening import SUFFIXES
from aquin.match.engine import Match, Source
from aquin.own_files import added_config


class Files(QObject):
    """Works on the `Bench` state in the background.

    `changed`: there is something new to show. `said`: a message in the place of one side's picture. `told`: a message for
    the foot line. `config_chosen`: another configuration is to be used.
    """

    changed = Signal()
    said = Signal(str, str)
    told = Signal(str)
    config_chosen = Signal(object)

    def __init__(self, bench: Bench, jobs: Jobs, owner: QWidget) -> None:
        super().__init__(owner)
        self.bench, self.jobs, self.owner = bench, jobs, owner
        self.view: Callable[[Any], Any] | None = None
        """ACEScct to display signal, for finding skin."""

    def ask_file(self, role: Role) -> None:
        side = self.bench.side(role)
        start = side.file if side else ""
        kinds = " ".join(f"*{s}" for s in sorted(SUFFIXES))
        path = ask_open(
            self.owner, f"Open a {role}", MEDIA, f"Pictures and movies ({kinds});;All files (*)", start
        )
        if path:
            self.open_file(role, str(path))

    def open_file(
        self,
        role: Role,
        path: str,
        encoding: str | None = None,
        then: Callable[[], None] | None = None,
        matrix: Matrix | None = None,
        range: Range | None = None,
        raw: RawDecode | None = None,
        frame: int | None = None,
        hero_grade: Grade | None = None,
        given: Source | None = None,
    ) -> None:
        """Open a file on one side; without an encoding the person is asked for it, and `then` follows their choice."""
        if self.bench.config.path is None:
            try:
                found = ColourConfig.find(None, path)
            except AquinError as error:
                self.told.emit(error.line())
                found = self.bench.config
            if found.path is not None:
                self.config_chosen.emit(found)
        old = self.bench.side(role)
        if role == "hero":
            self.bench.hero_grade = hero_grade or Grade()
        self.bench.given = given if role == "shot" else None
        if encoding is None:
            side = Side(path, old.encoding if old else "", matrix=matrix, range=range)
            self._ask_encoding(role, side, then)
            return
        developed = tuple(raw.values().items()) if raw is not None else ()
        self.bench.set_side(role, Side(path, encoding, frame, matrix, range, raw=developed))
        self.load(role)

    def pick_encoding(self, role: Role) -> None:
        side = self.bench.side(role)
        if side is not None:
            self._ask_encoding(role, side)

    def _ask_encoding(self, role: Role, side: Side, then: Callable[[], None] | None = None) -> None:
        from aquin.desk.kit.picker import Picker

        picker = Picker(self.bench.config, side.file, side.encoding, side.matrix, side.range, self.owner)
        picker.config_changed.connect(self._keep_config)
        self.picker = picker

        def accepted() -> None:
            chosen = replace(
                side,
                encoding=picker.encoding,
                matrix=picker.matrix.currentData(),
                range=picker.range.currentData(),
            )
            self.bench.set_side(role, chosen)
            self.load(role)
            if then is not None:
                then()

        picker.accepted.connect(accepted)
        picker.open()

    def _keep_config(self, config: ColourConfig) -> None:
        """A configuration with an added encoding is kept as a file, so that the next start has it too."""
        path = added_config()
        text = config.text()

        def put(target: Path) -> None:
            target.write_text(text, encoding="utf-8")

        try:
            write_safely(path, put, force=True)
            config.path = path
        except AquinError as error:
            self.told.emit(error.line())
        self.config_chosen.emit(config)

    def dropped(self, role: Role, files: list[str]) -> None:
        """Files dropped on one side; two at once on an empty Bench are hero and shot, asked for one after the other."""
        if len(files) >= 2 and self.bench.side("hero") is None and self.bench.side("shot") is None:
            self.open_file("hero", files[0], then=lambda: self.open_file("shot", files[1]))
        else:
            self.open_file(role, files[0])

    def load(self, role: Role) -> None:
        """Read one side again in the background, then solve."""
        side = self.bench.side(role)
        self.bench.match = self.bench.pictures = None
        self.changed.emit()
        if side is None:
            self.bench.loaded[role] = None
            self.changed.emit()
            return
        config, chart = self.bench.config, self.bench.chart
        self.jobs.cancel("solve")
        self.said.emit(role, f"Reading {Path(side.file).name}")

        def done(loaded: Loaded) -> None:
            self.bench.put_loaded(role, loaded)
            self.said.emit(role, "")
            for warning in loaded.frame.warnings:
                self.told.emit(warning)
            self.changed.emit()
            self.solve()

        def failed(line: str) -> None:
            self.bench.loaded[role] = None
            self.said.emit(role, line)
            self.told.emit(line)
            self.changed.emit()

        self.jobs.start(
            f"load {role}", f"reading the {role}", lambda: load_side(side, config, chart), done, failed
        )

    def solve(self) -> None:
        hero, shot = self.bench.loaded["hero"], self.bench.loaded["shot"]
        if hero is None or shot is None:
            return
        grade, named, given = self.bench.hero_grade, tuple(self.bench.named), self.bench.given
        self.jobs.cancel("solve skin")

        def done(match: Match) -> None:
            self.bench.match = match
            for warning in match.warnings:
                self.told.emit(warning)
            self.changed.emit()
            self.solve_for_skin()

        self.jobs.start(
            "solve",
            "solving the match",
            lambda: solve_sides(hero, shot, grade, named, given),
            done,
            self.told.emit,
        )

    def solve_for_skin(self) -> None:
        """The same for skin, after what is for the whole frame is shown already."""
        hero, shot = self.bench.loaded["hero"], self.bench.loaded["shot"]
        view, match = self.view, self.bench.match
        if hero is None or shot is None or match is None or view is None:
            return
        grade, now = self.bench.hero_grade, self.bench.now
        wish = SkinWish(view, now.dabs, now.faces)

        def done(found: tuple[Match, bool]) -> None:
            if self.bench.match is match and found[1]:
                self.bench.match = found[0]
                self.changed.emit()

        self.jobs.start_long(
            "solve skin", "solving for skin", lambda tell: solve_for_skin(match, hero, shot, grade, wish), done,
            self.told.emit, aside=True,
        )  # fmt: skip

    def go_to(self, role: Role, where: str) -> None:
        """Another frame: a step (+1, -1), a number, or a timecode."""
        loaded, side = self.bench.loaded[role], self.bench.side(role)
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
            self.bench.set_side(role, replace(side, frame=number))
            self.load(role)

    def corners_moved(self, role: Role, corners: np.ndarray) -> None:
        loaded = self.bench.loaded[role]
        if loaded is None:
            return
        chart = self.bench.chart

        def done(again: Loaded) -> None:
            self.bench.set_side(role, again.side)
            self.bench.put_loaded(role, again)
            self.changed.emit()
            self.solve()

        def failed(line: str) -> None:
            self.told.emit(line)
            self.changed.emit()

        self.jobs.cancel("solve")
        self.jobs.start(
            f"load {role}", "reading the chart", lambda: reread(loaded, corners, chart), done, failed
        )
