"""What shots show beside their hero: how witnesses are put together, what a cell has in common, and that it holds."""

import json
import os
import subprocess
import sys
import tempfile
from collections.abc import Iterator
from dataclasses import replace
from pathlib import Path

import numpy as np
import pytest

from aquin.colour.grade import Balance, Grade
from aquin.exchange import picture
from aquin.match.engine import Side
from aquin.match.materials import Materials, match_frames
from aquin.measure.ledger import AXES, Row
from aquin.production import Production, beside, match_work
from aquin.production.audit import Finding
from aquin.production.beside import (
    LEAST,
    SURER,
    SURER_OF_LEVEL,
    Verdict,
    agreed,
    beside_of,
    by_points,
    like_job,
    on_the_axes,
    without,
)
from aquin.production.cell_sum import BEFORE, COMMON, SPREAD, of_cell
from aquin.production.cells import State, board
from aquin.production.heroes import moment_of
from aquin.production.match_work import Ref, SeeJob, see_job, side_of
from aquin.production.matching import Wish, settle
from aquin.production.records import Setup, Shot
from aquin.production.scratch import scratch
from aquin.production.settings import config_of
from aquin.production.shoot import Shoot
from aquin.production.trims import matters
from shoots import copy_of
from stereo import stereo_pair
from yardstick import Judged, judged

EXPOSURE = next(a for a in AXES if a.name == "exposure")


@pytest.fixture(scope="module")
def matched(settled: Path) -> Iterator[Production]:
    production = Production.open(settled, read_only=True)
    yield production
    production.close()


def sound(production: Production, filmed: Path) -> list[Judged]:
    desk = Shoot(production, config_of(production))
    found = judged(production, desk, filmed.parents[1] / "truth")
    return [j for j in found if not (j.hero or j.mistake or j.odd) and j.moment.same_time]


def test_settling_leaves_no_sound_shot_worse(matched: Production, filmed: Path) -> None:
    rows = sound(matched, filmed)
    assert len(rows) >= 6
    for one in rows:
        assert one.after <= one.before + 0.5, one.shot.name
    assert np.median([r.after for r in rows]) < 0.5 * np.median([r.before for r in rows])
    assert np.mean([r.after <= 4 for r in rows]) > 0.8
    assert np.mean(np.abs([r.stops for r in rows])) < 0.12


@pytest.mark.parametrize(("kind", "compared"), [("exposure", True), ("encoding", False)])
def test_shots_are_compared_with_a_faulty_recording_once_its_light_is_taken_back(
    settled: Path, kind: str, compared: bool
) -> None:
    """A finding on another recording of the hero's camera, which points bring to the hero; not where it may be read
    wrongly, which gains do not mend.
    """
    production = Production.open(copy_of(settled))
    config = config_of(production)
    desk = Shoot(production, config)
    pairs = [(s, desk.moment(s)) for place in desk.shots for s in desk.shots[place] if s.kind == "shot"]
    heroes = {s.hero_id for s in production.all(Setup)}
    shot, at = next((s, at) for s, at in pairs if at and at.same_time and at.hero.id not in heroes)
    found = Finding(kind, "warning", 0.9, "it is not as the others are", (at.hero.id,))
    production.keep_findings({found.key: found.data()})
    settle(production, config, list(desk.shots), Wish("gains"))
    desk = Shoot(production, config)
    balance = desk.balances[shot.setup_id, shot.camera_id]
    assert desk.trims[at.hero.id].origin.startswith("the same points")
    assert (shot.id in balance.values["told"]) is compared
    production.close()


