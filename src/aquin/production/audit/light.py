"""Rules on light: exposure and white against the setup, cards under another light, clipping at the ceiling."""

from collections.abc import Iterator, Sequence
from itertools import pairwise
from typing import TYPE_CHECKING

import numpy as np

from aquin.colour.white import STOPS_A_MIRED
from aquin.measure.survey import AT
from aquin.production.audit.case import Case, most, spread
from aquin.production.audit.finding import Finding
from aquin.production.records import Camera, Setup, Shot
from aquin.production.setups import kelvin, seconds_of

if TYPE_CHECKING:
    from aquin.arrays import Float64

QUARTILES = (25, 50, 75)
"""Percentiles of light that exposure is judged by."""

EXPOSURE = 1.0
"""Stops from its siblings at which a recording is reported."""

CAST = 0.4
"""Stops of log2 R/B from its siblings at which a recording's white is doubted by its picture alone."""

CARD = 0.25
"""Stops of R/B between a chart's greys and the same camera's grey card; tilting a chart at dusk moves it by up to
0.2.
"""

CARD_MIRED = 48.0
"""Mired between the light on a card and on any other camera's card."""


def exposure(case: Case) -> Iterator[Finding]:
    """Recordings away from what their camera recorded in the setup, after the change of light that other cameras saw,
    too.
    """
    for setup_id in {s for _, s in case.together}:
        for shot, off, width in exposure_off(case, setup_id):
            if abs(off) > max(EXPOSURE, 3 * width):
                own = case.surveys[shot.id].stops[AT[50]]
                yield Finding(
                    "exposure",
                    "warning",
                    min(0.6 + 0.2 * (abs(off) - EXPOSURE), 0.97),
                    f"It is {off:+z.1f} stops from {case.camera(shot)}'s other recordings in {case.setup(shot)}",
                    (shot.id,),
                    evidence=(
                        ("half of it lies under", f"{own:+z.2f} st over grey"),
                        ("expected", f"{own - off:+z.2f} st"),
                        ("the others differ by", f"{width:.2f} st"),
                        (
                            "index, stop, ND",
                            " ".join(v for v in (shot.exposure_index, shot.t_stop, shot.nd) if v)
                            or "not noted",
                        ),
                    ),
                    advice="Balance it in scene-linear by that much; three stops under or more are usually too noisy."
                    if off < 0
                    else "Balance it in scene-linear by that much; check what is clipped.",
                )


def exposure_off(case: Case, setup_id: str) -> list[tuple[Shot, float, float]]:
    """A setup's shots, how many stops each is from what its siblings would have it, and how far those are from each
    other.
    """
    takes = _comparable(case, setup_id)
    parts = [_departures(takes, [case.surveys[s.id].stops[AT[p]] for s in takes]) for p in QUARTILES]
    out = []
    for k, shot in enumerate(takes):
        known = [part[k] for part in parts]
        if shot.kind != "shot" or any(p is None for p in known):
            continue
        off, width = (float(np.median([p[n] for p in known if p is not None])) for n in (0, 1))
        out.append((shot, off, width))
    return out


def white_left(case: Case) -> Iterator[Finding]:
    """A white setting unlike the camera's others here: by the report, by the picture, or by both; often that of the
    setup before.
    """
    for setup_id in {s for _, s in case.together}:
        takes = _comparable(case, setup_id)
        shifts = dict(
            zip(
                (s.id for s in takes),
                _departures(takes, [case.surveys[s.id].warm for s in takes]),
                strict=True,
            )
        )
        for shot in (s for (_, where), group in case.together.items() if where == setup_id for s in group):
            usual = most(kelvin(s.white) for s in case.together[shot.camera_id, setup_id])
            own, shift = kelvin(shot.white), shifts.get(shot.id)
            odd = bool(own and usual and own != usual)
            # where the report says nothing wrong, or the camera sets white itself, only a plain cast speaks against it
            doubt = CAST if not own and usual != "auto" else CAST * 2
            seen = shift is not None and abs(shift[0]) > max(0.15 if odd else doubt, 5 * shift[1])
            if not (odd or seen) or shot.kind == "series":
                continue
            yield _white(case, shot, own, usual, shift, seen)


