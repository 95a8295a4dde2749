"""The colours that a project has names for (Surface, Light)."""

from typing import Annotated

from aulmo.document import property as say
from aulmo.document.record_base import Record, Triple


class ProjectColour(Record):
    """A colour of the project by its name, in ACEScg: what follows it has it, and has another when it is changed. `tolerance` is how far what is
    seen may be from it (CIEDE2000), `note` where it comes from."""

    id: str
    name: Annotated[str, say.text("Name")]
    rgb: Annotated[Triple, say.colour("Colour")] = (0.5, 0.5, 0.5)
    tolerance: Annotated[
        float, say.number("Tolerance", 0, 10, "", 1, 0, 100, tip="How far what is seen may be from it: 1 is just seen, 2 is usual in print")
    ] = 2.0
    note: Annotated[str, say.text("Note")] = ""
