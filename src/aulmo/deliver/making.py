"""What films and stills share: what came of one, taking up a render that was left, dissolving pictures."""

from pathlib import Path
from typing import Callable, NamedTuple

import numpy as np

from aulmo.errors import BadFile
from aulmo.trace.tracer import Picture

LEAST_DISK = 64 << 20  # bytes that have to be left on the disk before a frame is begun


class Made(NamedTuple):
    """What came of a film: frames made now, those that were there, and how long it took; `stopped` when it is not whole."""

    made: int
    kept: int
    seconds: float
    stopped: bool


def taken_up(run: Callable[[], Picture | None], kept: Path | None) -> Picture | None:
    """What a render comes to that goes on from the state in `kept`; begun anew where that is of another version of the picture. Raises BadFile."""
    try:
        return run()
    except BadFile:
        if kept is None or not kept.exists():
            raise
        kept.unlink()
        return run()


def mixed(one: Picture, other: Picture, share: float) -> Picture:
    """Two pictures dissolved in light: shares of what each would show of white."""
    scale = np.float32(one.white / other.white)
    blend = lambda a, b: (a * np.float32(1 - share) + b * np.float32(share)).astype(np.float32)  # noqa: E731
    return one._replace(
        rgb=blend(one.rgb, other.rgb * scale), raw=blend(one.raw, other.raw * scale), alpha=blend(one.alpha, other.alpha),
        albedo=blend(one.albedo, other.albedo), normal=blend(one.normal, other.normal), passes=None, under=None,
    )  # fmt: skip
