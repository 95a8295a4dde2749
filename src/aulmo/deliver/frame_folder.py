"""Where a film's frames lie, and what is known of each. A folder keeps a list of the files that Aulmo made in it: no other is ever written over or
taken away, whoever's folder it is."""

import json
import os
from pathlib import Path

from aulmo import __version__
from aulmo.deliver.picture_file import FILE_TYPES
from aulmo.document.file_names import file_name
from aulmo.document.records import Shot
from aulmo.document.writing import sweep, write_atomically
from aulmo.errors import CannotWrite

FILM, FINISHED = "film.json", "finished.json"  # lists of the frames that were rendered and of those that were finished, which may lie in one folder


def frames_beside(out: Path, list_name: str = FILM) -> Path:
    """The folder in which the frames of a motion picture file lie until it is whole: beside it, and nobody else's."""
    number = 1
    while True:
        folder = out.with_name(f"{out.name}.frames" + (f" {number}" if number > 1 else ""))
        if not os.path.lexists(folder) or _listed(folder / list_name) is not None:
            return folder
        number += 1


def _listed(path: Path) -> dict[str, str] | None:
    """What made each frame of a list, by number; "" of one that was begun. None where there is no list of ours."""
    try:
        held = json.loads(path.read_text(encoding="utf-8"))
        return {str(int(k)): str(v) for k, v in held["frames"].items()} if str(held["made by"]).startswith("Aulmo") else None
    except (OSError, ValueError, KeyError, TypeError, AttributeError):
        return None


class FrameFolder:
    """A folder of frames of one kind of file."""

    def __init__(self, path: Path, kind: str, list_name: str = FILM) -> None:
        """Open a folder, or make it. Raises CannotWrite."""
        self.path, self.kind, self._list = path, kind, path / list_name
        try:
            path.mkdir(exist_ok=True)
        except OSError as error:
            raise CannotWrite(f"The folder {path} could not be made: {error.strerror or error}.") from error
        if not path.is_dir() or not os.access(path, os.W_OK):
            raise CannotWrite(f"{path} cannot be written to; choose another folder.")
        known = _listed(self._list)
        if known is None and self._list.exists():
            raise CannotWrite(f"{self._list} is no list of frames that can be read; delete it, or choose another folder.")
        sweep(path)
        self._notes: dict[str, str] = known or {}
        if known is None:
            self._write()

    def file(self, number: int) -> Path:
        """Where a frame's picture lies."""
        return self.path / f"frame-{number:05d}{FILE_TYPES[self.kind].ending}"

    def state(self, number: int, shot: Shot) -> Path:
        """Where the state of a frame that is under way lies."""
        return self.path / f".frame-{number:05d}-{file_name(shot.id, None)}.state"

    def has(self, number: int, digest: str) -> bool:
        """Whether a frame is there as it should be."""
        return self._notes.get(str(number)) == digest and self.file(number).exists()

    def like(self, digest: str) -> Path | None:
        """Another frame that shows the very same."""
        number = next((n for n, d in self._notes.items() if d == digest), None)
        found = self.file(int(number)) if number is not None else None
        return found if found is not None and found.exists() else None

    def begin(self, number: int) -> None:
        """Note that a frame is going to be ours. Raises CannotWrite when a file of its name is there that Aulmo did not make."""
        if str(number) in self._notes:
            return
        if self.file(number).exists():
            raise CannotWrite(f"{self.file(number).name} is in {self.path} already and is none of this film’s; choose another folder.")
        self.note(number, "")

    def note(self, number: int, digest: str) -> None:
        """Remember what made a frame that is in its place. Raises CannotWrite."""
        self._notes[str(number)] = digest
        self._write()

    def _write(self) -> None:
        blob = json.dumps({"made by": f"Aulmo {__version__}", "frames": self._notes}, indent=0).encode()
        write_atomically(self._list, lambda file: file.write(blob))

    def remove(self) -> None:
        """Take away the frames that are listed, their states and the list; the folder too when nothing else lies in it."""
        for number in map(int, self._notes):
            for path in (self.file(number), *self.path.glob(f".frame-{number:05d}-*.state")):
                path.unlink(missing_ok=True)
        self._list.unlink(missing_ok=True)
        try:
            self.path.rmdir()
        except OSError:
            pass  # somebody else's files lie there
