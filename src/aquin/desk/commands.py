"""Every command of the window, once: words, keys, tooltips, the Keys page, menus, and the next step all come from
here.
"""

from dataclasses import dataclass

VIEWS = ("plan", "shots", "charts", "board", "bench", "continuity", "look", "screens", "release", "journal")


@dataclass(frozen=True)
class Command:
    """`id`: the view (or `app`, `file`) and a name. `keys`: the first one is shown. `hand`: a widget reads these
    keys itself, and they are only listed.
    """

    id: str
    words: str
    keys: tuple[str, ...] = ()
    tip: str = ""
    hand: bool = False

    @property
    def group(self) -> str:
        return self.id.split(".")[0]

    @property
    def shown_keys(self) -> str:
        """Its keys as people write them."""
        return ", ".join(_KEYS.get(k, k.replace("Return", "Enter")) for k in self.keys)


_KEYS = {"PgUp": "Page Up", "PgDown": "Page Down", "Del": "Delete", "Ctrl+Return": "Ctrl+Enter"}

TABLE: tuple[Command, ...] = (
    Command("app.plan", "Plan", ("1",), "The chain, exposure and charts"),
    Command("app.shots", "Shots", ("2",), "The log and what is wrong in it"),
    Command("app.charts", "Charts", ("3",), "Read charts, balance, profile and latitude"),
    Command("app.board", "Board", ("4",), "Setups by cameras: heroes, settle, propagate"),
    Command("app.bench", "Bench", ("5",), "Hero and shot, the ledger and the stack"),
    Command("app.continuity", "Continuity", ("6",), "Does the cut hold together?"),
    Command("app.look", "Look", ("7",), "One look over everything: from a reference, at a strength"),
    Command("app.screens", "Screens", ("8",), "This screen, other screens, and wrong tags"),
    Command("app.release", "Release", ("9",), "Hand the grade on; see what became of it"),
    Command("app.journal", "Journal", ("0",), "Every decision: who, when, why; undo from there"),
    Command("app.undo", "Undo", ("Ctrl+Z",), "Take back the last decision, wherever it was made"),
    Command("app.redo", "Redo", ("Ctrl+Y", "Ctrl+Shift+Z"), "Make the decision again that was taken back"),
    Command("app.find", "Find a command", ("Ctrl+K",), "Type some words of what you want to do"),
    Command("app.notes", "Notes on the shot", ("Ctrl+Shift+N",), "To a person or a role; open, or seen to"),
    Command(
        "app.claim", "Leave this shot to me", ("Ctrl+Shift+L",), "Ask others to leave it alone, or no more"
    ),
    Command(
        "app.claim_cell", "Leave this camera in this setup to me", (), "Ask others to leave the cell alone"
    ),
    Command("app.unsent", "What the server does not have"),
    Command("app.stop", "Stop what is running", ("Esc",), "Where nothing runs, put the Bench's tool down"),
    Command("app.help", "Help for this view", ("F1",)),
    Command("app.keys", "Keys", ("?",), "All keys"),
    Command("app.screen", "Choose the screen", (), "The display and view that all is shown and measured on"),
    Command("app.chain", "Use another colour configuration"),
    Command("app.demo", "Demo", (), "Build the demo shoot if needed and open it"),
    Command(
        "file.folder", "New production from a folder …", (), "Log a folder of media into a new production"
    ),
    Command("file.new", "New production …", ("Ctrl+N",)),
    Command("file.open", "Open a production …", ("Ctrl+Shift+P",)),
    Command("file.address", "Open from a server …", (), "A production that several machines share"),
    Command("file.share", "Share …", (), "Put the production on a server, for several editors and graders"),
    Command("file.people", "People …", (), "Who may do what in the production, and who is there"),
    Command("file.copy", "Save a copy …"),
    Command("file.relink", "Find missing media …"),
    Command("file.start", "Start page"),
    Command(
        "plan.encoding",
        "Choose a camera's encoding …",
        ("E",),
        "Of the next camera without one, or the first",
    ),
    Command("plan.luts", "Monitor LUTs …", (), "A .cube for each camera, for field monitors and recorders"),
    Command("plan.sheet", "Crew sheet …", (), "Exposure, charts and policy as PDF or HTML"),
    Command("shots.log", "Log a folder of media"),
    Command("shots.files", "Log files …"),
    Command(
        "shots.report", "Log a camera report …", (), "A table (CSV): which column says what is asked once"
    ),
    Command(
        "shots.conform",
        "Log an edit …",
        (),
        "An EDL, an OpenTimelineIO file or an XML: its pieces find their shots",
    ),
    Command("shots.filter", "Filter", ("Ctrl+F",), "Show shots that hold all these words"),
    Command("shots.edit", "Edit a cell, of all selected shots at once", ("F2",), hand=True),
    Command("shots.audit", "Audit", ("A",), "Measure every shot and look for what is wrong"),
    Command("shots.previous", "Previous shot", (",",)),
    Command("shots.next", "Next shot", (".",)),
    Command("shots.look", "On the Bench", ("Enter",), "Look at the shot on the Bench", hand=True),
    Command("shots.hero", "Make hero", ("H",), "The others of the setup are matched to it"),
    Command("shots.drop", "Take out of the log", ("Del",), "Their files stay where they are"),
    Command("shots.finding", "Show the first finding"),
    Command("charts.read", "Read the selected takes again", ("R",)),
    Command("charts.read_all", "Read all takes", (), "Sweep every chart take that was not read yet"),
    Command("charts.mark", "Mark the chart's corners by hand", ("K",)),
    Command("charts.corners", "On the frame: pick a corner and move it", ("N, then arrow keys",), hand=True),
    Command("charts.previous", "Previous take", (",",)),
    Command("charts.next", "Next take", (".",)),
    Command(
        "charts.keep",
        "Keep as balance",
        ("Ctrl+Return",),
        "This solution becomes the camera's balance in this setup",
    ),
    Command(
        "charts.balance_all",
        "Balance all",
        (),
        "Keep the best chart of each camera in each setup as its balance",
    ),
    Command("charts.profile", "Measure the series of a camera", (), "Recover its curve, steps and matrix"),
    Command(
        "charts.latitude",
        "Measure the latitude of all cameras",
        (),
        "Read every exposure series and judge each stop",
    ),
    Command("board.cells", "Go to a cell, select several", ("arrow keys, Shift, Ctrl",), hand=True),
    Command("board.settle", "Settle the selected cells", ("S",), "Match them to their heroes"),
    Command("board.settle_all", "Settle all", ("Shift+S",), "Match every cell to its setup's hero"),
    Command("board.hero", "Make hero", ("H",), "The others of the setup are matched to the selected shot"),
    Command("board.main", "Main hero …", (), "The setups' heroes are matched to it, too"),
    Command("board.propose", "Propose heroes", (), "A hero for each setup that has none"),
    Command("board.spread", "Propagate …", ("P",), "Give the balance to the cell's shots or to other cells"),
    Command("board.measure", "Measure", (), "Measure the ledgers of the selected cells again"),
    Command("board.previous", "Previous shot of the cell", (",",)),
    Command("board.next", "Next shot of the cell", (".",)),
    Command("board.look", "Look at it", ("Enter",), "The shot beside its hero on the Bench", hand=True),
    Command("board.bench", "Look at the selected shot on the Bench"),
    Command("board.agree", "Agree", ("Ctrl+Return",), "Mark the shot as agreed, or open it again"),
    Command(
        "board.level",
        "Level the heroes",
        ("L",),
        "Bring the heroes of the selected cells to the level targets",
    ),
    Command("board.light", "Light …", ("D",), "How light changed in the setup, and trims after it"),
    Command("bench.open_hero", "Open a hero", ("Ctrl+O",)),
    Command("bench.open_shot", "Open a shot", ("Ctrl+Shift+O",)),
    Command("bench.hero", "Make the shot the hero", ("H",)),
    Command("bench.previous", "Previous shot of the setup", (",",)),
    Command("bench.next", "Next shot of the setup", (".",)),
    Command("bench.frame_back", "Previous frame of the shot", ("PgUp",)),
    Command("bench.frame_on", "Next frame of the shot", ("PgDown",)),
    Command(
        "bench.follow",
        "Follow the light over the take",
        ("D",),
        "Compare the take's frames with this one and take back what light does: keys over time, linear between",
    ),
    Command("bench.key", "Put a key at this frame, or take it away", ("I",)),
    Command("bench.key_back", "Previous key", ("Shift+PgUp",)),
    Command("bench.key_on", "Next key", ("Shift+PgDown",)),
    Command("bench.play", "Play hero and shot in step, or stop", ("Shift+Space",)),
    Command("bench.mode", "Next compare mode", ("C",)),
    Command(
        "bench.hold",
        "Hold: the hero in the shot's place (not faster than three changes a second)",
        ("Space",),
        hand=True,
    ),
    Command(
        "bench.bare",
        "Pictures only, and back",
        ("X",),
        "Fold scopes and column away, and bring them back as they were",
    ),
    Command("bench.scopes", "Fold the scopes, or unfold them", ("Shift+X",)),
    Command("bench.row", "Select a row of the ledger", ("Up, Down",), hand=True),
    Command("bench.move", "Less or more of what is selected (Shift: coarse)", ("Left, Right",), hand=True),
    Command("bench.settle", "Settle row", ("S",), "Bring the selected axis to the hero and leave the rest"),
    Command(
        "bench.settle_all",
        "Settle all",
        ("Shift+S",),
        "Take the solution of least leave-one-out residual that fits into a CDL",
    ),
    Command("bench.for_cdl", "For a CDL", (), "Settle all takes the best that fits into a CDL"),
    Command(
        "bench.second", "Second pass", (), "Fit a tone curve and a hue warp to what the present grade leaves"
    ),
    Command("bench.look", "Look on or off", ("L",), "See the pictures with the look that is on, or without"),
    Command("bench.grade", "Grade on or off", ("G",), "The whole grade on or off"),
    Command(
        "bench.corners",
        "Chart corners on or off",
        ("K",),
        "Show the chart's corners; drag them to where the patch field ends",
    ),
    Command("bench.corners_hero", "Put the hero's chart corners"),
    Command("bench.corners_shot", "Put the shot's chart corners"),
    Command("bench.encoding", "Choose how the shot was recorded"),
    Command(
        "bench.zones",
        "Exposure zones on or off",
        ("Z",),
        "Stops from grey of the graded scene, each in one colour",
    ),
    Command("bench.waves", "Waveform: overlaid, side by side, luma", ("W",)),
    Command("bench.tones", "Tones instead of patches", ("V",), "How often each level occurs"),
    Command("bench.pick", "On the pictures: pick a corner and move it", ("N, then arrow keys",), hand=True),
    Command(
        "bench.zoom", "Enlarge both pictures, or less; Ctrl with arrow keys moves them", ("+ −",), hand=True
    ),
    Command("bench.fit", "Whole pictures again", ("F",)),
    Command("bench.area", "Area of the scopes", ("A",), "Let the scopes look at a part of each picture"),
    Command(
        "bench.regions",
        "Regions",
        ("R",),
        "Move the selected region's ellipse, or pick the colour of its key",
    ),
    Command("bench.skin", "Skin", ("M",), "See what passes for skin, and paint what does or does not"),
    Command(
        "bench.pairs",
        "Pairs",
        ("J",),
        "Name things that are the same in both pictures: they then count in the match",
    ),
    Command(
        "bench.targets",
        "Against targets, or the hero",
        ("E",),
        "The ledger against level targets instead of a hero",
    ),
    Command("bench.neutral", "Neutral", ("U",), "Point at something neutral: the cast is then taken from it"),
    Command(
        "bench.materials",
        "Materials",
        ("T",),
        "Outline what both pictures show, with what each says of exposure and white; strike what misleads",
    ),
    Command(
        "bench.hands",
        "With a tool: move the hand (Shift: far), press and let go, other picture",
        ("arrow keys, Enter, N",),
        hand=True,
    ),
    Command("bench.agree", "Agree", ("Ctrl+Return",), "Mark the shot as agreed, or open it again"),
    Command(
        "bench.export",
        "Export the grade …",
        ("Ctrl+E",),
        "Write it as .cdl, .cc, .ccc, .clf or .cube, and prove the file",
    ),
    Command("continuity.measure", "Measure the cut", ("M",), "Measure the frames on both sides of every cut"),
    Command("continuity.previous", "Previous cut", (",",)),
    Command("continuity.next", "Next cut", (".",)),
    Command("continuity.jump_back", "Previous jump", ("PgUp",)),
    Command("continuity.jump_on", "Next jump", ("PgDown",)),
    Command("continuity.worst", "The worst jump", ("W",)),
    Command(
        "continuity.close_left", "On the left", ("Shift+Left",), "Close the jump by a trim of the left shot"
    ),
    Command(
        "continuity.close_half", "Half each", ("Shift+Down",), "Close the jump by trims of both, half each"
    ),
    Command(
        "continuity.close_right",
        "On the right",
        ("Shift+Right",),
        "Close the jump by a trim of the right shot",
    ),
    Command("continuity.mean", "Meant so …", ("N",), "The jump is meant: say why"),
    Command("continuity.mode", "Next compare mode", ("C",)),
    Command(
        "continuity.hold",
        "Hold: what is before the cut in the place of what is after it (not faster than three changes a second)",
        ("Space",),
        hand=True,
    ),
    Command(
        "continuity.play", "Play", ("Shift+Space",), "The second before the cut and the one after it, in step"
    ),
    Command("continuity.look", "Look on or off", ("L",), "See the cut with the look that is on, or without"),
    Command(
        "continuity.sheet", "The whole cut, in the next order", ("T",), "In cut order, by setup, by an axis"
    ),
    Command("continuity.cut", "Cut by cut", ("B",)),
    Command("continuity.light", "Light of the day", ("D",), "How the light changed in each setup"),
    Command("continuity.new", "New cut …", ("Ctrl+O",), "Conform a newer edit and list what it changes"),
    Command(
        "continuity.export",
        "Write with markers …",
        ("Ctrl+E",),
        "The edit, jumps and notes marked",
    ),
    Command(
        "look.use",
        "Switch the look on or off",
        ("Shift+L",),
        "For its setups, wherever looks are shown and written",
    ),
    Command("look.shown", "See the pictures with the look or without", ("L",)),
    Command("look.new", "New look", (), "An empty look, built by its numbers"),
    Command("look.still", "From a still …", ("Ctrl+O",), "Take a reference still apart and fit a look to it"),
    Command(
        "look.alone", "Fit to the best suited shot alone", (), "Fit the still to the shot that it suits best"
    ),
    Command(
        "look.bold",
        "Fit all that differs",
        (),
        "Fit the still as if all that differs were look, content and all",
    ),
    Command(
        "look.import",
        "Import a look file …",
        ("Ctrl+Shift+O",),
        "A LUT or CLF, with what it expects and gives",
    ),
    Command("look.library", "Library of looks …", (), "Looks kept over productions, as files"),
    Command("look.scope", "Setups of the look …", (), "All setups, or some"),
    Command(
        "look.compare",
        "Looks over shots, or one shot",
        ("C",),
        "Up to four looks over six shots, with their costs",
    ),
    Command("look.drop", "Drop the look", ("Del",), "Take it out of the production; this can be undone"),
    Command("look.previous", "Previous shot", (",",)),
    Command("look.next", "Next shot", (".",)),
    Command("screens.profile", "This screen's profile …", ("Ctrl+Shift+O",), "The ICC file of this monitor"),
    Command("screens.desktop", "Profile as the desktop has it", (), "Ask the desktop's colour service"),
    Command(
        "screens.page", "Next page", ("C",), "This screen, others, wrong tags, deliverables, worst shots"
    ),
    Command("screens.field", "Next test field", ("F",)),
    Command("screens.large", "The chosen picture large, or all", ("B",), "Below the picture as it is meant"),
    Command("screens.picture_back", "Previous picture", ("PgUp",), "Its numbers are shown"),
    Command("screens.picture_on", "Next picture", ("PgDown",), "Its numbers are shown"),
    Command("screens.previous", "Previous shot", (",",)),
    Command("screens.next", "Next shot", (".",)),
    Command("screens.look", "Look on or off", ("L",), "The shot with the look that is on, or without"),
    Command("screens.worst", "Worst shots", ("W",), "All shots under each screen, the worst first"),
    Command(
        "screens.file", "Tags of a movie …", ("Ctrl+O",), "Read a delivered movie: what players make of it"
    ),
    Command(
        "release.make",
        "Release …",
        ("Ctrl+Return",),
        "Write one grade that everybody has, whole or not at all",
    ),
    Command("release.open", "Open a release …", ("Ctrl+Shift+O",), "A folder or .zip from here or elsewhere"),
    Command("release.verify", "Verify", ("V",), "Every file, and the check frames again by every route"),
    Command("release.media", "Media of the release …", (), "Where they lie, for a release from elsewhere"),
    Command(
        "release.picture", "What did they do? …", ("Ctrl+O",), "A picture from elsewhere that looks wrong"
    ),
    Command(
        "release.compare", "What changed since", ("D",), "The release beside the production as it is now"
    ),
    Command(
        "release.other", "Compare with another release …", (), "The open one beside a later or earlier one"
    ),
    Command("release.merge", "Merge what came back …", ("M",), "A copy from another house, as one step"),
    Command("release.page", "Next page", ("C",), "What goes out, verify, what did they do, what changed"),
    Command("release.previous", "Previous row or shot", (",",)),
    Command("release.next", "Next row or shot", (".",)),
    Command("journal.write", "Write …", ("Ctrl+S",), "The journal as it is filtered, as .csv, .html or .pdf"),
    Command("journal.back", "Take back to here", ("Ctrl+Backspace",), "Your own steps up to the chosen one"),
    Command("journal.filter", "Filter by words", ("Ctrl+F",)),
    Command("journal.previous", "Previous entry", (",",)),
    Command("journal.next", "Next entry", (".",)),
)
BY_ID = {c.id: c for c in TABLE}
TITLES = {"app": "Everywhere", "file": "Productions"} | {v: v.capitalize() for v in VIEWS}


def words(id: str, keys: bool = False) -> str:
    """A command's words, with its key where a button shows it."""
    found = BY_ID[id]
    return (
        f"{found.words}   {found.shown_keys.split(', ')[0].replace('Shift+', '⇧')}"
        if keys and found.keys
        else found.words
    )


def tip(id: str, more: str = "") -> str:
    """What a tooltip says of a command: what it does, and its keys."""
    found = BY_ID[id]
    said = f"{found.tip or found.words}{f' ({found.shown_keys})' if found.keys else ''}"
    return f"{said}. {more}" if more else said
