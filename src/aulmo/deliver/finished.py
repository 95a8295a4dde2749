"""A shot, finished, as a file: of the passes of a render that is there, or of one that is made for it."""

import hashlib
import re
import time
from pathlib import Path
from typing import Any, Callable

import numpy as np
from msgspec.structs import replace

from aulmo.deliver.developing import finish_key
from aulmo.deliver.film import assemble
from aulmo.deliver.frame_folder import FINISHED, FrameFolder, frames_beside
from aulmo.deliver.making import Made
from aulmo.deliver.movie import coder_for, is_movie
from aulmo.deliver.picture_file import FILE_TYPES, LAYERED, check_file, shown_file, signed, type_of
from aulmo.document.assets import AssetStore
from aulmo.document.edits import find_shot
from aulmo.document.file_names import file_name, names_apart
from aulmo.document.records import Document, RenderSettings, Shot
from aulmo.document.writing import write_atomically
from aulmo.errors import BadValue
from aulmo.finish.edits import finish_of, finished_of
from aulmo.finish.layers import passes_of
from aulmo.finish.planes import read_planes
from aulmo.motion.reel import seen_at
from aulmo.trace import tracer


def write_finished(
    document: Document, assets: AssetStore, shot_name: str | Shot | None, out: Path, passes: Path | None = None, time_: float = 0.0,
    settings: RenderSettings | None = None, progress: Callable[..., bool] | None = None,
) -> list[str] | None:  # fmt: skip
    """Finish a shot at a time of the film into a file, of the EXR of its `passes`, or of a render made now; returns sentences on what was left out,
    None when it was stopped. Raises BadValue, BadFile or CannotWrite; a file already there is then as it was."""
    out, shot = Path(out), find_shot(document, shot_name)
    settings = settings or document.render
    _check(out, settings)
    if not out.parent.is_dir():
        raise BadValue(f"There is no folder {out.parent} to write to.")
    planes: Any = passes
    if passes is None:
        wanted = replace(settings, passes=passes_of(finish_of(document, shot)))
        planes = tracer.render(document, assets, shot, (shot.width, shot.height), wanted, progress, None, None, time_)
        if planes is None:
            return None
    display, alpha, notes = finished_of(document, assets, shot, planes, time_)
    write_display(display, alpha, out, settings, signed(document, f"{shot.name}, finished"))
    return notes


def write_display(display: np.ndarray, alpha: np.ndarray, out: Path, settings: RenderSettings, about: dict[str, str]) -> None:
    """Display values (h, w, 3) and alpha (h, w) into a file of a type that shows them. Raises BadValue or CannotWrite."""
    kind = _check(out, settings)
    pixels = np.concatenate([display, np.clip(alpha, 0, 1)[..., None]], -1).astype(np.float32)
    blob = shown_file(pixels, kind, out.suffix.lower(), about, settings)
    write_atomically(out, lambda file: file.write(blob))


def _check(out: Path, settings: RenderSettings) -> str:
    """The type of a finished picture's file: as the settings have it where the name fits. Raises BadValue for one that holds light."""
    kind = type_of(out, settings.file_type)
    if kind in LAYERED or kind == "tif32" or settings.profile == "ACEScg":
        raise BadValue(f"{out.name}: a finished picture is what is shown, and goes into PNG, TIFF, JPEG or WebP.")
    check_file(kind, settings)
    return kind


def file_of(document: Document, shot: Shot, folder: Path, settings: RenderSettings) -> Path:
    """Where a shot's finished picture lies in a folder of all of them."""
    ending = ".png" if settings.file_type in LAYERED else FILE_TYPES[settings.file_type].ending
    named = names_apart([s.name for s in document.shots], "shot")
    name = next((n for s, n in zip(document.shots, named) if s.id == shot.id), file_name(shot.name, None))
    return Path(folder) / f"{file_name(document.name, otherwise='project')} {name}{ending}"


def both_beside(before: np.ndarray, after: np.ndarray) -> np.ndarray:
    """Two pictures of display values (h, w, 3) side by side, a hundredth of their width apart."""
    h, w = before.shape[:2]
    return np.concatenate([before, np.ones((h, max(1, w // 100), 3), np.float32), after], 1)


def finish_frames(
    document: Document, assets: AssetStore, frames: Path, out: Path, settings: RenderSettings | None = None,
    progress: Callable[[int, int], Any] | None = None,
) -> Made:  # fmt: skip
    """Finish a film of frames that are there in EXR, by their numbers, into a folder of PNG or a motion picture file, beside which they lie until it
    is whole. What is finished already, of the same frame and by the same finish, is kept. Raises BadValue, BadFile or CannotWrite."""
    settings = settings or document.render
    found = sorted((int(m[1]), p) for p in Path(frames).glob("*.exr") if (m := re.search(r"(\d+)$", p.stem)))
    if not found:
        raise BadValue(f"There are no numbered frames in EXR in {frames}.")
    movie = is_movie(Path(out))
    if movie:
        coder_for(Path(out))
    folder = FrameFolder(frames_beside(Path(out), FINISHED) if movie else Path(out), "png", FINISHED)
    began, made, kept = time.perf_counter(), 0, 0
    size: tuple[int, int] | None = None
    for number, path in found:
        at = document.film.start + number / document.frames_per_second
        seen = seen_at(document, at)
        about = path.stat()
        keys = [finish_key(document, s.shot, settings, "png", at) for s in seen]
        digest = hashlib.sha256(repr((path.name, about.st_size, about.st_mtime_ns, keys, [s.share for s in seen])).encode()).hexdigest()[:32]
        if folder.has(number, digest):
            kept += 1
        else:
            folder.begin(number)
            planes = read_planes(path)
            shown = [finished_of(document, assets, s.shot, planes, at) for s in seen]
            display, alpha = shown[0][0], shown[0][1]
            if len(shown) > 1:
                display = display + (shown[1][0] - display) * np.float32(seen[1].share)
            write_display(display, alpha, folder.file(number), settings, signed(document, f"{at:.3f} s"))
            folder.note(number, digest)
            made += 1
            size = (display.shape[1], display.shape[0])
        if progress is not None:
            progress(made + kept, len(found))
    if movie:
        size = size or read_planes(found[0][1]).alpha.shape[::-1]  # type: ignore[assignment]
        assert size is not None
        assemble([folder.file(n) for n, _ in found], Path(out), size, document.frames_per_second, {"title": document.name})
        folder.remove()
    return Made(made, kept, time.perf_counter() - began, False)
