"""Softboxes: where they lie on the dome, how bright white is, new ones, and what is done with a whole one."""

import math
from typing import Sequence

import numpy as np
from msgspec.structs import replace

from aulmo.document import edits
from aulmo.document.records import Document, GradeStop, Softbox
from aulmo.errors import BadValue
from aulmo.light.dome_map import angles, direction
from aulmo.light.environment_image import CARD_LUX

WHITE_NITS = CARD_LUX / math.pi  # of a white card under the light that all sets are brought to: 955 nits
WIDEST_FLAT = 160.0  # degrees; what is wider is bent round the dome
NAMES = {"plain": "Softbox", "graded": "Graded softbox", "picture": "Picture light"}


def frame(box: Softbox) -> tuple[np.ndarray, np.ndarray, np.ndarray]:
    """Unit vectors (3,) to a softbox's middle, to its own right and up, as seen from the middle of the dome."""
    middle = direction(box.azimuth, box.elevation)
    a, e, t = np.radians([box.azimuth, box.elevation, box.turn])
    right = np.array([np.cos(a), np.sin(a), 0.0])
    up = np.array([-np.sin(a) * np.sin(e), np.cos(a) * np.sin(e), np.cos(e)])
    return middle, np.cos(t) * right + np.sin(t) * up, np.cos(t) * up - np.sin(t) * right


def placed(box: Softbox, middle, right=None) -> Softbox:
    """The softbox with its middle along a direction; its own right as near as can be to `right`, or its turn kept."""
    azimuth, elevation = angles(middle)
    box = replace(box, azimuth=azimuth, elevation=elevation)
    if right is None:
        return box
    _, x, y = frame(replace(box, turn=0.0))
    return replace(box, turn=math.degrees(math.atan2(float(np.dot(right, y)), float(np.dot(right, x)))))


def goes_round(box: Softbox) -> bool:
    """Whether it is bent along a great circle: by choice, or since no flat one could be as wide."""
    return box.bent or (box.shape == "rectangle" and max(box.width, box.height) > WIDEST_FLAT)


def new_softbox(document: Document, kind: str = "plain", **changes) -> Softbox:
    """A softbox of a kind, named apart from the others. Raises BadValue for a kind or a number that makes no sense."""
    from aulmo.document.properties import accepted
    from aulmo.document.property_table import TABLE

    if kind not in NAMES:
        raise BadValue(f"There is no softbox of the kind {kind}; there are {', '.join(NAMES)}.")
    known = TABLE[Softbox]
    for key, value in changes.items():
        if key not in known:
            raise BadValue(f"A softbox has no {key}.")
        if known[key].kind != "many":
            changes[key] = accepted(known[key], value)
    name = edits.free_name(changes.pop("name", NAMES[kind]), (b.name for b in document.environment.softboxes))
    return replace(Softbox(edits.new_id(), name), kind=kind, **changes)


def find(document: Document, box_id: str) -> Softbox:
    """The softbox with an id. Raises BadValue."""
    for box in document.environment.softboxes:
        if box.id == box_id:
            return box
    raise BadValue("There is no such softbox.")


def put_softbox(document: Document, box: Softbox) -> Document:
    """The document with a softbox in place of the one with its id, or on top."""
    boxes = document.environment.softboxes
    known = any(b.id == box.id for b in boxes)
    boxes = tuple(box if b.id == box.id else b for b in boxes) if known else (*boxes, box)
    return with_softboxes(document, boxes)


def with_softboxes(document: Document, boxes: Sequence[Softbox]) -> Document:
    """The document with these softboxes, the lowest first."""
    return replace(document, environment=replace(document.environment, softboxes=tuple(boxes)))


def mirrored(box: Softbox, heading: float = 0.0) -> Softbox:
    """The softbox on the other side of the camera, which stands at azimuth `heading`: its left is right."""
    grades = tuple(GradeStop(1 - g.at, g.stops, g.colour) for g in reversed(box.grades)) if box.grade == "across" else box.grades
    return replace(box, azimuth=wrapped(2 * heading - box.azimuth), turn=wrapped(-box.turn), grades=grades)


def wrapped(degrees: float) -> float:
    """The same angle from -180 up to 180."""
    return round((degrees + 180.0) % 360.0 - 180.0, 6)


def shining(boxes: Sequence[Softbox], alone: bool = False) -> tuple[Softbox, ...]:
    """Those that count, the lowest first. `alone` tells that a solo elsewhere (of a lamp) silences all that are not solo."""
    alone = alone or any(b.solo for b in boxes)
    return tuple(b for b in boxes if b.on and b.opacity > 0 and (b.solo or not alone))


def nits(box: Softbox) -> float:
    """Luminance of its brightest place."""
    return WHITE_NITS * 2.0**box.stops


