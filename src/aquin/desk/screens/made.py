"""What a page of the Screens view shows of a shot, made in a worker: pictures with their words, and the figures."""

from __future__ import annotations

from typing import Any

from aquin.desk.kit.sheet import image_of
from aquin.errors import AquinError


def made_for(
    key: tuple[Any, ...], production: Any, config: Any, shot: Any, look: Any, screens: Any, shown_on: Any
) -> Any:
    """For a worker: what a page shows of a shot."""
    from aquin.jobs import other_screens as work
    from aquin.production.settings import Deliverable, deliverables_of
    from aquin.screens.losses import original_of

    try:
        first = deliverables_of(production, config)[0]
        found = work.graded_frame(production, config, shot, first, look)
        own = Deliverable("", *shown_on)
        cells: list[tuple[Any, str]] = []
        out: dict[str, Any] = {"found": found}
        if key[0] == "others":
            original = original_of(found.signal, found.light)
            out["lost"] = {}
            cells.append((found.signal, "as graded"))
            for screen in screens:
                picture, lost = work.screen_picture(config, found, screen, original)
                out["lost"][screen.id] = lost
                cells.append((picture, f"{screen.name}\n{lost.words}"))
        elif key[0] == "tags":
            out["misread"] = tuple(work.misread(found))
            cells.append((found.signal, "as meant"))
            cells += [(m.signal, f"{m.reading.name}: {m.moved:.1f} dE00") for m in out["misread"]]
        else:
            out["delivered"] = tuple(work.side_by_side(config, found, deliverables_of(production, config)))
            for d in out["delivered"]:
                words = f"{d.deliverable.name}: peak {d.peak:.0f} cd/m², tags {d.tags}"
                cells.append((work.as_shown(config, d, own), words))
    except AquinError as error:
        return key, {}, error.line()
    out["pictures"] = [(image_of(p), said) for p, said in cells]
    return key, out, ""
