"""Solid letters in the shipped typeface, with a rounded edge."""

import functools
import math
from pathlib import Path

import numpy as np

from aulmo.document.made.solids import grid
from aulmo.document.meshes import Mesh, joined
from aulmo.errors import BadValue

FONT = Path(__file__).parents[2] / "desk" / "fonts" / "IBMPlexSans-SemiBold.woff"
CURVE_STEPS = 8
BEVEL_STEPS = 4
WIDEST_BEVEL = 0.05  # of the height of a capital: beyond it the edges of a stroke would meet


@functools.cache
def _font() -> tuple:
    from fontTools.ttLib import TTFont

    font = TTFont(FONT)
    return font.getGlyphSet(), font.getBestCmap(), font["hmtx"], float(font["OS/2"].sCapHeight), font["hhea"]


def outlines(text: str, height: float) -> list[np.ndarray]:
    """Closed outlines (n, 2) of a text whose capitals are `height` mm tall, centred on x, its base line on 0; lines go downward.

    Raises BadValue for a text without letters.
    """
    from fontTools.pens.recordingPen import DecomposingRecordingPen

    glyphs, cmap, metrics, cap, head = _font()
    scale = height / cap
    found: list[np.ndarray] = []
    for number, line in enumerate(text.split("\n")):
        names = [cmap.get(ord(letter), ".notdef") for letter in line]
        width = sum(metrics[name][0] for name in names)
        right, down = -width / 2, -number * (head.ascent - head.descent)
        for name in names:
            pen = DecomposingRecordingPen(glyphs)
            glyphs[name].draw(pen)
            found += [(contour + [right, down]) * scale for contour in _contours(pen.value)]
            right += metrics[name][0]
    if not found:
        raise BadValue("A text needs at least one letter that can be seen.")
    return found


def _contours(strokes: list) -> list[np.ndarray]:
    """Outlines of a glyph with its curves cut into short straight lines."""
    t = np.linspace(0, 1, CURVE_STEPS + 1)[1:, None]
    done: list[np.ndarray] = []
    points: list[np.ndarray] = []
    for kind, given in strokes:
        p = np.array(given, float) if given and given[-1] is not None else None
        if kind == "moveTo" and p is not None:
            points = [p[:1]]
        elif kind == "lineTo" and p is not None:
            points.append(p[:1])
        elif kind == "curveTo" and p is not None:
            a = points[-1][-1]
            points.append((1 - t) ** 3 * a + 3 * (1 - t) ** 2 * t * p[0] + 3 * (1 - t) * t**2 * p[1] + t**3 * p[2])
        elif kind == "qCurveTo" and p is not None:
            a = points[-1][-1]
            for k in range(len(p) - 1):  # between two control points lies a point of the curve
                end = p[-1] if k == len(p) - 2 else 0.5 * (p[k] + p[k + 1])
                points.append((1 - t) ** 2 * a + 2 * (1 - t) * t * p[k] + t**2 * end)
                a = end
        elif kind in ("closePath", "endPath") and points:
            done.append(_clean(np.concatenate(points)))
            points = []
    return [c for c in done if len(c) > 2]


def _clean(points: np.ndarray) -> np.ndarray:
    apart = np.linalg.norm(points - np.roll(points, 1, 0), axis=1) > 1e-3
    return points[apart]


