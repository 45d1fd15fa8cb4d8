"""The first scene: the aft deck of the car ferry, two of the crew, and the 24-patch chart on its stand."""

from dataclasses import dataclass, field

import cv2
import numpy as np

from aquin.arrays import Float32, Float64
from aquin.simulate import spectra
from aquin.simulate.canvas import Canvas, Point, View

# Materials by name: a sample of CIE 224:2017 (counted from 1) and how much of it, mixed with a flat grey.
MATERIALS: dict[str, tuple[int, float, float]] = {
    "sky": (70, 0.42, 0.42),
    "hill": (49, 0.55, 0.08),
    "sea": (71, 0.65, 0.03),
    "foam": (91, 1.0, 0.1),
    "deck": (52, 0.55, 0.02),
    "line": (32, 0.9, 0.0),
    "paint": (41, 0.95, 0.05),
    "shade paint": (60, 0.62, 0.0),
    "rail": (36, 1.05, 0.1),
    "glass": (63, 0.35, 0.0),
    "rust": (13, 0.8, 0.0),
    "ring": (12, 1.05, 0.0),
    "skin light": (18, 1.3, 0.0),
    "skin dark": (16, 0.75, 0.0),
    "lip light": (4, 0.62, 0.02),
    "lip dark": (6, 0.42, 0.0),
    "hair": (44, 0.45, 0.0),
    "grey hair": (63, 2.6, 0.0),
    "eye": (91, 1.1, 0.0),
    "iris": (74, 0.5, 0.0),
    "jacket": (20, 1.25, 0.0),
    "strip": (91, 1.25, 0.1),
    "jumper": (77, 0.42, 0.0),
    "trousers": (75, 0.55, 0.0),
    "boots": (84, 0.4, 0.0),
    "cap": (87, 0.75, 0.0),
    "bench": (19, 0.42, 0.0),
    "rope": (27, 0.9, 0.0),
    "mug": (56, 0.8, 0.0),
    "stand": (63, 0.4, 0.0),
    "chart body": (74, 0.4, 0.01),
    "crate": (76, 0.9, 0.0),
    "buoy": (5, 1.05, 0.0),
}
NAMES = list(MATERIALS)
FIRST_PATCH = len(NAMES)
PITCH, GAP = 1.0, 0.14
"""The chart in units of its own pitch: the gap between patches."""


def reflectances() -> Float64:
    """(materials + 24, 81): everything in the scene, then the patches of the chart."""
    samples, flat = spectra.measured_reflectances(), np.ones(len(spectra.NM))
    rows = [share * samples[number - 1] + grey * flat for number, share, grey in MATERIALS.values()]
    return np.concatenate([np.stack(rows), spectra.chart_reflectances()])


