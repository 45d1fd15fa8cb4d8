"""The crew at work: a take of the plan becomes frames, and frames become the take's files."""

from collections.abc import Callable, Iterator
from dataclasses import dataclass
from fractions import Fraction
from pathlib import Path
from typing import Any
from zlib import crc32

import cv2
import numpy as np

from aquin.arrays import Float32
from aquin.simulate.cameras import Setting
from aquin.simulate.film import RATE, Planes, planes_of, write_movie, write_still
from aquin.simulate.sensor import STRIP, Exposure, Grain, encode, sharpen, signal
from aquin.simulate.shoot import Take
from aquin.simulate.stage import Held, Moves, Picture, Stage
from aquin.simulate.targets import TARGETS
from aquin.simulate.world.lens import HEIGHT, WIDTH

Tell = Callable[[int], None]
"""Told how many frames were just made."""


def seed_of(seed: int, clip: str) -> int:
    return crc32(f"{seed} {clip}".encode())


@dataclass
class Rolling:
    """A take on its stage: everything that is needed to make its frames, in any order."""

    take: Take
    stage: Stage
    seed: int

    def __post_init__(self) -> None:
        t = self.take
        self.picture: Picture = self.stage.picture(t.camera, t.minutes)
        own = seed_of(self.seed, t.clip + t.card)
        if t.kind in ("chart", "still", "series"):
            t_moves = Moves(hand=0.0, sway=0.0 if t.kind == "series" else 1.0, seed=own % 97)
        else:
            t_moves = Moves(t.hand, t.push, t.drift, 1.0, own % 97)
        people = seed_of(self.seed, f"{t.setup} {t.number}") % 97  # all cameras see people move alike
        self.moves = Moves(t_moves.hand, t_moves.push, t_moves.drift, t_moves.sway, people)
        self.shake = t_moves.seed
        self.grain = Grain(own, HEIGHT, WIDTH)
        self._kept: tuple[tuple[int, Setting], Exposure] | None = None
        self._wander = np.random.default_rng(own).uniform(0, 2 * np.pi, 3)

    def setting(self, frame: int) -> Setting:
        """Exposure and white of a frame: metered on the people, with what the crew meant and what went wrong."""
        t = self.take
        metered = -np.log2(self.stage.key(0.0)) - (0.55 if t.role == "phone" else 0.0)
        white = t.white
        if t.camera.wandering_white:
            s = frame / 24
            mired = 1e6 / int(white[:-1]) + t.camera.wandering_white * (
                0.7 * np.sin(self._wander[0])
                + 0.5 * np.sin(0.9 * s + self._wander[1])
                + 0.25 * np.sin(2.3 * s + self._wander[2])
            )
            white = f"{round(1e6 / mired / 25) * 25}K"
        return Setting(
            white,
            float(metered) + t.stops + t.error_stops,
            t.tint,
            error_stops=t.error_stops + (t.stops if t.kind == "series" else 0.0),
        )

    @property
    def _upright(self) -> float:
        """The pitch in degrees that holds a target upright before a lens that looks down."""
        forward = self.stage.lens.axes[2]
        return -float(np.degrees(np.arcsin(forward[1])))

    def hold(self, frame: int) -> tuple[Callable[[Float32], None], Held] | None:
        """The target as it is held in a frame, if there is one."""
        t = self.take
        if not t.target:
            return None
        reach = self.stage.nearest() * (0.72 if t.role == "flying" else 0.86)
        if t.role == "flying":
            reach = min(reach, 2.8)
        target = TARGETS[t.target]()
        if t.kind == "series":
            reach, across, down = 2.25, -0.02, 0.16
        else:
            across, down = 0.0, 0.05
        centre = self.stage.grip(reach, across, down)
        yaw = roll = 0.0
        pitch = level = self._upright
        shade = None
        if t.kind == "chart" and t.frames > 12:
            away = (frame - t.zero) / t.frames  # flat and clear at `zero`, tilted and shaded away from it
            turn = float(np.sign(away) * max(abs(away) - 0.09, 0.0))
            yaw, pitch, roll = (
                46.0 * turn,
                level - 34.0 * abs(turn) * (1 if away < 0 else -1),
                5.0 * float(np.sin(9 * away)),
            )
            if away < -0.16:
                shade = (1.25 + 2.6 * (away + 0.16), 0.62)
            elif away > 0.30:
                shade = (3.0 * (away - 0.30), 0.5)
        lit_as = self.stage.gathering() if t.shared else None
        return self.picture.target(target, centre, yaw, pitch, roll, shade, t.other_light, lit_as)

    def levels(self, frame: int) -> Float32:
        """(HEIGHT, WIDTH, 3) sensor levels before exposure and noise. Shots move on every second frame, chart takes
        on each.
        """
        held = self.hold(frame)
        step = frame - self.take.zero
        if held is None:
            step -= step % 2
        made = self.picture.frame(step, self.moves, held[0] if held else None, self.shake)
        lost = self.clouded(step + self.take.zero)
        return made if lost == 0.0 else made * np.float32(2.0**-lost)

    def clouded(self, frame: int) -> float:
        """Stops by which a cloud has taken light away in a frame."""
        begin, frames, stops = self.take.cloud
        share = (self.take.start + frame - begin) / frames if frames else 0.0
        share = min(max(share, 0.0), 1.0)
        return stops * share * share * (3 - 2 * share)

    def exposure(self, frame: int) -> Exposure:
        """The frame's levels under its setting; kept while neither changes."""
        setting = self.setting(frame)
        step = frame if self.take.target else (frame - self.take.zero) // 2
        if self._kept is None or self._kept[0] != (step, setting):
            self._kept = (step, setting), Exposure(self.take.camera, self.levels(frame), setting, soft=True)
        return self._kept[1]

    def linear(self, frame: int, noise: bool = True) -> Float32:
        """(HEIGHT, WIDTH, 3) scene-linear RGB of the camera's own encoding."""
        self.grain.seek(frame)
        return self.exposure(frame).linear(self.grain if noise else None)

    def recorded(self, frame: int) -> Float32:
        """(HEIGHT, WIDTH, 3) the signal that goes to the file, 0 to 1."""
        out = signal(self.take.camera, self.linear(frame))
        return bake(out) if self.take.mistake == "baked LUT" else out

    def planes(self, frame: int) -> Planes:
        """The codes that go to the file."""
        t = self.take
        self.grain.seek(frame)
        if t.mistake == "baked LUT" or t.camera.sharpening:
            out = np.empty((HEIGHT, WIDTH, 3), np.float32)
            for rows, part in self.exposure(frame).strips(self.grain):
                out[rows] = encode(t.camera, part)
            out = sharpen(t.camera, out)
            if t.mistake == "baked LUT":
                out = bake(out)
            strips = ((slice(y, y + STRIP), out[y : y + STRIP]) for y in range(0, HEIGHT, STRIP))
        else:
            strips = (
                (rows, encode(t.camera, part)) for rows, part in self.exposure(frame).strips(self.grain)
            )
        parts = [planes_of(part, t.form.pixels, range=t.form.range) for _, part in strips]
        return [np.concatenate([p[k] for p in parts]) for k in range(3)]


