"""One camera's view of a place: its layers are made once, after that a frame takes milliseconds."""

from collections.abc import Callable, Sequence
from dataclasses import dataclass
from functools import lru_cache

import cv2
import numpy as np

from aquin.arrays import Float32, Float64
from aquin.simulate import spectra
from aquin.simulate.cameras import Camera, raw_response
from aquin.simulate.kept_layers import layers_of, solid_of
from aquin.simulate.materials import number, reflectances
from aquin.simulate.places import PLACES, Place
from aquin.simulate.sensor import soften
from aquin.simulate.targets import TARGETS, Target
from aquin.simulate.world.lens import HEIGHT, MARGIN, WIDTH, Lens
from aquin.simulate.world.mesh import Mesh, rotation
from aquin.simulate.world.people import person_meshes
from aquin.simulate.world.see import FULL, Layer, Sight, Solids
from aquin.simulate.world.texture import SIDE, cloud, smooth

RATE = 24

Tables = tuple[Float32, Float32, Float32]


@lru_cache(maxsize=2)
def place_of(name: str) -> tuple[Place, Solids]:
    """A place and its meshes for rays."""
    place = PLACES[name]()

    def people() -> dict[str, list[Mesh]]:
        groups: dict[str, list[Mesh]] = {}
        for who, (person, pose) in place.people.items():
            for mesh, part in person_meshes(person, pose):
                groups.setdefault(f"{who} {'body' if part == 'body' else 'head'}", []).append(mesh)
        return groups

    return place, Solids(place.static, people, lambda make: solid_of(f"{name} solid", make))


@lru_cache(maxsize=64)
def _one_table(camera: Camera, spectrum: str) -> tuple[Float32, Float32, Float32]:
    first, second = reflectances()
    power = spectra.light(spectrum)
    one = np.ones(len(spectra.NM))
    a, b, c = (raw_response(camera, r, power).astype(np.float32) for r in (first, second, one))
    return a, b, c


def tables(camera: Camera, names: Sequence[str], factors: Sequence[float]) -> Tables:
    """(spectra, materials, 3) levels of the materials' two colours, and (spectra, 3) of plain light, at these levels
    of light.
    """
    rows = [_one_table(camera, name) for name in names]
    return tuple(
        np.stack([row[k] * np.float32(f) for row, f in zip(rows, factors, strict=True)]) for k in range(3)
    )  # type: ignore[return-value]


@dataclass(frozen=True)
class Moves:
    """How a take moves, by frames from the one where nothing has moved. `hand`: shake in pixels, `push`: zoom per
    second.
    """

    hand: float = 0.0
    push: float = 0.0
    drift: tuple[float, float] = (0.0, 0.0)
    """Pixels per second."""
    sway: float = 1.0
    """How much people move."""
    seed: int = 0

    def camera(self, frame: int, seed: int) -> tuple[float, float, float]:
        """(dx, dy, scale) of the picture."""
        t = frame / RATE
        x = self.hand * _wander(t, seed) + np.clip(self.drift[0] * t, -9, 9)
        y = self.hand * _wander(t, seed + 1) + np.clip(self.drift[1] * t, -9, 9)
        return float(x), float(y), float(1 + np.clip(self.push * t, 0, 0.018))


def _wander(t: float, seed: int) -> float:
    random = np.random.default_rng(seed + 40)
    out = 0.0
    for rate in (0.23, 0.51, 1.1):
        phase, tempo = random.uniform(0, 2 * np.pi), rate * random.uniform(0.8, 1.25)
        out += (np.sin(2 * np.pi * tempo * t + phase) - np.sin(phase)) * 0.3 / rate
    return float(np.clip(out, -2.2, 2.2))


@dataclass
class _Piece:
    rows: slice
    columns: slice
    rgb: Float32
    keep: Float32
    """(h, w, 3) what the layer lets through."""
    distance: float
    pixels_per_metre: float
    seed: int
    head: bool


@dataclass(frozen=True)
class Held:
    """A target held before the camera: its corners in the picture, and how good a frame it is."""

    corners: Float64
    """(4, 2) pixels, from the first patch clockwise."""
    glare: float
    """Mirror light over the light of an 18 % patch, the largest over the target."""
    shadow: float
    """Darkest over lightest irradiance on it, 1 is even."""
    irradiance: float
    """Mean level of a perfect diffuser in it, by the green channel."""