def letters(text: str, height: float, depth: float, bevel: float) -> Mesh:
    """Letters that stand on z = 0 and face -y: faces 0 front, 1 back, 2 the sides, 3 the rounded edges. Raises BadValue."""
    from manifold3d import CrossSection, FillRule, triangulate

    bevel = min(bevel, WIDEST_BEVEL * height, depth / 2)
    # strokes that overlap within a letter become one outline
    contours = [np.asarray(c, float) for c in CrossSection(outlines(text, height), FillRule.NonZero).to_polygons()]
    contours = [c for c in contours if len(c) > 2]
    if not contours:
        raise BadValue("A text needs at least one letter that can be seen.")
    bevel = _that_fits(contours, bevel)
    angles = np.linspace(0, math.pi / 2, BEVEL_STEPS + 1) if bevel > 0 else np.zeros(1)
    pieces = []
    shrunk = []
    for contour in contours:
        inward, normal = _inward(contour)
        sharp = _sharp(contour)
        for start, end in _runs(sharp):  # a side for each smooth stretch, so that corners stay corners
            k = np.arange(start, end + 1) % len(contour)
            side = _side_normals(contour, k, normal)
            across = np.stack([contour[k][:, 0], np.zeros(len(k)), contour[k][:, 1]], 1)
            out = np.stack([side[:, 0], np.zeros(len(k)), side[:, 1]], 1)
            edge = np.array([depth / 2 - bevel, -depth / 2 + bevel])
            points = across[:, None] + edge[None, :, None] * np.array([0.0, 1.0, 0.0])
            pieces.append(grid(points, np.repeat(out[:, None], 2, 1), 2))
            if bevel > 0:
                step = np.stack([inward[k][:, 0], np.zeros(len(k)), inward[k][:, 1]], 1)
                for face in (-1.0, 1.0):
                    back = bevel * (1 - np.cos(angles))
                    y = face * (depth / 2 - bevel + bevel * np.sin(angles))
                    ring = across[:, None] + back[None, :, None] * step[:, None] + y[None, :, None] * np.array([0.0, 1.0, 0.0])
                    tilt = np.cos(angles)[None, :, None] * out[:, None] + face * np.sin(angles)[None, :, None] * np.array([0.0, 1.0, 0.0])
                    pieces.append(grid(ring if face < 0 else ring[:, ::-1], tilt if face < 0 else tilt[:, ::-1], 3))
        shrunk.append(contour + bevel * inward)
    triangles = np.asarray(triangulate(shrunk)).reshape(-1, 3)
    flat = np.concatenate(shrunk)
    for number, (away, order) in enumerate(((-depth / 2, (0, 1, 2)), (depth / 2, (0, 2, 1)))):
        points = np.stack([flat[:, 0], np.full(len(flat), away), flat[:, 1]], 1)
        normals = np.tile([0.0, math.copysign(1.0, away), 0.0], (len(flat), 1))
        cells = triangles[:, order]
        pieces.append(Mesh(points.astype(np.float32), normals.astype(np.float32), cells.astype(np.uint32), np.full(len(cells), number, np.int32)))
    mesh = joined(pieces)
    low = float(mesh.vertices[:, 2].min())
    return mesh._replace(vertices=(mesh.vertices - np.array([0, 0, low], np.float32)).astype(np.float32))


def _that_fits(contours: list[np.ndarray], bevel: float) -> float:
    """The widest edge, up to `bevel`, that does not meet the one on the other side of a thin stroke: there front triangles would turn over."""
    from manifold3d import triangulate

    steps = [_inward(c)[0] for c in contours]
    for _ in range(12):
        if bevel <= 0:
            return 0.0
        shrunk = [c + bevel * s for c, s in zip(contours, steps)]
        p = np.concatenate(shrunk)[np.asarray(triangulate(shrunk)).reshape(-1, 3)]
        a, b = p[:, 1] - p[:, 0], p[:, 2] - p[:, 0]
        if (a[:, 0] * b[:, 1] - a[:, 1] * b[:, 0]).min(initial=0.0) > -1e-6 * bevel * bevel:
            return bevel
        bevel *= 0.8
    return 0.0


def _inward(contour: np.ndarray) -> tuple[np.ndarray, np.ndarray]:
    """For each corner the step that moves both its sides inward by one, and the outward normal of the side after it. Filled is to the left."""
    way = np.roll(contour, -1, 0) - contour
    way /= np.maximum(np.linalg.norm(way, axis=1, keepdims=True), 1e-12)
    outward = np.stack([way[:, 1], -way[:, 0]], 1)
    before = np.roll(outward, 1, 0)
    middle = outward + before
    middle /= np.maximum(np.linalg.norm(middle, axis=1, keepdims=True), 1e-9)
    stretch = 1.0 / np.maximum(0.35, (middle * outward).sum(1))
    return -middle * stretch[:, None], outward


def _sharp(contour: np.ndarray) -> np.ndarray:
    way = np.roll(contour, -1, 0) - contour
    way /= np.maximum(np.linalg.norm(way, axis=1, keepdims=True), 1e-12)
    return (way * np.roll(way, 1, 0)).sum(1) < math.cos(math.radians(30))


def _runs(sharp: np.ndarray) -> list[tuple[int, int]]:
    """Stretches from one sharp corner to the next, as numbers that may pass the end."""
    corners = np.flatnonzero(sharp)
    n = len(sharp)
    if len(corners) == 0:
        return [(0, n)]
    return [(int(a), int(b if b > a else b + n)) for a, b in zip(corners, np.roll(corners, -1))]


def _side_normals(contour: np.ndarray, k: np.ndarray, outward: np.ndarray) -> np.ndarray:
    """Normals along a stretch: between two sides their mean, at its ends that of the one side; round all the way a mean everywhere."""
    after, before = outward[k], outward[k - 1]
    mean = after + before
    if k[0] != k[-1] or len(k) < 3 or (after[0] * before[0]).sum() < math.cos(math.radians(30)):
        mean[0], mean[-1] = after[0], before[-1]
    return mean / np.maximum(np.linalg.norm(mean, axis=1, keepdims=True), 1e-12)
