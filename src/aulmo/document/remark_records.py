"""What is remarked on a picture while it is shown: a sentence pinned to a part, kept with the project (Shown)."""

from typing import Annotated

from aulmo.document import property as say
from aulmo.document.record_base import Record, Triple


class Remark(Record):
    """A sentence `pinned` to a part at a `point` in its own mm (of the world without one; it may have gone since), said while a `shot` was seen
    at a `time`, by whom and when; `done` once it has been taken care of."""

    id: str
    text: Annotated[str, say.text("Remark")]
    pinned: Annotated[str, say.text("Of")] = ""
    point: Annotated[Triple, say.vector("Point")] = (0.0, 0.0, 0.0)
    shot: Annotated[str, say.text("Shot")] = ""
    time: Annotated[float, say.number("Moment", 0, 60, "s", 2, -1e6, 1e6)] = 0.0
    by: Annotated[str, say.text("By")] = ""
    at: Annotated[str, say.text("Said at")] = ""
    done: Annotated[bool, say.yes("Done")] = False
