"""What films and stills share: what came of one, and how much room there has to be."""

from typing import NamedTuple

LEAST_DISK = 64 << 20  # bytes that have to be left on the disk before a frame is begun


class Made(NamedTuple):
    """What came of a film: frames made now, those that were there, and how long it took; `stopped` when it is not whole."""

    made: int
    kept: int
    seconds: float
    stopped: bool
