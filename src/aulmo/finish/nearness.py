"""How near a part of a picture is to what a reference shows in its place."""

from typing import NamedTuple

import numpy as np

from aulmo.finish.measuring import oklab_of

LEAST = 12  # pixels of a part that are looked at


class Nearness(NamedTuple):
    """How far apart two places are: `tone` in hundredths of Oklab lightness, `colour` in hundredths of its a and b together."""

    tone: float
    colour: float


def compared(display: np.ndarray, mask: np.ndarray, box: tuple[float, float, float, float], reference: np.ndarray) -> Nearness | None:
    """How far the pixels of a mask (h, w) are from a reference that is fitted into a frame.

    display : (h, w, 3) display values of the whole picture; mask and picture may differ in size. box : the frame in it, left, top, right, bottom in
    shares. Lightness and colour are compared by their means and spread (the root mean square of both distances), so that form counts as well as
    tone. None where too little of the part lies in the frame and on the reference.
    """
    h, w = mask.shape
    rows, columns = np.nonzero(mask)
    if not len(rows):
        return None
    across, down = (columns + 0.5) / w, (rows + 0.5) / h
    fw, fh = (box[2] - box[0]) * display.shape[1], (box[3] - box[1]) * display.shape[0]
    f = min(fw / reference.shape[1], fh / reference.shape[0])  # the reference keeps its shape in the frame
    rw, rh = reference.shape[1] * f / fw, reference.shape[0] * f / fh
    x = ((across - box[0]) / (box[2] - box[0]) - 0.5) / rw + 0.5
    y = ((down - box[1]) / (box[3] - box[1]) - 0.5) / rh + 0.5
    inside = (x >= 0) & (x < 1) & (y >= 0) & (y < 1)
    if inside.sum() < LEAST:
        return None
    here = display[(down[inside] * display.shape[0]).astype(int), (across[inside] * display.shape[1]).astype(int)]
    there = reference[(y[inside] * reference.shape[0]).astype(int), (x[inside] * reference.shape[1]).astype(int), :3]
    one, other = oklab_of(here.astype(np.float32)).astype(float), oklab_of(there.astype(np.float32)).astype(float)
    mean, spread = one.mean(0) - other.mean(0), one.std(0) - other.std(0)
    apart = 100 * np.sqrt(mean**2 + spread**2)
    return Nearness(float(apart[0]), float(np.hypot(apart[1], apart[2])))
