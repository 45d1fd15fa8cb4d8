"""Array types and the safe writing of files, shared by every room."""

import os
import tempfile
from collections.abc import Callable
from pathlib import Path
from typing import Any, TypeAlias

import numpy as np
from numpy.typing import NDArray

from aquin.errors import AquinError

Floats: TypeAlias = NDArray[np.floating[Any]]
Float32: TypeAlias = NDArray[np.float32]
Float64: TypeAlias = NDArray[np.float64]


def all_three(mask: NDArray[np.bool_]) -> NDArray[np.bool_]:
    """(..., 3) to (...): all channels. Many times faster than `mask.all(-1)`, which walks three by three."""
    return mask[..., 0] & mask[..., 1] & mask[..., 2]


def any_of_three(mask: NDArray[np.bool_]) -> NDArray[np.bool_]:
    """(..., 3) to (...): any channel."""
    return mask[..., 0] | mask[..., 1] | mask[..., 2]


def mean_of_three(rgb: Float32) -> Float32:
    """(..., 3) to (...): the mean of the channels."""
    return np.asarray((rgb[..., 0] + rgb[..., 1] + rgb[..., 2]) * np.float32(1 / 3), np.float32)


def write_safely(path: Path, write: Callable[[Path], None], force: bool = False) -> None:
    """Let `write` fill a temporary file beside `path`, then rename it, so that `path` is whole or untouched.

    An existing file is only replaced with `force`. Raises AquinError naming the file and the next step.
    """
    path = Path(path)
    if path.exists() and not force:
        raise AquinError("the file exists already", path, "Choose another name, or overwrite it with --force")
    if not path.parent.is_dir():
        raise AquinError("the folder does not exist", path.parent, "Create it first")
    try:
        handle, name = tempfile.mkstemp(prefix=".aquin-", suffix=path.suffix, dir=path.parent)
        os.close(handle)
    except OSError as error:
        raise AquinError(
            f"cannot write into the folder ({error.strerror})", path.parent, "Choose another"
        ) from error
    temporary = Path(name)
    try:
        write(temporary)
        with temporary.open("rb+") as done:
            os.fsync(done.fileno())
        mask = os.umask(0)
        os.umask(mask)
        temporary.chmod(0o666 & ~mask)
        temporary.replace(path)
    except OSError as error:
        raise AquinError(
            f"writing failed ({error.strerror or error})", path, "Free some space or choose another folder"
        ) from error
    finally:
        temporary.unlink(missing_ok=True)