def waste(boxes: Sequence[Softbox]) -> dict[str, str]:
    """A sentence for each softbox that others cover for the most part, by its id."""
    told = {}
    for k, box in enumerate(boxes):
        if not box.on or box.blend == "flag":
            continue
        points = _spread_over(box)
        for over in boxes[k + 1 :]:
            if over.on and over.blend == "over" and over.opacity > 0.5:
                hidden = float(np.mean(within(over, points))) * over.opacity
                if hidden > 0.3:
                    told[box.id] = f"{over.name} hides {round(100 * hidden)} % of it"
    return told


def toward(box: Softbox, x, y) -> np.ndarray:
    """(n, 3) unit directions to places of a softbox, given as shares (n,) of its half width to its right and half height up."""
    middle, right, up = frame(box)
    x, y = np.asarray(x, float) * math.radians(box.width / 2), np.asarray(y, float) * math.radians(box.height / 2)
    if goes_round(box):
        lon, lat, p, q = (x, y, right, up) if box.width >= box.height else (y, x, up, right)
        flat = np.cos(lat)
        return flat[..., None] * (np.cos(lon)[..., None] * middle + np.sin(lon)[..., None] * p) + np.sin(lat)[..., None] * q
    if box.shape == "rectangle":
        d = middle + np.tan(np.clip(x, -1.5, 1.5))[..., None] * right + np.tan(np.clip(y, -1.5, 1.5))[..., None] * up
        return d / np.linalg.norm(d, axis=-1, keepdims=True)
    angle = np.hypot(x, y)
    across = np.sin(angle) / np.maximum(1e-12, angle)
    return np.cos(angle)[..., None] * middle + (x * across)[..., None] * right + (y * across)[..., None] * up


def angles_in(box: Softbox, directions: np.ndarray) -> tuple[np.ndarray, np.ndarray]:
    """Degrees (n,) to the right and up, in a softbox's own measure, at which directions (n, 3) lie; endless for what lies behind a flat one."""
    middle, right, up = frame(box)
    c, x, y = directions @ middle, directions @ right, directions @ up
    if goes_round(box) and box.width >= box.height:
        found = np.arctan2(x, c), np.arcsin(np.clip(y, -1, 1))
    elif goes_round(box):
        found = np.arcsin(np.clip(x, -1, 1)), np.arctan2(y, c)
    elif box.shape == "rectangle":
        found = np.where(c > 0, np.arctan2(x, c), np.inf), np.where(c > 0, np.arctan2(y, c), np.inf)
    else:
        across = np.hypot(x, y)
        share = np.arctan2(across, c) / np.maximum(1e-12, across)
        found = x * share, y * share
    return np.degrees(found[0]), np.degrees(found[1])


def _spread_over(box: Softbox, side: int = 9) -> np.ndarray:
    """(n, 3) directions spread over a softbox's face."""
    s = (np.arange(side) + 0.5) / side * 2 - 1
    x, y = np.meshgrid(s, s)
    return toward(box, x.ravel(), y.ravel())


def within(box: Softbox, directions: np.ndarray) -> np.ndarray:
    """(n,) bool: directions (n, 3) within the rectangle around a softbox's outline."""
    x, y = angles_in(box, directions)
    return (np.abs(x) <= box.width / 2) & (np.abs(y) <= box.height / 2)


def edge_places(box: Softbox, count: int = 96) -> tuple[np.ndarray, np.ndarray]:
    """Shares (n,) of half width and half height along a softbox's outline, closed."""
    t = np.linspace(0, 2 * np.pi, count + 1)
    if box.shape == "polygon":
        t = np.linspace(0, 2 * np.pi, box.sides + 1)
        return np.sin(t), np.cos(t)
    if box.shape == "half":
        arc = np.linspace(0, np.pi, count // 2)
        return np.concatenate([np.cos(arc), [-1.0, 1.0]]), np.concatenate([2 * np.sin(arc) - 1, [-1.0, -1.0]])
    if box.shape in ("round", "ring"):
        return np.cos(t), np.sin(t)
    half = min(box.width, box.height)
    a, b = box.corner * half / box.width, box.corner * half / box.height
    x, y = [], []
    for k, (sx, sy) in enumerate(((1, 1), (-1, 1), (-1, -1), (1, -1))):
        arc = np.linspace(0, np.pi / 2, 7) + k * np.pi / 2
        x.append(sx * (1 - a) + a * np.cos(arc))
        y.append(sy * (1 - b) + b * np.sin(arc))
    corners = np.array([np.concatenate(x), np.concatenate(y)]).T
    closed = np.concatenate([corners, corners[:1]])
    steps = np.linspace(0, 1, 9)[:-1]
    line = np.concatenate([closed[:-1] + s * (closed[1:] - closed[:-1]) for s in steps], 1).reshape(-1, 2)  # long sides bend on the map
    return np.append(line[:, 0], line[0, 0]), np.append(line[:, 1], line[0, 1])
