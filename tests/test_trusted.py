"""A colour configuration that lies above media is asked about before it is used for the first time: it decides what
every colour means, and can name other files.
"""

import json
from pathlib import Path

import pytest
from PySide6.QtWidgets import QApplication

from aquin.colour.config import ColourConfig
from aquin.desk.app import application, put_away
from aquin.desk.kit.trust_dialog import TrustDialog
from aquin.production import Production
from aquin.production.settings import config_of
from aquin.trusted import Unasked, is_trusted, trust
from cli.running import plain
from desk.pages import shown_window
from desk.pages import wait_for as until


@pytest.fixture
def film(tmp_path: Path, monkeypatch: pytest.MonkeyPatch) -> Path:
    """A production below a configuration that nobody has spoken about."""
    monkeypatch.delenv("AQUIN_TRUST")
    (tmp_path / "config.ocio").write_text(ColourConfig.load().text())
    (tmp_path / "day").mkdir()
    Production.create(tmp_path / "day" / "ferry.aquin").close()
    return tmp_path / "day" / "ferry.aquin"


def test_it_is_not_loaded_before_somebody_said_so_and_again_when_it_changes(film: Path) -> None:
    config = film.parents[1] / "config.ocio"
    with pytest.raises(Unasked, match="nobody has said yet"):
        ColourConfig.find(None, film)
    trust(config)
    found = ColourConfig.find(None, film)
    assert found.path == config and is_trusted(config)
    config.write_text(config.read_text() + "\n# changed\n")
    with pytest.raises(Unasked):
        ColourConfig.find(None, film)
    assert ColourConfig.find("builtin", film).path is None
    assert ColourConfig.find(config.parent / "config.ocio", film).path == config, "a named one is meant"


def test_a_copy_in_another_place_is_asked_about_too(film: Path, tmp_path: Path) -> None:
    trust(tmp_path / "config.ocio")
    (film.parent / "config.ocio").write_bytes((tmp_path / "config.ocio").read_bytes())
    with pytest.raises(Unasked) as caught:
        ColourConfig.find(None, film)
    assert caught.value.path == film.parent / "config.ocio"


def test_what_can_not_be_read_is_no_yes(film: Path, tmp_path: Path, own_state: Path) -> None:
    (own_state / "trusted.json").write_text("[[")
    assert not is_trusted(tmp_path / "config.ocio")
    trust(tmp_path / "config.ocio")
    assert list(json.loads((own_state / "trusted.json").read_text())) == [str(tmp_path / "config.ocio")]


def test_the_command_line_says_what_to_do(
    film: Path, tmp_path: Path, monkeypatch: pytest.MonkeyPatch
) -> None:
    code, _, err = plain("plan", film)
    assert code == 2 and "aquin trust FILE" in err and str(tmp_path / "config.ocio") in err
    assert plain("plan", film, "--config", "builtin", "--json")[0] in (0, 1)
    production = Production.open(film)
    assert config_of(production).path is None, "that is the production's choice now"
    production.undo()
    production.close()
    assert plain("trust", tmp_path / "config.ocio")[0] == 0
    assert plain("plan", film)[0] in (0, 1)
    (tmp_path / "config.ocio").write_text("nonsense")
    assert "can't be used" in plain("trust", tmp_path / "config.ocio")[2]


def test_the_window_asks_and_uses_the_built_in_one_meanwhile(film: Path, tmp_path: Path) -> None:
    application()
    window = shown_window(keep=False)
    try:
        for use in (False, True):
            window.productions.open_later(film)
            until(
                lambda: any(
                    isinstance(w, TrustDialog) and w.isVisible() for w in QApplication.topLevelWidgets()
                )
            )
            asked = window.productions.trusting
            assert asked.path == tmp_path / "config.ocio" and window.session.config.path is None
            (asked.use_button if use else asked.not_button).click()
        until(lambda: window.session.config.path == tmp_path / "config.ocio")
        assert is_trusted(tmp_path / "config.ocio")
    finally:
        put_away(window)
