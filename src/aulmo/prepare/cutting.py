"""Taking parts apart and putting them together: by faces, by connected pieces, by angle, by a plane. Pieces of an exact shape know which of its
faces they are, so they stay what they are when the shape is tessellated anew."""

from typing import Iterable, Sequence

import numpy as np
from msgspec.structs import replace

from aulmo.document import edits, tree
from aulmo.document.apart import Progress
from aulmo.document.assets import AssetStore
from aulmo.document.decals import divided, rehung
from aulmo.document.meshes import Mesh, joined
from aulmo.document.placement import world_matrix
from aulmo.document.records import Document, FaceSet, Part, Piece, Slice
from aulmo.errors import BadValue
from aulmo.prepare.clipping import clipped, only_used
from aulmo.prepare.faces import MOST_CAP, Faces, by_angle, connected, faces_of_asset, pieces_between
from aulmo.prepare.reading import join_shapes

MOST_PIECES = 5000


def as_piece(mesh: Mesh, piece: Piece | None) -> Mesh | None:
    """What of a freshly tessellated shape a part is; None when nothing is left."""
    if piece is None:
        return mesh
    found: Mesh | None = mesh
    if piece.faces:
        mine = np.isin(mesh.faces, piece.faces)
        if not mine.any():
            return None
        found = only_used(mesh, mine)
    for number, cut in enumerate(piece.slices):
        if found is not None:
            found = clipped(found, cut.point, cut.normal, MOST_CAP + number)
    return found


def _may_be_cut(document: Document, part_id: str) -> Part:
    part = document.parts.get(part_id)
    if part is None:
        raise BadValue("Choose one part to split.")
    if part.mesh is None:
        raise BadValue(f"{part.name} is a group; choose one part in it.")
    if part.locked:
        raise BadValue(f"{part.name} is locked.")
    return part


def _apart(document: Document, assets: AssetStore, part_id: str, faces: Faces, label: np.ndarray, names: Sequence[str]) -> tuple[Document, list[str]]:
    """The part in pieces: `label` (m,) tells for each triangle which; the first keeps the part's id. Returns the document and all ids."""
    part = document.parts[part_id]
    mesh = faces.counted
    count = int(label.max()) + 1
    whole = part.set_piece is None and part.shape is not None
    made: list[Part] = []
    taken = {document.parts[i].name for i in (document.parts[part.parent].children if part.parent else document.roots)} - {part.name}
    for k in range(count):
        mine = label == k
        piece_mesh = only_used(mesh, mine)
        exact = tuple(int(f) for f in np.unique(piece_mesh.faces) if f < MOST_CAP)
        name = edits.free_name(names[k] if k < len(names) else f"{part.name} {k + 1}", taken)
        taken.add(name)
        piece = replace(part.piece or Piece(), faces=exact) if whole and exact else None
        made.append(replace(_piece_of(part, assets, k, piece_mesh), name=name, piece=piece, shape=part.shape if whole and exact else None))
    return _put_pieces(document, part_id, made), [p.id for p in made]


def _piece_of(part: Part, assets: AssetStore, number: int, mesh: Mesh) -> Part:
    """A part that has become one of its pieces: the first keeps its id and what hangs below it, each those of its face sets' faces that it has."""
    first, held = number == 0, set(mesh.faces.tolist())
    sets = [replace(s, id=s.id if first else edits.new_id(), faces=tuple(f for f in s.faces if f in held)) for s in part.face_sets]
    return replace(
        part, id=part.id if first else edits.new_id(), mesh=assets.add_mesh(mesh), face_sets=tuple(s for s in sets if s.faces),
        children=part.children if first else (), set_piece=None,
    )  # fmt: skip


