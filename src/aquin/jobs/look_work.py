"""What is done with looks of a production: a reference taken apart and fitted, looks compared over shots, exports."""

from __future__ import annotations

from collections.abc import Callable, Sequence
from dataclasses import dataclass, replace
from pathlib import Path
from typing import TYPE_CHECKING, Any

import numpy as np

from aquin.colour import acescct
from aquin.colour.difference import delta_e00
from aquin.colour.grade import Grade
from aquin.errors import AquinError
from aquin.exchange.whole import Whole, write_whole
from aquin.frames import open_source
from aquin.jobs.level_shot import exact_view
from aquin.look.fit import Fitted, fit
from aquin.look.look import Look
from aquin.look.price import Price, price_of
from aquin.look.reference import Apart, take_apart
from aquin.look.suits import Suits, suits
from aquin.measure.display import lab_of_display
from aquin.measure.ledger import AXES
from aquin.production import Shot
from aquin.production.cells import tolerances_of
from aquin.production.grading import held_grade
from aquin.production.heroes import hero_of
from aquin.production.looks import look_for, screen_of
from aquin.production.match_work import side_of
from aquin.production.records import Setup
from aquin.production.shoot import Shoot

if TYPE_CHECKING:
    from aquin.arrays import Float32
    from aquin.colour.config import ColourConfig
    from aquin.production import Production
    from aquin.workers import Tell

AS_SEEN = "display"
"""The encoding of a still that is as its screen shows it: taken back through the deliverable's view."""
FEW = 6


@dataclass(frozen=True, eq=False)
class Material:
    """A shot's graded picture, (h, w, 3) ACEScct, without a look."""

    shot: Shot
    picture: Float32


def usual_shots(production: Production) -> list[Shot]:
    """The heroes; where none is chosen, the first shots."""
    heroes = [hero_of(production, s) for s in production.all(Setup)]
    found = [h for h in heroes if h is not None]
    return found or [s for s in production.all(Shot) if s.kind == "shot" and not s.trouble][:FEW]


