"""Cutting a mesh by a plane, and closing what was cut open."""

import numpy as np

from aulmo.document.meshes import Mesh
from aulmo.prepare.faces import welded


def plane_axes(normal: np.ndarray) -> tuple[np.ndarray, np.ndarray]:
    """Two directions in the plane of a unit normal, so that first x second = normal."""
    u = np.cross(normal, np.eye(3)[int(np.argmin(np.abs(normal)))])
    u /= np.linalg.norm(u)
    return u, np.cross(normal, u)


def clipped(mesh: Mesh, point, normal, cap_face: int) -> Mesh | None:
    """The part of a mesh on the side of a plane that `normal` points to, closed where it was cut if it was closed before; None for nothing.

    The closing triangles get the face number `cap_face` when the mesh has numbers.
    """
    normal = np.asarray(normal, float) / np.linalg.norm(normal)
    height = (mesh.vertices.astype(float) - np.asarray(point, float)) @ normal
    size = float(np.ptp(mesh.vertices, axis=0).max()) or 1.0
    height[np.abs(height) < 1e-7 * size] = 1e-7 * size  # a vertex on the plane lies on the kept side
    cells = mesh.triangles.astype(np.int64)
    above = height[cells] > 0
    count = above.sum(1)
    if not (count > 0).any():
        return None
    if (count == 3).all():
        return mesh
    crossing = np.flatnonzero((count == 1) | (count == 2))
    lone = np.where(count[crossing] == 1, above[crossing].argmax(1), (~above[crossing]).argmax(1))
    c = cells[crossing]
    rows = np.arange(len(crossing))
    a, b, d = c[rows, lone], c[rows, (lone + 1) % 3], c[rows, (lone + 2) % 3]  # the one on its own side first
    ab, ad = height[a] / (height[a] - height[b]), height[a] / (height[a] - height[d])
    n = len(mesh.vertices)
    first = n + rows
    second = n + len(crossing) + rows

    def between(values: np.ndarray) -> np.ndarray:
        v = values.astype(float)
        return np.concatenate([v, v[a] + ab[:, None] * (v[b] - v[a]), v[a] + ad[:, None] * (v[d] - v[a])])

    points, directions = between(mesh.vertices), between(mesh.normals)
    directions /= np.maximum(np.linalg.norm(directions, axis=1, keepdims=True), 1e-12)
    uv = between(mesh.uv) if len(mesh.uv) else mesh.uv
    single = count[crossing] == 1
    small = np.stack([a, first, second], 1)[single]
    wide_one, wide_two = np.stack([first, b, d], 1)[~single], np.stack([first, d, second], 1)[~single]
    whole = cells[count == 3]
    triangles = np.concatenate([whole, small, wide_one, wide_two])
    has = len(mesh.faces) > 0
    held = mesh.faces if has else np.zeros(len(cells), np.int32)
    numbers = np.concatenate([held[count == 3], held[crossing][single], held[crossing][~single], held[crossing][~single]])
    # the border of what is kept runs from first to second where one corner is kept, and back where two are
    starts, ends = np.where(single, first, second), np.where(single, second, first)
    cap = _cap(points, starts, ends, normal)
    if cap is not None:
        cap_points, cap_cells = cap
        base = len(points)
        points = np.concatenate([points, cap_points])
        directions = np.concatenate([directions, np.tile(-normal, (len(cap_points), 1))])
        if len(mesh.uv):
            uv = np.concatenate([uv, np.zeros((len(cap_points), 2))])
        triangles = np.concatenate([triangles, cap_cells + base])
        numbers = np.concatenate([numbers, np.full(len(cap_cells), cap_face)])
    return only_used(Mesh(
        points.astype(np.float32), directions.astype(np.float32), triangles.astype(np.uint32),
        numbers.astype(np.int32) if has else np.zeros(0, np.int32), np.asarray(uv, np.float32),
    ))  # fmt: skip


def _cap(points: np.ndarray, starts: np.ndarray, ends: np.ndarray, normal: np.ndarray) -> tuple[np.ndarray, np.ndarray] | None:
    """Points and triangles that close the loops of a cut; None when nothing closes."""
    from manifold3d import triangulate

    used = np.concatenate([starts, ends])
    weld = welded(points[used])
    a, b = weld[: len(starts)], weld[len(starts) :]
    kept = a != b
    place = np.zeros((int(weld.max(initial=0)) + 1, 3))
    place[weld] = points[used]
    u, v = plane_axes(-normal)
    loops = []
    after: dict[int, list[int]] = {}
    for one, other in zip(a[kept].tolist(), b[kept].tolist()):
        after.setdefault(one, []).append(other)
    while after:
        begin = next(iter(after))
        loop, at = [begin], begin
        while at in after:
            following = after[at]
            at = following.pop()
            if not following:
                del after[loop[-1]]
            if at == begin:
                break
            loop.append(at)
        if at == begin and len(loop) > 2:
            loops.append(np.array(loop))
    if not loops:
        return None
    flat = [np.stack([place[loop] @ u, place[loop] @ v], 1) for loop in loops]
    area = sum(0.5 * float(np.sum(f[:, 0] * np.roll(f[:, 1], -1) - np.roll(f[:, 0], -1) * f[:, 1])) for f in flat)
    if area < 0:  # the mesh was inside out
        loops, flat = [loop[::-1] for loop in loops], [f[::-1] for f in flat]
    cells = np.asarray(triangulate(flat)).reshape(-1, 3).astype(np.int64)
    if len(cells) == 0:
        return None
    return np.concatenate([place[loop] for loop in loops]), cells


def only_used(mesh: Mesh, triangles: np.ndarray | None = None) -> Mesh:
    """A mesh with some of its triangles (a mask, or all) and no vertex that none of them uses."""
    cells = mesh.triangles if triangles is None else mesh.triangles[triangles]
    faces = mesh.faces if triangles is None or not len(mesh.faces) else mesh.faces[triangles]
    used = np.zeros(len(mesh.vertices), bool)
    used[cells] = True
    place = np.cumsum(used) - 1
    return Mesh(
        mesh.vertices[used], mesh.normals[used], place[cells].astype(np.uint32), np.ascontiguousarray(faces),
        mesh.uv[used] if len(mesh.uv) else mesh.uv,
    )  # fmt: skip
