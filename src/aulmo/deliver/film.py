"""A film out of a project: frame after frame of one scene that is kept, as pictures in a folder or as a motion picture file.

Each frame's file is put in place whole and remembered with a digest of all that made it. What is there already and still right is not made again: a
film that was stopped, killed or changed in places goes on with the frames that are missing, and within a frame at the sample.
"""

import functools
import hashlib
import shutil
import time
from pathlib import Path
from typing import TYPE_CHECKING, Callable, Iterable, NamedTuple

import msgspec
import numpy as np
from msgspec.structs import replace

from aulmo.deliver.developing import finish_key, mixed, rendered_moment, settings_for
from aulmo.deliver.encoding import display_picture
from aulmo.deliver.frame_folder import FrameFolder, frames_beside
from aulmo.deliver.making import LEAST_DISK, Made
from aulmo.deliver.movie import begin, coder_for, is_movie
from aulmo.deliver.panorama import sphere as all_round
from aulmo.deliver.picture_file import file_key, signed, write_picture
from aulmo.deliver.sphere_film import Sphere, mark, standing, width_of
from aulmo.document.assets import AssetStore
from aulmo.document.records import Document, RenderSettings, Shot
from aulmo.document.writing import write_atomically
from aulmo.errors import BadFile, BadValue, CannotWrite
from aulmo.motion.reel import Seen, frames, seen_at
from aulmo.trace import tracer
from aulmo.trace.scene import SceneBuilder
from aulmo.trace.tracer import Picture, Progress

if TYPE_CHECKING:
    from aulmo.deliver.machines.hands import Helpers


class FrameOf(NamedTuple):
    """One frame of a film: its number from the film's beginning, its time in seconds, and the shots that are seen."""

    number: int
    time: float
    seen: list[Seen]


class FilmProgress(NamedTuple):
    """How far a film is: the frame that is under way, how many are done of all `frames`, how far that frame is, seconds so far and left."""

    number: int
    done: int
    frames: int
    share: float
    samples: int
    seconds: float
    seconds_left: float


def plan(
    document: Document, start: float | None = None, end: float | None = None, numbers: tuple[int, int] | None = None, shot: Shot | None = None
) -> list[FrameOf]:
    """The frames of a film, or those from one second to another, or from one number to another, both counted. Raises BadValue."""
    every = frames(document)
    rate, first = document.frames_per_second, document.film.start
    if numbers is not None:
        low, high = numbers
        if low > high or low < 0:
            raise BadValue("Frames are told as FIRST-LAST, from 0.")
        wanted = [(k, first + k / rate) for k in range(low, high + 1)]
    else:
        low_time = first if start is None else start
        high_time = document.film.end if end is None else end
        if not (np.isfinite(low_time) and np.isfinite(high_time)) or high_time <= low_time:
            raise BadValue("The film ends before it begins.")
        low, high = round((low_time - first) * rate), max(round((low_time - first) * rate) + 1, round((high_time - first) * rate))
        wanted = [(k, first + k / rate) for k in range(low, high)]
    if len(wanted) > 1_000_000 or not every:
        raise BadValue("The film would have more than a million frames.")
    return [FrameOf(k, t, seen_at(document, t, shot)) for k, t in wanted]


def size_of(document: Document, planned: list[FrameOf]) -> tuple[int, int]:
    """Pixels of a film: those of the first shot that is seen."""
    shot = planned[0].seen[0].shot
    return shot.width, shot.height


def digest_of(
    document: Document, frame: FrameOf, size: tuple[int, int], settings: RenderSettings, kind: str, sphere: Sphere | None = None
) -> str:  # fmt: skip
    """What a frame's file depends on: the pictures of its shots and their shares, and the kind of file."""
    pictures: list[tuple] = [(sphere,)] if sphere is not None else []
    for seen in frame.seen:
        own = settings_for(document, seen.shot, replace(settings, negative=False), kind)
        told = (tracer.digest_of(document, seen.shot, size, own, frame.time), finish_key(document, seen.shot, own, kind, frame.time))
        pictures.append((*told, round(seen.share, 9)))
    return hashlib.sha256(repr((file_key(kind, settings), pictures)).encode()).hexdigest()[:32]


