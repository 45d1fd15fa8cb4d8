"""Looks of a production: kept, switched, for setups, imported, in the library, exported and rendered."""

import zipfile
from pathlib import Path

import numpy as np
import pytest

from aquin.colour import acescct
from aquin.colour.cdl import Cdl
from aquin.colour.config import ColourConfig
from aquin.colour.tone_curve import ToneCurve
from aquin.colour.zones import ZoneGains
from aquin.errors import AquinError
from aquin.exchange import cube
from aquin.exchange.grade_file import through_ocio
from aquin.exchange.monitor import monitor_transform
from aquin.frames import open_source
from aquin.jobs.crew_sheet import look_lines
from aquin.jobs.level_shot import exact_view
from aquin.jobs.look_work import compare, dissect, export_whole, spread_by, spread_words
from aquin.jobs.render_frame import Target, render_shot
from aquin.look.look import Look
from aquin.production import Production, Setup, Shot, looks
from aquin.production.look_library import NUMBERS, library, library_folder, save_look, take_look
from aquin.production.looks import (
    drop_look,
    import_look,
    keep_look,
    look_for,
    looks_of,
    named,
    use_look,
)
from aquin.production.media import file_of
from aquin.production.settings import config_of
from aquin.production.shoot import Shoot
from shoots import copy_of


@pytest.fixture
def production(settled: Path, tmp_path: Path) -> Production:
    path = settled.with_name(f"{tmp_path.name}.aquin")
    copy_of(settled, path)
    return Production.open(path)


WARM = Look(
    "warm",
    curve=ToneCurve((-0.2, -0.1, 0.0, 0.1, -0.1)),
    zones=ZoneGains((-0.05, 0, 0.1), (0, 0, 0), (0.06, 0, -0.08)),
    cdl=Cdl(saturation=0.9),
    strength=0.75,
)


def a_shot(production: Production) -> Shot:
    return next(
        s for s in production.all(Shot) if s.kind == "shot" and s.path.endswith((".mov", ".mkv", ".mp4"))
    )


def test_several_are_kept_and_one_is_on(production: Production) -> None:
    config = config_of(production)
    first = keep_look(production, WARM, "new look")
    second = keep_look(production, Look("cold", cdl=Cdl((0.95, 1, 1.05))), "new look")
    assert look_for(production, config, "") is None  # off while one balances
    use_look(production, first)
    assert look_for(production, config, "") == WARM
    use_look(production, second)
    found = look_for(production, config, "")
    assert found is not None
    assert found.name == "cold"
    assert [h.record.on for h in looks_of(production, config)].count(True) == 1
    production.undo()
    assert look_for(production, config, "") == WARM
    with pytest.raises(AquinError, match="already"):
        keep_look(production, WARM, "new look")
    drop_look(production, named(production, config, "cold").record)
    with pytest.raises(AquinError, match="there is no look 'cold'"):
        named(production, config, "cold")
    production.undo()
    assert named(production, config, "cold").look is not None


def test_a_look_for_a_setup_goes_before_one_for_all(production: Production) -> None:
    config, (pier, deck) = config_of(production), production.all(Setup)[:2]
    everywhere = keep_look(production, WARM, "new look")
    night = keep_look(production, Look("night", cdl=Cdl((0.9, 1, 1.1))), "new look", None, [pier.id])
    use_look(production, everywhere)
    use_look(production, night)
    shown = [look_for(production, config, s.id) for s in (pier, deck)]
    assert [k.name if k is not None else "" for k in shown] == ["night", "warm"]


def test_an_imported_file_lies_beside_the_production_and_what_changed_is_told(
    production: Production, tmp_path: Path
) -> None:
    config, path = config_of(production), tmp_path / "film stock.cube"
    cube.write(path, lambda x: np.clip(x * 1.05, 0, 1), 17, "film")
    record = import_look(production, config, path, "working", "working", strength=0.5)
    held = named(production, config, "film stock")
    assert held.look is not None
    assert held.look.strength == 0.5
    assert held.look.lut is not None
    assert held.look.lut.path.parent == production.path.parent
    held.look.lut.path.write_text("LUT_3D_SIZE 2\n" + "0 0 0\n" * 8)
    assert "another one" in looks_of(production, config)[0].trouble
    held.look.lut.path.unlink()
    assert "can't be read" in looks_of(production, config)[0].trouble
    assert record.values["lut"]["file"] == held.look.lut.path.name
    with pytest.raises(AquinError, match="no encoding"):
        import_look(production, config, path, "nonsense space", "working")


def test_the_library_gives_a_look_to_another_production(production: Production, tmp_path: Path) -> None:
    config, path = config_of(production), tmp_path / "film.cube"
    cube.write(path, lambda x: np.clip(x * 1.05, 0, 1), 17, "film")
    import_look(production, config, path, "working", "working")
    save_look(named(production, config, "film"), library_folder() / "film.aquinlook")
    (held,) = library()
    other = Production.create(tmp_path / "other.aquin")
    take_look(other, ColourConfig.load(), held, "again")
    found = named(other, ColourConfig.load(), "again").look
    other.close()
    assert found is not None
    log = np.full((1, 3), 0.4, np.float32)
    assert np.allclose(found.colours(log), log + 0.75 * (log * 1.05 - log), atol=1e-4)


