"""The plan of a shoot: the chain from screens back to cameras with its checks, exposure cards, the chart routine."""

from __future__ import annotations

from collections import Counter
from dataclasses import dataclass, replace
from typing import TYPE_CHECKING, Literal

import numpy as np

from aquin.colour.levels import GREY, Levels, levels_of
from aquin.errors import AquinError
from aquin.production.audit.case import file_code, most
from aquin.production.measuring import range_of
from aquin.production.records import Camera, Option, Setup, Shot
from aquin.production.settings import POLICIES, Deliverable, Policy, deliverables_of, policy_of, working_space

if TYPE_CHECKING:
    from aquin.colour.config import ColourConfig
    from aquin.production.store import Entry, Production


State = Literal["right", "doubt", "wrong"]

POLICY_STOPS: dict[Policy, float] = {"bright": 1.0, "protect": -0.5}
"""Where grey is put by default under each policy, in stops from the curve's own target (common practice; settable)."""

TARGETS = ("24-patch", "grey card", "crossed wedge", "video chart")
ROUTINE = ("24-patch", "grey card")
"""What every camera films in a setup unless the production says otherwise (common practice)."""

APART = 1.0
"""Per cent of signal between two cameras' grey targets from which one line on a monitor does not fit both."""

FINE = 4
"""10-bit codes a stop below which shadows count as lost to coarse steps."""


@dataclass(frozen=True)
class Check:
    """One link of the chain, how it stands, and why."""

    name: str
    state: State
    """How it stands."""
    words: str


@dataclass(frozen=True)
class Level:
    """A level in per cent of signal, and as 10-bit code in a file of the camera's range."""

    signal: float
    """In per cent."""
    code10: int


@dataclass(frozen=True)
class ExposureCard:
    """Where a camera's levels must sit. Stops are counted from 18 % grey at the curve's own target.

    `asked`: where the policy puts grey, `asked_stops` from its target. `above`: stops from grey to the ceiling.
    `below`: whole stops under grey that still have `FINE` codes each.
    """

    levels: Levels
    range: str
    grey: Level
    white: Level
    ceiling: Level
    floor: Level
    above: float
    below: int
    asked_stops: float
    asked: Level

    @property
    def headroom(self) -> float:
        """Stops above grey that are left where the policy puts it."""
        return self.above - self.asked_stops


@dataclass(frozen=True)
class CameraPlan:
    """A camera with its links from the file to the working space; `card` is None while its encoding is not known."""

    camera: Camera
    shots: int
    checks: tuple[Check, ...]
    card: ExposureCard | None


@dataclass(frozen=True)
class ScreenPlan:
    """A deliverable with its check and what its view makes of the scene: grey and 100 % scene white in per cent of
    signal, and the stops above grey from which it shows no more difference. `plain`: without tone mapping.
    """

    deliverable: Deliverable
    check: Check
    grey: float = 0.0
    white: float = 0.0
    reach: float = 0.0
    plain: bool = False


@dataclass(frozen=True)
class Chain:
    """Everything from the screens back to the cameras."""

    screens: tuple[ScreenPlan, ...]
    working: Check
    cameras: tuple[CameraPlan, ...]
    differing: tuple[str, ...]
    """In words: cameras whose grey targets lie apart."""


def chain_of(production: Production, config: ColourConfig) -> Chain:
    """The plan as it stands. Nothing raises: what is wrong is said in its check."""
    cameras = tuple(_camera(production, config, c) for c in production.all(Camera))
    screens = tuple(_screen(config, d) for d in deliverables_of(production, config))
    return Chain(screens, _working(production, config), cameras, tuple(differing_targets(cameras)))


def exposure_card(config: ColourConfig, encoding: str, range: str, asked_stops: float) -> ExposureCard:
    """The card of an encoding in a file of this range (`legal` or `full`). Raises AquinError."""
    levels = levels_of(config, encoding)
    encode = config.from_linear(levels.encoding)

    def level(linear: float) -> Level:
        signal = float(encode(np.full((1, 3), linear, np.float32))[0, 1])
        return Level(100 * signal, round(file_code(signal, range)))

    below = 0
    while below < 20 and _codes(level(GREY * 2.0**-below), level(GREY * 2.0 ** -(below + 1))) >= FINE:
        below += 1
    return ExposureCard(
        levels,
        range,
        level(GREY),
        level(0.9),
        Level(100.0, round(file_code(1.0, range))),
        level(0.0),
        levels.ceiling_stops_above_grey,
        below,
        asked_stops,
        level(GREY * 2.0**asked_stops),
    )


