"""What a lens sees: layers of attributes (material, light, mirror), ready to become any camera's levels."""

from collections.abc import Callable, Mapping, Sequence
from dataclasses import dataclass
from functools import cached_property

import numpy as np

from aquin.arrays import Float32
from aquin.simulate.materials import number
from aquin.simulate.world.lens import HEIGHT, MARGIN, WIDTH, Lens
from aquin.simulate.world.light import Lamp, Lighting
from aquin.simulate.world.mesh import Mesh
from aquin.simulate.world.trace import Hits, Solid, dot, joined, length, mirror, surface

FULL = (HEIGHT + 2 * MARGIN, WIDTH + 2 * MARGIN)
_STEP = 3
_TILE = 4
_AMBIENT = 5
_LAMP = 3


@dataclass
class Layer:
    """Samples of one layer. Colours come from `colours`; a pixel of an edge has several samples.

    `rows`, `columns`: the layer's window in the full picture. `light` is (n, spectra) irradiance, `shine` (n,
    spectra) radiance that leaves the surface without being coloured by it.
    """

    rows: slice
    columns: slice
    pixel: np.ndarray
    share: Float32
    hit: np.ndarray
    material: np.ndarray
    lean: Float32
    light: Float32
    shine: Float32
    points: Float32
    distance: Float32
    swing: Float32 | None = None
    """(n, spectra) how the shine changes from wave trough to crest; only where there is sea."""

    @property
    def size(self) -> tuple[int, int]:
        return self.rows.stop - self.rows.start, self.columns.stop - self.columns.start

    def colours(self, tables: tuple[Float32, Float32, Float32]) -> tuple[Float32, Float32]:
        """(h, w, 3) premultiplied levels and (h, w) coverage.

        `tables`: (spectra, materials, 3) levels of the materials' first and second colours, and (spectra, 3) of plain
        light.
        """
        first, second, plain = tables
        out = self.shine @ plain
        for k in range(len(first)):
            both = (1 - self.lean)[:, None] * first[k][self.material] + self.lean[:, None] * second[k][
                self.material
            ]
            out += self.light[:, k : k + 1] * both
        out *= (self.share * self.hit)[:, None]
        return self._gather(out), self._gather((self.share * self.hit)[:, None])[..., 0]

    def spread(self, values: Float32) -> Float32:
        """(n, c) values of the samples as a (h, w, c) picture, weighted by share where they hit."""
        return self._gather(values * (self.share * self.hit)[:, None])

    def _gather(self, values: Float32) -> Float32:
        high, wide = self.size
        return np.stack(
            [
                np.bincount(self.pixel, values[:, c], high * wide).reshape(high, wide)
                for c in range(values.shape[1])
            ],
            -1,
        ).astype(np.float32)

    def centre(self, values: np.ndarray) -> np.ndarray:
        """(h, w, ...) picture of the samples at the pixel centres, which come first."""
        high, wide = self.size
        return values[: high * wide].reshape(high, wide, *values.shape[1:])


class Solids:
    """A world of meshes, `static` ones and groups that move, made ready once for all cameras in it, and no sooner than
    rays are shot at them. `kept`: how what stops light is got instead of made, from how it is made.
    """

    def __init__(
        self,
        static: Sequence[Mesh],
        groups: Callable[[], Mapping[str, Sequence[Mesh]]],
        kept: Callable[[Callable[[], Solid]], Solid] = lambda make: make(),
    ) -> None:
        self._still, self._make, self._kept = static, groups, kept

    @cached_property
    def _moving(self) -> Mapping[str, Sequence[Mesh]]:
        return self._make()

    @cached_property
    def static(self) -> Solid:
        return Solid(self._still)

    @cached_property
    def groups(self) -> dict[str, Solid]:
        return {name: Solid(meshes) for name, meshes in self._moving.items()}

    @cached_property
    def everything(self) -> Solid:
        """What stops light: all but the sea."""
        return self._kept(self._all)

    def _all(self) -> Solid:
        meshes = [*self._still, *(m for meshes in self._moving.values() for m in meshes)]
        return Solid([m for m in meshes if m.material != "sea body"])


