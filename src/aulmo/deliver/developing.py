"""From a render to the picture that is delivered: the shot's finish laid on, and the passes that this wants."""

import hashlib
import sys
from pathlib import Path
from typing import Any, Callable, NamedTuple, Sequence

import msgspec
import numpy as np
from msgspec.structs import replace

from aulmo.deliver.picture_file import LAYERED, check_file
from aulmo.document.assets import AssetStore
from aulmo.document.properties import resolve
from aulmo.document.records import Document, Finish, RenderSettings, Shot
from aulmo.errors import BadFile
from aulmo.finish.composing import is_neutral
from aulmo.finish.edits import finish_of, made_of, told_of
from aulmo.finish.layers import passes_of
from aulmo.finish.planes import of_picture
from aulmo.trace import tracer
from aulmo.trace.passes import SETS
from aulmo.trace.scene import SceneBuilder
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


class Rendered(NamedTuple):
    """A picture for a file: its light as it was traced, with its passes; the picture with the shot's finish laid on; how it was rendered."""

    light: Picture
    picture: Picture
    settings: RenderSettings


def rendered(
    document: Document, assets: AssetStore, shot: Shot, size: tuple[int, int], settings: RenderSettings, kind: str,
    told: Callable[[tracer.Progress, tracer.Tracer], bool] | None = None, builder: SceneBuilder | None = None, kept: Path | None = None,
    time: float = 0.0, hands: Any = None,
) -> Rendered | None:  # fmt: skip
    """The one way from settings to what goes into a file of a kind: traced with the passes that it wants, its state `kept` in a file where it goes on
    from, and finished. None when `told` stopped it. Raises BadValue, BadFile or CannotWrite."""
    check_file(kind, settings)
    own = settings_for(document, shot, settings, kind)
    run = lambda: tracer.render(document, assets, shot, size, own, told, builder, kept, time, hands)  # noqa: E731
    try:
        light = run()
    except BadFile:  # what is kept is of another version of the picture
        if kept is None or not kept.exists():
            raise
        kept.unlink()
        light = run()
    return None if light is None else Rendered(light, developed(document, assets, shot, light, own, kind, time), own)


def rendered_moment(
    document: Document, assets: AssetStore, seen: Sequence[tuple[Shot, float]], size: tuple[int, int], settings: RenderSettings, kind: str,
    told: Callable[[tracer.Progress, tracer.Tracer], bool] | None, builder: SceneBuilder, time: float, kept: Callable[[Shot], Path] | None = None,
) -> Picture | None:  # fmt: skip
    """The picture of a moment of a film: of one shot, or of two that dissolve, the second with its share. `kept` tells where the state of each
    lies."""
    found = []
    for shot, _ in seen:
        one = rendered(document, assets, shot, size, settings, kind, told, builder, kept(shot) if kept is not None else None, time)
        if one is None:
            return None
        found.append(one.picture)
    return found[0] if len(found) == 1 else mixed(found[0], found[1], seen[1][1])


def mixed(one: Picture, other: Picture, share: float) -> Picture:
    """Two pictures dissolved in light: shares of what each would show of white."""
    scale = np.float32(one.white / other.white)
    blend = lambda a, b: (a * np.float32(1 - share) + b * np.float32(share)).astype(np.float32)  # noqa: E731
    return one._replace(
        rgb=blend(one.rgb, other.rgb * scale), raw=blend(one.raw, other.raw * scale), alpha=blend(one.alpha, other.alpha),
        albedo=blend(one.albedo, other.albedo), normal=blend(one.normal, other.normal), passes=None, under=None,
    )  # fmt: skip


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
