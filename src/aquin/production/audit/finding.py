"""What an audit says: a finding, what speaks for it, and what could be done."""

from collections.abc import Mapping
from dataclasses import asdict, dataclass, field
from typing import Any, Literal

from aquin.production.records import finding_key
from aquin.wording import minus

Severity = Literal["error", "warning", "note"]
SEVERITIES: tuple[Severity, ...] = ("error", "warning", "note")


@dataclass(frozen=True)
class Fix:
    """A change that would mend it: in words, and as fields of records (table, id, fields)."""

    words: str
    changes: tuple[tuple[str, str, Mapping[str, Any]], ...] = ()


@dataclass(frozen=True)
class Finding:
    """One thing that is wrong, or may be.

    `shots`, `camera`, `setup` are ids of what it is about. `evidence`: pairs of what was looked at and its value in
    words.
    `confidence`: 0 to 1, how sure the rule is. `advice`: what to do where no `fix` can be made with one click.
    """

    kind: str
    severity: Severity
    confidence: float
    what: str
    shots: tuple[str, ...] = ()
    camera: str = ""
    setup: str = ""
    evidence: tuple[tuple[str, str], ...] = ()
    advice: str = ""
    fix: Fix | None = None
    dismissed: str = field(default="", compare=False)
    """The reason that a person gave for not acting on it."""

    @property
    def key(self) -> str:
        """The same for the same finding of a later audit."""
        return finding_key(self.kind, self.camera, self.setup, self.shots)

    @property
    def said(self) -> str:
        """What is wrong, with true minus signs before its numbers."""
        return minus(self.what)

    def data(self) -> dict[str, Any]:
        return asdict(self)

    @classmethod
    def of(cls, data: Mapping[str, Any]) -> "Finding":
        """From what `data` gave, also after JSON."""
        held = dict(data)
        fix = held["fix"]
        held["fix"] = (
            None if fix is None else Fix(fix["words"], tuple((t, i, f) for t, i, f in fix["changes"]))
        )
        held["shots"] = tuple(held["shots"])
        held["evidence"] = tuple((a, b) for a, b in held["evidence"])
        return cls(**held)
