"""The plan's numbers against published curves, its checks, stand-ins, staleness; monitor LUTs and the crew sheet."""

from collections.abc import Callable
from dataclasses import replace
from pathlib import Path

import numpy as np
import PyOpenColorIO as ocio
import pytest

from aquin.arrays import Floats
from aquin.charts.identify import nearest_encodings
from aquin.charts.layout import Layout
from aquin.colour.cdl import Cdl
from aquin.colour.config import ColourConfig
from aquin.colour.grade import Balance
from aquin.colour.grade import Grade as Correction
from aquin.errors import AquinError
from aquin.exchange.crew_sheet import Sheet, html, write_crew_sheet
from aquin.exchange.monitor import monitor_transform, write_monitor_lut
from aquin.exchange.names import safe_name
from aquin.production import Camera, Grade, Option, Production, Root, Setup, Shot
from aquin.production.grading import balance_of, held_grade, keep_grade, trim_of
from aquin.production.plan import chain_of, checklist, choose_policy, exposure_card, routine_of, set_routine
from aquin.production.settings import Deliverable, choose_config, config_of, keep_deliverables
from aquin.production.stale import inputs_of, is_stale

BT1886 = "Rec.1886 Rec.709 - Display"


def stale_grades(production: Production, config: ColourConfig) -> list[Grade]:
    return [g for g in production.all(Grade) if is_stale(production, config, g)]


@pytest.fixture
def production(tmp_path: Path) -> Production:
    made = Production.create(tmp_path / "p.aquin", "Ferry & film <1>")
    root = Root("media", "media")
    cameras = [Camera("Heron", "ACEScct", position=0), Camera("Egret", "ACEScc", position=1)]
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
            codec="h264",
            file_range="legal",
            file_matrix="bt709",
            range_from="file",
            content=n,
        )
        for n, kind, t, c in (
            ("a1", "chart", "24-patch", cameras[0]),
            ("a2", "shot", "", cameras[0]),
            ("b1", "shot", "", cameras[1]),
        )
    ]
    made.change("log", root, *cameras, setup, *shots)
    return made


def test_exposure_card_of_acescct(builtin: ColourConfig) -> None:
    """Academy S-2016-001: log part (log2(x) + 9.72) / 17.52, linear part 10.5402377416545 x + 0.0729055341958355."""

    def curve(x: float) -> float:
        return float((np.log2(x) + 9.72) / 17.52)

    card = exposure_card(builtin, "ACEScct", "full", 1.0)
    assert card.grey.signal == pytest.approx(100 * curve(0.18), abs=0.002)
    assert card.white.signal == pytest.approx(100 * curve(0.9), abs=0.002)
    assert card.asked.signal == pytest.approx(100 * curve(0.36), abs=0.002)
    assert card.floor.signal == pytest.approx(7.29055, abs=0.002)
    assert card.grey.code10 == round(1023 * curve(0.18))
    assert card.above == pytest.approx(17.52 - 9.72 - np.log2(0.18), abs=0.01)
    assert card.headroom == pytest.approx(card.above - 1)
    legal = exposure_card(builtin, "ACEScct", "legal", 0.0)
    assert (legal.grey.code10, legal.ceiling.code10) == (
        round(64 + 876 * curve(0.18)),
        940,
    )  # BT.709: 64 to 940


def test_every_log_encoding_has_a_card_with_levels_in_order(builtin: ColourConfig) -> None:
    """Common practice: grey of a camera's log curve sits between a quarter and a half of the signal, white above it."""
    seen = 0
    for encoding in builtin.encodings():
        if encoding.kind != "log" or "ADX" in encoding.name or not encoding.family.startswith("Input"):
            continue
        card = exposure_card(builtin, encoding.name, "full", 0.0)
        seen += 1
        assert card.floor.signal < card.grey.signal < card.white.signal < 100, encoding.name
        assert 25 < card.grey.signal < 52, encoding.name
        assert 3 <= card.below <= 12
        assert 3 < card.above < 12.5, encoding.name
    assert seen > 8


