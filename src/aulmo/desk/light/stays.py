"""What light stays with: the choice of it, alike on the pages of the dome, a lamp and a softbox."""

from typing import Any, Callable

from aulmo.desk.shell.session import Session
from aulmo.desk.widgets.fields import Choice
from aulmo.document.properties import about


class StaysWith(Choice):
    """The choice for the property at an address; `run` takes what was chosen."""

    def __init__(self, whose: str, address: str, run: Callable[[str], Any]) -> None:
        super().__init__()
        self.setAccessibleName(f"{whose} stays with")
        self._choices = about(address).choices
        self.chosen.connect(run)

    def show_value(self, value: str) -> None:
        """Show what it stays with."""
        self.fill([(text, key) for key, text in self._choices.items()], value)

    def told(self, whose: str, value: str) -> str:
        """The step of undo in words."""
        text = self._choices[value]
        return f"{whose} stays with {text[0].lower()}{text[1:]}"


def product_of(session: Session) -> str | None:
    """The part that light follows when it stays with the product: what was selected last, else the first of the tree."""
    held = [i for i in session.last_selection if i in session.document.parts]
    return held[0] if held else next(iter(session.document.roots), None)
