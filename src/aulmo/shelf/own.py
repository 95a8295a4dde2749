"""Aulmo's own things: swatches and boards are made by rules, the rest lies in files that scripts in `tools` have made, with a list of them."""

import functools
from importlib.resources import files
from pathlib import Path

import msgspec

from aulmo.shelf.telling import board_thing
from aulmo.shelf.things import OWN, Thing, swatch_thing
from aulmo.surface import swatches

ROOT = Path(str(files("aulmo")))
LIST = ROOT / "shelf" / "data" / "own.json"


@functools.cache
def things() -> tuple[Thing, ...]:
    """All that ships."""
    from aulmo.prepare.carton.boards import OURS
    made = [swatch_thing(swatches.material(name), f"{OWN}swatch/{name}") for name in swatches.names()]
    made += [board_thing(board, f"{OWN}board/{name}") for name, board in OURS.items()]
    return (*made, *_filed())


def _filed() -> list[Thing]:
    """What lies in files: their paths in the list are from the package's root."""
    try:
        held = msgspec.json.decode(LIST.read_bytes(), type=list[Thing])
    except FileNotFoundError:
        return []
    return [msgspec.structs.replace(t, path=str(ROOT / t.path), files=tuple(str(ROOT / f) for f in t.files)) for t in held]


def shipped_name(thing: Thing) -> str:
    """The name by which a project knows a thing that ships: it need not keep the file."""
    return thing.path[len(OWN) :].partition("/")[2] if thing.path.startswith(OWN) else thing.name


def is_own(thing: Thing) -> bool:
    """Whether it ships with Aulmo."""
    return thing.path.startswith(OWN) or thing.path.startswith(str(ROOT))


def thumbnail_file(thing: Thing) -> Path | None:
    """The small picture that comes along with a thing that ships, None where there is none."""
    if not is_own(thing):
        return None
    slug = swatches.slug(thing.name)
    own_place = LIST.parent / "thumbnails" / f"{thing.kind.replace(' ', '-')}-{slug}.png"
    path = ROOT / "desk" / "thumbnails" / f"{slug}.png" if thing.kind == "swatch" else own_place
    return path if path.exists() else None
