"""The shoot is matched: heroes, balances, trims, ledgers and staleness, on filmed takes with known truth."""

import json
from collections.abc import Iterator
from dataclasses import replace
from pathlib import Path
from typing import Any

import numpy as np
import pytest

from aquin.charts.solve import FLARED
from aquin.colour.grade import Balance
from aquin.colour.grade import Grade as Correction
from aquin.desk.kit.axes import unsureness
from aquin.errors import AquinError
from aquin.jobs.settle_cells import settle_cells
from aquin.match.level import Witness
from aquin.measure.ledger import Evidence
from aquin.production import Camera, Grade, Production, Root, Setup, Shot, ledgers
from aquin.production.agreeing import agree
from aquin.production.audit import Finding
from aquin.production.beside import without
from aquin.production.cells import Cell, State, board, keep_tolerances, tolerances_of, without_trims
from aquin.production.grading import balance_of, held_grade, keep_grade, propagate, trim_of
from aquin.production.heroes import (
    hero_of,
    main_hero,
    make_hero,
    make_main,
    moment_of,
    propose,
    take_proposed,
)
from aquin.production.matching import Wish, models_of, read_charts, settle
from aquin.production.measuring import encoding_of
from aquin.production.settings import config_of
from aquin.production.shoot import Shoot, needed, shot_grade
from aquin.production.stale import is_stale
from aquin.production.trims import trims_for
from aquin.production.weighing import _in_other_light, at_once, evidence_of
from shoots import copy_of


def at(production: Production, setup: str, camera: str) -> tuple[str, str]:
    return (
        next(s.id for s in production.all(Setup) if s.name == setup),
        next(c.id for c in production.all(Camera) if c.name == camera),
    )


def cell(cells: dict[tuple[str, str], Cell], setup: str, camera: str) -> Cell:
    return next(c for c in cells.values() if (c.setup.name, c.camera.name) == (setup, camera))


@pytest.fixture
def shoot(settled: Path) -> Iterator[Production]:
    """A copy of the settled production."""
    production = Production.open(copy_of(settled))
    yield production
    production.close()


def test_heroes_are_proposed_from_the_camera_that_filmed_most(filmed: Path) -> None:
    production = Production.open(filmed, read_only=True)
    found = propose(production)
    names = {production.get(Setup, id).name: shot.name for id, shot in found.items()}
    assert set(names) == {"pier", "upper-deck"}
    assert all(production.get(Camera, s.camera_id).name in ("Heron", "Egret") for s in found.values())
    assert all(not s.trouble and s.kind == "shot" for s in found.values())
    production.close()


def test_no_slate_and_nothing_that_is_read_by_guess_is_proposed(tmp_path: Path) -> None:
    """The only long take that can be read, though a finding is open on it and another is longer."""
    production = Production.create(tmp_path / "p.aquin")
    root, camera, setup = Root("media", "media"), Camera("Heron", "ACEScct"), Setup("pier", 1)
    usual = {"camera_id": camera.id, "setup_id": setup.id, "rate": "24", "content": "x"}
    card = Shot(root.id, "A/1.mov", "card", frames=6, **usual)
    floating = Shot(root.id, "A/2.exr", "floating", frames=90, floating=True, **usual)
    good = Shot(root.id, "A/3.mov", "good", frames=60, **usual)
    production.change("log", root, camera, setup, card, floating, good)
    found = Finding("same file twice", "warning", 0.9, "it is there twice", (good.id,))
    production.keep_findings({found.key: found.data()})
    assert propose(production) == {setup.id: good}
    production.change(
        "only the card is left", replace(good, kind="reference"), replace(floating, kind="reference")
    )
    assert propose(production) == {setup.id: card}
    production.close()


