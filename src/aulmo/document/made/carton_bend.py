"""Curved creases: a crease that is an arc in the drawing bends the panels on both its sides.

Folded alike all along, an arc comes to lie in a plane, and what is beyond it is the mirror image in that plane of how the panel would go on (Fuchs
and Tabachnikov, More on paperfolding, 1999). The panel becomes a cylinder whose rulings stand square on the chord: its profile rises by the arc's own
height times the tangent of half the fold. Lengths and areas stay as they are drawn.
"""

from typing import NamedTuple

import numpy as np

from aulmo.document.flat import FlatCrease
from aulmo.document.made.carton_hinge import Hinge

CURVED_MM = 0.3  # an arc rises more over its chord
STEEPEST = 0.97  # of a profile's slope: steeper it could not be bent
STEPS = 48


class Bend(NamedTuple):
    """An arc in the frame of its chord: (n,) places along the chord and the arc's height over it, in mm."""

    hinge: Hinge
    along: np.ndarray
    height: np.ndarray


def bend_of(hinge: Hinge, crease: FlatCrease) -> Bend | None:
    """The bend of a crease, None for a straight one."""
    points = np.concatenate([np.array(piece) for piece in crease.pieces]) - hinge.at
    x, y = points @ hinge.along, points @ hinge.out
    if len(points) < 4 or np.abs(y).max() < CURVED_MM:
        return None
    order = np.argsort(x)
    along = np.linspace(0.0, hinge.length, STEPS + 1)
    return Bend(hinge, along, np.interp(along, x[order], y[order]))


def _profile(bend: Bend, degrees: float) -> tuple[np.ndarray, np.ndarray, np.ndarray]:
    """Where places along the chord come to lie along it and above it, and the slope there; the middle stays."""
    rise = np.gradient(bend.height, bend.along)
    slope = np.clip(np.tan(-0.5 * np.radians(degrees)) * rise, -STEEPEST, STEEPEST)
    step = np.diff(bend.along)
    mean = 0.5 * (slope[1:] + slope[:-1])
    over = np.concatenate([[0.0], np.cumsum(np.sqrt(1 - mean * mean) * step)])
    up = np.concatenate([[0.0], np.cumsum(mean * step)])
    middle = len(over) // 2
    return over - over[middle] + bend.along[middle], up - up[middle], slope


def carried(bend: Bend, degrees: float, places: np.ndarray, heights: np.ndarray, normals: np.ndarray, beyond: bool) -> tuple[np.ndarray, np.ndarray]:
    """(n, 3) points and normals, in the drawing's own axes, of places (n, 2) of the panel before the arc, or of the one `beyond` it, `heights` mm
    above the middle of the board."""
    hinge = bend.hinge
    own = places - hinge.at
    x, y = own @ hinge.along, own @ hinge.out
    over, up, slope = _profile(bend, degrees)
    low, high = bend.along[0], bend.along[-1]
    inside = np.clip(x, low, high)
    s = np.interp(inside, bend.along, slope)
    c = np.sqrt(1 - s * s)
    px = np.interp(inside, bend.along, over) + (x - inside) * c
    pz = np.interp(inside, bend.along, up) + (x - inside) * s
    py = y.copy()
    tangent = np.stack([c, np.zeros_like(c), s], 1)
    ruling = np.broadcast_to([0.0, 1.0, 0.0], tangent.shape)
    if beyond:
        phi = -0.5 * np.radians(degrees)
        arc = np.interp(inside, bend.along, bend.height)
        py = y + 2 * np.sin(phi) ** 2 * (arc - y)
        pz = pz + np.sin(2 * phi) * (y - arc)
        mirror = np.eye(3) - 2 * np.outer([0, -np.sin(phi), np.cos(phi)], [0, -np.sin(phi), np.cos(phi)])
        tangent, ruling = tangent @ mirror, ruling @ mirror
    normal = np.cross(tangent, ruling)
    frame = np.stack([np.append(hinge.along, 0.0), np.append(hinge.out, 0.0), np.array([0.0, 0.0, 1.0])])
    points = np.stack([px, py, pz], 1) @ frame + np.append(hinge.at, 0.0)
    axes = np.stack([tangent, ruling, normal], 1) @ frame  # (n, 3, 3) rows: where along, out and up of the drawing go
    world = np.stack([normals[:, :2] @ hinge.along, normals[:, :2] @ hinge.out, normals[:, 2]], 1)
    points = points + heights[:, None] * axes[:, 2]
    return points, np.einsum("nk,nkj->nj", world, axes)


def frame_at(bend: Bend, degrees: float, place: np.ndarray, beyond: bool) -> np.ndarray:
    """(4, 4) that carries what lies about a place of a bent panel as the panel itself is carried there."""
    ends = np.array([place, place + [1e-3, 0.0], place + [0.0, 1e-3]])
    points, normals = carried(bend, degrees, ends, np.zeros(3), np.tile([0.0, 0.0, 1.0], (3, 1)), beyond)
    x = (points[1] - points[0]) / 1e-3
    y = (points[2] - points[0]) / 1e-3
    matrix = np.eye(4)
    matrix[:3, 0], matrix[:3, 1], matrix[:3, 2] = x / np.linalg.norm(x), y / np.linalg.norm(y), normals[0]
    matrix[:3, 3] = points[0] - matrix[:3, :3] @ [*place, 0.0]
    return matrix
