"""One cut large: the last frame before it and the first after it, in the compare modes, and the two seconds around
it.
"""

from __future__ import annotations

from functools import partial
from typing import TYPE_CHECKING, Any

import numpy as np
from PySide6.QtCore import QTimer, Signal
from PySide6.QtWidgets import QButtonGroup, QPushButton, QWidget

from aquin.desk.commands import tip, words
from aquin.desk.continuity.seconds import Seconds, seconds_around
from aquin.desk.kit import monitor
from aquin.desk.kit.boxes import column_of, line_of
from aquin.desk.kit.jobs import Jobs, Latest
from aquin.desk.kit.labels import Words
from aquin.desk.kit.pictures import Pictures
from aquin.desk.kit.preview import as_bytes
from aquin.desk.session import OfSession, Session
from aquin.errors import AquinError
from aquin.jobs.load_side import ROLES

if TYPE_CHECKING:
    from aquin.colour.baked import BakedView
    from aquin.look.look import Look
    from aquin.production.cut.judged import Cut

MODES = ("side", "seam", "strips", "blink")
_TIPS = {
    "side": "Before the cut on the left, after it on the right",
    "seam": "Before left of a line, after right of it. Drag the line; drag its end to turn it",
    "strips": "Vertical strips of both in turn",
    "blink": "Both in turn, two changes a second. Flashing pictures can hurt: it never goes faster",
}
WIDE = 1600
"""Pixels across that frames are made at."""


