"""The one kind of error that is shown to people: what happened, to which file, what to do next."""

from pathlib import Path


class AquinError(Exception):
    """A clear, expected failure: bad input, a missing file, a full disk.

    Parameters: `what` happened (no full stop), the `file` it happened to (or None), the `remedy` (what to do next).
    """

    def __init__(self, what: str, file: str | Path | None = None, remedy: str = "") -> None:
        self.what = what
        self.file = str(file) if file is not None else ""
        self.remedy = remedy
        super().__init__(self.line())

    def line(self) -> str:
        """All three parts in one line, for the command line and the log."""
        parts = [f"{self.what}: {self.file}" if self.file else self.what, self.remedy]
        return ". ".join(" ".join(part.split()).rstrip(".") for part in parts if part) + "."
