"""Foreign files are read apart: in a process of their own, with limits of time and memory. A file that was made to hang, to fill the machine or to
break a library ends only that process, and becomes a sentence. It stays for the next file; what it sends back is plain data.

    @apart(seconds=30)
    def read(path, name): ...        # runs apart; here(read)(path, name) runs in this process

    @apart(tells=True)
    def work(things, progress): ...  # says how far it is to progress(words, share); None when that answers False
"""

import atexit
import contextlib
import fcntl
import functools
import io
import mmap
import os
import pickle
import select
import struct
import subprocess
import sys
import tempfile
import threading
import time
from importlib import import_module
from pathlib import Path
from typing import Any, Callable, Iterator, NamedTuple, TypeVar, cast

import msgspec

from aulmo.errors import AulmoError, BadFile

SECONDS, GIGABYTES = 30.0, 4.0
LARGE = 1 << 20  # bytes of an array that are handed over in a file and not in the pipe
F = TypeVar("F", bound=Callable[..., Any])
inside = False  # whether this is the process that reads
Progress = Callable[[str, float], bool] | None


class Limits(NamedTuple):
    """What reading one file may take."""

    seconds: float
    gigabytes: float


class Call(NamedTuple):
    """What is to be run: a function by its module and name, with what it gets."""

    module: str
    name: str
    arguments: tuple
    named: dict[str, Any]
    limits: Limits
    tells: bool = False  # whether it says how far it is


def apart(
    seconds: float = SECONDS, gigabytes: float = GIGABYTES, process: str = "reader", shown: str | Callable[..., str] | None = None,
    tells: bool = False,
) -> Callable[[F], F]:  # fmt: skip
    """Let a function of a module run in the reading process of a name. `shown` is what is read in sentences, or makes that of its arguments; else it
    is the first path, or the first text with an ending. One that `tells` has a `progress`, which may end it. Raises BadFile when it takes too
    long, too much, or ends with its process."""

    def wrapped(function: F) -> F:
        @functools.wraps(function)
        def run(*arguments: Any, **named: Any) -> Any:
            if inside:
                return function(*arguments, **named)
            progress = named.pop("progress", None) if tells else None
            call = Call(function.__module__, function.__qualname__, arguments, named, Limits(seconds, gigabytes), tells)
            words = shown if isinstance(shown, str) else shown(*arguments, **named) if shown is not None else _called(arguments)
            return _run(process, call, words, progress)

        run.here = function  # type: ignore[attr-defined]
        return cast(F, run)

    return wrapped


def here(function: F) -> F:
    """The same function run in this process: for what Aulmo itself has made, or ships."""
    return cast(F, getattr(function, "here", function))


@contextlib.contextmanager
def told(name: str, otherwise: str) -> Iterator[None]:
    """Whatever a reader within this raises becomes one sentence: a file of a name could not be read, is damaged, or is `otherwise` ("no drawing").
    Raises BadFile; sentences of ours pass."""
    try:
        yield
    except AulmoError:
        raise
    except OSError as error:
        raise BadFile(f"{name} could not be read: {error.strerror or f'it is damaged or {otherwise}'}.") from error
    except Exception as error:
        raise BadFile(f"{name} could not be read: it is damaged or {otherwise}.") from error


def _called(arguments: tuple) -> str:
    for one in arguments:
        if isinstance(one, Path):
            return one.name
        if isinstance(one, str) and "." in one:
            return one
    return "The file"


# plain data


class _Plain(pickle.Unpickler):
    """Reads arrays, records, paths and sentences, and nothing that could run."""

    def find_class(self, module: str, name: str) -> Any:
        if (module, name) in _ALLOWED:
            return getattr(import_module(module), name)
        if module.startswith("aulmo."):
            found: Any = import_module(module)
            for piece in name.split("."):
                found = getattr(found, piece)
            if isinstance(found, type) and issubclass(found, (tuple, msgspec.Struct, AulmoError)):
                return found
        raise pickle.UnpicklingError(f"{module}.{name} is no plain data")


_ALLOWED = {
    ("numpy", "ndarray"), ("numpy", "dtype"), ("numpy._core.multiarray", "_reconstruct"), ("numpy._core.multiarray", "scalar"),
    ("numpy._core.numeric", "_frombuffer"), ("msgspec._core", "rebuild"), ("pathlib", "PosixPath"), ("pathlib", "Path"),
    ("builtins", "set"), ("builtins", "frozenset"), ("builtins", "complex"), ("builtins", "bytearray"), ("builtins", "range"),
}  # fmt: skip


