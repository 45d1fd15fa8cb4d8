"""What the views' commands do: the table's ids and the views' own methods, side by side."""

from collections.abc import Callable

from aquin.desk.actions import Commands
from aquin.desk.bench.view import BenchView
from aquin.desk.views import Views

Runs = dict[str, Callable[[], object]]


def bind_bench(
    commands: Commands, bench: BenchView, step: Callable[[int], object], agree: Callable[[], object]
) -> None:
    """The Bench's commands; `step` and `agree` concern the production's shot on it."""
    presenter, files, tools, panel = bench.presenter, bench.files, bench.tools, bench.panel
    runs: Runs = {
        "open_hero": lambda: files.ask_file("hero"),
        "open_shot": lambda: files.ask_file("shot"),
        "hero": presenter.swap,
        "previous": lambda: step(-1),
        "next": lambda: step(1),
        "frame_back": lambda: files.go_to("shot", "-1"),
        "frame_on": lambda: files.go_to("shot", "+1"),
        "follow": bench.over_time.follow,
        "key": bench.over_time.toggle_key,
        "key_back": lambda: bench.over_time.step_key(-1),
        "key_on": lambda: bench.over_time.step_key(1),
        "play": bench.playing.toggle,
        "mode": bench.cycle_mode,
        "bare": lambda: bench.show_bare(not bench.bare),
        "scopes": bench.scopes_button.toggle,
        "settle": bench.settle,
        "settle_all": bench.settle_all,
        "second": presenter.second_pass,
        "grade": bench.grade_button.toggle,
        "look": bench.session.toggle_look,
        "corners": bench.corners_button.toggle,
        "corners_hero": lambda: bench.place_corners("hero"),
        "corners_shot": lambda: bench.place_corners("shot"),
        "encoding": files.pick_missing,
        "zones": bench.zones_button.toggle,
        "waves": bench.scopes.waveform.cycle,
        "tones": bench.third_button.toggle,
        "fit": lambda: bench.pictures.set_zoom(1.0),
        "area": lambda: tools.toggle("area"),
        "regions": bench.edit_regions,
        "skin": lambda: tools.toggle("skin"),
        "pairs": lambda: tools.toggle("pairs"),
        "materials": lambda: tools.toggle("materials"),
        "neutral": lambda: tools.toggle("neutral"),
        "targets": panel.targets_button.click,
        "for_cdl": panel.cdl_button.click,
        "agree": agree,
        "export": bench.ask_export,
    }
    for name, run in runs.items():
        commands.bind(f"bench.{name}", run)


def bind_views(
    commands: Commands,
    views: Views,
    within: Callable[[str, Callable[[], object]], object],
) -> None:
    """The other views' commands; `within` does something in its own view."""
    runs: Runs = {
        "plan.encoding": lambda: within("plan", views.plan.ask_next_encoding),
        "plan.luts": lambda: within("plan", views.plan.ask_luts),
        "plan.sheet": lambda: within("plan", views.plan.ask_sheet),
        "shots.log": lambda: within("shots", views.shots.intake.ask_folder),
        "shots.files": lambda: within("shots", views.shots.intake.ask_files),
        "shots.report": lambda: within("shots", views.shots.intake.ask_report),
        "shots.conform": lambda: within("shots", views.shots.intake.ask_edit),
        "shots.filter": lambda: views.shots.focus_filter(),
        "shots.audit": lambda: within("shots", views.shots.intake.audit),
        "shots.previous": lambda: views.shots.step(-1),
        "shots.next": lambda: views.shots.step(1),
        "shots.hero": lambda: views.shots.make_hero(),
        "shots.drop": lambda: views.shots.drop(),
        "shots.finding": lambda: within("shots", views.shots.show_finding),
        "charts.read": lambda: views.charts.read_again(),
        "charts.read_all": lambda: views.charts.read_missing(),
        "charts.mark": lambda: views.charts.mark(),
        "charts.previous": lambda: views.charts.step(-1),
        "charts.next": lambda: views.charts.step(1),
        "charts.keep": lambda: views.charts.keep(),
        "charts.balance_all": lambda: views.charts.balance_all(),
        "charts.profile": lambda: views.charts.measure("profile"),
        "charts.latitude": lambda: views.charts.measure("latitude"),
        "board.settle": lambda: views.board.settle_chosen(),
        "board.settle_all": lambda: views.board.settle_all(),
        "board.hero": lambda: views.board.make_hero(),
        "board.main": lambda: views.board.ask_main(),
        "board.propose": lambda: views.board.propose(),
        "board.spread": lambda: views.board.ask_propagate(),
        "board.measure": lambda: views.board.measure(),
        "board.previous": lambda: views.board.step(-1),
        "board.next": lambda: views.board.step(1),
        "board.bench": lambda: views.board.look(),
        "board.agree": lambda: views.board.agree(),
        "board.level": lambda: views.board.levelling.start(views.board.chosen),
        "board.light": lambda: views.board.ask_drift(),
    }
    runs |= _of_look(views, within) | _of_continuity(views, within) | _of_screens(views, within)
    runs |= _of_release(views, within) | _of_journal(views, within)
    for id, run in runs.items():
        commands.bind(id, run)


