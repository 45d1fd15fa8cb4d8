"""The second before a cut and the second after it, made once and played in step. Beside the interface thread."""

from __future__ import annotations

from dataclasses import dataclass
from typing import TYPE_CHECKING, Any

import numpy as np

from aquin.desk.kit import monitor
from aquin.desk.kit.preview import fit, show
from aquin.errors import AquinError

if TYPE_CHECKING:
    from aquin.colour.baked import BakedView
    from aquin.colour.config import ColourConfig
    from aquin.desk.kit.jobs import Tell
    from aquin.production import Production
    from aquin.production.cut.judged import Cut
    from aquin.production.cut.pieces import Piece
    from aquin.production.shoot import Shoot

USUAL = 24.0
"""Frames a second where a file does not say."""
WIDTH = 640
"""Pixels across that are played."""


@dataclass(frozen=True, eq=False)
class Seconds:
    """Pictures of both sides, (h, w, 4) bytes, and milliseconds between them."""

    left: list[np.ndarray]
    right: list[np.ndarray]
    step_ms: float


def seconds_around(
    production: Production, config: ColourConfig, baked: BakedView, cut: Cut, tell: Tell
) -> Seconds:
    """Up to a second of either side, each frame under its grade. Raises AquinError."""
    from aquin.production.shoot import Shoot

    shoot = Shoot(production, config)
    rates = [
        float(p.shot.fps) for p in (cut.left, cut.right) if p.shot is not None and p.shot.fps is not None
    ]
    rate = rates[0] if rates else USUAL
    count = max(round(rate), 1)
    numbers = [_ends(cut.left, count, last=True), _ends(cut.right, count, last=False)]
    total, made = sum(len(n) for n in numbers), 0
    out: list[list[np.ndarray]] = []
    for piece, frames in zip((cut.left, cut.right), numbers, strict=True):
        side = []
        for picture in _pictures(shoot, piece, frames, config, baked):
            side.append(picture)
            made += 1
            tell(made / total, "")
        out.append(side)
    return Seconds(out[0], out[1], 1000 / rate)


def _ends(piece: Piece, count: int, last: bool) -> list[int]:
    """Frame numbers in the order in which they are seen: the last or the first ones of a piece."""
    step = 1 if piece.last >= piece.first else -1
    whole = list(range(piece.first, piece.last + step, step))
    return whole[-count:] if last else whole[:count]


def _pictures(shoot: Shoot, piece: Piece, frames: list[int], config: ColourConfig, baked: BakedView) -> Any:
    from aquin.colour.grade import Grade
    from aquin.production.grading import held_grade
    from aquin.production.match_work import opened

    shot = piece.shot
    ref = None if shot is None else shoot.ref(shot, piece.first)
    if shot is None or ref is None:
        raise AquinError(f"{piece.name} can't be read", shoot.production.place, "Find its media")
    grade = held_grade(shoot.production, shot) or Grade()
    to_linear = config.to_linear(ref.encoding)
    source = opened(ref)
    try:
        step = max(source.width // WIDTH, 1)
        for number in frames:
            signal = source.read_thinned(min(max(number, source.first), source.last), step).rgb
            linear = fit(np.asarray(to_linear(signal), np.float32), WIDTH, WIDTH)
            shown = show(linear, grade.at(number), baked, linear.shape[1] / source.width)
            yield monitor.out(shown.pixels)
    finally:
        source.close()
