"""What a place is."""

from collections.abc import Callable, Mapping, Sequence
from dataclasses import dataclass

import numpy as np

from aquin.simulate.world.head import Person
from aquin.simulate.world.lens import Lens
from aquin.simulate.world.light import Lighting
from aquin.simulate.world.mesh import Mesh
from aquin.simulate.world.people import Pose


@dataclass(frozen=True)
class Place:
    """A lit place in metres; cameras look roughly along +z. Roles of cameras: main, small, flying, phone."""

    title: str
    static: Sequence[Mesh]
    people: Mapping[str, tuple[Person, Pose]]
    lighting: Lighting
    lenses: Mapping[str, Lens]
    fading: Callable[[float], Mapping[str, float]] = lambda minutes: {}
    """Factors of the lighting's spectra after so many minutes; 1 for those not named."""
    foam: Callable[[np.ndarray], np.ndarray] | None = None
    """(n, 3) points on the sea to how much foam is there, 0 to 1."""
    chop: float = 1.0
    """How strongly the waves show."""
