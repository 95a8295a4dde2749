"""A document while a shutter is open: the renderer asks for moments of it and never for a time."""

from typing import Mapping

from aulmo.document.edits import below
from aulmo.document.moving.movers import mover_of
from aulmo.document.properties import resolve
from aulmo.document.records import Camera, Document


def shutter_of(camera: Camera, document: Document, time: float = 0.0) -> tuple[float, float]:
    """From when to when, in seconds, the shutter is open for the frame at `time`."""
    if not camera.motion_blur:
        return time, time
    open_for = camera.shutter_angle / 360.0 / document.frames_per_second if camera.shutter_angle > 0 else camera.shutter
    return time, time + max(0.0, open_for)


class Moments:
    """Resolved documents of one exposure. `first` is the one when the shutter opens; `at` gives others by their share of the opening."""

    def __init__(
        self, document: Document, choices: Mapping[str, str] | None = None, time: float = 0.0, camera: str | None = None,
        first: Document | None = None,
    ) -> None:  # fmt: skip
        self._document, self._choices = document, choices
        self.first = first or resolve(document, choices, time)
        seen = self.first.cameras.get(camera or "")
        self._open, self._close = shutter_of(seen, self.first, time) if seen is not None else (time, time)
        self._kept: dict[float, Document] = {0.0: self.first}

    @property
    def time(self) -> float:
        """When the shutter opens, in seconds."""
        return self._open

    @property
    def lasting(self) -> bool:
        """True when the shutter stays open for a while."""
        return self._close > self._open

    def at(self, share: float) -> Document:
        """The document at a share 0..1 of the opening; beyond 1 what comes after."""
        if share not in self._kept:
            self._kept[share] = resolve(self._document, self._choices, self._open + share * (self._close - self._open))
        return self._kept[share]

    def around(self) -> tuple[Document, Document]:
        """The middle of the exposure, and the same moment of the next frame."""
        middle = 0.5 * (self._open + self._close)
        step = 1.0 / self.first.frames_per_second
        return resolve(self._document, self._choices, middle), resolve(self._document, self._choices, middle + step)

    def moving_parts(self) -> set[str]:
        """Ids of the parts whose place in the world keys or motions may change, with all below them."""
        found: set[str] = set()
        for part_id in mover_of(self._document).moving():
            if part_id in self.first.parts and part_id not in found:
                found.update(below(self.first, part_id))
        return found

    def camera_moves(self, camera: str) -> bool:
        """Whether keys, motions, or a part that it looks at, move a camera."""
        held = self._document.cameras.get(camera)
        tied = held is not None and (held.looks_at is not None or held.focus_on is not None) and bool(mover_of(self._document).moving())
        worn = any(m.on and f"cameras/{camera}" in m.wears for m in self._document.motions.values())
        return tied or worn or any(address.startswith(f"cameras/{camera}/") for address in self._document.keys)


def still(document: Document) -> Moments:
    """The moments of a document that is resolved already: all alike."""
    return Moments(document)
