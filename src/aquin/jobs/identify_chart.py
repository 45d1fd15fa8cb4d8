"""Which encoding a file is in, by the chart in it."""

from pathlib import Path
from typing import Any

from aquin.charts.identify import Identification, identify
from aquin.charts.layout import layout
from aquin.charts.take import Take, read_take
from aquin.colour.config import ColourConfig
from aquin.errors import AquinError
from aquin.frames import open_source


def identify_chart(
    file: Path,
    layout_name: str,
    corners: tuple[tuple[float, float], ...],
    frame: int | None,
    count: int,
    matrix: str | None,
    range: str | None,
    config_path: Path | None,
) -> dict[str, Any]:
    config = ColourConfig.find(config_path, file)
    take = Take(
        file,
        "",
        layout_name,
        matrix or "",
        range or "",
        {},
        corners,
        frame,
        most=24,
        config=config.path,
    )
    seen = read_take(take)
    reading = seen.reading()
    if reading is None:
        raise AquinError(
            "no chart was found", file, "Give its --corners, or name another --frame or --layout"
        )
    source = open_source(file)
    floating = source.signal.floating
    source.close()
    found = identify(config, reading.signal, reading.usable_signal, layout(layout_name), floating)
    return identification_data(found, count)


def identification_data(found: Identification, count: int = 8) -> dict[str, Any]:
    return {
        "ranking": [
            {
                "encoding": c.encoding,
                "score": c.score,
                "rms_stops": c.rms_stops,
                "delta_e00_mean": c.delta_e00,
                "exposure_stops": c.exposure,
                "same_to_a_chart": list(c.alike),
                "fits": c.fits,
            }
            for c in found.ranking[:count]
        ],
        "margin": found.margin,
        "confidence": found.confidence,
        "none_fits": found.none_fits,
        "verdict": found.verdict,
    }
