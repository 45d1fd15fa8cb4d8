"""The cut: jumps found and not invented, closed, meant; pieces that fall out; newer edits; edits written back and read
by OpenTimelineIO.
"""

from collections.abc import Iterator
from dataclasses import replace
from fractions import Fraction
from pathlib import Path

import numpy as np
import pytest

from aquin.colour.grade import Balance
from aquin.colour.grade import Grade as Correction
from aquin.errors import AquinError
from aquin.exchange.edits import read_edit
from aquin.frames.timecode import frames_of, timecode_of
from aquin.jobs.continuity import told
from aquin.jobs.new_cut import take_new_cut, write_back
from aquin.production import Dismissal, Edit, Event, Production, Setup, Shot
from aquin.production.conform import Cut as Piece_
from aquin.production.conform import CutList, conform
from aquin.production.cut.closing import also_moved, close, meant
from aquin.production.cut.judged import Continuity, Cut, Jump, known_edit, measure_edit
from aquin.production.cut.odd import ODD, falling_out, sorted_by
from aquin.production.cut.pieces import Piece, edit_named, piece_of, pieces_of
from aquin.production.cut.recut import compared
from aquin.production.grading import held_grade, keep_grade, trim_of
from aquin.production.heroes import hero_of
from aquin.production.looks import screen_of
from aquin.production.settings import config_of
from shoots import copy_of, take_measured

RATE = Fraction(24)


@pytest.fixture(scope="module")
def known(settled: Path) -> Path:
    """A production that holds what earlier tests measured of the same frames."""
    return copy_of(settled)


@pytest.fixture
def production(settled: Path, known: Path, tmp_path: Path) -> Iterator[Production]:
    path = settled.with_name(f"{tmp_path.name}.aquin")
    copy_of(settled, path)
    take_measured(path, known)
    made = Production.open(path)
    yield made
    made.close()
    take_measured(known, path)


def cut_of(shot: Shot, first: int = 0, frames: int = 3, speed: float = 1.0) -> Piece_:
    begin = frames_of(shot.start, RATE) + first
    shown = max(round(frames * abs(speed)), 1)
    return Piece_(
        shot.reel,
        shot.name,
        timecode_of(begin, RATE),
        timecode_of(begin + shown, RATE),
        "",
        frames,
        shot.path,
        speed,
    )


def shots_of(production: Production, setup: str) -> list[Shot]:
    """With the setup's hero first."""
    held = next(s for s in production.all(Setup) if s.name == setup)
    hero = hero_of(production, held)
    assert hero is not None
    others = [
        s for s in production.all(Shot) if s.setup_id == held.id and s.kind == "shot" and s.id != hero.id
    ]
    return [hero, *others]


def edited(production: Production, cuts: list[Piece_], name: str = "cut 1") -> Edit:
    return conform(production, CutList(name, f"{name}.edl", RATE, tuple(cuts))).edit


def measured(production: Production, edit: Edit) -> Continuity:
    config = config_of(production)
    return measure_edit(production, config, edit, screen_of(production, config), 1)


def plant(production: Production, shot: Shot, stops: float) -> None:
    """A grade that is off by a known amount."""
    grade = held_grade(production, shot) or Correction()
    moved = Balance.from_factors(grade.balance.factors * 2.0**stops)
    keep_grade(production, config_of(production), shot, replace(grade, balance=moved), "planted")


def test_one_take_does_not_jump_and_a_planted_jump_is_found_and_closed(production: Production) -> None:
    hero, *others = shots_of(production, "pier")
    same_camera = next(s for s in others if s.camera_id == hero.camera_id)
    edit = edited(production, [cut_of(hero, 0, 1), cut_of(hero, 1, 2), cut_of(same_camera)])
    still, before = measured(production, edit).cuts
    for axis in ("exposure", "warmth", "tint"):
        found = still.row(axis)
        assert found is not None and found.judged
        assert abs(found.difference) < 0.3 * found.tolerance, axis
    assert still.state == "within"
    plant(production, same_camera, 0.4)
    after = measured(production, edit).cuts[1]
    was, now = before.row("exposure"), after.row("exposure")
    assert was is not None and now is not None
    assert now.difference - was.difference == pytest.approx(0.4, abs=0.06)
    assert now.jumps and after.jump and after.worst is not None and after.worst.axis == "exposure"
    close(production, config_of(production), after, "right", "by eye it is one moment")
    closed = measured(production, edit).cuts[1]
    left = closed.row("exposure")
    assert left is not None and abs(left.difference) < left.tolerance
    own = trim_of(production, same_camera)
    assert own is not None and "by eye" in own.origin and not own.values.get("auto")
    assert production.journal(1)[0].why == "by eye it is one moment"


