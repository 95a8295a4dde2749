"""Mending one mesh: faces turned, openings closed, slivers and doubles taken out; and doing so again when it was made anew."""

from typing import Sequence

import numpy as np

from aulmo.document.meshes import Mesh
from aulmo.document.records import Mend
from aulmo.errors import BadFile
from aulmo.prepare.health.closing import How, joins_of, lid, strip
from aulmo.prepare.health.finer import simpler
from aulmo.prepare.health.flaws import GAP, SLIT, Flaw, chains, flaws, loop_area
from aulmo.prepare.health.rays import Rays
from aulmo.prepare.health.skin import Skin, skin_of
from aulmo.prepare.normals import with_crease_normals

TIDIED = 3  # times that slivers are looked for after a cut


def mended(mesh: Mesh, skin: Skin, found: Sequence[Flaw], how: How = "flat") -> Mesh:
    """A mesh with its own flaws mended, in its own mm; the same mesh when there was nothing to do."""
    cells = mesh.triangles.astype(np.int64).copy()
    vertices, normals = mesh.vertices.astype(float), mesh.normals.astype(float)
    turned = np.unique(np.concatenate([f.cells for f in found if f.kind == "flipped"] or [np.zeros(0, np.int64)]))
    if len(turned):
        turned = turned[turned < len(cells)]
        # corners that only turned triangles use get their normals turned; shared ones are doubled
        turned_flags = np.zeros(len(cells), bool)
        turned_flags[turned] = True
        used_by_others = np.zeros(len(vertices), bool)
        used_by_others[cells[~turned_flags]] = True
        own = np.unique(cells[turned])
        place = np.arange(len(vertices))
        twice = own[used_by_others[own]]
        place[twice] = len(vertices) + np.arange(len(twice))
        vertices = np.concatenate([vertices, vertices[twice]])
        normals = np.concatenate([normals, normals[twice]])
        cells[turned] = place[cells[turned]]
        normals[np.unique(cells[turned])] *= -1
        cells[turned] = cells[turned][:, [0, 2, 1]]
    patches: list[tuple[np.ndarray, np.ndarray]] = []
    openings = [f for f in found if f.kind in ("hole", "open")]
    if openings:
        wrong = np.isin(skin.rim_cells, turned)
        rims = np.where(wrong[:, None], skin.rims[:, ::-1], skin.rims)
        patches = _patches(skin._replace(rims=rims), openings, how)
    gone = np.unique(np.concatenate([f.cells for f in found if f.kind in ("sliver", "coincident")] or [np.zeros(0, np.int64)]))
    gone = gone[gone < len(cells)]
    if not (len(turned) or patches or len(gone)):
        return mesh
    faces = mesh.faces
    uv = mesh.uv
    if len(vertices) > len(mesh.vertices) and len(uv):
        uv = np.concatenate([uv, uv[twice]])
    made = Mesh(vertices.astype(np.float32), normals.astype(np.float32), cells.astype(np.uint32), faces, uv)
    if len(gone):
        made = _without(made, skin, gone)
    for points, patch in patches:
        made = _with_patch(made, points, patch, smooth=how == "smooth")
    return made


def _without(mesh: Mesh, skin: Skin, gone: np.ndarray) -> Mesh:
    """A mesh without some triangles: those that stand twice are left out; where a sliver goes, its neighbour is cut so that no gap stays."""
    cells = mesh.triangles.astype(np.int64)
    slivers = np.intersect1d(gone, skin.slivers)
    vertices = mesh.vertices.astype(float)
    if len(slivers):
        # the corner at a sliver's flat angle lies on its longest side: the neighbour there is cut in two at that corner
        cells, faces, kept = _cut_at_corners(vertices, cells, mesh.faces, slivers)
    else:
        faces, kept = mesh.faces, np.ones(len(cells), bool)
    kept[gone] = False
    return mesh._replace(triangles=cells[kept].astype(np.uint32), faces=faces[kept] if len(faces) else faces)


def _cut_at_corners(vertices, cells, faces, slivers) -> tuple[np.ndarray, np.ndarray, np.ndarray]:
    _, weld = np.unique(np.rint(vertices / max(1e-12, float(np.ptp(vertices, axis=0).max()) * 1e-5)).astype(np.int64), axis=0, return_inverse=True)
    weld = weld.reshape(-1)
    where: dict[tuple[int, int], int] = {}
    for t, (a, b, c) in enumerate(weld[cells].tolist()):
        where[(a, b)] = where[(b, c)] = where[(c, a)] = t
    bad = set(slivers.tolist())
    kept = np.ones(len(cells), bool)
    more: list[tuple[int, int, int]] = []
    more_faces: list[int] = []
    for t in slivers.tolist():
        p = vertices[cells[t]]
        sides = np.linalg.norm(p[[1, 2, 0]] - p, axis=1)
        k = int(np.argmax(sides))
        a, b, c = (int(cells[t][(k + j) % 3]) for j in range(3))
        other = where.get((int(weld[b]), int(weld[a])))
        if other is None or other in bad or not kept[other] or min(sides[(k + 1) % 3], sides[(k + 2) % 3]) < 1e-5 * sides[k]:
            continue
        corners = cells[other].tolist()
        j = next(j for j in range(3) if weld[corners[j]] == weld[b] and weld[corners[(j + 1) % 3]] == weld[a])
        b2, a2, d = corners[j], corners[(j + 1) % 3], corners[(j + 2) % 3]
        kept[other] = False
        more += [(b2, c, d), (c, a2, d)]
        more_faces += [int(faces[other])] * 2 if len(faces) else []
    if not more:
        return cells, faces, kept
    out = np.concatenate([cells, np.array(more, np.int64)])
    return out, np.concatenate([faces, np.array(more_faces, faces.dtype)]) if len(faces) else faces, np.concatenate([kept, np.ones(len(more), bool)])


