"""Furnished lamps under the hand: a click in the picture is where one stands or hangs; and a part made into a glowing panel."""

from typing import Any

from PySide6.QtCore import QPoint, Qt
from PySide6.QtGui import QPainter
from PySide6.QtWidgets import QInputDialog

from aulmo.desk.picture.snap import Caught, caught
from aulmo.desk.picture.tools.point import PointTool
from aulmo.desk.shell.stage import Desk
from aulmo.prepare import furnished

ICONS = {"table": "lamp", "pendant": "caret-up", "downlight": "flashlight", "strip": "minus"}


class FurnishTool(PointTool):
    """One click puts the chosen kind there."""

    name = "furnish"
    hint = "Click where it stands, or the ceiling it hangs from · Shift-click puts several · Esc gives up"

    def __init__(self, picture: Any) -> None:
        super().__init__(picture)
        self.kind = "table"

    def find(self, at: QPoint, plain: bool = False) -> Caught | None:
        """The very point under the cursor."""
        return caught(self.picture, at, plain=True)

    def words(self, found: Caught) -> tuple[str, str]:
        """What would come where."""
        part = self.session.document.parts.get(self.picture.stored(found.part) or "") if found.part else None
        hangs = self.kind != "table"
        verb = "from" if hangs and found.normal[2] < -0.3 else "over" if hangs else "on"
        return furnished.KINDS[self.kind], f"{verb} {part.name if part else 'the floor'}"

    def take_point(self, found: Caught | None, modifiers: Qt.KeyboardModifier) -> None:
        """Put it there."""
        session = self.session
        if found is None:
            session.hint.emit("Click on the floor, a ceiling or a part")
            return

        def run() -> None:
            document, group = furnished.furnish(session.document, session.assets, self.kind, found.point, found.normal)
            session.apply(f"Put up {document.parts[group].name}", document)
            session.select([group])

        session.attempt(run)
        if not modifiers & Qt.KeyboardModifier.ShiftModifier:
            session.set_tool("")

    def draw(self, painter: QPainter) -> None:
        """The cursor says enough."""


class Furnish:
    """What the bench and the menu call."""

    def __init__(self, desk: Desk) -> None:
        self.desk, self.session = desk, desk.session
        self.tool = FurnishTool(desk.picture)
        chosen = lambda: desk.working() and bool(desk.session.selection)  # noqa: E731
        desk.registry.add("glow", "Make a glowing panel of it…", "Light", "", self.glow, chosen, break_before=True)
        for kind, title in furnished.KINDS.items():
            words, menu = f"New {title.lower()}", "Light/New furnished lamp"
            desk.registry.add(f"furnish_{kind}", words, menu, "", lambda k=kind: self.take(k), desk.working, short=title)

    def kinds(self) -> dict[str, tuple[str, str]]:
        """Names and icons by kind."""
        return {kind: (title, ICONS[kind]) for kind, title in furnished.KINDS.items()}

    def take(self, kind: str) -> None:
        """Take a kind in hand."""
        self.session.set_stage("Light")
        self.tool.kind = kind
        self.session.set_tool("furnish")

    def glow(self) -> None:
        """Ask how bright, and let the selected parts glow."""
        session = self.session
        nits, right = QInputDialog.getDouble(self.desk.window, "Make a glowing panel", "Nits", 2000.0, 1.0, 1e9, 0)
        if right:
            made = session.attempt(lambda: furnished.glowing_panel(session.document, session.selection, nits))
            if made is not None:
                session.apply(f"{session.selected_name()} glows", made)