def test_other_frames_are_looked_at_where_one_leaves_doubt_or_white_wanders(
    tmp_path: Path, monkeypatch: pytest.MonkeyPatch
) -> None:
    """Two stills of one scene, sure of each other; and what a telephone films, which chooses its white by itself."""
    pair = stereo_pair()
    for name, linear in (("hero", pair.left), ("shot", pair.right)):
        picture.write(tmp_path / f"{name}.exr", linear)
    hero, shot = (Ref(tmp_path / f"{n}.exr", "ACEScg", "", "", 0) for n in ("hero", "shot"))
    looked: list[int] = []

    def counted(frames: list, struck: object = None) -> Materials | None:
        looked.append(len(frames))
        return match_frames(frames, struck=struck)

    monkeypatch.setattr(beside, "match_frames", counted)
    more = ((hero, shot),) * 2
    sure = like_job(SeeJob("", hero, shot, None, more=more))
    assert looked == [1]
    assert like_job(SeeJob("", hero, shot, None, more=more, wanders=True))["off"] == pytest.approx(
        sure["off"], abs=0.03
    )
    assert looked == [1, 1, 3]
    assert like_job(SeeJob("", hero, shot, None, wanders=True)) == sure
    gone = (Ref(tmp_path / "gone.exr", "ACEScg", "", "", 0),) * 2
    assert (
        like_job(SeeJob("", hero, shot, None, more=(gone,), wanders=True)) == sure
    )  # the moment speaks alone
    looked.clear()
    monkeypatch.setattr(beside, "UNSURE", 0.0)
    like_job(SeeJob("", hero, shot, None, more=more))
    assert looked == [1, 3]


def test_small_pictures_are_kept_while_a_match_takes_and_say_the_same(
    tmp_path: Path, monkeypatch: pytest.MonkeyPatch
) -> None:
    """Read once for all that look at them; one that was damaged is read again, and a full disk keeps nothing."""
    pair, scratch = stereo_pair(), tmp_path / "scratch"
    scratch.mkdir()
    for name, linear in (("hero", pair.left), ("shot", pair.right)):
        picture.write(tmp_path / f"{name}.exr", linear)
    hero, shot = (Ref(tmp_path / f"{n}.exr", "ACEScg", "", "", 0) for n in ("hero", "shot"))
    bare = SeeJob("", hero, shot, None, more=((hero, shot),), wanders=True)
    kept = replace(bare, scratch=str(scratch))
    said = like_job(bare)
    assert see_job(kept) == see_job(bare)
    assert len(list(scratch.iterdir())) == 2 and like_job(kept) == said
    assert len(list(scratch.iterdir())) == 4  # and the thinned ones of other moments
    read: list[str] = []

    def counted(ref: Ref, config: str | None) -> Side:
        read.append(ref.path.name)
        return side_of(ref, config)

    monkeypatch.setattr(match_work, "side_of", counted)
    assert like_job(kept) == said and not read
    lit = replace(shot, grade=json.dumps(Grade(Balance(1.0)).values()))
    brighter = replace(kept, shot=lit, more=((hero, lit),))
    assert np.array(like_job(brighter)["off"]) == pytest.approx(np.array(said["off"]) + 1, abs=0.05)
    assert not read  # whatever the grade
    for file in scratch.iterdir():
        file.write_bytes(file.read_bytes()[:100])
    assert like_job(kept) == said and len(read) == 2
    for file in scratch.iterdir():
        file.unlink()
    monkeypatch.setattr(match_work, "MOST_KEPT", 0)
    assert like_job(kept) == said and not list(scratch.iterdir())
    assert like_job(replace(kept, scratch=str(tmp_path / "gone"))) == said


def test_what_a_match_keeps_goes_with_it_and_what_a_killed_one_left_goes_with_the_next(
    tmp_path: Path, monkeypatch: pytest.MonkeyPatch
) -> None:
    monkeypatch.setattr(tempfile, "tempdir", str(tmp_path))
    gone = subprocess.Popen([sys.executable, "-c", ""])
    gone.wait()
    left, other = tmp_path / f"aquin-match-{gone.pid}-x", tmp_path / "aquin-match-of-somebody"
    running = tmp_path / f"aquin-match-{os.getpid()}-y"
    for folder in (left, other, running):
        folder.mkdir()
    with pytest.raises(KeyboardInterrupt), scratch() as made:
        (Path(made) / "a.npy").write_bytes(b"")
        assert not left.exists() and other.exists() and running.exists()
        raise KeyboardInterrupt
    assert {f.name for f in tmp_path.iterdir()} == {other.name, running.name}
    monkeypatch.setattr(tempfile, "tempdir", str(tmp_path / "full"))
    with scratch() as made:
        assert made == ""


