"""What the artist waits for on the shelf: a large folder the second time, words typed, cards scrolled."""

import os
import tempfile
import time
from pathlib import Path

from aulmo.command.pace import Figures, paced
from aulmo.shelf import own, shelves, words

FILES, CARDS = 5000, 2000


def open_seconds() -> dict[str, float]:
    """Seconds until the things of a folder of 5,000 files are known the second time, until it has been looked through again, and until words are
    found among them."""
    known = {name: os.environ.get(name) for name in ("XDG_DATA_HOME", "XDG_CACHE_HOME")}
    with tempfile.TemporaryDirectory() as folder:
        try:
            os.environ |= {name: str(Path(folder) / name.lower()) for name in known}
            things = Path(folder) / "things"
            things.mkdir()
            for k in range(FILES):
                (things / f"look {k:05}.cube").write_text("LUT_3D_SIZE 2\n")
            own.things()
            shelves.add_folder(things)
            shelves.Shelf().refresh()
            began = time.perf_counter()
            shelf = shelves.Shelf()
            held = shelf.things()
            opened = time.perf_counter()
            shelf.refresh()
            looked = time.perf_counter()
            words.found(held, "warm look 017")
            return {"open": opened - began, "look": looked - opened, "find": time.perf_counter() - looked}
        finally:
            for name, value in known.items():
                os.environ.pop(name, None) if value is None else os.environ.__setitem__(name, value)


def run(told: Figures) -> None:
    """Measure the shelf."""
    found, speed = paced(open_seconds)
    told.waited(f"A shelf of {FILES:,} files, the second time", found["open"], speed, "from its index, with what ships", 0.3)
    told.waited("The same looked through again", found["look"], speed, "behind the scenes", 1.0)
    told.waited("Three words among them", found["find"], speed, "for the first time", 0.3)
    from aulmo.desk.waits import scroll_seconds

    seconds, speed = paced(lambda: scroll_seconds(CARDS))
    told.waited(f"A frame of {CARDS:,} cards scrolled", seconds, speed, "the 95th of 100", 1 / 60)
