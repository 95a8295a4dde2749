"""Sizes that cannot be, and round shapes whose triangles show in the shots."""

from typing import NamedTuple, Sequence

import numpy as np

from aulmo.document.lens import width_at
from aulmo.document.meshes import Mesh
from aulmo.document.properties import resolve
from aulmo.document.records import Camera, Document, Shot
from aulmo.prepare.fine_enough import pixel_mm
from aulmo.prepare.health.look import Body
from aulmo.prepare.health.skin import Skin, pairs_of_edges

HAIR, STREET = 0.01, 1e6  # mm: no part is smaller or larger
SQUEEZED = 1000.0
FLAT, SHARP = np.radians(4.0), np.radians(60.0)  # between two triangles that stand for one round surface
SHOWS_EXACT, SHOWS = 1.0, 3.0  # pixels of the shot; where there is an exact shape it costs nothing to be strict
UNITS = (1000.0, 304.8, 100.0, 25.4, 10.0)


def odd_sizes(bodies: Sequence[Body]) -> list[tuple[Body, float, str]]:
    """Parts whose size cannot be: smaller than a hair is wide or larger than a street is long, or beside all others as if its unit were another."""
    out = []
    sizes = np.array([b.size for b in bodies])
    lows = np.array([b.low if b.size < STREET else np.full(3, np.inf) for b in bodies]).reshape(-1, 3)
    highs = np.array([b.high if b.size < STREET else np.full(3, -np.inf) for b in bodies]).reshape(-1, 3)
    for k, body in enumerate(bodies):
        size = float(sizes[k])
        if squeezed(body):
            out.append((body, size, "squeezed flat by its scale"))
            continue
        if size > STREET or size < HAIR:
            out.append((body, size, "far too large for a product" if size > STREET else "smaller than a hair is wide"))
            continue
        if len(bodies) < 4:
            continue
        rest = float((_without(highs, k, True) - _without(lows, k, False)).max())
        if rest > 0 and size > 8 * rest:
            out.append((body, size, f"{size / rest:.0f} times as large as all else together"))
        elif size < 1e-3 * rest and size <= sizes.min() and size < 0.12 * float(np.partition(sizes, 1)[1]):
            out.append((body, size, f"{float(np.median(sizes)) / size:.0f} times as small as what stands beside it"))
    return out


def squeezed(body: Body) -> bool:
    """Whether a part's place makes it a thousand times as flat along one axis as along another."""
    stretch = np.linalg.svd(body.matrix[:3, :3], compute_uv=False)
    return bool(stretch[-1] < stretch[0] / SQUEEZED)


def _without(corners: np.ndarray, k: int, largest: bool) -> np.ndarray:
    """The largest or smallest of corners (n, 3) on each axis, without the k-th; those that are not numbers count for nothing."""
    out = np.empty(3)
    for axis in range(3):
        order = np.argpartition(corners[:, axis], -2)[-2:] if largest else np.argpartition(corners[:, axis], 1)[:2]
        kept = [corners[j, axis] for j in order if j != k]
        out[axis] = max(kept) if largest else min(kept)
    return out


