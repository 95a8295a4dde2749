"""My swatches: a folder of the artist's choice with one file for each, a zip of MaterialX, its pictures and a thumbnail. Names that CAD files give
to colours can be tied to swatches, so that the next import wears them at once.
"""

import json
import math
import zipfile
from pathlib import Path
from typing import Iterable, NamedTuple

from msgspec.structs import replace

from aulmo.document import edits
from aulmo.document.assets import AssetStore
from aulmo.document.file_names import file_name
from aulmo.document.records import Document, Material
from aulmo.errors import AulmoError, BadFile, BadValue
from aulmo.surface.colour import from_hex, to_hex
from aulmo.surface.materialx_in import MOST_MEMBERS, read_materials
from aulmo.surface.materialx_out import make_folder, put, written, zipped

THUMBNAIL, ABOUT, TIES = "thumbnail.png", "about.json", "ties.json"
MOST_SWATCHES = 5000
NEAR = 0.28  # how far apart colours may look that count as found


class Swatch(NamedTuple):
    """A file of the library: its name, kind, tags, main colour (ACEScg), the PNG of its thumbnail, and a note."""

    path: Path
    name: str
    kind: str
    tags: tuple[str, ...]
    colour: tuple[float, float, float]
    thumbnail: bytes
    note: str = ""


def main_colour(material: Material) -> tuple[float, float, float]:
    """The colour that a material is found by."""
    surface = material.surface
    if surface.emission_luminance > 0:
        return surface.emission_color
    if surface.transmission_weight > 0.5:
        return surface.transmission_color
    return surface.base_color


def save_swatch(
    document: Document, assets: AssetStore, material_id: str, folder: Path, tags: Iterable[str] = (), thumbnail: bytes = b"", note: str = "",
    name: str = "",
) -> Path:  # fmt: skip
    """Write a material to the library, under its name or another, in the place of one of that name; decals and their artwork stay behind. Raises
    BadValue or CannotWrite."""
    material = document.materials[material_id]
    tags = tuple(dict.fromkeys(t.strip().lower() for t in tags if t.strip())) or material.tags
    material = replace(material, tags=tags, name=name or material.name, follows=())
    xml, pictures, _ = written(material, assets)
    told = {"name": material.name, "kind": material.kind, "tags": list(tags), "colour": list(main_colour(material)),
        **({"note": note} if note else {})}
    members = {**pictures, ABOUT: json.dumps(told).encode(), **({THUMBNAIL: thumbnail} if thumbnail else {})}
    make_folder(folder)
    theirs = next((s.path for s in swatches_in(folder)[0] if s.name == material.name), None)
    path = theirs or folder / f"{file_name(material.name, None, 'material')}.zip"
    put(path, zipped(material.name, xml, members))
    return path


def swatches_in(folder: Path) -> tuple[list[Swatch], dict[Path, str]]:
    """The library in a folder by name, and a sentence for each file that is none of its. Raises BadFile when the folder cannot be read."""
    found: list[Swatch] = []
    trouble: dict[Path, str] = {}
    try:
        paths = sorted(p for p in folder.iterdir() if p.suffix.lower() == ".zip")[:MOST_SWATCHES]
    except OSError as error:
        raise BadFile(f"The folder of swatches {folder} could not be read: {error.strerror or error}.") from None
    for path in paths:
        try:
            found.append(about(path))
        except Exception:  # noqa: BLE001 (whatever a damaged file makes of itself: it must not hide the others)
            trouble[path] = f"{path.name} is no swatch, or it is damaged."
    return sorted(found, key=lambda s: s.name.lower()), trouble


def about(path: Path) -> Swatch:
    """What a file of the library says of itself. Raises whatever a damaged file makes of itself."""
    with zipfile.ZipFile(path) as archive:
        names = set(archive.namelist())
        if len(names) > MOST_MEMBERS:
            raise ValueError
        if not any(n.lower().endswith(".mtlx") for n in names):
            raise ValueError
        told = json.loads(archive.read(ABOUT)) if ABOUT in names and archive.getinfo(ABOUT).file_size < 1 << 20 else {}
        thumbnail = archive.read(THUMBNAIL) if THUMBNAIL in names and archive.getinfo(THUMBNAIL).file_size < 4 << 20 else b""
    r, g, b = (float(v) for v in told.get("colour", (0.5, 0.5, 0.5)))
    if not all(math.isfinite(v) for v in (r, g, b)):
        raise ValueError
    tags = tuple(str(t)[:200] for t in told.get("tags", [])[:200])
    name, kind, note = str(told.get("name") or path.stem)[:500], str(told.get("kind", ""))[:200], str(told.get("note", ""))[:2000]
    return Swatch(path, name, kind, tags, (r, g, b), thumbnail, note)


def searched(swatches: Iterable[Swatch], text: str) -> list[Swatch]:
    """Those whose name, tags or kind hold every word that is typed; a colour as #a32a1a, or in a word, also finds what is near it."""
    words = [(word, _colour_of(word)) for word in text.lower().split()]

    def fits(swatch: Swatch) -> bool:
        told = f"{swatch.name} {swatch.kind} {' '.join(swatch.tags)}".lower()
        return all(word in told or (colour is not None and _apart(swatch.colour, colour) < NEAR) for word, colour in words)

    return [swatch for swatch in swatches if fits(swatch)]


def _colour_of(word: str) -> tuple[float, float, float] | None:
    """The colour that a word or a code means, None for any other word."""
    if not word.startswith("#"):
        return _NAMED.get(word)
    try:
        return from_hex(word)
    except BadValue:
        return None


