"""How bright a camera shows light, and which light it takes for white."""

import math

import numpy as np

from aulmo.document.records import Camera
from aulmo.light.photometry import tint as light_of
from aulmo.surface.colour import LUMINANCE


def ev100(camera: Camera) -> float:
    """Exposure value at ISO 100 (ISO 2720): log2(N^2 / t) - log2(S / 100), less the camera's extra stops."""
    return math.log2(camera.f_stop**2 / camera.shutter) - math.log2(camera.iso / 100.0) - camera.exposure_stops


def white_nits(camera: Camera) -> float:
    """Luminance that becomes display white: 1.2 * 2^EV100 (saturation-based sensitivity, ISO 12232)."""
    return 1.2 * 2.0 ** ev100(camera)


def white_gains(camera: Camera) -> np.ndarray:
    """(3,) what light is multiplied by so that light of the camera's kelvin and tint is shown as white; ones at 6500 K."""
    if camera.kelvin == 6500.0 and camera.tint == 0.0:
        return np.ones(3)
    return gains_of(camera.kelvin, camera.tint)


def gains_of(kelvin: float, tint: float) -> np.ndarray:
    """(3,) ACEScg gains that show light of a colour temperature and tint as white, at its luminance. A hundred of tint are a stop of green."""
    own = _light(kelvin, tint)
    gains = _light(6500.0, 0.0) / own
    return gains / float(LUMINANCE @ (gains * own))


def _light(kelvin: float, tint: float) -> np.ndarray:
    light = light_of(min(25000.0, max(1700.0, kelvin)), (1.0, 1.0, 1.0)) * np.array([1.0, 2.0 ** (tint / 100.0), 1.0])
    return np.maximum(light, 1e-4) / float(LUMINANCE @ light)


def white_of(light) -> tuple[float, float]:
    """(kelvin, tint) at which a camera shows light of an ACEScg colour as grey: by Newton over log kelvin and tint, within 1700..25000 K."""
    wanted = np.asarray(light, float) / max(1e-12, float(LUMINANCE @ np.asarray(light, float)))
    wanted = np.log(np.maximum(wanted, 1e-4))
    wanted = wanted[[0, 2]] - wanted[1]

    def off(x: np.ndarray) -> np.ndarray:
        own = np.log(_light(math.exp(x[0]), x[1]))
        return own[[0, 2]] - own[1] - wanted

    x = np.array([math.log(6500.0), 0.0])
    for _ in range(30):
        here = off(x)
        slope = np.stack([(off(x + d) - here) / d.sum() for d in np.diag([1e-4, 1e-2])], 1)
        step = np.linalg.lstsq(slope, -here, rcond=None)[0]
        x = x + np.clip(step, [-0.4, -40.0], [0.4, 40.0])
        x[0], x[1] = min(math.log(25000.0), max(math.log(1700.0), x[0])), min(500.0, max(-500.0, x[1]))
        if np.abs(step).max() < 1e-7:
            break
    return math.exp(x[0]), float(x[1])