def test_a_new_hero_is_not_matched_to_the_old_one_any_more(shoot: Production) -> None:
    """A trim of Aquin's that brought it to the hero of before goes; a person's stays."""
    place = at(shoot, "pier", "Heron")
    setup = shoot.get(Setup, place[0])
    other = next(
        s for s in Shoot(shoot, config_of(shoot)).shots[place] if s.kind == "shot" and s.id != setup.hero_id
    )
    values = Correction(Balance(stops=0.8)).values() | {"auto": True, "moved": [-0.8, -0.8, -0.8]}
    own = replace(trim_of(shoot, other) or Grade("trim", shot_id=other.id), values=values, on=True)
    shoot.change("matched to the hero of before", own, replace(setup, hero_id=other.id))

    def of_hero() -> list[bool]:
        trims = trims_for(Shoot(shoot, config_of(shoot)), [place], all_of_them=True)
        return [t.record.on for t in trims if t.shot.id == other.id]

    assert of_hero() == [False]
    by_hand = {k: v for k, v in values.items() if k != "auto"}
    shoot.change("by hand", replace(own, values=by_hand))
    assert of_hero() == []


def test_cells_say_where_each_camera_stands(shoot: Production) -> None:
    cells = board(shoot, config_of(shoot))
    words = {(c.setup.name, c.camera.name): c.word for c in cells.values() if c.shots}
    heroes = [k for k, w in words.items() if w == "hero"]
    assert len(heroes) == 2
    # three frames a take: where views differ much, what the pictures say is not sure; the quay is lit by two colours,
    # and not each shot shows as much of either
    left = {k: w for k, w in words.items() if w not in ("hero", "within", "to look at")}
    assert set(left) <= {("pier", "Egret")}, words
    matched = cell(cells, "upper-deck", "Skua")
    assert matched.by == "chart" and matched.row("warmth") is not None
    assert "by chart to" in matched.origin and "brightness by" in matched.origin
    assert {s.word for c in cells.values() for s in c.shots} <= {
        "hero",
        "within",
        "to look at",
        *(f"{k} off" for k in range(1, 7)),
    }


def test_a_matched_camera_is_nearer_to_what_the_heros_camera_would_have_recorded(shoot: Production) -> None:
    """Colours of the chart as the hero's camera read them: less than a third of the difference is left."""
    for c in board(shoot, config_of(shoot)).values():
        row = c.row("colour")
        if c.word == "within" and row is not None:
            assert row.after < 1.5 and row.after < 0.4 * max(row.difference, 1.5)


def test_settling_is_one_step_that_can_be_undone(filmed: Path, shoot_copy: Path) -> None:
    production = Production.open(shoot_copy)
    config = config_of(production)
    place = at(production, "pier", "Egret")
    take_proposed(production)
    hero = hero_of(production, production.get(Setup, place[0]))
    assert hero is not None
    other = place if hero.camera_id != place[1] else at(production, "pier", "Heron")
    summary = settle(production, config, [other], Wish("gains", shots=False))
    assert summary.cells[0].model == "gains" and summary.entry is not None
    assert production.can_undo == "settle 1 cell"
    shot = next(s for s in production.all(Shot) if (s.setup_id, s.camera_id) == other and s.kind == "shot")
    assert held_grade(production, shot) is not None
    production.undo()
    assert held_grade(production, shot) is None
    production.close()


def test_where_flare_is_wished_the_same_without_it_stands_in() -> None:
    assert models_of("matrix+flare") == ("matrix", "matrix+flare") and models_of("cdl") == ("cdl",)
    assert "root" not in models_of("best") and set(FLARED) <= set(models_of("best"))


def test_without_a_hero_nothing_is_settled_and_it_is_said(shoot_copy: Path) -> None:
    production = Production.open(shoot_copy)
    summary = settle(production, config_of(production), [at(production, "pier", "Egret")])
    assert not summary.cells[0].done and "has no hero" in summary.cells[0].words
    assert summary.entry is None and not production.all(Grade)
    production.close()


def test_a_camera_without_an_encoding_is_left_with_the_reason(shoot_copy: Path) -> None:
    production = Production.open(shoot_copy)
    take_proposed(production)
    camera = next(c for c in production.all(Camera) if c.name == "Skua")
    production.change("forget", replace(camera, encoding=""))
    summary = settle(production, config_of(production), [at(production, "upper-deck", "Skua")])
    assert not summary.cells[0].done and "no encoding" in summary.cells[0].words
    production.close()


