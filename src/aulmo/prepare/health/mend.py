"""Mending what was found: a mesh for all parts that share it, or the parts themselves."""

from typing import Callable, Iterable, Sequence

import numpy as np
from msgspec.structs import replace

from aulmo.document import edits
from aulmo.document.assets import AssetStore
from aulmo.document.meshes import Mesh
from aulmo.document.placement import from_matrix, to_matrix, world_matrix
from aulmo.document.records import Document, Mend
from aulmo.errors import BadValue
from aulmo.prepare import arrange
from aulmo.prepare.fine_enough import for_shots
from aulmo.prepare.health.closing import How
from aulmo.prepare.health.findings import Finding
from aulmo.prepare.health.finer import fine, simpler
from aulmo.prepare.health.flaws import Flaw
from aulmo.prepare.health.look import Body, Look
from aulmo.prepare.health.meeting import near_faces, shared_faces, solid_of
from aulmo.prepare.health.mend_mesh import mended, tidied
from aulmo.prepare.health.rounder import rounder
from aulmo.prepare.health.sizes import SHOWS, UNITS, coarse, squeezed
from aulmo.prepare.health.skin import skin_of
from aulmo.prepare.import_file import change_each_finesse
from aulmo.prepare.normals import with_crease_normals

ON_MESHES = ("flipped", "open", "hole", "sliver", "coincident")
APART = 0.02  # mm that a face is lifted off one that it would flicker with


def mend(
    document: Document, assets: AssetStore, findings: Iterable[Finding], how: How = "flat", progress: Callable[[str, float], bool] | None = None
) -> Document:  # fmt: skip
    """The document with what was found mended. What cannot be is left as it is. Raises BadValue when a finding is not of this document."""
    chosen = list(findings)
    for one in chosen:
        if one.part not in document.parts:
            raise BadValue("That part is no longer there; look again.")
    by_mesh: dict[str, list[Finding]] = {}
    for one in chosen:
        name = document.parts[one.part].mesh
        if one.kind in ON_MESHES and not one.other and name is not None:
            by_mesh.setdefault(name, []).append(one)
    for number, (name, held) in enumerate(by_mesh.items()):
        if progress is not None and progress("Mending meshes", number / len(by_mesh)) is False:
            return document
        document = _with_mended_mesh(document, assets, name, held, how)
    for one in chosen:
        if one.kind == "overlap":
            document = _cut_apart(document, assets, one)
        elif one.kind == "coincident" and one.other:
            document = _lifted(document, assets, one)
        elif one.kind == "scale":
            document = _rescaled(document, assets, one)
    hidden = [one.part for one in chosen if one.kind == "unseen" and one.part in document.parts]
    document = edits.change_parts(document, hidden, visible=False) if hidden else document
    document = _rounder(document, assets, [one.part for one in chosen if one.kind == "coarse"], progress)
    document = _simpler(document, assets, {one.part for one in chosen if one.kind == "fine"}, progress)
    gone = [one.part for one in chosen if one.kind == "doubled"]
    return edits.delete_parts(document, gone) if gone else document


def _with_mended_mesh(document: Document, assets: AssetStore, name: str, findings: Sequence[Finding], how: How) -> Document:
    mesh = assets.mesh(name)
    part = document.parts[findings[0].part]
    made = mended(mesh, skin_of(mesh), [_own(document, one) for one in findings], how)
    if made is mesh:
        return document
    made = tidied(made)
    fresh = assets.add_mesh(made)
    inverse = np.linalg.inv(world_matrix(document, part.id)) if abs(np.linalg.det(world_matrix(document, part.id))) > 1e-30 else np.eye(4)
    notes = tuple(  # parts of one mesh have the same flaws
        Mend(kind=one.kind, at=_point(inverse[:3, :3] @ np.array(one.at) + inverse[:3, 3]), size=one.size_mm, how=how)  # type: ignore[arg-type]
        for one in findings
        if one.part == part.id
    )
    parts = dict(document.parts)
    for other in document.parts.values():
        if other.mesh == name:
            parts[other.id] = replace(other, mesh=fresh, mends=(*other.mends, *notes))
    return replace(document, parts=parts)


def _point(p: np.ndarray) -> tuple[float, float, float]:
    return float(p[0]), float(p[1]), float(p[2])


def _own(document: Document, one: Finding) -> Flaw:
    """A finding in the axes of its part's mesh."""
    inverse = np.linalg.pinv(world_matrix(document, one.part))
    points = np.array(one.points, float).reshape(-1, 3) @ inverse[:3, :3].T + inverse[:3, 3] if one.points else np.zeros((0, 3))
    return Flaw(one.kind, one.size_mm, np.array(one.cells, np.int64), points, one.closed)


# what concerns parts


def _cut_apart(document: Document, assets: AssetStore, one: Finding) -> Document:
    """The part without what it shares with the other one."""
    bodies = {b.part.id: b for b in Look(document, assets, only={one.part, one.other}).bodies}
    own, other = bodies.get(one.part), bodies.get(one.other)
    made = _less(own, other) if own is not None and other is not None else None
    return document if made is None else edits.change_part(document, one.part, mesh=assets.add_mesh(made), shape=None)


