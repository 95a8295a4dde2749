"""The last picture of each shot, small and dated, kept with a project: what is seen while a project that was opened is being drawn."""

import io
import time
from typing import Any, NamedTuple
from zipfile import ZIP_STORED, ZipFile

import msgspec
import numpy as np

LONGEST = 720  # pixels of a kept picture's longer side
LARGEST, LARGEST_TOGETHER = 120 << 10, 360 << 10  # bytes of one, and of a project's
FOLDER, _LIST = "pictures/", "pictures/pictures.json"
_QUALITIES = (82, 70, 55, 40)


class _Listed(msgspec.Struct, omit_defaults=True):
    shot: str
    file: str
    at: float = 0.0


class Pictured(NamedTuple):
    """A shot as it was seen last: JPEG, and when (seconds since 1970)."""

    jpeg: bytes
    at: float


def _small(pixels: np.ndarray) -> bytes:
    """JPEG of (h, w, 3) uint8 pixels, within LONGEST and LARGEST."""
    from PIL import Image

    image = Image.fromarray(np.ascontiguousarray(pixels))
    image.thumbnail((LONGEST, LONGEST), Image.Resampling.LANCZOS)
    blob = b""
    for quality in _QUALITIES:
        file = io.BytesIO()
        image.save(file, "JPEG", quality=quality, optimize=True)
        blob = file.getvalue()
        if len(blob) <= LARGEST:
            break
    return blob


class LastPictures:
    """By shot. Pictures are noted as often as they are shown, and made small when the project is saved."""

    def __init__(self) -> None:
        self._kept: dict[str, Pictured] = {}
        self._noted: dict[str, tuple[np.ndarray, float]] = {}
        self.saved_with: bytes | None = None  # the project's own small picture, of a version that kept no others

    def note(self, shot: str, pixels: np.ndarray) -> None:
        """A shot has just been seen like this: (h, w, 3) uint8, red first; it may not be changed afterwards."""
        self._noted[shot] = (pixels, time.time())

    def of(self, shot: str) -> Pictured | None:
        """How a shot was seen last."""
        noted = self._noted.pop(shot, None)
        if noted is not None:
            blob = _small(noted[0])
            if len(blob) <= LARGEST:
                self._kept[shot] = Pictured(blob, noted[1])
        return self._kept.get(shot)

    def newest(self) -> Pictured | None:
        """The one that was seen last of all that were saved."""
        return max(self._kept.values(), key=lambda seen: seen.at, default=None)

    def write(self, archive: ZipFile, shots: list[str]) -> None:
        """Put the pictures of these shots into a project file, the newest first, as many as may be."""
        found = [(shot, seen) for shot in shots if (seen := self.of(shot)) is not None]
        listed: list[_Listed] = []
        left = LARGEST_TOGETHER
        for shot, seen in sorted(found, key=lambda one: -one[1].at):
            if len(seen.jpeg) <= left:
                left -= len(seen.jpeg)
                file = f"{FOLDER}{len(listed)}.jpg"
                archive.writestr(file, seen.jpeg, ZIP_STORED)
                listed.append(_Listed(shot, file, seen.at))
        if listed:
            archive.writestr(_LIST, msgspec.json.encode(listed))

    def read(self, archive: Any) -> None:
        """Take what a project file holds; what is not as it should be is left out."""
        try:
            if archive.getinfo(_LIST).file_size > 1 << 20:
                return
            for one in msgspec.json.decode(archive.read(_LIST), type=list[_Listed]):
                if one.file.startswith(FOLDER) and archive.getinfo(one.file).file_size <= LARGEST:
                    self._kept[one.shot] = Pictured(archive.read(one.file), one.at)
        except Exception:  # noqa: BLE001 (a project is worth as much without them)
            return
