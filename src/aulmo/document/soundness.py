"""Whether a document that was read holds together: links, the tree of parts, and every number within its range."""

import functools
import math
from typing import Any, NamedTuple

import msgspec

from aulmo.document import records as r
from aulmo.document.addresses import about, accepted
from aulmo.document.made import carton, set_pieces
from aulmo.document.meshes import MADE
from aulmo.document.node_table import KINDS
from aulmo.document.part_records import MOST_PARTS
from aulmo.document.picking import every_override
from aulmo.document.property import Property
from aulmo.document.property_table import OF_NODES, TABLE
from aulmo.document.references import records_within, references
from aulmo.errors import BadFile, BadValue

DEEPEST = 200  # levels of an assembly
MOST_NODES = 1000  # of one material
MOST_INPUT = 1e9  # of a node, where it is no number with a range of its own

_NUMBERS = ("number", "whole", "vector", "colour")


class _Plan(NamedTuple):
    """What is looked at in a record: the numbers of the table, and the fields that hold records in turn."""

    numbers: list[tuple[str, Property]]
    within: tuple[str, ...]


@functools.cache
def _plan(record: type) -> _Plan:
    rows = TABLE.get(record, {})
    return _Plan([(name, p) for name, p in rows.items() if p.kind in _NUMBERS], records_within(record))


def _sound(value: Any, p: Property) -> bool:
    if isinstance(value, str):  # led by a node, as a mask may be; whether that is there is seen when it is compiled
        return True
    if isinstance(value, tuple):
        least = -p.most if p.kind == "colour" else p.least
        a, b, c = value
        whole = least <= a <= p.most and least <= b <= p.most and least <= c <= p.most
        return whole and not (p.nonzero and min(abs(a), abs(b), abs(c)) < 1e-6)
    return p.least <= value <= p.most


def _check(record: msgspec.Struct, owner: str, name: str, numbers: list[tuple[str, Property]]) -> None:
    for field, p in numbers:
        value = getattr(record, field)
        if value is None:
            continue
        if not _sound(value, p):  # what is not a number fails every comparison
            label = p.label if p.label[1:2].isupper() else p.label[0].lower() + p.label[1:]
            what = f"{label} of {owner}"
            try:
                accepted(p, value, what)
            except BadValue as error:
                raise BadFile(f"{name} is damaged: the {error}") from None
            raise BadFile(f"{name} is damaged: the {what} makes no sense.")


_OWNERS = {
    r.Document: "the project", r.Environment: "the dome", r.Sky: "the sky", r.Backdrop: "the backdrop", r.Floor: "the floor",
    r.RenderSettings: "the render", r.Film: "the film",
}  # fmt: skip


def _walk(value: Any, owner: str, name: str) -> None:
    """Look over whatever records there are, found by the annotations of their fields, so that none can be forgotten; numbers in lists keep to the
    ranges of their own annotations, which are looked at when they are read."""
    if isinstance(value, msgspec.Struct):
        plan = _plan(type(value))
        owner = _OWNERS.get(type(value)) or getattr(value, "name", "") or owner
        if plan.numbers:
            _check(value, owner, name, plan.numbers)
        for field in plan.within:
            held = getattr(value, field)
            if held is not None and held is not _default(type(value), field):
                _walk(held, owner, name)
    elif isinstance(value, dict):
        for member in value.values():
            _walk(member, owner, name)
    elif isinstance(value, tuple):
        for member in value:
            _walk(member, owner, name)


@functools.cache
def _default(record: type, field: str) -> Any:
    return next(f.default for f in msgspec.structs.fields(record) if f.name == field)