def _put_pieces(document: Document, part_id: str, made: list[Part]) -> Document:
    """Pieces where the part stood, also in selections, links and rules that named it."""
    parts = {**document.parts, **{p.id: p for p in made}}
    ids = tuple(p.id for p in made)
    spread = lambda named: tuple(i for n in named for i in (ids if n == part_id else (n,)))  # noqa: E731
    parent = document.parts[part_id].parent
    roots = document.roots
    if parent is None:
        roots = spread(roots)
    else:
        parts[parent] = replace(parts[parent], children=spread(parts[parent].children))
    for one in list(parts.values()):
        if one.copies is not None and part_id in one.copies.on:
            parts[one.id] = replace(one, copies=replace(one.copies, on=spread(one.copies.on)))
    selections = {i: replace(s, parts=spread(s.parts)) if part_id in s.parts else s for i, s in document.selections.items()}
    lamps = {i: replace(lamp, lights=spread(lamp.lights)) if part_id in lamp.lights else lamp for i, lamp in document.lamps.items()}
    sources = {i: replace(s, roots=spread(s.roots)) if part_id in s.roots else s for i, s in document.sources.items()}
    document = replace(document, parts=parts, roots=roots, selections=selections, lamps=lamps, sources=sources)
    return edits.without_keys(divided(document, part_id, ids))


def split_by_faces(document: Document, assets: AssetStore, part_id: str, chosen: Iterable[int]) -> tuple[Document, str]:
    """Take some faces off a part as a part of its own. Returns the document and the new part's id. Raises BadValue when nothing would be left."""
    part = _may_be_cut(document, part_id)
    faces = faces_of_asset(assets, part.mesh or "")
    mine = np.isin(faces.numbers, list(chosen))
    if not mine.any():
        raise BadValue("Choose faces first: click them in the picture.")
    if mine.all():
        raise BadValue(f"All faces of {part.name} are chosen: splitting it would leave nothing.")
    document, ids = _apart(document, assets, part_id, faces, mine[faces.of].astype(np.int64), [part.name, f"{part.name} faces"])
    return document, ids[1]


def split_connected(document: Document, assets: AssetStore, part_id: str) -> tuple[Document, list[str]]:
    """Take a part apart into its connected pieces, the largest first. Raises BadValue when it hangs together."""
    part = _may_be_cut(document, part_id)
    faces = faces_of_asset(assets, part.mesh or "")
    label = connected(faces.mesh)
    return _labelled(document, assets, part, faces, label, "hangs together: there is nothing to take apart")


def split_by_angle(document: Document, assets: AssetStore, part_id: str, angle: float) -> tuple[Document, list[str]]:
    """Take a part apart where its faces, or its triangles where it has no exact ones, meet at more than `angle` degrees. Raises BadValue."""
    part = _may_be_cut(document, part_id)
    if not (np.isfinite(angle) and 0 < angle < 180):
        raise BadValue("The angle has to lie between 0° and 180°.")
    faces = faces_of_asset(assets, part.mesh or "")
    if len(assets.mesh(part.mesh or "").faces):
        smooth = faces.angle < angle
        label = pieces_between(len(faces.numbers), faces.one[smooth], faces.other[smooth])[faces.of]
    else:
        label = by_angle(faces.mesh, angle)
    return _labelled(document, assets, part, faces, label, f"has no edge sharper than {angle:g}°")


def _labelled(document: Document, assets: AssetStore, part: Part, faces: Faces, label: np.ndarray, alone: str) -> tuple[Document, list[str]]:
    sizes = np.bincount(label)
    if len(sizes) < 2:
        raise BadValue(f"{part.name} {alone}.")
    if len(sizes) > MOST_PIECES:
        raise BadValue(f"{part.name} would fall into {len(sizes)} pieces; up to {MOST_PIECES} are taken.")
    order = np.empty(len(sizes), np.int64)
    order[np.argsort(-sizes, kind="stable")] = np.arange(len(sizes))
    return _apart(document, assets, part.id, faces, order[label], [part.name])


