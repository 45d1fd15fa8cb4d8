"""Frames at a fraction of their size, for playback: every so many pixels, taken before they are converted."""

import av
import numpy as np

from aquin.arrays import Float32
from aquin.errors import AquinError
from aquin.frames.model import Source
from aquin.frames.movies import MovieSource, planes_of
from aquin.frames.ycbcr import Planes, to_rgb


def thinned(planes: Planes, step: int) -> Planes:
    """Every `step`-th sample of each line and column; chroma at the sites nearest to them."""
    h, w = planes.luma.shape
    rows, columns = np.arange(step // 2, h, step), np.arange(step // 2, w, step)

    def nearest(plane: np.ndarray | None) -> np.ndarray | None:
        if plane is None:
            return None
        ph, pw = plane.shape
        return np.asarray(plane[np.ix_(rows * ph // h, columns * pw // w)])

    return Planes(
        planes.luma[np.ix_(rows, columns)], nearest(planes.cb), nearest(planes.cr), planes.bits, planes.rgb
    )


def read_reduced(source: Source, number: int, step: int) -> Float32:
    """(h / step, w / step, 3) of a frame's signal. Raises AquinError as `Source.read` does."""
    if step <= 1 or not isinstance(source, MovieSource):
        return np.ascontiguousarray(source.read(number).rgb[step // 2 :: step, step // 2 :: step])
    source.check(number)
    try:
        planes = planes_of(source.find(number))
    except (av.FFmpegError, OSError, ValueError, IndexError) as error:
        source.close()
        raise AquinError(
            f"frame {number} can't be decoded ({error})", source.path, "Copy it again from its card"
        ) from error
    return to_rgb(thinned(planes, step), source.signal.matrix, source.signal.range)
