"""How a list of renders is worked through, and that its processes are there: any window or command wakes them."""

import subprocess
import sys
import time
from pathlib import Path
from typing import NamedTuple

import msgspec

from aulmo.document.locks import is_held
from aulmo.document.writing import write_atomically
from aulmo.errors import BadValue, CannotWrite


class Rules(msgspec.Struct, omit_defaults=True):
    """How a list is worked through: how many jobs at once, whether it halts when the present ones are done, and whether other machines may help."""

    at_once: int = 1
    halt: bool = False
    helpers: bool = False


def rules(folder: Path) -> Rules:
    """The rules of a list."""
    try:
        return msgspec.json.decode((folder / "list.json").read_bytes(), type=Rules)
    except (OSError, msgspec.MsgspecError):
        return Rules()


def set_rules(folder: Path, made: Rules) -> None:
    """Change the rules of a list. Raises BadValue or CannotWrite."""
    if not 1 <= made.at_once <= 64:
        raise BadValue("Between 1 and 64 renders can be under way at once.")
    try:
        folder.mkdir(parents=True, exist_ok=True)
    except OSError as error:
        raise CannotWrite(f"The list of renders {folder} could not be made: {error.strerror or error}.") from error
    blob = msgspec.json.encode(made)
    write_atomically(folder / "list.json", lambda file: file.write(blob))


def is_awake(folder: Path) -> bool:
    """Whether a runner works through the list."""
    return is_held(folder / "runner.lock")


class _Started(NamedTuple):
    """A process that was started for a list, when, and how long the next one waits when this one has failed."""

    process: subprocess.Popen
    at: float
    wait: float


_started: dict[tuple[str, str], _Started] = {}  # by list and module


def start(folder: Path, module: str, is_there: bool) -> None:
    """See to it that a process of a list is there. One that fails (a full disk, a folder that takes no files) is started again after ever longer
    waits; one that has only just been started is given time."""
    if is_there:
        return
    last, now = _started.get((str(folder), module)), time.monotonic()
    wait = 1.0
    if last is not None:
        code = last.process.poll()
        if (code is None and now - last.at < 1.0) or (code not in (None, 0) and now - last.at < last.wait):
            return
        wait = min(60.0, 2 * last.wait) if code else 1.0
    quiet = {"stdin": subprocess.DEVNULL, "stdout": subprocess.DEVNULL, "stderr": subprocess.DEVNULL}
    made = subprocess.Popen([sys.executable, "-m", module, str(folder)], start_new_session=True, **quiet)  # type: ignore[call-overload]
    _started[str(folder), module] = _Started(made, now, wait)


def wake(folder: Path) -> None:
    """See to it that a runner works through a list, and that whoever may help finds it."""
    wake_hub(folder)
    start(folder, "aulmo.deliver.runner", is_awake(folder))


def wake_hub(folder: Path) -> None:
    """See to it that those who may help a list find it, where it takes help."""
    if rules(folder).helpers:
        start(folder, "aulmo.deliver.machines.hub", is_held(folder / "hub.lock"))
