"""Planning the shoot: who films what, when, how, and which mistakes are made. Everything follows from one seed."""

from collections.abc import Callable
from dataclasses import replace
from itertools import pairwise
from typing import Any

import numpy as np

from aquin.frames.timecode import frames_of
from aquin.simulate.cameras import ROLES
from aquin.simulate.film import RATE
from aquin.simulate.shoot import (
    CLOUD,
    FORMS,
    LOSSLESS,
    SERIES_STOPS,
    SETUPS,
    SILENT_PAIR,
    Crew,
    Event,
    Form,
    Kind,
    Setup,
    Shoot,
    Take,
)

Naming = Callable[[str, int], tuple[str, str]]
"""Role and day to the next clip name and its card."""


def plan(seed: int = 2026, crew: Crew = "careful") -> Shoot:
    """The shoot of a seed: 50 shots, their charts and cards, four exposure series, eleven mistakes, the edit."""
    random = np.random.default_rng(seed)
    takes: list[Take] = []
    counters: dict[str, int] = {}

    def name(role: str, day: int) -> tuple[str, str]:
        letter = ROLES[role].letter
        card = f"{letter}{day:02d}"
        counters[card] = counters.get(card, 0) + 1
        return f"{card}_{counters[card]:03d}", card

    for role, form in FORMS.items():  # the cameras are tested the day before
        start = frames_of("16:20:00:00", RATE) + 24 * int(random.integers(0, 200))
        for k, stops in enumerate(SERIES_STOPS):
            clip, card = name(role, 0)
            error = 0.0 if stops == 0 else float(random.uniform(-1 / 3, 1 / 3))
            takes.append(
                Take(
                    clip,
                    card,
                    "test-corner",
                    role,
                    "series",
                    start + 24 * 20 * k,
                    4,
                    "5600K",
                    form,
                    f"series {stops:+d}",
                    k + 1,
                    target="24-patch",
                    stops=float(stops),
                    error_stops=error,
                )
            )
    hasty = careless_setups(seed, crew)
    for setup in SETUPS:
        begin = frames_of(setup.starts, RATE)
        cards: dict[str, Take] = {}
        for k, role in enumerate(setup.roles):
            made = _measured_takes(setup, role, begin, name, random)
            takes += [_held(t, k, None if setup.name in hasty else cards) for t in made]
        for number, minute in enumerate(setup.minutes, 1):
            together = begin + round(minute * 60 * 24) + int(random.integers(0, 240))
            for role in setup.roles:
                takes.append(_under(_shot(setup, role, number, together, name, random), together))
    takes = _sequences(takes)
    takes = _with_mistakes(takes, random)
    shoot = Shoot(seed, tuple(takes), crew=crew)
    return replace(shoot, edit=tuple(_edit(shoot, random)))


def careless_setups(seed: int, crew: Crew) -> set[str]:
    """The setups in which cards are held before each camera in turn, wherever it stands."""
    names = [s.name for s in SETUPS]
    if crew == "careless":
        return set(names)
    random = np.random.default_rng([seed, 14])
    return {names[int(k)] for k in random.choice(len(names), 2, replace=False)}


TURN = 120
"""Frames from one camera's card to the next one's."""


def _held(take: Take, turn: int, cards: dict[str, Take] | None) -> Take:
    """A card's take as the crew holds it: in turn, or, with the setup's `cards` so far, once before all cameras."""
    if take.kind != "chart":
        return take
    if cards is None:
        return replace(take, start=take.start + turn * TURN)
    first = cards.setdefault(take.target, take)
    return replace(take, start=first.start + first.zero - take.zero, shared=True)


HABITS = {
    "main": ("", 0.0, 0.0),
    "small": ("", 0.0, 0.0),
    "flying": ("5200K", -0.4, 3.0),
    "phone": ("", 0.0, 0.0),
}
"""How a camera is always set: a white of its own, stops and tint. The flying one stays on one white and protects the
sky.
"""


def _rolled(setup: Setup, role: str, kind: Kind, start: int, frames: int, name: Naming, **more: Any) -> Take:
    """A take with the settings that a camera has in a setup."""
    clip, card = name(role, setup.day)
    white, stops, tint = HABITS[role]
    more = {"form": FORMS[role]} | more
    more["stops"] = stops + more.get("stops", 0.0)
    more["tint"] = tint + more.get("tint", 0.0)
    return Take(clip, card, setup.name, role, kind, start, frames, white or setup.white, **more)


def _measured_takes(
    setup: Setup, role: str, begin: int, name: Naming, random: np.random.Generator
) -> list[Take]:
    if (setup.name, role) == SILENT_PAIR:
        return []
    out = []
    lossless = role == "main" and setup.name in ("car-deck", "galley")
    for k, target in enumerate(setup.targets if role != "phone" else setup.targets[:1]):
        frames = 24 if target == "24-patch" else 6
        good = (
            0 if (setup.name, role) == ("car-deck", "flying") else int(random.integers(2, max(frames - 2, 3)))
        )
        start = begin + 24 * (10 + 22 * k) + int(random.integers(0, 40))
        form = LOSSLESS if lossless else FORMS[role]
        more: dict[str, Any] = {
            "form": form,
            "slate": target,
            "number": k + 1,
            "target": target,
            "zero": good,
        }
        out.append(_rolled(setup, role, "chart", start, frames, name, **more))
    if setup.name == "car-deck" and role == "main":
        more = {"form": Form(".exr", "exr"), "slate": "chart still", "target": "24-patch"}
        out.append(_rolled(setup, role, "still", begin + 24 * 90, 1, name, **more))
    return out


