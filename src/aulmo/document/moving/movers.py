"""The one who knows where a document's parts are in time: with wheels that roll and steer, and bodies that ride."""

import contextlib

import numpy as np

from aulmo.document.film_records import Motion
from aulmo.document.moving.mover import Mover, about
from aulmo.document.moving.rolling import rolled, steered, swayed
from aulmo.document.records import Document
from aulmo.errors import BadValue


class RollingMover(Mover):
    """A mover that knows of what follows from how far and along which bend things travel."""

    def _roll(self, motion: Motion, part_id: str, time: float, rigid: np.ndarray, scale: np.ndarray) -> np.ndarray:
        axis, point = self._axis(motion, part_id, rigid, scale)
        return about(axis, rolled(self, motion, part_id, time), point) @ rigid

    def _steer(self, motion: Motion, part_id: str, time: float, rigid: np.ndarray, scale: np.ndarray) -> np.ndarray:
        axis, point = self._axis(motion, part_id, rigid, scale)
        return about(axis, steered(self, motion, part_id, time), point) @ rigid

    def _ride(self, motion: Motion, part_id: str, time: float, rigid: np.ndarray, scale: np.ndarray) -> np.ndarray:
        pitch, lean, forward, left = swayed(self, motion, part_id, time)
        point = rigid[:3, :3] @ (self.pivot(part_id) * scale) + rigid[:3, 3]
        return about(left, pitch, point) @ about(forward, lean, point) @ rigid


_known: list[tuple[tuple, Mover]] = []  # movers of the last few documents


def mover_of(document: Document) -> Mover:
    """The mover of a document; the same one for the same parts, keys, motions and paths."""
    read = (document.parts, document.keys, document.motions, document.paths)
    for held, mover in _known:
        if all(a is b for a, b in zip(held, read)):
            return mover
    mover = RollingMover(document)
    _known.insert(0, (read, mover))
    del _known[6:]
    return mover


def settle(document: Document) -> None:
    """Work out well all that was taken roughly within `quickly`."""
    mover = mover_of(document)
    for address, motions in mover.worn.items():
        for motion in motions:
            part_id = address[6:]
            if motion.kind in ("roll", "ride") and address.startswith("parts/") and part_id in document.parts:
                with contextlib.suppress(BadValue):
                    mover.local(part_id, motion.start)
    mover.settled()