def asked_stops(production: Production, camera: Camera) -> float:
    """Where grey is asked for: the policy's stops, and what is asked of this camera on top."""
    policy = policy_of(production)
    stops = production.option("policy stops", {})
    usual = stops.get(policy, POLICY_STOPS[policy]) if isinstance(stops, dict) else POLICY_STOPS[policy]
    return float(usual) + camera.exposure_stops


def choose_policy(production: Production, policy: Policy, stops: float | None = None) -> Entry | None:
    """Expose bright or protect highlights, with the stops that it means. Raises AquinError beyond 4 stops."""
    held = dict(production.option("policy stops", {}) or {})
    if stops is not None:
        if not -4 <= stops <= 4:
            raise AquinError("a policy moves grey by 4 stops at most", None, "Type a smaller number")
        held[policy] = stops
    return production.change(
        f"policy: {POLICIES[policy]}", Option(policy, id="policy"), Option(held, id="policy stops")
    )


def differing_targets(cameras: tuple[CameraPlan, ...]) -> list[str]:
    """Pairs of cameras whose grey does not sit at the same place, said in one line for each that differs from the
    first.
    """
    known = [c for c in cameras if c.card is not None]
    out = []
    for other in known[1:]:
        first = known[0]
        assert first.card is not None
        assert other.card is not None
        apart = other.card.asked.signal - first.card.asked.signal
        if abs(apart) > APART:
            out.append(
                f"{first.camera.name}'s grey is asked for at {first.card.asked.signal:.1f} %, {other.camera.name}'s at "
                f"{other.card.asked.signal:.1f} %: expose each to its own target, not to the same line on a monitor"
            )
    return out


@dataclass(frozen=True)
class Filmed:
    """The chart routine of a camera in a setup: each wanted target, and whether it was filmed."""

    setup: Setup
    camera: Camera
    targets: tuple[tuple[str, bool], ...]
    shots: int


def routine_of(production: Production, setup: Setup) -> tuple[str, ...]:
    """What is to be filmed in a setup: its own list, else the production's."""
    return setup.routine or tuple(production.option("routine", list(ROUTINE)))


def checklist(production: Production) -> list[Filmed]:
    """Every camera in every setup in which it has shots, in the order of the shoot."""
    there: dict[tuple[str, str], set[str]] = {}
    counts: Counter[tuple[str, str]] = Counter()
    for shot in production.all(Shot):
        key = (shot.setup_id, shot.camera_id)
        there.setdefault(key, set()).add(shot.target if shot.kind in ("chart", "grey card") else "")
        counts[key] += shot.kind == "shot"
    return [
        Filmed(
            setup,
            camera,
            tuple((t, t in there[setup.id, camera.id]) for t in routine_of(production, setup)),
            counts[setup.id, camera.id],
        )
        for setup in production.all(Setup)
        for camera in production.all(Camera)
        if counts[setup.id, camera.id]
    ]


def set_routine(production: Production, setup: Setup, targets: tuple[str, ...]) -> Entry | None:
    return production.change(f"chart routine of {setup.name}", replace(setup, routine=targets))


def _codes(upper: Level, lower: Level) -> float:
    """10-bit codes of the signal between two levels."""
    return abs(upper.signal - lower.signal) * 10.23


def _camera(production: Production, config: ColourConfig, camera: Camera) -> CameraPlan:
    shots = [s for s in production.all(Shot) if s.camera_id == camera.id and s.kind != "reference"]
    encoding = _encoding_check(config, camera)
    range_, usual = _range_check(production, camera, shots)
    checks = [encoding, range_]
    card = None
    if encoding.state != "wrong":
        checks.append(_reaches(production, config, camera.encoding))
        try:
            card = exposure_card(config, camera.encoding, usual, asked_stops(production, camera))
        except AquinError as error:
            checks.append(Check("levels", "wrong", error.what))
    return CameraPlan(camera, len(shots), tuple(checks), card)


def _encoding_check(config: ColourConfig, camera: Camera) -> Check:
    if not camera.encoding:
        return Check("encoding", "wrong", "not chosen yet")
    name = config.name_of(camera.encoding)
    if not name:
        file = config.missing_file(camera.encoding)
        why = f"can't be used: {file} is missing" if file else "is not in the configuration"
        return Check("encoding", "wrong", f"{camera.encoding} {why}")
    if camera.encoding_note:
        return Check("encoding", "doubt", f"{name} stands in: {camera.encoding_note}")
    return Check("encoding", "right", name)


