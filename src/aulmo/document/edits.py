"""Edits: functions from a document to a document that share what they do not change."""

from typing import Any, Iterable

from msgspec.structs import replace

from aulmo.document.addresses import get, is_there
from aulmo.document.branches import (
    below as below,
    free_id as free_id,
    free_name as free_name,
    is_shown as is_shown,
    leaves as leaves,
    new_id as new_id,
    shown_parts as shown_parts,
    topmost as topmost,
    tree_order as tree_order,
)
from aulmo.document.decals import duplicated, without_parts
from aulmo.document.made import paths
from aulmo.document.picking import with_overrides
from aulmo.document.records import Camera, Document, FaceSet, GuidePath, Lamp, Material, Part, Placement, Selection, Shot
from aulmo.document.references import references
from aulmo.errors import BadValue


def change_part(document: Document, part_id: str, **changes: Any) -> Document:
    """Replace fields of one part."""
    return replace(document, parts={**document.parts, part_id: replace(document.parts[part_id], **changes)})


def change_parts(document: Document, part_ids: Iterable[str], **changes: Any) -> Document:
    """Replace the same fields of several parts."""
    return replace(document, parts={**document.parts, **{i: replace(document.parts[i], **changes) for i in part_ids}})


def place_parts(document: Document, placements: dict[str, Placement]) -> Document:
    """Give parts new placements; locked ones stay."""
    moved = {i: replace(document.parts[i], placement=p) for i, p in placements.items() if not document.parts[i].locked}
    return replace(document, parts={**document.parts, **moved})


def part_path(document: Document, part_id: str) -> str:
    """Names from the root down, joined by slashes."""
    names: list[str] = []
    current: str | None = part_id
    while current is not None:
        part = document.parts[current]
        names.append(part.name)
        current = part.parent
    return "/".join(reversed(names))


def add_parts(document: Document, parts: Iterable[Part], roots: Iterable[str]) -> Document:
    """Add finished parts and their roots."""
    return replace(document, parts={**document.parts, **{p.id: p for p in parts}}, roots=document.roots + tuple(roots))


def delete_parts(document: Document, part_ids: Iterable[str]) -> Document:
    """Take parts and all below them out of the document; locked ones stay."""
    gone: set[str] = set()
    for part_id in part_ids:
        if part_id in document.parts and not document.parts[part_id].locked:
            gone.update(below(document, part_id))
    document = without_parts(document, gone)
    kept = {}
    for part_id, part in document.parts.items():
        if part_id in gone:
            continue
        if gone & set(part.children):
            part = replace(part, children=tuple(c for c in part.children if c not in gone))
        kept[part_id] = part
    document = replace(document, parts=kept, roots=tuple(r for r in document.roots if r not in gone))
    return forget(document, gone)


class Names:
    """Names in use; finds free ones without looking at all of them again."""

    def __init__(self, taken: Iterable[str] = ()) -> None:
        self._taken, self._next = set(taken), dict[str, int]()

    def free(self, wanted: str) -> str:
        """`wanted`, or the first of "wanted 2", "wanted 3" that is free; in use from now on."""
        name, number = wanted, self._next.get(wanted, 1)
        while name in self._taken:
            number += 1
            name = f"{wanted} {number}"
        self._next[wanted] = number
        self._taken.add(name)
        return name


def forget(document: Document, gone: set[str]) -> Document:
    """The document without what selections, brought-in files, copies rules and keys say of parts that went; selections and files that are left with
    none go too."""
    scattered = {
        i: replace(p, copies=replace(p.copies, on=tuple(o for o in p.copies.on if o not in gone)))
        for i, p in document.parts.items()
        if p.copies is not None and gone & set(p.copies.on)
    }
    if scattered:
        document = replace(document, parts={**document.parts, **scattered})
    selections = {i: replace(s, parts=tuple(p for p in s.parts if p not in gone)) for i, s in document.selections.items()}
    sources = {i: replace(s, roots=tuple(p for p in s.roots if p not in gone)) for i, s in document.sources.items()}
    kept = {i: s for i, s in selections.items() if s.parts}
    left = {i: replace(p, roots=tuple(r for r in p.roots if r not in gone)) for i, p in document.props.items()}
    there = {i: s for i, s in sources.items() if s.roots}
    return without_keys(replace(document, selections=kept, sources=there, props={i: p for i, p in left.items() if p.roots}))


