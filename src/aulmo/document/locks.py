"""Locks on files: held by a process for as long as it lives, whatever ends it, and seen by all others. They tell who is gone; a process number does
not, because after a restart of the machine another process has it."""

import fcntl
import os
import time
from contextlib import contextmanager
from pathlib import Path
from typing import IO, Iterator


def is_held(path: Path) -> bool:
    """Whether a process holds the lock of a file, whoever started that."""
    try:
        with open(path, "rb") as lock:
            fcntl.flock(lock, fcntl.LOCK_SH | fcntl.LOCK_NB)
    except FileNotFoundError:
        return False
    except OSError:
        return True
    return False


def claimed(path: Path) -> IO | None:
    """The lock of a file, to be kept open for as long as it is wanted; None when another holds it. Raises OSError where no file can be made."""
    lock = open(path, "ab")  # noqa: SIM115 (held to the end)
    try:
        fcntl.flock(lock, fcntl.LOCK_EX | fcntl.LOCK_NB)
    except OSError:
        lock.close()
        return None
    return lock


@contextmanager
def alone_in(folder: Path, seconds: float = 10.0) -> Iterator[None]:
    """Be the only one of those who ask for it to change what lies in a folder. Where the file system knows no locks, or another holds this one for
    longer than `seconds`, work goes on without it."""
    handle = os.open(folder, os.O_RDONLY)
    try:
        until = time.monotonic() + seconds
        while time.monotonic() < until:
            try:
                fcntl.flock(handle, fcntl.LOCK_EX | fcntl.LOCK_NB)
                break
            except BlockingIOError:
                time.sleep(0.02)
            except OSError:
                break
        yield
    finally:
        os.close(handle)