def test_chain_checks_say_what_is_wrong(production: Production, builtin: ColourConfig) -> None:
    def checks(camera: int = 0) -> dict[str, str]:
        return {c.name: c.state for c in chain_of(production, builtin).cameras[camera].checks}

    assert set(checks().values()) == {"right"}
    heron = production.all(Camera)[0]
    production.change("a", replace(heron, encoding="no such"))
    assert checks() == {"encoding": "wrong", "range": "right"}
    production.change("b", replace(heron, encoding="ACEScct", encoding_note="nearest known"))
    assert checks()["encoding"] == "doubt"
    shot = next(s for s in production.all(Shot) if s.name == "a2")
    production.change("c", replace(shot, file_range="full"))
    assert checks()["range"] == "doubt"
    production.change("d", replace(shot, range_from="assumed"))
    assert checks()["range"] == "doubt"
    production.change("e", Option("nowhere", id="working space"))
    assert chain_of(production, builtin).working.state == "wrong"
    assert checks()["working space"] == "wrong"
    screens = [Deliverable("tv", BT1886, "no such view"), Deliverable("raw", BT1886, "Raw")]
    keep_deliverables(production, screens, "screens")
    assert [s.check.state for s in chain_of(production, builtin).screens] == ["wrong", "wrong"]
    with pytest.raises(AquinError, match="one name"):
        keep_deliverables(production, [screens[0], screens[0]], "twice")


def test_plain_view_cuts_off_at_scene_white(production: Production, builtin: ColourConfig) -> None:
    """A plain view shows scene-linear 1 as 100 %: log2(1 / 0.18) = 2.47 stops over grey; grey by BT.1886 at 0.18 **
    (1 / 2.4).
    """
    keep_deliverables(production, [Deliverable("tv", BT1886, "Un-tone-mapped")], "plain")
    screen = chain_of(production, builtin).screens[0]
    assert screen.plain
    assert screen.reach == pytest.approx(2.47, abs=0.1)
    assert screen.grey == pytest.approx(100 * 0.18 ** (1 / 2.4), abs=0.05)
    assert screen.white == pytest.approx(100, abs=0.05)


def test_differing_targets_are_said_and_policies_move_them(
    production: Production, builtin: ColourConfig
) -> None:
    assert chain_of(production, builtin).differing == ()  # the two curves have one log part
    egret = production.all(Camera)[1]
    production.change("own", replace(egret, exposure_stops=-1.0))
    assert "Egret's at" in chain_of(production, builtin).differing[0]
    choose_policy(production, "protect", -1.0)
    cards = [c.card for c in chain_of(production, builtin).cameras]
    assert [c.asked_stops for c in cards if c] == [-1.0, -2.0]
    with pytest.raises(AquinError, match="4 stops"):
        choose_policy(production, "bright", 9)


def test_routine_of_production_and_setup(production: Production) -> None:
    assert [(f.camera.name, f.targets) for f in checklist(production)] == [
        ("Heron", (("24-patch", True), ("grey card", False))),
        ("Egret", (("24-patch", False), ("grey card", False))),
    ]
    production.change("routine", Option(["video chart"], id="routine"))
    setup = production.all(Setup)[0]
    assert routine_of(production, setup) == ("video chart",)
    set_routine(production, setup, ("24-patch",))
    assert routine_of(production, production.all(Setup)[0]) == ("24-patch",)


def test_configuration_is_kept_relative_and_tried_first(
    production: Production, builtin: ColourConfig
) -> None:
    path = production.path.parent / "own.ocio"
    path.write_text(builtin.text())
    choose_config(production, path)
    assert production.option("config") == "own.ocio"
    assert config_of(production).path == path
    choose_config(production, None)
    assert config_of(production).path is None
    (production.path.parent / "bad.ocio").write_text("nonsense")
    with pytest.raises(AquinError, match="can't be used"):
        choose_config(production, production.path.parent / "bad.ocio")
    assert config_of(production).path is None


