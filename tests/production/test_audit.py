"""The audit: every rule on a case made for it, and the whole on a shoot of a seed drawn anew at each run."""

import json
import os
from collections.abc import Callable
from dataclasses import replace
from pathlib import Path
from typing import Any

import numpy as np
import pytest

from aquin.colour.config import ColourConfig
from aquin.exchange.edits import read_edit
from aquin.frames.model import PRIMARIES, TRANSFER
from aquin.measure.survey import Survey, survey
from aquin.production import Camera, Grade, Option, Production, Root, Setup, Shot
from aquin.production.audit import (
    Finding,
    apply_fix,
    dismiss,
    grades,
    kept_findings,
    light,
    papers,
    run_audit,
    tags,
    transfer,
)
from aquin.production.audit.case import Case, chart_facts
from aquin.production.conform import conform
from aquin.production.ingest import ingest
from aquin.production.measuring import encoding_of, measure_shots
from aquin.production.report import apply_report, propose_mapping, read_sheet
from aquin.production.settings import config_of
from shoots import film_short

LOG = "ACEScct"


class Shoot:
    """Two cameras in one setup, each with four shots and a chart, everything in order; a test spoils something."""

    def __init__(self, path: Path, config: ColourConfig) -> None:
        self.production, self.config = Production.create(path), config
        self.root = Root("media", "media")
        self.cameras = [Camera("Heron", LOG, position=0), Camera("Egret", LOG, position=1)]
        self.setups = [Setup("galley", 1), Setup("pier", 2)]
        self.production.change("cast", self.root, *self.cameras, *self.setups)
        self.measured: dict[str, dict[str, Any]] = {}
        self.shots: dict[str, Shot] = {}
        for letter, camera in zip("AB", self.cameras, strict=True):
            for k in range(5):
                self.add(
                    f"{letter}{k}",
                    camera,
                    kind="chart" if k == 0 else "shot",
                    target="24-patch" if k == 0 else "",
                    start=f"10:0{k}:00:00",
                )

    def add(
        self, name: str, camera: Camera, setup: int = 0, signal: np.ndarray | None = None, **fields: Any
    ) -> Shot:
        usual: dict[str, Any] = {
            "rate": "24",
            "frames": 48,
            "width": 1280,
            "height": 720,
            "bits": 10,
            "codec": "h264",
            "file_matrix": "bt709",
            "file_range": "legal",
            "white": "4300",
            "content": name,
            "bytes": 1000,
        }
        shot = Shot(
            self.root.id,
            f"{name[0]}01/{name}.mkv",
            name,
            camera_id=camera.id,
            setup_id=self.setups[setup].id,
            reel=f"{name[0]}01",
            **(usual | fields),
        )
        self.production.change("log", shot)
        self.shots[name] = shot
        self.picture(name, scene(len(self.shots)) if signal is None else signal)
        return shot

    def put(self, which: str, **fields: Any) -> None:
        self.shots[which] = replace(self.shots[which], **fields)
        self.production.change("spoil", self.shots[which])

    def picture(self, name: str, signal: np.ndarray) -> None:
        measured = survey(
            [signal.astype(np.float32)], self.config.to_linear(LOG), (0.2126, 0.7152, 0.0722), 0.0729
        )
        self.measured[self.shots[name].id] = {
            "survey": measured.data(),
            "chart": None,
            "card": None,
            "trouble": [],
        }

    def found(self, *rules: Callable[[Case], Any]) -> list[Finding]:
        case = Case(self.production, self.config, self.measured)
        case = replace(case, altered=frozenset(i for f in tags.baked(case) for i in f.shots))
        out = [f for rule in rules for f in rule(case)]
        assert all(Finding.of(f.data()) == f for f in out)
        return out

    def names(self, finding: Finding) -> list[str]:
        return sorted(n for n, s in self.shots.items() if s.id in finding.shots)


def scene(seed: int, stops: float = 0.0, warm: float = 0.0) -> np.ndarray:
    """A picture in ACEScct: a log-normal scene about grey. One stop is 1/17.52 of signal (Academy S-2016-001)."""
    random = np.random.default_rng(seed)
    light = 0.41 + (random.normal(0, 0.7, (60, 90, 1)) + stops) / 17.52
    colour = random.normal(0, 0.25, (60, 90, 3)) + warm * np.array([0.5, 0, -0.5])
    return np.asarray(light + colour / 17.52)


