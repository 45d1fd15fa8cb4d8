"""Whether a release is as it was made: each file the same, changed, missing, added, older, renamed or swapped."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass
from pathlib import Path
from typing import Any, Literal

from aquin.errors import AquinError
from aquin.release.manifest import (
    MANIFEST,
    OWN,
    SIGNATURE,
    SUMS,
    Manifest,
    files_in,
    read_manifest,
    sha256_of,
    sums_of,
    sums_text,
)
from aquin.release.signing import holds

State = Literal["same", "changed", "missing", "added", "older"]
MOST_TEXT = 50_000_000


@dataclass(frozen=True)
class FileState:
    """`words`: what is known beyond the state, such as where the file's content belongs."""

    name: str
    state: State
    words: str = ""

    def data(self) -> dict[str, Any]:
        return {"name": self.name, "state": self.state, "words": self.words}


@dataclass(frozen=True)
class Standing:
    """A release as it stands in a folder. `signature`: `none`, `good` or `bad`."""

    manifest: Manifest
    files: tuple[FileState, ...]
    signature: Literal["none", "good", "bad"]

    @property
    def wrong(self) -> list[FileState]:
        return [f for f in self.files if f.state != "same"]

    @property
    def ok(self) -> bool:
        return not self.wrong and self.signature != "bad"

    def sound(self, name: str) -> bool:
        """Whether a file is there as it was released."""
        return any(f.name == name and f.state == "same" for f in self.files)


def standing(folder: Path, tell: Callable[[float, str], None] | None = None) -> Standing:
    """Read every file of a release and compare it with what the release says. Raises AquinError where there is no
    release at all.
    """
    manifest, sealed = read_manifest(folder)
    try:
        there = list(files_in(folder))
    except OSError as error:
        raise AquinError(
            f"the folder can't be read ({error.strerror})", folder, "Check whether its drive is connected"
        ) from error
    known = {f.name: f for f in manifest.files}
    found: dict[str, str] = {}
    for k, name in enumerate(there):
        if tell is not None:
            tell(k / max(len(there), 1), name)
        path = folder / name
        try:
            found[name] = "" if path.is_symlink() or not path.is_file() else sha256_of(path)
        except OSError:
            found[name] = ""
    right = {f.sha256: f.name for f in reversed(manifest.files)}
    states = [_state(known[name], found, right) for name in known]
    taken = {s.words for s in states}
    for name in there:
        if name not in known and name not in OWN:
            at = right.get(found[name], "")
            words = f"the content of {at}" if at else ""
            states.append(FileState(name, "added", words))
    states = [_renamed(s, states, taken) for s in states]
    own = _own(folder, manifest, sealed, found.get(MANIFEST, ""))
    return Standing(manifest, (*own, *states), _signature(folder, manifest))


def _state(file: Any, found: dict[str, str], right: dict[str, str]) -> FileState:
    if file.name not in found:
        return FileState(file.name, "missing")
    digest = found[file.name]
    if digest == file.sha256:
        return FileState(file.name, "same")
    if not digest:
        return FileState(file.name, "changed", "it is no file that can be read")
    before = [version for version, was in file.was.items() if was == digest]
    if before:
        return FileState(file.name, "older", f"as it was in release {max(before)}")
    other = right.get(digest)
    return FileState(file.name, "changed", f"it holds the content of {other}" if other else "")


def _renamed(state: FileState, states: list[FileState], taken: set[str]) -> FileState:
    """A missing file whose content lies there under another name."""
    if state.state != "missing":
        return state
    at = next(
        (s.name for s in states if s.state == "added" and s.words == f"the content of {state.name}"), ""
    )
    return FileState(state.name, "missing", f"renamed to {at}") if at else state


def _own(folder: Path, manifest: Manifest, sealed: bool, digest: str) -> list[FileState]:
    """Of `release.json` and `release.sha256`: each vouches for the other, and the seal says which one was changed."""
    try:
        path = folder / SUMS
        if path.stat().st_size > MOST_TEXT:
            raise ValueError
        text = path.read_text(encoding="utf-8")
    except OSError:
        state: State = "missing" if not (folder / SUMS).exists() else "changed"
        return [FileState(MANIFEST, "same" if sealed else "changed"), FileState(SUMS, state)]
    except (UnicodeDecodeError, ValueError):
        return [FileState(MANIFEST, "same" if sealed else "changed"), FileState(SUMS, "changed")]
    if text == sums_text(manifest, digest):
        return [FileState(MANIFEST, "same" if sealed else "changed"), FileState(SUMS, "same")]
    listed = sums_of(text)
    if listed.get(MANIFEST) != digest and not _others_differ(listed, manifest):
        # the rest of the list agrees, so it is this one file; sealed: only its layout was touched, or the sum was
        whole = text == sums_text(manifest, listed.get(MANIFEST, ""))
        if not sealed or (whole and not _as_written(folder, manifest)):
            return [FileState(MANIFEST, "changed"), FileState(SUMS, "same")]
        return [FileState(MANIFEST, "same"), FileState(SUMS, "changed")]
    return [FileState(MANIFEST, "same" if sealed else "changed"), FileState(SUMS, "changed")]


def _others_differ(listed: dict[str, str], manifest: Manifest) -> bool:
    return {k: v for k, v in listed.items() if k != MANIFEST} != {f.name: f.sha256 for f in manifest.files}


def _as_written(folder: Path, manifest: Manifest) -> bool:
    """Whether the bytes of `release.json` are the ones that writing it gives."""
    return (folder / MANIFEST).read_bytes() == manifest.text().encode("utf-8")


def _signature(folder: Path, manifest: Manifest) -> Literal["none", "good", "bad"]:
    path = folder / SIGNATURE
    if not manifest.signer:
        return "bad" if path.exists() else "none"
    try:
        if path.stat().st_size > 1000:
            return "bad"
        signature = path.read_text(encoding="ascii")
        text = (folder / SUMS).read_bytes()
    except (OSError, UnicodeDecodeError):
        return "bad"
    return "good" if holds(manifest.signer, signature, text) else "bad"
