"""Answers that are kept by what was asked."""

from threading import Barrier, Thread

import numpy as np
import pytest

from aquin.charts import find, solve
from aquin.charts.layout import Layout
from aquin.errors import AquinError
from aquin.measure.ledger import Evidence
from aquin.remembered import Remembered, mark
from photographs import Case, compose


def test_marks_tell_values_types_and_shapes_apart() -> None:
    a = np.arange(6, dtype=np.float32)
    things = [
        (a,),
        (a + 1,),
        (a.reshape(2, 3),),
        (a.reshape(3, 2),),
        (a.astype(np.float64),),
        (a.view(np.int32),),
        (a, None),
        (None, a),
        (a[:3], a[3:]),
        (a[:2], a[2:]),
        ("1",),
        (1,),
        (1.0,),
        (True,),
        (None,),
        (),
    ]
    assert len({mark(*t) for t in things}) == len(things)
    assert mark(a[::-1][::-1]) == mark(a.copy()) and mark(np.asfortranarray(a.reshape(2, 3))) == mark(
        a.reshape(2, 3)
    )


def test_the_newest_answers_are_kept() -> None:
    held, made = Remembered[int](2), []

    def ask(n: int) -> int:
        return held.get(mark(n), lambda: made.append(n) or n * n)

    assert [ask(n) for n in (1, 2, 1, 3, 1, 2)] == [1, 4, 1, 9, 1, 4]
    assert made == [1, 2, 3, 2]  # 1 was asked for in between and stayed


def test_none_is_an_answer_and_a_failure_is_not() -> None:
    held, asked = Remembered[None](4), []
    for _ in range(2):
        assert held.get(b"none", lambda: asked.append(1)) is None
    assert asked == [1]

    def fail() -> None:
        asked.append(2)
        raise ValueError

    for _ in range(2):
        with pytest.raises(ValueError):
            held.get(b"fails", fail)
    assert asked == [1, 2, 2]


def test_threads_get_the_same() -> None:
    held, out, ready = Remembered[int](8), [], Barrier(6)

    def ask() -> None:
        ready.wait()
        out.extend(held.get(mark(n), lambda n=n: n + 100) for n in range(40))  # type: ignore[misc]

    threads = [Thread(target=ask) for _ in range(6)]
    for t in threads:
        t.start()
    for t in threads:
        t.join()
    assert sorted(out) == sorted(list(range(100, 140)) * 6)


def test_a_chart_that_was_found_is_the_askers_own(chart24: Layout, monkeypatch: pytest.MonkeyPatch) -> None:
    picture, _ = compose(Case("coffee", 0.4, 2), chart24)
    first = find.find_chart(picture, chart24)
    assert first is not None
    kept = first.corners.copy()
    first.corners[:] += 100
    monkeypatch.setattr(find, "_search", lambda *_: pytest.fail("searched again"))
    again = find.find_chart(picture, chart24)
    assert again is not None and np.array_equal(again.corners, kept) and again.score == first.score


def test_what_was_solved_is_not_solved_again(
    random: np.random.Generator, monkeypatch: pytest.MonkeyPatch
) -> None:
    hero = random.uniform(0.02, 0.8, (20, 3))
    pairs = Evidence(hero, hero * [0.5, 0.6, 0.7], np.zeros(20, bool))
    found = solve.solve(pairs, "cdl")
    with pytest.raises(AquinError, match="flare") as refused:
        solve.solve(pairs, "gains+flare")
    monkeypatch.setattr(solve, "_fit", lambda *_: pytest.fail("solved again"))
    assert solve.solve(pairs.part(np.ones(20, bool)), "cdl") == found
    with pytest.raises(AquinError) as again:
        solve.solve(pairs, "gains+flare")
    assert again.value.line() == refused.value.line() and again.value is not refused.value
    monkeypatch.undo()
    other = solve.solve(Evidence(hero, hero * [0.5, 0.6, 0.71], np.zeros(20, bool)), "cdl")
    assert other.grade != found.grade