@pytest.fixture
def shoot(tmp_path: Path, builtin: ColourConfig) -> Shoot:
    return Shoot(tmp_path / "p.aquin", builtin)


def test_people_see_true_minus_signs_before_numbers_and_names_as_they_are() -> None:
    told = Finding("exposure", "warning", 0.9, "take-2 is -2.9 stops from B-3's others, +-0.1")
    assert told.said == "take-2 is −2.9 stops from B-3's others, +−0.1"


ALL = (*papers.RULES, *tags.RULES, *light.RULES, *grades.RULES)


def test_nothing_is_said_about_a_shoot_in_order(shoot: Shoot) -> None:
    assert shoot.found(*ALL) == []


def only(found: list[Finding]) -> Finding:
    assert len(found) == 1, found
    return found[0]


def test_exposure_in_stops(shoot: Shoot) -> None:
    for stops in (-3.0, 2.0):
        shoot.picture("A2", scene(99, stops))
        finding = only(shoot.found(*ALL))
        assert (finding.kind, shoot.names(finding)) == ("exposure", ["A2"])
        assert float(finding.what.split()[2]) == pytest.approx(stops, abs=0.15)
    shoot.picture("A2", scene(99, 0.6))
    assert shoot.found(*ALL) == []


def test_light_that_falls_for_all_cameras_is_no_wrong_exposure(shoot: Shoot) -> None:
    for letter in "AB":
        for k in range(5):
            shoot.put(f"{letter}{k}", start=f"20:{10 + 8 * k}:00:00")
            shoot.picture(f"{letter}{k}", scene(k, -0.7 * k))
    assert shoot.found(light.exposure) == []
    shoot.picture("B3", scene(5, -0.7 * 3 + 2))
    assert shoot.names(only(shoot.found(light.exposure))) == ["B3"]


def test_white_left_over_by_report_and_picture(shoot: Shoot) -> None:
    before = shoot.add("A7", shoot.cameras[0], 1, white="5600", start="09:00:00:00")
    shoot.production.change("order", replace(shoot.setups[1], position=0), replace(before, kind="shot"))
    shoot.put("A3", white="5600")
    shoot.picture("A3", scene(3, warm=-0.9))
    finding = next(f for f in shoot.found(light.white_left) if f.kind == "white setting")
    assert shoot.names(finding) == ["A3"]
    assert finding.confidence > 0.9
    assert "which was right in pier" in finding.what
    shoot.put("A3", white="")
    finding = only(shoot.found(light.white_left))  # the picture alone
    assert finding.confidence < 0.9
    shoot.picture("A3", scene(3))
    assert shoot.found(light.white_left) == []


def test_encoding_tag_unlike_the_cameras_others(shoot: Shoot) -> None:
    shoot.put("B2", encoding="ACEScc")
    finding = only(shoot.found(*ALL))
    assert (finding.kind, shoot.names(finding)) == ("encoding", ["B2"])
    apply_fix(shoot.production, finding)
    assert shoot.production.get(Shot, shoot.shots["B2"].id).encoding == ""
    assert shoot.found(*ALL) == []
    shoot.production.undo()
    assert len(shoot.found(*ALL)) == 1


def test_range_flag_unlike_the_cameras_others(shoot: Shoot) -> None:
    shoot.put("A4", file_range="full")
    finding = only(shoot.found(*ALL))
    assert (finding.kind, shoot.names(finding)) == ("range", ["A4"])
    apply_fix(shoot.production, finding)
    assert shoot.production.get(Shot, shoot.shots["A4"].id).range == "legal"
    assert shoot.found(*ALL) == []


def test_legal_flag_on_codes_beyond_legal(shoot: Shoot) -> None:
    wide = np.clip(np.random.default_rng(1).normal(0.5, 0.35, (60, 90, 1)), -0.07, 1.09).repeat(3, axis=2)
    for name in ("A0", "A1", "A2", "A3", "A4"):
        shoot.picture(name, wide)
    assert {f.kind for f in shoot.found(tags.range_tag)} == {"range"}


