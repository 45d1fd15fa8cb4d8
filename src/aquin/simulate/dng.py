"""Small DNG files of our own: one uncompressed 16-bit mosaic with the tags that a developer needs (DNG specification
1.4).
"""

import struct
from pathlib import Path

import numpy as np

from aquin.arrays import Floats
from aquin.files import write_safely

BLACK, WHITE = 512, 16000
"""Codes of no light and of saturation."""

_SIZES = {1: 1, 2: 1, 3: 2, 4: 4, 5: 8, 10: 8}


def write_dng(
    path: Path,
    camera: Floats,
    xyz_to_camera: Floats,
    as_shot: Floats,
    force: bool = False,
    model: str = "Aquin simulated",
) -> None:
    """(h, w, 3) linear camera RGB, 1.0 is saturation, as an RGGB mosaic; h and w even.

    `xyz_to_camera`: (3, 3), the colour matrix for D65. `as_shot`: (3,) camera RGB of the white that the camera is
    set to. Raises ValueError for odd sizes, AquinError when it can't be written.
    """
    high, wide = camera.shape[:2]
    if high % 2 or wide % 2:
        raise ValueError("width and height must be even")
    mosaic = np.empty((high, wide), np.float64)
    for y, x, channel in ((0, 0, 0), (0, 1, 1), (1, 0, 1), (1, 1, 2)):
        mosaic[y::2, x::2] = camera[y::2, x::2, channel]
    codes = np.clip(np.rint(BLACK + mosaic * (WHITE - BLACK)), 0, WHITE).astype("<u2").tobytes()
    matrix = [
        part for v in np.asarray(xyz_to_camera).ravel() for part in (round(float(v) * 1_000_000), 1_000_000)
    ]
    neutral = [part for v in np.asarray(as_shot) for part in (round(float(v) * 1_000_000), 1_000_000)]
    name = model.encode("ascii", "replace") + b"\0"
    tags: list[tuple[int, int, bytes]] = [
        (254, 4, struct.pack("<I", 0)),
        (256, 4, struct.pack("<I", wide)),
        (257, 4, struct.pack("<I", high)),
        (258, 3, struct.pack("<H", 16)),
        (259, 3, struct.pack("<H", 1)),
        (262, 3, struct.pack("<H", 32803)),
        (271, 2, b"Aquin\0"),
        (272, 2, name),
        (273, 4, struct.pack("<I", 0)),  # where the codes lie, filled in below
        (274, 3, struct.pack("<H", 1)),
        (277, 3, struct.pack("<H", 1)),
        (278, 4, struct.pack("<I", high)),
        (279, 4, struct.pack("<I", len(codes))),
        (284, 3, struct.pack("<H", 1)),
        (33421, 3, struct.pack("<HH", 2, 2)),
        (33422, 1, bytes([0, 1, 1, 2])),
        (50706, 1, bytes([1, 4, 0, 0])),
        (50707, 1, bytes([1, 1, 0, 0])),
        (50708, 2, name),
        (50710, 1, bytes([0, 1, 2])),
        (50711, 3, struct.pack("<H", 1)),
        (50714, 4, struct.pack("<I", BLACK)),
        (50717, 4, struct.pack("<I", WHITE)),
        (50721, 10, struct.pack("<18i", *matrix)),
        (50728, 5, struct.pack("<6I", *neutral)),
        (50778, 3, struct.pack("<H", 21)),
    ]
    start = 8
    data_at = start + 2 + 12 * len(tags) + 4
    extra = b""
    rows = b""
    places: dict[int, int] = {}
    for number, kind, data in tags:
        places[number] = start + 2 + len(rows) + 8
        count = len(data) // _SIZES[kind]
        if len(data) <= 4:
            rows += struct.pack("<HHI", number, kind, count) + data.ljust(4, b"\0")
        else:
            rows += struct.pack("<HHII", number, kind, count, data_at + len(extra))
            extra += data + b"\0" * (len(data) % 2)
    codes_at = data_at + len(extra)
    head = bytearray(
        struct.pack("<2sHI", b"II", 42, start) + struct.pack("<H", len(tags)) + rows + b"\0" * 4 + extra
    )
    struct.pack_into("<I", head, places[273], codes_at)
    write_safely(path, lambda target: _put(target, bytes(head) + codes), force)


def _put(path: Path, data: bytes) -> None:
    path.write_bytes(data)
