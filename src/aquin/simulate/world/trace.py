"""Rays against meshes, through Embree: what a ray meets, and whether it gets through."""

from collections.abc import Mapping, Sequence
from dataclasses import dataclass

import numpy as np
from embreex.mesh_construction import TriangleMesh
from embreex.rtcore_scene import EmbreeScene

from aquin.arrays import Float32
from aquin.simulate.materials import library, number
from aquin.simulate.world.mesh import Mesh
from aquin.simulate.world.texture import pattern


def dot(a: Float32, b: Float32) -> Float32:
    """(n,) products of (n, 3) rows."""
    return np.asarray(np.einsum("ij,ij->i", a, b))


def length(a: Float32) -> Float32:
    """(n, 1) lengths of (n, 3) rows."""
    return np.asarray(np.sqrt(np.einsum("ij,ij->i", a, a))[:, None], np.float32)


@dataclass
class Hits:
    """What n rays met; `hit` is False for those that met nothing, whose other values mean nothing."""

    hit: np.ndarray
    distance: Float32
    points: Float32
    normals: Float32
    material: np.ndarray
    face: np.ndarray
    uv: Float32
    weight: Float32

    def pick(self, index: np.ndarray) -> "Hits":
        return Hits(*(getattr(self, name)[index] for name in self.__dataclass_fields__))


def joined(parts: Sequence[Hits]) -> Hits:
    return Hits(*(np.concatenate([getattr(p, name) for p in parts]) for name in Hits.__dataclass_fields__))


_ARRAYS = ("points", "normals", "uv", "weight", "faces", "material")


class Solid:
    """Meshes that rays can be shot at."""

    def __init__(self, meshes: Sequence[Mesh]) -> None:
        start = np.cumsum([0] + [len(m.points) for m in meshes])
        self.points = np.concatenate([m.points for m in meshes]).astype(np.float32)
        self.normals = np.concatenate([m.normals for m in meshes]).astype(np.float32)
        self.uv = np.concatenate([m.uv for m in meshes]).astype(np.float32)
        self.weight = np.concatenate([m.weight for m in meshes]).astype(np.float32)
        self.faces = np.concatenate([m.faces + s for m, s in zip(meshes, start, strict=False)]).astype(
            np.int32
        )
        names = number()
        self.material = np.repeat([names[m.material] for m in meshes], [len(m.faces) for m in meshes]).astype(
            np.int16
        )
        self._ready()

    def _ready(self) -> None:
        self._scene = EmbreeScene()
        self._mesh = TriangleMesh(self._scene, self.points, self.faces)

    def arrays(self) -> dict[str, np.ndarray]:
        """What it is made of, for a file."""
        return {name: getattr(self, name) for name in _ARRAYS}

    @classmethod
    def of(cls, arrays: Mapping[str, np.ndarray]) -> "Solid":
        """From what `arrays` gave. Raises KeyError where one is missing."""
        made = cls.__new__(cls)
        for name in _ARRAYS:
            setattr(made, name, arrays[name])
        made._ready()
        return made

    def met(self, origin: Float32, directions: Float32) -> Hits:
        """The nearest hit of each of (n, 3) rays from one point or from (n, 3) points."""
        start = np.broadcast_to(np.asarray(origin, np.float32), directions.shape)
        found = self._scene.run(np.ascontiguousarray(start), directions, output=1)
        hit = found["primID"] >= 0
        face = np.where(hit, found["primID"], 0)
        b, c = found["u"][:, None], found["v"][:, None]
        corner = self.faces[face]
        weights = np.stack([1 - b - c, b, c], 0)

        def mix(values: Float32) -> Float32:
            v = values if values.ndim > 1 else values[:, None]
            out = weights[0] * v[corner[:, 0]] + weights[1] * v[corner[:, 1]] + weights[2] * v[corner[:, 2]]
            return np.asarray(out if values.ndim > 1 else out[:, 0], np.float32)

        normals = mix(self.normals)
        normals /= np.maximum(length(normals), 1e-6)
        away = dot(normals, directions) > 0  # thin sheets are lit on the side that is seen
        flat = dot(found["Ng"], directions) > 0
        flip = away & (flat == (dot(found["Ng"], normals) > 0))
        normals[flip] *= -1
        distance = np.where(hit, found["tfar"], np.float32(1e6)).astype(np.float32)
        points = start + directions * np.minimum(distance, 1e6)[:, None]
        return Hits(
            hit,
            distance,
            points.astype(np.float32),
            normals,
            self.material[face],
            face,
            mix(self.uv),
            mix(self.weight),
        )

    def blocked(
        self, origins: Float32, directions: Float32, reach: Float32 | float | None = None
    ) -> np.ndarray:
        """Whether each ray meets anything, within `reach` metres if given."""
        if reach is None:
            return np.asarray(
                self._scene.run(
                    np.ascontiguousarray(origins, np.float32),
                    np.ascontiguousarray(directions, np.float32),
                    query="OCCLUDED",
                )
                >= 0
            )
        far = self._scene.run(
            np.ascontiguousarray(origins, np.float32),
            np.ascontiguousarray(directions, np.float32),
            np.array(np.broadcast_to(reach, len(origins)), np.float32),
            query="OCCLUDED",
        )
        return np.asarray(far >= 0)


def surface(hits: Hits) -> tuple[Float32, Float32]:
    """(weight, shade) of each hit from its material's pattern."""
    materials = list(library().values())
    weight, shade = hits.weight.copy(), np.ones_like(hits.weight)
    order = np.argsort(hits.material, kind="stable")
    kinds, first = np.unique(hits.material[order], return_index=True)
    for kind, a, b in zip(kinds, first, [*first[1:], len(order)], strict=True):
        name = materials[kind].pattern
        if name == "plain":
            continue
        rows = order[a:b]
        w, s = pattern(name, hits.uv[rows, 0], hits.uv[rows, 1])
        weight[rows] += w
        shade[rows] = s
    return np.clip(weight, 0, 1), shade


def mirror() -> tuple[Float32, Float32]:
    """(materials,) gloss at normal incidence and roughness."""
    values = library().values()
    return np.array([m.gloss for m in values], np.float32), np.array([m.rough for m in values], np.float32)
