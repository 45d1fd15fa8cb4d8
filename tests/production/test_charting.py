"""Charts in a production: marks, balances, profiles and raw settings are decisions that can be undone, and make
others stale.
"""

from pathlib import Path

import numpy as np
import pytest

from aquin.charts.layout import Layout, layout
from aquin.charts.profile import profile
from aquin.charts.solve import solve
from aquin.charts.sweep import Look, Sweep
from aquin.charts.take import Take, read_take
from aquin.colour.config import ColourConfig
from aquin.colour.grade import Balance, Grade
from aquin.errors import AquinError
from aquin.frames import Decode
from aquin.production import Camera, Production, Setup, Shot
from aquin.production import Grade as GradeRecord
from aquin.production.audit import apply_fix, run_audit
from aquin.production.charting import (
    Mark,
    Read,
    chart_takes,
    evidence_of,
    followers,
    hero_take,
    identify_take,
    keep_balance,
    keep_mark,
    keep_profile,
    let_follow,
    mark_of,
    read_takes,
    series_of,
    take_of,
    without,
)
from aquin.production.grading import balance_of, held_grade
from aquin.production.raw import decode_of, keep_decode
from aquin.production.records import Root
from aquin.production.settings import config_of
from aquin.production.stale import is_stale
from aquin.simulate.film import write_still
from rawfile import put
from series import drawn, filmed, reading


@pytest.fixture
def production(tmp_path: Path) -> Production:
    made = Production.create(tmp_path / "p.aquin", "Ferry")
    root = Root("media", "media")
    (tmp_path / "media").mkdir()
    cameras = [Camera("Heron", "ACEScct", position=0), Camera("Egret", "ACEScct", position=1)]
    setup = Setup("galley", 1)
    shots = [
        Shot(
            root.id,
            f"{n}.mkv",
            n,
            kind,
            camera_id=c.id,
            setup_id=setup.id,
            target=t,
            content=n,
            series_stops=s,
        )
        for n, kind, t, c, s in (
            ("a1", "chart", "24-patch", cameras[0], None),
            ("a2", "shot", "", cameras[0], None),
            ("a3", "shot", "", cameras[0], None),
            ("b1", "chart", "24-patch", cameras[1], None),
            ("b2", "shot", "", cameras[1], None),
            ("s0", "series", "24-patch", cameras[0], 0.0),
            ("s1", "series", "24-patch", cameras[0], 1.0),
            ("s2", "series", "24-patch", cameras[0], -1.0),
        )
    ]
    made.change("log", root, *cameras, setup, *shots)
    return made


def shot(production: Production, name: str) -> Shot:
    return next(s for s in production.all(Shot) if s.name == name)


def swept(production: Production, name: str, card: Layout, linear: np.ndarray) -> Read:
    """A take as if it had been read."""
    r = reading(card, linear)
    look = Look(0, r, quality=1.0)
    return Read(shot(production, name), Take(Path(name)), Sweep((look,), look, (0,), "the only one"))


def test_takes_come_by_setup_and_camera_and_series_last(production: Production) -> None:
    assert [s.name for s in chart_takes(production)] == ["a1", "b1", "s0", "s1", "s2"]
    camera = next(c for c in production.all(Camera) if c.name == "Heron")
    assert [s.series_stops for s in series_of(production, camera)] == [-1.0, 0.0, 1.0]


def test_a_mark_is_kept_undone_and_redone(production: Production) -> None:
    take = shot(production, "a1")
    mark = Mark("video-chart", 3, ((1.0, 2.0), (30.0, 2.0), (30.0, 20.0), (1.0, 20.0)), ("red",))
    keep_mark(production, take, mark, "mark the chart")
    assert mark_of(production, take) == mark
    production.undo()
    assert mark_of(production, take) == Mark()
    production.redo()
    assert mark_of(production, take) == mark
    made = take_of(production, config_of(production), take)
    assert (made.layout, made.frame, made.corners) == ("video-chart", 3, mark.corners)


def test_a_floating_recording_is_read_as_what_it_says_or_as_linear(production: Production) -> None:
    from dataclasses import replace

    config, take = config_of(production), shot(production, "a1")
    for said, read in (
        ("ACEScg", "ACEScg"),
        ("no such", config.resolve("scene_linear")),
        ("", config.resolve("scene_linear")),
    ):
        still = replace(take, floating=True, said_encoding=said)
        production.change("log", still)
        assert take_of(production, config, still).encoding == read


def test_a_spoilt_mark_counts_as_none(production: Production) -> None:
    from aquin.production import Option

    take = shot(production, "a1")
    for bad in ({"corners": [[1, 2, 3]]}, {"frame": "x"}, "nonsense", {"corners": "abc"}):
        production.change("spoil", Option(bad, id=f"chart:{take.id}"))
        assert mark_of(production, take) == Mark()


