"""Write a grade as a file of its ending, and prove the file."""

from pathlib import Path

from aquin.arrays import Floats
from aquin.colour.grade import Grade
from aquin.errors import AquinError
from aquin.exchange import grade_file
from aquin.exchange.proof import Proof, prove


def check_ending(path: Path) -> None:
    """Raises AquinError where the ending names no grade format."""
    if path.suffix.lower() not in grade_file.SUFFIXES:
        raise AquinError(
            "this ending names no grade format", path, f"Use one of {' '.join(grade_file.SUFFIXES)}"
        )


def export_grade(
    path: Path,
    grade: Grade,
    title: str,
    force: bool = False,
    size: int = 65,
    picture: Floats | None = None,
) -> Proof:
    """Write the grade and read it back with OpenColorIO: slow, for a worker. `size`: points of a .cube.
    `picture`: (..., 3) scene-linear AP1 that it is for: it is proved on it, too. Raises AquinError.
    """
    check_ending(path)
    grade_file.write(path, grade, title, force, size, picture)
    return prove(path, grade, picture)