def bake(log: Float32) -> Float32:
    """What a viewing LUT makes of a log signal: contrast about grey and more colour. Not for pictures that are graded
    later.
    """
    y = np.clip((log - np.float32(0.093)) / np.float32(0.62), 0, 1)
    y = y * y * (3 - 2 * y) * 0.55 + y * 0.45
    luma = cv2.transform(np.ascontiguousarray(y), np.array([[0.2126, 0.7152, 0.0722]], np.float32))[..., None]
    return np.asarray(np.clip(luma + 1.45 * (y - luma), 0, 1), np.float32)


def shoot_take(rolling: Rolling, media: Path, tell: Tell | None = None) -> list[Path]:
    """Write a take's files, each under a temporary name until it is whole; files that are there are kept. Raises
    AquinError.
    """
    t = rolling.take
    first = media / t.path
    first.parent.mkdir(parents=True, exist_ok=True)
    tell = tell or (lambda count: None)
    tags = {"ImageDescription" if t.form.codec in ("exr", "dpx") else "comment": said_encoding(t)}
    if t.form.codec in ("exr", "dpx"):
        written = []
        for k in range(t.frames):
            path = (
                first
                if t.kind == "still"
                else first.with_name(f"{t.clip}.{t.first_number + k:07d}{t.form.suffix}")
            )
            written.append(path)
            if not path.is_file():
                temporary = path.with_name(f".part-{path.name}")
                code = rolling_timecode(t, k)
                if t.form.codec == "exr":
                    write_still(
                        temporary,
                        rolling.linear(k),
                        code,
                        t.card,
                        "half",
                        tags | {"Model": t.camera.name},
                        compression="zip" if t.kind == "still" else "dwaa:30",
                    )
                else:
                    write_still(temporary, rolling.recorded(k), code, t.card, "uint10", tags)
                temporary.replace(path)
            tell(1)
        return written
    if first.is_file():
        tell(t.frames)
        return [first]
    temporary = first.with_name(f".part-{first.name}")

    def frames() -> Iterator[Planes]:
        for k in range(t.frames):
            yield rolling.planes(k)
            tell(1)

    write_movie(
        temporary,
        frames(),
        None if t.mistake == "no timecode" else t.timecode,
        t.card,
        t.form.codec,
        t.form.pixels,
        range=t.form.range,
        said_range="full" if t.mistake == "range flag" else None,
        rate=Fraction(t.rate),
        tags=tags,
    )
    if t.mistake == "truncated":
        whole = temporary.read_bytes()
        temporary.write_bytes(whole[: int(len(whole) * 0.55)])
    temporary.replace(first)
    return [first]