def render_film(
    document: Document, assets: AssetStore, planned: list[FrameOf], size: tuple[int, int], settings: RenderSettings, out: Path,
    kind: str = "png", progress: Callable[[FilmProgress, Picture | bytes | None], bool] | None = None, builder: SceneBuilder | None = None,
    helpers: "Helpers | None" = None, sphere: Sphere | None = None,
) -> Made:  # fmt: skip
    """Make the frames of a film that are missing; of full spheres where a `sphere` says how. `out` is a folder, or a motion picture file, whose
    frames lie beside it in one until it is whole.

    `progress` may return False to stop; run again, it goes on. With `helpers` frames are made by them as well, in any order; of these `progress` gets
    a small PNG. Raises BadValue, BadFile or CannotWrite; what was made until then is kept.
    """
    out = Path(out)
    movie = is_movie(out)
    if sphere is not None:
        helpers = None  # each frame's camera stands as the frame wants it, which a helper does not know
        if movie and out.suffix.lower() != ".mp4":
            raise BadValue(f"{out.name} should end in .mp4, or be a folder: other films cannot say that they are full spheres.")
    if movie or (out.suffix and not out.is_dir()):  # anything else says what it should be called
        coder_for(out)
        if not out.parent.is_dir():
            raise BadValue(f"There is no folder {out.parent} to write to.")
        kind = "png"
    folder = FrameFolder(frames_beside(out) if movie else out, kind)
    settings = replace(settings, negative=False)
    builder = builder or SceneBuilder(assets)
    began, made, kept = time.perf_counter(), 0, 0
    files: list[Path] = []
    handed = 0
    digest_at = functools.cache(lambda at: digest_of(document, planned[at], size, settings, kind, sphere))
    if helpers is not None:
        handed, whole = _handed_out(document, assets, planned, digest_at, size, settings, folder, kind, progress, builder, helpers)
        if not whole:
            return Made(handed, 0, time.perf_counter() - began, True)
    for at, frame in enumerate(planned):
        digest = digest_at(at)
        files.append(folder.file(frame.number))
        if folder.has(frame.number, digest):
            kept += 1
            continue

        def tell(done: int, share: float, samples: int, picture: Picture | None = None, frame=frame) -> bool:
            spent = time.perf_counter() - began
            whole = (done - kept + share) / max(1, len(planned) - kept)
            left = spent * (1 - whole) / whole if whole > 0.002 or done > kept else float("inf")
            return progress is None or progress(FilmProgress(frame.number, done, len(planned), share, samples, spent, left), picture)

        def told(p: Progress, _tracer, at=at, tell=tell) -> bool:
            return tell(at, p.share, p.samples)

        _room(folder.path)
        folder.begin(frame.number)
        same = folder.like(digest)
        if same is not None:
            _copied(same, folder.file(frame.number))
        else:
            if sphere is None:
                picture = _picture(document, assets, frame, size, settings, folder, builder, told, kind)
            else:
                picture = _all_round(document, assets, frame, size, settings, builder, told, sphere)
            if picture is None:
                return Made(made, kept, time.perf_counter() - began, True)
            try:
                write_picture(picture, folder.file(frame.number), kind, _about(document, frame), settings)
            except OSError as error:
                why = error.strerror or error
                raise CannotWrite(f"Frame {frame.number} could not be written: {why}. The frames before it are kept.") from error
            for seen in frame.seen:
                folder.state(frame.number, seen.shot).unlink(missing_ok=True)
            if not tell(at + 1, 0.0, picture.samples, picture):
                folder.note(frame.number, digest)
                return Made(made + 1, kept, time.perf_counter() - began, at + 1 < len(planned) or movie)
        made += 1
        folder.note(frame.number, digest)
    if movie:
        assemble(files, out, size, document.frames_per_second, {"title": document.name})
        if sphere is not None:
            mark(out, sphere.layout)
        folder.remove()
    return Made(made + handed, kept - handed, time.perf_counter() - began, False)


def _about(document: Document, frame: FrameOf) -> dict[str, str]:
    return signed(document, f"{frame.time:.3f} s")


