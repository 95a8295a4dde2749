"""How pictures are laid on parts: a projector's numbers, as the renderer reads them.

A lay gives a place on the picture for a point of a part. Its projector has axes of its own: x right, y up, z toward the viewer.
"""

import math
from typing import Any

import numpy as np

from aulmo.document.placement import turn_matrix
from aulmo.document.records import Decal, Lay

FLAT, BOX, CYLINDER, SPHERE, AXIS, BY_UV, BENT, DOMED = range(8)
KINDS = {"flat": FLAT, "box": BOX, "cylinder": CYLINDER, "sphere": SPHERE, "axis": AXIS, "uv": BY_UV}
# a lay's row: rows of the (3, 4) matrix that leads from the part into the projector (by uv: u and v of the picture from the file's), and
# numbers in the projector's mm
L_KIND, L_MATRIX, L_RADIUS, L_WIDTH, L_HEIGHT, L_COS, L_SIN, L_RIGHT, L_UP = 0, 1, 13, 14, 15, 16, 17, 18, 19
L_PITCH_X, L_PITCH_Y, L_ACROSS, L_DOWN, L_MIRROR, L_DEPTH, L_BLEND, L_FACING, L_FLIP_X, L_FLIP_Y, L_PER_MM = range(20, 31)
LAY_COLUMNS = 32
ENDLESS = 1e30


def projector(position, turn) -> np.ndarray:
    """(3, 4) matrix from a part's axes into those of a projector that stands at a place, turned by degrees about x, y, z."""
    into = turn_matrix(turn).T
    return np.column_stack([into, -into @ np.asarray(position, float)])


def lay_row(lay: Lay, shape: float) -> np.ndarray:
    """(LAY_COLUMNS,) numbers of a lay for a picture `shape` times as high as wide."""
    row = np.zeros(LAY_COLUMNS)
    row[L_KIND] = KINDS[lay.projection]
    turn = math.radians(lay.rotate)
    row[L_COS], row[L_SIN] = math.cos(turn), math.sin(turn)
    row[L_WIDTH], row[L_HEIGHT] = lay.width_mm, lay.width_mm * shape if lay.keep_shape else lay.height_mm
    row[L_PER_MM], row[L_FACING] = 1.0, -2.0
    row[L_DEPTH] = lay.depth_mm if lay.projection == "flat" and lay.depth_mm > 0 else ENDLESS
    row[L_ACROSS], row[L_DOWN] = lay.tile in ("both", "across"), lay.tile in ("both", "down")
    row[L_MIRROR], row[L_BLEND] = lay.mirror, min(1.0, max(0.0, lay.blend))
    if lay.projection == "uv":  # shares of the picture from the file's coordinates, v downward: scaled, turned, moved
        c, s = row[L_COS], row[L_SIN]
        row[L_MATRIX : L_MATRIX + 6] = (
            c * lay.repeat_x, s * lay.repeat_y, lay.shift_x, -s * lay.repeat_x, c * lay.repeat_y, lay.shift_y,
        )  # fmt: skip
        row[L_WIDTH] = row[L_HEIGHT] = row[L_PITCH_X] = row[L_PITCH_Y] = 1.0
        row[L_COS], row[L_SIN] = 1.0, 0.0
        return row
    row[L_MATRIX : L_MATRIX + 12] = projector(lay.position, lay.turn).ravel()
    row[L_RADIUS] = lay.radius_mm
    row[L_RIGHT], row[L_UP] = lay.offset_x_mm, lay.offset_y_mm
    row[L_PITCH_X], row[L_PITCH_Y] = row[L_WIDTH] + lay.gap_x_mm, row[L_HEIGHT] + lay.gap_y_mm
    return row


def limited(lay: Lay) -> bool:
    """Whether a picture so laid leaves places of the part bare."""
    return lay.tile != "both" or lay.gap_x_mm > 0 or lay.gap_y_mm > 0 or (lay.projection == "flat" and lay.depth_mm > 0)


def plain_lay(width_mm: float, height_mm: float, turn: float, right: float, up: float, projection: str, axis: str) -> Lay:
    """The lay that an image node's own inputs describe: about one of the part's axes."""
    turns = {"x": (90.0, 0.0, 90.0), "y": (0.0, -90.0, -90.0), "z": (0.0, 0.0, 0.0)}
    kind: Any = {"cylinder": "axis"}.get(projection, projection)
    return Lay(
        id="", projection=kind, turn=turns[axis], width_mm=width_mm, height_mm=height_mm or width_mm, keep_shape=not height_mm, rotate=turn,
        offset_x_mm=right, offset_y_mm=up,
    )  # fmt: skip


def decal_row(decal: Decal, matrix: np.ndarray, scale: float = 1.0) -> np.ndarray:
    """(LAY_COLUMNS,) numbers of a decal's projector; `matrix` (3, 4) leads from the part into it, whose mm are `scale` of the part's."""
    row = np.zeros(LAY_COLUMNS)
    row[L_KIND] = {"flat": FLAT, "cylinder": BENT, "ball": DOMED}[decal.wrap] if decal.radius_mm or decal.wrap == "flat" else FLAT
    row[L_MATRIX : L_MATRIX + 12] = np.asarray(matrix, float).ravel()
    row[L_RADIUS] = decal.radius_mm
    row[L_WIDTH], row[L_HEIGHT] = decal.width_mm, decal.height_mm
    row[L_PITCH_X], row[L_PITCH_Y] = row[L_WIDTH], row[L_HEIGHT]
    turn = math.radians(decal.rotate - (decal.bend if row[L_KIND] == BENT else 0.0))
    row[L_COS], row[L_SIN] = math.cos(turn), math.sin(turn)
    row[L_DEPTH], row[L_FACING] = decal.depth_mm, math.cos(math.radians(decal.facing))
    row[L_FLIP_X], row[L_FLIP_Y] = decal.flip_x, decal.flip_y
    row[L_PER_MM] = scale
    return row


def decal_projector(decal: Decal) -> np.ndarray:
    """(3, 4) from the part (of a region the world) into a decal's axes; of one bent round a cylinder y runs along the axis."""
    into = projector(decal.position, decal.turn)
    if decal.wrap == "cylinder" and decal.bend:
        c, s = math.cos(math.radians(decal.bend)), math.sin(math.radians(decal.bend))
        into = np.array([[c, s, 0], [-s, c, 0], [0, 0, 1]]) @ into
    return into


def reach_of(decal: Decal) -> tuple[np.ndarray, np.ndarray]:
    """Low and high corner of a box, in a decal's axes, that holds all that its projector reaches."""
    half = 0.5 * math.hypot(decal.width_mm, decal.height_mm)
    low, high = -decal.depth_mm, decal.depth_mm
    if decal.wrap != "flat" and decal.radius_mm:
        sag = min(2 * abs(decal.radius_mm), half * half / abs(decal.radius_mm))
        low, high = (low - sag, high) if decal.radius_mm > 0 else (low, high + sag)
    return np.array([-half, -half, low]), np.array([half, half, high])


def within_reach(decal: Decal, into: np.ndarray, corners: np.ndarray) -> np.ndarray:
    """(n,) whether boxes whose (n, 8, 3) corners the (n, 3, 4) matrices `into` bring into a decal's axes could meet it."""
    low, high = reach_of(decal)
    there = corners @ into[:, :, :3].transpose(0, 2, 1) + into[:, None, :, 3]
    return (there.max(1) >= low).all(1) & (there.min(1) <= high).all(1)