def check_numbers(document: r.Document, name: str) -> None:
    """Raise BadFile with one sentence when a number lies outside what its property can have."""
    _walk(document, "the project", name)
    for material in document.materials.values():
        if len(material.nodes) > MOST_NODES:
            raise BadFile(f"{name} is damaged: {material.name} has more nodes than a material can have.")
        for node in material.nodes:
            if node.kind not in KINDS:
                raise BadFile(f"{name} is damaged: {material.name} has a node of a kind that Aulmo does not know: {node.kind}.")
            for key, value in node.inputs.items():
                known = OF_NODES[node.kind].get(key)
                numbers = value if isinstance(value, tuple) else (value,) if not isinstance(value, str) else ()
                if not all(abs(v) <= MOST_INPUT and (known is None or known.kind != "number" or _sound(v, known)) for v in numbers):
                    raise BadFile(f"{name} is damaged: {key} of the node {node.id} of {material.name} makes no sense.")
    for whose, address, own in every_override(document):
        _check_value(address, own, whose, name)
    for address, keys in document.keys.items():
        for one, other in zip((None, *keys), keys):
            if one is not None and other.time <= one.time:
                raise BadFile(f"{name} is damaged: the keys of {address} are not in the order of time.")
            _check_value(address, other.value, "the film", name)


def _check_value(address: str, value: Any, where: str, name: str) -> None:
    try:
        accepted(about(address), value)
    except BadValue as error:
        raise BadFile(f"{name} is damaged: in {where}, {str(error)[0].lower()}{str(error)[1:]}") from None


def _check_face_sets(part: r.Part, document: r.Document, name: str) -> None:
    if len({s.id for s in part.face_sets}) != len(part.face_sets):
        raise BadFile(f"{name} is damaged: two face sets of {part.name} share one name within the file.")
    for one in part.face_sets:
        if one.material is not None and one.material not in document.materials:
            raise BadFile(f"{name} is damaged: {one.name} of {part.name} wears a material that is not there.")


def _check_made(part: r.Part, document: r.Document, name: str) -> None:
    if part.set_piece is not None and part.mesh != set_pieces.name_of_mesh(part.set_piece):
        raise BadFile(f"{name} is damaged: the sizes of {part.name} are not those of its mesh.")
    if part.carton is not None and (part.mesh is None or not carton.made_from(part.mesh, part.carton)):
        raise BadFile(f"{name} is damaged: {part.name} is not folded from its drawing.")
    rule = part.copies
    if rule is None:
        return
    if any(target not in document.parts for target in rule.on) or (rule.path is not None and rule.path not in document.paths):
        raise BadFile(f"{name} is damaged: the copies {part.name} follow something that is not there.")


def _check_decal(decal: r.Decal, document: r.Document, name: str) -> None:
    if not decal.parts and decal.belongs != "region":
        raise BadFile(f"{name} is damaged: the decal {decal.name} lies on nothing.")
    if any(part not in document.parts for part in (*decal.parts, *(s.part for s in decal.stood))):
        raise BadFile(f"{name} is damaged: the decal {decal.name} lies on a part that is not there.")
    if decal.material is not None and decal.material not in document.materials:
        raise BadFile(f"{name} is damaged: the decal {decal.name} is made of a material that is not there.")
    if decal.frame is not None and decal.frame not in document.decals:
        raise BadFile(f"{name} is damaged: the decal {decal.name} is framed by one that is not there.")
    if any(len(s.place) != 12 for s in decal.stood):
        raise BadFile(f"{name} is damaged: the decal {decal.name} does not know where its parts stood.")


def _check_photograph(photo: r.Photograph, where: str) -> None:
    known = [line.id for line in photo.lines]
    marks = [p for line in photo.lines for p in line.points] + [p for cut in photo.cutouts for p in cut.points]
    for stick in photo.sticks:
        marks += [stick.foot, stick.top, stick.tip, *(stick.wall or ()), *(stick.penumbra or ())]
    marks += [photo.origin] if photo.origin is not None else []
    numbers = [v for point in marks for v in point] + ([*photo.patch.box, photo.patch.value] if photo.patch is not None else [])
    if not all(math.isfinite(v) and abs(v) < 1e7 for v in numbers):
        raise BadFile(f"{where} has a mark that is no place.")
    if len(set(known)) != len(known) or any(len(line.points) < 2 for line in photo.lines):
        raise BadFile(f"{where} has a line that is none.")


