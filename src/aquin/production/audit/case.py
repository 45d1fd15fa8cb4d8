"""What the rules look at: the production with everything measured, and which shots are comparable."""

from __future__ import annotations

from collections import Counter, defaultdict
from collections.abc import Iterable, Mapping
from dataclasses import dataclass, field
from functools import cached_property
from typing import TYPE_CHECKING, Any

import numpy as np

from aquin.charts.layout import Layout, layout
from aquin.colour.primaries import AP1_LUMA
from aquin.measure.survey import AT, Survey
from aquin.production.measuring import Reads, encoding_of, range_of, reads
from aquin.production.records import Camera, Setup, Shot
from aquin.production.setups import seconds_of

if TYPE_CHECKING:
    from aquin.arrays import Float64
    from aquin.colour.config import ColourConfig
    from aquin.production.charts_seen import Seen
    from aquin.production.over_time import Followed
    from aquin.production.store import Production


@dataclass(frozen=True)
class Case:
    """`measured`: values of `measure_shots` by shot id. `altered`: ids of shots whose picture was changed before
    recording, so that its light and colour say nothing.
    """

    production: Production
    config: ColourConfig
    measured: Mapping[str, Mapping[str, Any]]
    altered: frozenset[str] = frozenset()
    followed: Mapping[str, Followed] = field(default_factory=dict)
    """How light changes within takes, of those in which it may."""

    glimpsed: Mapping[str, Seen] = field(default_factory=dict)
    """What was seen of charts in shots, see `charts_seen`."""
    serial: frozenset[str] = frozenset()
    """Ids of shots that seem to be takes of an exposure series."""

    @cached_property
    def shots(self) -> list[Shot]:
        """All recordings; reference stills are no recordings."""
        return [s for s in self.production.all(Shot) if s.kind != "reference"]

    @cached_property
    def how(self) -> dict[str, Reads]:
        return reads(self.production)

    @cached_property
    def surveys(self) -> dict[str, Survey]:
        return {id: Survey.of(v["survey"]) for id, v in self.measured.items() if v.get("survey")}

    @cached_property
    def charts(self) -> dict[str, ChartFacts]:
        """What the 24-patch charts that were found say."""
        chart = layout()
        out = {}
        for id, values in self.measured.items():
            if values.get("chart"):
                facts = chart_facts(values["chart"], chart)
                if facts is not None:
                    out[id] = facts
        return out

    @cached_property
    def cards(self) -> dict[str, float]:
        """Log2 R/B of the grey cards that were found."""
        return {id: float(v["card"]["warm"]) for id, v in self.measured.items() if v.get("card")}

    @cached_property
    def greys(self) -> dict[str, float]:
        """Where the grey of cards and charts lies, in stops from the encoding's target."""
        cards = {id: float(v["card"]["level"]) for id, v in self.measured.items() if v.get("card")}
        return cards | {id: chart.level for id, chart in self.charts.items()}

    @cached_property
    def together(self) -> dict[tuple[str, str], list[Shot]]:
        """Recordings of one camera in one setup, in the order of time."""
        groups: dict[tuple[str, str], list[Shot]] = defaultdict(list)
        for shot in self.shots:
            serial = shot.kind == "series" or shot.id in self.serial
            if shot.camera_id and shot.setup_id and not serial:
                groups[shot.camera_id, shot.setup_id].append(shot)
        for group in groups.values():
            group.sort(key=lambda s: ((seconds_of(s) or (1e9, 0))[0], s.path))
        return groups

    def siblings(self, shot: Shot) -> list[Shot]:
        """Other measured recordings of the same camera in the same setup, read the same way."""
        own = self.how[shot.id]
        group = self.together.get((shot.camera_id, shot.setup_id), [])
        return [
            s
            for s in group
            if s.id != shot.id and s.id in self.surveys and self.how[s.id].encoding == own.encoding
        ]

    def camera(self, shot: Shot) -> str:
        found = self.production.find(Camera, shot.camera_id)
        return found.name if found is not None else "no camera"

    def setup(self, shot: Shot) -> str:
        found = self.production.find(Setup, shot.setup_id)
        return found.name if found is not None else "no setup"

    def encoding(self, shot: Shot) -> str:
        return encoding_of(self.production, shot)

    def range(self, shot: Shot) -> str:
        return range_of(self.production, shot)

    def kind_of_encoding(self, name: str) -> str:
        """`log`, `scene-linear`, a display's kind, or empty."""
        if name not in self._kinds:
            resolved = self.config.name_of(name)
            known = self.config.encodings()
            self._kinds[name] = next((e.kind for e in known if e.name == resolved), "")
        return self._kinds[name]

    @cached_property
    def _kinds(self) -> dict[str, str]:
        """Kinds of encodings that were asked for already."""
        return {}


@dataclass(frozen=True)
class ChartFacts:
    """The neutral patches of a chart: `level` in stops over their published luminance, `slope` of log level over log
    luminance (1 when the encoding is right), `bend` in stops rms from that line, `warm` and `green` as in a survey."""

    level: float
    slope: float
    bend: float
    warm: float
    green: float


def chart_facts(chart: Mapping[str, Any], card: Layout) -> ChartFacts | None:
    """None where too few neutral patches can be used."""
    linear = np.array(chart["linear"], np.float64)
    use = card.neutral & (np.array(chart["clipped"]) < 0.01) & (linear > 1e-4).all(axis=1)
    if use.sum() < 4:
        return None
    reference = np.log2(card.ap1[use] @ AP1_LUMA)
    levels = np.log2(linear[use] @ AP1_LUMA)
    slope, level = np.polyfit(reference, levels, 1)
    bend = float(np.sqrt(np.mean((levels - slope * reference - level) ** 2)))
    middle = reference[np.argmin(np.abs(reference - np.log2(0.18)))]
    r, g, b = np.log2(linear[use]).T
    return ChartFacts(
        float(slope * middle + level - middle),
        float(slope),
        bend,
        float(np.median(r - b)),
        float(np.median(g - (r + b) / 2)),
    )


def most(values: Iterable[str]) -> str:
    """The commonest, or empty."""
    counts = Counter(v for v in values if v)
    return counts.most_common(1)[0][0] if counts else ""


def at(survey: Survey, share: float) -> float:
    """A percentile of luma as 10-bit code of the signal (0 to 1023 over its nominal range)."""
    return 1023 * survey.luma[AT[share]]


def file_code(signal: float, range: str) -> float:
    """Signal to the 10-bit code in a file of that range (ITU-R BT.709: legal codes are 64 to 940)."""
    return 64 + 876 * signal if range == "legal" else 1023 * signal


def spread(values: Float64) -> float:
    """Robust sigma. `values`: (n,)."""
    return float(1.4826 * np.median(np.abs(values - np.median(values)))) if len(values) else 0.0