def test_matrix_unlike_the_cameras_others(shoot: Shoot) -> None:
    shoot.put("A1", file_matrix="bt601", matrix_from="file")
    finding = only(shoot.found(*ALL))
    assert (finding.kind, shoot.names(finding)) == ("matrix", ["A1"])
    apply_fix(shoot.production, finding)
    assert shoot.found(*ALL) == []


def test_baked_picture(shoot: Shoot) -> None:
    log = scene(3)
    luma = log.mean(axis=2, keepdims=True)
    baked = 0.5 + 1.9 * (luma - 0.41) + 3.2 * (log - luma)
    shoot.picture("B1", np.clip(baked, 0, 1))
    finding = only(shoot.found(*ALL))
    assert (finding.kind, shoot.names(finding)) == ("baked picture", ["B1"])


def chart_of(to_signal: Callable[[np.ndarray], np.ndarray], config: ColourConfig) -> dict[str, Any]:
    """The reading of a chart that was recorded with another curve than it is tagged with."""
    from aquin.charts.layout import layout

    card = layout()
    signal = to_signal(card.ap1)
    linear = config.to_linear(LOG)(signal.astype(np.float32))
    return {"linear": linear.tolist(), "clipped": [0.0] * 24, "score": 1.0}


def test_steps_tell_a_display_picture_tagged_as_log(shoot: Shoot, chart24: Any) -> None:
    right = chart_facts(chart_of(shoot.config.from_linear(LOG), shoot.config), chart24)
    assert right is not None
    assert right.slope == pytest.approx(1, abs=0.002)
    assert right.bend < 0.005
    shoot.measured[shoot.shots["A0"].id]["chart"] = chart_of(
        lambda x: np.clip(x, 0, 1) ** (1 / 2.4), shoot.config
    )
    finding = only(shoot.found(tags.steps))
    assert "display-referred picture tagged as log" in finding.what


def test_steps_tell_a_log_picture_tagged_as_display(shoot: Shoot) -> None:
    name = next(e.name for e in shoot.config.encodings() if e.kind == "sdr-video" and "2.4" in e.name)
    shoot.production.change("tag", replace(shoot.cameras[0], encoding=name))
    chart = chart_of(shoot.config.from_linear(LOG), shoot.config)
    signal = shoot.config.from_linear(LOG)(np.array(chart["linear"], np.float32))
    chart["linear"] = shoot.config.to_linear(name)(signal).tolist()
    shoot.measured[shoot.shots["A0"].id]["chart"] = chart
    finding = only(shoot.found(tags.steps))
    assert "log picture tagged as display-referred" in finding.what


def test_codes_below_the_curves_black_for_a_whole_camera(shoot: Shoot) -> None:
    for k in range(5):
        shoot.picture(f"A{k}", scene(k) - 0.3)
    finding = next(f for f in shoot.found(tags.impossible) if f.camera == shoot.cameras[0].id)
    assert "below the black of ACEScct" in finding.what


def test_cards_far_from_grey_and_codes_beyond_belief(shoot: Shoot) -> None:
    for k in (7, 8):
        card = shoot.add(
            f"A{k}", shoot.cameras[0], kind="grey card", target="grey card", start=f"10:2{k}:00:00"
        )
        shoot.measured[card.id]["card"] = {"warm": 0.0, "green": 0.0, "uneven": 0.001, "level": -3.6}
    finding = only(shoot.found(tags.grey_target))
    assert (finding.camera, "-3.6 stops" in finding.what) == (shoot.cameras[0].id, True)
    for k in range(5):
        shoot.picture(f"B{k}", scene(k, 8.5))
    assert only(shoot.found(tags.above_ceiling)).camera == shoot.cameras[1].id


def test_card_under_another_light(shoot: Shoot) -> None:
    def neutral(warm: float) -> dict[str, Any]:
        from aquin.charts.layout import layout

        gain = np.exp2(np.array([0.5, 0, -0.5]) * warm)
        return {"linear": (layout().ap1 * gain).tolist(), "clipped": [0.0] * 24}

    a, b = shoot.shots["A0"].id, shoot.shots["B0"].id
    shoot.measured[a]["chart"], shoot.measured[b]["chart"] = neutral(1.2), neutral(0.0)
    finding = only(shoot.found(light.card_light))
    assert (finding.kind, shoot.names(finding)) == ("card light", ["A0"])
    assert "warmer" in finding.what
    card = shoot.add("A9", shoot.cameras[0], kind="grey card", target="grey card", start="10:05:30:00")
    shoot.measured[card.id]["card"] = {"warm": 1.15, "green": 0.0, "uneven": 0.001, "level": 0.0}
    assert [shoot.names(f) for f in shoot.found(light.card_light)] == []  # its own grey card says the same
    shoot.measured[a]["chart"] = neutral(0.4)
    assert shoot.names(only(shoot.found(light.card_light))) == ["A0"]


