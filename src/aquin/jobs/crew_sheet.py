"""The crew sheet of today."""

from datetime import date
from pathlib import Path

from aquin.exchange.crew_sheet import Sheet, write_crew_sheet
from aquin.production import Production
from aquin.production.plan import Chain, checklist
from aquin.production.settings import POLICIES, policy_of


def write_sheet(production: Production, chain: Chain, path: Path, force: bool = False) -> None:
    """Exposure, charts and policy as .pdf or .html. Raises AquinError."""
    policy = POLICIES[policy_of(production)]
    sheet = Sheet(production.name, date.today().isoformat(), policy, chain, tuple(checklist(production)))
    write_crew_sheet(path, sheet, force)
