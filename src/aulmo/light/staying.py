"""What light goes along with: the scene, the camera, or a part, so that a turntable keeps its lighting or lets it run over the product.

What stays with the scene lies still, unless a turntable or an orbit carries it along. What stays with the camera goes round with it, about the
upright through the point it looks at: it never tilts. What stays with a part is turned as the part is, a lamp also moved. Softboxes, lamps and
the dome are stored as they lie in those axes; here they are brought into the world.
"""

import math
from typing import NamedTuple

import numpy as np
from msgspec.structs import replace

from aulmo.document.placement import angles_of, turn_matrix, without_scale, world_matrix
from aulmo.document.records import Camera, Document, Environment, Lamp, Softbox
from aulmo.light.dome_map import angles
from aulmo.light.softbox import frame, placed, wrapped

STILL = np.eye(4)


class Standing(NamedTuple):
    """Light as it stands in the world: the dome with its softboxes, the turn (3, 3) of its ground's own axes, lamps by id."""

    environment: Environment
    ground: np.ndarray
    lamps: dict[str, Lamp]


def heading(camera: Camera) -> float:
    """Azimuth in degrees at which a camera stands, as seen from what it looks at."""
    away = np.array(camera.position, float) - np.array(camera.target, float)
    return angles(away)[0] if math.hypot(away[0], away[1]) > 1e-9 else 0.0


def followed(document: Document, stays_with: str, part: str | None, camera: Camera | None) -> np.ndarray:
    """(4, 4) the axes of what something stays with, in the world; without scale."""
    if stays_with == "dome":
        return followed(document, document.environment.stays_with, document.environment.part, camera)
    if stays_with == "camera" and camera is not None:
        matrix = np.eye(4)
        matrix[:3, :3] = turn_matrix((0.0, 0.0, heading(camera)))
        matrix[:3, 3] = camera.target
        return matrix
    if stays_with == "part":
        part = part if part in document.parts else next(iter(document.roots), None)
        if part is not None:
            return without_scale(world_matrix(document, part))
    return carried(document)


def carried(document: Document) -> np.ndarray:
    """(4, 4) by which a motion carries the light of the scene along at this moment."""
    held = document.moved.carried
    return np.array(held, float).reshape(4, 4) if held else STILL


def goes_along(document: Document) -> bool:
    """Whether any light stays with something that is not the scene."""
    environment = document.environment
    return (
        bool(document.moved.carried)
        or environment.stays_with != "scene"
        or any(box.stays_with not in ("dome", "scene") for box in environment.softboxes)
        or any(lamp.stays_with != "scene" for lamp in document.lamps.values())
    )


def axes_followed(document: Document, camera: Camera | None) -> tuple:
    """All axes that light goes along with, as numbers: where they are equal, so is the light."""
    if not goes_along(document):
        return ()
    keys: list[tuple[str, str | None]] = [(document.environment.stays_with, document.environment.part)]
    keys += [(b.stays_with, b.part) for b in document.environment.softboxes] + [(lamp.stays_with, lamp.part) for lamp in document.lamps.values()]
    return tuple(tuple(followed(document, *key, camera).round(9).ravel().tolist()) for key in dict.fromkeys(keys))


def standing(document: Document, camera: Camera | None) -> Standing:
    """All light as it stands in the world; the very records when nothing goes along with anything."""
    environment = document.environment
    if not goes_along(document):
        return Standing(environment, STILL[:3, :3], document.lamps)
    dome = followed(document, environment.stays_with, environment.part, camera)[:3, :3]
    boxes = tuple(in_world(document, box, camera) for box in environment.softboxes)
    lamps = {i: lamp_in_world(document, lamp, camera) for i, lamp in document.lamps.items()}
    return Standing(replace(environment, softboxes=boxes), dome, lamps)


def in_world(document: Document, box: Softbox, camera: Camera | None) -> Softbox:
    """A softbox as it lies in the world."""
    turn = followed(document, box.stays_with, box.part, camera)[:3, :3]
    if (turn == np.eye(3)).all():
        return box
    middle, right, _ = frame(box)
    return placed(box, turn @ middle, turn @ right)


def from_world(document: Document, box: Softbox, camera: Camera | None) -> Softbox:
    """A softbox given as it lies in the world, as its own axes have it."""
    turn = followed(document, box.stays_with, box.part, camera)[:3, :3]
    if (turn == np.eye(3)).all():
        return box
    middle, right, _ = frame(box)
    return placed(box, turn.T @ middle, turn.T @ right)


def lamp_in_world(document: Document, lamp: Lamp, camera: Camera | None) -> Lamp:
    """A lamp as it stands in the world."""
    if lamp.stays_with == "scene" and not document.moved.carried:
        return lamp
    return _moved(lamp, followed(document, lamp.stays_with, lamp.part, camera))


def lamp_from_world(document: Document, lamp: Lamp, camera: Camera | None) -> Lamp:
    """A lamp given as it stands in the world, as its own axes have it."""
    if lamp.stays_with == "scene" and not document.moved.carried:
        return lamp
    return _moved(lamp, np.linalg.inv(followed(document, lamp.stays_with, lamp.part, camera)))


def _moved(lamp: Lamp, matrix: np.ndarray) -> Lamp:
    x, y, z = (matrix[:3, :3] @ np.array(lamp.position) + matrix[:3, 3]).tolist()
    a, b, c = angles_of((matrix[:3, :3] @ turn_matrix(lamp.turn))[None])[0].tolist()
    return replace(lamp, position=(x, y, z), turn=(a, b, c))


def box_stays(document: Document, box: Softbox, stays_with, part: str | None, camera: Camera | None) -> Softbox:
    """The softbox staying with something else from now on, without moving."""
    return from_world(document, replace(in_world(document, box, camera), stays_with=stays_with, part=part), camera)


def lamp_stays(document: Document, lamp: Lamp, stays_with, part: str | None, camera: Camera | None) -> Lamp:
    """The lamp staying with something else from now on, without moving."""
    return lamp_from_world(document, replace(lamp_in_world(document, lamp, camera), stays_with=stays_with, part=part), camera)


def dome_stays(document: Document, stays_with, part: str | None, camera: Camera | None) -> Document:
    """The document whose dome stays with something else from now on; its ground and softboxes keep where they are (of a ground, its turn)."""
    was = document.environment
    before = followed(document, was.stays_with, was.part, camera)[:3, :3]
    after = followed(document, stays_with, part, camera)[:3, :3]
    change = after.T @ before
    turned = math.degrees(math.atan2(change[1, 0], change[0, 0]))
    boxes = [in_world(document, box, camera) if box.stays_with == "dome" else box for box in was.softboxes]
    moved = replace(document, environment=replace(was, stays_with=stays_with, part=part, turn=wrapped(was.turn - turned)))
    kept = tuple(from_world(moved, box, camera) if box.stays_with == "dome" else box for box in boxes)
    return replace(moved, environment=replace(moved.environment, softboxes=kept))
