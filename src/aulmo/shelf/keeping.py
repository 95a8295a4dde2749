"""Keeping things: a lamp, a decal, a light set, in files of their own, with the name, tags and note by which they are found."""

from pathlib import Path
from typing import Iterable

from msgspec.structs import replace

from aulmo.document import edits, project_file
from aulmo.document.assets import AssetStore
from aulmo.document.file_names import file_name
from aulmo.document.project_file import About
from aulmo.document.records import Document
from aulmo.document.references import references
from aulmo.errors import BadFile, BadValue
from aulmo.light.set_ups import light_of
from aulmo.light.staying import lamp_stays
from aulmo.shelf import props
from aulmo.shelf.telling import DECAL, LAMP, LIGHT

ENDINGS = {"lamp": LAMP, "artwork": DECAL, "light set": LIGHT, "prop": props.SUFFIX}


def about(name: str, tags: Iterable[str] = (), note: str = "") -> About:
    """By what a thing is found. Raises BadValue without a name."""
    if not name.strip():
        raise BadValue("A kept thing needs a name.")
    return About(name.strip()[:200], tuple(dict.fromkeys(t.strip().lower()[:80] for t in tags if t.strip()))[:60], note.strip()[:2000])


def free_path(folder: Path, name: str, ending: str) -> Path:
    """Where a thing of a name is kept in a folder: a file that is not there yet."""
    stem = file_name(name, None, "thing")
    path, number = folder / f"{stem}{ending}", 2
    while path.exists():
        path, number = folder / f"{stem} {number}{ending}", number + 1
    return path


def _save(kept: Document, assets: AssetStore, path: Path, told: About | None, thumbnail: bytes | None) -> None:
    path.parent.mkdir(parents=True, exist_ok=True)
    props.write(kept, assets, path, told, thumbnail)


def keep_lamp(document: Document, assets: AssetStore, lamp_id: str, path: Path, told: About | None = None, thumbnail: bytes | None = None) -> None:
    """Write a lamp to a file; it stands in the world and lights all. Raises BadValue or CannotWrite."""
    if lamp_id not in document.lamps:
        raise BadValue("There is no such lamp.")
    lamp = replace(lamp_stays(document, document.lamps[lamp_id], "scene", None, None), part=None, lights=(), follows=())
    _save(Document(name=lamp.name, lamps={lamp.id: lamp}), assets, Path(path), told, thumbnail)


def keep_decal(document: Document, assets: AssetStore, decal_id: str, path: Path, told: About | None = None, thumbnail: bytes | None = None) -> None:
    """Write a decal to a file with its picture and what it is made of. Raises BadValue or CannotWrite."""
    if decal_id not in document.decals:
        raise BadValue("There is no such decal.")
    decal = replace(document.decals[decal_id], belongs="region", parts=(), stood=(), frame=None, group="", follows=())
    worn = {decal.material: document.materials[decal.material]} if decal.material in document.materials else {}
    worn = {i: replace(m, follows=()) for i, m in worn.items()}
    _save(Document(name=decal.name, decals={decal.id: decal}, materials=worn), assets, Path(path), told, thumbnail)


def keep_light(document: Document, assets: AssetStore, path: Path, told: About | None = None, thumbnail: bytes | None = None) -> None:
    """Write all light to a file. Raises CannotWrite."""
    light = light_of(document)
    boxes = tuple(replace(b, follows=()) for b in light.environment.softboxes)
    kept = replace(
        light, environment=replace(light.environment, softboxes=boxes), backdrop=replace(light.backdrop, follows=()),
        lamps={i: replace(x, follows=()) for i, x in light.lamps.items()},
    )  # fmt: skip
    _save(kept, assets, Path(path), told, thumbnail)


def keep_parts(
    document: Document, assets: AssetStore, part_ids: Iterable[str], path: Path, told: About | None = None, thumbnail: bytes | None = None
) -> None:
    """Write parts with all that is theirs to a file. Raises BadValue or CannotWrite."""
    _save(props.prop_of(document, assets, part_ids), assets, Path(path), told, thumbnail)


def tell(path: Path, told: About) -> bool:
    """Give a kept thing's file another name, tags and note. Raises BadFile or CannotWrite; the file is then as it was."""
    document, assets = project_file.load(path)
    project_file.save(document, assets, path, assets.last_pictures.saved_with, over=True, about=told)
    return True


# taking out what is no prop


def lamp_from(document: Document, assets: AssetStore, path: Path, at: tuple[float, float, float] | None = None) -> tuple[Document, str]:
    """A document with a kept lamp, or a measured one, at a place. Returns it and the lamp's id. Raises BadFile."""
    from aulmo.document.records import Lamp

    if path.suffix.lower() == ".ies":
        from aulmo.light.photometry import read_ies

        try:
            blob = path.read_bytes()
        except OSError as error:
            raise BadFile(f"{path.name} could not be read: {error.strerror}.") from None
        profile = read_ies(blob, path.name)
        lamp = Lamp(edits.new_id(), path.stem, kind="photometric", power=round(profile.lumens or profile.flux, 1), profile=assets.add(blob, ".ies"))
    else:
        found, theirs = project_file.load(path)
        if not found.lamps:
            raise BadFile(f"{path.name} holds no lamp.")
        lamp = next(iter(found.lamps.values()))
        assets.take_from(theirs, references(found, "assets"))
        lamp = replace(lamp, id=edits.new_id())
    name = edits.free_name(lamp.name, (x.name for x in document.lamps.values()))
    lamp = replace(lamp, name=name, position=at if at is not None else lamp.position)
    return edits.put_lamp(document, lamp), lamp.id


def decal_in(assets: AssetStore, path: Path) -> Document:
    """What a kept decal's file holds: one decal and what it is made of; its pictures are among the assets. Raises BadFile."""
    found, theirs = project_file.load(path)
    if not found.decals:
        raise BadFile(f"{path.name} holds no decal.")
    assets.take_from(theirs, references(found, "assets"))
    return found