def test_clipping_at_the_cameras_ceiling(shoot: Shoot) -> None:
    blown = np.minimum(scene(3, 4.5), 0.66)
    shoot.picture("A2", blown)
    finding = only(shoot.found(light.clipping))
    assert (finding.severity, shoot.names(finding)) == ("note", ["A2"])


@pytest.mark.parametrize(
    ("fields", "kind", "names"),
    [
        ({"A1": {"trouble": "the movie can't be opened"}}, "unreadable", ["A1"]),
        ({"A1": {"metadata": {"claimed frames": "96"}}}, "cut short", ["A1"]),
        (
            {"A1": {"metadata": {"reported start": "10:01:00:00", "reported end": "10:01:04:00"}}},
            "cut short",
            ["A1"],
        ),
        ({"A1": {"rate": "25"}}, "frame rate", ["A1"]),
        ({"A1": {"width": 1920, "height": 1080}}, "size", ["A1"]),
        ({"A1": {"start": ""}}, "no timecode", ["A1"]),
        ({"A1": {"start": "10:02:01:00"}}, "overlap", ["A1", "A2"]),
        ({"A1": {"name": "CLIP"}, "B1": {"name": "clip"}}, "duplicate name", ["A1", "B1"]),
        ({"A1": {"content": "same"}, "B1": {"content": "same"}}, "same file twice", ["A1", "B1"]),
    ],
)
def test_papers(shoot: Shoot, fields: dict[str, dict[str, Any]], kind: str, names: list[str]) -> None:
    for name, values in fields.items():
        shoot.put(name, **values)
    finding = only(shoot.found(*papers.RULES))
    assert (finding.kind, shoot.names(finding)) == (kind, names)
    assert finding.evidence
    assert finding.advice


def test_fixes_of_papers_can_be_made_and_taken_back(shoot: Shoot) -> None:
    shoot.put("A1", name="CLIP")
    shoot.put("B1", name="CLIP", start="", metadata={"reported start": "10:01:00:00"})
    for finding in shoot.found(*papers.RULES):
        assert apply_fix(shoot.production, finding) is not None
    assert {shoot.production.get(Shot, shoot.shots[n].id).name for n in ("A1", "B1")} == {
        "A01_CLIP",
        "B01_CLIP",
    }
    assert shoot.production.get(Shot, shoot.shots["B1"].id).start == "10:01:00:00"
    assert shoot.found(*papers.RULES) == []


def test_chart_missing_and_the_setups_routine(shoot: Shoot) -> None:
    shoot.production.change("drop", drop=[shoot.shots["B0"]])
    finding = only(shoot.found(*papers.RULES))
    assert (finding.kind, finding.camera, finding.setup) == (
        "chart missing",
        shoot.cameras[1].id,
        shoot.setups[0].id,
    )
    shoot.production.undo()
    shoot.production.change("routine", replace(shoot.setups[0], routine=("24-patch", "grey card")))
    assert [f.what for f in shoot.found(papers.charts_filmed)] == [
        "Heron filmed no grey card in galley",
        "Egret filmed no grey card in galley",
    ]


def test_encoding_that_nobody_has_said(shoot: Shoot) -> None:
    shoot.production.change("unknown", replace(shoot.cameras[1], encoding=""))
    finding = only(shoot.found(*papers.RULES))
    assert (finding.kind, finding.camera) == ("encoding unknown", shoot.cameras[1].id)


