"""Locks on files: held by a process for as long as it lives, whatever ends it, and seen by all others."""

import fcntl
from pathlib import Path
from typing import IO


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
    """The lock of a file, to be kept open for as long as it is wanted; None when another holds it."""
    lock = open(path, "ab")  # noqa: SIM115 (held to the end)
    try:
        fcntl.flock(lock, fcntl.LOCK_EX | fcntl.LOCK_NB)
    except OSError:
        lock.close()
        return None
    return lock