def test_stopping_writes_nothing(shoot_copy: Path) -> None:
    production = Production.open(shoot_copy)
    take_proposed(production)

    class Stop(Exception):
        pass

    def tell(share: float, words: str) -> None:
        raise Stop

    with pytest.raises(Stop):
        settle(
            production,
            config_of(production),
            [at(production, "pier", "Egret"), at(production, "pier", "Heron")],
            tell=tell,
        )
    assert not production.all(Grade)
    production.close()


def test_a_balance_turns_stale_when_what_it_was_made_from_changes(shoot: Production) -> None:
    config = config_of(shoot)
    setup = next(s for s in shoot.all(Setup) if s.name == "upper-deck")
    hero = hero_of(shoot, setup)
    assert hero is not None
    matched = next(
        g
        for g in shoot.all(Grade)
        if g.layer == "balance" and g.setup_id == setup.id and g.camera_id != hero.camera_id
    )
    assert not is_stale(shoot, config, matched)
    other = next(
        s
        for s in shoot.all(Shot)
        if s.setup_id == setup.id and s.camera_id == hero.camera_id and s.kind == "shot" and s.id != hero.id
    )
    make_hero(shoot, other)
    assert is_stale(shoot, config, matched)
    assert cell(board(shoot, config), "upper-deck", shoot.get(Camera, matched.camera_id).name).word == "stale"
    shoot.undo()
    assert not is_stale(shoot, config, matched)


def test_a_trim_by_hand_is_kept(shoot: Production) -> None:
    config = config_of(shoot)
    place = at(shoot, "upper-deck", "Skua")
    shot = next(s for s in shoot.all(Shot) if (s.setup_id, s.camera_id) == place and s.kind == "shot")
    mine = Correction(Balance(0.7))
    keep_grade(shoot, config, shot, mine, "typed")
    settle(shoot, config, [place])
    assert held_grade(shoot, shot) == mine
    found = cell(board(shoot, config), "upper-deck", "Skua")
    without_trims(shoot, found)
    assert held_grade(shoot, shot) == shot_grade(Shoot(shoot, config), shot) != mine


def test_propagation_follows_its_source_or_is_a_copy(shoot: Production) -> None:
    config = config_of(shoot)
    source = next(
        g
        for g in shoot.all(Grade)
        if g.layer == "balance"
        and shoot.get(Setup, g.setup_id).name == "upper-deck"
        and shoot.get(Camera, g.camera_id).name == "Egret"
    )
    target = (next(s.id for s in shoot.all(Setup) if s.name == "pier"), source.camera_id)
    propagate(shoot, config, source, [target], linked=True)
    shot = next(s for s in shoot.all(Shot) if (s.setup_id, s.camera_id) == target and s.kind == "chart")
    held = balance_of(shoot, shot)
    assert held is not None and "follows" in held.origin
    moved = replace(source, values=Correction(Balance(1.25)).values())
    shoot.change("another balance", moved)
    assert held_grade(shoot, shot) == Correction(Balance(1.25))
    with pytest.raises(AquinError, match="follow each other"):
        propagate(shoot, config, held, [(source.setup_id, source.camera_id)], linked=True)
    propagate(shoot, config, moved, [target], linked=False)
    shoot.change("back", source)
    assert held_grade(shoot, shot) == Correction(Balance(1.25))


def test_frames_of_one_moment_are_compared(shoot: Production) -> None:
    shot = next(s for s in shoot.all(Shot) if s.name == "B02_004")
    setup = shoot.get(Setup, shot.setup_id)
    hero = hero_of(shoot, setup)
    assert hero is not None
    if hero.camera_id == shot.camera_id:
        pytest.skip("the hero is of this camera")
    moment = moment_of(shoot, shot, hero)
    assert moment.same_time and moment.hero.slate == shot.slate
    assert not moment_of(shoot, shot, hero, {moment.hero.id}).same_time


