"""Who uses what lies on the shelf: in a project, and in those that were opened lately."""

from pathlib import Path
from zipfile import ZipFile

import msgspec

from aulmo.document import edits
from aulmo.document.assets import AssetStore
from aulmo.document.properties import resolve
from aulmo.document.records import Document
from aulmo.document.references import references
from aulmo.shelf.things import OWN, Thing

MOST_NAMES = 6
_LARGEST = 64 << 20


def _named(ids: list[str], document: Document) -> str:
    names = list(dict.fromkeys(document.parts[i].name for i in ids if i in document.parts))
    return ", ".join(names[:MOST_NAMES]) + (f" and {len(names) - MOST_NAMES} more" if len(names) > MOST_NAMES else "")


def _places(document: Document, assets: AssetStore) -> dict[str, list[str]]:
    """By the key of a thing, or by "file:" and a name for what is known by that alone: ids of parts that use it, or words."""
    found: dict[str, list[str]] = {}

    def note(key: str, users: list[str]) -> None:
        found.setdefault(key, []).extend(u for u in users if u not in found.get(key, []))

    for material in document.materials.values():
        users = edits.users_of(document, material.id)
        note(f"file:{material.swatch}" if material.swatch else f"{OWN}swatch/{_plain(material.name)}",
            users or ["the floor"] * (document.floor.material == material.id))
        for name in references_of(material):
            if name in assets.origins:
                note(assets.origins[name], users)
    for prop in document.props.values():
        note(prop.path, list(prop.roots))
    environment = document.environment
    if environment.kind == "picture":
        note(f"dome:{environment.image}" if environment.shipped else assets.origins.get(environment.image, ""), ["the dome"])
    for box in environment.softboxes:
        if box.kind == "picture":
            note(f"light picture:{box.picture}" if box.shipped else assets.origins.get(box.picture, ""), [box.name])
    for decal in document.decals.values():
        if decal.picture in assets.origins:
            note(assets.origins[decal.picture], list(decal.parts))
    for shot in document.shots:
        if shot.photograph is not None and shot.photograph.image in assets.origins:
            note(assets.origins[shot.photograph.image], [f"shot {shot.name}"])
    for part in document.parts.values():
        if part.carton is not None:
            note(f"{OWN}board/{part.carton.board}", [part.id])
    found.pop("", None)
    return found


def references_of(material) -> set[str]:
    """The pictures of a material."""
    return references(Document(materials={material.id: material}), "assets")


def _plain(name: str) -> str:
    """A material's name without the number that tells it from another of its name."""
    head, _, tail = name.rpartition(" ")
    return head if tail.isdigit() and head else name


def uses(document: Document, assets: AssetStore) -> dict[str, str]:
    """Who uses what in a project, in words: parts by their names, and shots that show them."""
    return {key: _told(document, users) for key, users in _places(document, assets).items()}


def _told(document: Document, users: list[str]) -> str:
    parts, rest = [u for u in users if u in document.parts], [u for u in users if u not in document.parts]
    said = ", ".join([*([_named(parts, document)] if parts else []), *dict.fromkeys(rest)])
    seen = _shots_with(document, parts) if parts and len(document.shots) > 1 else []
    return f"{said} (in {', '.join(seen)})" if seen else said


_shown: list[tuple[Document, dict[str, set[str]]]] = []  # of the last document, by the names of its shots, which parts are seen in them


def _shots_with(document: Document, part_ids: list[str]) -> list[str]:
    """The names of the shots in which some of the parts are not hidden."""
    if not _shown or _shown[0][0] is not document:
        found = {s.name: set(edits.shown_parts(resolve(document, {"shot": s.id}))) for s in document.shots[:40]}
        _shown[:] = [(document, found)]
    wanted = set(edits.leaves(document, part_ids))
    return [name for name, shown in _shown[0][1].items() if wanted & shown]


def _keys(thing: Thing) -> list[str]:
    keys = [thing.key, thing.path, f"{thing.kind}:{thing.name}"]
    if thing.kind == "swatch" and not thing.path.startswith(OWN):
        keys.append(f"file:{Path(thing.path).name}")
    return [*keys, *thing.files]


def of(thing: Thing, told: dict[str, str]) -> str:
    """Who uses a thing, by what `uses` tells; "" for nobody."""
    return next((told[key] for key in _keys(thing) if told.get(key)), "")


def parts_of(thing: Thing, document: Document, assets: AssetStore) -> list[str]:
    """The ids of the parts that use a thing."""
    if thing.kind == "colour":
        from aulmo.document.colours import followers

        held = {a.split("/")[1] for a in followers(document, thing.inside) if a.startswith("materials/")}
        return [i for m in held for i in edits.users_of(document, m)]
    found = _places(document, assets)
    users = next((found[key] for key in _keys(thing) if found.get(key)), [])
    return [i for i in users if i in document.parts]


class _Origins(msgspec.Struct):
    """What is read of a project that is not open."""

    props: dict[str, dict] = {}
    materials: dict[str, dict] = {}
    environment: dict = {}


_known: dict[tuple[str, int, int], set[str]] = {}


def _of_file(path: Path) -> set[str]:
    """The keys of what a project's file uses; nothing where it cannot be read."""
    try:
        stat = path.stat()
        key = (str(path), stat.st_mtime_ns, stat.st_size)
        if key in _known:
            return _known[key]
        with ZipFile(path) as archive:
            if archive.getinfo("document.json").file_size > _LARGEST:
                return set()
            held = msgspec.json.decode(archive.read("document.json"), type=_Origins)
            names = set(archive.namelist())
            origins = msgspec.json.decode(archive.read("origins.json"), type=dict[str, str]) if "origins.json" in names else {}
        found = set(origins.values()) | {str(p.get("path", "")) for p in held.props.values()}
        for material in held.materials.values():
            swatch = str(material.get("swatch", ""))
            found.add(f"file:{swatch}" if swatch else f"{OWN}swatch/{_plain(str(material.get('name', '')))}")
        if held.environment.get("shipped", True) and held.environment.get("kind", "picture") == "picture":
            found.add(f"dome:{held.environment.get('image', 'Loft')}")
        if len(_known) > 200:
            _known.clear()
        _known[key] = found
        return found
    except Exception:  # noqa: BLE001 (moved, damaged, of a newer Aulmo: it tells nothing)
        return set()


_learnt: dict[Path, set[str]] = {}


def learn(projects: list[Path]) -> None:
    """Read what projects use, so that it can be told at once."""
    for path in projects:
        _learnt[path] = _of_file(path)


def in_projects(thing: Thing, projects: list[Path], learnt: bool = False) -> list[str]:
    """The names of the projects, of some, that use a thing; with `learnt` by what was read of them before, without looking at their files."""
    keys = set(_keys(thing))
    return [path.stem for path in projects if keys & (_learnt.get(path, set()) if learnt else _of_file(path))]