@pytest.mark.parametrize("range", ["full", "legal"])
def test_monitor_lut_is_the_chain_as_another_program_reads_it(
    tmp_path: Path, builtin: ColourConfig, range: str
) -> None:
    path = tmp_path / "a.cube"
    view = dict(builtin.displays())[BT1886][0]
    error = write_monitor_lut(path, builtin, "ACEScct", BT1886, view, 33, range, 1.0)
    assert error < 20
    assert write_monitor_lut(path, builtin, "ACEScct", BT1886, view, 65, range, 1.0, force=True) < error / 2
    write_monitor_lut(path, builtin, "ACEScct", BT1886, view, 33, range, 1.0, force=True)
    ocio.ClearAllCaches()
    transform = ocio.FileTransform(str(path), interpolation=ocio.INTERP_TETRAHEDRAL)
    cpu = ocio.Config.CreateRaw().getProcessor(transform).getDefaultCPUProcessor()
    grey = float(builtin.from_linear("ACEScct")(np.full((1, 3), 0.36, np.float32))[0, 1])  # exposed a stop up
    code = grey if range == "full" else (64 + 876 * grey) / 1023
    seen = cpu.applyRGB([code] * 3)[1]
    shown = float(builtin.view(BT1886, view)(np.full((1, 3), 0.18, np.float32))[0, 1])
    want = shown if range == "full" else (64 + 876 * shown) / 1023
    assert seen == pytest.approx(want, abs=0.004)
    with pytest.raises(AquinError, match="exists already"):
        write_monitor_lut(path, builtin, "ACEScct", BT1886, view)
    with pytest.raises(AquinError, match="21 points"):
        write_monitor_lut(path, builtin, "ACEScct", BT1886, view, 21, force=True)
    with pytest.raises(AquinError, match="no range"):
        monitor_transform(builtin, "ACEScct", BT1886, view, range="half")


def test_crew_sheet_as_html_and_pdf(production: Production, builtin: ColourConfig, tmp_path: Path) -> None:
    chain = chain_of(production, builtin)
    sheet = Sheet(production.name, "2026-11-25", "expose bright", chain, tuple(checklist(production)))
    page = html(sheet)
    assert "Ferry &amp; film &lt;1&gt;" in page  # names are never executed
    assert "41.4 % (426)" in page
    assert "[x] 24-patch" in page
    for name in ("sheet.html", "sheet.pdf"):
        write_crew_sheet(tmp_path / name, sheet)
    assert (tmp_path / "sheet.pdf").read_bytes()[:5] == b"%PDF-"
    assert (tmp_path / "sheet.html").read_text(encoding="utf-8") == page
    with pytest.raises(AquinError, match=r"\.pdf or \.html"):
        write_crew_sheet(tmp_path / "sheet.doc", sheet)
    with pytest.raises(AquinError, match="exists already"):
        write_crew_sheet(tmp_path / "sheet.pdf", sheet)
    assert safe_name("Heron 2 / blue") == "Heron-2---blue"
    assert safe_name("...") == "unnamed"


def of_curve(curve: Callable[[Floats], Floats], chart: Layout) -> tuple[np.ndarray, np.ndarray]:
    return curve(chart.ap1.astype(np.float32)).astype(np.float64), np.ones(24, bool)


def test_nearest_known_encoding_is_the_one_that_made_the_chart(
    builtin: ColourConfig, chart24: Layout
) -> None:
    """Every log encoding of the configuration is found first from its own chart, a stop under and with a cast."""
    names = [e.name for e in builtin.encodings() if e.kind == "log" and "ADX" not in e.name]
    assert len(names) > 10
    cast = np.array([0.6, 0.5, 0.42], np.float32)
    for name in names[::3]:
        signal, usable = of_curve(lambda x, n=name: builtin.from_linear(n)(x * cast), chart24)
        found = nearest_encodings(builtin, signal, usable, chart24)
        assert found[0].rms_stops < 0.02, name
        same = builtin.to_linear(found[0].encoding)(signal.astype(np.float32))
        assert np.abs(same / builtin.to_linear(name)(signal.astype(np.float32)) - 1).max() < 0.02, (
            name,
            found[0],
        )


