"""A production that was copied without the file of a measured encoding: said, and the other cameras go on."""

from dataclasses import replace
from pathlib import Path

import numpy as np
import pytest
from test_audit import LOG, Shoot

from aquin.colour.config import ColourConfig, shared_config
from aquin.colour.encoding import MeasuredEncoding, TableCurve
from aquin.errors import AquinError
from aquin.production.audit import papers
from aquin.production.cells import board
from aquin.production.plan import chain_of
from aquin.production.settings import choose_config, config_of

IDENTITY = ((1.0, 0.0, 0.0), (0.0, 1.0, 0.0), (0.0, 0.0, 1.0))


@pytest.fixture
def shoot(tmp_path: Path) -> Shoot:
    """Egret is read by a table in a file of its own."""
    made = Shoot(tmp_path / "p.aquin", ColourConfig.load())
    table = 0.18 * np.exp2(np.linspace(-6, 6, 64)) - 0.18 / 64
    tern = MeasuredEncoding("Tern", TableCurve(tuple(table)), IDENTITY)
    (tmp_path / "tern.clf").write_text(tern.clf())
    path = tmp_path / "own.ocio"
    path.write_text(ColourConfig.load().with_encodings(replace(tern, file="tern.clf")).text())
    choose_config(made.production, path)
    made.production.change(
        "measured", replace(made.production.get(type(made.cameras[1]), made.cameras[1].id), encoding="Tern")
    )
    return made


def test_while_it_is_there_nothing_is_said(shoot: Shoot) -> None:
    config = config_of(shoot.production)
    assert config.missing == {} and config.name_of("Tern") == "Tern"
    assert config.to_linear("Tern")(np.full((1, 3), 0.5, np.float32)) == pytest.approx(0.18, rel=0.1)
    shoot.config = config
    assert shoot.found(papers.unusable) == []


def test_the_file_is_named_and_where_it_belongs(shoot: Shoot, tmp_path: Path) -> None:
    (tmp_path / "tern.clf").unlink()
    config = config_of(shoot.production)
    assert config.missing == {"Tern": "tern.clf"}
    assert config.name_of("Tern") == "" and "Tern" not in {e.name for e in config.encodings()}
    assert config.name_of(LOG) == LOG and config.meaning(LOG) == config.fingerprint(LOG)
    for use in (config.resolve, config.to_linear, config.from_linear, config.fingerprint):
        with pytest.raises(AquinError) as said:
            use("Tern")
        assert str(tmp_path / "tern.clf") in said.value.line() and "Copy it there" in said.value.line()
    shoot.config = config
    (finding,) = shoot.found(papers.unusable)
    assert (finding.kind, finding.severity, finding.camera) == (
        "encoding missing",
        "error",
        shoot.cameras[1].id,
    )
    assert "tern.clf is missing" in finding.what and "own.ocio" in finding.advice
    check = next(c for c in chain_of(shoot.production, config).cameras[1].checks if c.name == "encoding")
    assert (check.state, check.words) == ("wrong", "Tern can't be used: tern.clf is missing")


def test_the_board_goes_on(shoot: Shoot, tmp_path: Path) -> None:
    (tmp_path / "tern.clf").unlink()
    config = config_of(shoot.production)
    cells = board(shoot.production, config, config.default_view())
    assert {c.camera.name for c in cells.values() if c.shots} == {"Heron", "Egret"}


def test_workers_see_that_it_is_back(shoot: Shoot, tmp_path: Path) -> None:
    text = (tmp_path / "tern.clf").read_text()
    (tmp_path / "tern.clf").unlink()
    assert shared_config(tmp_path / "own.ocio").name_of("Tern") == ""
    (tmp_path / "tern.clf").write_text(text)
    assert shared_config(tmp_path / "own.ocio").name_of("Tern") == "Tern"
