"""A project file that is kept as it was when it was opened, whatever becomes of it on the disk: moved, deleted, replaced, cut short, written over."""

import fcntl
import os
import shutil
import tempfile
import threading
from pathlib import Path
from typing import IO
from zipfile import ZipFile

import platformdirs

AT_ONCE = 256 << 20  # bytes that are copied before a file counts as open; more is copied beside
_CLONE = 0x40049409  # FICLONE of ioctl_ficlonerange(2): a copy that takes neither time nor room, where the file system can


class KeptFile:
    """A zip that stays readable. It holds the open file, which outlives names and replacing, and soon a nameless copy of it, which outlives being
    written over; the system takes both away with the process. Safe to read from several threads."""

    def __init__(self, path: Path) -> None:
        """Open a zip. Raises OSError or zipfile.BadZipFile."""
        self._lock = threading.Lock()
        self._file: IO[bytes] = open(path, "rb")  # noqa: SIM115 (held open)
        try:
            self.archive = ZipFile(self._file)
        except BaseException:
            self._file.close()
            raise
        if os.fstat(self._file.fileno()).st_size <= AT_ONCE:
            self._keep()
        else:
            threading.Thread(target=self._keep, name="keeping a copy", daemon=True).start()

    def _keep(self) -> None:
        copy = _copied(self._file.fileno())
        if copy is None:
            return  # no room: the open file has to do
        try:
            archive = ZipFile(copy)
        except Exception:  # noqa: BLE001 (it was written over while it was copied: what is read is looked at by its hash)
            copy.close()
            return
        with self._lock:
            old, self._file, self.archive = self._file, copy, archive
            old.close()

    def read(self, name: str) -> bytes:
        """What lies in it under a name. Raises whatever a damaged zip does."""
        with self._lock:
            return self.archive.read(name)

    def __del__(self) -> None:
        file = getattr(self, "_file", None)
        if file is not None:
            file.close()


def _copied(handle: int) -> IO[bytes] | None:
    """A nameless copy of an open file; None where there is no room for it."""
    for folder in (platformdirs.user_cache_path("aulmo"), Path(tempfile.gettempdir())):
        try:
            folder.mkdir(parents=True, exist_ok=True)
            if shutil.disk_usage(folder).free < 2 * os.fstat(handle).st_size + (64 << 20):
                continue
            made = tempfile.TemporaryFile(dir=folder)
        except OSError:
            continue
        try:
            fcntl.ioctl(made.fileno(), _CLONE, handle)
            return made
        except OSError:
            pass
        try:
            at, size = 0, os.fstat(handle).st_size
            while at < size:
                sent = os.sendfile(made.fileno(), handle, at, min(1 << 28, size - at))
                if sent == 0:
                    break
                at += sent
            return made
        except OSError:
            made.close()
    return None
