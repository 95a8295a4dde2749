"""From a render to the picture that is delivered: the shot's finish laid on, and the passes that this wants."""

import hashlib
import sys

import msgspec
import numpy as np
from msgspec.structs import replace

from aulmo.deliver.picture_file import LAYERED
from aulmo.document.assets import AssetStore
from aulmo.document.properties import resolve
from aulmo.document.records import Document, Finish, RenderSettings, Shot
from aulmo.finish.composing import is_neutral
from aulmo.finish.edits import finish_of, made_of, told_of
from aulmo.finish.layers import passes_of
from aulmo.finish.planes import of_picture
from aulmo.trace.passes import SETS
from aulmo.trace.tracer import Picture


def _shows_finish(document: Document, shot: Shot, settings: RenderSettings, kind: str) -> bool:
    """Whether a file of a kind shows the shot's finish: there is one, it is wanted, and the file is not light itself."""
    return settings.finished and kind not in LAYERED and settings.profile != "ACEScg" and shot.finish in document.finishes


def _in_use(document: Document, shot: Shot, settings: RenderSettings, kind: str, time: float) -> tuple[Document, Finish] | None:
    """The finish that a file of a kind shows at a time of the film, and the document it is resolved in; None where it does nothing."""
    if not _shows_finish(document, shot, settings, kind):
        return None
    seen = resolve(document, {"shot": shot.id}, time)
    finish = finish_of(seen, shot)
    if not finish.layers and all(map(is_neutral, finish.balance.values())) and finish.view in ("", shot.view):
        return None
    return seen, finish


def settings_for(document: Document, shot: Shot, settings: RenderSettings, kind: str) -> RenderSettings:
    """How a shot is rendered for a file of a kind: with the passes that the file holds, that are kept beside it, or that its finish wants."""
    passes: set[str] = set(settings.passes) if kind in LAYERED or settings.negative else set()
    groups = settings.denoise_groups
    if _shows_finish(document, shot, settings, kind):  # as it is stored: keys may let it do nothing now and much later
        passes |= set(passes_of(document.finishes[shot.finish]))
        groups = groups or bool(document.finishes[shot.finish].balance)
    return replace(settings, passes=tuple(p for p in SETS if p in passes), denoise_groups=groups)


def finish_key(document: Document, shot: Shot, settings: RenderSettings, kind: str, time: float = 0.0) -> str:
    """What of a file is its finish, at a time of the film; "" where there is none."""
    used = _in_use(document, shot, settings, kind, time)
    if used is None:
        return ""
    grained = any(layer.grade.grain for layer in used[1].layers)  # which is another in each frame
    return hashlib.sha256(msgspec.json.encode((used[1], round(time, 9) if grained else None))).hexdigest()[:24]


def developed(
    document: Document, assets: AssetStore, shot: Shot, picture: Picture, settings: RenderSettings, kind: str, time: float = 0.0
) -> Picture:  # fmt: skip
    """A render with its shot's finish laid on, as a picture whose light is finished. What could not be made is left out, and told on the log."""
    used = _in_use(document, shot, settings, kind, time)
    if used is None:
        return picture
    made = made_of(used[0], assets, shot, of_picture(picture), time)
    for words in told_of(made.finish, made.light.faults):
        print(words, file=sys.stderr, flush=True)
    rgb = (made.light.rgb * np.float32(picture.white)).astype(np.float32)
    return picture._replace(rgb=rgb, alpha=made.light.alpha, view=made.view, passes=None, under=None, tables=made.light.tables)
