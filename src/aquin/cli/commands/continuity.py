"""`aquin continuity`: what jumps in the cut."""

from dataclasses import dataclass
from pathlib import Path
from typing import Annotated, Any

import typer

from aquin.cli import options as of
from aquin.cli.opening import opened, rate_in
from aquin.cli.output import printed, with_progress
from aquin.errors import AquinError


def continuity(
    file: of.File,
    edit: Annotated[str | None, typer.Option("--edit", help="Which edit; else the newest.")] = None,
    only_known: Annotated[
        bool, typer.Option("--known", help="Only what was measured before; no media are read.")
    ] = False,
    close: Annotated[
        int | None, typer.Option("--close", help="Close the jump at the cut before this piece, by a trim.")
    ] = None,
    side: Annotated[str, typer.Option("--side", help="With --close: left, right or half.")] = "right",
    meant: Annotated[
        int | None, typer.Option("--meant", help="The cut before this piece is meant so; give the reason.")
    ] = None,
    why: Annotated[
        str, typer.Option("--why", help="The reason; with --meant an empty one takes it back.")
    ] = "",
    new: Annotated[
        Path | None, typer.Option("--new", help="Conform a newer edit and list what it changes.")
    ] = None,
    rate: Annotated[str, typer.Option("--rate", help="Of a list that does not say its own.")] = "24",
    out: Annotated[
        Path | None, typer.Option("--out", help="Write the edit back with markers: .otio or .edl.")
    ] = None,
    sort: Annotated[str | None, typer.Option("--sort", help="List the pieces by this axis.")] = None,
    jobs: of.Jobs = None,
    cluster: of.Cluster = None,
    force: of.Force = False,
    as_json: of.AsJson = False,
) -> None:
    """Measure the cut: what jumps where pieces meet, what falls out of its setup, what a newer edit changes."""
    from aquin.cli.words.continuity import say

    decides = close is not None or meant is not None
    asked = _Asked(
        edit,
        only_known,
        (close, side, meant, why) if decides else None,
        (new, rate_in(rate)) if new is not None else None,
        out,
        sort,
        jobs,
        force,
        as_json,
    )
    with opened(file) as production:
        data, jumps = _run(production, asked)
    printed(data, as_json, say)
    raise typer.Exit(1 if jumps else 0)


Decision = tuple[int | None, str, int | None, str]
"""The cut whose jump is closed, on which side; the cut that is meant so; the reason."""


@dataclass(frozen=True)
class _Asked:
    edit: str | None
    only_known: bool
    decision: Decision | None
    newer: tuple[Path, Any] | None
    out: Path | None
    sort: str | None
    jobs: int | None
    force: bool
    as_json: bool


def _run(production: Any, asked: _Asked) -> tuple[dict[str, Any], bool]:
    """What is said, and whether something jumps."""
    from aquin.jobs.continuity import told
    from aquin.jobs.new_cut import take_new_cut, write_back
    from aquin.production.cut.judged import known_edit, measure_edit
    from aquin.production.cut.pieces import edit_named
    from aquin.production.looks import screen_of
    from aquin.production.settings import config_of

    config = config_of(production)
    edit, screen, changes = edit_named(production, asked.edit), screen_of(production, config), None
    if asked.newer is not None:
        changes = take_new_cut(production, asked.newer[0], edit, asked.newer[1])
        edit = changes.conformed.edit

    def measured() -> Any:
        if asked.only_known:
            return known_edit(production, config, edit, screen)
        return with_progress(
            "measuring the cut", lambda tell: measure_edit(production, config, edit, screen, asked.jobs, tell)
        )

    found = measured()
    if asked.decision is not None:
        _decide(production, config, found, asked.decision)
        found = measured()
    data = told(found, asked.sort)
    if changes is not None:
        listed = [c.__dict__ for c in changes.changes]
        data |= {"before": changes.before, "changes": listed, "summary": changes.summary}
    if asked.out is not None:
        data |= {"out": str(asked.out), "markers": write_back(production, found, asked.out, asked.force)}
    return data, bool(found.jumping)


def _decide(production: Any, config: Any, found: Any, decision: Decision) -> None:
    from aquin.production.cut.closing import SIDES, close, meant

    at, side, intended, why = decision
    if at is not None:
        if side not in SIDES:
            raise AquinError(f"there is no side '{side}'", None, f"Use one of {', '.join(SIDES)}")
        close(production, config, _cut(found, at, production), side, why)
    if intended is not None:
        meant(production, _cut(found, intended, production), why)


def _cut(found: Any, position: int, production: Any) -> Any:
    at = next((c for c in found.cuts if c.position == position), None)
    if at is None:
        raise AquinError(
            f"there is no cut before piece {position}",
            production.place,
            f"The edit {found.edit.name} has pieces 1 to {len(found.pieces)}",
        )
    return at


COMMANDS = (continuity,)
