"""Work that is done once for each content, and kept with the production."""

from __future__ import annotations

import time
from collections.abc import Mapping
from typing import TYPE_CHECKING, Any

from aquin.errors import AquinError
from aquin.workers import Tell, each

if TYPE_CHECKING:
    from aquin.production.store import Production


EACH = 2.0
"""Seconds of work that the end of the program may cost at most."""


class Keeping:
    """Keeps results with the production as they come, so that a job which is killed has lost little. `fresh`: all of
    them. Used with `with`; what is left is kept at its end, also after an error.
    """

    def __init__(self, production: Production, kind: str) -> None:
        self.production, self.kind = production, kind
        self.fresh: dict[str, Any] = {}
        self._new: dict[str, Any] = {}
        self._kept = time.monotonic()

    def add(self, values: Mapping[str, Any]) -> None:
        self.fresh |= values
        self._new |= values
        if time.monotonic() - self._kept > EACH:
            self._keep()

    def _keep(self) -> None:
        if self._new and not self.production.read_only:
            self.production.keep_measured(self.kind, self._new)
        self._new, self._kept = {}, time.monotonic()

    def __enter__(self) -> Keeping:
        return self

    def __exit__(self, *error: object) -> None:
        self._keep()


def cached(
    production: Production,
    kind: str,
    wanted: Mapping[str, Any],
    work: Any,
    jobs: int | None,
    tell: Tell | None,
) -> dict[str, Any]:
    """Do jobs that were not done yet in workers, and keep what they give; jobs that fail are left out."""
    known = production.measured_of(kind, wanted)
    missing = [j for k, j in wanted.items() if k not in known]
    with Keeping(production, kind) as keeping:
        for job, result in each(work, missing, jobs, tell, lambda j: j.path.name):
            if not isinstance(result, AquinError):
                keeping.add({job.key: result})
    return known | keeping.fresh
