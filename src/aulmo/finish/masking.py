"""Masks: where a layer shows or a grade holds, (h, w) shares."""

import numpy as np
from msgspec.structs import replace

from aulmo.document.finish_records import Mask, Stroke
from aulmo.errors import BadValue
from aulmo.finish.grading import blurred, chroma_of, from_hue, hue_of, luminance, smooth, to_oklab
from aulmo.finish.planes import Planes
from aulmo.trace.plate import FINER, covered


def mask_of(masks: tuple[Mask, ...], planes: Planes, rgb: np.ndarray) -> np.ndarray | None:
    """All masks of a layer together; None when there are none: it holds everywhere. `rgb` is the light below, which luminance and hue are of. Raises
    BadValue with a sentence when a pass or a name is not there."""
    if not masks:
        return None
    whole = np.zeros(rgb.shape[:2], np.float32) if masks[0].how == "add" else np.ones(rgb.shape[:2], np.float32)
    for mask in masks:
        one = feathered(np.clip(_one(mask, planes, rgb), 0, 1), mask, planes)
        if mask.outside:
            one = 1 - one
        if mask.how == "add":
            whole = whole + one - whole * one
        else:
            whole = whole * (1 - one) if mask.how == "take" else whole * one
    return whole.astype(np.float32)


def feathered(one: np.ndarray, mask: Mask, planes: Planes) -> np.ndarray:
    """A mask with its edge faded out: by thousandths of the picture's width, and by mm on the things that it lies on. Raises BadValue where it is not
    known how large these are seen."""
    reach = mask.feather * 1e-3 * one.shape[1]
    if mask.feather_mm > 0:
        reach += mask.feather_mm / _mm_per_pixel(one, planes)
    return blurred(one, reach / 2) if reach > 0 else one


def _mm_per_pixel(one: np.ndarray, planes: Planes) -> float:
    """How large a pixel is on the things that a mask lies on: the median of the steps between neighbours, of what lies side by side."""
    place, depth = planes.data("position"), planes.data("depth")[..., 0]
    near = (depth < 1e9) & (one > 0.1)
    if not near.any():
        near = depth < 1e9
    steps = np.linalg.norm(place[:, 1:] - place[:, :-1], axis=-1)[near[:, 1:] & near[:, :-1]]
    if not len(steps):
        raise BadValue("Nothing is seen that a feather in mm could be measured on.")
    return max(float(np.median(steps)), 1e-6)


def _range(values: np.ndarray, low: float, high: float, soft: float) -> np.ndarray:
    """1 within a range, 0 outside of it, smooth over `soft` beyond its ends."""
    if soft <= 0:
        return ((values >= low) & (values <= high)).astype(np.float32)
    return smooth(np.minimum((values - low) / soft + 1, (high - values) / soft + 1)).astype(np.float32)


def _one(mask: Mask, planes: Planes, rgb: np.ndarray) -> np.ndarray:
    if mask.kind in ("part", "group", "material", "decal"):
        if not mask.names:
            raise BadValue(f"A mask by {mask.kind} names none.")
        kind = "material" if mask.kind in ("material", "decal") else "part"
        return np.sum([planes.matte(kind, name) for name in mask.names], 0)
    if mask.kind == "depth":
        return _range(planes.data("depth")[..., 0], mask.low, mask.high, mask.soft)
    if mask.kind == "facing":
        return _range(np.clip(_facing(planes), 0, 1), mask.low, mask.high, mask.soft)
    if mask.kind == "shadow":
        return np.clip(planes.data("shadow")[..., 0], 0, 1)
    if mask.kind == "luminance":
        return _range(luminance(rgb), mask.low, mask.high, mask.soft)
    if mask.kind == "hue":
        lab = to_oklab(rgb)
        middle, half = 0.5 * (mask.low + mask.high), 0.5 * abs(mask.high - mask.low)
        return _range(from_hue(hue_of(lab), middle), -1.0, half, mask.soft) * smooth(chroma_of(lab) / 0.02)
    if mask.follows:
        mask = _followed(mask, planes)
    if mask.kind == "brush":
        return brushed(mask.strokes, rgb)
    return _shape(mask, *rgb.shape[:2])


def middle_of(name: str, planes: Planes) -> tuple[float, float] | None:
    """Where the middle of a part is seen, in shares of the picture; None where it is not. Raises BadValue without mattes."""
    matte = planes.matte("part", name)
    whole = float(matte.sum())
    if whole < 0.5:
        return None
    h, w = matte.shape
    x, y = float(matte.sum(0) @ (np.arange(w) + 0.5)), float(matte.sum(1) @ (np.arange(h) + 0.5))
    return x / whole / w, y / whole / h


def _followed(mask: Mask, planes: Planes) -> Mask:
    """A mask that follows a part, where that is now."""
    middle = middle_of(mask.follows, planes)
    if middle is None:
        raise BadValue(f"{mask.follows}, which this follows, is not seen.")
    return moved(mask, *middle)


def moved(mask: Mask, x: float, y: float) -> Mask:
    """A mask drawn elsewhere, by shares of the picture."""
    shift = lambda points: tuple((px + x, py + y) for px, py in points)  # noqa: E731
    strokes = tuple(replace(s, points=shift(s.points)) for s in mask.strokes)
    return replace(mask, across=mask.across + x, down=mask.down + y, points=shift(mask.points), strokes=strokes)


