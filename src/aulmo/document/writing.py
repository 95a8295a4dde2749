"""Files that appear whole or not at all, and what killed writers have left of them."""

import fcntl
import os
import re
import shutil
import stat
import tempfile
import time
from contextlib import contextmanager, nullcontext
from pathlib import Path
from typing import Any, Callable, Iterable, Iterator

from aulmo.document.locks import alone_in, claimed, is_held
from aulmo.errors import CannotWrite

SAVING = ".saving-"  # begins the name of a file that is not whole yet; whoever writes it holds its lock
FILMING = ".film-"  # the same, of a motion picture
TEMPORARY = "aulmo-"  # begins the names of temporary folders: "aulmo-<kind>-<process>-…"
LOCK = "lock"  # in a folder that is somebody's for as long as it is held
YOUNG = 10.0  # seconds within which a writer takes the lock of what it has made


def temporary_beside(path: Path, prefix: str, suffix: str = "") -> tuple[Any, str]:
    """A file that is not whole yet, beside the place where it will lie: open, its lock held until it is closed, and its name. Raises OSError."""
    handle, name = tempfile.mkstemp(prefix=f"{prefix}{os.getpid()}-", suffix=suffix, dir=path.parent)
    file = os.fdopen(handle, "w+b")
    try:
        fcntl.flock(file, fcntl.LOCK_EX)
    except OSError:
        pass  # a file system without locks
    return file, name


def is_left(path: Path) -> bool:
    """Whether whoever made something, with its process number in the name, is gone: nobody holds its lock. A young process may be about to."""
    if is_held(path):
        return False
    known = re.search(r"-(\d+)-", path.parent.name if path.name == LOCK else path.name)
    return not (known and Path(f"/proc/{known[1]}").exists()) or time.time() - path.stat().st_mtime > YOUNG


def sweep(folder: Path, prefixes: Iterable[str] = (SAVING, FILMING)) -> None:
    """Take away what killed writers have left in a folder."""
    starts = tuple(prefixes)
    try:
        with os.scandir(folder) as entries:
            left = [entry.path for entry in entries if entry.name.startswith(starts) and entry.is_file(follow_symlinks=False)]
        for path in left:
            if is_left(Path(path)):
                os.unlink(path)
    except OSError:
        pass  # not ours to clean


def put_in_place(temporary: str, path: Path, mode: int | None = None) -> None:
    """Rename a whole file over `path`, with `mode`, else the permissions of the one that was there, else those of a new one. Raises OSError."""
    if mode is not None:
        pass
    elif path.exists():
        mode = stat.S_IMODE(path.stat().st_mode)
    else:
        umask = os.umask(0)
        os.umask(umask)
        mode = 0o666 & ~umask
    os.chmod(temporary, mode)
    os.replace(temporary, path)
    folder = os.open(path.parent, os.O_RDONLY)
    try:
        os.fsync(folder)
    finally:
        os.close(folder)


def write_atomically(path: Path, write: Callable[[Any], Any], still_right: Callable[[], Any] | None = None, mode: int | None = None) -> None:
    """Let `write(file)` fill a temporary file beside `path`, sync it, then rename it over: all or nothing.

    A link is followed and the file keeps its permissions; a new one gets `mode` from its beginning, else what is usual. `still_right` is asked right
    before the old file goes, while no other Aulmo writes to the folder, and may raise. Raises CannotWrite, also for what is no file or may not be
    written to.
    """
    shown = Path(path)
    path = shown.resolve()
    temporary = None
    try:
        if path.exists():
            found = path.stat().st_mode
            if not stat.S_ISREG(found):
                raise CannotWrite(f"{shown.name} could not be written: there is something of that name that is no file.")
            if not found & 0o222:
                raise CannotWrite(f"{shown.name} could not be written: it is read-only.")
        sweep(path.parent)
        file, temporary = temporary_beside(path, SAVING)
        with file:
            write(file)
            file.flush()
            os.fsync(file.fileno())
            with alone_in(path.parent) if still_right is not None else nullcontext():
                if still_right is not None:
                    still_right()
                put_in_place(temporary, path, mode)
            temporary = None
    except OSError as error:
        raise CannotWrite(f"{shown.name} could not be written to {shown.parent}: {error.strerror or error}.") from error
    finally:
        if temporary is not None:
            Path(temporary).unlink(missing_ok=True)


def sweep_temporary() -> None:
    """Take away temporary folders of ours whose process is gone."""
    for left in [p for room in (tempfile.gettempdir(), "/dev/shm") for p in Path(room).glob(f"{TEMPORARY}*-*")]:
        try:
            if re.search(r"-\d+-", left.name) and left.stat().st_uid == os.getuid() and is_left(left / LOCK if (left / LOCK).exists() else left):
                shutil.rmtree(left, ignore_errors=True)
        except OSError:
            continue  # it went meanwhile


@contextmanager
def temporary_folder(kind: str) -> Iterator[Path]:
    """A folder for what a process needs for a while; those whose process is gone are taken away. Raises CannotWrite."""
    sweep_temporary()
    try:
        folder = Path(tempfile.mkdtemp(prefix=f"{TEMPORARY}{kind}-{os.getpid()}-"))
        lock = claimed(folder / LOCK)
    except OSError as error:
        raise CannotWrite(f"No folder could be made in {tempfile.gettempdir()}: {error.strerror or error}.") from error
    try:
        yield folder
    finally:
        if lock is not None:
            lock.close()
        shutil.rmtree(folder, ignore_errors=True)