def test_the_main_hero_leads_other_setups_heroes(shoot: Production) -> None:
    config = config_of(shoot)
    pier, deck = (next(s for s in shoot.all(Setup) if s.name == n) for n in ("pier", "upper-deck"))
    main = hero_of(shoot, pier)
    assert main is not None
    make_main(shoot, main)
    assert main_hero(shoot, pier) is None and main_hero(shoot, deck) == main
    hero = hero_of(shoot, deck)
    assert hero is not None
    summary = settle(shoot, config, [(deck.id, hero.camera_id)], Wish(shots=False))
    assert summary.cells[0].done and "main hero" in summary.cells[0].words
    held = next(
        g
        for g in shoot.all(Grade)
        if g.layer == "balance" and (g.setup_id, g.camera_id) == (deck.id, hero.camera_id)
    )
    grade = Correction.of(held.values)
    assert grade.matrix is None and grade.trim == Correction().trim  # white only: another setup's light
    assert abs(grade.balance.stops) < 0.15
    assert abs(grade.balance.shift[0]) > 3
    make_main(shoot, hero, [pier])
    assert main_hero(shoot, pier) == hero


def test_agreement_holds_until_the_grade_changes(shoot: Production) -> None:
    config = config_of(shoot)
    place = at(shoot, "pier", "Egret")
    shot = next(s for s in shoot.all(Shot) if (s.setup_id, s.camera_id) == place and s.kind == "shot")

    def agreed() -> bool:
        found = cell(board(shoot, config), "pier", "Egret")
        return next(s.agreed for s in found.shots if s.shot.id == shot.id)

    agree(shoot, Shoot(shoot, config), [shot])
    assert agreed()
    keep_grade(shoot, config, shot, Correction(Balance(0.3)), "typed")
    assert not agreed()
    shoot.undo()
    assert agreed()
    agree(shoot, Shoot(shoot, config), [shot], on=False)
    assert not agreed()


def test_tolerances_are_the_productions_own(shoot: Production) -> None:
    keep_tolerances(shoot, {"exposure": 0.001, "warmth": 5.5})
    assert tolerances_of(shoot) == {"exposure": 0.001}
    found = cell(board(shoot, config_of(shoot)), "upper-deck", "Skua")
    row = found.row("exposure")
    assert row is not None and row.axis.tolerance == 0.001
    shoot.undo()


def test_an_odd_exposure_gets_a_trim_of_its_own(filmed: Path, settled: Path) -> None:
    """Shots in the falling light of the dusk setup are brought to the hero by what the same points say."""
    production = Production.open(settled, read_only=True)
    trims = [g for g in production.all(Grade) if g.layer == "trim" and g.on]
    assert trims and all(g.values.get("auto") for g in trims)
    deck = next(s for s in production.all(Setup) if s.name == "upper-deck")
    hero = hero_of(production, deck)
    assert hero is not None
    later = [
        s
        for s in production.all(Shot)
        if s.setup_id == deck.id and s.camera_id == hero.camera_id and s.kind == "shot" and s.id != hero.id
    ]
    assert any(trim_of(production, s) is not None for s in later)
    production.close()


def test_settling_again_changes_nothing(settled: Path) -> None:
    """Nor does a third time: trims of the hero's own clips count whether they are new or kept."""
    production = Production.open(copy_of(settled))
    config = config_of(production)
    before = {g.id: g for g in production.all(Grade)}
    assert any(g.layer == "trim" and g.on for g in before.values())
    settle(production, config, list(Shoot(production, config).shots))
    for one in production.all(Grade):
        was, now = (Correction.of(g.values) for g in (before[one.id], one))
        assert np.log2(now.balance.factors) == pytest.approx(np.log2(was.balance.factors), abs=0.02), (
            one.origin
        )
    production.close()


