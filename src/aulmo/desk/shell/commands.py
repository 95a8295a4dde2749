"""Every command once: its words, keys and deed. Menus, shortcuts and the command finder are all fed from here."""

from typing import Any, Callable, NamedTuple

from PySide6.QtGui import QAction, QKeySequence
from PySide6.QtWidgets import QWidget


class Command(NamedTuple):
    """A deed with a name. `menu` may name a menu within one, as "Light/New lamp", where the deed is called `short`. `keys` may be empty. `can` tells
    whether it makes sense now."""

    id: str
    title: str
    menu: str
    keys: str
    run: Callable[[], Any]
    can: Callable[[], bool]
    break_before: bool = False
    short: str = ""


class Registry:
    """All commands of a window, in menu order."""

    def __init__(self, window: QWidget) -> None:
        self._window = window
        self.commands: dict[str, Command] = {}
        self.actions: dict[str, QAction] = {}
        self._handlers: dict[str, list[tuple[Callable[[], bool], Callable[[], Any]]]] = {}

    def add(
        self, id_: str, title: str, menu: str, keys: str, run: Callable[[], Any], can: Callable[[], bool] = lambda: True,
        break_before: bool = False, short: str = "",
    ) -> None:  # fmt: skip
        """Register a command and make its action; `break_before` draws a line over it in its menu."""
        command = Command(id_, title, menu, keys, run, can, break_before, short)
        action = QAction(short or title, self._window)
        if keys:
            action.setShortcuts([QKeySequence(k) for k in keys.split(" or ")])
        action.triggered.connect(lambda _=False: self.run(id_))
        self._window.addAction(action)
        self.commands[id_], self.actions[id_] = command, action

    def add_shared(self, id_: str, title: str, menu: str, keys: str, break_before: bool = False) -> None:
        """A command that stages answer, each for its own things (see `handle`)."""

        def chosen() -> Callable[[], Any] | None:
            return next((run for can, run in self._handlers.get(id_, []) if can()), None)

        def run() -> None:
            found = chosen()
            if found is not None:
                found()

        self.add(id_, title, menu, keys, run, lambda: chosen() is not None, break_before)

    def handle(self, id_: str, can: Callable[[], bool], run: Callable[[], Any], sooner: bool = False) -> None:
        """What a shared command does when `can` holds; those registered first are asked first, but for those that are asked `sooner`."""
        held = self._handlers.setdefault(id_, [])
        held.insert(0 if sooner else len(held), (can, run))

    def run(self, id_: str) -> None:
        """Do it, if it makes sense now."""
        command = self.commands[id_]
        if command.can():
            command.run()

    def find(self, text: str) -> list[Command]:
        """Commands whose words start with the typed ones, best first."""
        wanted = text.lower().split()
        found = []
        for command in self.commands.values():
            words = f"{command.title} {command.menu}".lower().replace("…", "").split()
            if all(any(w.startswith(x) for w in words) for x in wanted):
                rank = 0 if command.title.lower().startswith(text.lower()) else 1
                found.append((rank, command))
        return [c for _, c in sorted(found, key=lambda f: f[0])]
