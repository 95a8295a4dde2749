"""Tracing made-up scenes to numbers: known skies, a sheet, and one call that renders."""

from typing import NamedTuple

import numpy as np

from aulmo.document.meshes import Mesh
from aulmo.document.records import Camera, RenderSettings
from aulmo.trace.camera_rows import camera_rows, cameras_of
from aulmo.trace.compile import arrays as a
from aulmo.trace.options import options_row
from aulmo.trace.scene import SceneBuilder
from aulmo.trace.tracer import Tracer, exposure_of

NITS = 1000.0


class UniformDome(SceneBuilder):
    """A builder whose environment has the same luminance everywhere."""

    def _pixels(self, environment):
        image = np.full((128, 256, 3), NITS, np.float32)
        return image


class DistantSun(SceneBuilder):
    """A builder whose environment is one small bright patch overhead: 2 degrees across."""

    lux = 5000.0

    def _pixels(self, environment):
        image = np.zeros((512, 1024, 3), np.float32)
        rows = np.cos(np.arange(513) * np.pi / 512)
        image[:6] = 1.0
        solid = 2 * np.pi * (rows[0] - rows[6])
        return image * np.float32(self.lux / solid)


class Dark(SceneBuilder):
    """A builder whose environment gives no light at all."""

    def _pixels(self, environment):
        image = np.zeros((128, 256, 3), np.float32)
        return image


def look_down(height: float = 600.0) -> Camera:
    """A camera above the origin that looks straight down."""
    return Camera(id="c", name="Camera", position=(0.0, 0.0, height), target=(0.0, 0.0, 0.0), focal_length_mm=85.0, shutter=1 / 15)


def trace(
    document, assets, size=(80, 60), samples=64, builder=SceneBuilder, settings=None, transparent=False, plain=False, uniform=False, passes=False
):  # fmt: skip
    """Mean light of every pixel in nits. `plain` waits for luck instead of aiming at lights, `uniform` chooses evenly among lamps."""
    moments = exposure_of(document, document.shots[0])
    document = moments.first
    camera = document.cameras[document.shots[0].camera]
    scene = builder(assets).build(moments)
    options = options_row(scene, document, camera, settings or RenderSettings(clamp_stops=30), transparent, moments.lasting)
    options[a.OPT_PLAIN], options[a.OPT_UNIFORM_CHOICE], options[a.OPT_PASSES] = plain, uniform, passes
    if passes:
        options[a.OPT_GROUPS] = len(scene.groups)
    tracer = Tracer(scene, camera_rows(cameras_of(moments, camera), *size), options, *size)
    tracer.run(samples)
    return tracer.frame(), tracer


class Measured(NamedTuple):
    """A mean of light, and its standard error as its own samples tell it."""

    mean: float
    error: float


def measured(document, assets, size, samples, region=np.s_[:], builder=SceneBuilder, settings=None, plain=False, batches=8) -> Measured:
    """The mean of a region of the picture, nits, and how far it may be off: by the spread of `batches` that make it up."""
    frame, tracer = trace(document, assets, size, samples // batches, builder, settings, plain=plain)
    means = [frame.rgb[region].mean()]
    for _ in range(batches - 1):
        tracer.run(samples // batches)
        means.append(tracer.frame().rgb[region].mean())
    each = np.diff(np.arange(1, batches + 1) * np.array(means), prepend=0.0)
    return Measured(float(means[-1]), float(each.std(ddof=1) / np.sqrt(batches)))


def agree(one: Measured, other: Measured, known=0.01, within=0.003) -> None:
    """Two ways to the same light give the same: nearer than four standard errors of both and `within` a share of it, each known to a share."""
    assert one.mean > 0 and max(one.error / one.mean, other.error / other.mean) < known, (one, other)
    assert abs(one.mean - other.mean) < 4.0 * np.hypot(one.error, other.error) + within * one.mean, (one, other)


def plane(size: float = 4000.0) -> Mesh:
    """A flat sheet that faces up."""
    s = size / 2
    return Mesh(
        np.array([[-s, -s, 0], [s, -s, 0], [s, s, 0], [-s, s, 0]], np.float32),
        np.tile(np.array([[0, 0, 1]], np.float32), (4, 1)),
        np.array([[0, 1, 2], [0, 2, 3]], np.uint32),
        np.zeros(0, np.int32),
    )


class HalfDome(SceneBuilder):
    """A builder whose environment is bright on one side (+x) and dark on the other."""

    def _pixels(self, environment):
        image = np.zeros((128, 256, 3), np.float32)
        image[:, 128:] = NITS
        return image
