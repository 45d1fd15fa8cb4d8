"""The crew sheet of today."""

from __future__ import annotations

from datetime import date
from pathlib import Path
from typing import TYPE_CHECKING

from aquin.exchange.crew_sheet import Sheet, write_crew_sheet
from aquin.production.plan import Chain, checklist
from aquin.production.settings import POLICIES, policy_of

if TYPE_CHECKING:
    from aquin.production import Production


def write_sheet(production: Production, chain: Chain, path: Path, force: bool = False) -> None:
    """Exposure, charts and policy as .pdf or .html. Raises AquinError."""
    policy = POLICIES[policy_of(production)]
    sheet = Sheet(production.name, date.today().isoformat(), policy, chain, tuple(checklist(production)))
    write_crew_sheet(path, sheet, force)
