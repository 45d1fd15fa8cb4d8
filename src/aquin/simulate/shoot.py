"""The plan of the shoot: who films what, when, how, and which mistakes are made. Everything follows from one seed."""

from collections.abc import Callable
from dataclasses import dataclass, field, replace
from functools import cached_property
from itertools import pairwise
from typing import Any, Literal

import numpy as np

from aquin.frames.timecode import frames_of, timecode_of
from aquin.simulate.cameras import ROLES, Camera
from aquin.simulate.film import RATE

Kind = Literal["shot", "chart", "still", "series"]
Naming = Callable[[str, int], tuple[str, str]]
"""Role and day to the next clip name and its card."""


@dataclass(frozen=True)
class Setup:
    """One place with its light, as it is filmed: the cameras' roles, the white they are set to, the slates."""

    name: str
    day: int
    starts: str
    white: str
    roles: tuple[str, ...]
    slates: tuple[str, ...]
    minutes: tuple[float, ...]
    """When each slate is filmed, after the start."""
    targets: tuple[str, ...] = ("24-patch", "grey card")


SETUPS = (
    Setup(
        "wheelhouse",
        1,
        "07:42:00:00",
        "4800K",
        ("main", "small", "phone"),
        ("casting off", "the narrows"),
        (3, 9),
    ),
    Setup(
        "car-deck",
        1,
        "08:55:00:00",
        "6300K",
        ("main", "small", "flying", "phone"),
        ("loading the cars", "waving in the van"),
        (2, 11),
        ("24-patch", "crossed wedge", "video chart"),
    ),
    Setup(
        "galley",
        1,
        "11:20:00:00",
        "4100K",
        ("main", "small", "phone"),
        ("tea at eleven", "the boy and the fruit bowl"),
        (4, 12),
        ("24-patch", "crossed wedge", "video chart"),
    ),
    Setup(
        "engine-room",
        1,
        "13:05:00:00",
        "3000K",
        ("main", "small", "phone"),
        ("oil pressure", "shift change"),
        (3, 10),
    ),
    Setup(
        "open-water",
        1,
        "15:10:00:00",
        "5600K",
        ("main", "small", "flying"),
        ("the wake", "looking back"),
        (2, 8),
    ),
    Setup(
        "upper-deck",
        2,
        "20:48:00:00",
        "4600K",
        ("main", "small", "flying"),
        ("last light", "the passenger's story", "almost home", "blue hour"),
        (1, 8, 16, 24),
    ),
    Setup(
        "pier",
        2,
        "22:36:00:00",
        "3200K",
        ("main", "small", "phone"),
        ("landfall", "soup at the kiosk"),
        (3, 11),
    ),
)
"""In the order of the film."""

SERIES_STOPS = (-6, -5, -4, -3, -2, -1, 0, 1, 2, 3, 4, 5, 6)
SILENT_PAIR = ("engine-room", "phone")
"""The one camera and setup for which nobody filmed a chart or a card."""


@dataclass(frozen=True)
class Form:
    """How a camera writes its files. `codec` is exr or dpx for sequences."""

    suffix: str
    codec: str
    pixels: str = "yuv422p10le"
    range: Literal["legal", "full"] = "legal"


FORMS = {
    "main": Form(".mkv", "libx264", "yuv422p10le"),
    "small": Form(".mov", "libx264", "yuv420p10le"),
    "flying": Form(".mp4", "libx265", "yuv420p10le", "full"),
    "phone": Form(".mp4", "libx264", "yuv420p10le"),
}
LOSSLESS = Form(".mkv", "ffv1", "yuv422p10le")

MISTAKES = {
    "wrong encoding": "the camera report and the file name an encoding that it does not have",
    "range flag": "the file is flagged full range, its codes are legal",
    "other light": "the card was filmed under other light than the scene",
    "over": "two stops over",
    "under": "three stops under",
    "white left": "the white setting is still that of the setup before",
    "baked LUT": "a viewing LUT is baked into the recording",
    "frame rate": "recorded at 25 frames a second",
    "no timecode": "the file carries no timecode",
    "duplicate name": "two clips on two cards have one name",
    "truncated": "the file ends early",
}


@dataclass(frozen=True)
class Take:
    """One recording. `start` is in frames since midnight; `zero` is the frame at which nothing has moved yet."""

    clip: str
    card: str
    setup: str
    role: str
    kind: Kind
    start: int
    frames: int
    white: str
    form: Form
    slate: str = ""
    number: int = 1
    minutes: float = 0.0
    zero: int = 0
    target: str = ""
    stops: float = 0.0
    """Over the metered exposure, as the crew believes."""
    error_stops: float = 0.0
    """What really was added to it."""
    tint: float = 0.0
    hand: float = 0.0
    push: float = 0.0
    drift: tuple[float, float] = (0.0, 0.0)
    mistake: str = ""
    other_light: str = ""
    rate: int = 24

    @property
    def camera(self) -> Camera:
        return ROLES[self.role]

    @property
    def path(self) -> str:
        """Where it lies under the media folder; the first file of a sequence."""
        if self.form.codec in ("exr", "dpx") and self.kind != "still":
            return f"{self.card}/{self.clip}/{self.clip}.{self.first_number:07d}{self.form.suffix}"
        return f"{self.card}/{self.clip}{self.form.suffix}"

    @property
    def first_number(self) -> int:
        """Number of a sequence's first file: frames since midnight."""
        return self.start

    @property
    def timecode(self) -> str:
        return timecode_of(self.start, RATE)

    @property
    def end_timecode(self) -> str:
        """Exclusive, as an edit list counts."""
        return timecode_of(self.start + self.frames, RATE)


