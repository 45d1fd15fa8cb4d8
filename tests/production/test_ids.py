"""Meaning is kept as ids and hashes: from a file that schema 2 wrote, over renames, and over fields that later
versions add.
"""

import ast
import shutil
from dataclasses import dataclass, replace
from pathlib import Path

import pytest

from aquin.colour.config import ColourConfig
from aquin.colour.grade import Balance
from aquin.colour.grade import Grade as Correction
from aquin.desk.charts.state import ChartDesk
from aquin.production import Grade, Production, Shot
from aquin.production.agreeing import agreed
from aquin.production.agreement import from_repr, mark_of
from aquin.production.shoot import Shoot

OLD = Path(__file__).parent / "files" / "version-2.aquin"
"""Written by the program of schema 2: two balances from charts, one set on a chart by hand, two shots agreed to, one
opened again.
"""


@pytest.fixture
def old(tmp_path: Path, monkeypatch: pytest.MonkeyPatch) -> Production:
    monkeypatch.setenv("AQUIN_PERSON", "Marit")  # who made it: undo takes back one's own
    path = tmp_path / "old.aquin"
    shutil.copyfile(OLD, path)
    return Production.open(path)


def shot(production: Production, name: str) -> Shot:
    return next(s for s in production.all(Shot) if s.name == name)


def test_balances_of_an_older_file_name_their_charts_by_id(old: Production) -> None:
    balances = [g for g in old.all(Grade) if g.layer == "balance"]
    assert {old.get(Shot, g.source_id).name for g in balances} == {"H001C002", "T001C002", "T001C009"}
    assert (old.path.parent / "old.version-2.aquin").is_file()


def test_renaming_a_chart_loses_no_balance(old: Production, builtin: ColourConfig) -> None:
    chart = shot(old, "H001C002")
    desk = ChartDesk()
    desk.show(old, builtin)
    before = desk.state(chart)
    assert before in ("balance", "stale")
    old.change("rename", replace(chart, name="anything, of T001C002, else"))
    assert desk.state(old.get(Shot, chart.id)) == before
    assert desk.state(shot(old, "T001C002")) in ("balance", "stale")


def test_a_chart_that_goes_takes_no_balance_with_it(old: Production) -> None:
    count = len(old.all(Grade))
    old.change("drop", drop=[shot(old, "H001C002")])
    assert len(old.all(Grade)) == count
    old.undo()
    assert sum(bool(g.source_id) for g in old.all(Grade)) == 3


def test_agreement_of_an_older_file_holds(old: Production, builtin: ColourConfig) -> None:
    desk = Shoot(old, builtin)
    marked = {s.name for s in old.all(Shot) if agreed(old, desk, s)}
    assert marked == {"H001C003", "H001C004"}
    old.undo()  # open T001C003 again is taken back: an entry of schema 2 writes its own form of the mark
    assert {s.name for s in old.all(Shot) if agreed(old, desk, s)} == {"H001C003", "H001C004", "T001C003"}


def test_a_new_field_that_does_nothing_keeps_agreement() -> None:
    @dataclass(frozen=True)
    class Later(Correction):
        halation: float = 0.0

    grade = Correction(Balance(0.5, (1.1, 1.0, 0.9)), softness=0.3)
    later = Later(grade.balance, softness=0.3)
    assert mark_of(later) == mark_of(grade)
    assert mark_of(replace(later, halation=0.1)) != mark_of(grade)
    assert mark_of(replace(grade, softness=0.31)) != mark_of(grade)


def test_what_is_no_grade_makes_no_mark() -> None:
    assert from_repr("[('stops', 'x')]") is None
    assert from_repr("__import__('os').getcwd()") is None
    values = Correction(Balance(1.0)).values()
    assert from_repr(repr(sorted(values.items()))) == mark_of(Correction(Balance(1.0)))
    assert ast.literal_eval(repr(values)) == values