def split_by_plane(document: Document, assets: AssetStore, part_id: str, point, normal) -> tuple[Document, str]:
    """Cut a part in two by a plane through a world point, and close both. The part becomes what lies on the side `normal` points to. Returns the
    document and the id of the other. Raises BadValue when the plane does not meet it."""
    part = _may_be_cut(document, part_id)
    point, way = np.asarray(point, float), np.asarray(normal, float)
    if point.shape != (3,) or way.shape != (3,) or not np.isfinite([*point, *way]).all() or np.linalg.norm(way) < 1e-12:
        raise BadValue("A plane needs a point and a direction, in numbers.")
    world = world_matrix(document, part_id)
    inside = np.linalg.inv(world)
    own_point = inside[:3, :3] @ point + inside[:3, 3]
    own_way = world[:3, :3].T @ way
    own_way /= np.linalg.norm(own_way)
    mesh = faces_of_asset(assets, part.mesh or "").counted
    before = part.piece or Piece()
    number = MOST_CAP + len(before.slices)
    halves = [clipped(mesh, own_point, sign * own_way, number) for sign in (1.0, -1.0)]
    if halves[0] is None or halves[1] is None or halves[0] is mesh or halves[1] is mesh:
        raise BadValue(f"The plane does not meet {part.name}: cutting it would leave nothing on one side.")
    taken = {p.name for p in document.parts.values()}
    names = (part.name, edits.free_name(f"{part.name} 2", taken))
    made = []
    for k, (half, sign) in enumerate(zip(halves, (1.0, -1.0))):
        assert half is not None
        cut = Slice(_triple(own_point), _triple(sign * own_way))
        piece = replace(before, slices=(*before.slices, cut)) if part.shape else None
        made.append(replace(_piece_of(part, assets, k, half), name=names[k], piece=piece))
    return _put_pieces(document, part_id, made), made[1].id


def _triple(values: np.ndarray) -> tuple[float, float, float]:
    x, y, z = (float(round(v, 9)) for v in values)
    return x, y, z


def join_parts(document: Document, assets: AssetStore, part_ids: Sequence[str], progress: Progress = None) -> tuple[Document, str]:
    """Make one part of several, in the place of the first: what others wear becomes face sets. Exact shapes are joined too where all have one and
    none is stretched or cut by a plane. Returns the document and the part's id. Raises BadValue or BadFile."""
    chosen = edits.leaves(document, part_ids)
    parts = [document.parts[i] for i in chosen]
    if len(parts) < 2:
        raise BadValue("Choose at least two parts to join.")
    for part in parts:
        if part.locked:
            raise BadValue(f"{part.name} is locked.")
    first = parts[0]
    into = np.linalg.inv(world_matrix(document, first.id))
    matrices = [into @ world_matrix(document, p.id) for p in parts]
    shape, piece, starts = _joined_shape(assets, parts, matrices, progress)
    meshes: list[Mesh] = []
    numbers: list[np.ndarray] = []
    for part, matrix, start in zip(parts, matrices, starts):
        mesh = faces_of_asset(assets, part.mesh or "").counted
        if start is None:  # no exact shape: whatever numbers are free
            start = max((int(n.max()) + 1 for n in numbers if len(n)), default=0)
        moved = _moved(mesh, matrix)
        numbers.append(np.where(moved.faces < MOST_CAP, moved.faces + start, moved.faces))
        meshes.append(moved._replace(faces=numbers[-1].astype(np.int32)))
    sets: list[FaceSet] = []
    for part, mesh, own in zip(parts, meshes, numbers):
        shift = int(own.min()) - int(faces_of_asset(assets, part.mesh or "").counted.faces.min())
        inner = [replace(s, id=s.id if part is first else edits.new_id(), faces=tuple(f + shift for f in s.faces)) for s in part.face_sets]
        if part.material != first.material:
            covered = {f for s in inner for f in s.faces}
            bare = tuple(int(f) for f in np.unique(mesh.faces) if int(f) not in covered)
            if bare:
                sets.append(FaceSet(id=edits.new_id(), name=part.name, faces=bare, material=part.material))
        sets += inner
    sets = _merged(sets, first.material)
    sets = [replace(s, name=edits.free_name(s.name, (o.name for o in sets[:k]))) for k, s in enumerate(sets)]
    document = edits.change_part(
        document, first.id, mesh=assets.add_mesh(joined(meshes)), face_sets=tuple(sets), shape=shape, piece=piece, set_piece=None,
        edge_radius=max(p.edge_radius for p in parts),
    )  # fmt: skip
    for part, matrix in zip(parts[1:], matrices[1:]):
        document = rehung(document, part.id, first.id, matrix)
        if part.children:
            document = tree.move_into(document, part.children, first.parent)
    named = {p.id for p in parts[1:]}
    renamed = lambda ids: tuple(dict.fromkeys(first.id if i in named else i for i in ids))  # noqa: E731
    document = replace(document, selections={i: replace(s, parts=renamed(s.parts)) for i, s in document.selections.items()})
    return edits.drop_unused_materials(edits.delete_parts(document, named)), first.id