@dataclass(frozen=True)
class Event:
    """A piece of the edit: frames `first` to `first + frames` of a take."""

    take: Take
    first: int
    frames: int


@dataclass(frozen=True)
class Shoot:
    """The whole production on paper."""

    seed: int
    takes: tuple[Take, ...]
    edit: tuple[Event, ...] = field(default=())

    @cached_property
    def shots(self) -> tuple[Take, ...]:
        return tuple(t for t in self.takes if t.kind == "shot")

    def of(self, setup: str, role: str) -> tuple[Take, ...]:
        return tuple(t for t in self.takes if t.setup == setup and t.role == role)

    @property
    def mistaken(self) -> dict[str, list[Take]]:
        """The takes that hold each mistake."""
        out: dict[str, list[Take]] = {}
        for take in self.takes:
            if take.mistake:
                out.setdefault(take.mistake, []).append(take)
        return out


def plan(seed: int = 2026) -> Shoot:
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
    for setup in SETUPS:
        begin = frames_of(setup.starts, RATE)
        for role in setup.roles:
            takes += _measured_takes(setup, role, begin, name, random)
        for s, (slate, minute) in enumerate(zip(setup.slates, setup.minutes, strict=True)):
            together = begin + round(minute * 60 * 24) + int(random.integers(0, 240))
            for role in setup.roles:
                takes.append(_shot(setup, role, slate, s + 1, minute, together, name, random))
    takes = _sequences(takes)
    takes = _with_mistakes(takes, random)
    shoot = Shoot(seed, tuple(takes))
    return replace(shoot, edit=tuple(_edit(shoot, random)))


def _measured_takes(setup: Setup, role: str, begin: int, name, random: np.random.Generator) -> list[Take]:  # type: ignore[no-untyped-def]
    if (setup.name, role) == SILENT_PAIR:
        return []
    out = []
    targets = setup.targets if role != "phone" else setup.targets[:1]
    for k, target in enumerate(targets):
        clip, card = name(role, setup.day)
        form = LOSSLESS if role == "main" and setup.name in ("car-deck", "galley") else FORMS[role]
        frames = 24 if target == "24-patch" else 6
        out.append(
            Take(
                clip,
                card,
                setup.name,
                role,
                "chart",
                begin + 24 * (10 + 22 * k) + int(random.integers(0, 40)),
                frames,
                setup.white,
                form,
                target,
                k + 1,
                target=target,
                zero=_good_frame(setup, role, frames, random),
            )
        )
    if setup.name == "car-deck" and role == "main":
        clip, card = name(role, setup.day)
        out.append(
            Take(
                clip,
                card,
                setup.name,
                role,
                "still",
                begin + 24 * 90,
                1,
                setup.white,
                Form(".exr", "exr"),
                "chart still",
                1,
                target="24-patch",
            )
        )
    return out


def _good_frame(setup: Setup, role: str, frames: int, random: np.random.Generator) -> int:
    """Where in a chart take the chart is held flat and clear: anywhere, but at once where the demo's Bench opens."""
    if (setup.name, role) == ("car-deck", "flying"):
        return 0
    return int(random.integers(2, max(frames - 2, 3)))


def _shot(
    setup: Setup,
    role: str,
    slate: str,
    number: int,
    minute: float,
    together: int,
    name: Naming,
    random: np.random.Generator,
) -> Take:
    clip, card = name(role, setup.day)
    frames = int(random.integers(54, 112))
    zero = int(random.integers(6, 20))
    stops = float(np.round(random.normal(0, 0.12), 2))
    if setup.name == "upper-deck":  # opened up as the light goes
        stops += {1: 0.0, 2: 0.0, 3: 1.0, 4: 1.0}[number]
    hand = {"main": 0.0, "small": 2.2, "flying": 0.0, "phone": 3.2}[role]
    push = 0.004 if role == "main" and number % 2 else 0.0
    drift = (
        (float(random.uniform(-2.2, 2.2)), float(random.uniform(-1.2, 1.2)))
        if role == "flying"
        else (0.0, 0.0)
    )
    tint = float(np.round(random.normal(0, 0.6), 1)) if role == "small" else 0.0
    return Take(
        clip,
        card,
        setup.name,
        role,
        "shot",
        together - zero,
        frames,
        setup.white,
        FORMS[role],
        slate,
        number,
        float(minute),
        zero,
        stops=stops,
        tint=tint,
        hand=hand,
        push=push,
        drift=drift,
    )


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
    plant("white left", "main small flying", far)
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
