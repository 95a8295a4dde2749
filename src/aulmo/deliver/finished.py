"""A shot, finished, as a file: of the passes of a render that is there, or of one that is made for it."""

from pathlib import Path
from typing import Any, Callable

import numpy as np
from msgspec.structs import replace

from aulmo import __version__
from aulmo.deliver.picture_file import LAYERED, check_file, shown_file, type_of
from aulmo.document.assets import AssetStore
from aulmo.document.edits import find_shot
from aulmo.document.project_file import write_atomically
from aulmo.document.records import Document, RenderSettings
from aulmo.errors import BadValue
from aulmo.finish.edits import finish_of, finished_of
from aulmo.trace import tracer
from aulmo.trace.passes import USES


def passes_wanted(document: Document, shot_name: str | None) -> tuple[str, ...]:
    """The sets of passes that a shot's finish asks of a render."""
    finish = finish_of(document, find_shot(document, shot_name))
    kinds = {mask.kind for layer in finish.layers for mask in layer.masks}
    wanted = {
        "groups": bool(finish.balance) or any(layer.kind == "group" for layer in finish.layers), "mattes": bool(kinds & {"part", "material"}),
        "surface": bool(kinds & {"depth", "facing"}), "shadow": "shadow" in kinds,
    }  # fmt: skip
    if any(layer.kind == "pass" for layer in finish.layers):
        return USES["everything"][1]
    return tuple(name for name, want in wanted.items() if want)


def write_finished(
    document: Document, assets: AssetStore, shot_name: str | None, out: Path, passes: Path | None = None, time_: float = 0.0,
    settings: RenderSettings | None = None, progress: Callable[..., bool] | None = None,
) -> list[str] | None:  # fmt: skip
    """Finish a shot at a time of the film into a file, of the EXR of its `passes`, or of a render made now; returns sentences on what was left out,
    None when it was stopped. Raises BadValue, BadFile or CannotWrite; a file already there is then as it was."""
    out, shot = Path(out), find_shot(document, shot_name)
    settings = settings or document.render
    kind = type_of(out)
    if kind in LAYERED or settings.profile == "ACEScg":
        raise BadValue(f"{out.name}: a finished picture is what is shown, and goes into PNG, TIFF, JPEG or WebP.")
    check_file(kind, settings)
    if not out.parent.is_dir():
        raise BadValue(f"There is no folder {out.parent} to write to.")
    planes: Any = passes
    if passes is None:
        wanted = replace(settings, passes=passes_wanted(document, shot.name))
        planes = tracer.render(document, assets, shot, (shot.width, shot.height), wanted, progress, None, None, time_)
        if planes is None:
            return None
    display, alpha, notes = finished_of(document, assets, shot.name, planes, time_)
    about = {"Software": f"Aulmo {__version__}", "ImageDescription": f"{document.name}: {shot.name}, finished"}
    pixels = np.concatenate([display, np.clip(alpha, 0, 1)[..., None]], -1).astype(np.float32)
    blob = shown_file(pixels, kind, out.suffix.lower(), about, settings)
    write_atomically(out, lambda file: file.write(blob))
    return notes
