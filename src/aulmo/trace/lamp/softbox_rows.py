"""From the softboxes of a document to the rows, tables and pictures that the kernels read."""

import functools
import math
from typing import NamedTuple, Sequence

import numpy as np

from aulmo.document.assets import AssetStore
from aulmo.document.records import Softbox
from aulmo.light import light_pictures, photometry
from aulmo.light.softbox import frame, goes_round, nits
from aulmo.surface.colour import LUMINANCE
from aulmo.trace.compile import arrays as a
from aulmo.trace.lamp.softboxes import box_table

SHAPES = {"rectangle": a.BOX_RECTANGLE, "round": a.BOX_ROUND, "ring": a.BOX_RING, "half": a.BOX_HALF, "polygon": a.BOX_POLYGON}
BLENDS = {"over": a.BOX_OVER, "add": a.BOX_ADD, "flag": a.BOX_FLAG}
GRADES = {"along": a.GRADED_ALONG, "across": a.GRADED_ACROSS, "round": a.GRADED_ROUND}
GRADE_STEPS = 64


class Softboxes(NamedTuple):
    """Rows (b, SB_COLUMNS), the lowest first; tables and pictures by which they are read; the records they are of."""

    rows: np.ndarray
    tables: np.ndarray
    lights: np.ndarray
    records: tuple[Softbox, ...]


NONE = Softboxes(np.zeros((0, a.SB_COLUMNS)), np.zeros(0, np.float32), np.zeros((0, 4), np.float32), ())


def graded(box: Softbox) -> np.ndarray:
    """(GRADE_STEPS, 4) float32 light and cover from one end of a grade to the other: even in stops between its marks."""
    marks = sorted(box.grades, key=lambda g: g.at)
    at = (np.arange(GRADE_STEPS) + 0.5) / GRADE_STEPS
    where = [g.at for g in marks]
    bright = 2.0 ** np.interp(at, where, [g.stops for g in marks])
    colour = np.stack([np.interp(at, where, [g.colour[c] for g in marks]) for c in range(3)], 1)
    return np.concatenate([colour * bright[:, None], np.ones((GRADE_STEPS, 1))], 1).astype(np.float32)


def row_of(box: Softbox) -> np.ndarray:
    """(SB_COLUMNS,) of a softbox that lies as it says, without table and picture."""
    row = np.zeros(a.SB_COLUMNS)
    middle, right, up = frame(box)
    w, h = np.radians([max(0.02, box.width) / 2, max(0.02, box.height) / 2])
    bent = goes_round(box)
    if bent:
        w, h = (w, min(h, math.pi / 2)) if w >= h else (min(w, math.pi / 2), h)
    wide = w >= h
    row[a.SB_MIDDLE : a.SB_MIDDLE + 3], row[a.SB_RIGHT : a.SB_RIGHT + 3], row[a.SB_UP : a.SB_UP + 3] = middle, right, up
    row[a.SB_LONG : a.SB_LONG + 3], row[a.SB_SHORT : a.SB_SHORT + 3] = (right, up) if wide else (up, right)
    row[a.SB_HALF_W], row[a.SB_HALF_H] = w, h
    row[a.SB_SHAPE], row[a.SB_BENT] = SHAPES[box.shape], (1.0 if wide else 2.0) if bent else 0.0
    row[a.SB_CORNER], row[a.SB_INNER], row[a.SB_SIDES] = box.corner, box.inner, box.sides
    row[a.SB_EDGE], row[a.SB_HOT_SIZE], row[a.SB_HOT] = max(1e-6, box.edge), box.hot_size, box.hot
    row[a.SB_RGB : a.SB_RGB + 3] = photometry.tint(min(25000.0, max(1667.0, box.kelvin)), box.colour) * nits(box)
    row[a.SB_OPACITY], row[a.SB_BLEND] = box.opacity, BLENDS[box.blend]
    _bound(row, max(w, h), min(w, h), bent)
    return row


def _bound(row: np.ndarray, long: float, short: float, bent: bool) -> None:
    """How far the table reaches, and the cosine within which all of it lies."""
    if bent:
        row[a.SB_LON], row[a.SB_HIGH] = min(math.pi, long), math.sin(min(math.pi / 2, short))
        row[a.SB_NEAR] = -1.01 if long > math.pi / 2 else math.cos(long) * math.cos(short) - 1e-9
    elif int(row[a.SB_SHAPE]) == a.BOX_RECTANGLE:
        row[a.SB_LON], row[a.SB_HIGH] = long, math.sin(short)
        row[a.SB_NEAR] = 1.0 / math.sqrt(1 + math.tan(long) ** 2 + math.tan(short) ** 2) - 1e-9
    else:  # distances from the middle are kept: found along the outline of the ellipse
        phi = np.linspace(0, 2 * np.pi, 721)
        x, y = long * np.cos(phi), short * np.sin(phi)
        angle = np.hypot(x, y)
        across = np.sin(angle) / np.maximum(1e-12, angle)
        lon = np.abs(np.arctan2(x * across, np.cos(angle))).max()
        turns_round = angle.max() > math.pi / 2
        row[a.SB_LON] = math.pi if turns_round else min(math.pi, 1.001 * lon)
        row[a.SB_HIGH] = 1.0 if short > math.pi / 2 else min(1.0, 1.001 * float(np.abs(y * across).max()))
        if turns_round and short > 0.25:
            row[a.SB_HIGH] = max(row[a.SB_HIGH], min(1.0, float(np.sin(min(math.pi / 2, short)))))
        row[a.SB_NEAR] = -1.01 if angle.max() >= math.pi else math.cos(angle.max()) - 1e-9


