"""Moving pictures: films and numbered pictures that stand where a picture may, a frame at a time.

A stored film `abc.mp4` has frames that are read as pictures of their own, named `abc.mp4#12.png`. Resolving puts the frame of the moment in the place
of the film wherever one is named; unresolved, a film is its first frame.
"""

import io
import os
import re
import tempfile
import threading
import zipfile
from pathlib import Path
from typing import Any, NamedTuple, Sequence

from aulmo.document import apart as apart_
from aulmo.document.apart import apart
from aulmo.errors import BadFile

MOVIES = (".mp4", ".m4v", ".mov", ".webm", ".mkv", ".avi")
SEQUENCE = ".sequence"
MOST_FRAMES, KEPT = 1_000_000, 12
_NAMED = re.compile(r"^(?P<stored>[^#]+)#(?P<frame>\d+)\.\w+$")


class About(NamedTuple):
    """What is known of stored footage: frames a second, how many, its size in pixels, what kind of file a frame is."""

    rate: float
    frames: int
    width: int
    height: int
    ending: str = ".png"


def is_footage(name: str) -> bool:
    """Whether a stored file's name, or a file's, is that of moving pictures as a whole."""
    return "#" not in name and Path(name).suffix.lower() in (*MOVIES, SEQUENCE)


def frame_of(name: str) -> tuple[str, int] | None:
    """The stored footage and the frame that a name means; None for any other name."""
    found = _NAMED.match(name)
    return (found["stored"], int(found["frame"])) if found else None


def frame_name(stored: str, frame: int, like: str) -> str:
    """The name of the first frame of the footage that another frame is of."""
    return f"{stored}#0{Path(like).suffix}" if frame else like


# reading

_lock = threading.Lock()
_open: dict[str, tuple[Any, Any, int]] = {}  # by name: a film being read, what it still gives, and which frame comes next
_files: dict[str, Path] = {}  # by name: where a film lies for the process that reads it
_folder: "tempfile.TemporaryDirectory[str] | None" = None
_frames: dict[tuple[str, int], bytes] = {}


def about_blob(blob: bytes, name: str) -> About:
    """What a film or a sequence says of itself; the first frame has to be readable. Raises BadFile with one sentence."""
    return _about_sequence(blob, name) if name.lower().endswith(SEQUENCE) else _about_film(blob, name)


def _format(head: bytes, name: str) -> str:
    """What kind of film a file is, by its first bytes. Raises BadFile: the library that reads films would try whatever else it knows, addresses in
    the network among that."""
    if head[4:8] in (b"ftyp", b"moov", b"mdat", b"free", b"skip", b"wide", b"pnot"):
        return "mov"
    if head[:4] == b"\x1a\x45\xdf\xa3":
        return "matroska"
    if head[:4] == b"RIFF" and head[8:12] == b"AVI ":
        return "avi"
    raise BadFile(f"{name} cannot be read as a film; it is damaged, or of a kind that this machine does not know.")


def _opened(source: Path | bytes, name: str) -> Any:
    """A film being read, of its own file and of nothing else. Raises BadFile, or what the library raises."""
    import av

    head = source[:16] if isinstance(source, bytes) else source.open("rb").read(16)
    file: Any = io.BytesIO(source) if isinstance(source, bytes) else str(source)
    return av.open(file, format=_format(head, name), options={"protocol_whitelist": "file"})


@apart(seconds=60, process="films", shown=lambda blob, name: name)
def _about_film(blob: bytes, name: str) -> About:
    try:
        with _opened(blob, name) as held:
            stream = held.streams.video[0]
            rate = float(stream.average_rate or stream.guessed_rate or 25)
            first = next(held.decode(video=0))
            count = int(stream.frames or 0)
            if count < 1:
                lasts = float(held.duration or 0) / 1e6
                count = round(lasts * rate)
            if count < 1:
                count = 1 + sum(1 for _ in held.decode(video=0))
            if not 0.01 <= rate <= 10000 or not 1 <= count <= MOST_FRAMES:
                raise ValueError("rate or length")
            return About(rate, count, first.width, first.height)
    except (OSError, ValueError, IndexError, StopIteration, KeyError) as error:
        raise BadFile(f"{name} cannot be read as a film; it is damaged, or of a kind that this machine does not know.") from error


