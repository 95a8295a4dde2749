"""The process in which foreign files are read: `python -m aulmo.document.apart_process FOLDER PARENT`. See `apart`."""

import ctypes
import os
import pickle
import resource
import struct
import sys
import threading
import time
from importlib import import_module
from pathlib import Path
from typing import Any, BinaryIO, Callable

_NEW_USER, _NEW_NET = 0x10000000, 0x40000000  # of unshare(2)


def _without_network() -> None:
    """Leave the network, where the system lets a process do so: no file has any business there."""
    try:
        ctypes.CDLL(None, use_errno=True).unshare(_NEW_USER | _NEW_NET)
    except (OSError, AttributeError):
        pass


def _end_with(parent: int) -> None:
    """Watch whether whoever asks is still there: a library at work does not see that its pipe was closed."""

    def watch() -> None:
        while os.getppid() == parent:
            time.sleep(0.5)
        os._exit(0)

    threading.Thread(target=watch, daemon=True).start()


def _limit(gigabytes: float) -> None:
    pages = int(Path("/proc/self/statm").read_text().split()[0])
    wanted = pages * resource.getpagesize() + int(gigabytes * 1e9)
    _, most = resource.getrlimit(resource.RLIMIT_AS)
    resource.setrlimit(resource.RLIMIT_AS, (wanted if most == resource.RLIM_INFINITY else min(wanted, most), most))


def _answer(blob: bytes, folder: Path, send: Callable[[bytes], None]) -> bytes:
    from aulmo.document.apart import packed
    from aulmo.errors import AulmoError

    try:
        call = pickle.loads(blob)
        function: Any = import_module(call.module)
        for piece in call.name.split("."):
            function = getattr(function, piece)
        _limit(call.limits.gigabytes)
        named = call.named | ({"progress": lambda words, share: send(packed(("told", (words, float(share))), None)) or True} if call.tells else {})
        return packed(("made", function(*call.arguments, **named)), folder)
    except AulmoError as error:
        return packed(("error", error), None)
    except MemoryError:
        return packed(("trouble", "it wants more memory than a file of its kind should"), None)
    except RecursionError:
        return packed(("trouble", "it is nested deeper than Aulmo reads"), None)
    except Exception:  # noqa: BLE001 (whatever a library throws at a damaged file)
        return packed(("trouble", "the file is damaged or not what its name says"), None)
    finally:
        _, most = resource.getrlimit(resource.RLIMIT_AS)
        resource.setrlimit(resource.RLIMIT_AS, (most, most))


def _all_of(stream: BinaryIO, size: int) -> bytes:
    found = bytearray()
    while len(found) < size:
        piece = stream.read(size - len(found))
        if not piece:
            sys.exit(0)  # nobody asks any more
        found += piece
    return bytes(found)


def main() -> None:
    """Answer until nobody asks any more."""
    folder, parent = Path(sys.argv[1]), int(sys.argv[2])
    _without_network()
    resource.setrlimit(resource.RLIMIT_CORE, (0, 0))
    asked = os.fdopen(os.dup(0), "rb", buffering=0)
    told = os.fdopen(os.dup(1), "wb", buffering=0)
    quiet = os.open(os.devnull, os.O_RDWR)
    for handle in (0, 1, 2):  # libraries print remarks of their own
        os.dup2(quiet, handle)
    _end_with(parent)
    from aulmo.document import apart

    apart.inside = True

    def send(blob: bytes) -> None:
        told.write(struct.pack("<Q", len(blob)))
        left = memoryview(blob)
        while left:
            left = left[told.write(left) :]

    while True:
        (size,) = struct.unpack("<Q", _all_of(asked, 8))
        send(_answer(_all_of(asked, size), folder, send))


if __name__ == "__main__":
    main()