class BoxBook:
    """Keeps pictures on softboxes between builds, and tables of those above which nothing changed."""

    def __init__(self, assets: AssetStore) -> None:
        self.assets = assets
        self._tables: dict[tuple, np.ndarray] = {}

    def gather(self, boxes: Sequence[Softbox], tables: bool = True) -> Softboxes:
        """Rows and tables of softboxes that lie as they say, the lowest first. Raises BadFile for a picture that cannot be read."""
        if not boxes:
            return NONE
        rows = np.array([row_of(box) for box in boxes])
        lights = [np.zeros((0, 4), np.float32)]
        start = 0
        for row, box in zip(rows, boxes):
            if box.blend == "flag" or box.kind == "plain":
                continue
            if box.kind == "graded" and box.grades:
                pixels = graded(box)[None]
                row[a.SB_GRADE] = GRADES[box.grade]
            elif box.kind == "picture":
                pixels = self._picture(box)
                row[a.SB_GRADE] = a.PICTURED
            else:
                continue
            row[a.SB_FIRST], row[a.SB_TEXELS], row[a.SB_ROWS] = start, pixels.shape[1], pixels.shape[0]
            lights.append(pixels.reshape(-1, 4))
            start += pixels.shape[0] * pixels.shape[1]
        all_lights = np.ascontiguousarray(np.concatenate(lights), np.float32)
        rows[:, a.SB_TABLE] = np.arange(len(rows)) * a.BOX_TABLE
        fresh: dict[tuple, np.ndarray] = {}
        for k in range(len(boxes) if tables else 0):
            key = tuple(boxes[k:])
            fresh[key] = self._tables[key] if key in self._tables else box_table(rows, all_lights, k)
        self._tables = fresh if tables else self._tables
        found = np.concatenate([fresh[tuple(boxes[k:])] for k in range(len(boxes))]) if tables else np.zeros(len(boxes) * a.BOX_TABLE, np.float32)
        return Softboxes(np.ascontiguousarray(rows), found, all_lights, tuple(boxes))

    def _picture(self, box: Softbox) -> np.ndarray:
        if box.shipped:
            return light_pictures.shipped(box.picture)
        return _own(self.assets.get(box.picture), box.picture)


@functools.lru_cache(maxsize=16)
def _own(blob: bytes, name: str) -> np.ndarray:
    return light_pictures.from_blob(blob, name)


def lamp_rows_of(soft: Softboxes, groups: list[str]) -> list[np.ndarray]:
    """Rows of lamps that stand for softboxes in the choice among lights; names of their light groups are added to `groups`."""
    from aulmo.trace.lamp.softboxes import paint_box

    rows = []
    for k, box in enumerate(soft.records):
        if box.blend == "flag":
            continue
        group = box.group or box.name
        if group not in groups:
            groups.append(group)
        own = soft.rows[k]
        row = np.zeros(a.LAMP_COLUMNS)
        row[a.LAMP_KIND], row[a.LAMP_FIRST], row[a.LAMP_GROUP] = a.SOFTBOX, k, groups.index(group)
        row[a.LAMP_N : a.LAMP_N + 3] = -own[a.SB_MIDDLE : a.SB_MIDDLE + 3]
        near = own[a.SB_NEAR]
        row[a.LAMP_SIZE] = math.sqrt(max(0.0, 1 - near * near)) if near > 0 else 1.0
        # a draft asks for no chances, and so for one kernel less
        light = _mean_light(soft, k, paint_box) if soft.tables.any() else own[a.SB_RGB : a.SB_RGB + 3] * own[a.SB_OPACITY]
        solid = 4 * own[a.SB_LON] * own[a.SB_HIGH]
        row[a.LAMP_RGB : a.LAMP_RGB + 3], row[a.LAMP_SIZE_2] = light, solid / (2 * math.pi)
        row[a.LAMP_COS_FULL] = row[a.LAMP_COS_EDGE] = -2.0
        row[a.LAMP_IES] = -1.0
        rows.append(row)
    return rows


def _mean_light(soft: Softboxes, k: int, paint) -> np.ndarray:
    """(3,) mean radiance over the reach of a softbox's table."""
    row = soft.rows[k]
    share = (np.arange(24) + 0.5) / 12 - 1
    lon, high = np.meshgrid(share * row[a.SB_LON], share * row[a.SB_HIGH])
    flat = np.sqrt(np.maximum(0.0, 1 - high * high))
    axes = np.stack([row[k : k + 3] for k in (a.SB_MIDDLE, a.SB_LONG, a.SB_SHORT)])
    directions = np.stack([flat * np.cos(lon), flat * np.sin(lon), high], -1).reshape(-1, 3) @ axes
    out = np.empty_like(directions)
    paint(soft.rows, soft.lights, k, directions, out)
    return out.mean(0)


def chances(rows: Sequence[np.ndarray]) -> None:
    """Give distant lamps and softboxes their share in the light of them all."""
    light = np.array([float(LUMINANCE @ row[a.LAMP_RGB : a.LAMP_RGB + 3]) * (2 * math.pi * row[a.LAMP_SIZE_2] or 1.0) for row in rows])
    total = light.sum()
    for row, one in zip(rows, light):
        row[a.LAMP_CHANCE] = one / total if total > 0 else 1.0 / len(rows)
