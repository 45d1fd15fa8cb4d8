"""What somebody did to a picture: each likely mistake is made again, alone and in pairs, and what is left between it
and their picture says how well it explains what is seen.
"""

from __future__ import annotations

from collections import Counter
from collections.abc import Callable, Iterator, Sequence
from dataclasses import dataclass, replace
from itertools import product
from typing import Any

import numpy as np

from aquin.arrays import Float64, Floats
from aquin.colour import acescct
from aquin.colour.cdl import LUMA, Cdl
from aquin.colour.difference import delta_e00
from aquin.colour.grade import Balance, Grade
from aquin.release.chain import Chain, Other
from aquin.screens.light import srgb, srgb_signal
from aquin.screens.players import READINGS, with_matrix

FLOOR = 0.12
"""CIEDE2000 (root of mean square) below which nothing is told apart: codes of 8 bit, compression."""
EXACT = 0.0
ONE, ONE_OF_MANY, TWO = 0.35, 0.5, 1.1
"""By how much the logarithm of what is left must fall for one cause, for one found among many, and for two."""
NAMED = 0.34
"""The same for a deliverable of the production: just before a curve that happens to be its."""
SAME = 1.0
"""CIEDE2000 (root of mean square) up to which a picture counts as the expected one where nothing explains the rest."""
STRENGTHS = np.linspace(0.0, 1.5, 31)
FEW = 1_500
"""Pixels that the likeliest are tried on next."""
FIRST = 300
"""Pixels that everything is tried on first."""
LIKELY = 48
"""How many are then tried on `FEW`."""
KEPT = 14
"""How many are then tried on all."""
SAME_ID = 3
"""Of one id at most."""


Signal = Callable[[Floats], Floats]


@dataclass(frozen=True)
class Cause:
    """One thing that may have been done. `make`: camera signal, (n, 3), to the signal that it gives, for what is done
    in the chain; `after`: the right signal to the one that is seen, for what is done to the finished picture.
    """

    id: str
    words: str
    cost: float = ONE
    make: Signal | None = None
    after: Signal | None = None


@dataclass(frozen=True)
class Explained:
    """`left`: mean CIEDE2000 that is left; `explains`: the share of the difference that is explained, 0 to 1."""

    causes: tuple[Cause, ...]
    left: float
    explains: float
    score: float

    @property
    def id(self) -> str:
        return "+".join(c.id for c in self.causes)

    @property
    def words(self) -> str:
        return " and ".join(c.words for c in self.causes)

    def data(self) -> dict[str, Any]:
        return {
            "cause": self.id,
            "words": self.words,
            "explains": round(self.explains, 3),
            "left": round(self.left, 3),
        }


def in_the_chain(chain: Chain, others: Sequence[Other]) -> list[Cause]:
    """What may have been done between the camera's signal and the screen; what would change nothing is left out."""
    found = [*_looks(chain), *_grades(chain), *_cdls(chain), *_clamps(chain), *_others(chain, others)]
    return [*found, *_views(chain), *_unshown(chain)]


def _with(chain: Chain, **changes: Any) -> Signal:
    return replace(chain, **changes)


def _looks(chain: Chain) -> Iterator[Cause]:
    look = chain.look
    if look is None or look.neutral or not look.strength:
        return
    yield Cause("look-missing", f"the look {look.name} is missing", ONE, _with(chain, look=None))

    def twice(codes: Floats) -> Floats:
        log = np.asarray(chain.grade.apply_linear(chain.linear(codes)), np.float32)
        return chain.shown(look.apply(log))

    yield Cause("look-twice", f"the look {look.name} is on twice", ONE, twice)