def without_keys(document: Document) -> Document:
    """The document without keys, motions and overrides of what is no longer there."""
    document = _without_motions(document)
    keys = {address: held for address, held in document.keys.items() if is_there(document, address)}
    made = with_overrides(document, lambda own: {a: v for a, v in own.items() if is_there(document, a)})
    return made if len(keys) == len(document.keys) else replace(made, keys=keys)


def _without_motions(document: Document) -> Document:
    """The document whose motions name only what is there; one that moved nothing else goes, as do cuts to shots and cameras of flights that went."""
    boxes = {f"softboxes/{b.id}" for b in document.environment.softboxes}

    def there(address: str) -> bool:
        return address in boxes or address == "environment" or is_there(document, address)

    motions = {}
    for i, motion in document.motions.items():
        worn = tuple(a for a in motion.wears if there(a))
        if worn:
            cameras = tuple(c for c in motion.cameras if c in document.cameras)
            same = worn == motion.wears and cameras == motion.cameras
            motions[i] = motion if same else replace(motion, wears=worn, cameras=cameras)
    shots = {s.id for s in document.shots}
    reel = tuple(c for c in document.film.reel if c.shot in shots)
    if len(reel) != len(document.film.reel):
        document = replace(document, film=replace(document.film, reel=reel))
    for i, camera in document.cameras.items():
        gone = {name: None for name in ("looks_at", "focus_on") if (held := getattr(camera, name)) is not None and held not in document.parts}
        if gone:
            document = replace(document, cameras={**document.cameras, i: replace(camera, **gone)})
    same = len(motions) == len(document.motions) and all(motions[i] is m for i, m in document.motions.items())
    return document if same else replace(document, motions=motions)


def group_parts(document: Document, part_ids: list[str], name: str) -> tuple[Document, str]:
    """Put siblings into a new group where the first of them stands. Returns the document and the group's id."""
    parents = {document.parts[i].parent for i in part_ids}
    if len(parents) != 1:  # none chosen, or of several houses
        raise BadValue("Only parts under the same parent can be grouped.")
    parent = parents.pop()
    group = new_id()
    chosen = set(part_ids)
    siblings = document.parts[parent].children if parent else document.roots
    inside = tuple(i for i in siblings if i in chosen)
    after = tuple(group if i == inside[0] else i for i in siblings if i == inside[0] or i not in chosen)
    parts = dict(document.parts)
    parts[group] = Part(id=group, name=name, parent=parent, children=inside)
    for i in inside:
        parts[i] = replace(parts[i], parent=group)
    if parent:
        parts[parent] = replace(parts[parent], children=after)
        return replace(document, parts=parts), group
    return replace(document, parts=parts, roots=after), group


def put_path(document: Document, path: GuidePath) -> Document:
    """Add a path or replace the one with its id. Raises BadValue for one that leads nowhere."""
    paths.check(path)
    return replace(document, paths={**document.paths, path.id: path})


def delete_path(document: Document, path_id: str) -> Document:
    """Take a path away that no copies stand along. Raises BadValue."""
    users = [p.name for p in document.parts.values() if p.copies is not None and p.copies.kind == "path" and p.copies.path == path_id]
    if users:
        raise BadValue(f"{users[0]} stands along this path; give it another one first.")
    return without_keys(replace(document, paths={i: p for i, p in document.paths.items() if i != path_id}))


def put_material(document: Document, material: Material) -> Document:
    """Add a material or replace the one with its id."""
    return replace(document, materials={**document.materials, material.id: material})


def assign_material(document: Document, part_ids: Iterable[str], material_id: str) -> Document:
    """Dress parts, and all parts with geometry below them, in a material: all their faces."""
    dressed = {}
    for part_id in leaves(document, part_ids):
        part = document.parts[part_id]
        sets = tuple(replace(s, material=material_id) for s in part.face_sets)
        dressed[part_id] = replace(part, material=material_id, face_sets=sets)
    return replace(document, parts={**document.parts, **dressed})


