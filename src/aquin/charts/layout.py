"""Chart layouts as data: rows, columns, what each patch is, and its published colour."""

import json
from dataclasses import dataclass
from pathlib import Path

import numpy as np

from aquin.arrays import Float64
from aquin.colour.primaries import XYZ_TO_AP1
from aquin.errors import AquinError

FOLDER = Path(__file__).parent / "layouts"


@dataclass(frozen=True)
class Patch:
    """One patch: its `role` is neutral, skin, primary or other; `xyz` under the ACES white, Y = 1 at a diffuser."""

    name: str
    role: str
    xyz: tuple[float, float, float]


@dataclass(frozen=True)
class Layout:
    """A grid of patches, row by row. `patch_share` is a patch's side over the distance to the next one."""

    name: str
    title: str
    rows: int
    columns: int
    patch_share: float
    source: str
    patches: tuple[Patch, ...]

    @property
    def neutral(self) -> np.ndarray:
        """(patches,) bool: which ones are neutral."""
        return np.array([p.role == "neutral" for p in self.patches])

    @property
    def xyz(self) -> Float64:
        return np.array([p.xyz for p in self.patches])

    @property
    def ap1(self) -> Float64:
        """(patches, 3) published colours in scene-linear AP1."""
        return np.asarray(self.xyz @ XYZ_TO_AP1.T, np.float64)

    def cells(self) -> Float64:
        """(patches, 2) patch centres in units where the patch field is 0..1 across and down."""
        step = 1 - self.patch_share
        wide, high = self.columns - step, self.rows - step
        half = self.patch_share / 2
        return np.array(
            [[(c + half) / wide, (r + half) / high] for r in range(self.rows) for c in range(self.columns)]
        )

    @property
    def patch_size(self) -> tuple[float, float]:
        """Width and height of a patch in the same units."""
        step = 1 - self.patch_share
        return self.patch_share / (self.columns - step), self.patch_share / (self.rows - step)


def names() -> list[str]:
    return sorted(p.stem for p in FOLDER.glob("*.json"))


def layout(name: str = "24-patch") -> Layout:
    """A shipped layout by name, or one from a .json file. Raises AquinError."""
    path = Path(name) if name.endswith(".json") else FOLDER / f"{name}.json"
    if not path.is_file() or (not name.endswith(".json") and name not in names()):
        raise AquinError(
            f"there is no chart layout '{name}'",
            None,
            f"There are: {', '.join(names())}; or name a .json file",
        )
    try:
        data = json.loads(path.read_text(encoding="utf-8"))
        patches = tuple(
            Patch(
                str(p["name"]), str(p["role"]), (float(p["xyz"][0]), float(p["xyz"][1]), float(p["xyz"][2]))
            )
            for p in data["patches"]
        )
        made = Layout(
            str(data["name"]),
            str(data["title"]),
            int(data["rows"]),
            int(data["columns"]),
            float(data["patch_share"]),
            str(data["source"]),
            patches,
        )
        if (
            len(patches) != made.rows * made.columns
            or not 0.3 <= made.patch_share <= 1
            or not np.isfinite(made.xyz).all()
        ):
            raise ValueError("rows, columns, patches and patch_share do not go together")
        return made
    except (OSError, ValueError, KeyError, TypeError, IndexError) as error:
        raise AquinError(
            f"the chart layout can't be used ({error})", path, "See the shipped 24-patch layout"
        ) from error
