"""Masks: where a layer shows or a grade holds, (h, w) shares."""

import numpy as np
from scipy.ndimage import gaussian_filter

from aulmo.document.finish_records import Mask
from aulmo.errors import BadValue
from aulmo.finish.grading import from_hue, hue_of, luminance, smooth, to_oklab
from aulmo.finish.planes import Planes
from aulmo.trace.plate import FINER, covered


def mask_of(masks: tuple[Mask, ...], planes: Planes, rgb: np.ndarray) -> np.ndarray | None:
    """All masks of a layer together; None when there are none: it holds everywhere. `rgb` is the light below, which luminance and hue are of. Raises
    BadValue with a sentence when a pass or a name is not there."""
    if not masks:
        return None
    whole = np.zeros(rgb.shape[:2], np.float32) if masks[0].how == "add" else np.ones(rgb.shape[:2], np.float32)
    for mask in masks:
        one = np.clip(_one(mask, planes, rgb), 0, 1)
        if mask.feather > 0:
            one = gaussian_filter(one, mask.feather * 1e-3 * rgb.shape[1] / 2, mode="nearest")
        if mask.outside:
            one = 1 - one
        if mask.how == "add":
            whole = whole + one - whole * one
        else:
            whole = whole * (1 - one) if mask.how == "take" else whole * one
    return whole.astype(np.float32)


def _range(values: np.ndarray, low: float, high: float, soft: float) -> np.ndarray:
    """1 within a range, 0 outside of it, smooth over `soft` beyond its ends."""
    if soft <= 0:
        return ((values >= low) & (values <= high)).astype(np.float32)
    return smooth(np.minimum((values - low) / soft + 1, (high - values) / soft + 1)).astype(np.float32)


def _one(mask: Mask, planes: Planes, rgb: np.ndarray) -> np.ndarray:
    if mask.kind in ("part", "material"):
        if not mask.names:
            raise BadValue(f"A mask by {mask.kind} names none.")
        return np.sum([planes.matte(mask.kind, name) for name in mask.names], 0)
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
        return _range(from_hue(hue_of(lab), middle), -1.0, half, mask.soft) * smooth(np.hypot(lab[..., 1], lab[..., 2]) / 0.02)
    return _shape(mask, *rgb.shape[:2])


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
    dx, dy = x - mask.x * w, y - mask.y * h
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