def test_what_files_name_is_offered_once_the_configuration_knows_it(shoot: Shoot) -> None:
    """After another configuration was chosen: the camera as most of its files, floating-point files as they say."""
    camera = replace(shoot.cameras[1], encoding="")
    shoot.production.change("nobody said", camera)
    for k, said in enumerate(("ACEScct", "ACEScct", "ACEScc", "no such log", "ACEScg")):
        shoot.put(f"B{k}", said_encoding=said, floating=said == "ACEScg")
    (finding,) = shoot.found(papers.undecided)
    assert finding.fix is not None and finding.evidence[1] == ("in the configuration", "of 4 of them")
    apply_fix(shoot.production, finding)
    read = [
        encoding_of(shoot.production, shoot.production.get(Shot, shoot.shots[f"B{k}"].id)) for k in range(5)
    ]
    assert read == ["ACEScct", "ACEScct", "ACEScc", "ACEScct", "ACEScg"]
    assert not shoot.found(papers.undecided)


def test_grades(shoot: Shoot) -> None:
    heron, egret, galley = *shoot.cameras, shoot.setups[0]
    balance = Grade("balance", heron.id, galley.id, values={"stops": 0.3, "gains": [1.1, 1, 0.9]})
    look = Grade("look", values={"strength": 0.75})
    shoot.production.change("grade", balance, look)
    found = {f.kind: f for f in shoot.found(*grades.RULES)}
    assert set(found) == {"balance missing", "look on"}
    assert found["balance missing"].camera == egret.id
    apply_fix(shoot.production, found["look on"])
    assert not shoot.production.get(Grade, look.id).on
    pasted = Grade("balance", egret.id, galley.id, values=balance.values, origin="copied")
    shoot.production.change("paste", pasted)
    finding = only(shoot.found(*grades.RULES))
    assert (finding.kind, finding.what) == ("balance pasted", "Egret has exactly the balance of Heron")
    shoot.production.change("own", replace(pasted, values={"stops": 0.31, "gains": [1.08, 1, 0.9]}))
    assert shoot.found(*grades.RULES) == []


def test_dismissals_are_decisions_with_a_reason(shoot: Shoot) -> None:
    shoot.put("A1", rate="25")
    found = run_audit(shoot.production, shoot.config, measure=False)
    finding = only(found)
    dismiss(shoot.production, finding, "filmed for slow motion")
    assert [f.dismissed for f in kept_findings(shoot.production)] == ["filmed for slow motion"]
    assert shoot.production.journal(1)[0].why == "filmed for slow motion"
    assert only(run_audit(shoot.production, shoot.config, measure=False)).dismissed
    dismiss(shoot.production, finding, "")
    assert not only(kept_findings(shoot.production)).dismissed


def test_an_audit_that_finds_the_same_tells_nobody(shoot: Shoot) -> None:
    """Who looks at each change would otherwise audit for ever: the audit's own findings would be the next change."""
    shoot.put("A1", rate="25")
    run_audit(shoot.production, shoot.config, measure=False)
    told: list[int] = []
    shoot.production.watchers.append(lambda: told.append(1))
    for _ in range(3):
        run_audit(shoot.production, shoot.config, measure=False)
    assert not told
    shoot.put("A1", rate="24")
    before = len(told)
    run_audit(shoot.production, shoot.config, measure=False)
    assert len(told) == before + 1


@pytest.fixture(scope="module")
def logged(tmp_path_factory: pytest.TempPathFactory) -> tuple[Any, Production, list[Finding]]:
    """A short shoot of a seed that is drawn anew (AQUIN_SEED names one), logged, measured and audited."""
    seed = int(os.environ.get("AQUIN_SEED") or int.from_bytes(os.urandom(3)))
    folder = tmp_path_factory.mktemp("shoot") / "ferry"
    plan = film_short(folder, seed)
    production = Production.create(folder / "ferry.aquin")
    config = config_of(production)
    ingest(production, [folder / "media"], config)
    proposed = {s.path: s.setup_id for s in production.all(Shot)}
    sheet = read_sheet(folder / "reports" / "camera-report.csv")
    apply_report(production, sheet, propose_mapping(sheet, {}), config)
    PROPOSED[seed] = proposed
    return plan, production, run_audit(production, config)


PROPOSED: dict[int, dict[str, str]] = {}
"""Path to setup by seed, as proposed before the camera report was read."""

