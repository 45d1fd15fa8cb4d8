"""What a shoot is on paper: setups, takes, the edit, and the kinds of mistakes that are made in it."""

from dataclasses import dataclass, field
from functools import cached_property
from typing import Literal

from aquin.frames.timecode import timecode_of
from aquin.simulate.cameras import ROLES, Camera
from aquin.simulate.film import RATE

Kind = Literal["shot", "chart", "still", "series"]
Crew = Literal["careful", "careless"]
CREWS: tuple[Crew, ...] = ("careful", "careless")
"""How cards are filmed. A careful crew holds each once where the people are, before all cameras at once, in all setups
but two; a careless one holds it before each camera in turn, in whatever light is there.
"""


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

CLOUD = ("car-deck", 2, 8, 48, 0.6)
"""A thicker cloud comes while a slate is filmed: its setup and number, from how many frames after all cameras ran, over
how many, and by how many stops light falls.
"""
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
    """Frames since midnight."""
    frames: int
    white: str
    form: Form
    slate: str = ""
    number: int = 1
    minutes: float = 0.0
    zero: int = 0
    """The frame in which nothing has moved yet."""
    target: str = ""
    stops: float = 0.0
    """Over the metered exposure, as the crew believes."""
    error_stops: float = 0.0
    """What really was added to it."""
    tint: float = 0.0
    hand: float = 0.0
    """Shake in pixels."""
    push: float = 0.0
    drift: tuple[float, float] = (0.0, 0.0)
    """Pixels per second."""
    shared: bool = False
    """Whether the target is held once for all cameras, in the light on the people."""
    cloud: tuple[int, int, float] = (0, 0, 0.0)
    """Light falls over the take: from which frame since midnight, over how many frames, by how many stops."""
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
    crew: Crew = "careful"

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
