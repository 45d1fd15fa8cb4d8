"""Pictures as people wrongly make them from a release: by OpenColorIO from its files, by FFmpeg, by published formulas,
with nothing of what names the causes.
"""

from collections.abc import Iterator
from pathlib import Path
from typing import Any

import av
import cv2
import numpy as np
import PyOpenColorIO as ocio

Pixels = np.ndarray


def through(path: Path, rgb: Pixels) -> Pixels:
    """(h, w, 3) through a file."""
    transform = ocio.FileTransform(str(path), interpolation=ocio.INTERP_TETRAHEDRAL)
    return by(transform, rgb)


def by(transform: Any, rgb: Pixels, config: Any = None) -> Pixels:
    cpu = (config or ocio.Config.CreateRaw()).getProcessor(transform).getDefaultCPUProcessor()
    out = np.ascontiguousarray(rgb, np.float32).copy()
    cpu.applyRGB(out.reshape(-1, 3))
    return out


class Elsewhere:
    """Somebody with a release and OpenColorIO. `codes`: (h, w, 3) of the camera."""

    def __init__(self, folder: Path, data: dict[str, Any], shot: dict[str, Any], codes: Pixels) -> None:
        self.folder, self.data, self.shot, self.codes = folder, data, shot, codes
        self.config = ocio.Config.CreateFromFile(str(folder / "config" / "config.ocio"))

    def log(self, encoding: str = "") -> Pixels:
        encoding = encoding or self.shot["encoding"]
        name = next(c["input"] for c in self.data["cameras"] if c["encoding"] == encoding)
        return through(self.folder / name, self.codes)

    def graded(self, log: Pixels, stem: str = "") -> Pixels:
        return through(self.folder / "grades" / f"{stem or self.shot['stem']}.clf", log)

    def look(self, log: Pixels) -> Pixels:
        return through(self.folder / self.data["looks"][0]["clf"], log)

    def shown(self, log: Pixels) -> Pixels:
        display, view = self.data["chain"]["screen"]
        return by(ocio.DisplayViewTransform("ACEScct", display, view), log, self.config)

    @property
    def right(self) -> Pixels:
        return np.clip(self.shown(self.look(self.graded(self.log()))), 0, 1)

    def cdl(self, **changes: Any) -> Any:
        held = self.shot["written"]["cdl"] | changes
        made = ocio.CDLTransform(
            slope=held["slope"], offset=held["offset"], power=held["power"], sat=held["saturation"]
        )
        made.setStyle(ocio.CDL_NO_CLAMP)
        return made

    def misdeeds(self, other: dict[str, Any], encoding: str) -> Iterator[tuple[str, Pixels]]:
        """Each cause with its picture, (h, w, 3). `other`: another shot; `encoding`: another camera's."""
        right, log = self.right, self.log()
        graded = self.graded(log)
        look = self.look(graded)
        yield "look-missing", self.shown(graded)
        yield "look-twice", self.shown(self.look(look))
        strength = self.data["looks"][0]["strength"]
        yield "look-strength", self.shown(graded + (0.3 / strength) * (look - graded))
        whole = self.shot["grade"]
        plain = [k for k in ("matrix", "root", "turn", "lift", "zones") if whole.get(k) is not None]
        trimmed = plain or not np.allclose([whole["slope"], whole["power"]], 1) or np.any(whole["offset"])
        trimmed = trimmed or whole["saturation"] != 1
        balanced = whole["stops"] != 0 or not np.allclose(whole["gains"], 1)
        name = "grade-missing" if trimmed and balanced else "trim-missing" if trimmed else "balance-missing"
        yield name, self.shown(self.look(log))
        yield "other-camera", self.shown(self.look(self.graded(self.log(encoding))))
        yield "other-shot", self.shown(self.look(self.graded(log, other["stem"])))
        yield "cdl-space", self.shown(self.look(self.through_input(by(self.cdl(), self.codes))))
        linear = by(ocio.ColorSpaceTransform("ACEScct", "ACEScg"), log, self.config)
        again = by(ocio.ColorSpaceTransform("ACEScg", "ACEScct"), by(self.cdl(), linear), self.config)
        yield "cdl-space", self.shown(self.look(again))
        if self.shot["written"]["cdl"]["exact"] and self.shot["written"]["cdl"]["saturation"] != 1:
            yield "saturation-missing", self.shown(self.look(by(self.cdl(saturation=1.0), log)))
        lit = by(ocio.ColorSpaceTransform("ACEScct", "ACEScg"), graded, self.config)
        held = by(ocio.ColorSpaceTransform("ACEScg", "ACEScct"), np.clip(lit, 0, 1), self.config)
        yield "clamped", self.shown(self.look(held))
        yield from screens(right)

    def unshown(self) -> Iterator[tuple[str, Pixels]]:
        """What never went through the view: scene-linear, log, the camera's own signal; and the light of the screen."""
        looked = self.look(self.graded(self.log()))
        for space in ("ACEScg", "ACES2065-1", "Linear Rec.709 (sRGB)", "ACEScct", self.shot["encoding"]):
            yield "not-for-screen", by(ocio.ColorSpaceTransform("ACEScct", space), looked, self.config)
        yield "ungraded", self.codes
        yield "display-light", self.right.astype(np.float64) ** 2.4
        display, own = self.data["chain"]["screen"]
        plain = [v for v in self.config.getViews(display) if not self.config.getDisplayViewLooks(display, v)]
        for view in plain:
            if view not in (own, "Raw"):
                yield (
                    "other-view",
                    by(ocio.DisplayViewTransform("ACEScct", display, view), looked, self.config),
                )

    def through_input(self, codes: Pixels) -> Pixels:
        name = next(c["input"] for c in self.data["cameras"] if c["encoding"] == self.shot["encoding"])
        return through(self.folder / name, codes)