def strength(chain: Chain, share: float) -> Cause:
    """The look at another strength, which may be beyond all of it."""
    look = chain.look
    assert look is not None
    full = replace(look, strength=1.0)

    def made(codes: Floats) -> Floats:
        log = np.asarray(chain.grade.apply_linear(chain.linear(codes)), np.float32)
        worn = log + np.float32(share) * (np.asarray(full.apply(log), np.float32) - log)
        return chain.view(np.asarray(acescct.decode(worn), np.float32))

    said = f"the look {look.name} is at {100 * share:.0f} % instead of {100 * look.strength:.0f} %"
    return Cause("look-strength", said, ONE_OF_MANY, made)


def _grades(chain: Chain) -> Iterator[Cause]:
    grade = chain.grade
    if grade == Grade():
        return
    rest = replace(grade, balance=Balance())
    if grade.balance != Balance():
        yield Cause("balance-missing", "exposure and white are missing", ONE, _with(chain, grade=rest))
    if rest != Grade():
        alone = Grade(balance=grade.balance)
        yield Cause("trim-missing", "all but exposure and white is missing", ONE, _with(chain, grade=alone))
        if grade.balance != Balance():
            yield Cause("grade-missing", "the whole grade is missing", ONE, _with(chain, grade=Grade()))
    if grade.trim.saturation != 1:
        plain = replace(grade, trim=replace(grade.trim, saturation=1.0))
        yield Cause("saturation-missing", "the saturation is left out", ONE, _with(chain, grade=plain))


def _cdls(chain: Chain) -> Iterator[Cause]:
    cdl = chain.cdl
    if cdl.neutral:
        return

    def of_codes(codes: Floats) -> Floats:
        return chain.shown(acescct.encode(chain.linear(cdl.apply(np.asarray(codes, np.float32)))))

    def of_linear(codes: Floats) -> Floats:
        return chain.shown(acescct.encode(np.asarray(cdl.apply(chain.linear(codes)), np.float32)))

    def of_screen(codes: Floats) -> Floats:
        return np.clip(cdl.apply(chain.shown(acescct.encode(chain.linear(codes)))), 0, 1)

    def turned(codes: Floats) -> Floats:
        log = acescct.encode(chain.linear(codes))
        return chain.shown(replace(cdl, saturation=1.0).apply(_saturated(log, cdl.saturation)))

    def nearest(codes: Floats) -> Floats:
        return chain.shown(cdl.apply(acescct.encode(chain.linear(codes))))

    yield Cause("cdl-space", "the CDL was used on the camera's signal", ONE, of_codes)
    yield Cause("cdl-space", "the CDL was used on scene-linear", ONE, of_linear)
    yield Cause("cdl-space", "the CDL was used on the finished picture", ONE, of_screen)
    if cdl.saturation != 1 and replace(cdl, saturation=1.0) != Cdl():
        yield Cause(
            "cdl-space", "the CDL's saturation was done before its slope, offset and power", ONE, turned
        )
    if not chain.cdl_exact:
        yield Cause("cdl-nearest", "the CDL was used, which is only the nearest one", ONE, nearest)


def _saturated(log: Floats, saturation: float) -> Floats:
    luma = (log @ np.asarray(LUMA, log.dtype))[..., None]
    return np.asarray(luma + log.dtype.type(saturation) * (log - luma))


def _clamps(chain: Chain) -> Iterator[Cause]:
    def scene(codes: Floats) -> Floats:
        linear = np.asarray(acescct.decode(np.asarray(chain.grade.apply_linear(chain.linear(codes)))))
        return chain.shown(acescct.encode(np.asarray(np.clip(linear, 0, 1), np.float32)))

    def before(codes: Floats) -> Floats:
        return chain.shown(chain.grade.apply_linear(np.clip(chain.linear(codes), 0, 1)))

    yield Cause("clamped", "scene-linear was clamped to 1 after the grade", ONE, scene)
    yield Cause("clamped", "scene-linear was clamped to 1 before the grade", ONE, before)


