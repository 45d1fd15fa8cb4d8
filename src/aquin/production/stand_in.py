"""An encoding for a camera that is not listed: the nearest known one by its charts, with the reason kept."""

from __future__ import annotations

from dataclasses import replace
from typing import TYPE_CHECKING

import numpy as np

from aquin.charts.identify import Candidate, nearest_encodings
from aquin.charts.layout import layout
from aquin.errors import AquinError
from aquin.production.measuring import measure_shots
from aquin.production.records import Camera, Shot

if TYPE_CHECKING:
    from aquin.colour.config import ColourConfig
    from aquin.production.store import Entry, Production
    from aquin.workers import Tell


def nearest_for(
    production: Production,
    config: ColourConfig,
    camera: Camera,
    jobs: int | None = None,
    tell: Tell | None = None,
) -> list[Candidate]:
    """Known encodings by how well they explain the camera's best chart, the nearest first. Raises AquinError without
    a chart.
    """
    charts = [s for s in production.all(Shot) if s.camera_id == camera.id and s.kind == "chart"]
    measured = measure_shots(production, config, charts, jobs, tell)
    card = layout()
    best: list[Candidate] = []
    for shot in charts:
        chart = measured.get(shot.id, {}).get("chart")
        if not chart:
            continue
        signal = np.array(chart["signal"], np.float64)
        usable = (np.array(chart["clipped"]) < 0.01) & np.isfinite(signal).all(axis=1)
        try:
            found = nearest_encodings(config, signal, usable, card)
        except AquinError:
            continue
        if found and (not best or found[0].score < best[0].score):
            best = found
    if not best:
        raise AquinError(
            f"no chart of {camera.name} can be read",
            None,
            "Film a 24-patch chart with it, or choose an encoding by eye",
        )
    return best


def take_stand_in(production: Production, camera: Camera, candidate: Candidate) -> Entry | None:
    """Use an encoding in place of the camera's unknown one, and note why."""
    why = (
        f"nearest known by its chart: grey steps within {candidate.rms_stops:.2f} stop, "
        f"colours within dE00 {candidate.delta_e00:.1f}"
    )
    new = replace(camera, encoding=candidate.encoding, encoding_note=why)
    return production.change(f"stand-in encoding for {camera.name}", new, why=why)