def _about_sequence(blob: bytes, name: str) -> About:
    try:
        with zipfile.ZipFile(io.BytesIO(blob)) as held:
            width, height, rate = (float(v) for v in held.read("about").decode().split())
            pictures = [n for n in held.namelist() if n != "about"]
            sound = 0.01 <= rate <= 10000 and 1 <= len(pictures) <= MOST_FRAMES and 1 <= width <= 65536 and 1 <= height <= 65536
            if not sound or not re.fullmatch(r"\.\w{1,8}", Path(pictures[0]).suffix):
                raise ValueError("rate, size or pictures")
            return About(rate, len(pictures), int(width), int(height), Path(pictures[0]).suffix)
    except (zipfile.BadZipFile, KeyError, ValueError, OSError) as error:
        raise BadFile(f"{name} is damaged: its pictures cannot be told apart.") from error


def packed(paths: Sequence[Path], rate: float, size: tuple[int, int]) -> bytes:
    """Numbered pictures as one stored file. Raises BadFile."""
    out = io.BytesIO()
    try:
        with zipfile.ZipFile(out, "w", zipfile.ZIP_STORED) as held:
            held.writestr("about", f"{size[0]} {size[1]} {rate!r}")
            for k, path in enumerate(paths):
                held.writestr(zipfile.ZipInfo(f"{k:06d}{path.suffix.lower()}"), path.read_bytes())
    except OSError as error:
        raise BadFile(f"{paths[0].name} and those after it cannot be read: {error.strerror or error}.") from error
    return out.getvalue()


def frame_blob(blob: bytes, name: str, frame: int) -> bytes:
    """One frame of footage as the bytes of a picture file. Frames in order are read on from the last one. Raises BadFile."""
    with _lock:
        if (name, frame) not in _frames:
            if name.lower().endswith(SEQUENCE):
                made = _from_sequence(blob, name, frame)
            else:
                made = _from_film(blob if apart_.inside else _file_of(blob, name), name, frame)
            _frames[name, frame] = made
            while len(_frames) > KEPT:
                _frames.pop(next(iter(_frames)))
        return _frames[name, frame]


def _from_sequence(blob: bytes, name: str, frame: int) -> bytes:
    try:
        with zipfile.ZipFile(io.BytesIO(blob)) as held:
            names = sorted(n for n in held.namelist() if n != "about")
            return held.read(names[min(frame, len(names) - 1)])
    except (zipfile.BadZipFile, KeyError, IndexError, OSError) as error:
        raise BadFile(f"{name} is damaged: a picture of it cannot be read.") from error


def _file_of(blob: bytes, name: str) -> Path:
    """Where a film lies for the process that reads it: it is not sent again for each frame."""
    global _folder
    if name not in _files or not _files[name].exists():
        if _folder is None:
            _folder = tempfile.TemporaryDirectory(prefix=f"aulmo-films-{os.getpid()}-")
        _files[name] = Path(_folder.name) / str(len(_files))
        _files[name].write_bytes(blob)
        while len(_files) > 3:
            _files.pop(next(iter(_files))).unlink(missing_ok=True)
    return _files[name]


@apart(seconds=60, process="films", shown=lambda source, name, frame: f"The film {name}")
def _from_film(source: Path | bytes, name: str, frame: int) -> bytes:
    try:
        held, given, following = _open.pop(name, (None, None, 0))
        picture = None
        for again in (False, True):  # again from its beginning where it says that it is longer than it is: the last one stays
            if held is None or following > frame or again:
                if held is not None:
                    held.close()
                held = _opened(source, name)
                given, following = held.decode(video=0), 0
            while following <= frame:
                fresh = next(given, None)
                if fresh is None:
                    break
                picture, following = fresh, following + 1
            if picture is not None:
                break
        if picture is None:
            held.close()
            raise BadFile(f"The film {name} has no pictures that can be read.")
        _open[name] = (held, given, following)
        while len(_open) > 3:
            _open.pop(next(iter(_open)))[0].close()
        out = io.BytesIO()
        picture.to_image().save(out, "PNG", compress_level=1)
        return out.getvalue()
    except (OSError, ValueError, IndexError) as error:
        raise BadFile(f"A frame of the film {name} cannot be read; it is damaged.") from error


def still(blob: bytes, name: str) -> tuple[bytes, str]:
    """A picture file and its name as they are; of footage its first frame."""
    if not is_footage(name):
        return blob, name
    pictures = name.lower().endswith(SEQUENCE)
    ending = _about_sequence(blob, name).ending if pictures else ".png"
    return frame_blob(blob, f"{name}:{len(blob)}:{hash(blob)}" + (SEQUENCE if pictures else ".mp4"), 0), f"{name}#0{ending}"