def sagitta(mesh: Mesh, skin: Skin) -> float:
    """How far, in mm, a mesh's triangles lie from the round surface that its normals tell of at most. Of an arc between two chords of breadth c that
    turn by an angle a: c tan(a / 4) / 2."""
    cells = skin.cells
    a, b, first, second = pairs_of_edges(cells, len(skin.points))
    if not len(first):
        return 0.0
    p = skin.points[cells]
    cross = np.cross(p[:, 1] - p[:, 0], p[:, 2] - p[:, 0])
    area = np.linalg.norm(cross, axis=1)
    unit = cross / np.maximum(area, 1e-30)[:, None]
    t1, t2 = first // 3, second // 3
    angle = np.arccos(np.clip((unit[t1] * unit[t2]).sum(1), -1, 1))
    length = np.linalg.norm(skin.points[b] - skin.points[a], axis=1)
    # the same normals at both ends seen from both triangles: a smooth edge
    v = mesh.triangles.astype(np.int64)
    start1, end1 = v.ravel()[first], v[:, [1, 2, 0]].ravel()[first]
    start2, end2 = v.ravel()[second], v[:, [1, 2, 0]].ravel()[second]
    normals = mesh.normals.astype(float)
    smooth = ((normals[start1] * normals[end2]).sum(1) > 0.995) & ((normals[end1] * normals[start2]).sum(1) > 0.995)
    chosen = smooth & (angle > FLAT) & (angle < SHARP) & (length > 0)
    if not chosen.any():
        return 0.0
    breadth = np.minimum(area[t1], area[t2])[chosen] / length[chosen]
    return float((breadth * np.tan(angle[chosen] / 4) / 2).max())


class Coarse(NamedTuple):
    """A part whose triangles show: how far they lie from the round shape that they stand for, in mm and in pixels of the shot that shows it most."""

    body: Body
    stray_mm: float
    pixels: float
    shot: str


def cameras_of_shots(document: Document) -> list[tuple[Shot, Camera]]:
    """The shots, each with its camera as it has it."""
    found = [(shot, resolve(document, {"shot": shot.id}).cameras.get(shot.camera)) for shot in document.shots]
    return [(shot, camera) for shot, camera in found if camera is not None]


def coarse(document: Document, bodies: Sequence[Body]) -> list[Coarse]:
    """Parts whose round shapes show their triangles in a shot."""
    known: dict[str, float] = {}
    seen = cameras_of_shots(document)
    out = []
    for body in bodies if seen else ():
        name = body.part.mesh or ""
        if name not in known:
            known[name] = sagitta(body.mesh, body.skin)
        error = known[name] * float(np.linalg.norm(body.matrix[:3, :3], axis=0).max())
        if error <= 0:
            continue
        most, where = 0.0, ""
        shows = SHOWS_EXACT if body.part.shape is not None else SHOWS
        for shot, camera in seen:
            eye = np.array(camera.position)
            nearest = max(1.0, float(np.linalg.norm(np.maximum(0.0, np.maximum(body.low - eye, eye - body.high)))))
            if error / pixel_mm(camera, shot, nearest) <= shows:
                continue  # not even from the nearest corner of its box
            near = nearest_in_frame(body, camera, shot)
            if near is not None and error / pixel_mm(camera, shot, near) > most:
                most, where = error / pixel_mm(camera, shot, near), shot.name
        if most > shows:
            out.append(Coarse(body, error, most, where))
    return out


def nearest_in_frame(body: Body, camera: Camera, shot: Shot) -> float | None:
    """How far from the camera the nearest of a part's points that lie in the frame is, mm; None when none does."""
    points = body.corners[:: max(1, len(body.corners) // 1500)].reshape(-1, 3) - np.array(camera.position)
    if camera.projection == "panorama":
        return max(1.0, float(np.linalg.norm(points, axis=1).min()))
    ahead = np.array(camera.target) - np.array(camera.position)
    ahead = ahead / max(1e-30, float(np.linalg.norm(ahead)))
    right = np.cross(ahead, (0.0, 0.0, 1.0) if abs(ahead[2]) < 0.999 else (0.0, 1.0, 0.0))
    right = right / max(1e-30, float(np.linalg.norm(right)))
    depth = points @ ahead
    half = np.array([width_at(camera, float(d)) for d in (1.0, 2.0)]) / 2  # wide at one mm and at two: grows evenly, or not at all
    reach = half[0] + (half[1] - half[0]) * (depth - 1.0)
    tall = reach * shot.height / shot.width
    inside = (depth > 1.0) & (np.abs(points @ right) < reach) & (np.abs(points @ np.cross(right, ahead)) < tall)
    return float(depth[inside].min()) if inside.any() else None
