"""What dropping a swatch does: which parts it dresses."""

from msgspec.structs import replace

from aulmo.desk.shell.session import Session
from aulmo.document import edits
from aulmo.document.quantity import counted

SWATCH_MIME = "application/x-aulmo-swatch"


def swatch_targets(session: Session, part: str, alone: bool) -> list[str]:
    """The parts a swatch dropped on `part` dresses: the selection when it is part of it, all that share its material, or it alone."""
    document = session.document
    if alone:
        return [part]
    selected = edits.leaves(document, session.selection)
    if part in selected and len(selected) > 1:
        return selected
    worn = document.parts[part].material
    return [i for i, p in document.parts.items() if p.mesh and p.material == worn] if worn else [part]


def drop_swatch(session: Session, payload: str, part_ids: list[str]) -> None:
    """Dress parts in a swatch of the shelf ("swatch" newline name) or a material of the project ("material" newline id newline name)."""
    from aulmo.surface import swatches

    kind, name = payload.split("\n")[0], payload.split("\n")[1]
    document = session.document
    if kind == "material":
        material = document.materials[name]
    else:
        fresh = swatches.material(name)
        same = [m for m in document.materials.values() if m.name == name and m.surface == fresh.surface]
        material = same[0] if same else replace(fresh, name=edits.free_name(name, (m.name for m in document.materials.values())))
        document = edits.put_material(document, material)
    document = edits.assign_material(document, part_ids, material.id)
    names = document.parts[part_ids[0]].name if len(part_ids) == 1 else counted(len(part_ids), "part")
    session.apply(f"{material.name} on {names}", edits.drop_unused_materials(document))