def check_links(document: r.Document, name: str) -> None:
    """Raise BadFile when parts, materials, cameras and shots do not refer to each other soundly."""
    if len(document.parts) > MOST_PARTS:
        raise BadFile(f"{name} holds {len(document.parts)} parts; Aulmo takes up to {MOST_PARTS}.")
    seen: set[str] = set()
    stack: list[tuple[str, str | None, int]] = [(root, None, 1) for root in document.roots]
    while stack:
        part_id, parent, level = stack.pop()
        part = document.parts.get(part_id)
        if part is None or part_id in seen or part.parent != parent or part.id != part_id or ":" in part_id:
            raise BadFile(f"{name} is damaged: its parts tree does not hold together.")
        if level > DEEPEST:
            raise BadFile(f"{name} is nested deeper than the {DEEPEST} levels that Aulmo takes.")
        seen.add(part_id)
        if part.material is not None and part.material not in document.materials:
            raise BadFile(f"{name} is damaged: the part {part.name} wears a material that is not there.")
        if part.face_sets:
            _check_face_sets(part, document, name)
        if part.set_piece is not None or part.copies is not None or part.piece is not None or part.carton is not None:
            _check_made(part, document, name)
        stack.extend((child, part_id, level + 1) for child in part.children)
    if len(seen) != len(document.parts):
        raise BadFile(f"{name} is damaged: some parts hang nowhere in the tree.")
    for many in (
        document.materials, document.lamps, document.cameras, document.selections, document.sources, document.paths, document.decals,
        document.motions,
    ):  # fmt: skip
        for key, member in many.items():
            if member.id != key:
                raise BadFile(f"{name} is damaged: {member.name} is kept under another name than its own.")
    if document.moved != r.Moved():
        raise BadFile(f"{name} is damaged: it holds what only a moment of a film can.")
    if any(a.partition("/")[0] not in ("parts", "cameras", "lamps", "softboxes", "environment") for m in document.motions.values() for a in m.wears):
        raise BadFile(f"{name} is damaged: a motion moves something that cannot move.")
    if len({c.id for c in document.film.reel}) != len(document.film.reel):
        raise BadFile(f"{name} is damaged: two cuts share one name within the file.")
    boxes = document.environment.softboxes
    if len({b.id for b in boxes}) != len(boxes) or any(not b.id or "/" in b.id for b in boxes):
        raise BadFile(f"{name} is damaged: two softboxes share one name within the file.")
    if len({s.id for s in document.shots}) != len(document.shots):
        raise BadFile(f"{name} is damaged: two shots share one name within the file.")
    for shot in document.shots:
        if shot.camera not in document.cameras:
            raise BadFile(f"{name} is damaged: the shot {shot.name} has no camera.")
        if not (1 <= shot.width <= 65536 and 1 <= shot.height <= 65536):
            raise BadFile(f"{name} is damaged: the shot {shot.name} has an impossible frame size.")
    for shot in document.shots:
        if shot.photograph is not None:
            _check_photograph(shot.photograph, f"{name} is damaged: the photograph of {shot.name}")
    named = [(s.name, s.parts) for s in document.selections.values()] + [(s.name, s.roots) for s in document.sources.values()]
    named += [(p.name, p.roots) for p in document.props.values()]
    for owner, part_ids in named:
        if any(part_id not in document.parts for part_id in part_ids):
            raise BadFile(f"{name} is damaged: {owner} names a part that is not there.")
    gone = references(document, "materials") - set(document.materials)
    if gone - {d.material for d in document.decals.values()}:
        raise BadFile(f"{name} is damaged: the floor wears a material that is not there.")
    for decal in document.decals.values():
        _check_decal(decal, document, name)
    for part in document.parts.values():
        if part.mesh is not None and part.mesh.startswith(MADE) and part.set_piece is None and part.carton is None:
            raise BadFile(f"{name} is damaged: {part.name} has a mesh that nothing makes.")
