"""What made the files of a folder: a digest of each by its name, so that what is there and still right is not made again."""

import json
from pathlib import Path

from aulmo.document.writing import write_atomically


class Notes:
    """Digests by name in a file; without one nothing is known and nothing remembered."""

    def __init__(self, path: Path | None) -> None:
        self._path = path
        self._held: dict[str, str] = {}
        try:
            held = json.loads(path.read_text()) if path is not None else {}
            self._held = {str(k): str(v) for k, v in held.items()}
        except (OSError, ValueError, AttributeError):
            pass  # nothing known: all are made anew

    def has(self, name: str, digest: str, file: Path) -> bool:
        """Whether a file is there as it should be."""
        return self._path is not None and self._held.get(name) == digest and file.exists()

    def note(self, name: str, digest: str) -> None:
        """Remember what made a file that is in its place. Raises CannotWrite."""
        if self._path is not None:
            self._held[name] = digest
            blob = json.dumps(self._held).encode()
            write_atomically(self._path, lambda file: file.write(blob))
