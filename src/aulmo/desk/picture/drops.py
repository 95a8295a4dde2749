"""What dropping a swatch does: which surfaces it dresses."""

from pathlib import Path

from msgspec.structs import replace

from aulmo.desk.shell.session import Session
from aulmo.document import edits
from aulmo.document.properties import get
from aulmo.document.quantity import counted
from aulmo.document.records import Document, Material

SWATCH_MIME = "application/x-aulmo-swatch"


def surface_under(document: Document, part: str, face: int | None) -> str:
    """The address of the surface that a face of a part shows: of its face set, else of the part (see `edits.dress`)."""
    held = [s for s in document.parts[part].face_sets if face is not None and face in s.faces]
    return f"parts/{part}/face_sets/{held[-1].id}" if held else f"parts/{part}"


def swatch_targets(session: Session, part: str, alone: bool, face: int | None = None) -> list[str]:
    """The addresses of the surfaces that a swatch dropped on `part` dresses: the face set it falls on; all of the part when `alone`; the
    selection when it holds the part; else all that share its material."""
    document = session.document
    if alone:
        return edits.every_surface(document, [part])
    under = surface_under(document, part, face)
    if "/face_sets/" in under:
        return [under]
    selected = edits.leaves(document, session.selection)
    if part in selected and len(selected) > 1:
        return edits.every_surface(document, selected)
    worn = document.parts[part].material
    return edits.wearers(document, worn) if worn else [under]


def told(document: Document, addresses: list[str]) -> str:
    """Surfaces in words: one by its name, parts by their number."""
    parts = list(dict.fromkeys(address.split("/")[1] for address in addresses))
    if len(parts) > 1:
        return counted(len(parts), "part")
    part = document.parts[parts[0]]
    return f"{get(document, addresses[0]).name} of {part.name}" if len(addresses) == 1 and "/face_sets/" in addresses[0] else part.name


def taken(session: Session, payload: str) -> tuple[Document, Material] | None:
    """The document with a swatch of the shelf ("swatch" newline name), a material of the project ("material" newline id newline name) or a swatch of
    a file ("library" newline file newline name) among its materials, and that. A sentence and None where it cannot be read."""
    from aulmo.surface import library, swatches

    kind, name = payload.split("\n")[0], payload.split("\n")[1]
    document = session.document
    if kind == "material":
        return document, document.materials[name]
    if kind == "library":
        found = session.attempt(lambda: library.take(document, session.assets, Path(name), payload.split("\n")[2]))
        return None if found is None else (found[0], found[0].materials[found[1]])
    fresh = swatches.material(name)
    same = [m for m in document.materials.values() if m.name == name and m.surface == fresh.surface]
    material = same[0] if same else replace(fresh, name=edits.free_name(name, (m.name for m in document.materials.values())))
    return edits.put_material(document, material), material


def dressed(session: Session, payload: str, addresses: list[str]) -> tuple[Document, str] | None:
    """The document with surfaces dressed in a swatch (see `taken`), and what that is called; None where it cannot be read."""
    found = taken(session, payload)
    if found is None:
        return None
    document, material = found
    words = f"{material.name} on {told(document, addresses)}"
    return edits.drop_unused_materials(edits.dress(document, addresses, material.id)), words


def make_decal_of(session: Session, payload: str, decal_id: str) -> None:
    """Let a decal be made of a swatch."""
    found = taken(session, payload)
    if found is not None:
        document, material = found
        decal = replace(document.decals[decal_id], material=material.id)
        made = edits.drop_unused_materials(replace(document, decals={**document.decals, decal_id: decal}))
        session.apply(f"{decal.name} of {material.name}", made)


def drop_swatch(session: Session, payload: str, addresses: list[str]) -> None:
    """Dress surfaces in a swatch: see `dressed`."""
    made = dressed(session, payload, addresses)
    if made is not None:
        session.apply(made[1], made[0])