def test_half_each_and_heroes_stay(production: Production) -> None:
    hero, *others = shots_of(production, "pier")
    one, two = [s for s in others if s.camera_id != hero.camera_id][:2]
    edit = edited(production, [cut_of(hero), cut_of(one), cut_of(two), cut_of(one, 1, 2)])
    plant(production, two, 0.5)
    found = measured(production, edit)
    first, second, _ = found.cuts
    config = config_of(production)
    with pytest.raises(AquinError, match="hero"):
        close(production, config, first, "left")
    assert [c.position for c in also_moved(found, second, "right")] == [4]
    assert second.off is not None
    was = [held_grade(production, s) or Correction() for s in (one, two)]
    close(production, config, second, "half")
    now = [held_grade(production, s) or Correction() for s in (one, two)]
    moved = [np.log2(b.balance.factors / a.balance.factors) for a, b in zip(was, now, strict=True)]
    assert moved[0] == pytest.approx(np.array(second.off) / 2, abs=1e-3)
    assert moved[1] == pytest.approx(-np.array(second.off) / 2, abs=1e-3)
    entry = production.journal(1)[0]
    assert "half on each side" in entry.what
    production.undo()
    assert [held_grade(production, s) or Correction() for s in (one, two)] == was


def test_what_is_meant_is_no_jump_any_more(production: Production) -> None:
    hero, other, *_ = shots_of(production, "pier")
    edit = edited(production, [cut_of(hero), cut_of(other)])
    plant(production, other, -0.8)
    cut = measured(production, edit).cuts[0]
    assert cut.jump
    meant(production, cut, "a cloud comes over")
    found = measured(production, edit)
    assert found.cuts[0].state == "meant so" and not found.jumping
    assert production.all(Dismissal)[-1].reason == "a cloud comes over"
    meant(production, found.cuts[0], " ")
    assert measured(production, edit).cuts[0].jump


def test_a_change_of_place_is_told_and_known_again_without_media(production: Production) -> None:
    pier, deck = shots_of(production, "pier")[0], shots_of(production, "upper-deck")[0]
    edit = edited(production, [cut_of(pier), cut_of(deck)])
    found = measured(production, edit)
    cut = found.cuts[0]
    assert not cut.same_setup
    assert cut.state in ("not judged", "within", "to look at", "jump")
    if cut.state == "not judged":
        assert all(not j.judged for j in cut.jumps) and cut.off is None
        with pytest.raises(AquinError, match="share"):
            close(production, config_of(production), cut, "right")
    config = config_of(production)
    again = known_edit(production, config, edit, screen_of(production, config))
    assert again.cuts == found.cuts and again.unmeasured == 0
    data = told(again)
    assert data["cuts"][0]["axes"].keys() <= {j.axis for j in cut.jumps}
    assert data["pieces"][0]["values"]["exposure"] is not None


def test_doubt_decides_what_jumps() -> None:
    sure = Jump("exposure", 0.2, 0.1, "the match", 0.02)
    assert sure.jumps and not sure.within and not sure.doubtful
    vague = Jump("exposure", 0.2, 0.1, "the match", 0.3)
    assert vague.doubtful and not vague.jumps and not vague.within
    near = Jump("exposure", 0.03, 0.1, "the match", 0.02)
    assert near.within
    assert not Jump("exposure", 3.0, 0.1).jumps  # nobody judges it


def at(production: Production, edit: Edit, values: list[float]) -> Continuity:
    """An edit as though its pieces had been measured, exposure beside their heroes given."""
    pieces = tuple(pieces_of(production, edit))
    ends = {p.number: ({"saturation": 1.0}, {"saturation": 1.0}) for p in pieces}
    beside = {p.number: {"exposure": v} for p, v in zip(pieces, values, strict=True)}
    return Continuity(edit, pieces, (), ends, beside)


def test_one_of_many_falls_out(production: Production) -> None:
    shots = shots_of(production, "pier")
    hero = shots[0]
    edit = edited(production, [cut_of(hero, k % 2, 1) for k in range(8)])
    found = at(production, edit, [0.0, 0.05, -0.04, 0.02, 0.0, 1.2, -0.03, 0.04])
    odd = falling_out(found)
    assert [n for n, o in odd.items() if o.odd] == [6]
    assert odd[6].axis == "exposure" and odd[6].far > ODD
    assert not any(o.odd for o in falling_out(at(production, edit, [0.0] * 8)).values())
    assert sorted_by(replace(found, values={2: ({"exposure": -1.0}, {})}), "exposure")[0] == 2


# a newer edit