def _apart(one: Iterable[float], other: Iterable[float]) -> float:
    """How far colours are apart as they look, about 0 to 1.7."""
    a, b = (tuple(int(to_hex(c)[k : k + 2], 16) / 255 for k in (1, 3, 5)) for c in (tuple(one), tuple(other)))
    return sum((x - y) ** 2 for x, y in zip(a, b)) ** 0.5


_NAMED = {
    name: from_hex(code)
    for name, code in {
        "red": "#a32a1a", "green": "#2a6147", "blue": "#376c9c", "yellow": "#d9a24a", "orange": "#d2621f", "black": "#141516", "white": "#e6e5e1",
        "grey": "#8b8b8a", "brown": "#6f4b31", "violet": "#6a4a8c", "pink": "#d98aa0",
    }.items()
}  # fmt: skip


def take(document: Document, assets: AssetStore, path: Path, name: str = "") -> tuple[Document, str]:
    """A document with a swatch of the library as one of its materials, and its id; the one that is there from before where it is the same. Of a file
    that holds several it is the one of the `name`. Raises BadFile."""
    material = _read(path, assets, name)
    same = next((m for m in document.materials.values() if alike(m, material)), None)
    if same is not None:
        return document, same.id
    name = edits.free_name(material.name, (m.name for m in document.materials.values()))
    material = replace(material, name=name)
    return edits.put_material(document, material), material.id


def _read(path: Path, assets: AssetStore, name: str = "") -> Material:
    held = read_materials(path, assets).materials
    if not held:
        raise BadFile(f"{path.name} holds no material.")
    return replace(next((m for m in held if m.name == name), held[0]), swatch=path.name)


def put_in_place(document: Document, assets: AssetStore, material_id: str, path: Path) -> Document:
    """A document where a swatch of the library takes the place of a material, wherever it is worn. Raises BadFile."""
    material = replace(_read(path, assets), id=material_id)
    name = edits.free_name(material.name, (m.name for m in document.materials.values() if m.id != material_id))
    return edits.put_material(document, replace(material, name=name))


def outdated(document: Document, assets: AssetStore, folder: Path) -> list[str]:
    """Ids of the materials that were taken from the library and are there otherwise now. Files that are gone or damaged do not count."""
    found = []
    for material in document.materials.values():
        path = folder / material.swatch
        if material.swatch and path.is_file():
            try:
                if not alike(_read(path, assets), material):
                    found.append(material.id)
            except AulmoError:
                continue
    return found


def updated(document: Document, assets: AssetStore, material_ids: Iterable[str], folder: Path) -> Document:
    """A document whose materials are again as the library has them. Raises BadFile."""
    for material_id in material_ids:
        kept = document.materials[material_id].name
        document = put_in_place(document, assets, material_id, folder / document.materials[material_id].swatch)
        document = edits.put_material(document, replace(document.materials[material_id], name=kept))
    return document


# among the materials of a project


def _look(material: Material) -> Material:
    nodes = tuple(sorted((replace(n, place=None) for n in material.nodes), key=lambda n: n.id))
    groups = tuple(replace(g, place=None) for g in material.groups)
    layers = tuple(replace(one, place=None) for one in material.layers)
    return replace(material, id="", name="", kind="", swatch="", tags=(), nodes=nodes, groups=groups, layers=layers, pictures={})


def alike(one: Material, other: Material) -> bool:
    """Whether two materials look the same, whatever they are called."""
    return _look(one) == _look(other)


def merged(document: Document) -> tuple[Document, int]:
    """A document where materials that look the same are one, the first of them; and how many went."""
    from aulmo.document.references import renamed

    kept: dict[str, Material] = {}
    instead: dict[str, str] = {}
    for material in document.materials.values():
        same = next((k for k in kept.values() if alike(k, material)), None)
        if same is None:
            kept[material.id] = material
        else:
            instead[material.id] = same.id
    if not instead:
        return document, 0
    return replace(renamed(document, "materials", instead), materials=kept), len(instead)


def surface_only(document: Document, source: str, target: str) -> Document:
    """A document where one material has the numbers of another's surface, but keeps its own pictures and nodes."""
    return edits.put_material(document, replace(document.materials[target], surface=document.materials[source].surface))


# looks of CAD files


def ties_of(folder: Path) -> dict[str, str]:
    """File of the swatch by the name (in small letters) or the colour (#rrggbb) of an appearance."""
    try:
        found = json.loads((folder / TIES).read_text())
    except (OSError, ValueError):
        return {}
    return {str(k): str(v) for k, v in found.items()} if isinstance(found, dict) else {}


def tie(folder: Path, appearance: str, swatch: str) -> None:
    """Tie an appearance's name or colour to the file of a swatch; "" unties it. Raises CannotWrite."""
    ties = ties_of(folder)
    key = appearance.strip().lower()
    if swatch:
        ties[key] = swatch
    else:
        ties.pop(key, None)
    put(folder / TIES, json.dumps(ties, indent=1, sort_keys=True).encode())


def dressed_by_ties(document: Document, assets: AssetStore, material_ids: Iterable[str], folder: Path) -> tuple[Document, list[str]]:
    """A document whose materials (those that an import made) wear the swatches that their name or colour is tied to; and sentences on what was
    done."""
    ties = ties_of(folder)
    notes = []
    for material_id in material_ids:
        material = document.materials.get(material_id)
        if material is None or not ties:
            continue
        wanted = ties.get(material.name.strip().lower()) or ties.get(to_hex(material.surface.base_color).lower())
        if wanted is None or not (folder / wanted).is_file():
            continue
        try:
            document = put_in_place(document, assets, material_id, folder / wanted)
            notes.append(f"{material.name} wears {document.materials[material_id].name} of your swatches.")
        except AulmoError as error:
            notes.append(str(error))
    return document, notes
