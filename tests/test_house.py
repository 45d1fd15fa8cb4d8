"""The house rules: style, types, the direction of imports, pinned packages, a launcher and a real window that work."""

import json
import os
import re
import shutil
import subprocess
import sys
import time
from pathlib import Path

import pytest

ROOT = Path(__file__).parent.parent


def run(*words: str, **environment: str) -> subprocess.CompletedProcess[str]:
    return subprocess.run(words, cwd=ROOT, capture_output=True, text=True, env=os.environ | environment)


def test_ruff_finds_nothing() -> None:
    done = run(sys.executable, "-m", "ruff", "check", "--no-cache", ".")
    assert done.returncode == 0, done.stdout


def test_ruff_has_nothing_to_format() -> None:
    done = run(sys.executable, "-m", "ruff", "format", "--check", "--no-cache", ".")
    assert done.returncode == 0, done.stdout


def test_mypy_finds_nothing() -> None:
    done = run(sys.executable, "-m", "mypy", "--cache-dir", os.devnull)
    assert done.returncode == 0, done.stdout


def test_imports_go_downwards_only() -> None:
    code = "import sys; from importlinter.cli import lint_imports; sys.exit(lint_imports(cache_dir=None))"
    done = run(sys.executable, "-c", code, PYTHONPATH=str(ROOT / "src"))
    assert done.returncode == 0, done.stdout


def test_every_requirement_is_pinned_and_names_no_address() -> None:
    for path in (ROOT / "requirements").glob("*.txt"):
        for line in path.read_text().splitlines():
            assert re.fullmatch(r"#.*|-r [\w.]+|[\w.-]+==[\w.]+|", line), (path, line)


def test_installed_packages_are_the_pinned_ones() -> None:
    from importlib.metadata import version

    for line in (ROOT / "requirements" / "run.txt").read_text().splitlines():
        if "==" in line:
            name, wanted = line.split("==")
            assert version(name) == wanted


def test_launcher_is_sound_and_passes_arguments_on() -> None:
    assert run("bash", "-n", "aquin").returncode == 0
    assert "exec ./aquin test" in (ROOT / ".ci" / "run").read_text()
    if (ROOT / ".venv").is_dir():
        done = run(str(ROOT / "aquin"), "--version")
        assert done.stdout.strip() == "0.1.0"


def test_readme_names_the_two_commands_and_its_pictures_exist() -> None:
    text = (ROOT / "README.md").read_text()
    assert "./aquin demo" in text
    assert "./aquin test" in text
    pictures = re.findall(r"\((docs/[^)]+\.png)\)", text)
    assert pictures
    for name in pictures + re.findall(r"\((docs/[^)#]+\.md)\)", text):
        assert (ROOT / name).is_file(), name


@pytest.mark.skipif(not shutil.which("Xvfb"), reason="Xvfb is not installed")
def test_a_real_window_comes_up_on_a_screen(demo: Path, tmp_path: Path) -> None:
    """`aquin demo` under a virtual screen: its window is mapped and the session it opened is saved."""
    read, write = os.pipe()
    screen = subprocess.Popen(
        ["Xvfb", "-displayfd", str(write), "-screen", "0", "1280x800x24"],
        pass_fds=[write],
        stderr=subprocess.DEVNULL,
    )
    os.close(write)
    try:
        display = f":{os.read(read, 16).decode().strip()}"
        clean = {k: v for k, v in os.environ.items() if k not in ("QT_QPA_PLATFORM", "WAYLAND_DISPLAY")}
        program = subprocess.Popen(
            [sys.executable, "-m", "aquin", "demo", "--dir", str(demo)],
            env=clean | {"DISPLAY": display, "AQUIN_STATE": str(tmp_path)},
            stderr=subprocess.PIPE,
            text=True,
        )
        saved, end = tmp_path / "session.json", time.monotonic() + 40
        while time.monotonic() < end and program.poll() is None and not saved.is_file():
            time.sleep(0.2)
        assert program.poll() is None, program.stderr.read()
        assert json.loads(saved.read_text())["shot"]["encoding"] == "Skua Log"
        program.terminate()
        program.wait(10)
    finally:
        os.close(read)
        screen.terminate()
        screen.wait(10)


