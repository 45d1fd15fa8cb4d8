"""What is done in the Release view, in the background: release, verify, compare, and ask what somebody did."""

from __future__ import annotations

from pathlib import Path
from typing import TYPE_CHECKING, Any

from aquin.desk.kit.ask import EXPORTS, MEDIA, PAPERS, STILLS, ask_folder, ask_open, ask_save
from aquin.desk.release.merge_dialog import MergeDialog
from aquin.desk.release.release_dialog import ReleaseDialog
from aquin.errors import AquinError

if TYPE_CHECKING:
    from aquin.jobs.make_release import Made
    from aquin.jobs.release_contents import Wish

PICTURES = "Pictures and movies (*.png *.jpg *.jpeg *.tif *.tiff *.exr *.dpx *.mov *.mp4 *.mkv *.mxf)"
RELEASE = "A release (release.json *.zip)"
COPIES = "A production, or a release (*.aquin release.json)"


class Doings:
    """Of one Release view, which gives the session, the jobs, the desk and the pages."""

    def __init__(self, view: Any) -> None:
        self.view = view
        self.dialog: ReleaseDialog | None = None
        self.merging: MergeDialog | None = None

    # making one

    def ask_release(self) -> None:
        """Where to, which shots, in which formats."""
        view, desk = self.view, self.view.desk
        if not view.session.writable or desk.production is None:
            view.told.emit("Only a production that can be written to is released.")
            return
        self.dialog = ReleaseDialog(view, desk)
        self.dialog.wished.connect(self.release)
        self.dialog.open()

    def release(self, out: Path, wish: Wish, zip_to: Path | None) -> None:
        view, production, config = self.view, self.view.production, self.view.config

        def work(tell: Any) -> Any:
            from aquin.jobs.make_release import make_release

            assert production is not None
            return make_release(production, config, out, wish, zip_to, False, None, tell)

        view.jobs.start_long("release", "writing the release", work, self._released, view.told.emit)

    def _released(self, made: Made) -> None:
        view = self.view
        left = f"; {len(made.left_out)} shots are left out" if made.left_out else ""
        view.told.emit(
            f"Release {made.manifest.version}: {len(made.manifest.shots)} shots in {made.folder.name}{left}."
        )
        view.session.touch()
        view.open_release(made.folder)

    # looking at one

    def ask_open(self) -> None:
        path = ask_open(self.view, "A release: its release.json, or a .zip", EXPORTS, RELEASE)
        if path is not None:
            self.view.open_release(path.parent if path.suffix != ".zip" else path)

    def _open(self) -> Path | None:
        """The release that is looked at: the one that is open, else the newest, where it was written."""
        from aquin.jobs.make_release import place_of

        desk = self.view.desk
        if desk.open is None and desk.production is not None and desk.releases:
            desk.open = place_of(desk.production, desk.releases[-1])
        if desk.open is None:
            self.view.told.emit("No release is open: make or open one.")
        found: Path | None = desk.open
        return found

    def verify(self) -> None:
        path, view = self._open(), self.view
        if path is None:
            return
        production = view.production

        def work(tell: Any) -> Any:
            from aquin.jobs.verify_release import verify
            from aquin.release.manifest import read_manifest
            from aquin.release.package import release_at

            with release_at(path) as folder:
                manifest, _ = read_manifest(folder)
                ours = production is not None and production.identity == manifest.identity
                return verify(folder, view.desk.media, production if ours else None, tell)

        def done(found: Any) -> None:
            view.desk.verified = found
            view.show_page("verify")
            view.told.emit(
                f"Release {found.manifest.version} is whole, and every route gives its pictures."
                if found.ok
                else f"Release {found.manifest.version} is not as it was made: see the list."
            )
            view.stated.emit()

        view.show_page("verify")
        view.jobs.start_long("verify", f"verifying {path.name}", work, done, view.told.emit)

    # a picture from elsewhere

    def ask_picture(self) -> None:
        if self._open() is None:
            return
        path = ask_open(self.view, "A picture that somebody made of a shot", STILLS, PICTURES)
        if path is not None:
            self.take_picture(path)

    def take_picture(self, path: Path) -> None:
        """A picture to be asked about: of the shot whose name is in its name, else of the one that is worked on."""
        view = self.view
        if self._open() is None:
            return
        view.desk.picture, view.desk.told = path, None
        view.show_page("picture")
        shots = view.desk.shots
        named = next((s for s in sorted(shots, key=lambda s: -len(s.name)) if s.name in path.name), None)
        shot = named or view.session.shot
        if shot is not None:
            view.picture.choose(shot.name)
        view.show_state()
        self.what_did_they()

    def what_did_they(self) -> None:
        view, desk, page = self.view, self.view.desk, self.view.picture
        path, name = self._open(), page.shot_name
        if path is None or desk.picture is None or not name:
            return
        picture, frame, media = desk.picture, page.frame, desk.media or self._media()
        made_for = page.deliverable

        def work(tell: Any) -> Any:
            from aquin.jobs.what_did_they import what_did_they

            if media is not None:  # larger pictures say more; without their media the check frame must do
                try:
                    return what_did_they(path, picture, name, frame, None, media, None, made_for)
                except AquinError:
                    if frame is not None:
                        raise
            return what_did_they(path, picture, name, frame, deliverable=made_for)

        def done(found: Any) -> None:
            desk.told = found
            view.show_state()
            view.told.emit(found.verdict)
            view.stated.emit()

        view.jobs.start_long("picture", f"what did they do to {name}?", work, done, view.told.emit)

    def _media(self) -> Path | None:
        """Where this production's media lie, as one folder."""
        from aquin.production.media import root_folder
        from aquin.production.records import Root

        production = self.view.production
        if production is None:
            return None
        found = [f for r in production.all(Root) if (f := root_folder(production, r)) is not None]
        return found[0] if found else None

    def ask_media(self) -> None:
        path = ask_folder(self.view, "Where the media of the release lie", MEDIA)
        if path is not None:
            self.view.desk.media = path
            self.verify()

    # what changed

    def compare(self) -> None:
        """The release that is open with the production as it is now."""
        path, view = self._open(), self.view
        production = view.production
        if path is None or production is None:
            return
        file = production.path

        def work(tell: Any) -> Any:
            from aquin.jobs.compare_releases import compare

            return compare(path, file, tell)

        view.show_page("changes")
        view.jobs.start_long("compare", "what changed since", work, self._compared, view.told.emit)

    def ask_compare(self) -> None:
        """The release that is open with another one, which is taken for the later one."""
        path, view = self._open(), self.view
        if path is None:
            return
        other = ask_open(view, "Another release: its release.json, or a .zip", EXPORTS, RELEASE)
        if other is None:
            return
        second = other.parent if other.suffix != ".zip" else other

        def work(tell: Any) -> Any:
            from aquin.jobs.compare_releases import compare

            return compare(path, second, tell)

        view.show_page("changes")
        view.jobs.start_long("compare", "comparing", work, self._compared, view.told.emit)

    def _compared(self, found: Any) -> None:
        view = self.view
        view.desk.compared, view.desk.chosen = found, 0
        view.show_page("changes")
        view.told.emit(
            f"{len(found.changed)} shots changed, {len(found.added)} added, {len(found.gone)} gone."
            if found.differs
            else "Nothing differs."
        )
        view.stated.emit()

    def ask_save_changes(self) -> None:
        found = self.view.desk.compared
        if found is None:
            return
        path, _ = ask_save(self.view, "What changed, with pictures", EXPORTS, "what-changed.pdf", PAPERS)
        if path is None:
            return

        def work() -> Any:
            from aquin.jobs.compare_releases import write_compared

            write_compared(path, found, True)
            return path.name

        self.view.jobs.start(
            "save",
            f"writing {path.name}",
            work,
            lambda n: self.view.told.emit(f"Wrote {n}."),
            self.view.told.emit,
        )

    # what came back

    def ask_merge(self) -> None:
        """A copy that went to another house and comes back."""
        if not self.view.session.writable:
            self.view.told.emit("Only into a production that can be written to is merged.")
            return
        path = ask_open(
            self.view, "A copy of this production that came back, or a release of one", EXPORTS, COPIES
        )
        if path is not None:
            self.plan_merge(path)

    def plan_merge(self, path: Path) -> None:
        """What merging it would do, and pictures of what both have changed."""
        view, production = self.view, self.view.production
        assert production is not None

        def work(tell: Any) -> Any:
            from aquin.jobs.compare_releases import pictures_of
            from aquin.production.merging import plan_merge
            from aquin.production.returned import returned

            with returned(path) as copy:
                plan = plan_merge(production, copy)
                wanted = [c.shot_id for c in plan.conflicts if c.table == "grade" and c.shot_id]
                return plan, pictures_of(production, copy, wanted, tell)

        def done(found: Any) -> None:
            plan, pictures = found
            if not plan.entries:
                view.told.emit(f"Nothing is new in {path.name}.")
                return
            self.merging = MergeDialog(view, path.name, plan, pictures)
            self.merging.agreed.connect(lambda takes: self.merge(path, plan, takes))

        view.jobs.start_long("merge", f"reading {path.name}", work, done, view.told.emit)

    def merge(self, path: Path, plan: Any, takes: Any) -> None:
        view, production = self.view, self.view.production
        assert production is not None

        def work() -> Any:
            from aquin.production.merging import merge
            from aquin.production.returned import returned

            with returned(path) as copy:
                return merge(production, copy, plan, takes)

        def done(entry: Any) -> None:
            view.told.emit(
                f"{plan.taken} records are taken from {path.name}; undo takes the merge back as one."
            )
            view.session.touch()

        view.jobs.start("merge", f"merging {path.name}", work, done, view.told.emit)