def _white(
    case: Case, shot: Shot, own: str, usual: str, shift: tuple[float, float] | None, seen: bool
) -> Finding:
    odd = bool(own and usual and own != usual)
    before = _setting_before(case, shot.camera_id, shot.setup_id)
    same = odd and before is not None and own == before[0]
    evidence = [("white setting", own or "not noted"), ("this camera's others here", usual or "not noted")]
    if shift is not None:
        evidence.append(("R/B against siblings", f"{shift[0]:+z.2f} st (they differ by {shift[1]:.2f})"))
    if before is not None:
        evidence.append((f"setting in {before[1]}", before[0]))
    sure = (
        0.6
        + (0.15 if odd else 0)
        + (0.2 if seen else -0.2 if shift is not None else 0)
        + (0.03 if same else 0)
    )
    words = "Its colour cast is unlike its siblings': the white setting seems to have been another"
    if odd:
        words = (
            f"White was set to {own} K"
            + (f", which was right in {before[1]}" if same and before else "")
            + f"; here it should be {usual} K"
        )
    return Finding(
        "white setting",
        "warning",
        round(sure, 2),
        words,
        (shot.id,),
        evidence=tuple(evidence),
        advice="It needs a balance of its own: the one of this camera and setup does not fit.",
    )


def card_light(case: Case) -> Iterator[Finding]:
    """A card that was not in the scene's light: its greys disagree with the same camera's grey card, or with other
    cameras' cards.

    Between cameras the light on a card is what its greys say in mired, on top of the camera's white setting.
    """
    lights: dict[str, list[tuple[Shot, float]]] = {}
    for (_, setup_id), group in case.together.items():
        cards = [s.id for s in group if s.id in case.cards]
        for shot in group:
            chart = case.charts.get(shot.id)
            if chart is None:
                continue
            own = [case.cards[c] for c in cards if c != shot.id]
            if own and abs(off := chart.warm - float(np.median(own))) > CARD:
                yield _other_light(
                    case,
                    shot,
                    off,
                    (
                        ("greys of the chart, R/B", f"{chart.warm:+z.2f} st"),
                        ("grey card of this camera", f"{float(np.median(own)):+z.2f} st"),
                    ),
                )
            elif not own and (white := kelvin(shot.white) or most(kelvin(s.white) for s in group)).isdigit():
                lights.setdefault(setup_id, []).append(
                    (shot, chart.warm / STOPS_A_MIRED + 1e6 / float(white))
                )
            if (
                own
                and (white := kelvin(shot.white)).isdigit()
                and abs(chart.warm - float(np.median(own))) <= CARD
            ):
                lights.setdefault(setup_id, []).append(
                    (shot, chart.warm / STOPS_A_MIRED + 1e6 / float(white))
                )
    for found in lights.values():
        for shot, light in found:
            others = [v for s, v in found if s.camera_id != shot.camera_id]
            checked = any(c.id in case.cards for c in case.together[shot.camera_id, shot.setup_id])
            if not others or checked:
                continue
            off = min((light - v for v in others), key=abs)
            if abs(off) > CARD_MIRED and (len(others) > 1 or _farther(case, shot, light, others[0])):
                evidence = (
                    ("light on the card", f"{1e6 / light:.0f} K"),
                    ("on other cameras' cards", ", ".join(f"{1e6 / v:.0f} K" for v in others)),
                )
                yield _other_light(case, shot, off * STOPS_A_MIRED, evidence)


def _farther(case: Case, shot: Shot, light: float, other: float) -> bool:
    """Of two cards that disagree, whether this one is farther from the white that was set for the setup."""
    whites = (kelvin(s.white) for s in case.shots if s.setup_id == shot.setup_id)
    white = most(w for w in whites if w != "auto")
    return not white or abs(light - 1e6 / float(white)) > abs(other - 1e6 / float(white))


def _other_light(case: Case, shot: Shot, off: float, evidence: tuple[tuple[str, str], ...]) -> Finding:
    return Finding(
        "card light",
        "warning",
        round(min(0.6 + 0.3 * abs(off), 0.95), 2),
        f"The card was in a {'warmer' if off > 0 else 'cooler'} light than {case.setup(shot)}",
        (shot.id,),
        evidence=evidence,
        advice="Do not balance by this card: take another one of the setup, or another camera's.",
    )


def clipping(case: Case) -> Iterator[Finding]:
    """How much of a recording lies at the highest level its camera ever recorded."""
    for camera in case.production.all(Camera):
        shots = [
            s
            for s in case.shots
            if s.camera_id == camera.id and s.id in case.surveys and s.kind == "shot" and not s.floating
        ]
        if len(shots) < 3:
            continue
        ceiling = max(case.surveys[s.id].luma[AT[99.99]] for s in shots)
        for shot in shots:
            if shot.id in case.altered:
                continue
            luma = case.surveys[shot.id].luma
            shares = [100 - p for p in (95, 99, 99.9) if luma[AT[p]] > ceiling - 0.012]
            if shares and shares[0] >= 1:
                yield Finding(
                    "clipping",
                    "note",
                    0.8,
                    f"About {shares[0]:.0f} % or more of it is clipped at the recording's ceiling",
                    (shot.id,),
                    evidence=(
                        ("ceiling of the camera's recordings", f"{100 * ceiling:.1f} % of signal"),
                        ("99 % of this one", f"{100 * luma[AT[99]]:.1f} %"),
                    ),
                    advice="What is clipped can't be matched; keep it out of the evidence.",
                )


