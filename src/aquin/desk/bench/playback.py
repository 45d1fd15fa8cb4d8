"""Playback of hero and shot at reduced size, in step, beside the interface thread; frames that come late are left
out.
"""

import threading
import time
import traceback
from collections.abc import Callable
from concurrent.futures import ThreadPoolExecutor
from dataclasses import dataclass
from typing import Any

import numpy as np
from PySide6.QtCore import QObject, QThread, Signal

from aquin.colour.baked import BakedView, grid, lut_processor
from aquin.colour.config import ColourConfig
from aquin.colour.grade import Grade
from aquin.desk.kit import monitor
from aquin.desk.kit.preview import as_bytes, fit, show
from aquin.errors import AquinError
from aquin.frames import Decode
from aquin.jobs.load_side import Loaded, Role
from aquin.measure.clip import Clip

Way = Callable[[Any], Any]
POINTS = 33
"""Points along each side of the LUT that playback goes through."""
USUAL_RATE = 24.0
WIDTH = 480
"""Pixels across from which a frame is thinned out further."""


@dataclass(frozen=True)
class Track:
    """One side as it is played: opened file, grade, and the frame that it begins at."""

    loaded: Loaded
    grade: Grade
    begin: int


class Player(QThread):
    """`shown` carries pixels by role and the shot's frame number; `ended` a line where something went wrong, else
    nothing.
    """

    shown = Signal(object, int)
    ended = Signal(str)

    def __init__(
        self,
        tracks: dict[Role, Track],
        config: ColourConfig,
        baked: BakedView,
        size: tuple[int, int],
        parent: QObject,
    ) -> None:
        super().__init__(parent)
        self.tracks, self.config, self.baked, self.size = tracks, config, baked, size
        self.stopped = False
        self.frames = 0
        self.took = 0.0
        self._room = threading.Semaphore(2)  # pictures on their way to the window

    def stop(self) -> None:
        self.stopped = True
        self._room.release(2)

    def taken(self) -> None:
        """The window has shown a picture."""
        self._room.release()

    def run(self) -> None:
        line = ""
        try:
            self._play()
        except AquinError as error:
            line = error.line()
        except Exception as error:
            traceback.print_exc()
            line = f"Playing went wrong inside Aquin ({error}). Nothing is lost."
        self.ended.emit(line)

    def _play(self) -> None:
        clips = {}
        for role, track in self.tracks.items():
            side = track.loaded.side
            raw = Decode.of(dict(side.raw)) if side.raw else None
            clips[role] = Clip.open(side.file, side.encoding, self.config, side.matrix, side.range, raw)
        pool = ThreadPoolExecutor(2, thread_name_prefix="playback")
        try:
            ways = {role: self._way(role, clip) for role, clip in clips.items()}
            lead = clips["shot"].source
            rate = float(lead.rate or USUAL_RATE)
            first = self.tracks["shot"].begin
            started = time.monotonic()
            number = first
            while not self.stopped and number <= lead.last:
                seconds = (number - first) / rate
                jobs = {
                    role: pool.submit(self._frame, role, clip, ways[role], seconds)
                    for role, clip in clips.items()
                }
                made = {role: job.result() for role, job in jobs.items()}
                wait = started + seconds - time.monotonic()
                if wait > 0:
                    self.msleep(int(1000 * wait))
                self._room.acquire()
                self.shown.emit(made, number)
                self.frames += 1
                self.took = time.monotonic() - started
                number = max(number + 1, first + int(self.took * rate))
        finally:
            pool.shutdown(cancel_futures=True)
            for clip in clips.values():
                clip.source.close()

    def _way(self, role: Role, clip: Clip) -> Way | None:
        """Recording to screen as one LUT; None where a grade looks at where pixels are, or moves."""
        grade = self.tracks[role].grade
        if grade.by_place or grade.keys or clip.source.signal.floating:
            return None
        codes = grid(POINTS).astype(np.float32)
        log = np.asarray(grade.apply_linear(clip.to_linear(codes)), np.float32)
        return lut_processor(self.baked.process(log), POINTS)

    def _frame(self, role: Role, clip: Clip, way: Way | None, seconds: float) -> np.ndarray:
        track, source = self.tracks[role], clip.source
        rate = float(source.rate or USUAL_RATE)
        number = min(track.begin + round(seconds * rate), source.last)
        step = max(round(source.width / WIDTH), 1)
        signal = source.read_thinned(number, step).rgb
        if way is None:
            linear = fit(clip.to_linear(signal), *self.size)
            scale = linear.shape[1] / source.width
            return monitor.out(show(linear, track.grade.at(number), self.baked, scale).pixels)
        return monitor.out(as_bytes(way(np.clip(signal, 0, 1))))
