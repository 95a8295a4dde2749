"""What follows from content alone, kept by its hash: in memory, and on the disk for the next start."""

import collections
import contextlib
import hashlib
import threading
from pathlib import Path
from typing import Callable

import numpy as np
import platformdirs

IN_MEMORY, ON_DISK, MOST_BYTES = 64, 400, 256 << 20  # of one kind
_held: dict[str, "collections.OrderedDict[str, np.ndarray]"] = {}
_lock = threading.Lock()


def folder() -> Path:
    """Where it is kept on the disk."""
    return Path(platformdirs.user_cache_dir("aulmo")) / "kept"


def by_content(kind: str, content: bytes, make: Callable[[], np.ndarray]) -> np.ndarray:
    """An array that `make` gives and that nothing but `content` (with what `kind` names, its version too) decides. It is never written to. A disk
    that is full, or holds something else there, costs no more than the time to make it."""
    name = hashlib.sha256(content).hexdigest()[:32]
    with _lock:
        held = _held.setdefault(kind, collections.OrderedDict())
        if name in held:
            held.move_to_end(name)
            return held[name]
    path = folder() / kind / f"{name}.npy"
    found = _read(path)
    if found is None:
        found = np.ascontiguousarray(make())
        _write(path, found)
    found.flags.writeable = False
    with _lock:
        held[name] = found
        while len(held) > IN_MEMORY or (len(held) > 1 and sum(array.nbytes for array in held.values()) > MOST_BYTES):
            held.popitem(last=False)
    return found


def _read(path: Path) -> np.ndarray | None:
    try:
        found = np.load(path, allow_pickle=False)
    except (OSError, ValueError, EOFError):
        return None
    return found if found.dtype.kind in "fiu" else None


def _write(path: Path, array: np.ndarray) -> None:
    with contextlib.suppress(OSError):
        path.parent.mkdir(parents=True, exist_ok=True)
        fresh = path.with_suffix(f".{threading.get_ident()}")
        with open(fresh, "wb") as file:
            np.save(file, array, allow_pickle=False)
        fresh.replace(path)
        taken = 0
        for count, one in enumerate(sorted(path.parent.glob("*.npy"), key=lambda p: -p.stat().st_mtime)):
            taken += one.stat().st_size
            if count and (count >= ON_DISK or taken > MOST_BYTES):
                one.unlink(missing_ok=True)