def _shot(
    setup: Setup, role: str, number: int, together: int, name: Naming, random: np.random.Generator
) -> Take:
    frames, zero = int(random.integers(58, 121)), int(random.integers(6, 20))
    stops = float(np.round(random.normal(0, 0.12), 2))
    if setup.name == "upper-deck":  # opened up as the light goes
        stops += {1: 0.0, 2: 0.0, 3: 1.0, 4: 1.0}[number]
    flown = (float(random.uniform(-2.2, 2.2)), float(random.uniform(-1.2, 1.2)))
    return _rolled(
        setup,
        role,
        "shot",
        together - zero,
        frames,
        name,
        slate=setup.slates[number - 1],
        number=number,
        minutes=float(setup.minutes[number - 1]),
        zero=zero,
        stops=stops,
        tint=float(np.round(random.normal(0, 0.6), 1)) if role == "small" else 0.0,
        hand={"main": 0.0, "small": 2.2, "flying": 0.0, "phone": 3.2}[role],
        push=0.004 if role == "main" and number % 2 else 0.0,
        drift=flown if role == "flying" else (0.0, 0.0),
    )


def _under(take: Take, together: int) -> Take:
    """A shot with the cloud that comes, if it comes then."""
    setup, number, after, frames, stops = CLOUD
    if (take.setup, take.number) != (setup, number):
        return take
    return replace(take, cloud=(together + after, frames, stops))


def _sequences(takes: list[Take]) -> list[Take]:
    """One of the main camera's shots becomes an EXR sequence, one a DPX sequence; both are short."""
    out = []
    for t in takes:
        if t.kind == "shot" and t.role == "main" and (t.setup, t.number) == ("open-water", 2):
            t = replace(t, form=Form(".exr", "exr"), frames=48, zero=12, start=t.start + t.zero - 12)
        if t.kind == "shot" and t.role == "main" and (t.setup, t.number) == ("engine-room", 2):
            t = replace(t, form=Form(".dpx", "dpx"), frames=48, zero=12, start=t.start + t.zero - 12)
        out.append(t)
    return out


def _with_mistakes(takes: list[Take], random: np.random.Generator) -> list[Take]:
    """Plant each mistake once, each in another take."""
    out = list(takes)
    movies = [k for k, t in enumerate(out) if t.kind == "shot" and t.form.codec not in ("exr", "dpx")]
    random.shuffle(movies)
    before = {b.name: a.white for a, b in pairwise(SETUPS)}

    def plant(
        mistake: str, roles: str, fits: Callable[[Take], bool] = lambda t: True, **changes: Any
    ) -> None:
        for k in movies:
            if not out[k].mistake and out[k].role in roles.split() and fits(out[k]):
                out[k] = replace(out[k], mistake=mistake, **changes)
                return
        raise AssertionError(f"no take is left for: {mistake}")

    def far(t: Take) -> bool:
        """The setup before had clearly another white."""
        return t.setup in before and abs(1e6 / int(before[t.setup][:-1]) - 1e6 / int(t.white[:-1])) > 40

    plant("wrong encoding", "main small flying")
    plant("range flag", "main small")
    plant("over", "main small flying", error_stops=2.0 + float(random.uniform(-0.1, 0.1)))
    plant("under", "main small flying", error_stops=-3.0 + float(random.uniform(-0.1, 0.1)))
    plant("white left", "main small", far)
    out = [replace(t, white=before[t.setup]) if t.mistake == "white left" else t for t in out]
    plant("baked LUT", "main small flying")
    plant("frame rate", "main small flying", rate=25)
    plant("no timecode", "main small flying phone")
    plant("truncated", "main small")
    cards = [
        k
        for k, t in enumerate(out)
        if t.kind == "chart" and t.target == "24-patch" and t.setup not in ("car-deck", "test-corner")
    ]
    k = int(random.choice(cards))
    light = "LED-B1" if out[k].setup in ("open-water", "upper-deck") else "D65"
    out[k] = replace(out[k], mistake="other light", other_light=light)
    plant("duplicate name", "phone", lambda t: t.card == "D01", clip="CLIP0007")
    plant("duplicate name", "phone", lambda t: t.card == "D02", clip="CLIP0007")
    return out


def _edit(shoot: Shoot, random: np.random.Generator) -> list[Event]:
    """The cut: setup after setup, slate after slate, going back and forth between the cameras."""
    out = []
    for setup in SETUPS:
        for number in range(1, len(setup.slates) + 1):
            takes = [t for t in shoot.shots if t.setup == setup.name and t.number == number]
            order = [takes[0], *(takes[1 + int(k)] for k in random.permutation(len(takes) - 1))]
            for t in order:
                usable = t.frames if t.mistake != "truncated" else t.frames // 2
                head, tail = (int(v) for v in random.integers(0, 7, 2))
                out.append(Event(t, head, max(usable - head - tail, 24)))
    return out