def _less(own: Body, other: Body) -> Mesh | None:
    """The mesh of a solid without what it shares with another; None when either is none, they share nothing or nothing is left."""
    solids = [solid_of(own), solid_of(other)]
    if solids[0] is None or solids[1] is None or (solids[0] ^ solids[1]).is_empty():
        return None
    left = (solids[0] - solids[1]).simplify(2e-5 * own.size)
    if left.is_empty():
        return None
    made = left.to_mesh()
    inverse = np.linalg.inv(own.matrix)
    points = np.asarray(made.vert_properties[:, :3], float) @ inverse[:3, :3].T + inverse[:3, 3]
    cells = np.asarray(made.tri_verts, np.int64)
    if np.linalg.det(own.matrix[:3, :3]) < 0:
        cells = cells[:, ::-1]
    return tidied(_with_faces_of(with_crease_normals(points, cells), own))


def _with_faces_of(mesh: Mesh, body: Body) -> Mesh:
    """Face numbers by the nearest triangle of what a mesh was cut from, so that what single faces wear stays."""
    if not len(body.mesh.faces):
        return mesh
    from scipy.spatial import cKDTree

    old = body.mesh.vertices[body.mesh.triangles].astype(float).mean(1)
    new = mesh.vertices[mesh.triangles].astype(float).mean(1)
    return mesh._replace(faces=body.mesh.faces[cKDTree(old).query(new)[1]])


def _lifted(document: Document, assets: AssetStore, one: Finding) -> Document:
    """The part let into the one whose face it lies in, or, where it only lies on that, moved a hair's breadth off it, the way that both face."""
    look = Look(document, assets)
    bodies = {b.part.id: b for b in look.bodies}
    own, other = bodies.get(one.part), bodies.get(one.other)
    if own is None or other is None:
        return document
    let_in = _less(other, own)
    if let_in is not None:
        return edits.change_part(document, one.other, mesh=assets.add_mesh(let_in), shape=None)
    points, way = shared_faces(own, other, near_faces(look))
    return arrange.move_in_world(document, [one.part], tuple(way * APART)) if len(points) else document


def _rescaled(document: Document, assets: AssetStore, one: Finding) -> Document:
    """The part as large as it would be in the unit that brings it nearest to what stands beside it."""
    look = Look(document, assets)
    others = [b.size for b in look.bodies if b.part.id != one.part]
    body = next((b for b in look.bodies if b.part.id == one.part), None)
    if body is None or body.size <= 0:
        return document
    if squeezed(body):
        return edits.change_part(document, one.part, placement=replace(document.parts[one.part].placement, scale=(1.0, 1.0, 1.0)))
    own = body.size
    wanted = float(np.exp(np.mean(np.log([s for s in others if s > 0])))) if others else 100.0
    factor = min([f for u in UNITS for f in (u, 1 / u)], key=lambda f: abs(np.log(own * f / wanted)))
    part = document.parts[one.part]
    matrix = to_matrix(part.placement)
    matrix[:3, :3] *= factor
    return edits.change_part(document, one.part, placement=from_matrix(matrix))


def _simpler(document: Document, assets: AssetStore, part_ids: set[str], progress: Callable[[str, float], bool] | None) -> Document:
    """Parts without what their shots cannot show, for all that share a mesh."""
    if not part_ids:
        return document
    meshes = {document.parts[i].mesh for i in part_ids}
    wanted = {f.body.part.mesh or "": f for f in fine(document, Look(document, assets).bodies, {}) if f.body.part.mesh in meshes}
    parts = dict(document.parts)
    for number, (name, one) in enumerate(wanted.items()):
        if progress is not None and progress("Making shapes simpler", number / len(wanted)) is False:
            return document
        fresh = assets.add_mesh(simpler(assets.mesh(name), one.pixel).mesh)
        note = Mend(kind="fine", size=one.pixel)
        for part in document.parts.values():
            if part.mesh == name:
                parts[part.id] = replace(part, mesh=fresh, mends=(*(m for m in part.mends if m.kind != "fine"), note))
    return replace(document, parts=parts)


def _rounder(document: Document, assets: AssetStore, part_ids: list[str], progress) -> Document:
    """Parts as round as the shots can show: their exact shapes cut anew, or triangles that follow the normals where there is none."""
    exact = [i for i in part_ids if document.parts[i].shape is not None]
    if exact:
        document = change_each_finesse(document, assets, for_shots(document, assets, exact, document.shots), progress)
    bare = [i for i in part_ids if document.parts[i].shape is None and document.parts[i].mesh is not None]
    if not bare:
        return document
    fresh: dict[str, str] = {}
    for one in coarse(document, Look(document, assets).bodies):
        name = one.body.part.mesh or ""
        if one.body.part.id in bare and name not in fresh:
            fresh[name] = assets.add_mesh(rounder(one.body.mesh, max(2, int(np.ceil(np.sqrt(3 * one.pixels / SHOWS))))))
    parts = {i: replace(p, mesh=fresh[p.mesh]) if p.mesh in fresh else p for i, p in document.parts.items()}
    return replace(document, parts=parts)