def changing(case: Case) -> Iterator[Finding]:
    """Takes within which light changes by more than is tolerated, under the grade that they have."""
    for id, found in case.followed.items():
        if not found.changes or id in case.altered:
            continue
        surest = float(found.error.max())
        yield Finding(
            "changing light",
            "warning",
            round(float(min(0.6 + 0.5 * found.span, 0.95)), 2),
            f"Its {found.words}",
            (id,),
            evidence=(
                ("frames compared", f"{len(found.frames)}, by {found.by}"),
                ("a channel changes by", f"{found.span:.2f} st (\u00b1{surest:.2f})"),
            ),
            advice="One grade can't hold it: follow the light, on the Bench or with aquin follow.",
        )


def _comparable(case: Case, setup_id: str) -> list[Shot]:
    """The measured recordings of a setup whose picture was not changed."""
    return [
        s
        for (_, where), group in case.together.items()
        if where == setup_id
        for s in group
        if s.id in case.surveys and s.id not in case.altered
    ]


def _departures(takes: Sequence[Shot], values: Sequence[float]) -> list[tuple[float, float] | None]:
    """How far each recording is from what its camera and its time of day would give, and how far its siblings are.

    value = camera + moment + rest, with the least sum of |rest|, so that a wrong recording keeps its whole error. A
    moment is a run of recordings without a pause of more than two minutes; from moment to moment the light prefers
    to change evenly. None where a camera has fewer than three recordings.
    """
    if not takes:
        return []
    moments = _moments(takes)
    cameras = sorted({s.camera_id for s in takes})
    width, runs = len(cameras), max(moments) + 1
    rows = np.zeros((len(takes), width + runs))
    rows[np.arange(len(takes)), [cameras.index(s.camera_id) for s in takes]] = 1
    rows[np.arange(len(takes)), [width + m for m in moments]] = 1
    smooth = np.zeros((0, width + runs))
    if runs > 1:
        step = np.diff(np.eye(runs), axis=0)
        smooth = np.hstack(
            [np.zeros((2 * runs - 3, width)), np.vstack([0.15 * step, 0.4 * np.diff(step, axis=0)])]
        )
    pin = np.zeros((1, width + runs))
    pin[0, width] = 1  # the first moment is the one that the cameras' levels speak of
    a = np.vstack([rows, smooth, pin])
    b = np.concatenate([np.array(values, np.float64), np.zeros(len(smooth) + 1)])
    fit: Float64 = np.zeros(width + runs)
    for _ in range(60):  # least absolute deviations by reweighting
        scale = 1 / np.sqrt(np.maximum(np.abs(b - a @ fit), 0.02))
        fit = np.asarray(np.linalg.lstsq(a * scale[:, None], b * scale, rcond=None)[0], np.float64)
    rest = np.array(values) - rows @ fit
    out: list[tuple[float, float] | None] = []
    for k, shot in enumerate(takes):
        others = [n for n, s in enumerate(takes) if s.camera_id == shot.camera_id and n != k]
        out.append((float(rest[k]), spread(rest[others])) if len(others) >= 2 else None)
    return out


def _moments(takes: Sequence[Shot]) -> list[int]:
    """The number of the run of recordings that each one belongs to; those without a time belong to the first."""
    order = sorted((t[0], k) for k, s in enumerate(takes) if (t := seconds_of(s)) is not None)
    out, run = [0] * len(takes), 0
    for (before, _), (now, k) in pairwise(order):
        run += now - before > 120
        out[k] = run
    return out


def _setting_before(case: Case, camera_id: str, setup_id: str) -> tuple[str, str] | None:
    """The camera's usual white in the setup before this one, and that setup's name."""
    order = [s for s in case.production.all(Setup) if (camera_id, s.id) in case.together]
    at = next((k for k, s in enumerate(order) if s.id == setup_id), 0)
    if at == 0:
        return _any_before(case, setup_id)
    white = most(kelvin(s.white) for s in case.together[camera_id, order[at - 1].id])
    return (white, order[at - 1].name) if white else _any_before(case, setup_id)


def _any_before(case: Case, setup_id: str) -> tuple[str, str] | None:
    """The usual white of all cameras in the setup before."""
    order = case.production.all(Setup)
    at = next((k for k, s in enumerate(order) if s.id == setup_id), 0)
    if at == 0:
        return None
    white = most(kelvin(s.white) for s in case.shots if s.setup_id == order[at - 1].id)
    return (white, order[at - 1].name) if white else None


RULES = (exposure, white_left, card_light, clipping, changing)
