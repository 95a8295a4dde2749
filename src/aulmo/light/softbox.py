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
                hidden = float(np.mean(_within(over, points))) * over.opacity
                if hidden > 0.3:
                    told[box.id] = f"{over.name} hides {round(100 * hidden)} % of it"
    return told


def _spread_over(box: Softbox, side: int = 9) -> np.ndarray:
    """(n, 3) directions spread over a softbox's face."""
    middle, right, up = frame(box)
    s = (np.arange(side) + 0.5) / side - 0.5
    x, y = np.meshgrid(s * np.radians(box.width), s * np.radians(box.height))
    if goes_round(box):
        lon, lat = (x, y) if box.width >= box.height else (y, x)
        p, q = (right, up) if box.width >= box.height else (up, right)
        d = np.cos(lat)[..., None] * (np.cos(lon)[..., None] * middle + np.sin(lon)[..., None] * p) + np.sin(lat)[..., None] * q
    else:
        d = middle + np.tan(np.clip(x, -1.5, 1.5))[..., None] * right + np.tan(np.clip(y, -1.5, 1.5))[..., None] * up
    d = d.reshape(-1, 3)
    return d / np.linalg.norm(d, axis=1, keepdims=True)


def _within(box: Softbox, directions: np.ndarray) -> np.ndarray:
    """(n,) bool: directions within the box around a softbox's outline."""
    middle, right, up = frame(box)
    c, x, y = directions @ middle, directions @ right, directions @ up
    w, h = np.radians([box.width / 2, box.height / 2])
    if goes_round(box) and box.width >= box.height:
        return (np.abs(np.arctan2(x, c)) <= w) & (np.abs(np.arcsin(np.clip(y, -1, 1))) <= h)
    if goes_round(box):
        return (np.abs(np.arctan2(y, c)) <= h) & (np.abs(np.arcsin(np.clip(x, -1, 1))) <= w)
    return (c > 0) & (np.abs(np.arctan2(x, c)) <= w) & (np.abs(np.arctan2(y, c)) <= h)
