"""Whole light set-ups in a file: the dome with its softboxes, lamps, backdrop and floor of a project, and the pictures they use.

The file is a project that holds nothing else, so it is checked and carried over as one.
"""

from pathlib import Path

from msgspec.structs import replace

from aulmo.document import project_file
from aulmo.document.assets import AssetStore
from aulmo.document.records import Document
from aulmo.document.references import references
from aulmo.errors import BadFile

SUFFIX = ".aulmolight"


def light_of(document: Document) -> Document:
    """A document that holds nothing but another's light. What followed a part stands still, and what lit some parts only lights all."""
    environment = document.environment
    boxes = tuple(replace(b, part=None, stays_with="scene" if b.stays_with == "part" else b.stays_with) for b in environment.softboxes)
    stays = "scene" if environment.stays_with == "part" else environment.stays_with
    lamps = {
        i: replace(lamp, part=None, lights=(), stays_with="scene" if lamp.stays_with == "part" else lamp.stays_with)
        for i, lamp in document.lamps.items()
    }
    return Document(
        name=document.name, environment=replace(environment, softboxes=boxes, stays_with=stays, part=None), lamps=lamps, backdrop=document.backdrop,
    )  # fmt: skip


def save(document: Document, assets: AssetStore, path: Path) -> None:
    """Write a document's light. Raises CannotWrite."""
    project_file.save(light_of(document), assets, Path(path))


def load(document: Document, assets: AssetStore, path: Path) -> Document:
    """The document with the light of a set-up's file (or of any project) instead of its own. Raises BadFile; the document is as it was."""
    found, theirs = project_file.load(Path(path))
    if Path(path).suffix == SUFFIX and found.parts:
        raise BadFile(f"{Path(path).name} is no light set-up.")
    light = light_of(found)
    assets.take_from(theirs, references(light, "assets"))
    return with_light(document, light)


def with_light(document: Document, light: Document) -> Document:
    """The document with the light of another."""
    return replace(document, environment=light.environment, lamps=light.lamps, backdrop=light.backdrop)