def material(
    production: Production, config: ColourConfig, shots: Sequence[Shot], tell: Tell | None = None
) -> list[Material]:
    """The graded middle frames of shots; those that can't be read are left out. Raises AquinError where none can."""
    shoot = Shoot(production, config)
    out = []
    for k, shot in enumerate(shots):
        if tell is not None:
            tell(k / len(shots), shot.name)
        frame = shot.first + shot.frames // 2
        ref = shoot.ref(shot, frame)
        if ref is None:
            continue
        try:
            linear = side_of(ref, shoot.config_path).linear
        except AquinError:
            continue
        grade = (held_grade(production, shot) or Grade()).at(frame)
        step = max(linear.shape[1] // 640, 1)
        few = np.ascontiguousarray(linear[::step, ::step])
        out.append(Material(shot, np.asarray(grade.picture(few, 1 / step), np.float32)))
    if not out:
        raise AquinError(
            "none of the shots can be read", production.place, "See that files and encodings are there"
        )
    return out


def still(path: Path, encoding: str, config: ColourConfig, screen: tuple[str, str]) -> Float32:
    """(h, w, 3) ACEScct of a reference still. `encoding`: its own, or `display` for one that is as it is seen. Raises
    AquinError.
    """
    source = open_source(path)
    try:
        signal = source.read(source.first).rgb
    finally:
        source.close()
    step = max(signal.shape[1] // 640, 1)
    signal = np.ascontiguousarray(signal[::step, ::step])
    if encoding == AS_SEEN:
        linear = config.unview(*screen)(np.clip(signal, 0.0, 0.995))
    else:
        linear = config.to_linear(encoding)(signal)
    return np.asarray(acescct.encode(linear), np.float32)


@dataclass(frozen=True)
class Asked:
    """A still to be taken apart, how it is encoded, for which shots (none: the usual ones), and whether boldly."""

    path: Path
    encoding: str
    shots: tuple[Shot, ...] = ()
    bold: bool = False


@dataclass(frozen=True, eq=False)
class Dissected:
    """A reference taken apart beside the shots that it is for, what suits, and the look that was fitted."""

    reference: Apart
    own: Apart
    by_shot: tuple[tuple[str, Suits], ...]
    fitted: Fitted
    still: Float32
    """(h, w, 3) ACEScct of the reference."""
    asked: Asked
    shown: Float32
    """(h, w, 3) ACEScct of the shot that it suits best, without a look."""

    @property
    def best(self) -> tuple[str, Suits]:
        """The shot that it suits best."""
        return max(self.by_shot, key=lambda s: s[1].score)

    def once_more(self, alone: bool = False, bold: bool = False) -> Asked:
        """The same still fitted to the shot alone that it suits best, or boldly."""
        at = [n for n, _ in self.by_shot].index(self.best[0])
        asked = self.asked
        return replace(asked, shots=(asked.shots[at],) if alone else asked.shots, bold=bold or asked.bold)

    @property
    def score(self) -> float:
        return float(np.mean([s.score for _, s in self.by_shot]))

    def data(self) -> dict[str, Any]:
        """What `aquin look fit --json` says."""
        worst = sorted(self.by_shot, key=lambda s: s[1].score)
        reasons = list(dict.fromkeys(r for _, s in worst for r in s.reasons))
        return {
            **self.reference.data(),
            "own": self.own.data(),
            "suitability": {
                "score": round(self.score, 3),
                "reasons": reasons[:6],
                "shots": [
                    {"shot": n, "score": round(s.score, 3), "reasons": list(s.reasons)} for n, s in worst
                ],
            },
            **self.fitted.data(),
        }


def dissect(
    production: Production,
    config: ColourConfig,
    path: Path,
    encoding: str,
    shots: Sequence[Shot],
    name: str = "",
    tell: Tell | None = None,
    bold: bool = False,
) -> Dissected:
    """Take a still apart, say whom it suits, and fit a look to it: carefully, or `bold`, as if all that differs were
    look. Raises AquinError.
    """
    screen = screen_of(production, config)
    view = exact_view(config, *screen)
    reference = still(path, encoding, config, screen)
    pictures = material(production, config, shots or usual_shots(production), tell)
    theirs = take_apart([reference], view)
    each = [(m.shot.name, suits(take_apart([m.picture], view), theirs)) for m in pictures]
    if tell is not None:
        tell(0.9, "fitting")
    made = fit([m.picture for m in pictures], [reference], view, name or path.stem, bold)
    own = take_apart([m.picture for m in pictures], view)
    asked = Asked(path, encoding, tuple(m.shot for m in pictures), bold)
    best = max(range(len(each)), key=lambda k: each[k][1].score)
    return Dissected(theirs, own, tuple(each), made, reference, asked, pictures[best].picture)


@dataclass(frozen=True)
class Compared:
    """One look on one shot."""

    look: str
    shot: str
    price: Price
    apart: float
    """Mean CIEDE2000 by which the look changes how far the shot is from its hero; NaN where that is not known."""
    lost: bool = False
    """Whether it was within tolerance of its hero and is not under the look."""


def compare(
    production: Production,
    config: ColourConfig,
    looks: Sequence[Look],
    shots: Sequence[Shot],
    tell: Tell | None = None,
) -> list[Compared]:
    """Each look's price on each shot. Raises AquinError."""
    view = exact_view(config, *screen_of(production, config))
    pictures = material(production, config, shots or usual_shots(production), tell)
    tolerance = tolerances_of(production).get("colour", COLOUR)
    out = []
    for k in looks:
        for m in pictures:
            before, after = spread_by(production, config, m.shot, k, view)
            lost = bool(before <= tolerance < after)
            out.append(Compared(k.name, m.shot.name, price_of(m.picture, k, view), after - before, lost))
    return out


COLOUR = next(a.tolerance for a in AXES if a.name == "colour")
"""CIEDE2000 within which a shot counts as matched, where the production has no other number."""


def spread_by(
    production: Production, config: ColourConfig, shot: Shot, look: Look, view: Callable[[Any], Any]
) -> tuple[float, float]:
    """How far a shot is from its hero without a look and under it, mean CIEDE2000 as seen over what the two share; NaN
    where nothing is known of that.
    """
    from aquin.production.ledgers import known_charts, known_frames, shot_evidence
    from aquin.production.shoot import pair_grades

    shoot = Shoot(production, config)
    at = shoot.moment(shot)
    if at is None:
        return float("nan"), float("nan")
    known_charts(shoot)
    known_frames(shoot, [(shot.setup_id, shot.camera_id)])
    evidence, _ = shot_evidence(shoot, shot, at)
    if evidence is None:
        return float("nan"), float("nan")
    grade = pair_grades(shoot, shot, at)[1]
    sides = [
        np.asarray(acescct.encode(np.maximum(side, 1e-5)), np.float32)
        for side in (evidence.hero, grade.linear(evidence.shot))
    ]
    gaps = []
    for shown in (sides, [np.asarray(look.apply(s), np.float32) for s in sides]):
        a, b = (lab_of_display(np.asarray(view(s))) for s in shown)
        gaps.append(float(np.average(delta_e00(a, b), weights=evidence.weights)))
    return gaps[0], gaps[1]


def spread_words(gaps: tuple[float, float], tolerance: float) -> str:
    """What a look does to a match, in words; nothing where it does little."""
    before, after = gaps
    if before <= tolerance < after:
        return f"no longer within tolerance of its hero ({before:.1f}, now {after:.1f} dE00)"
    return f"{after - before:+z.1f} dE00 from its hero" if abs(after - before) >= 0.5 else ""


def export_whole(
    production: Production,
    config: ColourConfig,
    shot: Shot,
    out: Path,
    look: Look | None,
    to_screen: bool,
    force: bool = False,
) -> dict[str, Any]:
    """A shot's camera, balance, trim and look in one file. Raises AquinError."""
    shoot = Shoot(production, config)
    how = shoot.how[shot.id]
    if not how.known:
        raise AquinError(
            f"how {shot.name} was recorded is not known", production.place, "Choose its encoding in Plan"
        )
    grade = held_grade(production, shot) or Grade()
    screen = screen_of(production, config) if to_screen else None
    whole = Whole(config, how.encoding, replace(grade, keys=()), look, screen)
    proved = write_whole(out, whole, f"{shot.name} whole", force)
    return {
        "out": str(out),
        "shot": shot.name,
        "look": None if look is None else look.name,
        "strength": None if look is None else look.strength,
        "p999_code10": proved.p999,
        "largest_code10": proved.largest,
        "not_in_it": whole.beyond,
    }


def look_on(production: Production, config: ColourConfig, shot: Shot) -> Look | None:
    """The look that is on for a shot."""
    return look_for(production, config, shot.setup_id)


def hue_warnings(look: Look, view: Callable[[Any], Any]) -> list[str]:
    """What a look does to hues, for the crew: those that it turns by more than 8 degrees or halves in chroma."""
    from aquin.look.reference import HUE_NAMES

    out = []
    for k, name in enumerate(HUE_NAMES):
        log = _coloured(30.0 * k, view)
        if log is None:
            continue
        a, b = (
            lab_of_display(np.asarray(view(x), np.float32))[0]
            for x in (log, np.asarray(look.apply(log), np.float32))
        )
        turned = (np.degrees(np.arctan2(b[2], b[1]) - np.arctan2(a[2], a[1])) + 180) % 360 - 180
        share = float(np.hypot(b[1], b[2]) / max(np.hypot(a[1], a[2]), 1e-6))
        if share < 0.5:
            out.append(f"{name} loses {100 * (1 - share):.0f} % of its colour")
        elif abs(turned) > 8:
            to = HUE_NAMES[round((np.degrees(np.arctan2(b[2], b[1])) % 360) / 30) % 12]
            out.append(f"{name} turns by {abs(turned):.0f}°" + (f" towards {to}" if to != name else ""))
    return out


def _coloured(hue: float, view: Callable[[Any], Any]) -> Float32 | None:
    """(1, 3) ACEScct of a mid-toned colour whose CIELAB hue on the screen is nearest to the one asked for."""
    from aquin.colour.hue_warp import AXES

    angle = np.radians(np.arange(0, 360, 3.0))
    plane = 0.05 * (np.cos(angle)[:, None] * AXES[0] + np.sin(angle)[:, None] * AXES[1])
    log = np.asarray(acescct.GREY + plane, np.float32)
    lab = lab_of_display(np.asarray(view(log), np.float32))
    away = np.abs((np.degrees(np.arctan2(lab[:, 2], lab[:, 1])) - hue + 180) % 360 - 180)
    return log[[int(np.argmin(away))]] if away.min() < 6 else None


def dark_under(look: Look, view: Callable[[Any], Any]) -> tuple[float, float]:
    """Stops under grey from which a grey is seen below 3 % of signal under the look; and by how much the look makes
    tones within a stop of grey steeper, as they are seen.
    """
    stops = np.linspace(-9, 3, 600)
    grey = np.repeat((acescct.GREY + acescct.STOP * stops)[:, None], 3, axis=1).astype(np.float32)
    plain, seen = (
        np.asarray(view(x), np.float64)[:, 1] for x in (grey, np.asarray(look.apply(grey), np.float32))
    )
    lost = float(-stops[np.searchsorted(seen, 0.03)]) if seen[0] < 0.03 else 9.0
    near = np.abs(stops) <= 1
    return lost, float(np.ptp(seen[near]) / max(np.ptp(plain[near]), 1e-6))


def faces_under(look: Look, view: Callable[[Any], Any], seen: float = 62.0) -> float:
    """Stops by which faces are to be lit more than without the look to be seen at the same `seen` % of signal."""
    ramp = np.linspace(0.25, 0.65, 800, dtype=np.float32)
    grey = np.repeat(ramp[:, None], 3, axis=1)
    levels = [
        100 * np.asarray(view(x), np.float32)[:, 1] for x in (grey, np.asarray(look.apply(grey), np.float32))
    ]
    at = [float(np.interp(seen, level, ramp)) for level in levels]
    return (at[1] - at[0]) / acescct.STOP