def test_patches_left_out_by_hand_do_not_count(production: Production, chart24: Layout) -> None:
    read = swept(production, "a1", chart24, chart24.ap1)
    assert read.sweep is not None
    fewer = without(read.sweep, ("red", "white 9.5"))
    assert fewer.best is not None
    assert fewer.best.reading is not None
    assert fewer.best.reading.usable.sum() == 22
    assert fewer.best.reading.dropped[14] == "left out by hand"


def test_a_balance_serves_the_cameras_other_shots(production: Production, chart24: Layout) -> None:
    config = config_of(production)
    chart = shot(production, "a1")
    pairs = evidence_of(reading(chart24, chart24.ap1 * [0.5, 0.6, 0.4]))
    solution = solve(pairs, "root+warp")
    keep_balance(production, config, chart, solution)
    kept = balance_of(production, chart)
    assert kept is not None
    assert "root polynomial + hue warp of a1" in kept.origin
    assert held_grade(production, shot(production, "a2")) == solution.grade
    assert held_grade(production, shot(production, "b2")) is None
    follow, own = followers(production, chart)
    assert ([s.name for s in follow], own) == (["a2", "a3"], [])
    production.undo()
    assert balance_of(production, chart) is None


def test_shots_with_their_own_correction_are_offered_and_can_follow(
    production: Production, chart24: Layout
) -> None:
    config = config_of(production)
    own = Grade(Balance(1.0))
    production.change("trim", GradeRecord("trim", shot_id=shot(production, "a2").id, values=own.values()))
    chart = shot(production, "a1")
    solution = solve(evidence_of(reading(chart24, chart24.ap1 * 0.5)), "gains")
    keep_balance(production, config, chart, solution)
    follow, held = followers(production, chart)
    assert ([s.name for s in follow], [s.name for s in held]) == (["a3"], ["a2"])
    assert held_grade(production, shot(production, "a2")) == own
    let_follow(production, held)
    assert held_grade(production, shot(production, "a2")) == solution.grade
    assert followers(production, chart)[1] == []


def test_the_heros_chart_is_the_reference_where_it_is(production: Production, chart24: Layout) -> None:
    setup = production.all(Setup)[0]
    assert hero_take(production, shot(production, "b1")) is None
    from dataclasses import replace

    production.change("hero", replace(setup, hero_id=shot(production, "a2").id))
    hero = hero_take(production, shot(production, "b1"))
    assert hero is not None
    assert hero.name == "a1"
    assert hero_take(production, shot(production, "a1")) is None  # it is the hero's own
    light = chart24.ap1 * [1.2, 1.0, 0.7]
    pairs = evidence_of(reading(chart24, light * 0.5), reading(chart24, light), neutral=3.0, skin=0.0)
    assert solve(pairs, "gains").mean < 0.01
    assert pairs.weights.max() == 3
    assert pairs.weights[:2].max() == 0
    with pytest.raises(AquinError, match="different charts"):
        evidence_of(reading(chart24, light), reading(layout("video-chart"), layout("video-chart").ap1))


def test_a_measured_profile_becomes_the_cameras_encoding_and_undo_takes_it_back(
    production: Production, chart24: Layout
) -> None:
    config = config_of(production)
    camera = next(c for c in production.all(Camera) if c.name == "Heron")
    chart = shot(production, "a1")
    keep_balance(production, config, chart, solve(evidence_of(reading(chart24, chart24.ap1)), "gains"))
    made = profile(filmed(chart24, drawn(0)[1]))
    keep_profile(production, config, camera, made, "Heron measured")
    new = config_of(production)
    assert new.resolve("Heron measured") == "Heron measured"
    now = production.get(Camera, camera.id)
    assert now.encoding == "Heron measured"
    assert "exposures" in now.encoding_note
    kept = balance_of(production, chart)
    assert kept is not None
    assert is_stale(production, new, kept)  # it was made through another encoding
    production.undo()
    assert production.get(Camera, camera.id).encoding == "ACEScct"
    production.undo()
    assert config_of(production).path == config.path


def test_a_baked_cameras_measured_table_survives_in_a_file_beside_the_configuration(
    production: Production, chart24: Layout
) -> None:
    """A configuration's own text can hold no table; what is read back must be what was measured."""
    config = config_of(production)
    camera = next(c for c in production.all(Camera) if c.name == "Heron")
    made = next(p for k in range(2, 12) if (p := profile(filmed(chart24, drawn(k)[1]))).curve.log is None)
    keep_profile(production, config, camera, made, "Heron baked")
    again = config_of(production)
    assert list(production.path.parent.glob("*.clf"))
    signal = np.linspace(0.05, 0.95, 200, dtype=np.float32)[:, None] * np.ones(3, np.float32)
    whole = config.with_encodings(made.encoding("Heron baked")).to_linear("Heron baked")(signal)
    assert again.to_linear("Heron baked")(signal) == pytest.approx(whole, rel=1e-4, abs=1e-5)
    middle = (signal[:, 0] > 0.2) & (signal[:, 0] < 0.8)
    back = again.from_linear("Heron baked")(again.to_linear("Heron baked")(signal))
    assert back[middle] == pytest.approx(signal[middle], abs=2e-3)


