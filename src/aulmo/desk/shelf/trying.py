"""What is held over the picture is tried on: seen as it would be, until it is dropped or taken away."""

from typing import Any

from PySide6.QtCore import QPoint

from aulmo.desk.picture.drops import dressed
from aulmo.shelf.things import Thing


class Trying:
    """Looks at what a drop would make. What is looked at for one point is not made again until another would be another."""

    def __init__(self, session: Any) -> None:
        self.session = session
        self._known: object = None

    def swatch(self, payload: str, targets: list[str]) -> None:
        """A swatch on surfaces by address; nothing without any."""
        key = (payload, tuple(targets), self.session.document)
        if key == self._known:
            return
        self._known = key
        made = dressed(self.session, payload, targets) if targets and "\n" in payload and not payload.startswith("none") else None
        self.session.try_document(made[0] if made is not None else None)

    def thing(self, thing: Thing, taken: Any, at: QPoint) -> None:
        """A thing of the shelf, as the stage that takes it would."""
        if taken.tried is None or thing.trouble:
            return
        key = (thing.key, taken.spot(at), self.session.document)
        if key == self._known:
            return
        made = taken.tried(thing, at)
        self._known = key if made is not None else None  # what is still being read is asked for again
        self.session.try_document(made)

    def end(self) -> None:
        """It was dropped, or taken away."""
        self._known = None
        self.session.try_document(None)
