"""Work that is done once for each content, and kept with the production."""

from __future__ import annotations

from collections.abc import Mapping
from typing import TYPE_CHECKING, Any

from aquin.errors import AquinError
from aquin.workers import Tell, each

if TYPE_CHECKING:
    from aquin.production.store import Production


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
    fresh: dict[str, Any] = {}
    try:
        missing = [j for k, j in wanted.items() if k not in known]
        for job, result in each(work, missing, jobs, tell, lambda j: j.path.name):
            if not isinstance(result, AquinError):
                fresh[job.key] = result
    finally:
        if fresh and not production.read_only:
            production.keep_measured(kind, fresh)
    return known | fresh
