"""3D LUTs as .cube text: red runs fastest, values from 0 to 1 in and out."""

from collections.abc import Callable
from pathlib import Path

import numpy as np

from aquin.arrays import Float32, Floats
from aquin.colour.baked import grid
from aquin.errors import AquinError
from aquin.files import write_safely

SIZES = (33, 65)
_LIMIT = 60_000_000
_REMEDY = "Export it again from the program that wrote it"


def write(
    path: Path,
    transform: Callable[[Floats], Floats],
    size: int,
    title: str,
    note: str = "",
    force: bool = False,
) -> None:
    """Sample a transform of (n, 3) values on a grid and write it. Raises AquinError."""
    if not 2 <= size <= 129:
        raise AquinError(f"a cube of {size} points is not supported", path, "Choose 33 or 65")
    values = (
        np.asarray(transform(grid(size)), np.float64)
        .reshape(size, size, size, 3)
        .transpose(2, 1, 0, 3)
        .reshape(-1, 3)
    )
    if not np.isfinite(values).all():
        raise AquinError(
            "the grade gives values that are not numbers", path, "Reset the trim and settle again"
        )
    clean = "".join(c for c in title if c.isprintable() and c != '"')
    head = [
        f'TITLE "{clean}"',
        *(f"# {line}" for line in note.splitlines()),
        f"LUT_3D_SIZE {size}",
        "DOMAIN_MIN 0 0 0",
        "DOMAIN_MAX 1 1 1",
    ]

    def put(target: Path) -> None:
        with target.open("w", encoding="utf-8") as stream:
            stream.write("\n".join(head) + "\n")
            stream.writelines(f"{r:.8f} {g:.8f} {b:.8f}\n" for r, g, b in values.tolist())

    write_safely(path, put, force)


def read(path: Path) -> tuple[Float32, int]:
    """A 3D LUT: (size ** 3, 3) values, blue running fastest as in `baked.grid`, and its size.

    Only the domain 0 to 1 is taken. Raises AquinError for wrong sizes, missing rows, and values that are no numbers.
    """
    try:
        if path.stat().st_size > _LIMIT:
            raise AquinError("the LUT is too large", path, "65 points a side are enough")
        lines = path.read_text(encoding="utf-8").splitlines()
    except (OSError, UnicodeDecodeError) as error:
        raise AquinError(f"the LUT can't be read ({error})", path, "Check the name") from error
    size, rows = 0, []
    try:
        for line in lines:
            words = line.split()
            if not words or words[0].startswith("#") or words[0] == "TITLE":
                continue
            if words[0] == "LUT_3D_SIZE":
                size = int(words[1])
                if not 2 <= size <= 256:
                    raise ValueError(f"size {size}")
            elif words[0] in ("DOMAIN_MIN", "DOMAIN_MAX"):
                if [float(w) for w in words[1:]] != [float(words[0] == "DOMAIN_MAX")] * 3:
                    raise ValueError("only the domain 0 to 1 is supported")
            elif words[0][0].isalpha():
                raise ValueError(f"unknown entry {words[0][:30]}")
            else:
                rows.append((float(words[0]), float(words[1]), float(words[2])))
        if not size or len(rows) != size**3:
            raise ValueError(f"{len(rows)} rows for size {size}")
        values = np.array(rows, np.float32)
        if not np.isfinite(values).all():
            raise ValueError("values that are not numbers")
    except (ValueError, IndexError) as error:
        raise AquinError(f"this is no 3D LUT ({error})", path, _REMEDY) from error
    return np.ascontiguousarray(
        values.reshape(size, size, size, 3).transpose(2, 1, 0, 3).reshape(-1, 3)
    ), size