class Sight:
    """A lens in a lit world of meshes."""

    def __init__(self, lens: Lens, lighting: Lighting, solids: Solids) -> None:
        self.lens, self.lighting = lens, lighting
        self._solids = solids
        self._tile_directions = _hemisphere(_TILE * _TILE * _AMBIENT).reshape(_TILE * _TILE, _AMBIENT, 3)
        self._tile_spots = _square(_TILE * _TILE * _LAMP).reshape(_TILE * _TILE, _LAMP, 2)

    def static_layer(self) -> Layer:
        """The layer of everything that stands still, sky and sea included."""
        return self._layer(self._solids.static, slice(0, FULL[0]), slice(0, FULL[1]), sky=True)

    def group_layers(self) -> dict[str, Layer]:
        """A layer of its own for each group that is in the picture, as if nothing stood in front of it."""
        out = {}
        for name, solid in self._solids.groups.items():
            at, depth = self.lens.project(solid.points)
            at = at[depth > 0.05]
            if not len(at):
                continue
            low, high = (
                np.floor(at.min(0)).astype(int) - 10 + MARGIN,
                np.ceil(at.max(0)).astype(int) + 11 + MARGIN,
            )
            low, high = np.maximum(low, 0), np.minimum(high, FULL[::-1])
            if (high - low > 4).all():
                layer = self._layer(solid, slice(low[1], high[1]), slice(low[0], high[0]), sky=False)
                if layer.hit.any():
                    out[name] = layer
        return out

    def _layer(self, solid: Solid, rows: slice, columns: slice, sky: bool) -> Layer:
        v, u = np.mgrid[rows, columns]
        u = u.ravel().astype(np.float32) + 0.5 - MARGIN
        v = v.ravel().astype(np.float32) + 0.5 - MARGIN
        shape = (rows.stop - rows.start, columns.stop - columns.start)
        directions = self.lens.rays(u, v)
        main = solid.met(self.lens.eye, directions)  # type: ignore[arg-type]
        edge = np.flatnonzero(_edges(main, shape))
        parts, ways, pixels = [main], [directions], [np.arange(len(u))]
        for du, dv in ((-0.29, -0.29), (0.29, 0.13), (-0.05, 0.33)):
            ways.append(self.lens.rays(u[edge] + np.float32(du), v[edge] + np.float32(dv)))
            parts.append(solid.met(self.lens.eye, ways[-1]))  # type: ignore[arg-type]
            pixels.append(edge)
        hits, directions, pixel = joined(parts), np.concatenate(ways), np.concatenate(pixels)
        share = (1 / np.bincount(pixel)[pixel]).astype(np.float32)
        ambient, seen = self._light_on_grid(hits, shape, pixel)
        lean, shade = surface(hits)
        light, shine = self._shine(hits, directions, ambient, seen)
        light *= shade[:, None]
        swing = None
        hit = hits.hit
        if sky:
            open_ = ~hits.hit
            light[open_] = 0
            shine[open_] = self.lighting.radiance(directions[open_])
            hit = np.ones_like(hit)
            sea = hits.hit & (hits.material == number()["sea body"])
            if sea.any():
                swing = np.zeros_like(shine)
                shine[sea], swing[sea] = self._sea(directions[sea], hits.points[sea], hits.distance[sea])
        return Layer(
            rows,
            columns,
            pixel,
            share,
            hit,
            hits.material,
            lean,
            light,
            shine,
            hits.points,
            hits.distance,
            swing,
        )

    def _sea(self, directions: Float32, points: Float32, distance: Float32) -> tuple[Float32, Float32]:
        """Mean mirror of the sea and how it swings with the waves."""
        out = []
        for tilt in (0.34, 0.06):  # facets leaning to the eye show the water, facets leaning away the sky
            normal = np.stack(
                [-directions[:, 0] * tilt, np.ones(len(directions)), -directions[:, 2] * tilt], -1
            )
            normal /= length(normal)
            cosine = np.clip(-dot(normal, directions), 0.02, 1)
            mirrored = directions + 2 * cosine[:, None] * normal
            mirrored[:, 1] = np.abs(mirrored[:, 1]) + 0.02
            mirrored /= length(mirrored)
            fresnel = 0.02 + 0.98 * (1 - cosine) ** 5
            out.append(fresnel[:, None] * self.lighting.radiance(mirrored.astype(np.float32)))
        calm = np.clip(distance / 160, 0, 1)[:, None] ** 0.5 * 0.75
        middle = (out[0] + out[1]) / 2
        return middle.astype(np.float32), ((out[1] - out[0]) * (1 - calm)).astype(np.float32)

    def _light_on_grid(
        self, hits: Hits, shape: tuple[int, int], pixel: np.ndarray
    ) -> tuple[Float32, Float32]:
        """Ambient light (n, spectra) and the share of each lamp that is seen (n, lamps), solved on a coarse grid.

        Each grid point asks a few of 16 sets of directions; the sets together are averaged over points of one surface.
        """
        rows, columns = (
            np.arange(1, shape[0] + 1, _STEP).clip(max=shape[0] - 1),
            np.arange(1, shape[1] + 1, _STEP).clip(max=shape[1] - 1),
        )
        grid = (rows[:, None] * shape[1] + columns[None]).ravel()
        size = (len(rows), len(columns))
        tile = ((np.arange(size[0])[:, None] % _TILE) * _TILE + np.arange(size[1])[None] % _TILE).ravel()
        here = hits.pick(grid)
        live = np.flatnonzero(here.hit)
        names = self.lighting.spectra
        ambient = np.zeros((len(grid), len(names)), np.float32)
        seen = np.zeros((len(grid), len(self.lighting.lights)), np.float32)
        ambient[live], seen[live] = self._gather_light(
            here.points[live],
            here.normals[live],
            here.distance[live],
            self._tile_directions[tile[live]],
            self._tile_spots[tile[live]],
        )
        field = np.concatenate([ambient, seen], 1).reshape(*size, len(names) + seen.shape[1])
        field = _even_out(field, here, size)
        return self._look_up(field, here, size, hits, shape, pixel, len(names))

    def _gather_light(
        self, points: Float32, normals: Float32, distance: Float32, directions: Float32, spots: Float32
    ) -> tuple[Float32, Float32]:
        """Ambient light (n, spectra) and the share of each lamp that is seen (n, lamps).

        (n, a, 3) `directions` about the normal, cosine weighted; (n, l, 2) `spots` on the lamps, each -1 to 1.
        """
        names, lights = self.lighting.spectra, self.lighting.lights
        ambient = np.zeros((len(points), len(names)), np.float32)
        seen = np.zeros((len(points), len(lights)), np.float32)
        n = normals
        start = (points + n * np.float32(0.004) + n * (distance * np.float32(4e-4))[:, None]).astype(
            np.float32
        )
        tangent = np.cross(
            n,
            np.where(
                np.abs(n[:, :1]) < 0.7, np.array([[1, 0, 0]], np.float32), np.array([[0, 0, 1]], np.float32)
            ),
        )
        tangent /= length(tangent)
        other = np.cross(n, tangent)
        bounce = names.index(self.lighting.bounce[0])
        count, lump = directions.shape[1], max(20_000 // max(len(points), 1), 1)
        for k in range(0, count, lump):
            d = directions[:, k : k + lump, :, None]
            way = d[:, :, 0] * tangent[:, None] + d[:, :, 1] * n[:, None] + d[:, :, 2] * other[:, None]
            many = way.shape[1]
            way = way.reshape(-1, 3)
            stopped = self._solids.everything.blocked(np.repeat(start, many, 0) if many > 1 else start, way)
            got = np.zeros((len(way), len(names)), np.float32)
            open_ = np.flatnonzero(~stopped)
            if len(open_):
                got[open_] = self.lighting.radiance(way[open_])
            got[stopped, bounce] = self.lighting.bounce[1]
            ambient += (
                got.reshape(len(points), many, len(names)).sum(1) / count
                if many > 1
                else got / np.float32(count)
            )
        for j, light in enumerate(lights):
            total = np.zeros(len(points), np.float32)
            for k in range(spots.shape[1]):
                spot = spots[:, k]
                if isinstance(light, Lamp):
                    to = (
                        np.asarray(light.centre, np.float32)
                        + spot[:, :1] * np.asarray(light.u, np.float32)
                        + spot[:, 1:] * np.asarray(light.v, np.float32)
                        - start
                    )
                    far = length(to)[:, 0]
                    way, reach = to / far[:, None], far * np.float32(0.97)
                else:
                    way = _cone(light.towards, light.angle, spot)
                    reach = np.full(len(points), 1e4, np.float32)
                total += ~self._solids.everything.blocked(start, way, reach)
            seen[:, j] = total / spots.shape[1]
        return ambient, seen

    def light_at(self, points: Float32, normals: Float32, material: str) -> tuple[Float32, Float32]:
        """Irradiance (n, spectra) at points of a surface that is not in the world, and the mirror light it sends to
        the eye.
        """
        n = len(points)
        away = points - np.asarray(self.lens.eye, np.float32)
        distance = length(away)[:, 0]
        kind = np.full(n, number()[material], np.int16)
        zero = np.zeros(n, np.float32)
        hits = Hits(
            np.ones(n, bool),
            distance,
            points,
            normals,
            kind,
            np.zeros(n, np.int64),
            np.zeros((n, 2), np.float32),
            zero,
        )
        directions = np.repeat(_spiral(48)[None], n, 0)
        spots = np.repeat(_square(8)[None], n, 0)
        ambient, seen = self._gather_light(points, normals, distance, directions, spots)
        return self._shine(hits, (away / distance[:, None]).astype(np.float32), ambient, seen)

    def _look_up(
        self,
        field: Float32,
        here: Hits,
        size: tuple[int, int],
        hits: Hits,
        shape: tuple[int, int],
        pixel: np.ndarray,
        split: int,
    ) -> tuple[Float32, Float32]:
        """The grid's values at each sample, from those of the four grid points round it that lie on its surface."""
        flat = field.reshape(-1, field.shape[-1])
        y, x = np.float32(pixel // shape[1] - 1) / _STEP, np.float32(pixel % shape[1] - 1) / _STEP
        y0, x0 = np.floor(y).astype(int), np.floor(x).astype(int)
        total = np.zeros((len(pixel), flat.shape[1]), np.float32)
        weights = np.zeros(len(pixel), np.float32)
        for dy in (0, 1):
            for dx in (0, 1):
                index = (y0 + dy).clip(0, size[0] - 1) * size[1] + (x0 + dx).clip(0, size[1] - 1)
                near = (1 - np.abs(y - y0 - dy)) * (1 - np.abs(x - x0 - dx)) + 0.02
                live = here.hit[index]
                kin = _kin(
                    hits.points, hits.normals, hits.distance, here.points[index], here.normals[index], live
                )
                w = (near * kin + 1e-6 * live).astype(np.float32)
                total += w[:, None] * flat[index]
                weights += w
        total /= np.maximum(weights, 1e-9)[:, None]
        return total[:, :split], total[:, split:]

    def _shine(
        self, hits: Hits, directions: Float32, ambient: Float32, seen: Float32
    ) -> tuple[Float32, Float32]:
        """Light (n, spectra) on each sample and the mirror light (n, spectra) that leaves it to the eye."""
        names = self.lighting.spectra
        light = ambient.copy()
        shine = np.zeros_like(light)
        gloss, rough = mirror()
        g, r = gloss[hits.material], rough[hits.material]
        for j, one in enumerate(self.lighting.lights):
            k = names.index(one.spectrum)
            if isinstance(one, Lamp):
                to = np.asarray(one.centre, np.float32) - hits.points
                square = dot(to, to)
                to /= np.sqrt(np.maximum(square, 1e-6))[:, None]
                area = 4 * np.linalg.norm(np.cross(one.u, one.v))
                strength = one.level / (square + area / np.pi)
                if not one.omni:
                    facing = np.cross(one.u, one.v)
                    strength = strength * np.maximum(
                        -(to @ (facing / np.linalg.norm(facing)).astype(np.float32)), 0
                    )
            else:
                to = np.broadcast_to(
                    np.asarray(one.towards, np.float32) / np.linalg.norm(one.towards), hits.points.shape
                )
                strength = np.full(len(hits.points), one.level, np.float32)
            cosine = np.maximum(dot(hits.normals, to), 0)
            light[:, k] += (strength * cosine * seen[:, j]).astype(np.float32)
            half = to - directions
            half /= np.maximum(length(half), 1e-6)
            sharp = 2 / np.maximum(r, 0.03) ** 2
            lobe = np.exp(sharp * np.log(np.clip(dot(hits.normals, half), 1e-6, 1))) * (sharp + 8) / 8
            shine[:, k] += (g * strength * cosine * seen[:, j] * lobe * 0.7).astype(np.float32)
        shiny = np.flatnonzero(hits.hit & (g > 0.015))
        if len(shiny):
            n, d = hits.normals[shiny], directions[shiny]
            cosine = np.clip(-dot(n, d), 0, 1)
            way = d + 2 * cosine[:, None] * n
            way = way + n * (r[shiny] * 0.6)[:, None]
            way = (way / length(way)).astype(np.float32)
            stopped = self._solids.everything.blocked(hits.points[shiny] + n * np.float32(0.006), way)
            got = 0.35 * ambient[shiny]
            open_ = np.flatnonzero(~stopped)
            if len(open_):
                got[open_] = self.lighting.radiance(way[open_])
            dull = np.clip(1.15 - 1.6 * r[shiny], 0.15, 1)
            fresnel = g[shiny] + (1 - g[shiny]) * (1 - cosine) ** 5 * dull * np.minimum(g[shiny] * 12, 1)
            shine[shiny] += fresnel[:, None] * got
        return light, shine


def _edges(hits: Hits, shape: tuple[int, int]) -> np.ndarray:
    """Pixels where another surface begins."""
    solid = np.where(hits.hit, hits.material.astype(np.int32) + 1, 0).reshape(shape)
    normal = hits.normals.reshape(*shape, 3)
    near = np.log(np.maximum(hits.distance, 0.01)).reshape(shape)
    out = np.zeros(shape, bool)
    for axis in (0, 1):
        a = [slice(None)] * 2
        b = [slice(None)] * 2
        a[axis], b[axis] = slice(1, None), slice(None, -1)
        p, q = tuple(a), tuple(b)
        step = (
            (solid[p] != solid[q])
            | ((normal[p] * normal[q]).sum(-1) < 0.75)
            | (np.abs(near[p] - near[q]) > 0.03)
        )
        step &= (solid[p] + solid[q]) > 0
        out[p] |= step
        out[q] |= step
    return out.ravel()


def _kin(
    points: Float32,
    normals: Float32,
    distance: Float32,
    other_points: Float32,
    other_normals: Float32,
    other_hit: np.ndarray,
) -> Float32:
    """How much two sets of samples lie on one surface, 0 to 1."""
    apart = dot(other_points - points, normals) / (0.004 + 0.004 * distance)
    alike = np.clip(dot(normals, other_normals), 0, 1) ** 2
    alike *= alike
    return np.asarray(alike * alike * alike * np.exp(-(apart * apart)) * other_hit, np.float32)


def _even_out(field: Float32, here: Hits, size: tuple[int, int]) -> Float32:
    """Average over a 4 x 4 block of grid points on one surface, so that each has asked all directions."""
    index = np.arange(size[0] * size[1]).reshape(size)
    flat = field.reshape(len(index.ravel()), -1)
    total, weights = np.zeros_like(flat), np.full(len(flat), 1e-9, np.float32)
    for dy in range(-2, 2):
        for dx in range(-2, 2):
            other = index[(np.arange(size[0]) + dy).clip(0, size[0] - 1)][
                :, (np.arange(size[1]) + dx).clip(0, size[1] - 1)
            ].ravel()
            w = _kin(
                here.points,
                here.normals,
                here.distance,
                here.points[other],
                here.normals[other],
                here.hit[other],
            )
            total += w[:, None] * flat[other]
            weights += w
    return (total / weights[:, None]).reshape(field.shape)


def _hemisphere(count: int) -> Float32:
    """(count, 3) directions about y, cosine weighted, in an order whose every part is spread out."""
    k = np.arange(count)
    a, b = (k * 0.7548776662 + 0.5) % 1, (k * 0.5698402909 + 0.5) % 1
    r, t = np.sqrt(a), 2 * np.pi * b
    return np.stack([r * np.cos(t), np.sqrt(np.maximum(1 - a, 0.01)), r * np.sin(t)], -1).astype(np.float32)


def _spiral(count: int) -> Float32:
    """(count, 3) cosine-weighted directions about y, evenly spread by the golden angle."""
    k = np.arange(count)
    r, t = np.sqrt((k + 0.5) / count), k * np.pi * (3 - np.sqrt(5))
    return np.stack([r * np.cos(t), np.sqrt(1 - r * r), r * np.sin(t)], -1).astype(np.float32)


def _square(count: int) -> Float32:
    k = np.arange(count)
    return np.stack([(k * 0.7548776662) % 1 * 2 - 1, (k * 0.5698402909) % 1 * 2 - 1], -1).astype(np.float32)


def _cone(towards: Sequence[float], degrees: float, spots: Float32) -> Float32:
    d = np.asarray(towards, np.float64) / np.linalg.norm(towards)
    side = np.cross(d, [0.3, 0.1, 0.9])
    side /= np.linalg.norm(side)
    other = np.cross(d, side)
    wide = np.tan(np.radians(degrees))
    way = d + wide * (spots[:, :1] * side + spots[:, 1:] * other)
    return np.asarray(way / np.linalg.norm(way, axis=1, keepdims=True), np.float32)
