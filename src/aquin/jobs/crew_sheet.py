"""The crew sheet of today."""

from __future__ import annotations

from datetime import date
from pathlib import Path
from typing import TYPE_CHECKING

from aquin.exchange.crew_sheet import Sheet, write_crew_sheet
from aquin.production.plan import Chain, checklist
from aquin.production.settings import POLICIES, policy_of

if TYPE_CHECKING:
    from aquin.colour.config import ColourConfig
    from aquin.production import Production


def look_lines(production: Production, config: ColourConfig) -> tuple[str, ...]:
    """What the look that is on for all setups does, for the crew: to hues, to faces, to dark and flat light."""
    from aquin.jobs.level_shot import exact_view
    from aquin.jobs.look_work import dark_under, faces_under, hue_warnings
    from aquin.production.looks import look_for, screen_of

    look = look_for(production, config, "")
    if look is None:
        return ()
    view = exact_view(config, *screen_of(production, config))
    stops, lost, slope = faces_under(look, view), *dark_under(look, view)
    lines = [f"The pictures will be seen through the look {look.name} at {100 * look.strength:.0f} %"]
    hues = hue_warnings(look, view)
    lines.append(
        "Of wardrobe, paint and coloured light: " + "; ".join(hues) if hues else "It turns no hue by much"
    )
    if abs(stops) >= 0.1:
        word = "more" if stops > 0 else "less"
        lines.append(f"Faces need {abs(stops):.1f} stops {word} light to be as light as without it")
    lines.append(f"What lies more than {lost:.1f} stops under grey is lost in its black")
    word = (
        "stays as flat as it is lit" if slope <= 1.03 else f"gains only {100 * (slope - 1):.0f} % of contrast"
    )
    lines.append(f"Flat light {word}: the look can't light the scene")
    return tuple(lines)


def under_the_look(production: Production, config: ColourConfig) -> tuple[tuple[str, bytes], ...]:
    """JPEG of a hero, or the first shot that can be read, graded, without the look that is on and with it."""
    from aquin.jobs.look_work import usual_shots
    from aquin.jobs.series_frames import shown

    for shot in usual_shots(production):
        both = [shown(production, config, shot, graded=True, look=worn) for worn in (False, True)]
        if both[0] is not None and both[1] is not None:
            return ((f"{shot.name} without the look", both[0]), ("with it", both[1]))
    return ()


def filmed_charts(production: Production, config: ColourConfig) -> tuple[tuple[str, bytes], ...]:
    """JPEG of each camera's first chart that can be read, as an example of how it is held; up to six cameras."""
    from aquin.jobs.series_frames import shown
    from aquin.production import Camera, Shot

    out = []
    for camera in production.all(Camera)[:6]:
        takes = [
            s
            for s in production.all(Shot)
            if s.kind == "chart" and s.camera_id == camera.id and not s.trouble
        ]
        data = next((d for s in takes[:2] if (d := shown(production, config, s)) is not None), None)
        if data is not None:
            out.append((camera.name, data))
    return tuple(out)


def write_sheet(
    production: Production, chain: Chain, path: Path, force: bool = False, config: ColourConfig | None = None
) -> None:
    """Exposure, charts, policy, and with `config` what the look that is on does: .pdf or .html. Raises AquinError."""
    policy = POLICIES[policy_of(production)]
    lines = look_lines(production, config) if config is not None else ()
    seen = under_the_look(production, config) if lines and config is not None else ()
    sheet = Sheet(
        production.name,
        date.today().isoformat(),
        policy,
        chain,
        tuple(checklist(production)),
        lines,
        seen,
        filmed_charts(production, config) if config is not None else (),
    )
    write_crew_sheet(path, sheet, force)
