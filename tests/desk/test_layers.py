"""Files that hold several pictures: one is chosen by hand, from the command line and in the window."""

import json
from pathlib import Path

import numpy as np
import OpenImageIO as oiio
import pytest
from PySide6.QtWidgets import QApplication

from aquin.desk.screenshots import settle_down
from aquin.errors import AquinError
from aquin.frames import Decode, open_source
from aquin.production import Production, Shot
from aquin.production.ingest import ingest
from aquin.production.measuring import measure_shots
from aquin.production.raw import decode_of, keep_layer, pictures_of
from aquin.production.settings import config_of
from cli.running import plain
from desk.pages import page, production_of, shown_window

BEAUTY, SHINE, LEFT = (0.1, 0.2, 0.3), (0.9, 0.8, 0.7), (0.4, 0.5, 0.6)


def layered(path: Path) -> Path:
    """Two layers in one part, and a second part that holds a layer of the same name."""
    first = oiio.ImageSpec(30, 20, 6, oiio.FLOAT)
    first.channelnames = ("shine.R", "shine.G", "shine.B", "beauty.R", "beauty.G", "beauty.B")
    second = oiio.ImageSpec(30, 20, 3, oiio.FLOAT)
    second.channelnames = ("shine.R", "shine.G", "shine.B")
    for spec, name in ((first, "one"), (second, "two")):
        spec.attribute("oiio:subimagename", name)
    out = oiio.ImageOutput.create(str(path))
    assert out.open(str(path), [first, second]), out.geterror()
    out.write_image(np.tile(np.array(SHINE + BEAUTY, np.float32), (20, 30, 1)))
    assert out.open(str(path), second, "AppendSubimage")
    out.write_image(np.tile(np.array(LEFT, np.float32), (20, 30, 1)))
    out.close()
    return path


def colour(path: Path, layer: str = "") -> np.ndarray:
    return np.asarray(open_source(path, decode=Decode(layer=layer)).read(0).rgb[4, 5])


@pytest.fixture
def file(tmp_path: Path) -> Path:
    return layered(tmp_path / "render.exr")


@pytest.fixture
def production(file: Path, tmp_path: Path) -> Production:
    made = Production.create(tmp_path / "p.aquin", "Ferry")
    ingest(made, [file], config_of(made), jobs=1)
    return made


def test_each_picture_of_a_file_can_be_chosen(file: Path) -> None:
    source = open_source(file)
    assert source.pictures == ("beauty", "one: shine", "two: shine")
    assert colour(file) == pytest.approx(BEAUTY)
    for name, wanted in zip(source.pictures, (BEAUTY, SHINE, LEFT), strict=True):
        assert colour(file, name) == pytest.approx(wanted)
    notes = open_source(file, decode=Decode(layer="two: shine")).notes
    assert any("two: shine is used" in n and "beauty" in n for n in notes)
    with pytest.raises(AquinError, match="no picture 'depth'") as told:
        open_source(file, decode=Decode(layer="depth"))
    assert "two: shine" in told.value.line()


def test_a_file_of_one_picture_refuses_another(hero_file: Path, shot_file: Path) -> None:
    for path in (hero_file, shot_file):  # a still and a movie
        with pytest.raises(AquinError, match="beauty"):
            open_source(path, decode=Decode(layer="beauty"))


def test_no_layer_leaves_what_was_kept_before_as_it_was() -> None:
    assert "layer" not in Decode().values() and Decode.of(Decode(layer="a").values()).layer == "a"


def test_a_shots_picture_is_kept_measured_and_taken_back(production: Production) -> None:
    shot = production.all(Shot)[0]
    assert pictures_of(shot) == ("beauty", "one: shine", "two: shine")
    assert decode_of(production, shot) is None
    keep_layer(production, [shot], "one: shine")
    decode = decode_of(production, shot)
    assert decode is not None and decode.layer == "one: shine"
    config = config_of(production)
    bright = measure_shots(production, config, jobs=1)[shot.id]["survey"]
    keep_layer(production, [shot], "")
    dark = measure_shots(production, config, jobs=1)[shot.id]["survey"]
    assert bright != dark
    with pytest.raises(AquinError, match="holds no picture 'depth'"):
        keep_layer(production, [shot], "depth")
    production.undo()
    assert decode_of(production, shot) == decode


def test_from_the_command_line(file: Path, production: Production, tmp_path: Path) -> None:
    run = plain
    out = tmp_path / "out.exr"
    code, _, err = run(
        "render", file, "--encoding", "ACEScg", "--to", "ACEScg", "--layer", "one: shine", "--out", out
    )
    assert (code, err) == (0, "")
    assert colour(out) == pytest.approx(SHINE, abs=1e-3)
    code, _, err = run("render", file, "--encoding", "ACEScg", "--layer", "x", "--out", out, "--force")
    assert code == 2 and "there is no picture 'x' in the file" in err and "beauty" in err
    kept = production.path
    production.close()
    told = json.loads(run("decode", kept, "render", "--layer", "two: shine", "--json")[1])
    assert told["pictures"] == ["beauty", "one: shine", "two: shine"]
    assert told["decode"]["layer"] == "two: shine"
    assert "two: shine                used" in run("decode", kept, "render")[1]
    assert json.loads(run("decode", kept, "render", "--usual", "--json")[1])["decode"] is None
    assert run("decode", kept, "render", "--usual", "--layer", "beauty")[0] == 2


def test_in_shots_and_on_the_bench(app: QApplication, production: Production) -> None:
    shot = production.all(Shot)[0]
    kept = production.path
    production.close()
    window = shown_window()
    try:
        assert window.open_production(kept)
        window.show_view("shots")
        settle_down(window)
        window.shots.select([shot.id])
        assert window.shots.shot_buttons["Picture …"].isVisible()
        window.shots.shot_buttons["Picture …"].click()
        menu = window.shots.picture_menu
        assert [a.text() for a in menu.actions()][:2] == ["The likeliest (beauty)", "beauty"]
        assert menu.actions()[0].isChecked()
        menu.actions()[2].trigger()
        menu.close()
        decode = decode_of(production_of(window), shot)
        assert decode is not None and decode.layer == "one: shine"
        window.look_at(shot, "shot")
        window.show_view("bench")
        files = page(window).files
        files.pick_encoding("shot")
        files.picker.accept()
        settle_down(window)
        files.pick_encoding("shot")
        assert files.picker.layer.currentData() == "one: shine"
        files.picker.layer.setCurrentIndex(files.picker.layer.findData("two: shine"))
        files.picker.accept()
        settle_down(window)
        loaded = window.state.loaded["shot"]
        assert loaded is not None and loaded.frame.rgb[4, 5] == pytest.approx(LEFT)
        decode = decode_of(production_of(window), shot)
        assert decode is not None and decode.layer == "two: shine"
    finally:
        window.close()
