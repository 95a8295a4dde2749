"""How a surface bends at a point: flat, round an axis, or on a ball. What a decal is bent round is read from this."""

from typing import NamedTuple

import numpy as np

from aulmo.document.meshes import Mesh

FLAT = 2e-3  # share of its reach by which a flat surface may fall off within it
FEWEST = 6  # corners that a bend is measured from


class Bend(NamedTuple):
    """Radii in mm along two ways (3,) across a surface, the narrower first; positive where it bulges, infinite where it is straight. `centre` is the
    middle of the narrower bend, at the height of the point."""

    radius: float
    way: np.ndarray
    other_radius: float
    other_way: np.ndarray
    centre: np.ndarray


def bend_at(mesh: Mesh, triangle: int, point: np.ndarray, normal: np.ndarray, reach: float) -> Bend:
    """How the face of a triangle bends at a point of it (own mm), read within `reach` mm or from all of it where that holds too little.

    On a ball or a cylinder of radius r the normal's part across the view grows with the place's by 1 / r, however far one goes: the shape operator,
    fitted by least squares (do Carmo 1976, 3-2).
    """
    corners = mesh.triangles.astype(np.int64)
    inside = mesh.faces == mesh.faces[triangle] if len(mesh.faces) else np.ones(len(corners), bool)
    used = np.unique(corners[inside])
    p, n = mesh.vertices[used].astype(float), mesh.normals[used].astype(float)
    near = np.linalg.norm(p - point, axis=1) <= reach
    if near.sum() < FEWEST:
        near = np.linalg.norm(p - point, axis=1) <= max(reach, float(np.sort(np.linalg.norm(p - point, axis=1))[: 4 * FEWEST][-1]))
    near &= n @ normal > 0.2
    p, n = p[near], n[near]
    normal = normal / np.linalg.norm(normal)
    a = np.cross(normal, [1.0, 0, 0] if abs(normal[0]) < 0.7 else [0, 1.0, 0])
    a /= np.linalg.norm(a)
    b = np.cross(normal, a)
    frame = np.stack([a, b], 1)
    straight = Bend(np.inf, a, np.inf, b, point)
    if len(p) < 3:
        return straight
    place, lean = (p - point) @ frame, n @ frame
    known = np.column_stack([place, np.ones(len(place))])
    fitted, *_ = np.linalg.lstsq(known, lean, rcond=None)
    shape = 0.5 * (fitted[:2] + fitted[:2].T)
    bends, ways = np.linalg.eigh(shape)
    order = np.argsort(-np.abs(bends))
    bends, ways = bends[order], (frame @ ways)[:, order].T
    radii = [1.0 / k if abs(k) * reach > FLAT else np.inf for k in bends]
    if not np.isfinite(radii[0]):
        return straight
    middles = p - radii[0] * n
    centre = middles.mean(0)
    along = ways[1]
    centre = centre + along * float((point - centre) @ along)
    return Bend(float(radii[0]), ways[0], float(radii[1]), ways[1], centre)
