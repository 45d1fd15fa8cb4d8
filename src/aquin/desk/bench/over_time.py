"""A grade that moves over time, on the Bench: following the light within the take, and keys by hand."""

from __future__ import annotations

import json
from dataclasses import replace
from pathlib import Path
from typing import TYPE_CHECKING, Any

import numpy as np
from PySide6.QtCore import QObject, Signal

from aquin.colour.over_time import change_at, fewest, key_at
from aquin.errors import AquinError
from aquin.late import late
from aquin.match.drift import to_parts

if TYPE_CHECKING:
    from aquin.colour.grade import Grade
    from aquin.desk.bench.files import Files
    from aquin.desk.bench.presenter import Presenter
    from aquin.desk.bench.state import BenchState
    from aquin.desk.kit.jobs import Jobs
    from aquin.production import match_work, over_time
    from aquin.workers import Tell
else:
    match_work, over_time = late("aquin.production.match_work", "aquin.production.over_time")


class OverTime(QObject):
    """`told`: words for the foot."""

    told = Signal(str)

    def __init__(self, state: BenchState, presenter: Presenter, files: Files, jobs: Jobs) -> None:
        super().__init__(presenter)
        self.state, self.presenter, self.files, self.jobs = state, presenter, files, jobs

    def follow(self) -> None:
        """Compare the take's frames with this one, and take back what light does, so that the take looks as this frame
        does now. One step that can be undone.
        """
        job = self._job()
        if job is None:
            return
        shot, before = self.state.now.shot, self.state.grade

        def work(tell: Tell) -> Any:
            from aquin.workers import each

            ((_, found),) = each(over_time.follow_job, [job], 1, tell, lambda j: j.path.name)
            if isinstance(found, AquinError):
                raise found
            return found

        def done(found: Any) -> None:
            now = self.state.now.shot
            if now is None or shot is None or replace(now, frame=shot.frame) != shot:
                self.told.emit("Another shot is on the Bench by now: nothing was followed.")
                return
            if self.state.grade != before:
                self.told.emit("The grade was changed meanwhile: follow the light again.")
                return
            self._take(found, job.origin)

        self.told.emit("Comparing frames of the take.")
        self.jobs.start_long("follow light", "following the light", work, done, self.told.emit)

    def _job(self) -> over_time.FollowJob | None:
        side, loaded = self.state.side("shot"), self.state.loaded["shot"]
        if side is None or loaded is None or loaded.clip.source.count < 2:
            self.told.emit("Light is followed within a movie or a sequence: open one as the shot.")
            return None
        source, origin = loaded.clip.source, self.state.frame
        config = self.state.config.path
        ref = match_work.Ref(
            Path(side.file),
            side.encoding,
            side.range or "",
            side.matrix or "",
            origin,
            json.dumps(dict(side.raw)) if side.raw else "{}",
        )
        frames = over_time.evenly(source.first, source.count, float(source.rate or 24), origin)
        return over_time.FollowJob("", ref, frames, origin, None if config is None else str(config))

    def _take(self, found: dict[str, Any], origin: int) -> None:
        frames, change = found["frames"], np.array(found["change"], np.float64).reshape(-1, 3)
        error = np.array(found["error"], np.float64)
        if len(frames) < 2:
            self.told.emit("The take's frames share nothing by which light could be followed.")
            return
        keys = fewest(frames, -change, error, over_time.TOLERANCE)
        made = self.state.grade.followed(origin, keys)
        span = float(np.ptp(to_parts(change)[:, 0]))
        sure = f"(\u00b1{error.max():.2f} st, {len(frames)} frames by {found['by']})"
        if not keys:
            self.told.emit(f"Light holds within the take: {span:.2f} st {sure}. Nothing is changed.")
            return
        left = float(np.ptp(change + change_at(keys, frames), axis=0).max())
        self.state.set_grade(made, "follow the light")
        self.presenter.changed.emit(False)
        self.told.emit(
            f"Light changes by {span:.2f} st {sure}: {len(keys)} keys follow it and leave {left:.2f} st."
        )

    # keys by hand

    def toggle_key(self) -> None:
        """A key at this frame, that holds what holds here; or the key that lies here is taken away."""
        loaded, frame = self.state.loaded["shot"], self.state.frame
        if loaded is None or loaded.clip.source.count < 2:
            self.told.emit("Keys lie on frames of a movie or a sequence.")
            return
        source, grade = loaded.clip.source, self.state.grade
        frames = [k.frame for k in grade.keys]
        if frame in frames:
            keys = tuple(k for k in grade.keys if k.frame != frame)
            if len(keys) < 2:
                keys = ()
            made, what = grade.moving(keys), "take a key away"
        else:
            wanted = {frame, *(frames or (source.first, source.last))}
            keys = tuple(key_at(n, change_at(grade.keys, n)) for n in sorted(wanted))
            made, what = grade.moving(keys), "put a key"
        self.state.set_grade(made, what)
        self.presenter.changed.emit(False)
        self.told.emit(
            "The take holds one grade again."
            if not keys
            else f"Keys at frames {', '.join(str(k.frame) for k in keys)}. Numbers of the stack move the key on "
            "which you stand; on other frames all of them."
        )

    def step_key(self, by: int) -> None:
        """To the previous or next key."""
        frames, here = [k.frame for k in self.state.grade.keys], self.state.frame
        beyond = [f for f in frames if (f - here) * by > 0]
        if not beyond:
            self.told.emit(
                "There is no further key." if frames else "The grade does not move: it has no keys."
            )
            return
        self.files.go_to("shot", str(min(beyond, key=lambda f: abs(f - here))))


def words_of(grade: Grade, frame: int) -> str:
    """What a moving grade does at a frame, in words; empty for one that does not move."""
    if not grade.keys:
        return ""
    level = to_parts(change_at(grade.keys, [frame]))[0, 0]
    on = any(k.frame == frame for k in grade.keys)
    place = "on a key: numbers move it alone" if on else "between keys: numbers move all of them"
    off = f"{level:+z.2f}".replace("-", "−")
    return f"It moves over time, {len(grade.keys)} keys; here {off} st over its middle, {place}. "