def _range_check(production: Production, camera: Camera, shots: list[Shot]) -> tuple[Check, str]:
    """The usual range, and whether all recordings agree and say it themselves."""
    movies = [s for s in shots if not s.floating and not s.trouble]
    usual = camera.range or most(range_of(production, s) for s in movies) or "legal"
    odd = sum(range_of(production, s) != usual for s in movies)
    if camera.range:
        return Check("range", "right", f"{usual}, said by a person"), usual
    if odd:
        return Check("range", "doubt", f"{usual}, but {odd} of {len(movies)} recordings say otherwise"), usual
    silent = sum(s.range_from == "assumed" and not s.range for s in movies)
    if silent:
        return Check(
            "range", "doubt", f"{usual}, assumed for {silent} of {len(movies)}: their files do not say"
        ), usual
    return Check("range", "right", usual if movies else "legal, until something is logged"), usual


def _reaches(production: Production, config: ColourConfig, encoding: str) -> Check:
    """Whether the input transform leads to the working space and back: grey arrives where it must, and nothing
    folds.
    """
    try:
        there, back = config.to_linear(encoding), config.from_linear(encoding)
        log = config.from_linear(working_space(production, config))
        config.to_linear(working_space(production, config))
    except AquinError as error:
        return Check("working space", "wrong", error.what)
    ramp = np.repeat(np.linspace(0.0, 1.0, 257, dtype=np.float32)[:, None], 3, axis=1)
    linear = there(ramp)
    grey = there(back(np.full((1, 3), GREY, np.float32)))[0]
    if not np.isfinite(linear).all() or (np.diff(linear[:, 1]) < -1e-6).any():
        return Check("working space", "wrong", "the input transform does not rise everywhere")
    off = float(np.abs(np.log2(np.maximum(grey, 1e-6) / GREY)).max())
    if off > 0.01:
        return Check("working space", "doubt", f"18 % grey comes back {off:.2f} stops off")
    top = float(log(linear[-1:])[0, 1])
    return Check("working space", "right", f"reached; its ceiling lies at {100 * top:.0f} % of it")


def _working(production: Production, config: ColourConfig) -> Check:
    name = str(production.option("working space", "ACEScct"))
    try:
        resolved = working_space(production, config)
        signal = 100 * float(config.from_linear(resolved)(np.full((1, 3), GREY, np.float32))[0, 1])
    except AquinError as error:
        return Check(name, "wrong", error.what)
    return Check(resolved, "right", f"grey at {signal:.1f} %")


def _screen(config: ColourConfig, deliverable: Deliverable) -> ScreenPlan:
    """Try a view on a ramp of neutral light."""
    try:
        shown = config.view(deliverable.display, deliverable.view)
    except AquinError as error:
        return ScreenPlan(deliverable, Check("view", "wrong", error.what))
    stops = np.linspace(-8, 10, 181)
    ramp = np.repeat((GREY * np.exp2(stops)).astype(np.float32)[:, None], 3, axis=1)
    signal = shown(ramp)
    grey, white = (100 * float(shown(np.full((1, 3), x, np.float32))[0, 1]) for x in (GREY, 1.0))
    if not np.isfinite(signal).all():
        return ScreenPlan(deliverable, Check("view", "wrong", "the view gives values that are not numbers"))
    raw = float(np.abs(signal - ramp).max()) < 1e-3
    shown_level = np.minimum(signal[:, 1], 1.0)  # a screen shows no more than 100 %
    rises = np.diff(shown_level)
    live = np.flatnonzero(rises > 2e-4)
    reach = float(stops[live[-1] + 1]) if len(live) else 0.0
    plain = float(signal[:, 1].max()) > 1.1 or abs(white - 100 * float(shown_level[-1])) < 0.4
    if raw:
        check = Check("view", "wrong", "the scene's linear numbers go to the screen without any view")
    elif (rises < -1e-4).any():
        check = Check("view", "doubt", "the view does not rise everywhere")
    elif not 2 < grey < 75:
        check = Check(
            "view",
            "doubt",
            f"18 % grey is shown at {grey:.0f} %: this view does not fit a picture of a scene",
        )
    else:
        how = "plain, cut off" if plain else "tone-mapped, up to"
        check = Check("view", "right", f"{how} {reach:.1f} stops over grey")
    return ScreenPlan(deliverable, check, grey, white, reach, plain)
