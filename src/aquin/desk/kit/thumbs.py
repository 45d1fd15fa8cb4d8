"""Small pictures of shots through the chain, made beside the interface thread; only what is asked for."""

from __future__ import annotations

import json
from collections import OrderedDict
from contextlib import suppress
from typing import TYPE_CHECKING

import numpy as np
from PySide6.QtCore import QMutex, QMutexLocker, QObject, QThread, QWaitCondition, Signal
from PySide6.QtGui import QIcon, QImage, QPixmap

from aquin.colour.grade import Grade
from aquin.desk.kit import monitor
from aquin.desk.kit.preview import graded
from aquin.errors import AquinError
from aquin.production.looking import picture_of
from aquin.production.measuring import encoding_of

if TYPE_CHECKING:
    from aquin.colour.config import ColourConfig, Processor
    from aquin.production import Production, Shot


KEPT = 3000
BATCH = 24

Key = tuple[str, str, str]
"""A shot's content, its encoding, and its grade as JSON (empty: none)."""


LATER_MS = 40
"""Pictures are begun so long after they are asked for: what asks is a painter, which this would slow."""


class Thumbs(QThread):
    """`get` gives a picture or notes that it is wanted; `ready` tells that wanted ones have come."""

    ready = Signal()
    _made = Signal(object)

    def __init__(self, parent: QObject | None = None) -> None:
        super().__init__(parent)
        self._production: Production | None = None
        self._config: ColourConfig | None = None
        self._seen_on: tuple[str, str] = ("", "")
        self._kept: OrderedDict[Key, QIcon | None] = OrderedDict()
        self._wanted: list[Key] = []
        self._mutex, self._wake = QMutex(), QWaitCondition()
        self._stop = False
        self._under_way = 0
        self._made.connect(self._take)

    def show(
        self, production: Production | None, config: ColourConfig | None, seen_on: tuple[str, str]
    ) -> None:
        """Pictures of another production, or the same one through another chain."""
        with QMutexLocker(self._mutex):
            self._production, self._config, self._seen_on = production, config, seen_on
            self._kept.clear()
            self._wanted.clear()

    def get(self, shot: Shot, grade: Grade | None = None) -> QIcon | None:
        return self.held(self.key(shot, grade))

    def key(self, shot: Shot, grade: Grade | None = None) -> Key | None:
        """What `held` knows its picture by; None where it has none."""
        if self._production is None or not shot.content:
            return None
        said = "" if grade is None or grade == Grade() else json.dumps(grade.values())
        return shot.content, encoding_of(self._production, shot), said

    def held(self, key: Key | None) -> QIcon | None:
        """The picture, or None until it has come."""
        if key is None or self._production is None:
            return None
        if key in self._kept:
            return self._kept[key]
        self._kept[key] = None
        while len(self._kept) > KEPT:
            self._kept.popitem(last=False)
        with QMutexLocker(self._mutex):
            self._wanted.append(key)
            self._wake.wakeOne()
        if not self.isRunning():
            self.start(QThread.Priority.LowPriority)
        return None

    def run(self) -> None:
        while True:
            with QMutexLocker(self._mutex):
                while not self._wanted and not self._stop:
                    self._wake.wait(self._mutex)
            self.msleep(LATER_MS)
            with QMutexLocker(self._mutex):
                if self._stop:
                    return
                batch = self._wanted[-BATCH:]  # what was asked for last is on screen now
                del self._wanted[-BATCH:]
                production, config, seen_on = self._production, self._config, self._seen_on
                self._under_way += 1
            known = production is not None and config is not None
            made = _pictures(production, config, seen_on, batch) if known else {}  # type: ignore[arg-type]
            self._made.emit(((production, config, seen_on), made))

    def _take(self, made: tuple[tuple[object, ...], dict[Key, QImage]]) -> None:
        with QMutexLocker(self._mutex):
            self._under_way -= 1
        if made[0] == (self._production, self._config, self._seen_on):  # not through a chain that was left
            for key, image in made[1].items():
                self._kept[key] = QIcon(QPixmap.fromImage(image))
            self.ready.emit()

    def idle(self) -> bool:
        with QMutexLocker(self._mutex):
            return not self._wanted and not self._under_way

    def finish(self) -> None:
        with QMutexLocker(self._mutex):
            self._stop = True
            self._wake.wakeOne()
        self.wait()


def _pictures(
    production: Production, config: ColourConfig, seen_on: tuple[str, str], batch: list[Key]
) -> dict[Key, QImage]:
    out: dict[Key, QImage] = {}
    try:
        thumbs = production.measured_of("thumb", {content for content, _, _ in batch})
        view = config.view(*seen_on)
    except AquinError:
        return out
    ready: dict[str, Processor | None] = {}
    for content, encoding, said in batch:
        thumb = thumbs.get(content)
        if not thumb:
            continue
        signal = picture_of(thumb)
        if encoding not in ready:
            ready[encoding] = None
            with suppress(AquinError):
                ready[encoding] = config.to_linear(encoding) if encoding else None
        linear = ready[encoding]
        if linear is not None:
            light = linear(signal)
            if said:
                with suppress(ValueError, KeyError, TypeError):
                    light = graded(light, Grade.of(json.loads(said)))
            signal = view(light)
        codes = np.ascontiguousarray(monitor.out(np.clip(signal * 255 + 0.5, 0, 255).astype(np.uint8)))
        image = QImage(
            codes.data, codes.shape[1], codes.shape[0], codes.strides[0], QImage.Format.Format_RGB888
        )
        out[content, encoding, said] = image.copy()
    return out