def _others(chain: Chain, others: Sequence[Other]) -> Iterator[Cause]:
    for other in others:
        if other.encoding and other.encoding != chain.encoding:
            made = _with(chain, encoding=other.encoding)
            yield Cause("other-camera", f"it was read as {other.encoding}", ONE_OF_MANY, made)
        if other.screen is not None and other.screen != chain.screen and chain.given is None:
            made = _with(chain, screen=other.screen)
            yield Cause("other-deliverable", f"it was made for {other.name}", NAMED, made)
        if other.grade is not None and other.grade != chain.grade:
            made = _with(chain, grade=other.grade)
            yield Cause("other-shot", f"it has the grade of {other.name}", ONE_OF_MANY, made)


def _views(chain: Chain) -> Iterator[Cause]:
    if chain.given is not None:
        return
    for display, view in chain.other_views():
        words = f"it has the view {view} instead of {chain.screen[1]}"
        yield Cause("other-view", words, ONE_OF_MANY, _with(chain, screen=(display, view)))


def _unshown(chain: Chain) -> Iterator[Cause]:
    """A picture that never went through a view."""
    if chain.given is not None:
        return
    for given in chain.givens():
        yield Cause(given.id, given.words, ONE_OF_MANY, _with(chain, given=given))
    yield Cause("ungraded", f"it is the camera's own signal, {chain.encoding}", ONE, lambda codes: codes)


def to_the_picture(gamma: float = 2.4, own_light: bool = False) -> list[Cause]:
    """What may have been done to the finished signal. `gamma`: what it was graded for; 0: sRGB's curve; less: a curve
    of HDR, of which only the range is told. `own_light`: its primaries are not those of BT.709.
    """
    found: list[Cause] = []
    if gamma < 0:
        ranges = (r for r in READINGS if r.id.startswith("range"))
        return [Cause(r.id, r.name, ONE, None, r.apply) for r in ranges]
    light = _gamma(gamma, 1.0)
    found.append(Cause("display-light", "it is the screen's light, not its signal", ONE, None, light))
    for power, id in ((2.2, "gamma-2.2"), (2.4, "gamma-2.4"), (0.0, "gamma-srgb")):
        if power == gamma:
            continue
        name = "the sRGB curve" if not power else f"gamma {power:g}"
        found.append(Cause(id, f"it was shown with {name}", ONE, None, _gamma(power, gamma)))
        found.append(Cause(id, f"it was converted for {name}", ONE, None, _gamma(gamma, power)))
    for reading in READINGS:
        if reading.id in ("gamma-2.2", "gamma-srgb") or (own_light and "p3" in reading.id):
            continue
        found.append(Cause(reading.id, reading.name, ONE, None, reading.apply))
    back = with_matrix("bt601", "bt709")
    found.append(Cause("matrix", "BT.601 read with the matrix of BT.709", ONE, None, back))
    return found


def _gamma(read: float, own: float) -> Signal:
    """A signal for one curve as it looks when it is read with another, as a signal of the first. 0: sRGB's curve."""

    def changed(signal: Floats) -> Floats:
        kept = np.clip(np.asarray(signal, np.float64), 0, 1)
        light = srgb(kept) if not read else kept**read
        return np.asarray(srgb_signal(light) if not own else light ** (1 / own))

    return changed


