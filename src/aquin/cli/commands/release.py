"""`aquin release`, `verify`, `diff` and `merge`: hand the grade on, and see what became of it."""

from pathlib import Path
from typing import Annotated, Any

import typer

from aquin.cli import options as of
from aquin.cli.opening import opened, shot_of
from aquin.cli.output import printed, with_progress
from aquin.errors import AquinError
from aquin.production.address import place_of

Folder = Annotated[Path, typer.Argument(metavar="DIR", help="A release: its folder, or its .zip.")]


def release(
    file: of.File,
    out: Annotated[
        Path | None, typer.Option("--out", help="Folder of the release; else beside the production.")
    ] = None,
    zip_to: Annotated[Path | None, typer.Option("--zip", help="Also write it as this .zip.")] = None,
    only: Annotated[str, typer.Option("--only", help="all or agreed: which shots.")] = "all",
    formats: Annotated[
        str, typer.Option("--formats", help="Of the grades, with commas: cc,clf,cube,ready.")
    ] = "cc,clf,cube,ready",
    points: Annotated[int, typer.Option("--points", help="Of the ready LUTs: 33 or 65.")] = 65,
    note: Annotated[str, typer.Option("--note", help="What is said about this release.")] = "",
    sign: Annotated[
        Path | None,
        typer.Option("--sign", help="Sign it with this Ed25519 key (PEM); made where there is none."),
    ] = None,
    jobs: of.Jobs = None,
    cluster: of.Cluster = None,
    force: of.Force = False,
    as_json: of.AsJson = False,
) -> None:
    """One grade that everybody has: a folder with every shot's grade in open formats, proved, versioned and listed."""
    from aquin.cli.words.release import say_release
    from aquin.jobs.make_release import make_release, usual_place
    from aquin.jobs.release_contents import Wish
    from aquin.production.settings import config_of

    wish = Wish(only, tuple(f.strip() for f in formats.split(",") if f.strip()), note, sign, points)
    with opened(file) as production:
        config, place = config_of(production), out or usual_place(production)
        made = with_progress(
            "writing the release",
            lambda tell: make_release(production, config, place, wish, zip_to, force, jobs, tell),
        )
    about = made.manifest.about
    data = {
        "version": made.manifest.version,
        "parent": about["parent"],
        "out": str(made.folder),
        "zip": None if made.zip is None else str(made.zip),
        "shots": len(made.manifest.shots),
        "agreed": sum(any(a["now"] for a in s["agreed"]) for s in made.manifest.shots),
        "files": len(made.manifest.files),
        "left_out": [{"shot": name, "why": why} for name, why in made.left_out],
        "not_in_files": [
            {"shot": s["name"], "what": what} for s in made.manifest.shots for what in s["not_in_files"]
        ],
        "nearest_cdl": [
            {"shot": s["name"], "dE00_mean": s["written"]["cdl"]["dE00_mean"]}
            for s in made.manifest.shots
            if not s["written"]["cdl"]["exact"]
        ],
        "signed_by": made.manifest.signer or None,
        "routes": about["routes"],
    }
    printed(data, as_json, say_release)
    found = not all(r["ok"] for r in about["routes"]) or (made.left_out and only == "all")
    raise typer.Exit(1 if found else 0)


def verify(
    folder: Folder,
    media: Annotated[
        Path | None, typer.Option("--media", help="Folder in which the shots' media lie.")
    ] = None,
    picture: Annotated[
        Path | None, typer.Option("--picture", help="A still or movie that somebody made: what did they do?")
    ] = None,
    shot: Annotated[
        str | None, typer.Option("--shot", help="With --picture: the shot that it shows.")
    ] = None,
    frame: of.Frame = None,
    timecode: of.Timecode = None,
    picture_frame: Annotated[
        int | None, typer.Option("--picture-frame", help="Of a movie: this frame of it.")
    ] = None,
    deliverable: Annotated[
        str | None,
        typer.Option("--deliverable", help="With --picture: what it was made for; else the first."),
    ] = None,
    against: Annotated[
        Path | None,
        typer.Option("--production", help="Ask this production whether it is its newest release."),
    ] = None,
    as_json: of.AsJson = False,
) -> None:
    """Whether a release is as it was made, file by file and route by route; or what somebody did to a picture."""
    from aquin.cli.words.release import say_told, say_verified

    if picture is not None:
        from aquin.jobs.what_did_they import what_did_they

        if shot is None:
            raise AquinError("which shot does the picture show?", picture, "Give --shot NAME")
        found = what_did_they(folder, picture, shot, frame, timecode, media, picture_frame, deliverable)
        printed({"ok": found.exact, "picture": found.data()}, as_json, say_told)
        raise typer.Exit(0 if found.exact else 1)
    from aquin.jobs.verify_release import verify as work

    def run(production: Any) -> Any:
        return with_progress("verifying", lambda tell: work(folder, media, production, tell))

    if against is None:
        verified = run(None)
    else:
        with opened(against, read_only=True) as production:
            verified = run(production)
    printed(verified.data(), as_json, say_verified)
    raise typer.Exit(0 if verified.ok else 1)


