"""Rules on the grades themselves: balances pasted across cameras, balances missing, a look left on."""

from collections import defaultdict
from collections.abc import Iterator

from aquin.production.audit.case import Case
from aquin.production.audit.finding import Finding, Fix
from aquin.production.heroes import hero_of
from aquin.production.records import Camera, Grade, Setup


def pasted(case: Case) -> Iterator[Finding]:
    """The same balance on two bodies: it is right on one of them at most."""
    same: dict[str, list[Grade]] = defaultdict(list)
    for grade in case.production.all(Grade):
        if grade.layer == "balance" and any(grade.values.values()) and not grade.values.get("linked"):
            same[repr(sorted(grade.values.items()))].append(grade)
    for grades in same.values():
        if len({g.camera_id for g in grades}) < 2:
            continue
        first, *rest = grades
        for other in rest:
            if other.camera_id == first.camera_id:
                continue
            here, there = (case.production.get(Camera, g.camera_id).name for g in (other, first))
            yield Finding(
                "balance pasted",
                "warning",
                0.95,
                f"{here} has exactly the balance of {there}",
                camera=other.camera_id,
                setup=other.setup_id,
                evidence=(
                    ("setup", _setup(case, other)),
                    ("the same in", f"{there}, {_setup(case, first)}"),
                    ("came from", other.origin or "not noted"),
                ),
                advice="A balance taken on one body is wrong on the next: take it from this body's own card.",
            )


def missing(case: Case) -> Iterator[Finding]:
    """No balance where another camera of the setup has one."""
    have = {(g.camera_id, g.setup_id) for g in case.production.all(Grade) if g.layer == "balance"}
    for (camera_id, setup_id), shots in case.together.items():
        others = [c for c, s in have if s == setup_id and c != camera_id]
        if (camera_id, setup_id) in have or not others or not any(s.kind == "shot" for s in shots):
            continue
        camera, setup = case.production.get(Camera, camera_id), case.production.get(Setup, setup_id)
        hero = hero_of(case.production, setup)
        if hero is not None and hero.camera_id == camera_id:  # the others are matched to it as it was filmed
            continue
        yield Finding(
            "balance missing",
            "warning",
            1.0,
            f"{camera.name} has no balance in {setup.name}",
            camera=camera_id,
            setup=setup_id,
            evidence=(
                (
                    "cameras that have one here",
                    ", ".join(sorted(case.production.get(Camera, c).name for c in others)),
                ),
            ),
            advice="Take it from this camera's card in this setup.",
        )


def look_on(case: Case) -> Iterator[Finding]:
    """The look is switched on while balances are still missing."""
    looks = [g for g in case.production.all(Grade) if g.layer == "look" and g.on]
    have = {(g.camera_id, g.setup_id) for g in case.production.all(Grade) if g.layer == "balance"}
    want = {key for key, shots in case.together.items() if any(s.kind == "shot" for s in shots)}
    if looks and want - have:
        yield Finding(
            "look on",
            "note",
            1.0,
            f"The look is on while {len(want - have)} of {len(want)} balances are missing",
            evidence=(("balances", f"{len(want & have)} of {len(want)}"),),
            advice="Balance with the look off: it hides casts.",
            fix=Fix("switch the look off", tuple(("grade", g.id, {"on": False}) for g in looks)),
        )


def _setup(case: Case, grade: Grade) -> str:
    found = case.production.find(Setup, grade.setup_id)
    return found.name if found is not None else "every setup"


RULES = (pasted, missing, look_on)
