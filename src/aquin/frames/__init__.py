"""Files to frames: stills, numbered sequences and movies become float32 RGB with their numbers and signal facts.

Nothing is graded here: a frame holds the file's own signal, 0 to 1 over the nominal range.
"""

from aquin.frames.decode import Decode
from aquin.frames.model import Frame, Matrix, Range, Signal, Source
from aquin.frames.opening import open_source

__all__ = ["Decode", "Frame", "Matrix", "Range", "Signal", "Source", "open_source"]