def pieces(production: Production, cuts: list[Piece_], name: str) -> list[Piece]:
    made = conform(production, CutList(name, "", RATE, tuple(cuts)))
    return [piece_of(production, e) for e in made.events]


def test_what_a_newer_edit_changes(production: Production) -> None:
    a, b, c, d, *_ = [*shots_of(production, "pier"), *shots_of(production, "upper-deck")]
    old = pieces(production, [cut_of(a), cut_of(b), cut_of(c), cut_of(a, 0, 2)], "old")
    new = pieces(
        production,
        [cut_of(c), cut_of(a), cut_of(b, 1, 2), cut_of(d), cut_of(a, 0, 4, 0.5)],
        "new",
    )
    found = compared(old, new)
    said = {(x.what, x.before, x.after) for x in found}
    assert ("moved", 3, 1) in said  # one piece moved to the front: the others kept their order
    assert sum(x.what == "moved" for x in found) == 1
    assert ("trimmed", 2, 3) in said
    assert ("came", None, 4) in said
    assert ("retimed", 4, 5) in said
    assert not compared(old, old)
    gone = compared(old, new[:3])
    assert ("went", 4) in {(x.what, x.before) for x in gone}
    back = pieces(production, [cut_of(a), cut_of(b, 0, 3, -1.0)], "back")
    assert {x.what for x in compared(old[:2], back)} == {"reversed"}
    assert back[1].first > back[1].last


def test_grades_stay_with_their_shots_and_the_journal_says_what_changed(
    production: Production, tmp_path: Path
) -> None:
    a, b, *_ = shots_of(production, "pier")
    plant(production, b, 0.1)
    grade = held_grade(production, b)
    first = edited(production, [cut_of(a), cut_of(b)], "cut 1")
    out = tmp_path / "cut-2.otio"
    found = measured(production, edited(production, [cut_of(b), cut_of(a), cut_of(b, 1, 2)], "cut 2"))
    write_back(production, found, out)
    production.change("drop", drop=[e for e in production.all(Edit) if e.name == "cut 2"])
    made = take_new_cut(production, out, first, RATE)
    assert made.conformed.edit.name == "cut 2" and not made.conformed.unmatched
    assert {c.what for c in made.changes} == {"moved", "came"}
    assert held_grade(production, b) == grade
    assert "after cut 1" in production.journal(1)[0].why
    assert edit_named(production).name == "cut 2"
    with pytest.raises(AquinError, match="no edit"):
        edit_named(production, "cut 9")


def test_an_edit_is_written_back_with_its_jumps(production: Production, tmp_path: Path) -> None:
    """Read again by OpenTimelineIO: markers at the jump, the reason, the note; pieces and speeds as they were."""
    import opentimelineio as otio

    hero, other, third, *_ = shots_of(production, "pier")
    production.change("note", replace(third, note="boom in shot"))
    plant(production, other, 0.9)
    edit = edited(
        production, [cut_of(hero), cut_of(other), cut_of(production.get(Shot, third.id), 0, 6, 0.5)]
    )
    found = measured(production, edit)
    meant(production, found.cuts[1], "night falls")
    found = measured(production, edit)
    out = tmp_path / "marked.otio"
    assert write_back(production, found, out) == 3
    line = otio.adapters.read_from_file(str(out))
    clips = list(line.find_clips())
    names = [[m.name for m in c.markers] for c in clips]
    assert names == [[], ["jump"], ["meant so", "note"]]
    assert "exposure" in clips[1].markers[0].metadata["aquin"]["said"]
    assert "night falls" in clips[2].markers[0].metadata["aquin"]["said"]
    assert [type(e).__name__ for e in clips[2].effects] == ["LinearTimeWarp"]
    again = read_edit(out, RATE)
    assert [(c.source_in, c.frames, c.speed) for c in again.cuts] == [
        (e.source_in, e.frames, e.speed) for e in sorted(production.all(Event), key=lambda e: e.position)
    ]
    write_back(production, found, tmp_path / "marked.edl")
    text = (tmp_path / "marked.edl").read_text()
    assert "JUMP" in text.upper() and "BOOM IN SHOT" in text.upper() and "NIGHT FALLS" in text.upper()
    with pytest.raises(AquinError):
        write_back(production, found, out)
    with pytest.raises(AquinError):
        write_back(production, found, tmp_path / "marked.txt", True)


def test_a_cut_knows_where_it_is() -> None:
    event = Event("e", 4, "", "c", "", "")
    cut = Cut(Piece(replace(event, position=3), None, 0, 0), Piece(event, None, 0, 0))
    assert cut.position == 5 and cut.state == "not measured" and not cut.same_setup
