"""What the Journal view shows, without Qt."""

from __future__ import annotations

from dataclasses import dataclass, field, replace
from typing import TYPE_CHECKING, Any

from aquin.production.diary import KINDS, Line, Sieve, days_in, people_in

if TYPE_CHECKING:
    from aquin.production import Production


@dataclass
class JournalDesk:
    """`lines`: the whole journal, the newest first; `sieve`: what of it is wanted."""

    production: Production | None = None
    lines: tuple[Line, ...] = ()
    sieve: Sieve = field(default_factory=Sieve)
    chosen: str = ""

    @property
    def shown(self) -> list[Line]:
        return [line for line in self.lines if self.sieve.keeps(line, self.production)]

    @property
    def line(self) -> Line | None:
        """The one that is chosen, if it is shown."""
        return next((line for line in self.lines if key_of(line) == self.chosen), None)

    def want(self, **changes: Any) -> None:
        self.sieve = replace(self.sieve, **changes)

    @property
    def people(self) -> list[str]:
        return people_in(self.lines)

    @property
    def days(self) -> list[str]:
        return days_in(self.lines)

    @property
    def kinds(self) -> list[str]:
        there = {k for line in self.lines for k in line.kinds}
        return [k for k in KINDS if k in there]

    def back_to(self, line: Line) -> int:
        """How many of this person's steps undo would take back up to a line, it with them; 0 where it is not among
        them.
        """
        production = self.production
        if production is None or line.merged:
            return 0
        done = production.done
        return len(done) - done.index(line.number) if line.number in done else 0

    def next_step(self) -> tuple[str, str]:
        if self.production is None:
            return "Open a production, or the demo", "file.open"
        return "Write the journal down", "journal.write"


def key_of(line: Line) -> str:
    """What a line is called in the table."""
    return f"{line.merged}.{line.number}"
