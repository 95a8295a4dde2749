"""What a picture is traced with, as the row of numbers the kernels read."""

import math

import numpy as np

from aulmo.document.records import Camera, Document, RenderSettings
from aulmo.surface.colour import LUMINANCE
from aulmo.trace.compile import arrays as a
from aulmo.trace.shape.embree import MASK_LAMP
from aulmo.frame.camera import camera_axes
from aulmo.frame.exposure import white_gains, white_nits
from aulmo.frame.photograph import laid_out, photographed, sees_photograph
from aulmo.trace.scene import LAMP_PART, MANY_LAMPS, Scene


def options_row(
    scene: Scene, document: Document, camera: Camera, settings: RenderSettings, transparent: bool = False, lasting: bool = False
) -> np.ndarray:  # fmt: skip
    """The kernel's options row, for a document that is resolved. `lasting` tells that the shutter stays open while things move."""
    backdrop = document.backdrop
    transparent = transparent or backdrop.kind == "transparent"
    row = np.zeros(a.OPT_COLUMNS)
    white = white_nits(camera)
    row[a.OPT_BOUNCES], row[a.OPT_DIFFUSE_BOUNCES] = settings.bounces, settings.diffuse_bounces
    row[a.OPT_SPECULAR_BOUNCES], row[a.OPT_CLEAR_BOUNCES] = settings.specular_bounces, settings.clear_bounces
    row[a.OPT_SCATTERS], row[a.OPT_SEED] = settings.scatters, settings.seed
    row[a.OPT_LAMP_MASK] = MASK_LAMP if (scene.arrays.instance_part == LAMP_PART).any() else 0
    row[a.OPT_SHUTTER_CLOSE] = float(lasting)  # in shares of the opening
    row[a.OPT_STRAIGHT_GLASS] = float(settings.straight_glass)
    row[a.OPT_CLAMP] = white * 2.0**settings.clamp_stops if settings.clamp_stops > 0 else 1e30
    kinds = {
        "environment": a.BACKDROP_ENVIRONMENT,
        "colour": a.BACKDROP_COLOUR,
        "gradient": a.BACKDROP_GRADIENT,
        "transparent": a.BACKDROP_TRANSPARENT,
        "photograph": a.BACKDROP_PHOTOGRAPH,
    }
    gains = white_gains(camera)
    row[a.OPT_BALANCE : a.OPT_BALANCE + 3] = np.log2(gains)
    row[a.OPT_BACKDROP] = a.BACKDROP_TRANSPARENT if transparent else kinds[backdrop.kind]
    if backdrop.kind == "photograph" and not transparent:
        _photograph(row, document, camera, gains)
    row[a.OPT_BACKDROP_TOP : a.OPT_BACKDROP_TOP + 3] = np.array(backdrop.top) * white
    row[a.OPT_BACKDROP_BOTTOM : a.OPT_BACKDROP_BOTTOM + 3] = np.array(backdrop.bottom) * white
    row[a.OPT_ENV_SCALE] = 2.0**document.environment.exposure
    row[a.OPT_ENV_CHANCE], row[a.OPT_DISTANT_CHANCE] = _light_chances(scene, row[a.OPT_ENV_SCALE])
    environment = document.environment
    if environment.radius_mm > 0:
        row[a.OPT_DOME_RADIUS], row[a.OPT_DOME_CENTRE : a.OPT_DOME_CENTRE + 3] = environment.radius_mm, environment.centre
        row[a.OPT_DOME_ON_FLOOR], row[a.OPT_DOME_FLOOR] = float(environment.on_floor), document.floor.height
    floor = document.floor
    middle = 0.5 * (scene.low + scene.high)
    row[a.OPT_SHADOW], row[a.OPT_SHADOW_SIZE], row[a.OPT_SHADOW_MIDDLE : a.OPT_SHADOW_MIDDLE + 2] = floor.shadow, floor.size_mm, middle[:2]
    row[a.OPT_CONTACT], row[a.OPT_CONTACT_REACH] = floor.contact, floor.contact_mm
    if scene.clear_box is not None:
        row[a.OPT_HAS_CLEAR] = 1.0
        row[a.OPT_CLEAR_BOX : a.OPT_CLEAR_BOX + 6] = scene.clear_box
    row[a.OPT_WHITE] = white
    row[a.OPT_GRADIENT_SPAN] = 1.0
    if len(scene.arrays.nodes) and scene.arrays.nodes[0, a.NODE_ALL, 0] > MANY_LAMPS:
        row[a.OPT_CANDIDATES], row[a.OPT_LATER_CANDIDATES] = 2, 1
    return row


def _photograph(row: np.ndarray, document: Document, camera: Camera, gains: np.ndarray) -> None:
    """Where the photograph lies for the shot's own camera; in any other view a plain grey stands for it."""
    shot = photographed(document)
    if shot is None or not sees_photograph(document, camera):
        row[a.OPT_BACKDROP] = a.BACKDROP_COLOUR
        return
    laid = laid_out(document, shot)
    own = document.cameras[shot.camera]
    row[a.OPT_PHOTO : a.OPT_PHOTO + 3] = own.position
    for k, axis in zip((a.OPT_PHOTO_RIGHT, a.OPT_PHOTO_UP, a.OPT_PHOTO_FORWARD), camera_axes(own)):
        row[k : k + 3] = axis
    row[a.OPT_PHOTO_TAN_W], row[a.OPT_PHOTO_TAN_H] = laid.tan_w, laid.tan_h
    row[a.OPT_PHOTO_SHIFT_X], row[a.OPT_PHOTO_SHIFT_Y] = laid.shift_x, laid.shift_y
    row[a.OPT_PHOTO_BEND] = own.bend
    row[a.OPT_PHOTO_GAIN : a.OPT_PHOTO_GAIN + 3] = 1.0 / gains


def _light_chances(scene: Scene, scale: float) -> tuple[float, float]:
    """Chances of sampling the environment and distant lamps; the rest goes to the lamps in the scene. By the light each sends there."""
    arrays = scene.arrays
    dome = float(arrays.env[::4, ::4].mean() * np.pi) * scale
    distant = sum(float(LUMINANCE @ r[a.LAMP_RGB : a.LAMP_RGB + 3]) * (math.pi * 2 * r[a.LAMP_SIZE_2] or 1.0) for r in arrays.lamps[arrays.distant])
    near = 0.0
    if len(arrays.nodes):
        root = arrays.nodes[0, a.NODE_ALL]
        centre, power = root[1:4], float(root[5])
        apart = np.linalg.norm(centre - 0.5 * (scene.low + scene.high))
        reach = max(float(apart), 0.5 * float(np.linalg.norm(scene.high - scene.low)))
        near = power / math.pi / reach**2
    parts = np.array([dome, distant, near])
    present = parts > 0
    if not present.any():
        return 1.0, 0.0
    share = parts / parts.sum()
    share = np.where(present, np.maximum(share, np.minimum(0.15, 100.0 * share)), 0.0)  # weak light may matter somewhere, next to none cannot
    share /= share.sum()
    return float(share[0]), float(share[1])