@pytest.mark.parametrize(("begin", "frames", "more"), [(0.0, 96, 2), (2.0, 96, 2), (3.6, 96, 0), (0.0, 3, 0)])
def test_moments_beside_the_one_that_is_compared(begin: float, frames: int, more: int) -> None:
    """At 24 a second, over as long as both ran: at a fifth and four fifths of it, if that is six frames away."""
    hero = Shot("r", "a", "A", "shot", "c1", "s", start="10:00:00:00", rate="24", frames=96)
    start = f"10:00:0{int(begin)}:{round(begin % 1 * 24):02d}"
    shot = Shot("r", "b", "B", "shot", "c2", "s", start=start, rate="24", frames=frames)
    at = moment_of(None, shot, hero, among=[hero])  # type: ignore[arg-type]
    assert at.same_time and len(at.more) == more
    for theirs, own in at.more:
        assert theirs - own == at.hero_frame - at.shot_frame == round(24 * begin)
        assert abs(own - at.shot_frame) >= 6


def test_what_is_stated_of_the_error_holds(matched: Production, filmed: Path) -> None:
    """Few shots here; over seeds: `benchmarks/seeds.py`."""
    desk = Shoot(matched, config_of(matched))
    said = beside_of(desk, list(desk.shots))
    rows = [r for r in sound(matched, filmed) if r.shot.id in said]
    assert len(rows) >= 6
    z = [abs(r.stops) / said[r.shot.id].axes["exposure"][1] for r in rows]
    assert np.mean(np.array(z) < 2) >= 0.75 and max(z) < 5


def test_a_cell_in_doubt_says_what_would_settle_it(matched: Production) -> None:
    from aquin.desk.board.widgets import about

    cells = board(matched, config_of(matched))
    rows = [r for c in cells.values() for s in c.shots for r in s.rows if np.isfinite(r.doubt)]
    assert {r.axis.name for r in rows} == {"exposure", "warmth", "tint"}
    for cell in cells.values():
        unsure = [r for r in cell.rows if r.doubtful]
        if cell.state is State.DOUBT and cell.to_look_at:
            assert unsure and "named on the Bench" in about(cell) and not cell.settled
        if cell.word == "within":
            assert not unsure


def row(after: float, beside: float, doubt: float) -> Row:
    return Row(EXPOSURE, 0.0, 0.0, 0.0, after, beside, doubt)


def test_doubt_beyond_the_tolerance_is_neither_within_nor_off() -> None:
    assert row(0.0, 0.02, 0.04).within and not row(0.0, 0.02, 0.04).doubtful
    unsure = row(0.0, 0.02, 0.2)
    assert unsure.doubtful and not unsure.within
    assert not row(0.0, 0.9, 0.2).doubtful and not row(0.0, 0.9, 0.2).within  # surely off
    assert row(0.05, float("nan"), float("nan")).within  # nothing but pairs
    assert not row(0.0, 0.3, 0.04).within and row(0.0, 0.3, 0.04).contradicted
    assert not row(0.0, 0.1, 0.1).contradicted


def test_witnesses_are_weighed_and_wild_ones_held_back() -> None:
    one, two = (np.full(3, 0.2), np.full(3, 0.05)), (np.full(3, 0.22), np.full(3, 0.05))
    value, error = agreed([one, two])
    assert value == pytest.approx(np.full(3, 0.21)) and (error < 0.05).all()
    wild = (np.full(3, 3.0), np.full(3, 0.1))
    value, error = agreed([one, two, wild])
    assert np.abs(value - 0.21).max() < 0.2 and (error > 0.05).all()  # and it makes less sure
    alone, sure = agreed([one])
    assert alone == pytest.approx(one[0]) and sure == pytest.approx(one[1])


