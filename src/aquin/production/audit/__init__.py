"""The audit: what is wrong with the log, the tags, the light and the grades, each finding with its evidence and a fix.

Rules are functions from a `Case` (the production and its measurements) to findings; `run_audit` runs them all.
"""

from aquin.production.audit.finding import Finding, Fix
from aquin.production.audit.run import apply_fix, apply_fixes, dismiss, kept_findings, run_audit, sure_fixes

__all__ = [
    "Finding",
    "Fix",
    "apply_fix",
    "apply_fixes",
    "dismiss",
    "kept_findings",
    "run_audit",
    "sure_fixes",
]
