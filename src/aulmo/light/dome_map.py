"""Places on the dome, and patches of light drawn into a latitude-longitude map, as the shipped sets are made.

Azimuth is counted from the camera side of the set (0) to the camera's right (positive); elevation from the horizon up.
"""

import msgspec
import numpy as np


class Patch(msgspec.Struct, frozen=True):
    """A patch of light on the dome. Angles in degrees, luminance in nits, corner and edge as shares of the half size."""

    azimuth: float
    elevation: float
    width: float
    height: float
    nits: float
    colour: tuple[float, float, float] = (1.0, 1.0, 1.0)
    corner: float = 0.2
    edge: float = 0.08
    hot_spot: float = 0.3
    fall: float = 0.0
    turn: float = 0.0


def direction(azimuth: float, elevation: float) -> np.ndarray:
    """Unit vector of a place on the dome."""
    a, e = np.radians([azimuth, elevation])
    return np.array([np.sin(a) * np.cos(e), -np.cos(a) * np.cos(e), np.sin(e)])


def angles(vector) -> tuple[float, float]:
    """Azimuth and elevation of a direction."""
    x, y, z = np.asarray(vector, float) / np.linalg.norm(vector)
    return float(np.degrees(np.arctan2(x, -y))), float(np.degrees(np.arcsin(np.clip(z, -1, 1))))


def map_directions(width: int, height: int) -> np.ndarray:
    """(height, width, 3) unit directions of a map's pixel centres; the centre column looks along +y."""
    phi = ((np.arange(width) + 0.5) / width - 0.5) * 2 * np.pi
    theta = (np.arange(height) + 0.5) / height * np.pi
    sine = np.sin(theta)[:, None]
    return np.stack([sine * np.sin(phi), sine * np.cos(phi), np.repeat(np.cos(theta)[:, None], width, 1)], -1)


def coverage(box: Patch, directions: np.ndarray) -> np.ndarray:
    """How strongly a softbox covers each direction, 0..1 with soft edge, hot spot and fall-off from top to bottom."""
    centre = direction(box.azimuth, box.elevation)
    right = np.cross([0.0, 0.0, 1.0], -centre)
    right = np.array([1.0, 0.0, 0.0]) if np.linalg.norm(right) < 1e-6 else right / np.linalg.norm(right)
    up = np.cross(-centre, right) * -1.0
    t = np.radians(box.turn)
    right, up = np.cos(t) * right + np.sin(t) * up, np.cos(t) * up - np.sin(t) * right
    front = directions @ centre
    safe = np.where(front > 1e-3, front, 1.0)
    half = np.array([np.radians(box.width / 2), np.radians(box.height / 2)])
    x = np.arctan(np.abs(directions @ right) / safe) / half[0]
    y = np.arctan(np.abs(directions @ up) / safe) / half[1]
    ratio = half / half.min()
    corner = np.clip(box.corner, 0.0, 1.0)
    qx = np.maximum(x * ratio[0] - (ratio[0] - corner), 0.0)
    qy = np.maximum(y * ratio[1] - (ratio[1] - corner), 0.0)
    outside = np.hypot(qx, qy) - corner if corner > 0 else np.maximum(x - 1, y - 1)
    inside_edge = np.maximum(x * ratio[0] - ratio[0], y * ratio[1] - ratio[1])
    distance = np.where((qx > 0) & (qy > 0), outside, np.maximum(inside_edge, -1.0))
    mask = np.clip(0.5 - distance / max(1e-3, 2 * box.edge), 0.0, 1.0)
    mask = mask * mask * (3 - 2 * mask)
    mask *= 1.0 + box.hot_spot * (np.exp(-1.5 * (x * x + y * y)) - 0.5)
    if box.fall:
        signed = np.arctan((directions @ up) / safe) / half[1]
        mask *= np.clip(1.0 - box.fall * (0.5 - 0.5 * signed), 0.0, None)
    return np.where(front > 1e-3, mask, 0.0)


def paint(boxes: list[Patch], width: int, height: int, ambient: np.ndarray | None = None) -> np.ndarray:
    """(height, width, 3) float32 map of softboxes added over an ambient map."""
    directions = map_directions(width, height)
    image = np.zeros((height, width, 3)) if ambient is None else np.array(ambient, float)
    for box in boxes:
        image += coverage(box, directions)[..., None] * np.asarray(box.colour) * box.nits
    return image.astype(np.float32)


def even_directions(count: int) -> np.ndarray:
    """(count, 3) directions spread evenly over the sphere (Fibonacci)."""
    k = np.arange(count) + 0.5
    z, turn = 1 - 2 * k / count, np.pi * (1 + 5**0.5) * k
    r = np.sqrt(1 - z * z)
    return np.stack([r * np.cos(turn), r * np.sin(turn), z], 1)