@dataclass
class Deck:
    """What is where on the aft deck. `phase` moves sea and light things on (seconds)."""

    view: View = field(default_factory=View)
    chart_at: tuple[float, float, float] = (0.36, 1.12, 2.75)
    chart_width: float = 0.62
    chart_turn: float = 0.05
    phase: float = 0.0
    seed: int = 7

    def draw(self) -> Canvas:
        """The scene as materials and shading. The chart's corners are given by `chart_corners`."""
        canvas = Canvas(self.view)
        self._far(canvas)
        self._deck(canvas)
        self._cabin(canvas)
        self._things(canvas)
        self._person(canvas, -0.62, 4.1, "skin light", "lip light", "jacket", "grey hair", "cap", hi_vis=True)
        self._person(canvas, 1.28, 4.5, "skin dark", "lip dark", "jumper", "hair", None, hi_vis=False)
        self._chart(canvas)
        canvas.textured(
            0.05,
            7,
            self.seed + 1,
            [NAMES.index(n) for n in ("paint", "shade paint", "bench", "jumper", "trousers", "jacket")],
        )
        canvas.textured(0.09, 3, self.seed + 2, [NAMES.index(n) for n in ("deck", "rust", "rope", "line")])
        return canvas

    def chart_corners(self) -> Float64:
        """(4, 2) outer corners of the patch field in pixels: dark skin's first, then clockwise on the chart."""
        grid = np.array([[0.0, 0.0], [6 - GAP, 0], [6 - GAP, 4 - GAP], [0, 4 - GAP]])
        return self._on_chart(grid)

    def _on_chart(self, points: Float64) -> Float64:
        """Chart units to pixels: the chart leans back and is turned a little."""
        unit = self.chart_width / 6
        x0, y0, z0 = self.chart_at
        local = (points - np.array([3 - GAP / 2, 2 - GAP / 2])) * unit
        turn, lean = self.chart_turn, 0.22
        x = local[:, 0] * np.cos(turn) - local[:, 1] * np.sin(turn)
        y = local[:, 0] * np.sin(turn) + local[:, 1] * np.cos(turn)
        return np.array(
            [
                self.view.project(x0 + a, y0 - b * np.cos(lean), z0 - b * np.sin(lean))
                for a, b in zip(x, y, strict=True)
            ]
        )

    def _far(self, c: Canvas) -> None:
        w, h = self.view.width, self.view.height
        horizon = self.view.horizon * h
        random = np.random.default_rng(self.seed)

        shift = -self.view.eye[0] * 30
        noise = sum(
            cv2.resize(
                random.standard_normal((5 * k, 9 * k), np.float32),
                (w + 200, int(horizon) + 2),
                interpolation=cv2.INTER_CUBIC,
            )
            / k
            for k in (1, 2, 4)
        )

        def sky(u: Float32, v: Float32) -> Float32:
            row = np.clip(v, 0, horizon).astype(int)
            haze = (v / horizon) ** 2.2
            cloud = np.clip(noise[row, np.clip(u + 100 - shift, 0, w + 199).astype(int)] - 0.1, 0, 1.6)
            return np.asarray(0.80 + 0.75 * haze + 0.42 * cloud * (0.4 + 0.6 * v / horizon), np.float32)

        c.fill([(0, 0), (w, 0), (w, horizon + 2), (0, horizon + 2)], NAMES.index("sky"), sky)
        xs = np.linspace(-0.1, 1.1, 60)
        ridge = 0.055 + 0.03 * np.sin(xs * 7 + 1) + 0.018 * np.sin(xs * 19) + 0.008 * np.sin(xs * 47 + 2)
        hill = [
            (x * w + shift, horizon - r * h * np.clip(1.15 - 0.9 * x, 0.05, 1))
            for x, r in zip(xs, ridge, strict=True)
        ]
        c.fill(
            [*hill, (1.1 * w, horizon + 1), (-0.1 * w, horizon + 1)],
            NAMES.index("hill"),
            lambda u, v: np.asarray(
                0.85 + 0.25 * np.sin(u * 0.11) * np.sin(u * 0.037 + v * 0.09), np.float32
            ),
        )
        waves = random.standard_normal((160, 64), np.float32)

        def sea(u: Float32, v: Float32) -> Float32:
            depth = 1 / np.maximum(v - horizon + 1.2, 0.5)
            row = np.mod((np.log(depth) * 22 + self.phase * 3).astype(np.int32), 160)
            column = np.mod(((u - w / 2) * depth * 1.4 + row * 7).astype(np.int32), 64)
            return np.asarray(
                np.clip(0.78 + 0.25 * waves[row, column] + 1.4 * np.minimum(depth, 0.35), 0.3, 2.2),
                np.float32,
            )

        c.fill([(0, horizon), (w, horizon), (w, h), (0, h)], NAMES.index("sea"), sea)
        for k in np.arange(26):
            z = 14 + 60 * random.random()
            x = (random.random() - 0.5) * z * 1.2 + 1.5 * np.sin(self.phase + k)
            u, v = self.view.project(x, -2.0, z)
            length = 900 / z * (0.4 + random.random())
            c.fill(
                [(u, v), (u + length, v - 0.5), (u + length * 0.8, v + 1.3), (u + length * 0.2, v + 1.0)],
                NAMES.index("foam"),
                1.15,
            )

    def _deck(self, c: Canvas) -> None:
        near, far, side = 1.0, 8.6, 9.0
        p = self.view.project

        def plates(u: Float32, v: Float32) -> Float32:
            f = self.view.focal * self.view.width
            z = (
                f * self.view.eye[1] / np.maximum(v - self.view.horizon * self.view.height, 1)
                + self.view.eye[2]
            )
            x = (u - self.view.width / 2) * z / f + self.view.eye[0]
            seam = (np.abs(np.mod(z, 1.6) - 0.8) > 0.785) | (np.abs(np.mod(x + 0.4, 2.0) - 1) > 0.985)
            wet = 0.18 * np.sin(x * 1.3 + 1) * np.sin(z * 0.9)
            return np.asarray((1.05 + wet) * np.where(seam, 0.55, 1), np.float32)

        c.fill(
            [p(-side, 0, far), p(side, 0, far), p(side, 0, near), p(-side, 0, near)],
            NAMES.index("deck"),
            plates,
        )
        for x in (-0.55, 2.35):
            c.fill(
                [p(x, 0.003, far), p(x + 0.16, 0.003, far), p(x + 0.16, 0.003, 1.3), p(x, 0.003, 1.3)],
                NAMES.index("line"),
                0.95,
            )
        c.fill(
            [p(-side, 0.42, far), p(side, 0.42, far), p(side, 0, far), p(-side, 0, far)],
            NAMES.index("rail"),
            0.82,
        )
        c.fill(
            [p(-side, 0.06, far), p(side, 0.06, far), p(side, 0, far), p(-side, 0, far)],
            NAMES.index("rust"),
            0.5,
        )
        scale = self.view.scale(far)
        for x in np.arange(-6, 6.1, 1.1):
            c.limb(p(x, 0.4, far), p(x, 1.12, far), 0.03 * scale, 0.03 * scale, NAMES.index("rail"))
        for y in (0.62, 0.86, 1.12):
            c.limb(p(-side, y, far), p(side, y, far), 0.022 * scale, 0.022 * scale, NAMES.index("rail"))
        u, v = p(-0.55, 0.78, far - 0.05)
        c.ball(
            (u, v),
            (0.30 * scale, 0.30 * scale),
            NAMES.index("ring"),
            part=lambda x, y: (x * x + y * y > 0.32) & (np.abs(x * y) < 0.19),
        )
        c.ball(
            (u, v),
            (0.30 * scale, 0.30 * scale),
            NAMES.index("rail"),
            part=lambda x, y: (x * x + y * y > 0.32) & (np.abs(x * y) >= 0.19),
        )

    def _cabin(self, c: Canvas) -> None:
        p = self.view.project
        x, back, front = -1.75, 7.2, 2.2
        c.fill(
            [p(x, 3.4, back), p(x, 3.4, front), p(x, 0, front), p(x, 0, back)],
            NAMES.index("paint"),
            lambda u, v: np.asarray(
                0.62 + 0.0008 * u + 0.02 * np.sin(v * 0.9) * (np.mod(u, 61) < 1.2), np.float32
            ),
        )
        for z0, z1 in ((5.9, 5.1), (4.4, 3.6)):
            frame = [
                p(x + 0.02, 2.28, z0 + 0.1),
                p(x + 0.02, 2.28, z1 - 0.1),
                p(x + 0.02, 1.42, z1 - 0.1),
                p(x + 0.02, 1.42, z0 + 0.1),
            ]
            c.fill(frame, NAMES.index("rail"), 0.6)
            pane = [p(x + 0.03, 2.2, z0), p(x + 0.03, 2.2, z1), p(x + 0.03, 1.5, z1), p(x + 0.03, 1.5, z0)]
            c.fill(
                pane,
                NAMES.index("glass"),
                lambda u, v: np.asarray(0.7 + 0.9 * (np.sin(u * 0.05 + v * 0.03) > 0.55), np.float32),
            )
        c.fill(
            [
                p(x + 0.01, 0.85, back),
                p(x + 0.01, 0.85, front),
                p(x + 0.01, 0.72, front),
                p(x + 0.01, 0.72, back),
            ],
            NAMES.index("crate"),
            0.75,
        )

    def _things(self, c: Canvas) -> None:
        p = self.view.project
        c.darken(p(2.6, 0, 5.3), (110, 16), 0.5)
        for leg in (2.05, 3.1):
            c.fill(
                [p(leg, 0.45, 5.2), p(leg + 0.07, 0.45, 5.2), p(leg + 0.07, 0, 5.2), p(leg, 0, 5.2)],
                NAMES.index("bench"),
                0.5,
            )
        c.fill(
            [p(1.95, 0.52, 5.5), p(3.3, 0.52, 5.5), p(3.35, 0.5, 5.1), p(1.9, 0.5, 5.1)],
            NAMES.index("bench"),
            1.25,
        )
        c.fill(
            [p(1.9, 0.5, 5.1), p(3.35, 0.5, 5.1), p(3.35, 0.42, 5.1), p(1.9, 0.42, 5.1)],
            NAMES.index("bench"),
            0.8,
        )
        s = self.view.scale(5.2)
        u, v = p(2.45, 0.52, 5.2)
        c.limb((u, v - 0.11 * s), (u, v - 0.04 * s), 0.05 * s, 0.048 * s, NAMES.index("mug"))
        u, v = p(2.95, 0.66, 5.3)
        c.ball((u, v), (0.15 * s, 0.17 * s), NAMES.index("buoy"))
        u, v = p(-1.05, 0.0, 3.3)
        c.darken((u, v), (95, 26), 0.6)
        s = self.view.scale(3.3)
        for k in range(4):
            radius = (0.30 - 0.015 * k) * s
            y = v - (0.05 + 0.055 * k) * s
            for a in np.linspace(0, 2 * np.pi, 44, endpoint=False):
                b = a + 2 * np.pi / 44
                gain = 0.75 + 0.3 * np.cos(a * 22)
                c.limb(
                    (u + radius * np.cos(a), y + 0.34 * radius * np.sin(a)),
                    (u + radius * np.cos(b), y + 0.34 * radius * np.sin(b)),
                    0.03 * s,
                    0.03 * s,
                    NAMES.index("rope"),
                    gain,
                )

    def _person(
        self,
        c: Canvas,
        x: float,
        z: float,
        skin: str,
        lip: str,
        coat: str,
        hair: str,
        cap: str | None,
        hi_vis: bool,
    ) -> None:
        m = NAMES.index
        s = self.view.scale(z)
        u, foot = self.view.project(x, 0, z)

        def at(dx: float, y: float) -> Point:
            return u + dx * s, foot - y * s

        c.darken(at(0.12, 0.0), (0.42 * s, 0.10 * s), 0.6)
        for side in (-1, 1):
            c.limb(at(side * 0.11, 0.85), at(side * 0.12, 0.14), 0.095 * s, 0.07 * s, m("trousers"))
            c.limb(at(side * 0.12, 0.13), at(side * 0.15, 0.05), 0.075 * s, 0.06 * s, m("boots"))
        for side in (-1, 1):
            c.limb(at(side * 0.225, 1.33), at(side * 0.275, 1.06), 0.07 * s, 0.065 * s, m(coat), 0.92)
            c.limb(at(side * 0.275, 1.06), at(side * 0.205, 0.86), 0.06 * s, 0.052 * s, m(coat), 0.95)
            c.ball(at(side * 0.17, 0.83), (0.05 * s, 0.055 * s), m(skin))
        for side in (-1, 1):
            c.limb(at(side * 0.10, 1.385), at(side * 0.19, 1.33), 0.075 * s, 0.085 * s, m(coat), 0.97)
        c.limb(at(-0.045, 1.30), at(-0.035, 0.88), 0.15 * s, 0.145 * s, m(coat), 1.0)
        c.limb(at(0.045, 1.30), at(0.035, 0.88), 0.15 * s, 0.145 * s, m(coat), 0.93)
        c.limb(at(0.0, 1.32), at(0.0, 0.88), 0.155 * s, 0.15 * s, m(coat), 0.98)
        if hi_vis:
            for y in (1.14, 1.0):
                c.limb(at(-0.17, y), at(0.16, y), 0.022 * s, 0.022 * s, m("strip"))
        c.limb(at(0, 1.53), at(0, 1.46), 0.055 * s, 0.06 * s, m(skin), 0.72)
        c.limb(at(-0.055, 1.425), at(0.055, 1.425), 0.035 * s, 0.035 * s, m(coat), 0.85)
        head = at(0, 1.635)
        rx, ry = 0.083 * s, 0.118 * s
        c.ball(at(0, 1.655), (rx * 1.12, ry * 1.08), m(hair))
        for side in (-1, 1):
            c.ball(at(side * 0.083, 1.625), (0.016 * s, 0.03 * s), m(skin), gain=0.85)
        c.ball(head, (rx, ry), m(skin), part=lambda a, b: b > -0.62 + 0.22 * a * a)
        for side in (-1, 1):
            eye = at(side * 0.033, 1.652)
            c.ball(eye, (0.021 * s, 0.0135 * s), m(skin), gain=0.62)
            c.ball(eye, (0.015 * s, 0.0085 * s), m("eye"), gain=0.8)
            c.ball(eye, (0.0075 * s, 0.008 * s), m("iris"))
            c.limb(at(side * 0.018, 1.678), at(side * 0.05, 1.676), 0.005 * s, 0.003 * s, m(hair))
        c.limb(at(0.002, 1.648), at(0.004, 1.612), 0.0085 * s, 0.0135 * s, m(skin), 1.06)
        c.limb(at(0.012, 1.603), at(0.02, 1.607), 0.004 * s, 0.003 * s, m(skin), 0.5)
        c.limb(at(-0.024, 1.571), at(0.026, 1.571), 0.007 * s, 0.006 * s, m(lip), 0.9)
        if cap:
            c.ball(at(0, 1.69), (rx * 1.16, ry * 0.82), m(cap), part=lambda a, b: b < 0.18)
            c.limb(at(-0.09, 1.688), at(0.09, 1.688), 0.016 * s, 0.016 * s, m(cap), 0.8)

    def _chart(self, c: Canvas) -> None:
        p = self.view.project
        x0, y0, z0 = self.chart_at
        s = self.view.scale(z0)
        u, v = p(x0, 0, z0 + 0.25)
        c.darken((u, v), (0.35 * s, 0.06 * s), 0.5)
        for foot in (-0.32, 0.0, 0.34):
            c.limb(
                p(x0, y0 - 0.1, z0 + 0.1),
                p(x0 + foot, 0, z0 + 0.2),
                0.014 * s,
                0.012 * s,
                NAMES.index("stand"),
            )
        body = self._on_chart(np.array([[-0.42, -0.42], [6.28, -0.42], [6.28, 4.28], [-0.42, 4.28]]))
        c.fill([(a, b) for a, b in body], NAMES.index("chart body"), 1.0)
        size = PITCH - GAP
        for k in range(24):
            i, j = k % 6, k // 6
            corners = self._on_chart(
                np.array([[i, j], [i + size, j], [i + size, j + size], [i, j + size]], np.float64)
            )
            c.fill([(a, b) for a, b in corners], FIRST_PATCH + k, 1.0)