@lru_cache(maxsize=4)
def _twice(roughness: float, seed: int) -> Float32:
    """A tiling plane, two by two and one more, so that any part of it can be cut out."""
    return np.pad(np.tile(cloud(roughness, seed)[:SIDE, :SIDE], (2, 2)), ((0, 1), (0, 1)), mode="wrap")


class Stage:
    """A place as one camera sees it. Raises KeyError for a place or role that is not there."""

    def __init__(self, place: str, role: str) -> None:
        self.place, solids = place_of(place)
        self.lens: Lens = self.place.lenses[role]
        self.sight = Sight(self.lens, self.place.lighting, solids)
        self._static, self._groups = layers_of(
            f"{place} {role} {WIDTH}", lambda: (self.sight.static_layer(), self.sight.group_layers())
        )
        self._keys: dict[float, float] = {}
        self._picture: Picture | None = None
        self._distance = self._static.centre(self._static.distance)
        sea = self._static.centre(self._static.material) == number()["sea body"]
        sea &= self._static.centre(self._static.hit)
        rows = np.flatnonzero(sea.any(1))
        self._sea_rows = slice(int(rows[0]), int(rows[-1]) + 1) if len(rows) else None
        if self._sea_rows is not None:
            at = np.clip(self._static.centre(self._static.points)[self._sea_rows], -1e5, 1e5)
            self._sea = sea[self._sea_rows].astype(np.float32)
            self._sea_shape = at.shape[1::-1]
            at = np.ascontiguousarray(at[::2, ::2])  # waves are worked out at half size
            self._far = smooth(at[..., 2], 25.0, 130.0)
            self._maps = []
            for size in (9.0, 80.0, 6.0):
                k = np.float32(SIDE / size)
                self._maps.append(
                    cv2.convertMaps(
                        at[..., 0] * k % SIDE, at[..., 2] * k * np.float32(1.5) % SIDE, cv2.CV_16SC2
                    )
                )
            foam = (
                self.place.foam(at.reshape(-1, 3)) if self.place.foam else np.zeros(at.shape[0] * at.shape[1])
            )
            self._foam = foam.reshape(at.shape[:2]).astype(np.float32)
            self._foamy = bool(self._foam.any())

    def tide(self, which: int, shift: float) -> Float32:
        """(rows, columns) of noise on the sea, 0 to 1, moved by so many metres: 0 near waves, 1 far waves, 2 froth."""
        size = (9.0, 80.0, 6.0)[which]
        x, y = round(shift * SIDE / size) % SIDE, round(-0.6 * shift * SIDE / size) % SIDE
        plane = _twice(1.15, 30 + which)[y : y + SIDE + 1, x : x + SIDE + 1]
        return np.asarray(cv2.remap(plane, *self._maps[which], cv2.INTER_LINEAR), np.float32)

    @property
    def spectra(self) -> list[str]:
        return self.place.lighting.spectra

    def factors(self, minutes: float) -> list[float]:
        """Levels of the place's spectra after so many minutes."""
        fading = self.place.fading(minutes)
        return [float(fading.get(name, 1.0)) for name in self.spectra]

    def depth(self) -> Float32:
        """(HEIGHT, WIDTH) distance from the eye at frame 0, in metres; 1e6 where there is sky."""
        out = self._distance.copy()
        for layer in self._groups.values():
            hit = layer.centre(layer.hit)
            near = np.where(hit, layer.centre(layer.distance), 1e6)
            window = out[layer.rows, layer.columns]
            np.minimum(window, near, out=window)
        return np.asarray(out[MARGIN : MARGIN + HEIGHT, MARGIN : MARGIN + WIDTH], np.float32)

    def key(self, minutes: float = 0.0) -> float:
        """The light on the people: luminance of a perfect diffuser that faces as they do (the upper quartile over
        them).
        """
        if minutes not in self._keys:
            lit = [layer.light[layer.hit] for layer in self._groups.values()]
            y = (
                np.concatenate(lit) @ np.array(self.factors(minutes), np.float32)
                if lit
                else np.ones(1, np.float32)
            )
            self._keys[minutes] = float(np.percentile(y, 75))
        return self._keys[minutes]

    def nearest(self) -> float:
        """Metres to the nearest person."""
        return min(
            (float(np.median(layer.distance[layer.hit])) for layer in self._groups.values()), default=3.0
        )

    def gathering(self) -> tuple[Float64, Float64]:
        """Where a card is held that all cameras see: before the person who is nearest to the main camera, and its
        face, turned to that camera. (3,) each.
        """
        eye = np.array(self.place.lenses["main"].eye, np.float64)
        poses = [pose for _, pose in self.place.people.values()]
        flat = np.array([1.0, 0.0, 1.0])
        near = min(poses, key=lambda p: float(np.linalg.norm((np.array(p.at) - eye) * flat)))
        face = (eye - np.array(near.at, np.float64)) * flat
        face /= max(float(np.linalg.norm(face)), 1e-9)
        return np.array(near.at, np.float64) + [0.0, 0.9 if near.seated else 1.25, 0.0] + 0.55 * face, face

    def picture(self, camera: Camera, minutes: float = 0.0) -> "Picture":
        """The place in this camera's levels, ready to make frames."""
        factors = self.factors(minutes)
        if self._picture is None or self._picture.camera != camera or self._picture.factors != factors:
            self._picture = Picture(self, camera, factors)
        return self._picture

    def grip(self, distance: float, across: float, down: float) -> Float64:
        """The point at `distance` metres that lies `across` and `down` (shares from the middle) in the picture."""
        right, up, forward = self.lens.axes
        f = self.lens.focal
        return np.asarray(
            self.lens.eye + distance * (forward + right * across / f - up * down * HEIGHT / WIDTH / f)
        )


