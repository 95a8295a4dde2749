"""The command line's `render`: one still, one variant of it, or a whole range."""

import argparse
import os
import sys
from pathlib import Path
from typing import Any

from aulmo.command.words import at_least, bar, end_bar, frame_size, stopped_at
from aulmo.errors import BadValue


def _use(arguments: argparse.Namespace) -> str:
    """Whether a still is made, or a picture in the quality of the film or of its preview."""
    return arguments.quality if isinstance(arguments.quality, str) else "still"


def _settings(arguments: argparse.Namespace, settings: Any, kind: str) -> Any:
    """The project's settings with what the command line says."""
    from msgspec.structs import replace

    from aulmo.deliver.picture_file import LAYERED
    from aulmo.deliver.qualities import settings_of
    from aulmo.document.properties import about, accepted

    settings = stopped_at(settings_of(settings, _use(arguments)), arguments)
    if arguments.time is not None:
        settings = replace(settings, stop="time", seconds=at_least(arguments.time, 0.1, "the time in seconds"))
    if arguments.passes is not None:
        from aulmo.trace.passes import USES, check

        use = "everything" if arguments.passes == "all" else arguments.passes.strip()
        names = USES[use][1] if use in USES else tuple(n.strip() for n in arguments.passes.split(",") if n.strip())
        check(names)
        if names and kind not in LAYERED:
            raise BadValue("Passes are kept in one EXR or layered file; let the file's name end in .exr or .ora.")
        settings = replace(settings, passes=names)
    for name in ("profile", "quality", "dpi", "alpha"):
        given = getattr(arguments, name)
        if given is not None and not (name == "quality" and isinstance(given, str)):
            settings = replace(settings, **{name: accepted(about(f"render/{name}"), given)})
    if arguments.seed is not None:
        settings = replace(settings, seed=int(at_least(arguments.seed, 0, "the seed")))
    return replace(settings, transparent=True) if arguments.transparent else settings


def render(arguments: argparse.Namespace) -> int:
    """`render PROJECT.aulmo [--shot NAME] [--variant "Colour=Pine"] [--every "Colour,Trim" | --table FILE] [--pattern "..."] --out FILE|FOLDER`."""
    from aulmo.document.project_file import load

    document, assets = load(Path(arguments.project))
    if arguments.every or arguments.table:
        return _range(arguments, document, assets)
    if arguments.pattern is None and arguments.out is None:
        raise BadValue("Say where the picture goes, with --out.")
    return _one(arguments, document, assets)


def _one(arguments: argparse.Namespace, document: Any, assets: Any) -> int:
    from msgspec.structs import replace

    from aulmo.deliver.developing import rendered
    from aulmo.deliver.picture_file import signed, type_of, write_picture
    from aulmo.deliver.qualities import size_for
    from aulmo.deliver.stills import Still, check_seen, plan, shot_of
    from aulmo.document import variants
    from aulmo.document.variant_table import from_words

    choices = from_words(document, arguments.variant or "")
    if arguments.pattern is not None:
        out, kind = _from_pattern(arguments, document, [choices], plan)[0]
    else:
        out = Path(arguments.out)
        kind = type_of(out, arguments.file_type)
    if variants.is_refused(document, choices):
        raise BadValue(f"{variants.told(document, choices)} is not offered.")
    shot = shot_of(document, choices, arguments.shot)
    check_seen(document, Still(choices, shot.id, out))
    document = variants.chosen(document, choices)
    shot = next(s for s in document.shots if s.id == shot.id)
    size = frame_size(arguments.size) if arguments.size else size_for(document.render, _use(arguments), (shot.width, shot.height))
    settings = _settings(arguments, document.render, kind)
    if not out.parent.is_dir():
        raise BadValue(f"There is no folder {out.parent} to write to.")

    def progress(p: Any, tracer: Any) -> bool:
        left = "" if p.seconds_left == float("inf") else f"{p.seconds_left:.0f} s left"
        bar(f"Rendering {shot.name}"[:18], p.share, f"noise {100 * p.noise:.1f} %  {left}")
        return True

    kept = Path(arguments.state) if arguments.state else None
    found = rendered(document, assets, shot, size, replace(settings, negative=False), kind, progress, None, kept, arguments.at)
    end_bar()
    if found is None:
        print("The render was cancelled.", file=sys.stderr)
        return 5
    picture = found.picture
    write_picture(picture, out, kind, signed(document, shot.name), found.settings)
    if kept is not None:
        kept.unlink(missing_ok=True)
    print(f"{out}: {size[0]} × {size[1]}, {picture.samples} samples, noise {100 * picture.noise:.1f} %, {picture.seconds:.1f} s")
    return 0


def _from_pattern(arguments: argparse.Namespace, document: Any, rows: list, plan: Any) -> list[tuple[Path, str]]:
    """The files of some variants, and their type."""
    from aulmo.deliver.naming import kind_of

    kind = kind_of(arguments.pattern or "") or document.render.file_type
    if arguments.file_type:
        kind = arguments.file_type
    size = frame_size(arguments.size) if arguments.size else None
    folder = Path(arguments.out) if arguments.out else Path.cwd()
    return [(s.out, kind) for s in plan(document, rows, arguments.pattern, folder, kind, size, arguments.shot, arguments.at)]


def _range(arguments: argparse.Namespace, document: Any, assets: Any) -> int:
    from aulmo.deliver.naming import kind_of
    from aulmo.deliver.stills import plan, render_stills
    from aulmo.document import variants
    from aulmo.document.variant_table import from_table, from_words

    if arguments.every and arguments.table:
        raise BadValue("Take --every or --table, not both.")
    fixed = from_words(document, arguments.variant or "")
    if arguments.every:
        axes = [a.strip() for a in arguments.every.split(",") if a.strip()]
        rows = variants.every(document, axes, fixed)
        pattern = arguments.pattern or "{project} " + " ".join(f"{{{a}}}" for a in axes)
    else:
        try:
            text = Path(arguments.table).read_text(encoding="utf-8-sig")
        except (OSError, UnicodeDecodeError) as error:
            raise BadValue(f"The table {arguments.table} cannot be read: {getattr(error, 'strerror', None) or 'it is no text'}.") from None
        rows = [{**fixed, **row} for row in from_table(document, text)]
        pattern = arguments.pattern or "{project} {shot} {variant}"
    kind = arguments.file_type or kind_of(pattern) or document.render.file_type
    size = frame_size(arguments.size) if arguments.size else None
    folder = Path(arguments.out) if arguments.out else Path.cwd()
    wanted = plan(document, rows, pattern, folder, kind, size, arguments.shot, arguments.at)
    if not os.access(folder, os.W_OK):
        raise BadValue(f"{folder} cannot be written to; choose another folder.")
    keep = Path(arguments.state) if arguments.state else None
    if keep is not None:
        keep.mkdir(parents=True, exist_ok=True)

    def progress(p: Any, picture: Any, tracer: Any) -> bool:
        left = "" if p.seconds_left == float("inf") else f"{p.seconds_left:.0f} s left"
        bar(f"{p.done + 1} of {p.stills}" if picture is None else f"{p.done} of {p.stills}", (p.done + p.share) / p.stills, left)
        if picture is not None:
            end_bar()
            print(wanted[p.number].out)
        return True

    made = render_stills(document, assets, wanted, size, _settings(arguments, document.render, kind), kind, progress, keep, arguments.at)
    end_bar()
    there = f", {made.kept} were there already" if made.kept else ""
    print(f"{len(wanted)} variants; {made.made} made in {made.seconds:.1f} s{there}")
    return 0
