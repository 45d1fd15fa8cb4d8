"""What tests of releases share."""

import json
from fractions import Fraction
from pathlib import Path
from typing import Any

from aquin.colour.tone_curve import ToneCurve
from aquin.colour.zones import ZoneGains
from aquin.frames.timecode import frames_of, timecode_of
from aquin.look.look import Look
from aquin.production import Production, Shot
from aquin.production.conform import Cut, CutList, conform
from aquin.production.looks import keep_look, use_look

EVENING = Look(
    "evening",
    curve=ToneCurve((-0.2, -0.1, 0.0, 0.15, 0.0)),
    zones=ZoneGains.of([[-0.03, 0.0, 0.05], [0.0, 0.0, 0.0], [0.04, 0.0, -0.04]]),
    colour=1.15,
)


def graded_film(path: Path) -> None:
    """The settled production with a look and an edit."""
    production = Production.open(path)
    use_look(production, keep_look(production, EVENING, "set a look"))
    cuts = []
    for shot in [s for s in production.all(Shot) if s.kind == "shot" and s.start][:4]:
        begin = frames_of(shot.start, Fraction(24))
        ends = [timecode_of(begin + k, Fraction(24)) for k in (0, 3)]
        cuts.append(Cut(shot.reel, shot.name, *ends, "", 3, shot.path))
    conform(production, CutList("cut 1", "", Fraction(24), tuple(cuts)))
    production.close()


def said(folder: Path) -> dict[str, Any]:
    """What a release says of itself."""
    return json.loads((folder / "release.json").read_text(encoding="utf-8"))  # type: ignore[no-any-return]
