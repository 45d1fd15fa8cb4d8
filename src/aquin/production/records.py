"""The values that a production file holds. Frozen: a change is another value, written through `Production.change`.

Every record has an `id`: a UUID as 32 hexadecimal digits, so that work from several houses can be merged.
"""

from collections.abc import Collection, Mapping
from dataclasses import dataclass, field
from fractions import Fraction
from functools import cached_property
from typing import Any, ClassVar, Literal
from uuid import uuid4

Kind = Literal["shot", "chart", "grey card", "series", "reference"]
KINDS: tuple[Kind, ...] = ("shot", "chart", "grey card", "series", "reference")

Layer = Literal["conversion", "balance", "trim", "look"]


def new_id() -> str:
    return uuid4().hex


@dataclass(frozen=True)
class Record:
    """What all records share. `table` names where they are kept."""

    table: ClassVar[str] = ""
    id: str = field(default_factory=new_id, kw_only=True)
    stamp: int = field(default=0, kw_only=True, compare=False, repr=False)
    """The journal entry that this version came with, so that a change says what it was based on; 0: not from a file.
    Not a column.
    """


@dataclass(frozen=True)
class Root(Record):
    """A named folder that media lie in. `beside` is its path relative to the production file, or empty."""

    table: ClassVar[str] = "root"
    name: str
    beside: str = ""


@dataclass(frozen=True)
class Place(Record):
    """Where one workstation finds a root."""

    table: ClassVar[str] = "place"
    root_id: str
    workstation: str
    folder: str


@dataclass(frozen=True)
class Camera(Record):
    """One body. `encoding`, `range` and `matrix` hold for its shots unless a shot says otherwise; empty: not
    decided.
    """

    table: ClassVar[str] = "camera"
    name: str
    encoding: str = ""
    encoding_note: str = ""
    """Why this encoding, where it stands in for one that the configuration does not list."""
    range: str = ""
    matrix: str = ""
    exposure_stops: float = 0.0
    """How far above its curve's grey the crew is asked to expose, in stops (the policy's part for this camera)."""
    position: int = 0
    note: str = ""


@dataclass(frozen=True)
class Setup(Record):
    """One place with one light. `confirmed`: a person has agreed to what was proposed."""

    table: ClassVar[str] = "setup"
    name: str
    position: int = 0
    light: str = ""
    confirmed: bool = False
    hero_id: str = ""
    """The shot that the setup's others are matched to."""
    routine: tuple[str, ...] = ()
    """What is to be filmed here by every camera before the light changes, e.g. `24-patch`."""
    note: str = ""


@dataclass(frozen=True)
class Shot(Record):
    """One recording: a file or a numbered sequence (then `path` is its lowest file), with what file and papers say.

    `first` and `frames` count in the file's own numbers; `start` is the timecode of the first frame. `rate`, frames a
    second, is a fraction in words (`24`, `30000/1001`) or empty. `encoding`, `range`, `matrix` override the camera's.
    """

    table: ClassVar[str] = "shot"
    root_id: str
    path: str
    name: str
    kind: str = "shot"
    camera_id: str = ""
    setup_id: str = ""
    reel: str = ""
    slate: str = ""
    take: str = ""
    target: str = ""
    """Which chart or card is in it."""
    series_stops: float | None = None
    start: str = ""
    """Timecode of the first frame."""
    rate: str = ""
    """Frames a second, as a fraction."""
    first: int = 0
    frames: int = 0
    width: int = 0
    """In pixels."""
    height: int = 0
    bits: int = 0
    """In a channel."""
    floating: bool = False
    codec: str = ""
    file_matrix: str = ""
    file_range: str = ""
    matrix_from: str = ""
    """Who said so."""
    range_from: str = ""
    said_encoding: str = ""
    """The encoding that the file itself names."""
    encoding: str = ""
    range: str = ""
    matrix: str = ""
    white: str = ""
    tint: str = ""
    exposure_index: str = ""
    t_stop: str = ""
    nd: str = ""
    shutter: str = ""
    lens: str = ""
    note: str = ""
    trouble: str = ""
    """Why the file could not be opened, where it could not."""
    bytes: int = 0
    modified: float = 0.0
    content: str = ""
    """Hash of what the file holds, see `media.content_of`."""
    metadata: Mapping[str, str] = field(default_factory=dict)

    @cached_property
    def fps(self) -> Fraction | None:
        """Frames a second; None where the file says none, or what another program wrote is none."""
        try:
            found = Fraction(self.rate) if self.rate else None
        except (ValueError, ZeroDivisionError):
            return None
        return found if found is not None and found > 0 else None


@dataclass(frozen=True)
class Edit(Record):
    """One cut. `source` is the file that it was read from."""

    table: ClassVar[str] = "edit"
    name: str
    source: str = ""
    rate: str = ""
    position: int = 0


@dataclass(frozen=True)
class Event(Record):
    """One piece of an edit in cut order. `source_in` and `source_out` are timecodes, out excluded; `shot_id` is
    empty where nothing matched, and `why` says why not.
    """

    table: ClassVar[str] = "event"
    edit_id: str
    position: int
    reel: str
    """As the edit writes it."""
    clip: str
    source_in: str
    source_out: str
    """Exclusive."""
    record_in: str = ""
    frames: int = 0
    shot_id: str = ""
    """Empty where nothing matched."""
    first: int = 0
    """The shot's frame number at which the piece begins."""
    why: str = ""
    own_frames: int = 0
    """How many of the shot's own frames it shows; 0 where that is not known."""
    speed: float = 1.0
    """Times the shot's own speed; negative: backwards; 0: one frame stands still."""


@dataclass(frozen=True)
class Grade(Record):
    """One layer of a grade. Conversion belongs to a camera, balance to a camera in a setup, trim to a shot, look to
    all.

    `values` holds the numbers of the layer; `origin` says where they came from, in words for people; `source_id` is
    the chart take that a balance was solved from; `inputs` is the hash of everything they were computed from (see
    `stale`).
    """

    table: ClassVar[str] = "grade"
    layer: str
    camera_id: str = ""
    setup_id: str = ""
    shot_id: str = ""
    values: Mapping[str, Any] = field(default_factory=dict)
    origin: str = ""
    inputs: str = ""
    on: bool = True
    source_id: str = ""


@dataclass(frozen=True)
class Dismissal(Record):
    """A finding that a person has looked at and does not act on, and why."""

    table: ClassVar[str] = "dismissal"
    finding: str
    """The finding's key: its kind and its subjects."""
    reason: str


def finding_key(kind: str, camera: str, setup: str, shots: Collection[str]) -> str:
    """The same for the same finding of a later audit."""
    return "|".join((kind, camera, setup, *sorted(shots)))


@dataclass(frozen=True)
class Option(Record):
    """A setting of the production; its `id` is the setting's name."""

    table: ClassVar[str] = "option"
    value: Any = None


RECORDS: tuple[type[Record], ...] = (
    Option,
    Root,
    Place,
    Camera,
    Setup,
    Shot,
    Edit,
    Event,
    Grade,
    Dismissal,
)
"""In an order in which what is referred to comes first."""
