"""The keys and the help text of each view."""

from PySide6.QtCore import Qt
from PySide6.QtWidgets import QDialog, QGridLayout, QPushButton, QVBoxLayout, QWidget

from aquin.desk.kit import theme
from aquin.desk.kit.labels import Words

KEYS = (
    ("1, 2, 3, 4, 5", "Plan, Shots, Charts, Board, Bench"),
    ("Ctrl+N, Ctrl+Shift+P", "new production, open a production"),
    ("Ctrl+Z, Ctrl+Y", "undo, redo"),
    ("Esc", "stop what is running"),
    ("F1, ?", "help for this view, these keys"),
    ("", "Shots"),
    ("Ctrl+F", "filter"),
    ("F2", "edit a cell, of all selected shots at once"),
    ("A", "audit"),
    (", .", "previous, next shot"),
    ("Enter", "look at the shot on the Bench"),
    ("H", "make it the hero"),
    ("Del", "take the selected shots out of the log"),
    ("", "Charts"),
    ("R", "read the selected takes again"),
    ("K", "mark the chart's corners by hand"),
    ("N, then arrow keys", "on the frame: pick a corner and move it"),
    (", .", "previous, next take"),
    ("Ctrl+Enter", "keep the solution as the balance"),
    ("", "Board"),
    ("arrow keys, Shift, Ctrl", "go to a cell, select several"),
    ("S", "settle the selected cells"),
    ("Shift+S", "settle all"),
    ("H", "make the selected shot its setup's hero"),
    ("P", "propagate the balance"),
    (", .", "previous, next shot of the cell"),
    ("Enter", "look at the shot on the Bench"),
    ("Ctrl+Enter", "mark the shot as agreed, or open it again"),
    ("D", "light over the day, and trims after it"),
    ("", "Bench"),
    ("Ctrl+O", "open a hero"),
    ("Ctrl+Shift+O", "open a shot"),
    ("H", "make the shot the hero"),
    (", .", "previous, next shot of the setup"),
    ("Page Up, Page Down", "previous, next frame of the shot"),
    ("Shift+Space", "play hero and shot in step; again: stop"),
    ("C", "next compare mode"),
    ("Space", "hold: the hero in the shot's place (not faster than three changes a second)"),
    ("S", "settle the selected row"),
    ("Shift+S", "settle all"),
    ("G", "grade on, off"),
    ("K", "chart corners on, off"),
    ("Z", "exposure zones on, off"),
    ("W, V", "waveform: overlaid, side by side, luma; tones instead of patches"),
    ("N, then arrow keys", "on the pictures: pick a corner and move it"),
    ("+ − F", "enlarge both pictures, less, fit; Ctrl with arrow keys moves them"),
    ("A, R, M, J", "area of the scopes, regions, skin, pairs: take the tool up or put it down"),
    ("arrow keys, Enter, N", "with a tool: move the hand (Shift: far), press and let go, other picture"),
    ("Ctrl+Enter", "mark the shot as agreed, or open it again"),
    ("Ctrl+E", "export the grade"),
)