def diff(
    first: Annotated[Path, typer.Argument(metavar="A", parser=place_of, help="A release or a production.")],
    second: Annotated[
        Path, typer.Argument(metavar="B", parser=place_of, help="Another one, mostly a later one.")
    ],
    out: Annotated[Path | None, typer.Option("--out", help="Write it with pictures: .html or .pdf.")] = None,
    force: of.Force = False,
    as_json: of.AsJson = False,
) -> None:
    """What changed between two releases or productions, shot by shot, in stops, mired, Duv and dE00."""
    from aquin.cli.words.release import say_diff
    from aquin.jobs.compare_releases import compare, write_compared

    found = with_progress("comparing", lambda tell: compare(first, second, tell))
    if out is not None:
        write_compared(out, found, force)
    printed(found.data(), as_json, say_diff)
    raise typer.Exit(1 if found.differs else 0)


def merge(
    file: of.File,
    other: Annotated[
        Path, typer.Argument(metavar="OTHER", help="A copy of it that came back, or a release of one.")
    ],
    take: Annotated[
        str, typer.Option("--take", help="Where both changed the same: mine, theirs or between.")
    ] = "mine",
    dry: Annotated[bool, typer.Option("--dry", help="Only tell what would be done.")] = False,
    as_json: of.AsJson = False,
) -> None:
    """Merge a copy that went to another house and comes back, as one step that can be undone."""
    from aquin.cli.words.release import say_merge
    from aquin.production.merging import TAKES, merge, plan_merge
    from aquin.production.returned import returned

    if take not in TAKES:
        raise AquinError(f"there is no choice '{take}'", None, f"Use {', '.join(TAKES)}")
    with opened(file, read_only=dry) as production, returned(other) as copy:
        plan = plan_merge(production, copy)
        entry = None if dry else merge(production, copy, plan, None, take)
        data = {
            "taken": plan.taken,
            "entries": len(plan.entries),
            "conflicts": [c.data() for c in plan.conflicts],
            "take": take,
            "entry": None if entry is None else entry.number,
        }
    printed(data, as_json, say_merge)
    raise typer.Exit(1 if plan.conflicts else 0)


def note(
    file: of.File,
    shot: Annotated[
        str | None, typer.Argument(metavar="[SHOT]", help="A shot's name; all if left out.")
    ] = None,
    text: Annotated[str | None, typer.Argument(metavar="[TEXT]", help="What is to be seen to.")] = None,
    to: Annotated[str, typer.Option("--to", help="To this person or role.")] = "",
    done: Annotated[str | None, typer.Option("--done", help="The note of this id is seen to.")] = None,
    again: Annotated[str | None, typer.Option("--open", help="The note of this id is open again.")] = None,
    as_json: of.AsJson = False,
) -> None:
    """Notes on shots, to a person or a role: list, write, mark as seen to."""
    from aquin.cli.words.release import say_notes
    from aquin.production.notes import add_note, every_note, finish_note

    writes = text is not None or done is not None or again is not None
    if writes and shot is None:
        raise AquinError("which shot?", file, "Name it after the production")
    with opened(file, read_only=not writes) as production:
        held: Any = None if shot is None else shot_of(production, shot, file)
        if text is not None:
            add_note(production, held, text, to)
        for id, seen in ((done, True), (again, False)):
            if id is not None:
                finish_note(production, held, id, seen)
        data = {
            "notes": [
                {
                    "shot": s.name,
                    "id": n.id,
                    "who": n.who,
                    "at": n.at,
                    "to": n.to,
                    "text": n.text,
                    "done": n.done or None,
                }
                for s, n in every_note(production)
                if (held is None or s.id == held.id) and (writes or not to or n.to == to)
            ]
        }
    printed(data, as_json, say_notes)


COMMANDS = (release, verify, diff, merge, note)
