"""One picture as several deliverables at once."""

from types import SimpleNamespace

import numpy as np
import pytest
from skimage import data

from aquin.colour import acescct
from aquin.colour.config import ColourConfig
from aquin.jobs.other_screens import as_shown, side_by_side
from aquin.production.settings import Deliverable


def of_kind(config: ColourConfig, *words: str) -> Deliverable:
    """The first display whose name holds the words, with its default view."""
    names = list(config._config.getDisplays())
    display = next(d for d in names if all(w in d for w in words))
    return Deliverable(display, display, config._config.getDefaultView(display))


@pytest.fixture(scope="module")
def seen(builtin: ColourConfig) -> dict[str, object]:
    """A photograph with lamps far above white, as two SDR screens and one HDR screen."""
    picture = np.asarray(data.coffee(), np.float32)[::3, ::3] / 255
    linear = picture**2.4 * 0.9
    linear[:20, :60] *= 12  # a lamp
    found = SimpleNamespace(log=acescct.encode(linear.astype(np.float32)))
    wanted = [of_kind(builtin, "sRGB"), of_kind(builtin, "1886"), of_kind(builtin, "PQ")]
    done = side_by_side(builtin, found, wanted)  # type: ignore[arg-type]
    return {"all": done, "wanted": wanted, "config": builtin}


def test_the_first_is_as_far_from_itself_as_nothing(seen: dict[str, object]) -> None:
    first, other, hdr = seen["all"]  # type: ignore[misc]
    assert first.apart == 0.0 and first.above == 0.0
    assert 0 < other.apart < 1, "two screens of one light differ in their curves alone"
    assert hdr.above > 0.5 and hdr.peak > 2 * first.peak
    assert first.lost > 20 and hdr.lost == 0.0


def test_each_is_shown_on_the_own_screen_without_going_beyond_it(seen: dict[str, object]) -> None:
    own = seen["wanted"][0]  # type: ignore[index]
    for one in seen["all"]:  # type: ignore[attr-defined]
        shown = as_shown(seen["config"], one, own)  # type: ignore[arg-type]
        assert shown.min() >= 0 and shown.max() <= 1
    first = seen["all"][0]  # type: ignore[index]
    shown = as_shown(seen["config"], first, own)  # type: ignore[arg-type]
    assert np.abs(shown - np.clip(first.signal, 0, 1)).max() < 1e-3
