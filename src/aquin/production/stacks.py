"""What one person can take back and make again, from the journal."""

from __future__ import annotations

from collections.abc import Iterable


class Stacks:
    """The steps of one person at one workstation, among everybody's. Whatever the journal says, reading it never
    fails: an undo of what is not there to be undone changes nothing here.
    """

    def __init__(self, who: str, seat: str) -> None:
        self.who, self.seat = who, seat
        self.done: tuple[int, ...] = ()
        self.undone: tuple[int, ...] = ()
        self.titles: dict[int, str] = {}

    def fork(self) -> Stacks:
        """Another that begins like this one."""
        made = Stacks(self.who, self.seat)
        made.done, made.undone, made.titles = self.done, self.undone, dict(self.titles)
        return made

    def load(self, entries: Iterable[tuple[int, str, int | None, str, str, str]]) -> None:
        """All of the journal: number, step, of, what, who and seat of each entry, in order."""
        here = {n for n in (*self.done, *self.undone) if n in self.titles}
        done: list[int] = []
        undone: list[int] = []
        titles: dict[int, str] = {}
        for number, step, of, what, who, seat in entries:
            if number in here or self._mine(who, seat):
                _move(done, undone, number, step, of)
                if step == "do":
                    titles[number] = what
        self.done, self.undone, self.titles = tuple(done), tuple(undone), titles

    def note(
        self, number: int, step: str, of: int | None, what: str, who: str, seat: str, here: bool = False
    ) -> None:
        """One more entry. `here`: this program wrote it, whatever its person is called meanwhile."""
        if not (here or self._mine(who, seat)):
            return
        if step == "do" and of is None:
            self.titles[number] = what
            self.done, self.undone = (*self.done, number), ()
            return
        done, undone = list(self.done), list(self.undone)
        _move(done, undone, number, step, of)
        self.done, self.undone = tuple(done), tuple(undone)

    def top(self, step: str) -> int | None:
        stack = self.done if step == "undo" else self.undone
        return stack[-1] if stack else None

    def title(self, step: str) -> str | None:
        top = self.top(step)
        return None if top is None else self.titles.get(top, "")

    def _mine(self, who: str, seat: str) -> bool:
        return who == self.who and seat in ("", self.seat)


def _move(done: list[int], undone: list[int], number: int, step: str, of: int | None) -> None:
    if step == "do" or of is None:
        done.append(number)
        undone.clear()
        return
    there, here = (done, undone) if step == "undo" else (undone, done)
    if of in there:
        there.remove(of)
        here.append(of)
