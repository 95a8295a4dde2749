"""The dome with all its softboxes as one picture: what the bench draws, and what is written as an EXR for other programs."""

from pathlib import Path
from typing import Callable

import numpy as np

from aulmo.document.assets import AssetStore
from aulmo.document.records import Camera, Document
from aulmo.errors import BadValue, CannotWrite
from aulmo.light.softbox import shining
from aulmo.light.staying import Standing, standing
from aulmo.surface.colour import ACESCG_TO_SRGB
from aulmo.trace.lamp.lamp_rows import silenced
from aulmo.trace.lamp.softbox_rows import BoxBook, Softboxes
from aulmo.trace.lamp.softboxes import paint_over
from aulmo.trace.lit import environment_pixels, environment_turn

LEAST, MOST = 64, 16384


def dome_light(ground: np.ndarray, turn: np.ndarray, scale: float, soft: Softboxes, directions: np.ndarray) -> np.ndarray:
    """(n, 3) nits along world directions (n, 3) of a dome: its ground's map, turned by `turn` (world to map) and scaled, and softboxes on it."""
    d = directions @ turn.T
    h, w = ground.shape[:2]
    fx = (0.5 + np.arctan2(d[:, 0], d[:, 1]) / (2 * np.pi)) * w - 0.5
    fy = np.arccos(np.clip(d[:, 2], -1, 1)) / np.pi * h - 0.5
    i, j = np.floor(fx).astype(int), np.floor(fy).astype(int)
    fx, fy = (fx - i)[:, None], (fy - j)[:, None]
    i0, i1, j0, j1 = i % w, (i + 1) % w, np.clip(j, 0, h - 1), np.clip(j + 1, 0, h - 1)
    upper = (1 - fx) * ground[j0, i0] + fx * ground[j0, i1]
    out = ((1 - fy) * upper + fy * ((1 - fx) * ground[j1, i0] + fx * ground[j1, i1])) * scale
    out = np.ascontiguousarray(out, float)
    if len(soft.rows):
        paint_over(soft.rows, soft.lights, np.ascontiguousarray(directions, float), out)
    return out


def soft_of(stands: Standing, assets: AssetStore, book: BoxBook | None = None) -> Softboxes:
    """The softboxes that shine on a dome, without tables."""
    return (book or BoxBook(assets)).gather(shining(stands.environment.softboxes, silenced(stands)), tables=False)


def save_dome(
    document: Document, assets: AssetStore, path: Path, width: int = 4096, camera: Camera | None = None,
    progress: Callable[[float], bool] | None = None,
) -> None:  # fmt: skip
    """Write the dome as a latitude-longitude EXR, full float, linear Rec.709, thousand nits to the unit; its middle looks along +y.

    It is painted band by band. `progress` may return False to give up; then nothing is left behind. Raises BadValue for a size that makes no
    sense and CannotWrite with a sentence.
    """
    import OpenImageIO as oiio

    if isinstance(width, bool) or not isinstance(width, int) or not LEAST <= width <= MOST or width % 2:
        raise BadValue(f"The width of a dome's picture has to be an even number from {LEAST} to {MOST}.")
    stands = standing(document, camera or (document.cameras[document.shots[0].camera] if document.shots else None))
    environment = stands.environment
    soft = soft_of(stands, assets)
    ground = environment_pixels(environment, assets) if not silenced(stands) else np.zeros((2, 4, 3), np.float32)
    turn, height = environment_turn(environment, stands.ground), width // 2
    partial = path.with_name(f".{path.name}.part.exr")
    spec = oiio.ImageSpec(width, height, 3, "float")
    spec.attribute("compression", "zip")
    out = oiio.ImageOutput.create(str(partial))
    phi = ((np.arange(width) + 0.5) / width - 0.5) * 2 * np.pi
    try:
        if out is None or not out.open(str(partial), spec):
            raise CannotWrite(f"{path.name} could not be written: {oiio.geterror() or 'the folder takes no files'}.")
        for y in range(0, height, 64):
            theta = (np.arange(y, min(height, y + 64)) + 0.5) / height * np.pi
            sine = np.sin(theta)[:, None]
            directions = np.stack([sine * np.sin(phi), sine * np.cos(phi), np.repeat(np.cos(theta)[:, None], width, 1)], -1)
            light = dome_light(ground, turn, 2.0**environment.exposure, soft, directions.reshape(-1, 3)) @ ACESCG_TO_SRGB.T / 1000.0
            band = np.ascontiguousarray(np.maximum(light, 0.0).reshape(len(theta), width, 3), np.float32)
            if not out.write_scanlines(y, y + len(theta), 0, band):
                raise CannotWrite(f"{path.name} could not be written: {out.geterror()}.")
            if progress is not None and progress((y + len(theta)) / height) is False:
                out.close()
                return
        if not out.close():
            raise CannotWrite(f"{path.name} could not be written: {out.geterror()}.")
        partial.replace(path)
    except OSError as error:
        raise CannotWrite(f"{path.name} could not be written: {error.strerror}.") from error
    finally:
        partial.unlink(missing_ok=True)
