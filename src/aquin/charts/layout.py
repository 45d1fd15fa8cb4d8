"""Chart layouts as data: where each patch lies, what it is, and its published colour.

A layout is a JSON file: `name`, `title`, `source` of the colours, and `patches`, each with `name`, `role` and
`xyz`. A regular grid says `rows`, `columns` and `patch_share`; any other chart says `aspect` (width over height of
its patch field) and gives each patch a `box`: x, y, width and height as shares of the field. `body` is the
reflectance between the patches. `reflectance`, 36 numbers from 380 to 730 nm, may be given for all patches.
docs/charts.md has an example.
"""

from dataclasses import dataclass
from functools import cached_property
from pathlib import Path
from typing import Any

import numpy as np

from aquin.arrays import Float64
from aquin.colour.primaries import XYZ_TO_AP1
from aquin.errors import AquinError
from aquin.reading import json_of

FOLDER = Path(__file__).parent / "layouts"
ROLES = ("neutral", "skin", "primary", "other")
MOST = 400
"""Patches that a layout may have."""

Box = tuple[float, float, float, float]


@dataclass(frozen=True)
class Patch:
    """One patch: its `role` is neutral, skin, primary or other; `xyz` under the ACES white, Y = 1 at a diffuser;
    `box` is x, y, width and height as shares of the patch field.
    """

    name: str
    role: str
    xyz: tuple[float, float, float]
    box: Box
    reflectance: tuple[float, ...] = ()


@dataclass(frozen=True)
class Layout:
    """Patches on a field. `rows` and `columns` are 0 unless the patches lie in a regular grid, row by row; then
    `patch_share` is a patch's side over the distance to the next one.
    """

    name: str
    title: str
    rows: int
    columns: int
    patch_share: float
    aspect: float
    source: str
    patches: tuple[Patch, ...]
    body: float = 0.036
    """Reflectance of what lies between the patches."""

    @property
    def grid(self) -> bool:
        return self.rows > 0

    @property
    def findable(self) -> bool:
        """Whether it can be told from its surroundings; a single card can only be marked by a person."""
        return len(self.patches) >= 6

    @cached_property
    def neutral(self) -> np.ndarray:
        """(patches,) bool: which ones are neutral."""
        return np.array([p.role == "neutral" for p in self.patches])

    @cached_property
    def skin(self) -> np.ndarray:
        """(patches,) bool: which ones stand for skin."""
        return np.array([p.role == "skin" for p in self.patches])

    @cached_property
    def xyz(self) -> Float64:
        """(patches, 3) CIE XYZ of the patches under the layout's illuminant, Y of white 1."""
        return np.array([p.xyz for p in self.patches])

    @cached_property
    def ap1(self) -> Float64:
        """(patches, 3) published colours in scene-linear AP1."""
        return np.asarray(self.xyz @ XYZ_TO_AP1.T, np.float64)

    @cached_property
    def spots(self) -> Float64:
        """(patches * 36, 2) places in the unit square: 6 by 6 inside each patch."""
        step = np.array([-0.33, -0.2, -0.07, 0.07, 0.2, 0.33])
        spread = np.stack(np.meshgrid(step, step), axis=-1).reshape(-1, 2)
        return np.asarray((self.cells()[:, None] + spread[None] * self.sizes[:, None]).reshape(-1, 2))

    @cached_property
    def explaining(self) -> tuple[Float64, Float64]:
        """What explains the patches' levels, (patches, k), and its pseudo-inverse: the published colours' log levels
        and an offset.
        """
        reference = np.log2(np.maximum(self.ap1, 1e-4) + 0.004)
        ones = np.ones((len(reference), 1))
        if self.neutral.all():  # without colours to hold on to, light that falls off must not pass for steps
            design = np.concatenate([reference.mean(1, keepdims=True), ones, self.cells() - 0.5], axis=1)
        else:
            design = np.concatenate([reference, ones], axis=1)
        return design, np.asarray(np.linalg.pinv(design), np.float64)

    @cached_property
    def reflectances(self) -> Float64 | None:
        """(patches, 36) at 380 to 730 nm, or None where the layout does not tell them."""
        rows = [p.reflectance for p in self.patches]
        return np.array(rows, np.float64) if all(rows) else None

    @cached_property
    def boxes(self) -> Float64:
        """(patches, 4) x, y, width, height in units where the patch field is 0..1 across and down."""
        return np.array([p.box for p in self.patches], np.float64)

    def cells(self) -> Float64:
        """(patches, 2) patch centres in the same units."""
        return self.boxes[:, :2] + self.boxes[:, 2:] / 2

    @property
    def sizes(self) -> Float64:
        """(patches, 2) widths and heights of the patches."""
        return self.boxes[:, 2:]

    def labels(self, wide: int, high: int) -> np.ndarray:
        """(high, wide) number of the patch at each pixel's centre, -1 between patches."""
        x, y = (np.arange(wide) + 0.5) / wide, (np.arange(high) + 0.5) / high
        out = np.full((high, wide), -1, np.int16)
        for k, (left, top, w, h) in enumerate(self.boxes):
            inside = ((y >= top) & (y < top + h))[:, None] & ((x >= left) & (x < left + w))[None]
            out[inside] = k
        return out

    @cached_property
    def gaps(self) -> Float64:
        """(n, 2) points between patches, that all show the chart's body: the crossings of a grid."""
        if self.grid:
            gap = 1 - self.patch_share  # a crossing lies in the middle of the gap before patch c, r
            return np.array(
                [
                    [(c - gap / 2) / (self.columns - gap), (r - gap / 2) / (self.rows - gap)]
                    for r in range(1, self.rows)
                    for c in range(1, self.columns)
                ]
            ).reshape(-1, 2)
        wide, high = (
            (90, max(round(90 / self.aspect), 6)) if self.aspect >= 1 else (round(90 * self.aspect), 90)
        )
        body = self.labels(wide, high) < 0
        near = np.pad(body, 1, constant_values=True)
        inner = np.logical_and.reduce(
            [near[1 + dy : 1 + dy + high, 1 + dx : 1 + dx + wide] for dy in (-1, 0, 1) for dx in (-1, 0, 1)]
        )
        y, x = np.nonzero(inner if inner.any() else body)
        keep = np.linspace(0, len(x) - 1, min(24, len(x))).astype(int)
        return np.stack([(x[keep] + 0.5) / wide, (y[keep] + 0.5) / high], axis=1).reshape(-1, 2)


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
        return _made(json_of(path, 1_000_000))
    except KeyError as error:
        problem = f"{error} is missing"
    except (OSError, ValueError, TypeError, IndexError, AttributeError) as error:
        problem = str(error)
    raise AquinError(f"the chart layout can't be used ({problem})", path, "See docs/charts.md for the form")