KINDS = {
    "wrong encoding": {"encoding"},
    "range flag": {"range"},
    "other light": {"card light"},
    "over": {"exposure"},
    "under": {"exposure"},
    "white left": {"white setting"},
    "baked LUT": {"baked picture"},
    "frame rate": {"frame rate"},
    "no timecode": {"no timecode"},
    "duplicate name": {"duplicate name"},
    "truncated": {"cut short", "unreadable"},
}

LIGHT = ("over", "under", "baked LUT", "truncated")
"""Mistakes after which a recording says nothing about the light of its moment."""


def test_planted_mistakes_of_any_seed_are_found_with_few_false_alarms(
    logged: tuple[Any, Production, list[Finding]],
) -> None:
    """The mistakes that picture or papers can reveal, and at most one false alarm in twenty recordings.

    The card of a camera that sets white by itself, and that filmed no grey card, reveals nothing about its light;
    nor does the picture of one that was over or under while fewer than two others saw the scene as it was. One of
    the rest may be missed.
    """
    plan, production, found = logged
    files = {s.id: s.path for s in production.all(Shot)}
    kinds: dict[str, set[str]] = {}
    for finding in found:
        for id in finding.shots:
            kinds.setdefault(files[id], set()).add(finding.kind)
    missed, false = [], []
    for take in plan.takes:
        said = kinds.get(take.path, set())
        hidden = take.mistake == "other light" and take.role == "phone"
        if take.mistake in ("over", "under"):
            sound = [
                t
                for t in plan.takes
                if (t.setup, t.start) == (take.setup, take.start)
                and t.mistake not in LIGHT
                and t.role != "phone"
            ]
            hidden = len(sound) < 2
        if take.mistake and not (said & KINDS[take.mistake]) and not hidden:
            missed.append((take.mistake, take.path))
        alarms = {f.kind for f in found if f.severity != "note" for id in f.shots if files[id] == take.path}
        false += [(take.path, k) for k in alarms - KINDS.get(take.mistake, set())]
    assert len(missed) <= 1, f"seed {plan.seed}: {missed}, false {false}"
    assert len(false) <= len(plan.takes) / 20, f"seed {plan.seed}: {false}"
    missing = [f for f in found if f.kind == "chart missing"]
    assert [
        (production.get(Camera, f.camera).name, production.get(Setup, f.setup).name) for f in missing
    ] == [("Petrel", "engine-room")]


def test_setups_proposed_from_times_are_those_of_the_shoot(
    logged: tuple[Any, Production, list[Finding]],
) -> None:
    """Before any paper was read; a take without timecode, or that can't be read, follows its neighbours."""
    plan, _, _ = logged
    proposed = PROPOSED[plan.seed]
    seen: dict[str, set[str]] = {}
    for take in plan.takes:
        seen.setdefault(take.setup, set()).add(proposed[take.path])
    timed = [t for t in plan.takes if t.mistake not in ("no timecode", "truncated")]
    for setup in seen:
        assert len({proposed[t.path] for t in timed if t.setup == setup}) == 1, setup
    assert len({proposed[t.path] for t in timed}) == len(seen)


def test_edit_of_that_shoot_conforms(logged: tuple[Any, Production, list[Finding]]) -> None:
    plan, production, _ = logged
    folder = production.path.parent / "edit"
    unreadable = {t.clip for t in plan.takes if t.mistake == "truncated"}
    for name in ("ferry-cut3.edl", "ferry-cut3.otio"):
        done = conform(production, read_edit(folder / name))
        assert len(done.events) == len(plan.edit)
        assert {e.clip for e in done.unmatched} <= unreadable
        wanted = [t.take.path for t in plan.edit if t.take.clip not in unreadable]
        found = [production.get(Shot, e.shot_id).path for e in done.events if e.clip not in unreadable]
        assert found == wanted


def test_measuring_again_reads_nothing_and_stopping_keeps_what_was_done(
    logged: tuple[Any, Production, list[Finding]],
) -> None:
    _, production, _ = logged
    config = config_of(production)
    told: list[float] = []
    first = measure_shots(production, config, tell=lambda share, words: told.append(share))
    assert told == []
    again = [Survey.of(v["survey"]) for v in first.values() if v.get("survey")]
    assert len(again) > 80
    assert all(Survey.of(json.loads(json.dumps(s.data()))) == s for s in again)
    production.change("tag", Option("", id="config"))  # without the cameras' encodings in it
    shots = [replace(s, range="full") for s in production.all(Shot) if s.codec and not s.trouble][:4]
    production.change("range", *shots)

    def stop(share: float, words: str) -> None:
        if share > 0.2:
            raise KeyboardInterrupt

    kept = len(production.measured("survey"))
    with pytest.raises(KeyboardInterrupt):
        measure_shots(production, config, shots, 1, stop)
    assert kept < len(production.measured("survey")) < kept + 4
    production.undo()
    production.undo()