def _handed_out(
    document: Document, assets: AssetStore, planned: list[FrameOf], digest_at: Callable[[int], str], size: tuple[int, int],
    settings: RenderSettings, folder: FrameFolder, kind: str, progress: Callable | None, builder: SceneBuilder, helpers: "Helpers",
) -> tuple[int, bool]:  # fmt: skip
    """Have the frames that are missing made here and by helpers; returns how many were made, and whether all are."""
    from aulmo.deliver.machines.pieces import Came, Piece, as_file, check_file

    wanted: dict[str, int] = {}
    for k, frame in enumerate(planned):
        if not folder.has(frame.number, digest_at(k)) and folder.like(digest_at(k)) is None:
            wanted.setdefault(digest_at(k), k)
    order = list(wanted.values())
    there, began = len(planned) - len(order), time.perf_counter()
    name, held = helpers.project(document, assets)
    told = msgspec.to_builtins(settings)
    pieces = [
        Piece(name, held, [(s.shot.id, s.share) for s in planned[k].seen], size, told, planned[k].time, kind, _about(document, planned[k]))
        for k in order
    ]  # fmt: skip
    count, going = 0, True

    def tell(samples: int = 0, small: bytes | None = None) -> bool:
        nonlocal going
        spent = time.perf_counter() - began
        left = spent * (len(order) - count) / count if count else float("inf")
        number = planned[order[min(count, len(order) - 1)]].number
        going = progress is None or progress(FilmProgress(number, there + count, len(planned), 0.0, samples, spent, left), small)
        return going

    def take(k: int, came: Came) -> None:
        nonlocal count
        frame = planned[order[k]]
        _room(folder.path)
        folder.begin(frame.number)
        write_atomically(folder.file(frame.number), lambda file: file.write(came.payload))
        folder.note(frame.number, digest_at(order[k]))
        for seen in frame.seen:
            folder.state(frame.number, seen.shot).unlink(missing_ok=True)
        count += 1
        tell(came.samples, came.small)

    def make(k: int, still_wanted: Callable[[], bool]) -> Came | None:
        picture = _picture(document, assets, planned[order[k]], size, settings, folder, builder, lambda p, t: still_wanted(), kind)
        return None if picture is None else as_file(picture, pieces[k])

    looked_at = lambda k, came: check_file(came, pieces[k])  # noqa: E731
    whole = helpers.each(pieces, take, make, lambda: going and tell(), looked_at) if pieces else True
    return count, whole


def _room(folder: Path) -> None:
    """Raise CannotWrite before a frame is begun for which there would be no room."""
    if shutil.disk_usage(folder).free < LEAST_DISK:
        raise CannotWrite(f"The disk of {folder} is full; make room and start the film again: it goes on where it stopped.")


def _copied(one: Path, other: Path) -> None:
    blob = one.read_bytes()
    write_atomically(other, lambda file: file.write(blob))


def _picture(
    document: Document, assets: AssetStore, frame: FrameOf, size: tuple[int, int], settings: RenderSettings, folder: FrameFolder,
    builder: SceneBuilder, told: Callable, kind: str,
) -> Picture | None:  # fmt: skip
    """One frame, from where its shots were left."""
    seen = [(one.shot, one.share) for one in frame.seen]
    left = lambda shot: folder.state(frame.number, shot)  # noqa: E731
    return rendered_moment(document, assets, seen, size, settings, kind, told, builder, frame.time, left)


def _all_round(
    document: Document, assets: AssetStore, frame: FrameOf, size: tuple[int, int], settings: RenderSettings, builder: SceneBuilder, told: Callable,
    sphere: Sphere,
) -> Picture | None:  # fmt: skip
    """One frame as a full sphere, of both eyes where there are two. A finish is laid on no sphere: its shapes are of a frame."""
    found: list[Picture] = []
    for one in frame.seen:
        of, shot = standing(document, one.shot, frame.time)
        made = all_round(of, assets, shot, width_of(size, sphere), settings, told, frame.time, *sphere, builder=builder)
        if made is None:
            return None
        found.append(made)
    return found[0] if len(found) == 1 else mixed(found[0], found[1], frame.seen[1].share)


def assemble(files: Iterable[Path], out: Path, size: tuple[int, int], frames_per_second: float, about: dict[str, str] | None = None) -> None:
    """Make a motion picture file of pictures. Raises BadFile or CannotWrite; the pictures stay."""
    import OpenImageIO as oiio

    movie = begin(out, size, frames_per_second, about)
    try:
        for file in files:
            held = oiio.ImageInput.open(str(file))
            pixels = held.read_image(0, 0, 0, 3, "float") if held is not None else None
            if pixels is None:
                raise BadFile(f"{file.name} is not a picture any more; delete it and start the film again.")
            movie.add(np.asarray(pixels))
        movie.close()
    finally:
        movie.give_up()


def display_frame(picture: Picture) -> np.ndarray:
    """(h, w, 3) uint8 of a finished frame."""
    return (np.clip(display_picture(picture)[..., :3], 0, 1) * 255 + 0.5).astype(np.uint8)
