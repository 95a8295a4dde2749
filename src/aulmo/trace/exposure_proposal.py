"""An exposure for what a shot shows: measured on a small picture that is traced for it, as a photographer meters a room."""

from typing import Any, Callable, NamedTuple

import numpy as np
from msgspec.structs import replace

from aulmo.document.assets import AssetStore
from aulmo.document.properties import resolve
from aulmo.document.records import Document, RenderSettings, Shot
from aulmo.errors import BadValue
from aulmo.frame.exposure import white_nits
from aulmo.surface.colour import LUMINANCE
from aulmo.trace.tracer import render

ACROSS, SAMPLES = 96, 48
MIDDLE = 0.2  # of white, that half of the picture shall be darker than
BRIGHT, OVER = 90.0, 1.3  # per cent of the picture, and stops over white that the rest may begin at
STEP = 0.1  # stops


class Proposal(NamedTuple):
    """The camera's exposure in stops, and whether it was held back for what is bright, as windows are."""

    stops: float
    held: bool


def proposed_exposure(
    document: Document, assets: AssetStore, shot: Shot, time: float = 0.0, tell: Callable[[str, float], Any] = lambda words, share: True
) -> Proposal | None:  # fmt: skip
    """The exposure with which a shot's middle tone is a middle grey, less where more than a tenth of it would be blown out. None when it was
    cancelled. Raises BadValue where nothing is lit."""
    camera = resolve(document, {"shot": shot.id}, time).cameras[shot.camera]
    settings: RenderSettings = replace(document.render, stop="samples", samples=SAMPLES, denoise=False, passes=(), transparent=False)
    size = ACROSS, max(8, round(ACROSS * shot.height / shot.width))
    made = render(document, assets, shot, size, settings, lambda far, _: tell("Metering", far.samples / SAMPLES) is not False, time_=time)
    if made is None:
        return None
    light = (made.rgb.astype(float) @ LUMINANCE) / white_nits(camera)
    light = light[np.isfinite(light) & (light > 1e-9)]
    if len(light) < 0.02 * made.rgb.shape[0] * made.rgb.shape[1]:
        raise BadValue("The shot is dark all over: there is no light to propose an exposure for.")
    middle, bright = np.median(light), np.percentile(light, BRIGHT)
    wanted = float(np.log2(MIDDLE / middle))
    most = float(np.log2(2.0**OVER / bright))
    stops = camera.exposure_stops + min(wanted, most)
    return Proposal(round(round(stops / STEP) * STEP, 3), most < wanted)
