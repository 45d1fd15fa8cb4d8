"""The Keys page, the help of each view, and the field that finds a command: all from the table of commands."""

from PySide6.QtCore import Qt
from PySide6.QtGui import QKeyEvent
from PySide6.QtWidgets import (
    QDialog,
    QGridLayout,
    QHBoxLayout,
    QLineEdit,
    QListWidget,
    QListWidgetItem,
    QVBoxLayout,
    QWidget,
)

from aquin.desk.commands import TABLE, TITLES, VIEWS, Command, Commands
from aquin.desk.kit.dialogs import open_fitting, with_close
from aquin.desk.kit.labels import Words

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


def keys_of(group: str) -> list[Command]:
    """The commands of a view, or of the whole window, that have keys."""
    return [c for c in TABLE if c.group == group and c.keys]


def keys_dialog(parent: QWidget, view: str) -> QDialog:
    """All keys: what counts everywhere and those of the view that is shown first, the others beside them."""
    dialog = QDialog(parent)
    dialog.setWindowTitle("Keys")
    column = QVBoxLayout(dialog)
    both = QHBoxLayout()
    both.setSpacing(32)
    here = view if view in VIEWS else "bench"
    groups = ["app", "file", here, *(v for v in VIEWS if v != here)]
    total = sum(len(keys_of(g)) + 1 for g in groups)
    sides: list[list[str]] = [[], []]
    filled = 0
    for group in groups:
        sides[0 if filled < total / 2 else 1].append(group)
        filled += len(keys_of(group)) + 1
    for names in sides:
        grid = QGridLayout()
        grid.setHorizontalSpacing(16)
        grid.setVerticalSpacing(3)
        row = 0
        for group in names:
            grid.addWidget(Words(TITLES[group], role="dim"), row, 0, 1, 2)
            for found in keys_of(group):
                row += 1
                grid.addWidget(Words(found.shown_keys, strong=True), row, 0, Qt.AlignmentFlag.AlignTop)
                grid.addWidget(Words(found.words, wrap=True), row, 1)
            row += 1
        grid.setColumnStretch(1, 1)
        grid.setRowStretch(row, 1)
        both.addLayout(grid, 1)
    column.addLayout(both)
    with_close(dialog, column)
    dialog.setMinimumWidth(760)
    return open_fitting(dialog)


def help_dialog(parent: QWidget, view: str) -> QDialog:
    """Show the help of a view."""
    title, said = HELP.get(view, HELP["shots"])
    dialog = QDialog(parent)
    dialog.setWindowTitle(title)
    column = QVBoxLayout(dialog)
    text = Words(said, wrap=True)
    text.setFixedWidth(560)
    column.addWidget(text)
    with_close(dialog, column)
    return open_fitting(dialog)


class FindDialog(QDialog):
    """Some words, and the commands that hold them all; Enter does the selected one."""

    def __init__(self, parent: QWidget, commands: Commands) -> None:
        super().__init__(parent)
        self.commands = commands
        self.setWindowTitle("Find a command")
        self.resize(480, 420)
        column = QVBoxLayout(self)
        self.field = QLineEdit()
        self.field.setPlaceholderText("Words of what you want to do")
        self.field.setAccessibleName("Words of the command")
        self.field.textChanged.connect(self._fill)
        self.list = QListWidget()
        self.list.setAccessibleName("Commands")
        self.list.itemActivated.connect(lambda _: self.do())
        column.addWidget(self.field)
        column.addWidget(self.list, 1)
        self._fill("")
        self.field.setFocus()

    def _fill(self, text: str) -> None:
        self.list.clear()
        for found in self.commands.here():
            said = f"{found.words} {found.tip}".lower()
            if found.id != "app.find" and all(w in said for w in text.lower().split()):
                keys = f"     {found.shown_keys}" if found.keys else ""
                where = TITLES[found.group]
                item = QListWidgetItem(f"{found.words.rstrip(' …')}{keys}     {where}")
                item.setData(Qt.ItemDataRole.UserRole, found.id)
                item.setToolTip(found.tip)
                self.list.addItem(item)
        self.list.setCurrentRow(0)

    def do(self) -> None:
        """Do the selected command."""
        item = self.list.currentItem()
        if item is not None:
            self.accept()
            self.commands.run(str(item.data(Qt.ItemDataRole.UserRole)))

    def keyPressEvent(self, event: QKeyEvent) -> None:
        if event.key() in (Qt.Key.Key_Up, Qt.Key.Key_Down) and self.field.hasFocus():
            row = self.list.currentRow() + (1 if event.key() == Qt.Key.Key_Down else -1)
            self.list.setCurrentRow(min(max(row, 0), self.list.count() - 1))
        elif event.key() in (Qt.Key.Key_Return, Qt.Key.Key_Enter):
            self.do()
        else:
            super().keyPressEvent(event)