def brushed(strokes: tuple[Stroke, ...], rgb: np.ndarray) -> np.ndarray:
    """(h, w) what strokes leave, one after the other."""
    h, w = rgb.shape[:2]
    whole = np.zeros((h, w), np.float32)
    lab: np.ndarray | None = None
    for stroke in strokes:
        radius = max(0.5, 0.5e-3 * stroke.size * w)
        points = np.array(stroke.points, np.float32).reshape(-1, 2) * (w, h)
        if not len(points) or not np.isfinite(points).all():
            continue
        low, high = np.floor(points.min(0) - radius - 1).astype(int), np.ceil(points.max(0) + radius + 1).astype(int)
        x0, y0, x1, y1 = max(0, low[0]), max(0, low[1]), min(w, high[0]), min(h, high[1])
        if x1 <= x0 or y1 <= y0:
            continue
        away = _away(points, x0, y0, x1, y1)
        hard = max(0.5, radius * (1 - min(1.0, stroke.soft)))
        left = smooth((radius + 0.5 - away) / max(1.0, radius + 0.5 - hard)) * np.float32(stroke.flow)
        if stroke.edges > 0:
            lab = to_oklab(np.maximum(rgb, 0)) if lab is None else lab
            left = left * _alike(lab, points, x0, y0, x1, y1, stroke.edges)
        there = whole[y0:y1, x0:x1]
        whole[y0:y1, x0:x1] = there * (1 - left) if stroke.wipes else there + left * (1 - there)
    return whole


def _away(points: np.ndarray, x0: int, y0: int, x1: int, y1: int) -> np.ndarray:
    """(y1 - y0, x1 - x0) pixels from a line through points (n, 2)."""
    y, x = (np.arange(y0, y1, dtype=np.float32) + 0.5)[:, None], np.arange(x0, x1, dtype=np.float32) + 0.5
    best = np.full((y1 - y0, x1 - x0), np.float32(1e9))
    starts, ends = (points[:-1], points[1:]) if len(points) > 1 else (points, points)
    for (ax, ay), (bx, by) in zip(starts, ends):
        dx, dy = bx - ax, by - ay
        along = np.clip(((x - ax) * dx + (y - ay) * dy) / max(float(dx * dx + dy * dy), 1e-6), 0, 1)
        np.minimum(best, (x - ax - along * dx) ** 2 + (y - ay - along * dy) ** 2, out=best)
    return np.sqrt(best)


def _alike(lab: np.ndarray, points: np.ndarray, x0: int, y0: int, x1: int, y1: int, edges: float) -> np.ndarray:
    """How far the colours of a box are like those under a stroke: by the nearest of a few of them in Oklab, strictly where `edges` is 1."""
    h, w = lab.shape[:2]
    chosen = points[np.linspace(0, len(points) - 1, min(len(points), 12)).astype(int)].astype(int)
    under = lab[np.clip(chosen[:, 1], 0, h - 1), np.clip(chosen[:, 0], 0, w - 1)]
    box = lab[y0:y1, x0:x1]
    off = np.min([((box - one) ** 2).sum(-1) for one in under], 0)
    reach = 0.02 + 0.3 * (1 - edges) ** 2
    return np.exp(-off / np.float32(reach * reach)).astype(np.float32)


def _facing(planes: Planes) -> np.ndarray:
    """(h, w) how far what is seen faces the camera: 1 straight, 0 edgewise or nothing there."""
    if planes.eye is None:
        raise BadValue("Which way things face the camera is only known of renders of this project.")
    normal, place = planes.data("normal_first"), planes.data("position")
    way = np.array(planes.eye, np.float32) - place
    length = np.linalg.norm(normal, axis=-1) * np.linalg.norm(way, axis=-1)
    return np.where(length > 1e-6, (normal * way).sum(-1) / np.maximum(length, 1e-6), 0)


def _shape(mask: Mask, h: int, w: int) -> np.ndarray:
    y, x = np.meshgrid(np.arange(h) + 0.5, np.arange(w) + 0.5, indexing="ij")
    if mask.kind == "polygon":
        return _polygon(mask.points, h, w)
    turn = np.radians(mask.turn)
    dx, dy = x - mask.across * w, y - mask.down * h
    across, down = dx * np.cos(turn) + dy * np.sin(turn), dy * np.cos(turn) - dx * np.sin(turn)
    if mask.kind == "gradient":  # from nothing at the upper end to all at the lower, over its height
        return smooth(down / max(1e-6, mask.height * h) + 0.5)
    half_w, half_h = max(1e-6, 0.5 * mask.width * w), max(1e-6, 0.5 * mask.height * h)
    if mask.kind == "ellipse":
        out = (np.hypot(across / half_w, down / half_h) - 1) * min(half_w, half_h)  # pixels beyond its edge, nearly
    else:
        out = np.maximum(np.abs(across) - half_w, np.abs(down) - half_h)
    return np.clip(0.5 - out, 0, 1)


def _polygon(points: tuple[tuple[float, float], ...], h: int, w: int) -> np.ndarray:
    if len(points) < 3:
        raise BadValue("A mask by a polygon wants three corners at least.")
    middle = 0.5 / FINER  # the drawing counts from the middle of its first step
    return covered([[(x * w - middle, y * h - middle) for x, y in points]], w, h)
