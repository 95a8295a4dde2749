"""The pictures that a project uses: what they are, who uses them, which are missing, and finding those again."""

from pathlib import Path
from typing import NamedTuple

from msgspec.structs import replace

from aulmo.document.assets import AssetStore
from aulmo.document.records import Document
from aulmo.errors import AulmoError, BadFile
from aulmo.surface.picture import read_picture
from aulmo.surface.picture_set import load_picture

MOST_LOOKED_AT = 20_000  # files of a folder, and of those in it


class Used(NamedTuple):
    """A picture of a project: the file it came from, its asset or None when it is missing, who uses it in words, and where a click leads."""

    file: str
    asset: str | None
    by: tuple[str, ...]
    address: str


def used_pictures(document: Document) -> list[Used]:
    """All pictures of materials and decals, in the order in which they come; the same file and asset once."""
    found: dict[tuple[str, str | None], Used] = {}

    def note(file: str, asset: str | None, by: str, address: str) -> None:
        known = found.get((file, asset))
        found[file, asset] = Used(
            file, asset, (*known.by, by) if known and by not in known.by else known.by if known else (by,), known.address if known else address
        )

    for material in document.materials.values():
        for node in material.nodes:
            if node.kind == "image" and (node.image or node.file):
                note(node.file or "picture", node.image, material.name, f"materials/{material.id}")
    for decal in document.decals.values():
        if decal.picture or (decal.artwork == "picture" and decal.file):
            note(decal.file or "picture", decal.picture, decal.name, f"decals/{decal.id}")
    return list(found.values())


def size_of(assets: AssetStore, used: Used) -> str:
    """A picture's size in words: pixels and megabytes, or what is wrong with it."""
    if used.asset is None:
        return "missing"
    try:
        blob = assets.get(used.asset)
        pixels = read_picture(blob, used.file, 1 << 12, 64)
    except AulmoError:
        return "cannot be read"
    if used.asset.endswith(".svg"):
        return f"drawing, {pixels.width_mm:.4g} mm wide"
    return f"{pixels.width} × {pixels.height}, {len(blob) / 1e6:.1f} MB"


def found_again(document: Document, assets: AssetStore, folder: Path) -> tuple[Document, int, int]:
    """The document with missing pictures taken from a folder, or one in it, by their names; how many were found, and how many still are missing.
    Raises BadFile for what is no folder."""
    if not folder.is_dir():
        raise BadFile(f"{folder.name} is no folder.")
    wanted = {u.file.lower() for u in used_pictures(document) if u.asset is None}
    there: dict[str, Path] = {}
    for number, path in enumerate(folder.rglob("*")):
        if number > MOST_LOOKED_AT:
            break
        if path.name.lower() in wanted and path.is_file():
            there.setdefault(path.name.lower(), path)
    made: dict[str, str] = {}
    for name, path in there.items():
        try:
            made[name] = load_picture(assets, path)
        except AulmoError:
            continue
    materials = dict(document.materials)
    for material in document.materials.values():
        if any(n.kind == "image" and n.image is None and n.file.lower() in made for n in material.nodes):
            nodes = tuple(
                replace(n, image=made[n.file.lower()]) if n.kind == "image" and n.image is None and n.file.lower() in made else n
                for n in material.nodes
            )
            materials[material.id] = replace(material, nodes=nodes)
    decals = {
        i: replace(d, picture=made[d.file.lower()]) if d.artwork == "picture" and d.picture is None and d.file.lower() in made else d
        for i, d in document.decals.items()
    }
    return replace(document, materials=materials, decals=decals), len(made), len(wanted - set(made))


def replaced(document: Document, old: str, new: str, file: str) -> Document:
    """The document with another picture wherever one was used."""
    materials = {
        i: replace(m, nodes=tuple(replace(n, image=new, file=file) if n.image == old else n for n in m.nodes))
        if any(n.image == old for n in m.nodes)
        else m
        for i, m in document.materials.items()
    }
    decals = {i: replace(d, picture=new, file=file) if d.picture == old else d for i, d in document.decals.items()}
    return replace(document, materials=materials, decals=decals)
