"""A copy that comes back: what does not touch is taken, what does is asked, one undo takes it back, nothing is lost.

AQUIN_MERGES says how many random histories are tried.
"""

import os
from dataclasses import replace
from pathlib import Path
from typing import Any

import pytest
from hypothesis import HealthCheck, given, settings
from hypothesis import strategies as st

from aquin.errors import AquinError
from aquin.production import Camera, Production, Setup, Shot
from aquin.production.diary import grades_around, lines_of, told
from aquin.production.merging import MERGED, between, merge, plan_merge
from aquin.production.records import RECORDS, Grade, Option, Root
from aquin.production.rows import row_of

TRIES = int(os.environ.get("AQUIN_MERGES", "25"))


def records(production: Production, own: bool = True) -> dict[tuple[str, str], dict[str, Any]]:
    """Every record as a row; without the notes of merges."""
    return {
        (k.table, r.id): row_of(r)
        for k in RECORDS
        for r in production.all(k)
        if not (k is Option and r.id.startswith(MERGED))
    }


def start(folder: Path) -> tuple[Production, Path]:
    made = Production.create(folder / "a.aquin", "film")
    root = Root("media", "media")
    cameras, setups = [Camera(n) for n in "ABC"], [Setup(n) for n in ("deck", "pier")]
    shots = [
        Shot(
            root.id,
            f"{c.name}{k}.mov",
            f"{c.name}{k}",
            camera_id=c.id,
            setup_id=setups[k].id,
            content=f"{c.name}{k}",
        )
        for c in cameras
        for k in range(2)
    ]
    grades = [Grade("trim", shot_id=s.id, values={"stops": 0.0, "gains": [1.0, 1.0, 1.0]}) for s in shots]
    made.change("all", root, *cameras, *setups, *shots, *grades)
    made.save_copy(folder / "b.aquin")
    return made, folder / "b.aquin"


Step = tuple[str, int, int]
STEPS = st.lists(
    st.tuples(
        st.sampled_from(["grade", "note", "rename", "add", "drop", "option", "undo"]),
        st.integers(0, 5),
        st.integers(1, 4),
    ),
    max_size=8,
)


def do(production: Production, step: Step, who: str) -> None:
    kind, at, value = step
    shots = sorted(production.all(Shot), key=lambda s: s.path)
    setups = sorted(production.all(Setup), key=lambda s: s.id)
    if kind == "grade" and shots:
        shot = shots[at % len(shots)]
        held = next(
            (g for g in production.all(Grade) if g.shot_id == shot.id), Grade("trim", shot_id=shot.id)
        )
        values = {"stops": value / 10, "gains": [1.0, 1.0, 1.0]}
        production.change("grade", replace(held, values=values, origin=who))
    elif kind == "note" and shots:
        production.change("note", replace(shots[at % len(shots)], note=f"note {value}"))
    elif kind == "rename":
        production.change("rename", replace(setups[at % len(setups)], name=f"place {value}"))
    elif kind == "add":
        production.change("add", Setup(f"{who} {at} {value}"))
    elif kind == "drop" and len(shots) > 2:
        production.change("drop", drop=[shots[at % len(shots)]])
    elif kind == "option":
        production.change("option", Option({f"k{at}": value}, id=f"numbers {at % 2}"))
    elif kind == "undo" and production.can_undo not in (None, "new production", "all"):
        production.undo()


@settings(max_examples=TRIES, deadline=None, suppress_health_check=list(HealthCheck))
@given(mine=STEPS, theirs=STEPS)
def test_random_histories_of_two_copies(mine: list[Step], theirs: list[Step], tmp_path_factory: Any) -> None:
    a, path = start(tmp_path_factory.mktemp("merge"))
    b = Production.open(path)
    first = records(a)
    for step in mine:
        do(a, step, "ann")
    for step in theirs:
        do(b, step, "bea")
    of_a, of_b = records(a), records(b)
    entries_a, entries_b = a.entry_ids(), b.entry_ids()
    plan, other = plan_merge(a, b), plan_merge(b, a)
    # complete: what only they have changed is taken, what only we have changed stays, what both changed alike is alike
    entry = merge(a, b, plan)
    now = records(a)
    asked = {(c.table, c.id) for c in plan.conflicts}
    for key in first.keys() | of_a.keys() | of_b.keys():
        was, one, two = first.get(key), of_a.get(key), of_b.get(key)
        if key in asked:
            continue
        if one == was:
            assert now.get(key) == two, key
        elif two == was:
            assert now.get(key) == one, key
        elif one is not None and two is not None and was is not None:
            for name in one:
                if one[name] == was[name]:
                    assert now[key][name] == two[name]
                elif two[name] == was[name]:
                    assert now[key][name] == one[name]
    # our entries are all there, and theirs are told
    assert a.entry_ids()[: len(entries_a)] == entries_a
    if entry is not None:
        told = [e for o in a.all(Option) if o.id.startswith(MERGED) for e in o.value["entries"]]
        assert len(told) == len(entries_b) - sum(id in entries_a for id in entries_b)
        # whole, and each entry's changes with it
        theirs_told = {entries_b[e.number - 1]: e for e in b.journal(10_000, changes=True)}
        for e in told:
            said = theirs_told[e["id"]]
            assert [tuple(c) for c in e["changes"]] == [tuple(c) for c in said.changes]
            assert (e["at"], e["who"], e["what"], e["why"]) == (said.at, said.who, said.what, said.why)
        # a second time there is nothing to do; undo gives back what was
        again = plan_merge(a, b)
        assert not again.puts and not again.drops and not again.conflicts
        assert merge(a, b, again) is None
        a.undo()
        assert records(a) == of_a
        a.redo()
        assert records(a) == now
    # the other way round the same comes out, where nothing was asked
    assert {(c.table, c.id) for c in other.conflicts} == asked
    if not asked:
        merge(b, a, plan_merge(b, a))
        assert records(b) == now
    a.close()
    b.close()
    Production.open(path).close()


