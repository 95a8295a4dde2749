"""Stills out of a project, one or a whole range, with one scene that is kept between them."""

import contextlib
import shutil
import time
from pathlib import Path
from typing import TYPE_CHECKING, Callable, Mapping, NamedTuple, Sequence

from msgspec.structs import replace

from aulmo.deliver.developing import finish_key, rendered, settings_for
from aulmo.deliver.making import LEAST_DISK, Made
from aulmo.deliver.naming import Named, file_names
from aulmo.deliver.notes import Notes
from aulmo.deliver.picture_file import FILE_TYPES, LAYERED, check_file, file_key, signed, write_picture
from aulmo.document import variants
from aulmo.document.assets import AssetStore
from aulmo.document.edits import find_shot
from aulmo.document.records import Document, RenderSettings, Shot
from aulmo.document.variant_table import in_words
from aulmo.errors import BadValue, CannotWrite
from aulmo.trace import tracer
from aulmo.trace.scene import SceneBuilder
from aulmo.trace.tracer import Picture

if TYPE_CHECKING:
    from aulmo.deliver.machines.hands import Helpers


class Still(NamedTuple):
    """One picture of a range: what is chosen, the shot's id, and its file."""

    choices: Mapping[str, str]
    shot: str
    out: Path


class StillProgress(NamedTuple):
    """How far a range is: which still is under way, how many are done of all, how far that one is, seconds so far and left."""

    number: int
    done: int
    stills: int
    share: float
    samples: int
    noise: float
    seconds: float
    seconds_left: float


def shot_of(document: Document, choices: Mapping[str, str], name: str | None = None) -> Shot:
    """The shot of a variant: the one of that name, else the one that a choice brings along, else the first. Raises BadValue."""
    if "shot" in choices:
        return next(s for s in document.shots if s.id == choices["shot"])
    own = None if name else variants.shot_for(document, choices)
    return own or find_shot(document, name)


def plan(
    document: Document, rows: Sequence[Mapping[str, str]], pattern: str, folder: Path, kind: str, size: tuple[int, int] | None = None,
    shot_name: str | None = None, time_: float = 0.0,
) -> list[Still]:  # fmt: skip
    """The stills of some variants and their files. Raises BadValue for a combination that is not offered, for equal names, for no folder."""
    if not rows:
        raise BadValue("No variant is left: all of these combinations are not offered.")
    named = []
    for k, row in enumerate(rows, 1):
        if variants.is_refused(document, {a: c for a, c in row.items() if a != "shot"}):
            raise BadValue(f"{variants.told(document, row)} is not offered.")
        shot = shot_of(document, row, shot_name)
        named.append(Named(document, shot, row, size or (shot.width, shot.height), time_, k, time.strftime("%Y-%m-%d")))
    names = file_names(pattern, named, FILE_TYPES[kind].ending)
    if not folder.is_dir():
        raise BadValue(f"There is no folder {folder} to write to.")
    return [Still({a: c for a, c in one.choices.items() if a != "shot"}, one.shot.id, folder / name) for one, name in zip(named, names)]


def check_seen(document: Document, still: Still) -> None:
    """Raise BadValue when a variant hides everything."""
    from aulmo.document.edits import shown_parts
    from aulmo.document.properties import resolve

    seen = resolve(document, {**still.choices, "shot": still.shot})
    if document.parts and not shown_parts(seen):
        raise BadValue(f"{variants.told(document, still.choices)} hides every part; there is nothing to render.")


def render_stills(
    document: Document, assets: AssetStore, wanted: Sequence[Still], size: tuple[int, int] | None, settings: RenderSettings, kind: str = "png",
    progress: Callable[[StillProgress, Picture | None, tracer.Tracer | None], bool] | None = None, keep: Path | None = None, time_: float = 0.0,
    builder: SceneBuilder | None = None, helpers: "Helpers | None" = None, negative: Callable[[int], Path] | None = None,
) -> Made:  # fmt: skip
    """Make stills one after the other. With a folder to `keep` how far they are, a range that was stopped or killed goes on: what is done is not
    made again, and what was under way goes on at the sample, to the same bits.

    `progress` may return False to stop. With `helpers` tiles of each picture are traced by them as well, to the same bits. `negative`
    tells where the light of each is kept, when it is wanted. Raises BadValue, BadFile
    or CannotWrite; what was made until then is kept.
    """
    builder = builder or SceneBuilder(assets)
    check_file(kind, settings)
    for still in wanted:
        if not still.out.parent.is_dir():
            raise CannotWrite(f"There is no folder {still.out.parent} to write to any more.")
        check_seen(document, still)
    began, made, kept = time.perf_counter(), 0, 0
    notes = Notes(keep / "made.json" if keep is not None else None)
    for k, still in enumerate(wanted):
        of = variants.chosen(document, still.choices)
        shot = next(s for s in of.shots if s.id == still.shot)
        pixels = size or (shot.width, shot.height)
        own = settings_for(of, shot, settings if negative is not None else replace(settings, negative=False), kind)
        digest = ""
        if keep is not None:
            digest = tracer.digest_of(of, shot, pixels, own, time_) + file_key(kind, own) + finish_key(of, shot, own, kind, time_)
        if notes.has(still.out.name, digest, still.out):
            kept += 1
            continue
        if shutil.disk_usage(still.out.parent).free < LEAST_DISK:
            raise CannotWrite(f"The disk of {still.out.parent} is full; make room and go on: what is done is kept.")

        def tell(p: tracer.Progress, at: tracer.Tracer, k=k) -> bool:
            return progress is None or progress(_progress(p, k, len(wanted), kept, began), None, at)

        state = keep / f"{k}.state" if keep is not None else None

        hands = helpers.tiles(of, assets, shot, pixels, own, time_) if helpers is not None else None

        found = rendered(of, assets, shot, pixels, own, kind, tell, builder, state, time_, hands)
        if found is None:
            return Made(made, kept, time.perf_counter() - began, True)
        picture, words = found.picture, in_words(still.choices)
        about = signed(document, f"{shot.name} ({words})" if words else shot.name)
        if negative is not None and settings.negative and kind not in LAYERED:
            with contextlib.suppress(CannotWrite):  # a courtesy: the picture itself must not fail for it
                write_picture(found.light, negative(k), "exr", about, settings)
        write_picture(picture, still.out, kind, about, own)
        made += 1
        notes.note(still.out.name, digest)
        if state is not None:
            with contextlib.suppress(OSError):
                state.unlink(missing_ok=True)
        done = StillProgress(k, k + 1, len(wanted), 0.0, picture.samples, picture.noise, time.perf_counter() - began, 0.0)
        if progress is not None and not progress(done, picture, None) and k + 1 < len(wanted):
            return Made(made, kept, time.perf_counter() - began, True)
    return Made(made, kept, time.perf_counter() - began, False)


def _progress(p: tracer.Progress, k: int, count: int, kept: int, began: float) -> StillProgress:
    spent = time.perf_counter() - began
    whole = (k - kept + p.share) / max(1, count - kept)
    left = p.seconds_left if count == 1 else spent * (1 - whole) / whole if whole > 0.002 else float("inf")
    return StillProgress(k, k, count, p.share, p.samples, p.noise, spent, left)