def test_what_only_statistics_say_is_neither_within_nor_off(
    shoot: Production, monkeypatch: pytest.MonkeyPatch
) -> None:
    place = at(shoot, "pier", "Egret")
    before = cell(board(shoot, config_of(shoot)), "pier", "Egret")
    row = before.row("saturation")
    assert row is not None and not row.doubtful
    known = ledgers.shot_evidence

    def by_statistics(*words: Any) -> tuple[Evidence | None, str]:
        return known(*words)[0], "statistics"

    monkeypatch.setattr(ledgers, "shot_evidence", by_statistics)
    monkeypatch.setattr(Shoot, "source", lambda *_: None)
    found = board(shoot, config_of(shoot))[place]
    assert found.by == "statistics" and found.state in (State.DOUBT, State.OFF)
    assert found.off == sum(np.isfinite(r.beside) and not r.within and not r.doubtful for r in found.rows)
    row = found.row("saturation")
    assert row is not None and row.doubtful and not row.within
    exposure = found.row("exposure")
    assert exposure is not None and np.isfinite(exposure.beside) and not exposure.weak
    assert "saturation by statistics alone" in unsureness(found.rows)


def test_ledgers_are_plain_values_in_the_cache(settled: Path) -> None:
    production = Production.open(settled, read_only=True)
    for kind in ("chart reading", "frames compared", "picture"):
        held = production.measured(kind)
        assert held and json.dumps(list(held.values()))
    looks = list(production.measured("picture").values())
    assert all(v["noise"] is None or 0 <= v["noise"] < 60 for v in looks)
    assert np.mean([v["sharpness"] is not None for v in looks]) > 0.5
    production.close()


def test_one_card_is_believed_and_one_in_other_light_is_not(shoot_copy: Path) -> None:
    """Both cameras' cards at one time: where all else agrees they decide; a card that says quite another white than the
    settings do, though it was filmed at once, gives way to another setup's.
    """
    production = Production.open(shoot_copy)
    take_proposed(production)
    desk = Shoot(production, config_of(production))
    places = [p for p in desk.shots if desk.charts(p)]
    read_charts(desk, needed(desk, places))
    pairs = [
        (p, t)
        for p in places
        if (hero := hero_of(production, production.get(Setup, p[0]))) is not None
        and (t := (p[0], hero.camera_id)) != p
        and at_once(desk, p, t)
    ]
    assert pairs
    place, target = pairs[0]
    own = desk.cast(place, target[1])
    assert own is not None
    agreeing = [Witness("crew", (float(own[0]), float(own[1])))]
    other = [Witness("crew", (float(own[0]) + 1.0, float(own[1])))]
    assert not _in_other_light(desk, place, target, agreeing)
    assert _in_other_light(desk, place, target, other)
    desk.distrust(place)
    assert desk.doubtful(place, target[1])
    desk.trust_again()
    assert not desk.doubtful(place, target[1])
    said = evidence_of(desk, place, target, False, "weighed")
    assert (place in desk.one_light) == ("one card" in said.note)
    # how much more light one card had is no matter of the hero's own balance, as under a main hero
    desk.decided[target] = without(desk.grade_at(target), np.array([0.6, 0.3, 0.1]))
    again = evidence_of(desk, place, target, False, "weighed")
    assert again.light == pytest.approx(said.light, abs=1e-6) and again.note == said.note
    ratio = np.log2(again.sources[0].evidence.hero / said.sources[0].evidence.hero)
    assert ratio == pytest.approx(np.broadcast_to([-0.6, -0.3, -0.1], ratio.shape), abs=0.01)
    production.close()


def test_heroes_are_proposed_after_it_is_known_what_speaks_against_a_shot(shoot: Production) -> None:
    """The take that would be the hero is read as another camera's log, and nobody has audited that yet."""
    setup = next(s for s in shoot.all(Setup) if s.name == "pier")
    shoot.change("no heroes", *(replace(s, hero_id="") for s in shoot.all(Setup)))
    first = propose(shoot)[setup.id]
    other = next(c.encoding for c in shoot.all(Camera) if c.encoding != encoding_of(shoot, first))
    shoot.change("read wrongly", replace(first, encoding=other))
    shoot.keep_findings({})
    assert propose(shoot)[setup.id].id == first.id
    places = [p for p in Shoot(shoot, config_of(shoot)).shots if p[0] == setup.id]
    settle_cells(shoot, config_of(shoot), places, Wish("gains", shots=False), jobs=1, heroes=True)
    hero = hero_of(shoot, shoot.get(Setup, setup.id))
    assert hero is not None and hero.id != first.id