def test_a_curve_that_is_not_there_has_its_distance_said(builtin: ColourConfig, chart24: Layout) -> None:
    def strange(x: Floats) -> Floats:
        return np.clip(0.5 + 0.09 * np.sinh(np.log2(np.maximum(x, 1e-4) / 0.18) * 0.9), 0, 1)

    signal, usable = of_curve(strange, chart24)
    found = nearest_encodings(builtin, signal, usable, chart24)
    assert not found or found[0].rms_stops > 0.15
    with pytest.raises(AquinError, match="neutral patches"):
        nearest_encodings(builtin, signal, np.zeros(24, bool), chart24)


def test_a_change_upstream_makes_a_grade_stale(production: Production, builtin: ColourConfig) -> None:
    heron, egret = production.all(Camera)
    setup = production.all(Setup)[0]
    chart, shot, other = production.all(Shot)

    def made(layer: str, **place: str) -> Grade:
        grade = Grade(layer, values={"stops": 0.5}, **place)
        return replace(grade, inputs=inputs_of(production, builtin, grade))

    conversion = made("conversion", camera_id=heron.id)
    balance = made("balance", camera_id=heron.id, setup_id=setup.id)
    production.change("grade", conversion, balance)
    trim = made("trim", shot_id=shot.id)
    typed = Grade("trim", shot_id=other.id, values={"stops": 1})
    look = made("look")
    production.change("grade", trim, typed, look)
    assert stale_grades(production, builtin) == []
    for spoil, stale in (
        (replace(heron, encoding="ACEScc"), {"conversion", "balance", "trim"}),
        (replace(chart, content="filmed again"), {"balance"}),
        (replace(shot, content="filmed again"), {"trim"}),
        (replace(setup, hero_id=other.id), {"trim"}),
        (replace(balance, values={"stops": 0.7}), {"trim"}),
        (replace(egret, encoding="ACEScct"), set()),
        (replace(shot, note="a remark"), set()),
    ):
        production.change("spoil", spoil)
        assert {g.layer for g in stale_grades(production, builtin)} == stale, spoil
        production.undo()
    assert not is_stale(production, builtin, typed)


def test_balance_of_a_card_serves_the_cameras_other_shots(
    production: Production, builtin: ColourConfig
) -> None:
    """Balance belongs to camera and setup, from the card; a shot that was trimmed keeps its own and becomes stale."""
    chart, shot, other = production.all(Shot)
    assert held_grade(production, shot) is None
    first = Correction(Balance(0.5, (1.1, 1.0, 0.85)))
    assert keep_grade(production, builtin, shot, Correction(), "typed") is None
    keep_grade(production, builtin, chart, first, "settle all")
    assert held_grade(production, shot) == first
    assert held_grade(production, other) is None  # another body
    assert balance_of(production, shot).origin == "settle all of a1"
    trimmed = replace(first, trim=Cdl((1.0, 1.0, 1.1), (0.01, 0.0, 0.0), (1.0, 1.0, 1.0), 0.9))
    keep_grade(production, builtin, shot, trimmed, "typed")
    assert held_grade(production, shot) == trimmed
    assert keep_grade(production, builtin, shot, trimmed, "typed") is None
    assert stale_grades(production, builtin) == []
    keep_grade(production, builtin, chart, Correction(Balance(0.7)), "settle all")
    assert held_grade(production, shot) == trimmed
    assert [g.layer for g in stale_grades(production, builtin)] == ["trim"]
    production.undo()
    assert stale_grades(production, builtin) == []
    spoilt = replace(trim_of(production, shot), values={"stops": "x"})
    production.change("spoil", spoilt)
    assert held_grade(production, shot) == first