def screens(right: Pixels) -> Iterator[tuple[str, Pixels]]:
    """What is done to a finished picture graded for 2.4, (h, w, 3)."""
    light = right.astype(np.float64) ** 2.4
    yield "gamma-2.2", right.astype(np.float64) ** (2.2 / 2.4)
    # IEC 61966-2-1: sRGB's curve
    srgb = np.where(light <= 0.0031308, 12.92 * light, 1.055 * light ** (1 / 2.4) - 0.055)
    yield "gamma-srgb", srgb
    # ITU-R BT.709-6, 1.2: its camera's curve undone exactly, shown on an sRGB screen, which is read as 2.4
    scene = np.where(right < 0.081, right / 4.5, ((right + 0.099) / 1.099) ** (1 / 0.45))
    yield "player-flat", scene ** (1 / 2.4)
    code = np.round(right * 255)
    yield "range-full-as-legal", np.clip((code - 16) / 219, 0, 1)
    yield "range-legal-as-full", np.round(16 + right * 219) / 255
    yield "matrix", matrix_601(right)


def matrix_601(rgb: Pixels) -> Pixels:
    """Made with BT.709's matrix and read with BT.601's, by FFmpeg. (h, w, 3)."""
    frame = av.VideoFrame.from_ndarray(np.ascontiguousarray(np.round(rgb * 255).astype(np.uint8)), "rgb24")
    made = frame.reformat(format="yuv444p", dst_colorspace="ITU709")
    return made.reformat(format="rgb24", src_colorspace="ITU601").to_ndarray().astype(np.float32) / 255


TURNS = (
    ("mirrored left to right", lambda v: v[:, ::-1]),
    ("mirrored top to bottom", lambda v: v[::-1]),
    ("turned by 180", lambda v: np.rot90(v, 2)),
    ("turned by 90 degrees clockwise", lambda v: np.rot90(v, -1)),
    ("turned by 90 degrees counter-clockwise", lambda v: np.rot90(v, 1)),
    ("mirrored and turned by 90 degrees clockwise", lambda v: np.rot90(v[:, ::-1], -1)),
    ("mirrored and turned by 90 degrees counter-clockwise", lambda v: np.rot90(v[:, ::-1], 1)),
)
"""numpy.rot90 turns counter-clockwise."""


def moved(rgb: Pixels, across: float, down: float, scale: float = 1.0) -> Pixels:
    turn = np.array([[scale, 0, across], [0, scale, down]], np.float32)
    size = rgb.shape[1], rgb.shape[0]
    return np.asarray(cv2.warpAffine(np.asarray(rgb, np.float32), turn, size, flags=cv2.INTER_CUBIC))


def kept(rgb: Pixels, how: str) -> Pixels:
    """As a file keeps it: `8`, or `jpeg` of some quality. (h, w, 3)."""
    codes = np.round(np.clip(rgb, 0, 1) * 255).astype(np.uint8)
    if how == "8":
        return codes.astype(np.float32) / 255
    quality = int(how.removeprefix("jpeg"))
    packed = cv2.imencode(".jpg", codes[..., ::-1], [cv2.IMWRITE_JPEG_QUALITY, quality])[1]
    found = cv2.imdecode(packed, cv2.IMREAD_COLOR)
    return np.asarray(found, np.float32)[..., ::-1] / 255
