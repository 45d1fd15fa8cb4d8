"""3D LUTs as .cube text: red runs fastest, values from 0 to 1 in; where it is needed, with a 1D table before the cube
that spreads a wider domain.
"""

from collections.abc import Callable
from dataclasses import dataclass
from pathlib import Path

import numpy as np

from aquin.arrays import Float32, Float64, Floats
from aquin.colour.baked import grid
from aquin.errors import AquinError
from aquin.files import write_safely
from aquin.reading import check_file, lines_of, read_or_refused

SIZES = (33, 65)
_LIMIT = 60_000_000
MOST_1D = 65536
ROWS = 4096
_REMEDY = "Export it again from the program that wrote it"


@dataclass(frozen=True)
class Shaper:
    """A table of its own for each channel, before the cube: `values` (n, 3), 0 to 1, evenly over `low` to `high`."""

    low: float
    high: float
    values: Float64

    def apply(self, rgb: Floats) -> Floats:
        """(..., 3) to (..., 3); beyond the domain its ends hold. The float type is kept."""
        at = np.linspace(self.low, self.high, len(self.values))
        out = [np.interp(rgb[..., k], at, self.values[:, k]) for k in range(3)]
        return np.stack(out, axis=-1).astype(rgb.dtype)


def write(
    path: Path,
    transform: Callable[[Floats], Floats],
    size: int,
    title: str,
    note: str = "",
    force: bool = False,
    shaper: Shaper | None = None,
) -> None:
    """Sample a transform of (n, 3) values on a grid and write it. `transform` takes what `shaper` gives, where there
    is one. Raises AquinError.
    """
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
        f'TITLE "{clean}"' if shaper is None else f"# {clean}",  # readers of both tables know no title
        *(f"# {line}" for line in note.splitlines()),
    ]
    if shaper is not None:
        head += [
            f"LUT_1D_SIZE {len(shaper.values)}",
            f"LUT_1D_INPUT_RANGE {shaper.low:.8f} {shaper.high:.8f}",
            f"LUT_3D_SIZE {size}",
            "LUT_3D_INPUT_RANGE 0 1",
        ]
        values = np.concatenate([shaper.values, values])
    else:
        head += [f"LUT_3D_SIZE {size}", "DOMAIN_MIN 0 0 0", "DOMAIN_MAX 1 1 1"]

    def put(target: Path) -> None:
        with target.open("w", encoding="utf-8") as stream:
            stream.write("\n".join(head) + "\n")
            for k in range(0, len(values), ROWS):  # many rows in one piece are twice as fast as one by one
                part = values[k : k + ROWS]
                stream.write(("%.8f %.8f %.8f\n" * len(part)) % tuple(part.ravel().tolist()))

    write_safely(path, put, force)


def read(path: Path) -> tuple[Float32, int, Shaper | None]:
    """A 3D LUT: (size ** 3, 3) values, blue running fastest as in `baked.grid`, its size, and the table before it.

    Of the cube only the domain 0 to 1 is taken. Raises AquinError for wrong sizes, missing rows, and values that are
    no numbers.
    """
    with read_or_refused(path, "the LUT", "65 points a side are enough"):
        check_file(path, _LIMIT)
    size, count, domain, rows = 0, 0, (0.0, 1.0), []
    try:
        for line in lines_of(path, _LIMIT):
            words = line.split()
            if not words or words[0].startswith("#") or words[0] == "TITLE":
                continue
            if words[0] == "LUT_3D_SIZE":
                size = int(words[1])
                if not 2 <= size <= 256:
                    raise ValueError(f"size {size}")
            elif words[0] == "LUT_1D_SIZE":
                count = int(words[1])
                if not 2 <= count <= MOST_1D:
                    raise ValueError(f"a 1D table of {count} entries")
            elif words[0] == "LUT_1D_INPUT_RANGE":
                domain = float(words[1]), float(words[2])
                if not (np.isfinite(domain).all() and domain[0] < domain[1]):
                    raise ValueError("the range of its 1D table is none")
            elif words[0] == "LUT_3D_INPUT_RANGE":
                if [float(w) for w in words[1:]] != [0.0, 1.0]:
                    raise ValueError("only the range 0 to 1 is supported before the cube")
            elif words[0] in ("DOMAIN_MIN", "DOMAIN_MAX"):
                if [float(w) for w in words[1:]] != [float(words[0] == "DOMAIN_MAX")] * 3:
                    raise ValueError("only the domain 0 to 1 is supported")
            elif words[0][0].isalpha():
                raise ValueError(f"unknown entry {words[0][:30]}")
            else:
                rows.append((float(words[0]), float(words[1]), float(words[2])))
                if len(rows) > size**3 + count:
                    raise ValueError("more rows than any size has")
        if not size or len(rows) != size**3 + count:
            raise ValueError(f"{len(rows)} rows for size {size}")
        values = np.array(rows, np.float64)
        if not np.isfinite(values).all():
            raise ValueError("values that are not numbers")
    except (ValueError, IndexError) as error:
        raise AquinError(f"this is no 3D LUT ({error})", path, _REMEDY) from error
    shaper = Shaper(*domain, values[:count]) if count else None
    cells = values[count:].reshape(size, size, size, 3).transpose(2, 1, 0, 3).reshape(-1, 3)
    return np.ascontiguousarray(cells, np.float32), size, shaper
