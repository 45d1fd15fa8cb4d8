"""A grade that moves over time as a list of its keys: .csv for people and spreadsheets, .json with all of it, .ccc with
one CDL a key. Between two keys it is linear in log2 of the channels, so linear in a CDL's offsets, too.
"""

import csv
import io
import json
from collections.abc import Mapping, Sequence
from dataclasses import dataclass
from pathlib import Path
from typing import Any

from aquin.colour.cdl import Cdl
from aquin.colour.grade import Grade
from aquin.errors import AquinError
from aquin.exchange import cdl_file
from aquin.exchange.grade_file import SPACE_NOTE
from aquin.files import write_text

SUFFIXES = (".csv", ".json", ".ccc")
BETWEEN = "linear between keys, held before the first and after the last"


@dataclass(frozen=True)
class Row:
    """What holds at one frame of a file. `cdl` is None where the grade is more than a CDL."""

    frame: int
    timecode: str
    grade: Grade
    cdl: Cdl | None

    def values(self) -> dict[str, Any]:
        """As plain values: warmth in mired, tint in thousandths of Duv, printer points."""
        mired, duv = self.grade.balance.shift
        red, green, blue = self.grade.balance.printer_points
        out: dict[str, Any] = {
            "frame": self.frame,
            "timecode": self.timecode,
            "stops": round(self.grade.balance.stops, 4),
            "mired": round(mired, 2),
            "tint_1e-3_duv": round(1e3 * duv, 3),
            "red_points": round(red, 3),
            "green_points": round(green, 3),
            "blue_points": round(blue, 3),
        }
        if self.cdl is not None:
            for name in ("slope", "offset", "power"):
                out[name] = " ".join(f"{v:.6f}" for v in getattr(self.cdl, name))
            out["saturation"] = round(self.cdl.saturation, 6)
        return out


def rows_of(grade: Grade, timecodes: Mapping[int, str], frames: Sequence[int] | None = None) -> list[Row]:
    """At each key, or at `frames`. `timecodes`: by frame, where they are known."""
    wanted = [k.frame for k in grade.keys] if frames is None else frames
    out = []
    for frame in wanted:
        here = grade.at(frame)
        out.append(Row(frame, timecodes.get(frame, ""), here, None if here.beyond_cdl else here.folded()))
    return out


def write(path: Path, name: str, rows: Sequence[Row], force: bool = False) -> None:
    """Write the list in the format of the name's ending. Raises AquinError."""
    suffix = path.suffix.lower()
    if suffix == ".csv":
        table = io.StringIO()
        values = [row.values() for row in rows]
        writer = csv.DictWriter(table, list(values[0]), lineterminator="\n")
        writer.writeheader()
        writer.writerows(values)
        write_text(path, table.getvalue(), force)
    elif suffix == ".json":
        data = {"shot": name, "between": BETWEEN, "space": SPACE_NOTE, "keys": [_whole(row) for row in rows]}
        write_text(path, json.dumps(data, indent=2) + "\n", force)
    elif suffix == ".ccc":
        cdls = {f"{name}.{row.frame:07d}": row.cdl for row in rows if row.cdl is not None}
        if len(cdls) < len(rows):
            raise AquinError(
                f"a {rows[0].grade.beyond_cdl} does not fit into a CDL",
                path,
                "Write the list as .csv or .json, or settle with the CDL model",
            )
        cdl_file.write_all(path, cdls, f"{SPACE_NOTE} One key; {BETWEEN}.", force)
    else:
        raise AquinError("this ending names no change list", path, f"Use one of {' '.join(SUFFIXES)}")


def _whole(row: Row) -> dict[str, Any]:
    return row.values() | {"grade": row.grade.values()}