def verdict(off: float, error: float) -> Verdict:
    return Verdict(np.full(3, off), np.full(3, error), "the same materials", np.full(3, error))


def test_weak_evidence_does_little_and_sure_evidence_all() -> None:
    weak, sure = (of_cell({"a": v}, [], SPREAD, BEFORE) for v in (verdict(1.0, 2.0), verdict(0.3, 0.02)))
    assert np.abs(weak.off + weak.shots["a"].off).max() < 0.1
    assert sure.off + sure.shots["a"].off == pytest.approx(np.full(3, 0.3), abs=0.02)
    assert (weak.error > 0.95 * np.array(BEFORE)).all() and (sure.shots["a"].error < 0.03).all()


def test_what_shots_have_in_common_is_the_cells_and_the_rest_theirs() -> None:
    found = {
        "a": verdict(0.4, 0.03),
        "b": verdict(0.42, 0.03),
        "c": verdict(0.6, 0.03),
        "odd": verdict(-2.0, 0.03),
    }
    cell = of_cell(found, ["odd"], (0.1, 0.1, 0.1), BEFORE)
    assert 0.3 < cell.off[0] < 0.55  # what is odd says nothing of the others
    for id, one in found.items():
        assert cell.off + cell.shots[id].off == pytest.approx(one.off, abs=0.05)


def test_what_witnesses_have_wrong_alike_is_not_averaged_away() -> None:
    """A card says that nothing is off; many shots of doubtful materials that all say otherwise do not outvote it."""
    held = (0.05, 0.05, 0.05)
    few, many = (
        of_cell({str(k): verdict(0.3, 0.3) for k in range(n)}, [], (0.02, 0.02, 0.02), held) for n in (2, 50)
    )
    assert 0 < few.off[0] < many.off[0] < 0.05
    assert many.shots["0"].off[0] + many.off[0] < 0.06
    # as far as they are off alike: were each off on its own, fifty would be right to within a twentieth of a stop
    assert 0.3 / np.sqrt(50) < COMMON * 0.3


def test_a_moment_that_is_known_to_be_darker_is_no_wrong_exposure() -> None:
    """The hero's own clip of that moment says how the light had fallen; what cameras do is judged beyond that."""
    fallen = np.array([-1.5, -1.6, -1.7])
    found = {"a": verdict(-1.5, 0.5), "b": verdict(0.0, 0.05)}
    told, untold = (of_cell(found, [], SPREAD, BEFORE, light) for light in ({"a": fallen}, None))
    assert told.off + told.shots["a"].off == pytest.approx(fallen, abs=0.15)
    assert untold.off[0] + untold.shots["a"].off[0] > -1.0  # held back by what shots usually differ by


@pytest.mark.parametrize(
    ("stops", "mired", "duv", "kept"),
    [
        (0.04, 0.0, 0.0, False),
        (-0.06, 0.0, 0.0, True),
        (0.0, 2.0, 0.0, False),
        (0.0, -4.0, 0.0, True),
        (0.0, 0.0, 7e-4, False),
        (0.0, 0.0, 13e-4, True),
        (0.04, 2.0, 7e-4, False),
    ],
)
def test_a_trim_is_worth_having_from_half_a_tolerance_on(
    stops: float, mired: float, duv: float, kept: bool
) -> None:
    assert matters(np.log2(Balance.from_shift(stops, mired, duv).factors)) == kept


def test_a_grade_takes_back_what_is_found() -> None:
    from aquin.colour.grade import Grade

    off = np.array([0.3, 0.1, -0.2])
    made = without(Grade(Balance(0.5)), off)
    assert np.log2(made.balance.factors) == pytest.approx(0.5 - off)