def every_surface(document: Document, part_ids: Iterable[str]) -> list[str]:
    """The addresses of all surfaces of parts and of what is below them (see `dress`)."""
    found = []
    for part_id in leaves(document, part_ids):
        found += [f"parts/{part_id}", *(f"parts/{part_id}/face_sets/{s.id}" for s in document.parts[part_id].face_sets)]
    return found


def surfaces_of(part: Part) -> list[str | None]:
    """The ids of materials of a part's body and of its face sets in order; None for bare ones."""
    return [part.material, *(s.material for s in part.face_sets)]


def dress(document: Document, addresses: Iterable[str], material_id: str) -> Document:
    """Put a material on surfaces by the address of the part or of its face set: `parts/<id>` is the body alone when it has face sets."""
    parts: dict[str, Part] = {}
    for address in addresses:
        part_id, _, face_set = address.removeprefix("parts/").partition("/face_sets/")
        part = parts.get(part_id, document.parts[part_id])
        if face_set:
            part = replace(part, face_sets=tuple(replace(s, material=material_id) if s.id == face_set else s for s in part.face_sets))
        else:
            part = replace(part, material=material_id)
        parts[part_id] = part
    return replace(document, parts={**document.parts, **parts})


def wearers(document: Document, material_id: str | None) -> list[str]:
    """The addresses of all surfaces that wear a material: of parts, for their bodies, and of face sets."""
    found = []
    for part in document.parts.values():
        if part.mesh is None:
            continue
        if part.material == material_id:
            found.append(f"parts/{part.id}")
        found += [f"parts/{part.id}/face_sets/{s.id}" for s in part.face_sets if s.material == material_id]
    return found


def users_of(document: Document, material_id: str) -> list[str]:
    """Ids of the parts that wear a material on any of their faces."""
    return [p.id for p in document.parts.values() if p.material == material_id or any(s.material == material_id for s in p.face_sets)]


def put_face_set(document: Document, part_id: str, face_set: FaceSet) -> Document:
    """Add a face set to a part or replace the one with its id. Raises BadValue for one without faces."""
    if not face_set.faces:
        raise BadValue("A face set needs at least one face.")
    part = document.parts[part_id]
    kept = tuple(face_set if s.id == face_set.id else s for s in part.face_sets)
    return change_part(document, part_id, face_sets=kept if any(s.id == face_set.id for s in kept) else (*kept, face_set))


def drop_face_set(document: Document, part_id: str, set_id: str) -> Document:
    """Take a face set away: its faces wear the body's material again."""
    return without_keys(change_part(document, part_id, face_sets=tuple(s for s in document.parts[part_id].face_sets if s.id != set_id)))


def put_selection(document: Document, selection: Selection) -> Document:
    """Keep a selection under its name or replace the one with its id. Raises BadValue for one of nothing."""
    if not selection.parts:
        raise BadValue("Choose parts first: a saved selection holds at least one.")
    return replace(document, selections={**document.selections, selection.id: selection})


def drop_selection(document: Document, selection_id: str) -> Document:
    """Forget a saved selection; its parts stay."""
    return replace(document, selections={i: s for i, s in document.selections.items() if i != selection_id})


def change_surface(document: Document, material_id: str, **changes: Any) -> Document:
    """Replace parameters of one material's surface."""
    material = document.materials[material_id]
    return put_material(document, replace(material, surface=replace(material.surface, **changes)))


def with_node(material: Material, node_id: str, **changes: Any) -> Material:
    """A material with another axis, projection, picture or other inputs of one of its nodes. Raises BadValue when there is no such node."""
    if node_id not in {node.id for node in material.nodes}:
        raise BadValue(f"{material.name} has no node named {node_id}.")
    own = {key: value for key, value in changes.items() if key in ("axis", "projection", "image", "as_colour")}
    inputs = {key: value for key, value in changes.items() if key not in own}
    return replace(material, nodes=tuple(replace(n, inputs=n.inputs | inputs, **own) if n.id == node_id else n for n in material.nodes))


def change_node(document: Document, material_id: str, node_id: str, **changes: Any) -> Document:
    """The same within a document."""
    return put_material(document, with_node(document.materials[material_id], node_id, **changes))


def make_unique(document: Document, part_ids: Iterable[str]) -> tuple[Document, str]:
    """Give parts a copy of the material they wear; face sets keep theirs. Returns the document and the copy's id."""
    return make_unique_on(document, [f"parts/{i}" for i in leaves(document, part_ids)])