@lru_cache(maxsize=32)
def _target_levels(camera: Camera, name: str, lights: tuple[str, ...]) -> list[Float32]:
    return [
        raw_response(camera, TARGETS[name]().reflectances, spectra.light(one)).astype(np.float32)
        for one in lights
    ]


class Picture:
    """A stage in one camera's levels. `frame` composes; they have been through the lens, but are not noisy or clipped
    yet.
    """

    def __init__(self, stage: Stage, camera: Camera, factors: Sequence[float]) -> None:
        self.stage, self.camera, self.factors = stage, camera, list(factors)
        self._tables = tables(camera, stage.spectra, factors)
        base, _ = stage._static.colours(self._tables)
        self._base = soften(camera, base)
        if stage._sea_rows is not None:
            swing = stage._static.swing
            assert swing is not None
            picture = stage._static.spread(swing @ self._tables[2])
            self._swing = picture[stage._sea_rows] * np.float32(stage.place.chop) * stage._sea[..., None]
            light = stage._static.spread(stage._static.light @ self._tables[0][:, number()["foam"]])
            self._white = np.ascontiguousarray(light[stage._sea_rows])
        self._pieces = [self._piece(name, layer, k) for k, (name, layer) in enumerate(stage._groups.items())]
        self._canvas = self._base.copy()
        self._dirty: list[tuple[slice, slice]] = (
            [(stage._sea_rows, slice(None))] if stage._sea_rows is not None else []
        )
        bodies = {p.seed: p.distance for p in self._pieces if not p.head}
        self._pieces.sort(key=lambda p: (-bodies.get(p.seed, p.distance), p.head))

    def _piece(self, name: str, layer: Layer, k: int) -> _Piece:
        rgb, cover = layer.colours(self._tables)
        hit = layer.centre(layer.hit)
        near = np.where(hit, layer.centre(layer.distance), np.inf)
        behind = self.stage._distance[layer.rows, layer.columns] < near - 0.03
        own = self.stage._groups.get(f"{name.split()[0]} body") if name.endswith("head") else None
        if own is not None:  # hair that hangs behind the neck
            body = np.full(FULL, np.inf, np.float32)
            body[own.rows, own.columns] = np.where(own.centre(own.hit), own.centre(own.distance), np.inf)
            behind |= body[layer.rows, layer.columns] < near - 0.004
        open_ = cv2.GaussianBlur((~(behind & hit)).astype(np.float32), (3, 3), 0.5)
        rgb, cover = rgb * open_[..., None], cover * open_
        live = np.argwhere(cover > 0)
        low, far = np.maximum(live.min(0) - 9, 0), live.max(0) + 10
        box = slice(int(low[0]), int(far[0])), slice(int(low[1]), int(far[1]))
        rows = slice(layer.rows.start + box[0].start, min(layer.rows.start + box[0].stop, layer.rows.stop))
        columns = slice(
            layer.columns.start + box[1].start, min(layer.columns.start + box[1].stop, layer.columns.stop)
        )
        keep = 1 - soften(self.camera, np.ascontiguousarray(cover[box]))
        distance = float(np.median(layer.distance[layer.hit]))
        return _Piece(
            rows,
            columns,
            soften(self.camera, np.ascontiguousarray(rgb[box])),
            cv2.merge([keep] * 3),
            distance,
            self.stage.lens.focal * WIDTH / distance,
            sum(name.split()[0].encode()),
            name.endswith("head"),
        )

    def frame(
        self, frame: int, moves: Moves, over: Callable[[Float32], None] | None = None, shake: int = 0
    ) -> Float32:
        """(HEIGHT, WIDTH, 3) sensor levels of a frame; `over` paints on the full picture before the camera moves."""
        out = self._canvas
        t = frame / RATE
        for rows, columns in self._dirty:
            out[rows, columns] = self._base[rows, columns]
        self._dirty = [(p.rows, p.columns) for p in self._pieces]
        if self.stage._sea_rows is not None:
            self._dirty.append((self.stage._sea_rows, slice(None)))
        if over is not None:
            self._dirty.append((slice(None), slice(None)))
        if self.stage._sea_rows is not None:
            self._wave(out, t + moves.seed * 3.7)
        for piece in self._pieces:
            self._put(out, piece, t, moves)
        if over is not None:
            over(out)
        dx, dy, scale = moves.camera(frame, shake)
        if dx == dy == 0 and scale == 1:
            return np.ascontiguousarray(out[MARGIN : MARGIN + HEIGHT, MARGIN : MARGIN + WIDTH])
        back = np.array(
            [
                [1 / scale, 0, MARGIN + WIDTH / 2 * (1 - 1 / scale) - dx],
                [0, 1 / scale, MARGIN + HEIGHT / 2 * (1 - 1 / scale) - dy],
            ]
        )
        way = cv2.INTER_LINEAR | cv2.WARP_INVERSE_MAP
        return np.asarray(
            cv2.warpAffine(out, back, (WIDTH, HEIGHT), flags=way, borderMode=cv2.BORDER_REPLICATE), np.float32
        )

    def _put(self, out: Float32, piece: _Piece, t: float, moves: Moves) -> None:
        size = 0.012 * moves.sway * piece.pixels_per_metre
        x = size * _wander(t * 0.7, piece.seed + moves.seed)
        y = 0.25 * size * _wander(t * 0.5, piece.seed + moves.seed + 7)
        if piece.head:
            x += 0.35 * size * _wander(t * 1.3, piece.seed + moves.seed + 3)
        window = out[piece.rows, piece.columns]
        rgb, keep = piece.rgb, piece.keep
        if x or y:
            move, size2 = np.array([[1, 0, x], [0, 1, y]]), rgb.shape[1::-1]
            rgb = cv2.warpAffine(rgb, move, size2, flags=cv2.INTER_LINEAR)
            keep = cv2.warpAffine(keep, move, size2, flags=cv2.INTER_LINEAR, borderValue=(1, 1, 1))
        window *= keep
        window += rgb

    def _wave(self, out: Float32, t: float) -> None:
        stage = self.stage
        rows = stage._sea_rows
        assert rows is not None
        near, far = stage.tide(0, 0.9 * t), stage.tide(1, 1.6 * t)
        wave = near + stage._far * (far - near)
        wave -= 0.5
        wave *= 1.5
        region = out[rows]
        wave = cv2.resize(wave, stage._sea_shape)
        region += self._swing * cv2.merge([wave] * 3)
        if stage._foamy:
            froth = stage.tide(2, 1.4 * t)
            share = smooth(froth + stage._foam, 0.93, 1.35)
            share *= 0.8 + 0.3 * froth
            share = cv2.resize(share, stage._sea_shape) * stage._sea
            share = cv2.merge([share] * 3)
            region += share * (self._white - region)

    def target(
        self,
        target: Target,
        centre: Float64,
        yaw: float,
        pitch: float,
        roll: float,
        shade: tuple[float, float] | None = None,
        other_light: str = "",
        lit_as: tuple[Float64, Float64] | None = None,
    ) -> tuple[Callable[[Float32], None], Held]:
        """A painter for `frame` that holds the target at a point, facing the lens but for yaw, pitch, roll
        (degrees); and how it is lit.

        `shade` (position -1 to 2 across the target, depth 0 to 1) lets a soft shadow lie over it, from the left to
        there. `other_light` names a spectrum that lights the target in place of the scene's. `lit_as`: a point and a
        face, (3,) each, whose light is on it: the target is there, and the camera goes near.
        """
        stage = self.stage
        right, up, forward = stage.lens.axes
        frame = np.stack([right, up, -forward], 1) @ rotation(yaw, pitch, roll)
        wide, high = target.size
        across, down, normal = frame[:, 0], -frame[:, 1], frame[:, 2]
        u, v = np.meshgrid(np.linspace(-0.5, 0.5, 4), np.linspace(-0.5, 0.5, 3))
        points = (centre + u.reshape(-1, 1) * wide * across + v.reshape(-1, 1) * high * down).astype(
            np.float32
        )
        light, shine = stage.sight.light_at(
            points, np.repeat(normal[None], len(points), 0).astype(np.float32), "chart face"
        )
        if lit_as is not None:
            there, _ = stage.sight.light_at(
                (lit_as[0] + points - centre).astype(np.float32),
                np.repeat(lit_as[1][None], len(points), 0).astype(np.float32),
                "chart face",
            )
            light, shine = there, shine * (there.mean() / max(float(light.mean()), 1e-9))
        corners = np.array(
            [
                centre + a * wide * across + b * high * down
                for a, b in ((-0.5, -0.5), (0.5, -0.5), (0.5, 0.5), (-0.5, 0.5))
            ]
        )
        at, _ = stage.lens.project(corners)
        rows, columns = target.labels.shape
        if shade is not None:
            edge = 1 - shade[1] * (
                1 - smooth((u.ravel() + 0.5).astype(np.float32), shade[0] - 0.22, shade[0] + 0.22)
            )
            light, shine = light * edge[:, None], shine * edge[:, None]

        names, factors, plain = list(stage.spectra), self.factors, self._tables[2]
        if other_light:
            level = float(np.mean(light @ np.array(factors, np.float32)))
            light = np.full((len(points), 1), level, np.float32)
            shine = 0.004 * light
            names, factors = [other_light], [1.0]
            plain = tables(self.camera, names, factors)[2]
        levels = _target_levels(self.camera, target.name, tuple(names))

        def paint(out: Float32) -> None:
            colour = np.zeros((rows, columns, 3), np.float32)
            for k, table in enumerate(levels):
                field = cv2.resize(light[:, k].reshape(3, 4), (columns, rows), interpolation=cv2.INTER_LINEAR)
                mirror = cv2.resize(
                    shine[:, k].reshape(3, 4), (columns, rows), interpolation=cv2.INTER_LINEAR
                )
                colour += (table * np.float32(factors[k]))[target.labels] * field[..., None] + mirror[
                    ..., None
                ] * plain[k]
            inside = at + MARGIN
            low, top = np.maximum(np.floor(inside.min(0)).astype(int) - 2, 0)
            far, base = np.minimum(np.ceil(inside.max(0)).astype(int) + 3, FULL[::-1])
            grow = 2
            source = np.array([[0, 0], [columns, 0], [columns, rows], [0, rows]], np.float32)
            to = ((inside - [low, top]) * grow).astype(np.float32)
            matrix = cv2.getPerspectiveTransform(source - 0.5, to - 0.5)
            size = (int(far - low) * grow, int(base - top) * grow)
            rgba = cv2.warpPerspective(
                np.dstack([colour, np.ones((rows, columns), np.float32)]),
                matrix,
                size,
                flags=cv2.INTER_LINEAR,
            )
            rgba = cv2.resize(rgba, (size[0] // grow, size[1] // grow), interpolation=cv2.INTER_AREA)
            foot = (inside[2] + inside[3]) / 2
            x, y = int(foot[0]), int(foot[1]) - 4
            pole = np.zeros((FULL[0] - y, 41), np.float32)
            cv2.rectangle(pole, (15, 0), (25, FULL[0]), 1.0, -1)
            pole = cv2.merge([cv2.GaussianBlur(pole, (5, 5), 0.8)] * 3)
            strip = out[y:, x - 20 : x + 21]
            strip *= 1 - pole
            strip += pole * (light.mean(0) @ plain * np.float32(0.05))
            rgba = soften(self.camera, rgba)
            window = out[top:base, low:far]
            window *= 1 - rgba[..., 3:]
            window += rgba[..., :3]

        own, mirrored = light @ plain, shine @ plain
        field = np.array(target.corners) - 0.5
        held = np.array([centre + a * wide * across + b * high * down for a, b in field])
        spot, _ = stage.lens.project(held)
        key = own[:, 1]
        return paint, Held(
            spot,
            float((mirrored[:, 1] / np.maximum(0.18 * key, 1e-6)).max()),
            float(key.min() / max(key.max(), 1e-9)),
            float(key.mean()),
        )