def _of_look(views: Views, within: Callable[[str, Callable[[], object]], object]) -> Runs:
    return {
        "look.use": lambda: within("look", views.look.toggle_use),
        "look.shown": lambda: views.look.with_button.toggle(),
        "look.new": lambda: within("look", views.look.new),
        "look.still": lambda: within("look", views.look.dialogs.ask_still),
        "look.alone": lambda: within("look", lambda: views.look.dialogs.fit_again(alone=True)),
        "look.bold": lambda: within("look", lambda: views.look.dialogs.fit_again(bold=True)),
        "look.import": lambda: within("look", views.look.dialogs.ask_import),
        "look.library": lambda: within("look", views.look.dialogs.show_library),
        "look.scope": lambda: within("look", views.look.dialogs.ask_scope),
        "look.compare": lambda: within("look", views.look.compare),
        "look.drop": lambda: views.look.drop(),
        "look.previous": lambda: views.look.step(-1),
        "look.next": lambda: views.look.step(1),
    }


def _of_continuity(views: Views, within: Callable[[str, Callable[[], object]], object]) -> Runs:
    return {
        "continuity.measure": lambda: within("continuity", views.continuity.measure),
        "continuity.previous": lambda: views.continuity.step(-1),
        "continuity.next": lambda: views.continuity.step(1),
        "continuity.jump_back": lambda: views.continuity.step_jump(-1),
        "continuity.jump_on": lambda: views.continuity.step_jump(1),
        "continuity.worst": lambda: within("continuity", views.continuity.worst),
        "continuity.close_left": lambda: views.continuity.close_jump("left"),
        "continuity.close_half": lambda: views.continuity.close_jump("half"),
        "continuity.close_right": lambda: views.continuity.close_jump("right"),
        "continuity.mean": lambda: views.continuity.panel.reason.setFocus(),
        "continuity.mode": lambda: views.continuity.pair.cycle_mode(),
        "continuity.play": lambda: views.continuity.pair.toggle_play(),
        "continuity.look": lambda: views.continuity.pair.look_button.toggle(),
        "continuity.sheet": lambda: within("continuity", views.continuity.lay_out),
        "continuity.cut": lambda: views.continuity.show_page("cut"),
        "continuity.light": lambda: within("continuity", lambda: views.continuity.show_page("light")),
        "continuity.new": lambda: within("continuity", views.continuity.papers.ask_new),
        "continuity.export": lambda: within("continuity", views.continuity.papers.ask_export),
    }


def _of_screens(views: Views, within: Callable[[str, Callable[[], object]], object]) -> Runs:
    def next_field() -> None:
        views.screens.show_page("this")
        views.screens.this.next_field()

    return {
        "screens.profile": lambda: within("screens", views.screens.ask_profile),
        "screens.desktop": lambda: within("screens", views.screens.take_desktop),
        "screens.page": lambda: within("screens", views.screens.next_page),
        "screens.field": lambda: within("screens", next_field),
        "screens.large": lambda: views.screens.large_button.toggle(),
        "screens.picture_back": lambda: views.screens.step_picture(-1),
        "screens.picture_on": lambda: views.screens.step_picture(1),
        "screens.previous": lambda: views.screens.step(-1),
        "screens.next": lambda: views.screens.step(1),
        "screens.look": lambda: views.screens.session.toggle_look(),
        "screens.worst": lambda: within("screens", views.screens.measure_worst),
        "screens.file": lambda: within("screens", views.screens.ask_file),
    }


def _of_release(views: Views, within: Callable[[str, Callable[[], object]], object]) -> Runs:
    return {
        "release.make": lambda: within("release", views.release.doings.ask_release),
        "release.open": lambda: within("release", views.release.doings.ask_open),
        "release.verify": lambda: within("release", views.release.doings.verify),
        "release.media": lambda: within("release", views.release.doings.ask_media),
        "release.picture": lambda: within("release", views.release.doings.ask_picture),
        "release.compare": lambda: within("release", views.release.doings.compare),
        "release.other": lambda: within("release", views.release.doings.ask_compare),
        "release.merge": lambda: within("release", views.release.doings.ask_merge),
        "release.page": lambda: views.release.next_page(),
        "release.previous": lambda: views.release.step(-1),
        "release.next": lambda: views.release.step(1),
    }


def _of_journal(views: Views, within: Callable[[str, Callable[[], object]], object]) -> Runs:
    return {
        "journal.write": lambda: within("journal", views.journal.ask_write),
        "journal.back": lambda: within("journal", views.journal.take_back),
        "journal.filter": lambda: within("journal", views.journal.text.setFocus),
        "journal.previous": lambda: views.journal.step(-1),
        "journal.next": lambda: views.journal.step(1),
    }