def said_encoding(take: Take) -> str:
    """The encoding as camera report and file name it: wrong for the mistaken take."""
    if take.form.codec == "exr":
        return take.camera.linear_encoding.name
    if take.camera.baked is not None:
        return "Petrel standard"
    name = take.camera.encoding.name
    if take.mistake == "wrong encoding":
        return "Skua Log" if name != "Skua Log" else "Heron Log"
    return name


def rolling_timecode(take: Take, frame: int) -> str:
    from aquin.frames.timecode import timecode_of

    return timecode_of(take.start + frame, RATE)


def hero_stops(stage: Stage) -> float:
    """The exposure at which the truth shows a view as the main camera would have recorded it: metered on the people."""
    return -float(np.log2(stage.key(0.0)))


def truth_of(rolling: Rolling) -> dict[str, Any]:
    """What really happened in a take, as plain values for a JSON file."""
    t = rolling.take
    setting = rolling.setting(t.zero)
    out: dict[str, Any] = {
        "file": t.path,
        "card": t.card,
        "clip": t.clip,
        "setup": t.setup,
        "role": t.role,
        "camera": t.camera.name,
        "kind": t.kind,
        "slate": t.slate,
        "number": t.number,
        "start": t.timecode,
        "frames": t.frames,
        "zero": t.zero,
        "minutes": t.minutes,
        "target": t.target,
        "mistake": t.mistake,
        "stops": setting.stops,
        "error_stops": t.error_stops,
        "clouded": [round(rolling.clouded(k), 4) for k in range(t.frames)] if t.cloud[1] else [],
        "nominal_stops": t.stops,
        "white": setting.white,
        "tint": setting.tint,
        "range": t.form.range,
        "rate": t.rate,
        "encoding": ""
        if t.camera.baked
        else (t.camera.linear_encoding if t.form.codec == "exr" else t.camera.encoding).name,
        "spectra": rolling.stage.spectra,
        "factors": rolling.picture.factors,
        "key": rolling.stage.key(t.minutes),
        "hero_stops": hero_stops(rolling.stage),
    }
    if t.target:
        held = [rolling.hold(k) for k in range(t.frames)] if t.kind == "chart" else [rolling.hold(0)]
        out["held"] = [
            {
                "corners": h.corners.round(3).tolist(),
                "glare": round(h.glare, 4),
                "shadow": round(h.shadow, 4),
                "irradiance": h.irradiance,
            }
            for _, h in (x for x in held if x)
        ]
    return out
