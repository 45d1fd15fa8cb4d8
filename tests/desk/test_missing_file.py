"""A production whose measured encoding lost its file: said in the window, and no more once the file is back."""

from dataclasses import replace
from pathlib import Path

import numpy as np
from PySide6.QtWidgets import QApplication

from aquin.colour.config import ColourConfig
from aquin.colour.encoding import MeasuredEncoding, TableCurve
from aquin.desk.board.widgets import nothing_here
from aquin.desk.screenshots import settle_down
from aquin.errors import AquinError
from aquin.production import Camera, Production, Root, Setup, Shot
from aquin.production.audit import run_audit
from aquin.production.settings import choose_config, config_of
from desk.pages import a_window, wait_for

IDENTITY = ((1.0, 0.0, 0.0), (0.0, 1.0, 0.0), (0.0, 0.0, 1.0))


def kinds(production: Production) -> set[str]:
    return {f["kind"] for f in production.findings()}


def test_what_is_missing_is_said_until_it_is_back(app: QApplication, tmp_path: Path) -> None:
    table = 0.18 * np.exp2(np.linspace(-6, 6, 64)) - 0.18 / 64
    tern = MeasuredEncoding("Tern", TableCurve(tuple(table)), IDENTITY)
    file, own, path = tmp_path / "tern.clf", tmp_path / "own.ocio", tmp_path / "p.aquin"
    file.write_text(tern.clf())
    own.write_text(ColourConfig.load().with_encodings(replace(tern, file=file.name)).text())
    production = Production.create(path, "Ferry")
    root, camera, setup = Root("media", "media"), Camera("Tern", "Tern"), Setup("pier", 1)
    shot = Shot(
        root.id, "a.mkv", "A01", camera_id=camera.id, setup_id=setup.id, content="a", rate="24", frames=9
    )
    production.change("cast", root, camera, setup, shot)
    choose_config(production, own)
    text = file.read_text()
    file.unlink()
    run_audit(production, config_of(production), measure=False)
    assert "encoding missing" in kinds(production)
    production.close()
    with a_window(path) as window:
        settle_down(window, 60)
        window.show_view("board")
        settle_down(window, 60)
        assert [c.camera.name for c in window.board.cells.values() if c.shots] == ["Tern"]
        window.show_view("plan")
        settle_down(window, 60)
        held = window.session.production
        assert held is not None and "encoding missing" in kinds(held)
    file.write_text(text)
    with a_window(path) as window:
        held = window.session.production
        assert held is not None
        wait_for(lambda: "encoding missing" not in kinds(held), 30)


def test_an_empty_board_says_why(tmp_path: Path) -> None:
    production = Production.create(tmp_path / "p.aquin", "Ferry")
    assert "Open a production" in nothing_here(None, {})
    assert "Looking" in nothing_here(production, None)
    assert "Nothing is logged" in nothing_here(production, {})
    assert nothing_here(production, AquinError("it can't", tmp_path, "Do this")).startswith("it can't")
    production.change("log", root := Root("media", "media"), Shot(root.id, "a.mkv", "A01", content="a"))
    assert "camera and a setup" in nothing_here(production, {})
    production.close()
