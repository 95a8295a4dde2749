"""Why a job of the list cannot be begun, how often that was tried, and when it is tried again: in its folder, and where that takes no files, among
this machine's temporary ones, so that its row can tell."""

import hashlib
import os
import tempfile
import time
from pathlib import Path

import msgspec

from aulmo.document.writing import write_atomically
from aulmo.errors import AulmoError

FIRST_WAIT, LONGEST_WAIT = 5.0, 600.0  # seconds, doubled each time


class Trouble(msgspec.Struct, omit_defaults=True):
    """What is known of a job that does not begin. `again` is when it is tried the next time, in seconds since 1970."""

    sentence: str
    times: int = 1
    again: float = 0.0


_held: dict[str, Trouble] = {}  # of jobs whose trouble could be written nowhere


def _places(job: Path) -> list[Path]:
    name = hashlib.sha256(str(job.absolute()).encode(errors="surrogateescape")).hexdigest()[:24]
    return [job / "trouble.json", Path(tempfile.gettempdir()) / f"aulmo-troubles-{os.getuid()}" / f"{name}.json"]


def trouble_of(job: Path) -> Trouble | None:
    """What keeps the job of a folder from beginning, as it was last noted."""
    found = [_held[str(job)]] if str(job) in _held else []
    for path in _places(job):
        try:
            if path.stat().st_uid == os.getuid():
                found.append(msgspec.json.decode(path.read_bytes(), type=Trouble))
        except (OSError, msgspec.MsgspecError):
            continue
    return max(found, key=lambda t: t.times, default=None)


def note(job: Path, sentence: str) -> Trouble:
    """Remember that a job could not be begun; the next try comes after twice as long a wait."""
    times = known.times + 1 if (known := trouble_of(job)) is not None else 1
    made = Trouble(sentence, times, time.time() + min(LONGEST_WAIT, FIRST_WAIT * 2 ** min(times - 1, 20)))
    blob = msgspec.json.encode(made)
    for path in _places(job):
        try:
            if path.parent != job:
                path.parent.mkdir(mode=0o700, exist_ok=True)
            write_atomically(path, lambda file: file.write(blob))
            return made
        except (OSError, AulmoError):
            continue
    _held[str(job)] = made
    return made


def told(known: Trouble) -> str:
    """The same in words."""
    again = time.strftime("%H:%M:%S", time.localtime(known.again))
    return f"Tried {known.times} time{'s' if known.times > 1 else ''}, again at {again}: {known.sentence}"


def forget(job: Path) -> None:
    """It has begun, or somebody wants it tried at once."""
    _held.pop(str(job), None)
    for path in _places(job):
        try:
            path.unlink(missing_ok=True)
        except OSError:
            continue
