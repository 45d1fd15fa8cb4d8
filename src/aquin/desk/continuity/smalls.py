"""Small pictures of an edit's frames through the view, with the look where that is shown; made beside the window's
thread and kept.
"""

from __future__ import annotations

from functools import partial
from typing import TYPE_CHECKING, Any

import numpy as np
from PySide6.QtCore import Signal
from PySide6.QtGui import QImage
from PySide6.QtWidgets import QWidget

from aquin.desk.kit import monitor
from aquin.desk.kit.jobs import Latest
from aquin.desk.session import OfSession, Session

if TYPE_CHECKING:
    from aquin.colour.baked import BakedView
    from aquin.production.cut.judged import Continuity

At = tuple[int, int]
"""A piece's number, and which end of it: 0 first, 1 last."""


class SmallPictures(QWidget, OfSession):
    """`ready`: some have come. `by_end`: what is there of the edit that was asked for last."""

    ready = Signal()

    def __init__(self, session: Session, owner: QWidget) -> None:
        super().__init__(owner)
        self.hide()
        self.session = session
        self.by_end: dict[At, QImage] = {}
        self._kept: dict[tuple[str, str], QImage] = {}
        """By what they are packed as, and the look."""
        self._making = Latest(self)
        self._making.ready.connect(self._made)

    def forget(self) -> None:
        """Another screen: all are made anew."""
        self.by_end, self._kept = {}, {}

    def ask(self, found: Continuity | None, baked: BakedView | None) -> None:
        if found is None or baked is None or self.production is None:
            return
        looks = {id: (look, repr(look)) for id, look in self._looks().items()}
        none = (None, repr(None))
        wanted = [
            ((p.number, end), packed, *looks.get(p.shot.setup_id if p.shot is not None else "", none))
            for p in found.pieces
            for end, packed in enumerate(found.small.get(p.number, ("", "")))
            if packed
        ]
        known = self._kept
        self.by_end = {at: known[packed, key] for at, packed, _, key in wanted if (packed, key) in known}
        missing = [w for w in wanted if w[0] not in self.by_end]
        if missing:
            self._making.ask(partial(_images, baked, missing))

    def _looks(self) -> dict[str, Any]:
        """The look that is on, by setup, where looks are shown."""
        from aquin.production import Setup
        from aquin.production.looks import look_for

        if self.production is None or not self.session.look_shown:
            return {}
        return {s.id: look_for(self.production, self.config, s.id) for s in self.production.all(Setup)}

    def _made(self, made: list[tuple[At, str, str, QImage]]) -> None:
        for at, packed, key, image in made:
            self._kept[packed, key] = self.by_end[at] = image
        self.ready.emit()

    def idle(self) -> bool:
        return self._making.idle()

    def finish(self) -> None:
        self._making.finish()


def _images(baked: BakedView, wanted: list[tuple[At, str, Any, str]]) -> list[tuple[At, str, str, QImage]]:
    """For a worker: in the form in which a painter takes them as they are."""
    from aquin.production.cut.work import unpacked

    out = []
    for at, packed, look, key in wanted:
        log = unpacked(packed)
        if look is not None:
            log = np.asarray(look.picture(log), np.float32)
        signal = np.asarray(baked.process(np.ascontiguousarray(log)))
        codes = np.ascontiguousarray(monitor.out(np.clip(signal * 255 + 0.5, 0, 255).astype(np.uint8)))
        h, w = codes.shape[:2]
        image = QImage(codes.data, w, h, 3 * w, QImage.Format.Format_RGB888)
        out.append((at, packed, key, image.convertToFormat(QImage.Format.Format_RGB32)))
    return out
