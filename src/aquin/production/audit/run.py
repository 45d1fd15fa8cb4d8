"""Running the audit, keeping what it found, acting on it."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import replace
from typing import TYPE_CHECKING, Any

from aquin.production.audit import charts, grades, light, papers, tags, transfer
from aquin.production.audit.case import Case
from aquin.production.audit.finding import SEVERITIES, Finding
from aquin.production.charts_seen import look_for_charts
from aquin.production.heroes import propose
from aquin.production.measuring import measure_shots
from aquin.production.over_time import follow, may_change
from aquin.production.records import RECORDS, Dismissal, Record, Setup, Shot
from aquin.workers import part

if TYPE_CHECKING:
    from aquin.colour.config import ColourConfig
    from aquin.production.store import Entry, Production
    from aquin.workers import Tell


FROM_PICTURES = {
    "encoding",
    "range",
    "baked picture",
    "exposure",
    "white setting",
    "card light",
    "clipping",
    "changing light",
    "cut short",
}
"""Kinds of findings that measurements speak for."""

FIXED_FIRST = ("encoding", "encoding unknown", "range", "matrix", *charts.UNLOGGED)
"""Kinds of findings about how a recording is read: mended before anything is matched."""
SURE = 0.9
"""Confidence from which a fix is offered before settling."""

RULES = (*papers.RULES, *tags.RULES, *transfer.RULES, *light.RULES, *grades.RULES)


def run_audit(
    production: Production,
    config: ColourConfig,
    jobs: int | None = None,
    tell: Tell | None = None,
    measure: bool = True,
) -> list[Finding]:
    """Measure what is not measured yet, and look for everything that is wrong; the gravest first. Raises AquinError.

    Without `measure` only what is known already is looked at: quick enough to follow each change.
    """
    measured = measure_shots(production, config, jobs=jobs, tell=part(tell, 0.0, 0.6), only_known=not measure)
    glimpsed = look_for_charts(production, jobs, part(tell, 0.6, 0.85), only_known=not measure)
    case = Case(production, config, measured, glimpsed=glimpsed)
    case = replace(case, altered=frozenset(id for f in tags.baked(case) for id in f.shots))
    unlogged = list(charts.unlogged(case))
    set_aside = {d.finding for d in production.all(Dismissal)}
    told = [f for f in unlogged if f.kind == charts.SERIES and f.key not in set_aside]
    case = replace(case, serial=frozenset(id for f in told for id in f.shots))
    wanted = [s for s in case.shots if may_change(measured.get(s.id, {}).get("levels", ()))]
    followed = follow(production, config, wanted, jobs, part(tell, 0.85, 1.0), only_known=not measure)
    case = replace(case, followed=followed)
    found = {f.key: f for f in unlogged}
    for rule in RULES:
        if tell is not None:
            tell(1.0, "looking for what is wrong")
        for finding in rule(case):
            found.setdefault(finding.key, finding)
    if not measure:
        found |= _carried(production, found, measured)
    if not production.read_only:
        production.keep_findings({key: f.data() for key, f in found.items()})
    return _ordered(production, list(found.values()))


def _carried(
    production: Production, found: Mapping[str, Finding], measured: Mapping[str, Any]
) -> dict[str, Finding]:
    """Earlier findings about shots that are not measured now: nothing speaks against them yet."""
    old = (Finding.of(v) for v in production.findings())
    lost = {s.id for s in production.all(Shot) if s.id not in measured and not s.trouble}
    return {f.key: f for f in old if f.kind in FROM_PICTURES and f.key not in found and lost & set(f.shots)}


def kept_findings(production: Production) -> list[Finding]:
    """What the last audit found, with what has been dismissed since."""
    return _ordered(production, [f for v in production.findings() if (f := _whole(v)) is not None])


def _whole(data: dict[str, Any]) -> Finding | None:
    """None for what another program spoilt: the next audit finds it again."""
    try:
        found = Finding.of(data)
    except (KeyError, TypeError, ValueError):
        return None
    return found if found.severity in SEVERITIES and isinstance(found.confidence, int | float) else None


def _ordered(production: Production, found: list[Finding]) -> list[Finding]:
    reasons = {d.finding: d.reason for d in production.all(Dismissal)}
    marked = [replace(f, dismissed=reasons.get(f.key, "")) for f in found]
    return sorted(
        marked, key=lambda f: (bool(f.dismissed), SEVERITIES.index(f.severity), -f.confidence, f.kind, f.key)
    )


def apply_fix(production: Production, finding: Finding) -> Entry | None:
    """Make the change that a finding offers; it can be undone. Raises AquinError."""
    return apply_fixes(production, [finding], finding.what)


def sure_fixes(production: Production) -> list[Finding]:
    """What the last audit found wrong with how recordings are read, is sure of, and can mend."""
    return [
        f
        for f in kept_findings(production)
        if f.fix is not None
        and f.kind in FIXED_FIRST
        and not f.dismissed
        and f.severity != "note"
        and f.confidence >= SURE
    ]


def apply_fixes(
    production: Production, findings: Sequence[Finding], why: str = "sure findings of the audit"
) -> Entry | None:
    """Make the changes of several findings as one step that can be undone. Raises AquinError."""
    puts: dict[tuple[str, str], Record] = {}
    kinds = {r.table: r for r in RECORDS}
    for finding in findings:
        for table, id, values in finding.fix.changes if finding.fix is not None else ():
            record = puts.get((table, id)) or production.find(kinds[table], id)
            if record is not None:
                puts[table, id] = replace(record, **values)
    _heroes_again(production, puts)
    if not puts:
        return None
    words = "; ".join(f.fix.words for f in findings if f.fix is not None)
    what = f"{len(findings)} fixes: {words}" if len(findings) > 1 else f"fix: {words}"
    return production.change(what, *puts.values(), why=why)


def dismiss(production: Production, finding: Finding, reason: str) -> Entry | None:
    """Set a finding aside with a reason; an empty reason takes it back."""
    old = [d for d in production.all(Dismissal) if d.finding == finding.key]
    if not reason.strip():
        return production.change("look at a finding again", drop=old, why=finding.what) if old else None
    mark = replace(old[0], reason=reason) if old else Dismissal(finding.key, reason)
    return production.change("dismiss a finding", mark, why=reason)


def _heroes_again(production: Production, puts: dict[tuple[str, str], Record]) -> None:
    """Setups whose hero turns out to be no shot get another one in the same step."""
    gone = {
        r.id
        for r in puts.values()
        if isinstance(r, Shot) and r.kind != "shot" and production.get(Shot, r.id).kind == "shot"
    }
    left = [s for s in production.all(Setup) if s.hero_id in gone]
    found = propose(production, gone) if left else {}
    for setup in left:
        hero = found.get(setup.id)
        puts["setup", setup.id] = replace(setup, hero_id=hero.id if hero is not None else "")