def packed(value: Any, folder: Path | None) -> bytes:
    """A value as bytes; large arrays of it lie in a file of the folder, which is named first."""
    large: list[memoryview] = []

    def aside(buffer: pickle.PickleBuffer) -> bool:
        held = buffer.raw()
        if folder is None or held.nbytes < LARGE:
            return True
        large.append(held)
        return False

    blob = pickle.dumps(value, protocol=5, buffer_callback=aside)
    name, places = "", []
    if large:
        assert folder is not None
        handle, name = tempfile.mkstemp(dir=folder)
        with os.fdopen(handle, "wb") as file:
            for one in large:
                file.seek(-(-file.tell() // 64) * 64)
                places.append((file.tell(), one.nbytes))
                file.write(one)
    return pickle.dumps((name, places, blob))


def unpacked(blob: bytes) -> Any:
    """What was `packed`; its file is taken away, and what was in it may be changed. Raises pickle.UnpicklingError for what is no plain data."""
    name, places, inner = _Plain(io.BytesIO(blob)).load()
    buffers: list[memoryview] = []
    if name:
        with open(name, "rb") as file:
            held = memoryview(mmap.mmap(file.fileno(), 0, access=mmap.ACCESS_COPY))
        os.unlink(name)
        buffers = [held[at : at + size] for at, size in places]
    return _Plain(io.BytesIO(inner), buffers=buffers).load()


# the other process


class _Reader:
    """A reading process; begun when it is first wanted, and anew when it has ended."""

    def __init__(self) -> None:
        self.lock = threading.Lock()  # held by whoever is being answered
        self._process: subprocess.Popen | None = None
        self._folder: tempfile.TemporaryDirectory | None = None

    def run(self, call: Call, shown: str, progress: Progress = None) -> Any:
        """The answer to a call, for whoever holds the lock; None when `progress` ended it. Raises BadFile, or what the function raised."""
        process = self._begun()
        assert process.stdin is not None and process.stdout is not None
        try:
            blob = pickle.dumps(call, protocol=5)
            until = time.monotonic() + call.limits.seconds
            self._write(process.stdin, struct.pack("<Q", len(blob)) + blob, until)
            done, value = "told", None
            while done == "told":
                if value is not None and progress is not None and progress(*value) is False:
                    self.end()
                    return None
                (size,) = struct.unpack("<Q", self._bytes(process.stdout, 8, until))
                done, value = unpacked(self._bytes(process.stdout, size, until))
        except TimeoutError:
            self.end()
            raise BadFile(f"{shown} could not be read within {call.limits.seconds:.0f} seconds and was given up.") from None
        except (OSError, EOFError, struct.error, pickle.UnpicklingError, AttributeError, TypeError, ValueError) as error:
            self.end()
            raise BadFile(f"{shown} could not be read: the file is damaged or not what its name says.") from error
        except BaseException:  # interrupted: what comes now would be taken for the next answer
            self.end()
            raise
        if done == "made":
            return value
        if isinstance(value, AulmoError):
            raise value
        raise BadFile(f"{shown} could not be read: {value}.")

    @staticmethod
    def _write(stream: Any, blob: bytes, until: float) -> None:
        left = memoryview(blob)
        while left:
            _, ready, _ = select.select([], [stream], [], max(0.0, until - time.monotonic()))
            if not ready:
                raise TimeoutError
            left = left[os.write(stream.fileno(), left[: 1 << 20]) :]

    @staticmethod
    def _bytes(stream: Any, size: int, until: float) -> bytes:
        found = bytearray()
        while len(found) < size:
            ready, _, _ = select.select([stream], [], [], max(0.0, until - time.monotonic()))
            if not ready:
                raise TimeoutError
            piece = os.read(stream.fileno(), min(1 << 20, size - len(found)))
            if not piece:
                raise EOFError
            found += piece
        return bytes(found)

    def _begun(self) -> subprocess.Popen:
        if self._process is None or self._process.poll() is not None:
            self.end()
            room = "/dev/shm" if os.access("/dev/shm", os.W_OK) else None
            self._folder = tempfile.TemporaryDirectory(prefix=f"aulmo-apart-{os.getpid()}-", dir=room)
            words = [sys.executable, "-m", "aulmo.document.apart_process", self._folder.name, str(os.getpid())]
            self._process = subprocess.Popen(words, stdin=subprocess.PIPE, stdout=subprocess.PIPE, stderr=subprocess.DEVNULL, bufsize=0)
            for stream in (self._process.stdin, self._process.stdout):
                assert stream is not None
                try:
                    fcntl.fcntl(stream, fcntl.F_SETPIPE_SZ, 1 << 20)
                except OSError:
                    pass  # smaller pipes do as well
            os.set_blocking(self._process.stdin.fileno(), False)  # type: ignore[union-attr]
        return self._process

    def end(self) -> None:
        """Let it go; a file that comes later has another."""
        process, self._process = self._process, None
        if process is not None:
            process.kill()
            process.wait()
            for stream in (process.stdin, process.stdout):
                if stream is not None:
                    stream.close()
        folder, self._folder = self._folder, None
        if folder is not None:
            folder.cleanup()


_readers: dict[str, list[_Reader]] = {}  # by name, those that were ever wanted at once
_known = threading.Lock()
AT_ONCE = {"reader": 3}  # of a name; others are one, which keeps what it has open


def _run(process: str, call: Call, shown: str, progress: Progress = None) -> Any:
    """Have a call answered by a reader that is idle: a small picture does not wait for a large one."""
    with _known:
        readers = _readers.setdefault(process, [])
        reader = next((r for r in readers if r.lock.acquire(blocking=False)), None)
        if reader is None and len(readers) < AT_ONCE.get(process, 1):
            reader = _Reader()
            reader.lock.acquire()
            readers.append(reader)
        busy = readers[0] if reader is None else None
    if reader is None:
        assert busy is not None
        reader = busy
        reader.lock.acquire()
    try:
        return reader.run(call, shown, progress)
    finally:
        reader.lock.release()


@atexit.register
def _end_all() -> None:
    for reader in [reader for readers in _readers.values() for reader in readers]:
        reader.end()


def _forget_all() -> None:
    """In a process that was forked the other one's readers are not its own."""
    _readers.clear()


os.register_at_fork(after_in_child=_forget_all)