def make_unique_on(document: Document, addresses: list[str]) -> tuple[Document, str]:
    """Give surfaces by address (see `dress`) a copy of the material that the first of them wears. Returns the document and the copy's id."""
    worn = get(document, f"{addresses[0]}/material") if addresses else None
    if worn is None:
        raise BadValue("The part has no material to copy.")
    material = document.materials[worn]
    name = free_name(material.name, (m.name for m in document.materials.values()))
    copy = replace(material, id=new_id(), name=name)
    return dress(put_material(document, copy), addresses, copy.id), copy.id


def drop_unused_materials(document: Document) -> Document:
    """Take out materials that nothing wears."""
    worn = references(document, "materials")
    if all(i in worn for i in document.materials):
        return document
    return without_keys(replace(document, materials={i: m for i, m in document.materials.items() if i in worn}))


def put_camera(document: Document, camera: Camera) -> Document:
    """Add a camera or replace the one with its id."""
    return replace(document, cameras={**document.cameras, camera.id: camera})


def delete_camera(document: Document, camera_id: str) -> Document:
    """Delete a camera that no shot needs."""
    users = [s.name for s in document.shots if s.camera == camera_id]
    if users:
        raise BadValue(f"The shot {users[0]} uses this camera; give it another one first.")
    return without_keys(replace(document, cameras={i: c for i, c in document.cameras.items() if i != camera_id}))


def put_lamp(document: Document, lamp: Lamp) -> Document:
    """Add a lamp or replace the one with its id."""
    return replace(document, lamps={**document.lamps, lamp.id: lamp})


def delete_lamp(document: Document, lamp_id: str) -> Document:
    """Take a lamp away."""
    return without_keys(replace(document, lamps={i: lamp for i, lamp in document.lamps.items() if i != lamp_id}))


def put_shot(document: Document, shot: Shot) -> Document:
    """Add a shot at the end or replace the one with its id."""
    if any(s.id == shot.id for s in document.shots):
        return replace(document, shots=tuple(shot if s.id == shot.id else s for s in document.shots))
    return replace(document, shots=document.shots + (shot,))


def find_shot(document: Document, name: str | Shot | None) -> Shot:
    """The shot of a name, or the first one; one that is a shot already as it is. Raises BadValue with the names there are."""
    if isinstance(name, Shot):
        return name
    if not document.shots:
        raise BadValue("The project has no shots.")
    if name is None:
        return document.shots[0]
    for shot in document.shots:
        if shot.name == name:
            return shot
    raise BadValue(f"There is no shot named {name}; there are {', '.join(s.name for s in document.shots)}.")


def _with_their_lamps(document: Document, fresh: dict[str, str]) -> Document:
    """The document with lamps of their own for parts that were duplicated, `fresh` by the part they were made from, where one stays with that."""
    for lamp in [x for x in document.lamps.values() if x.stays_with == "part" and x.part in fresh]:
        name = free_name(lamp.name, (other.name for other in document.lamps.values()))
        document = put_lamp(document, replace(lamp, id=new_id(), name=name, part=fresh[lamp.part or ""]))
    return document


def duplicate_parts(document: Document, chosen: Iterable[str]) -> tuple[Document, list[str]]:
    """The document with parts, and all that is below them, once more beside them under free names; and the copies' ids."""
    copies = []
    for part_id in chosen:
        fresh = {i: new_id() for i in below(document, part_id)}
        parts = [
            replace(
                document.parts[i], id=fresh[i], children=tuple(fresh[c] for c in document.parts[i].children),
                parent=fresh.get(document.parts[i].parent or "", document.parts[i].parent),
            )
            for i in fresh
        ]  # fmt: skip
        top = replace(parts[0], name=free_name(parts[0].name, (p.name for p in document.parts.values())))
        document = add_parts(document, [top, *parts[1:]], [top.id] if top.parent is None else [])
        if top.parent:
            document = change_part(document, top.parent, children=document.parts[top.parent].children + (top.id,))
        document = _with_their_lamps(duplicated(document, fresh, new_id), fresh)
        copies.append(top.id)
    return document, copies