SOURCE = ROOT / "src" / "aquin"
SCENE_DATA = ("simulate", "versions")
"""Rooms whose files are mostly data: places and people of the demo, and migrations."""


def sources() -> dict[Path, str]:
    return {p: p.read_text() for p in SOURCE.rglob("*.py")}


def is_data(path: Path) -> bool:
    return any(part in SCENE_DATA for part in path.relative_to(SOURCE).parts)


def test_no_module_imports_itself_by_way_of_others() -> None:
    """Also within functions and for types only."""
    import grimp
    from networkx import DiGraph, strongly_connected_components

    graph, imports = grimp.build_graph("aquin", cache_dir=None), DiGraph()
    for module in graph.modules:
        for other in graph.find_modules_directly_imported_by(module):
            imports.add_edge(module, other)
    assert imports.number_of_edges() > 500
    assert [sorted(c) for c in strongly_connected_components(imports) if len(c) > 1] == []


def test_functions_and_files_fit_a_screen_or_some() -> None:
    import ast

    kinds = (ast.FunctionDef, ast.AsyncFunctionDef)
    long = [
        (f"{path.relative_to(ROOT)}:{node.lineno} {node.name}", node.end_lineno - node.lineno + 1)
        for path, text in sources().items()
        if not is_data(path)
        for node in ast.walk(ast.parse(text))
        if isinstance(node, kinds) and node.end_lineno is not None and node.end_lineno - node.lineno + 1 > 60
    ]
    assert long == []
    lines = {str(p.relative_to(ROOT)): len(t.splitlines()) for p, t in sources().items() if not is_data(p)}
    assert [(name, count) for name, count in lines.items() if count > 450] == []


def test_colours_of_the_window_are_in_the_theme_only() -> None:
    hexes = re.compile(r"#[0-9a-fA-F]{6}\b")
    found = [
        str(path)
        for path, text in sources().items()
        if "desk" in path.parts and path.name != "theme.py" and hexes.search(text)
    ]
    assert found == []


def test_the_windows_start_loads_neither_the_database_nor_views_that_are_not_shown() -> None:
    code = (
        "import sys; from aquin.desk.app import first_window; first_window(); "
        "print([m for m in ('sqlalchemy', 'alembic', 'asyncio', 'reportlab', 'jinja2', 'skimage', 'scipy.optimize', "
        "'aquin.desk.plan.view', 'aquin.desk.charts.view') if m in sys.modules])"
    )
    done = run(sys.executable, "-c", code, PYTHONPATH=str(ROOT / "src"), QT_QPA_PLATFORM="offscreen")
    assert done.stdout.strip() == "[]", done.stdout + done.stderr[-500:]


def test_public_functions_of_arrays_say_their_shapes() -> None:
    """Of the core: what is handed over as an array has its shape in the docstring."""
    import ast

    arrays = re.compile(r"Float(32|64|s)\b|ndarray")
    shapes = re.compile(r"\([\w ,.'*^]+\)|\dx\d|shape|scalar|per pixel")
    missing, seen = [], 0
    for path, text in sources().items():
        if {"desk", "cli", "simulate", "jobs"} & set(path.parts) or is_data(path):
            continue
        tree = ast.parse(text)
        holders = [tree, *(n for n in tree.body if isinstance(n, ast.ClassDef))]
        for node in (n for holder in holders for n in holder.body):
            if not isinstance(node, ast.FunctionDef) or node.name.startswith("_"):
                continue
            said = ast.unparse(node.args) + (ast.unparse(node.returns) if node.returns else "")
            if arrays.search(said):
                seen += 1
                if not shapes.search((ast.get_docstring(node) or "").lower()):
                    missing.append(f"{path.relative_to(ROOT)}:{node.lineno} {node.name}")
    assert seen > 150
    assert missing == []