def _patches(skin: Skin, openings: Sequence[Flaw], how: How) -> list[tuple[np.ndarray, np.ndarray]]:
    """Points and triangles that close openings, in the mesh's axes."""
    loops = [line for line, closed in chains(skin.rims) if closed and len(line) > 2]
    wanted_cells = set(np.concatenate([f.cells for f in openings]).tolist())
    cell_of = {(int(a), int(b)): int(c) for (a, b), c in zip(skin.rims, skin.rim_cells)}
    chosen = [
        line for line in loops if any(cell_of.get((int(a), int(b))) in wanted_cells for a, b in zip(line, np.roll(line, -1)))
    ]  # fmt: skip
    slits = any(f.kind == "open" for f in openings)
    points = [skin.points[line] for line in chosen]
    pairs = joins_of(points, 2 * GAP * skin.size) if slits else []
    out = []
    taken: set[int] = set()
    for i, j in pairs:
        taken |= {i, j}
        out.append((np.concatenate([points[i], points[j]]), strip(points[i], points[j])))
    for k, line in enumerate(chosen):
        if k not in taken:
            more, cells = lid(points[k], "rim" if slits and how == "flat" and _is_slit(points[k]) else how, _ring(skin, line))
            out.append((np.concatenate([points[k], more]), cells))
    return out


def _is_slit(points: np.ndarray) -> bool:
    around = float(np.linalg.norm(np.roll(points, -1, 0) - points, axis=1).sum())
    return 4 * loop_area(points)[0] < SLIT * around**2


def _ring(skin: Skin, line: np.ndarray) -> tuple[np.ndarray, np.ndarray]:
    """Points next to a rim and the edges to them: see `closing.lid`."""
    place = {int(p): k for k, p in enumerate(line)}
    near = skin.cells[np.isin(skin.cells, line).any(1)]
    beyond: dict[int, int] = {}
    edges = []
    for a, b, c in near.tolist():
        for u, v in ((a, b), (b, c), (c, a)):
            for x, y in ((u, v), (v, u)):
                if x in place and y not in place:
                    edges.append((place[x], len(line) + beyond.setdefault(y, len(beyond))))
    return skin.points[list(beyond)].reshape(-1, 3), np.array(edges, np.int64).reshape(-1, 2)


def _with_patch(mesh: Mesh, points: np.ndarray, cells: np.ndarray, smooth: bool) -> Mesh:
    """A mesh with further triangles that carry a face number of their own."""
    size = float(np.ptp(mesh.vertices, axis=0).max()) or 1.0
    try:
        patch = with_crease_normals(points, cells, 180.0 if smooth else 35.0)
    except BadFile:
        return mesh
    from scipy.spatial import cKDTree

    distance, nearest = cKDTree(mesh.vertices).query(patch.vertices)
    on_rim = distance < 2e-5 * size
    vertices = patch.vertices.copy()
    vertices[on_rim] = mesh.vertices[nearest[on_rim]]  # to the last bit, so that it is watertight
    normals = patch.normals.copy()
    if smooth:
        normals[on_rim] = mesh.normals[nearest[on_rim]]
    start = len(mesh.vertices)
    faces = mesh.faces
    if len(faces):
        faces = np.concatenate([faces, np.full(len(patch.triangles), int(faces.max()) + 1, np.int32)])
    uv = np.concatenate([mesh.uv, mesh.uv[nearest]]) if len(mesh.uv) else mesh.uv
    return Mesh(
        np.concatenate([mesh.vertices, vertices]), np.concatenate([mesh.normals, normals]),
        np.concatenate([mesh.triangles, (patch.triangles.astype(np.int64) + start).astype(np.uint32)]), faces, uv,
    )  # fmt: skip


def mended_again(mesh: Mesh, notes: Sequence[Mend]) -> Mesh:
    """A mesh that was made anew with what had been mended on it mended again, found by kind and place."""
    for _ in range(2 if any(note.kind != "fine" for note in notes) else 0):  # what is turned first shows its holes afterwards
        skin = skin_of(mesh)
        found = flaws(mesh, skin, Rays([(skin.points, skin.cells)]))
        again = []
        hows: set[How] = set()
        for note in notes:
            for flaw in found:
                place = flaw.points if len(flaw.points) else skin.points[skin.cells[flaw.cells]].reshape(-1, 3)
                middle = (place.min(0) + place.max(0)) / 2
                if flaw.kind == note.kind and np.linalg.norm(middle - np.array(note.at)) < max(0.5 * flaw.size, 0.02 * skin.size):
                    again.append(flaw)
                    hows.add(note.how)
        if not again:
            break
        mesh = mended(mesh, skin, again, next(iter(hows)))
    for note in notes:
        if note.kind == "fine":
            mesh = simpler(mesh, note.size).mesh
    return mesh


def tidied(mesh: Mesh) -> Mesh:
    """A mesh that was mended or cut, without the slivers and doubles that this left."""
    for _ in range(TIDIED):
        skin = skin_of(mesh)
        if not len(skin.slivers) and not len(skin.doubles):
            break
        made = mended(mesh, skin, [f for f in flaws(mesh, skin) if f.kind in ("sliver", "coincident")])
        if skin_of(made).closed.sum() < skin.closed.sum():  # rather a sliver than a hole
            break
        mesh = made
    return mesh
