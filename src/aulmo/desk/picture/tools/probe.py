"""The pixel probe: a click reads the picture's values, what part is there and which face of it."""

from PySide6.QtCore import QPoint, Qt

from aulmo.desk.picture.tools.tool import Tool
from aulmo.frame.exposure import white_nits


class Probe(Tool):
    """Reads a pixel; the reading stays until the next click."""

    name = "probe"
    hint = "Click a pixel to read it · Esc puts the probe away"
    pointer = Qt.CursorShape.CrossCursor

    def __init__(self, picture) -> None:
        super().__init__(picture)
        self._read = False

    def take(self) -> None:
        """Nothing read yet."""
        self._read = False

    def put_away(self) -> None:
        """The reading goes too."""
        self.picture.hush()

    def press(self, at: QPoint, modifiers: Qt.KeyboardModifier) -> None:
        """Read."""
        value = self.picture.pixel_at(at)
        if value is None:
            return
        self._read = True
        r, g, b = value
        hit = self.picture.pick(at)
        parts = self.session.document.parts
        seen = self.picture.stored(hit.part) if hit is not None and hit.part is not None else None
        name = parts[seen].name if seen in parts else "Floor" if hit is not None else "Background"
        if hit is not None and hit.face is not None:
            name += f", face {hit.face + 1}"
        self.picture.say_at(at, f"{r}  {g}  {b}   #{r:02x}{g:02x}{b:02x}", f"{name} · white is {white_nits(self.session.view):.0f} nits")

    def hover(self, at: QPoint) -> bool:
        """A reading stays where it is."""
        return self._read