def _made(data: dict[str, Any]) -> Layout:
    """Raises ValueError, KeyError, TypeError or IndexError for what is no layout."""
    listed = data["patches"]
    if not isinstance(listed, list) or not 1 <= len(listed) <= MOST:
        raise ValueError(f"it needs 1 to {MOST} patches")
    rows, columns, share = int(data.get("rows", 0)), int(data.get("columns", 0)), 1.0
    if "rows" in data:
        share = float(data["patch_share"])
        if rows < 1 or columns < 1 or len(listed) != rows * columns or not 0.3 <= share <= 1:
            raise ValueError("rows, columns, patches and patch_share do not go together")
        boxes, aspect = _grid(rows, columns, share)
    else:
        aspect = float(data["aspect"])
        boxes = [_box(p["box"]) for p in listed]
    if not 0.05 <= aspect <= 20:
        raise ValueError("aspect must lie between 0.05 and 20")
    patches = []
    for p, box in zip(listed, boxes, strict=True):
        x, y, z = (float(v) for v in p["xyz"])
        if not np.isfinite([x, y, z]).all() or min(x, y, z) <= 0 or max(x, y, z) > 2:
            raise ValueError(f"the xyz of '{p['name']}' must be above 0 and at most 2")
        if str(p["role"]) not in ROLES:
            raise ValueError(f"the role of '{p['name']}' must be one of {', '.join(ROLES)}")
        shine = tuple(float(v) for v in p.get("reflectance", ()))
        if shine and (len(shine) != 36 or min(shine) < 0 or max(shine) > 1.2):
            raise ValueError(f"the reflectance of '{p['name']}' must be 36 numbers from 0 to 1.2")
        patches.append(Patch(str(p["name"])[:60], str(p["role"]), (x, y, z), box, shine))
    if not any(p.role == "neutral" for p in patches):
        raise ValueError("at least one patch must be neutral")
    name, title, source = (str(data[k])[:400] for k in ("name", "title", "source"))
    body = float(data.get("body", 0.036))
    if not 0.001 <= body <= 1:
        raise ValueError("body must lie between 0.001 and 1")
    return Layout(name, title, rows, columns, share, aspect, source, tuple(patches), body)


def _grid(rows: int, columns: int, share: float) -> tuple[list[Box], float]:
    wide, high = columns - (1 - share), rows - (1 - share)
    boxes = [(c / wide, r / high, share / wide, share / high) for r in range(rows) for c in range(columns)]
    return boxes, wide / high


def _box(values: Any) -> Box:
    x, y, w, h = (float(v) for v in values)
    if not (
        0 <= x < 1
        and 0 <= y < 1
        and 0.005 <= w <= 1
        and 0.005 <= h <= 1
        and x + w <= 1.001
        and y + h <= 1.001
    ):
        raise ValueError("a box must be x, y, width, height within 0 to 1")
    return x, y, w, h