def _merged(sets: list[FaceSet], body: str | None) -> list[FaceSet]:
    """Face sets that wear the same material as one; what wears the body's needs none."""
    found: dict[str | None, FaceSet] = {}
    for one in sets:
        if one.material == body:
            continue
        known = found.get(one.material)
        found[one.material] = one if known is None else replace(known, faces=(*known.faces, *one.faces))
    return list(found.values())


def _joined_shape(
    assets: AssetStore, parts: list[Part], matrices: list[np.ndarray], progress: Progress
) -> tuple[str | None, Piece | None, list[int | None]]:  # fmt: skip
    """The exact shape of parts together, what of it they are, and by how much each one's face numbers move; no shape where one has none."""
    none: list[int | None] = [None] * len(parts)
    rigid = all(np.allclose(m[:3, :3].T @ m[:3, :3], np.eye(3), atol=1e-6) and np.linalg.det(m[:3, :3]) > 0 for m in matrices)
    sliced = any(p.piece is not None and p.piece.slices for p in parts)
    if any(p.shape is None for p in parts) or sliced or not rigid:
        return None, None, none
    if len({p.shape for p in parts}) == 1 and all(np.allclose(m, np.eye(4), atol=1e-7) for m in matrices):  # pieces of one shape find together
        faces = tuple(sorted({f for p in parts for f in (p.piece.faces if p.piece is not None else ())}))
        if faces and all(p.piece is not None and p.piece.faces for p in parts):
            return parts[0].shape, Piece(faces=faces), [0] * len(parts)
    found = join_shapes([assets.get(p.shape or "") for p in parts], matrices, progress)
    counts = found.told["faces"]
    starts = np.cumsum([0, *counts])[:-1].tolist()
    whole = all(p.piece is None or not p.piece.faces for p in parts)
    kept = tuple(s + f for p, s, n in zip(parts, starts, counts) for f in (p.piece.faces if p.piece and p.piece.faces else range(n)))
    return assets.add(found.shapes[0], ".shape"), None if whole else Piece(faces=kept), list(starts)


def _moved(mesh: Mesh, matrix: np.ndarray) -> Mesh:
    if np.allclose(matrix, np.eye(4), atol=1e-12):
        return mesh
    linear = matrix[:3, :3]
    normals = mesh.normals.astype(float) @ np.linalg.inv(linear)
    normals /= np.maximum(np.linalg.norm(normals, axis=1, keepdims=True), 1e-12)
    triangles = mesh.triangles
    if np.linalg.det(linear) < 0:
        triangles = triangles[:, [0, 2, 1]]
    return mesh._replace(
        vertices=(mesh.vertices.astype(float) @ linear.T + matrix[:3, 3]).astype(np.float32), normals=normals.astype(np.float32), triangles=triangles
    )


def dress_faces(document: Document, assets: AssetStore, part_id: str, chosen: Iterable[int], name: str = "") -> tuple[Document, str]:
    """Make a face set of some faces of a part; it wears what the body wears until it is dressed. Faces that another set holds come over. Returns
    the document and the set's id. Raises BadValue."""
    part = _may_be_cut(document, part_id)
    faces = faces_of_asset(assets, part.mesh or "")
    wanted = tuple(int(n) for n in faces.numbers[np.isin(faces.numbers, list(chosen))])
    if not wanted:
        raise BadValue("Choose faces first: click them in the picture.")
    if part.set_piece is None and not len(assets.mesh(part.mesh or "").faces):  # from now on the faces found by angle are the part's own
        document = edits.change_part(document, part_id, mesh=assets.add_mesh(faces.counted))
    mine = set(wanted)
    kept = tuple(replace(s, faces=tuple(f for f in s.faces if f not in mine)) for s in document.parts[part_id].face_sets)
    document = edits.change_part(document, part_id, face_sets=tuple(s for s in kept if s.faces))
    taken = [s.name for s in document.parts[part_id].face_sets]
    made = FaceSet(id=edits.new_id(), name=edits.free_name(name or "Faces", taken), faces=wanted, material=part.material)
    return edits.without_keys(edits.put_face_set(document, part_id, made)), made.id