class Trial:
    """Their picture against hypotheses, over the same pixels: `codes` of the camera, `seen` of theirs, (n, 3) both."""

    def __init__(self, chain: Chain, codes: Floats, seen: Floats) -> None:
        self.chain = chain
        self.codes = np.asarray(codes, np.float32)
        self.seen = chain.lab(seen)
        self.right = np.asarray(chain(self.codes), np.float64)
        self.first = np.sqrt(np.mean(self._off(self.right) ** 2))
        self.mean = float(self._off(self.right).mean())

    def _off(self, signal: Floats, few: slice = slice(None)) -> Float64:
        return np.asarray(delta_e00(self.chain.lab(signal), self.seen[few]), np.float64)

    def explained(self, causes: tuple[Cause, ...], signal: Floats, few: slice = slice(None)) -> Explained:
        """How well a signal, (n, 3), explains what is seen, at what its causes cost."""
        off = self._off(signal, few)
        cost = max((c.cost for c in causes), default=EXACT) + (TWO if len(causes) > 1 else 0.0)
        score = float(np.log(np.mean(off**2) + FLOOR**2)) + cost
        share = 1 - float(off.mean()) / max(self.mean, 1e-9)
        return Explained(causes, float(off.mean()), float(np.clip(share, 0, 1)), score)

    def rank(self, others: Sequence[Other]) -> list[Explained]:
        """The likeliest first: what is expected, each cause, and pairs of what is done in the chain and to the
        picture. All are tried on few pixels, the likeliest of them on more.
        """
        exact = Cause("exact", "it is as it must be", EXACT)
        inner = [*in_the_chain(self.chain, others), *self._strengths()]
        outer = to_the_picture(self.chain.gamma, self.chain.own_light)
        tried: list[tuple[Cause, ...]] = [(c,) for c in (*inner, *outer)]
        tried += self._pairs(inner, outer)
        for pixels, kept in ((FIRST, LIKELY), (FEW, KEPT)):
            few, known = slice(0, pixels), dict[int, Float64]()
            found = [self.explained(t, self._made(t, few, known), few) for t in tried]
            tried = [e.causes for e in _likeliest(found, kept)]
        whole, known = slice(None), {}
        found = [self.explained(t, self._made(t, whole, known)) for t in tried]
        return _one_of_each(sorted([self.explained((exact,), self.right), *found], key=lambda e: e.score))

    def _made(self, causes: tuple[Cause, ...], few: slice, known: dict[int, Float64]) -> Floats:
        """The signal that they make: the last one that is in the chain holds what those before it do there. `known`:
        what causes in the chain made of these pixels.
        """
        inner = [c for c in causes if c.make is not None]
        signal: Floats = self.right[few]
        if inner:
            last = inner[-1]
            if id(last) not in known:
                assert last.make is not None
                known[id(last)] = np.asarray(last.make(self.codes[few]), np.float64)
            signal = known[id(last)]
        for cause in causes:
            if cause.after is not None:
                signal = cause.after(signal)
        return signal

    def _strengths(self) -> list[Cause]:
        look = self.chain.look
        if look is None or look.neutral or not look.strength:
            return []
        few = slice(0, FIRST)
        tried = [
            strength(self.chain, float(s)) for s in STRENGTHS if abs(s - look.strength) > 0.04 and s > 0.04
        ]
        return [min(tried, key=lambda c: self.explained((c,), self._made((c,), few, {}), few).score)]

    def _pairs(self, inner: Sequence[Cause], outer: Sequence[Cause]) -> Iterator[tuple[Cause, Cause]]:
        """Something in the chain with something done to the picture, a missing look with something else, and what was
        done in the chain of a picture that never went through a view.
        """
        yield from product(inner, outer)
        missing = next((c for c in inner if c.id == "look-missing"), None)
        if missing is not None:
            bare = replace(self.chain, look=None)
            yield from ((missing, c) for c in (*_grades(bare), *_cdls(bare)))
        for made in _unshown(self.chain):
            for given in (g for g in self.chain.givens() if g.words == made.words):
                yield from ((made, c) for c in in_the_chain(replace(self.chain, given=given), ()))


def _likeliest(found: Sequence[Explained], most: int) -> list[Explained]:
    """So many, of each id no more than a few: there may be hundreds of other shots whose grades are tried."""
    out, count = list[Explained](), Counter[str]()
    for e in sorted(found, key=lambda e: e.score):
        count[e.id] += 1
        if count[e.id] <= SAME_ID:
            out.append(e)
    return out[:most]


def _one_of_each(found: list[Explained]) -> list[Explained]:
    """The best of each id."""
    best: dict[str, Explained] = {}
    for e in found:
        best.setdefault(e.id, e)
    return list(best.values())