def test_a_chart_names_its_encoding(production: Production, chart24: Layout, builtin: ColourConfig) -> None:
    signal = builtin.from_linear("ACEScct")(chart24.ap1.astype(np.float32)).astype(float)
    read = swept(production, "a1", chart24, chart24.ap1)
    assert read.sweep is not None
    assert read.sweep.best is not None
    good = reading(chart24, chart24.ap1, signal)
    look = Look(0, good, quality=1.0)
    found = identify_take(builtin, Read(read.shot, read.take, Sweep((look,), look, (0,), "")))
    assert "ACEScct" in (found.ranking[0].encoding, *found.ranking[0].alike)
    with pytest.raises(AquinError, match="nothing there"):
        identify_take(builtin, Read(read.shot, read.take, None, "nothing there"))


def test_a_missing_file_is_a_trouble_of_its_own_take_only(
    production: Production, chart24: Layout, tmp_path: Path
) -> None:
    put(tmp_path / "media" / "r1.dng", chart24)
    root = production.all(Root)[0]
    raw = Shot(root.id, "r1.dng", "r1", "chart", target="24-patch", floating=True, content="r1", frames=1)
    production.change("log raw", raw)
    first, second = read_takes(production, config_of(production), [shot(production, "a1"), raw], 1)
    assert first.sweep is None
    assert "a1.mkv" in first.trouble
    assert second.reading is not None
    assert second.reading.usable.sum() >= 22


def test_raw_settings_are_a_decision_that_makes_grades_stale(
    production: Production, chart24: Layout, tmp_path: Path
) -> None:
    put(tmp_path / "media" / "r1.dng", chart24)
    root = production.all(Root)[0]
    camera, setup = production.all(Camera)[0], production.all(Setup)[0]
    raw = Shot(
        root.id,
        "r1.dng",
        "r1",
        "chart",
        camera.id,
        setup.id,
        target="24-patch",
        floating=True,
        content="r1",
        frames=1,
    )
    production.change("log raw", raw)
    config = config_of(production)
    assert decode_of(production, raw) == Decode()
    assert decode_of(production, shot(production, "a1")) is None
    take = take_of(production, config, raw)
    before = read_take(take).reading()
    assert before is not None
    keep_balance(production, config, raw, solve(evidence_of(before), "gains"))
    kept = balance_of(production, raw)
    assert kept is not None
    assert not is_stale(production, config, kept)
    keep_decode(production, [raw], Decode(exposure=1.0))
    assert is_stale(production, config, kept)
    after = read_take(take_of(production, config, raw)).reading()
    assert after is not None
    assert np.allclose(np.log2(after.linear / before.linear), 1, atol=0.02)
    assert "develop r1" in production.journal(1)[0].what
    production.undo()
    assert decode_of(production, raw) == Decode()
    assert not is_stale(production, config, kept)
    with pytest.raises(AquinError, match="no raw still"):
        keep_decode(production, [shot(production, "a1")], Decode())


def test_the_audit_names_the_encoding_that_explains_a_chart(
    tmp_path: Path, chart24: Layout, builtin: ColourConfig
) -> None:
    """A camera is said to record one log curve and its chart was recorded with another: the fix takes the right one."""
    logs = [e.name for e in builtin.encodings() if e.kind == "log" and not e.name.startswith("ADX")]
    true, said = logs[-1], "ACEScc"
    picture = np.full((400, 600, 3), 0.12)
    picture[40:360, 60:540] = 0.036
    picture[61:338, 90:510] = np.concatenate([chart24.ap1, np.full((1, 3), 0.036)])[chart24.labels(420, 277)]
    signal = np.clip(builtin.from_linear(true)(picture.astype(np.float32)), 0, 1)
    (tmp_path / "media").mkdir()
    write_still(
        tmp_path / "media" / "a1x.tif", np.round(signal * 65535).astype(np.uint16), None, "A001", "uint16"
    )
    made = Production.create(tmp_path / "p.aquin", "Ferry")
    root, camera, setup = Root("media", "media"), Camera("Own", said), Setup("galley", 1)
    take = Shot(
        root.id,
        "a1x.tif",
        "a1x",
        "chart",
        camera.id,
        setup.id,
        target="24-patch",
        frames=1,
        content="a1x",
        codec="tif",
        file_range="full",
        file_matrix="rgb",
        bits=16,
        width=600,
        height=400,
    )
    made.change("log", root, camera, setup, take)
    findings = run_audit(made, builtin)
    found = next(f for f in findings if f.kind == "encoding" and "grey steps" in f.what)
    assert any(what == "what explains its chart" and true in words for what, words in found.evidence)
    apply_fix(made, found)
    assert made.get(Shot, take.id).encoding in (true, *_alike(builtin, found))


def _alike(config: ColourConfig, found: object) -> list[str]:
    """Encodings that a chart can't tell from the right one, as the finding's evidence names them."""
    words = dict(found.evidence)["what explains its chart"]  # type: ignore[attr-defined]
    return [e.name for e in config.encodings() if e.name in words]