def test_rows_carry_value_and_doubt_in_their_units() -> None:
    balance = Balance.from_shift(0.2, 8.0, 0.001)
    said = Verdict(
        np.log2(balance.factors), np.full(3, 0.05), "the same points", np.array([0.05, 0.0565, 0.02])
    )
    axes = {a.name: Row(a, 0.0, 0.0, 0.0, 0.0) for a in AXES}
    rows = {r.axis.name: r for r in on_the_axes(list(axes.values()), said)}
    assert rows["exposure"].beside == pytest.approx(0.2) and rows["exposure"].doubt == pytest.approx(
        float(np.hypot(LEAST, 0.05 * SURER_OF_LEVEL))
    )
    assert rows["warmth"].beside == pytest.approx(8, abs=0.05) and rows["warmth"].doubt == pytest.approx(
        5 * SURER
    )
    assert rows["tint"].beside == pytest.approx(1, abs=0.05) and rows["tint"].doubt == pytest.approx(
        1.06 * SURER
    )
    assert not np.isfinite(rows["contrast"].beside)


def test_light_proposes_nothing_against_what_the_picture_says(matched: Production) -> None:
    """Drift speaks only for shots that nothing else speaks for: a settled shot keeps its trim."""
    from aquin.jobs.light import look_at_light
    from aquin.production.records import Setup

    config = config_of(matched)
    desk = Shoot(matched, config)
    said = beside_of(desk, list(desk.shots))
    assert said
    for setup in matched.all(Setup):
        for trim in look_at_light(matched, config, setup).trims:
            seen = said.get(trim.shot.id)
            if seen is None:
                continue
            if (np.abs(seen.off) <= seen.error).all():
                assert trim.held, trim.shot.name
            else:
                assert trim.by != "the drift of light", trim.shot.name


def test_the_bench_knows_what_the_board_knows_and_follows_the_grade(matched: Production) -> None:
    """The same in both views; half a stop more reads as half a stop more, and none as none."""
    from aquin.jobs.shown_shot import known_of

    config = config_of(matched)
    states = [s for c in board(matched, config).values() for s in c.shots]
    compared = 0
    for state in states:
        seen = {r.axis.name: r for r in state.rows if np.isfinite(r.beside)}
        told = known_of(matched, Shoot(matched, config), state.shot)
        if not seen or told is None:
            continue
        assert told.beside is not None
        rows = {r.axis.name: r for r in told.rows(state.grade, None, {})}
        for name in ("exposure", "warmth", "tint"):
            assert rows[name].beside == pytest.approx(seen[name].beside, abs=1e-6)
            assert rows[name].doubt == pytest.approx(seen[name].doubt, abs=1e-6)
        up = replace(state.grade, balance=Balance.from_factors(state.grade.balance.factors * 2**0.5))
        more = {r.axis.name: r for r in told.rows(up, None, {})}
        assert more["exposure"].beside - rows["exposure"].beside == pytest.approx(0.5, abs=0.02)
        assert more["warmth"].beside == pytest.approx(rows["warmth"].beside, abs=0.5)
        if told.source.by.startswith("chart"):  # a chart is drawn to the picture only as far as that is sure
            off = told.beside.off[1]
            assert abs(told.moved[1]) <= abs(off) + 0.5
        compared += 1
    assert compared >= 4


def test_points_of_shadows_mids_and_lights_speak_alike_and_their_disagreement_is_doubt() -> None:
    """Features crowd in the lights, where a baked curve tells something else."""
    random = np.random.default_rng(5)
    mids, lights = np.full((20, 3), 0.09), np.full((80, 3), 0.4)
    hero = np.concatenate([mids, lights])
    even = hero * np.exp2(np.array([0.3, 0.1, -0.2]) + random.normal(0, 0.05, hero.shape))
    off, error = by_points(hero, even, 0.9)
    assert off == pytest.approx([0.3, 0.1, -0.2], abs=0.03) and error.max() < 0.06
    odd = even.copy()
    odd[20:] *= np.exp2([0.0, 0.0, 0.4])
    off, error = by_points(hero, odd, 0.9)
    assert off[2] == pytest.approx(0.0, abs=0.04)  # halfway between the two, not what most points say
    assert error[2] > 0.1 and error[0] < 0.06
    few, _ = by_points(hero[:5], even[:5], 0.9)  # too few for zones: all together
    assert few == pytest.approx([0.3, 0.1, -0.2], abs=0.08)