@pytest.mark.parametrize("names", [("../evil.cube", NUMBERS), (NUMBERS,), ("look.cube",), ()])
def test_a_look_file_of_somebody_else_is_read_with_care(
    production: Production, tmp_path: Path, names: tuple[str, ...]
) -> None:
    path = tmp_path / "bad.aquinlook"
    with zipfile.ZipFile(path, "w") as out:
        for name in names:
            out.writestr(name, '{"name": "x", "lut": {"file": "../../evil.txt", "content": "../x"}}')
    with pytest.raises(AquinError, match="look"):
        take_look(production, config_of(production), path)
    assert not list(production.path.parent.parent.glob("evil*"))


@pytest.mark.parametrize("suffix", [".cube", ".clf"])
def test_one_file_of_camera_balance_trim_and_look_is_what_render_gives(
    production: Production, tmp_path: Path, suffix: str
) -> None:
    """The file, applied by OpenColorIO to the camera's own codes, against the rendered frame."""
    config, shot = config_of(production), a_shot(production)
    said = export_whole(production, config, shot, tmp_path / f"whole{suffix}", WARM, False)
    assert said["p999_code10"] < 3
    assert said["look"] == "warm"
    render_shot(production, config, shot, Target(tmp_path / "a.exr", to="ACEScct"), look=WARM)
    rendered = open_source(tmp_path / "a.exr")
    shown = rendered.read(rendered.first).rgb
    ref = Shoot(production, config).ref(shot, shot.first + shot.frames // 2)
    assert ref is not None
    assert file_of(production, shot) == ref.path
    from aquin.production.match_work import side_of

    codes = np.ascontiguousarray(side_of(ref, None if config.path is None else str(config.path)).signal)
    gap = np.abs(through_ocio(tmp_path / f"whole{suffix}")(codes) - shown).max(axis=-1) * 1023
    assert np.percentile(gap, 99) < 3


def test_monitor_luts_carry_the_look_at_its_strength() -> None:
    config = ColourConfig.load()
    display, view = config.default_view()
    encoding = next(e.name for e in config.encodings() if e.kind == "log")
    codes = np.linspace(0.2, 0.8, 60, dtype=np.float32).reshape(-1, 3)
    with_look = monitor_transform(config, encoding, display, view, look=WARM)(codes)
    log = acescct.encode(config.to_linear(encoding)(codes))
    by_hand = config.view(display, view)(np.asarray(acescct.decode(WARM.apply(log)), np.float32))
    assert np.abs(with_look - np.clip(by_hand, 0, 1)).max() < 1e-5
    plain = monitor_transform(config, encoding, display, view)(codes)
    assert np.abs(with_look - plain).max() > 0.01


def test_the_crew_is_told_what_the_look_does(production: Production) -> None:
    config = config_of(production)
    assert look_lines(production, config) == ()
    from aquin.colour.hue_warp import HueWarp

    look = Look(
        "turned",
        warp=HueWarp((15.0, 15.0, 0, 0, 0, 0), (1, 1, 1, 1, 0.1, 1)),
        cdl=Cdl(offset=(-0.05,) * 3),
        strength=1.0,
    )
    use_look(production, keep_look(production, look, "new look"))
    said = " ".join(look_lines(production, config))
    assert "turned" in said
    assert "towards" in said
    assert "loses" in said
    assert "more light" in said


def test_a_still_is_taken_apart_and_looks_are_compared(production: Production, tmp_path: Path) -> None:
    config, shot = config_of(production), a_shot(production)
    render_shot(production, config, shot, Target(tmp_path / "still.tif"), look=WARM)
    found = dissect(production, config, tmp_path / "still.tif", "display", [shot], bold=True)
    data = found.data()
    assert {z["zone"] for z in data["zones"]} == {"black", "shadows", "middle", "lights", "white"}
    assert 0 <= data["suitability"]["score"] <= 1
    assert data["distance"]["after"] < 0.7 * data["distance"]["before"]
    priced = compare(production, config, [WARM, found.fitted.look], [shot])
    assert [c.look for c in priced] == ["warm", "still"]
    assert all(c.price.banding > 0.5 for c in priced)
    assert "no longer" in spread_words((1.4, 2.6), 2.0)
    assert spread_words((2.4, 3.6), 2.0) == "+1.2 dE00 from its hero"
    assert spread_words((1.0, 1.2), 2.0) == spread_words((float("nan"),) * 2, 2.0) == ""
    view = exact_view(config, *looks.screen_of(production, config))
    before, after = spread_by(production, config, shot, Look("none"), view)
    assert after == pytest.approx(before, abs=1e-9, nan_ok=True)