@pytest.fixture
def two(tmp_path: Path) -> tuple[Production, Production]:
    a, path = start(tmp_path)
    return a, Production.open(path)


def trim(production: Production, name: str) -> Grade:
    shot = next(s for s in production.all(Shot) if s.name == name)
    return next(g for g in production.all(Grade) if g.shot_id == shot.id)


def set_stops(production: Production, name: str, stops: float) -> None:
    held = trim(production, name)
    production.change(
        "trim", replace(held, values={"stops": stops, "gains": [1.0, 1.0, 1.0]}, origin="by hand")
    )


@pytest.mark.parametrize(("take", "stops"), [("mine", 0.4), ("theirs", 0.8), ("between", 0.6)])
def test_one_grade_by_two(two: tuple[Production, Production], take: Any, stops: float) -> None:
    a, b = two
    set_stops(a, "A0", 0.4)
    set_stops(b, "A0", 0.8)
    set_stops(b, "B0", 0.3)
    plan = plan_merge(a, b)
    assert [(c.record, c.field) for c in plan.conflicts] == [("the trim of A0", "values")]
    conflict = plan.conflicts[0]
    assert (conflict.base["stops"], conflict.mine["stops"], conflict.theirs["stops"]) == (0.0, 0.4, 0.8)
    merge(a, b, plan, {conflict.key: take})
    assert trim(a, "A0").values["stops"] == pytest.approx(stops)
    assert trim(a, "B0").values["stops"] == 0.3
    assert len(a.journal()) == 4  # one step, whatever was asked


def test_there_and_back_and_there_again(two: tuple[Production, Production]) -> None:
    """What they have from us is no change of theirs, and what went on since is taken."""
    a, b = two
    set_stops(a, "A0", 0.4)
    merge(b, a, plan_merge(b, a))
    set_stops(a, "A0", 0.5)  # we go on
    set_stops(b, "C0", 0.2)  # they go on elsewhere
    plan = plan_merge(a, b)
    assert not plan.conflicts
    merge(a, b, plan)
    assert trim(a, "A0").values["stops"] == 0.5 and trim(a, "C0").values["stops"] == 0.2
    merge(b, a, plan_merge(b, a))
    assert records(b) == records(a)
    set_stops(b, "A0", 0.9)
    merge(a, b, plan_merge(a, b))
    assert records(b) == records(a)


def test_what_came_through_another_house_is_told_once(
    two: tuple[Production, Production], tmp_path: Path
) -> None:
    """A third copy's entries reach us by a merge of a merge, whole; from itself they are not told again."""
    a, b = two
    b.save_copy(tmp_path / "c.aquin")
    c = Production.open(tmp_path / "c.aquin")
    set_stops(c, "C0", 0.25)
    merge(b, c, plan_merge(b, c))
    set_stops(b, "B1", 0.5)
    merge(a, b, plan_merge(a, b))
    assert trim(a, "C0").values["stops"] == 0.25
    lines = [line for line in lines_of(a) if line.merged]
    assert len(lines) == 3  # theirs, their merge, and what that had brought
    line = next(n for n in lines if any(a.get(Shot, i).name == "C0" for i in n.shots))
    assert {"grade", "merge"} <= line.kinds
    assert "the trim of C0, numbers" in [t.split(":")[0] for t in told(a, line)]
    both = grades_around(a, line, next(s for s in a.all(Shot) if s.name == "C0"))
    assert both is not None and [g.balance.stops for g in both] == [0.0, 0.25]
    merge(a, c, plan_merge(a, c))
    assert len([line for line in lines_of(a) if line.merged]) == 3
    c.close()


def test_what_one_removed_and_the_other_changed(two: tuple[Production, Production]) -> None:
    a, b = two
    shot = next(s for s in a.all(Shot) if s.name == "A0")
    a.change("drop", drop=[shot])
    there = next(s for s in b.all(Shot) if s.name == "A0")
    b.change("note", replace(there, note="keep this one"))
    plan = plan_merge(a, b)
    assert [(c.record, c.field, c.mine) for c in plan.conflicts] == [("shot A0", "", None)]
    merge(a, b, plan, take="theirs")
    assert a.get(Shot, shot.id).note == "keep this one"
    b.change("drop camera", drop=[next(c for c in b.all(Camera) if c.name == "C")])
    plan = plan_merge(a, b)
    assert not plan.conflicts and any(table == "camera" for table, _ in plan.drops)


def test_strangers_are_refused(two: tuple[Production, Production], tmp_path: Path) -> None:
    stranger = Production.create(tmp_path / "other.aquin", "other")
    with pytest.raises(AquinError, match="no copy"):
        plan_merge(two[0], stranger)


@pytest.mark.parametrize(
    ("a", "b", "half"),
    [
        (1.0, 2.0, 1.5),
        ([0.0, 2.0], [1.0, 4.0], [0.5, 3.0]),
        ({"x": 0, "y": "same"}, {"x": 1, "y": "same"}, {"x": 0.5, "y": "same"}),
    ],
)
def test_half_way(a: Any, b: Any, half: Any) -> None:
    assert between(a, b) == half


@pytest.mark.parametrize(
    ("a", "b"), [("one", "two"), (True, False), ([1.0], [1.0, 2.0]), ({"x": 1}, {"y": 1}), (None, 1.0)]
)
def test_nothing_lies_between(a: Any, b: Any) -> None:
    with pytest.raises(AquinError, match="nothing lies between"):
        between(a, b)