HELP = {
    "plan": (
        "The Plan",
        """The chain reads from the screens on the left back to the cameras on the right, as it is built: each link says \
whether it is right, doubtful or wrong, and why.

Choose the screens that the production goes out on, the working space, the configuration, and how each camera records. A \
camera that is not listed can borrow the nearest known encoding: its chart says how well it fits, and the reason is kept.

Exposure says where each camera's grey, white, floor and ceiling lie, and where the policy asks for grey. The chart routine \
shows what was filmed. Monitor LUTs and the crew sheet go to the set.""",
    ),
    "shots": (
        "The Shots",
        """Drop folders of media here, or use Log. Cameras and setups are proposed from what files say; a camera report fills \
in the rest, and an edit gives the cut order. Nothing has to be saved: each decision is written when it is made.

F2 edits a cell; with several shots selected it edits all of them. Words in the filter must all be there; column:word asks \
one column, such as camera:heron or findings:range.

Audit measures every shot and says what is wrong or doubtful, with the numbers that speak for it. A fix is one click and can \
be undone; what is all right is set aside with a reason.""",
    ),
    "charts": (
        "The Charts",
        """Pick a take of a chart or a card: its frames are swept, glare, shadow, clipping, blur and size are scored, and the best \
frame is shown with the reason; the good ones are averaged. Bars of the strip are frames: a ring means glare, a wedge shadow.

Where the chart is not found, or another neutral is to be read, mark its corners. Patches that clip, glare or are dirty are left \
out with the reason; click a swatch to leave it out yourself, and again to take it back.

Solutions go from simple to rich; leave-one-out tells what each would do to a colour it has not seen. The steps show neutral, hue \
angle and saturation one after the other. Keep one, and it becomes the balance of the camera in this setup, which its other shots follow.

Profile recovers a camera's curve and matrix from an exposure series. Latitude says how far over and under each camera may be, \
and what that costs.""",
    ),
    "board": (
        "The Board",
        """Setups are rows, cameras are columns. A cell says in one word where a camera stands in a setup, and how far it hangs from the setup's hero in exposure, warmth, tint, saturation and sharpness.

Choose a hero for each setup, or let them be proposed, and a main hero if the setups' heroes are to match, too. Settle matches cells to their heroes: by charts where both cameras filmed one, else by the parts of the scene that both saw, else by statistics, which are believed least. Shots that stand apart from their camera's others get an exposure of their own. What nothing supports is left, with the reason.

All of it is one step that can be undone. A cell turns stale when something it was made from changes. Look at each shot on the Bench, and mark as agreed what you are content with: a later change takes the mark off.""",
    ),
    "bench": (
        "The Bench",
        """The Bench compares a shot with its hero: by the chart that both show, by what both cameras saw, or by things that you name in both.

Open a hero and a shot, and say how each was recorded. Aquin finds the 24-patch chart in both (or you drag its four \
corners: the square one belongs at the dark skin patch), reads it, and fills the ledger: how far the shot hangs from its \
hero on each axis. The bracket of a gauge is the tolerance. A hollow bob is within it.

Settle a row, settle all, take one of the alternatives, or type over any number of the stack. The balance works in \
scene-linear, the trim is an ASC CDL on ACEScct; regions are parts of the picture with a trim of their own, which no CDL or LUT holds. \
Where both pictures show skin, each alternative is solved for the whole frame and for skin; the half-filled mark is what leaves less. \
What passes for skin is hatched (M) and can be painted. History shows how far each grade that the shot had left it from its hero.

Export writes the grade, reads it back with OpenColorIO and says how far \
the file is from the picture here. Grading is done by eye in the end: what is proposed, you decide.""",
    ),
}


def keys_dialog(parent: QWidget) -> QDialog:
    """Show all keys."""
    dialog = QDialog(parent)
    dialog.setWindowTitle("Keys")
    grid = QGridLayout(dialog)
    grid.setHorizontalSpacing(24)
    for row, (keys, what) in enumerate(KEYS):
        label = Words(keys or what)
        label.setFont(theme.font(theme.BASE, bool(keys)))
        if not keys:
            label.set_role("dim padded")
        grid.addWidget(label, row, 0)
        grid.addWidget(Words(what if keys else ""), row, 1)
    dialog.open()
    return dialog


def help_dialog(parent: QWidget, view: str) -> QDialog:
    """Show the help of a view."""
    title, words = HELP[view]
    dialog = QDialog(parent)
    dialog.setWindowTitle(title)
    column = QVBoxLayout(dialog)
    text = Words(words)
    text.setWordWrap(True)
    text.setFixedWidth(560)
    column.addWidget(text)
    close = QPushButton("Close")
    close.clicked.connect(dialog.accept)
    column.addWidget(close, 0, Qt.AlignmentFlag.AlignRight)
    dialog.open()
    return dialog
