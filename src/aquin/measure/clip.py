"""A source together with its encoding: frames in the file's signal and in scene-linear."""

from dataclasses import dataclass
from pathlib import Path

from aquin.arrays import Float32
from aquin.colour.config import ColourConfig, Processor
from aquin.frames import Decode, Frame, Matrix, Range, Source, open_source


@dataclass(frozen=True)
class Clip:
    """One file as the person opened it: the source, the encoding they chose, and the transform that follows from it."""

    source: Source
    encoding: str
    to_linear: Processor

    @classmethod
    def open(
        cls,
        path: str | Path,
        encoding: str,
        config: ColourConfig,
        matrix: Matrix | None = None,
        range: Range | None = None,
        decode: Decode | None = None,
    ) -> "Clip":
        """Raises AquinError for an unreadable file or an unknown encoding."""
        name = config.resolve(encoding)
        return cls(open_source(path, matrix, range, decode=decode), name, config.to_linear(name))

    def read(self, number: int | None = None) -> tuple[Frame, Float32]:
        """A frame and its (h, w, 3) scene-linear AP1; the one that the file's name stands for unless
        numbered, of a movie the first."""
        frame = self.source.read(self.source.usual if number is None else number)
        return frame, self.to_linear(frame.rgb)