class CutPair(QWidget, OfSession):
    """Shows a cut. `told`: a line for the foot."""

    told = Signal(str)

    def __init__(self, session: Session, jobs: Jobs) -> None:
        super().__init__()
        self.session, self.jobs = session, jobs
        self.baked: BakedView | None = None
        self.cut: Cut | None = None
        self.with_look = False
        self._key: tuple[Any, ...] = ()
        self._making = Latest(self)
        self._making.ready.connect(self._made)
        self._seconds: Seconds | None = None
        self._still: dict[str, np.ndarray] = {}
        self._at = 0
        self._clock = QTimer(self)
        self._clock.timeout.connect(self._next)
        column = column_of(0, self, spacing=0)
        self.pictures = Pictures()
        self.pictures.setAcceptDrops(False)
        self.pictures.names = {"hero": "before", "shot": "after"}
        self.pictures.setAccessibleName("The frames on both sides of the cut")
        self.pictures.setMinimumSize(320, 140)
        column.addWidget(self.pictures, 1)
        bar = line_of((4, 2, 4, 2), spacing=4)
        self.modes: dict[str, QPushButton] = {}
        group = QButtonGroup(self)
        for mode in MODES:
            button = self.modes[mode] = _quiet(mode, f"{_TIPS[mode]} (C cycles)")
            button.clicked.connect(lambda _=False, m=mode: self.set_mode(m))
            group.addButton(button)
            bar.addWidget(button)
        self.modes["side"].setChecked(True)
        self.play_button = _quiet(words("continuity.play"), tip("continuity.play"), False)
        self.look_button = _quiet("look off", tip("continuity.look"))
        self.label = Words("", role="dim").gives_way()
        bar.addWidget(self.play_button)
        bar.addWidget(self.look_button)
        bar.addWidget(self.label, 1)
        self.bar = bar
        column.addLayout(bar)
        self.play_button.clicked.connect(self.toggle_play)
        self.pictures.messages = {"hero": "", "shot": ""}

    def set_mode(self, mode: str) -> None:
        self.modes[mode].setChecked(True)
        self.pictures.set_mode(mode)

    def cycle_mode(self) -> None:
        self.set_mode(MODES[(MODES.index(self.pictures.mode) + 1) % len(MODES)])

    # the two frames

    def show_cut(self, cut: Cut | None, baked: BakedView | None, with_look: bool) -> None:
        """Show a cut as it is graded now; what is shown already is not made again."""
        production = self.production
        self.baked, self.cut, self.with_look = baked, cut, with_look
        if production is None or cut is None or baked is None:
            self._key = ()
            self.stop()
            for role in ROLES:
                self.pictures.set_image(role, None)
            return
        from aquin.production.cut.pieces import graded_at

        sides = [(cut.left, cut.left.last), (cut.right, cut.right.first)]
        grades = [repr(graded_at(production, p.shot, f)) for p, f in sides if p.shot is not None]
        looks = [self._look(p.shot.setup_id) for p, _ in sides if p.shot is not None] if with_look else []
        key = (cut.key, baked, *grades, repr(looks))
        if key == self._key:
            return
        self._key = key
        self.stop()
        self._seconds = None
        self.label.setText(
            f"frame {cut.left.last} of {cut.left.name}, frame {cut.right.first} of {cut.right.name}"
        )
        self._making.ask(partial(self._make, key, cut, baked, with_look))

    def _look(self, setup_id: str) -> Look | None:
        from aquin.production.looks import look_for

        return None if self.production is None else look_for(self.production, self.config, setup_id)

    def _make(self, key: Any, cut: Cut, baked: BakedView, with_look: bool) -> Any:
        """For a worker."""
        from aquin.production.cut.pieces import ref_at
        from aquin.production.cut.work import small_picture
        from aquin.production.shoot import Shoot

        assert self.production is not None
        shoot = Shoot(self.production, self.config)
        out: dict[str, Any] = {}
        for role, piece, frame in (
            ("hero", cut.left, cut.left.last),
            ("shot", cut.right, cut.right.first),
        ):
            ref = ref_at(shoot, piece, frame)
            if ref is None:
                out[role] = f"{piece.name} can't be read: {piece.event.why or 'find its media'}"
                continue
            try:
                log = small_picture(ref, shoot.config_path, WIDE)
            except AquinError as error:
                out[role] = error.line()
                continue
            look = self._look(piece.shot.setup_id) if with_look and piece.shot is not None else None
            if look is not None:
                log = np.asarray(look.picture(log), np.float32)
            out[role] = monitor.out(as_bytes(baked.process(log)))
        return key, out

    def _made(self, found: Any) -> None:
        key, sides = found
        if key != self._key:
            return
        self._still = {}
        for role in ROLES:
            made = sides[role]
            if isinstance(made, str):
                self.pictures.messages[role] = made
                self.pictures.set_image(role, None)
            else:
                self._still[role] = made
                self.pictures.sizes[role] = (made.shape[1], made.shape[0])
                self.pictures.set_image(role, made)

    # the two seconds

    @property
    def playing(self) -> bool:
        return self._clock.isActive()

    def toggle_play(self) -> None:
        """Play the second before the cut and the second after it, over and over; or stop."""
        if self.playing:
            self.stop()
            return
        production, cut, baked = self.production, self.cut, self.baked
        if production is None or cut is None or baked is None:
            return
        if self._seconds is not None:
            self._start()
            return
        config = self.config

        def work(tell: Any) -> Seconds:
            return seconds_around(production, config, baked, cut, tell)

        def done(made: Seconds) -> None:
            if cut is self.cut:
                self._seconds = made
                self._start()

        self.jobs.start_long("seconds", "reading the two seconds", work, done, self.told.emit)

    def _start(self) -> None:
        assert self._seconds is not None
        self._at = 0
        self.play_button.setText("Stop")
        self._clock.start(round(self._seconds.step_ms))

    def _next(self) -> None:
        """In `side` both seconds run in step; in one picture the cut is seen as it is."""
        found = self._seconds
        if found is None:
            self.stop()
            return
        left, right = len(found.left), len(found.right)
        if self.pictures.mode == "side":
            at = self._at % max(left, right, 1)
            if left:
                self.pictures.set_image("hero", found.left[min(at, left - 1)])
            if right:
                self.pictures.set_image("shot", found.right[min(at, right - 1)])
        else:
            at = self._at % max(left + right, 1)
            picture = found.left[at] if at < left else found.right[at - left]
            for role in ROLES:
                self.pictures.set_image(role, picture)
        self._at += 1

    def stop(self) -> None:
        if self._clock.isActive():
            self._clock.stop()
            for role, picture in self._still.items():
                self.pictures.set_image(role, picture)  # type: ignore[arg-type]
        self.play_button.setText(words("continuity.play"))

    def idle(self) -> bool:
        return self._making.idle()

    def finish(self) -> None:
        self._clock.stop()
        self._making.finish()


def _quiet(text: str, said: str, checkable: bool = True) -> QPushButton:
    button = QPushButton(text)
    button.setProperty("quiet", True)
    button.setToolTip(said)
    button.setCheckable(checkable)
    return button
