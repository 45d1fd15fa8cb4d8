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


def test_mypy_finds_nothing(tmp_path: Path) -> None:
    done = run(sys.executable, "-m", "mypy", "--cache-dir", str(tmp_path))
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