def test_following_a_change_forgets_nothing_that_is_not_measured(shoot: Shoot) -> None:
    """A quick audit has only what is known: findings about shots that are not measured stay."""
    shoot.put("A1", rate="25")
    heard = Finding("exposure", "warning", 0.9, "It is +2.0 stops off", (shoot.shots["A2"].id,))
    shoot.production.keep_findings({heard.key: heard.data()})
    kinds = {f.kind for f in run_audit(shoot.production, shoot.config, measure=False)}
    assert kinds == {"frame rate", "exposure"}
    shoot.put("A1", rate="24")
    assert {f.kind for f in run_audit(shoot.production, shoot.config, measure=False)} == {"exposure"}


def test_transfer_curves_are_the_standards() -> None:
    """SMPTE ST 2084 and ITU-R BT.2100-2, as colour-science has them."""
    import colour

    signal = np.linspace(0.05, 1, 40)
    assert transfer.pq(signal) * 10_000 == pytest.approx(colour.models.eotf_ST2084(signal), rel=1e-6)
    assert transfer.hlg(signal) == pytest.approx(colour.models.oetf_inverse_BT2100_HLG(signal), rel=1e-4)


@pytest.mark.parametrize(
    ("tag", "encoding", "found"),
    [
        ("16", LOG, True),
        ("18", LOG, True),
        ("8", LOG, True),
        ("8", "ACEScg", False),
        ("1", LOG, False),
        ("", LOG, False),
    ],
)
def test_a_transfer_tag_is_held_against_the_encoding(
    tag: str, encoding: str, found: bool, tmp_path: Path, builtin: ColourConfig
) -> None:
    """Codes of ITU-T H.273, table 3: 1 is BT.709, 8 linear, 16 PQ, 18 HLG."""
    shoot = Shoot(tmp_path / "p.aquin", builtin)
    shot = shoot.shots["A1"]
    shoot.production.change("tag", replace(shot, encoding=encoding, metadata={TRANSFER: tag} if tag else {}))
    said = list(transfer.transfer_tag(Case(shoot.production, builtin, {})))
    assert [f.shots for f in said] == ([(shot.id,)] if found else [])


def test_primaries_of_screens_are_the_standards() -> None:
    """ITU-R BT.709-6, BT.2020-2 and SMPTE RP 431-2, as colour-science has them."""
    import colour

    for name, published in (("BT.709", "ITU-R BT.709"), ("BT.2020", "ITU-R BT.2020"), ("P3", "DCI-P3")):
        assert np.array(transfer.SCREENS[name]) == pytest.approx(
            colour.RGB_COLOURSPACES[published].primaries, abs=1e-9
        )


@pytest.mark.parametrize(
    ("tag", "found"), [("9", True), ("12", True), ("1", False), ("6", False), ("", False)]
)
def test_a_primaries_tag_is_held_against_the_encoding(
    tag: str, found: bool, tmp_path: Path, builtin: ColourConfig
) -> None:
    """Codes of ITU-T H.273, table 2: 1 is BT.709, 6 BT.601, 9 BT.2020, 12 P3 with D65. Beside a log no tag is held."""
    shoot = Shoot(tmp_path / "p.aquin", builtin)
    case = Case(shoot.production, builtin, {})
    video = [e.name for e in builtin.encodings() if e.kind == "sdr-video"]
    screen = next(n for n in video if transfer._gamut_of(case, n) == "BT.709")
    shot = shoot.shots["A1"]
    for encoding, expected in ((screen, found), (LOG, False)):
        shoot.production.change(
            "tag", replace(shot, encoding=encoding, metadata={PRIMARIES: tag} if tag else {})
        )
        said = list(transfer.primaries_tag(Case(shoot.production, builtin, {})))
        assert [f.shots for f in said] == ([(shot.id,)] if expected else [])
