"""The command line’s `turntable` and `panorama`: pages and pictures to turn, and to look around in."""

import argparse
from pathlib import Path
from typing import TYPE_CHECKING

from aulmo.command.words import bar, end_bar, frame_size, stopped_at, tell_film
from aulmo.errors import BadValue

if TYPE_CHECKING:
    from aulmo.deliver.panorama import Layout


def turntable(arguments: argparse.Namespace) -> int:
    """`turntable PROJECT --frames N --out FOLDER [--heights "0,25"] [--every "Colour"] [--light set|product|camera]`."""
    from aulmo.deliver.stills import shot_of
    from aulmo.deliver.turntable import Turntable, make_turntable
    from aulmo.document import variants
    from aulmo.document.project_file import load
    from aulmo.document.variant_table import from_words

    document, assets = load(Path(arguments.project))
    fixed = from_words(document, arguments.variant or "")
    axes = [a.strip() for a in (arguments.every or "").split(",") if a.strip()]
    rows = variants.every(document, axes, fixed) if axes else [fixed]
    try:
        heights = tuple(float(h) for h in arguments.heights.split(","))
    except ValueError:
        raise BadValue("Heights are degrees, as 0,25,50.") from None
    what = Turntable(arguments.frames, heights, arguments.light, arguments.file_type, arguments.background, arguments.title or "")
    shot = shot_of(document, rows[0], arguments.shot)
    size = frame_size(arguments.size) if arguments.size else (shot.width, shot.height)
    settings = stopped_at(document.render, arguments)

    def tell(done: int, of: int, seconds: float, left: float) -> bool:
        bar("Turntable", done / of, f"{done} of {of}  {left:.0f} s left")
        return True

    made = make_turntable(document, assets, arguments.shot, rows, what, size, settings, Path(arguments.out), tell, arguments.at)
    end_bar()
    there = f", {made.kept} were there already" if made.kept else ""
    print(f"{Path(arguments.out) / 'index.html'}: {made.made + made.kept} pictures; {made.made} made in {made.seconds:.1f} s{there}")
    return 0


def panorama(arguments: argparse.Namespace) -> int:
    """`panorama PROJECT [--shot NAME] [--width PIXELS] [--stereo [--beside]] [--cube] --out FILE`; a FILE.mp4 is a film, a sphere for each frame."""
    from aulmo.deliver.panorama import Layout, check, sphere, write_cube, write_sphere
    from aulmo.deliver.picture_file import signed
    from aulmo.deliver.stills import shot_of
    from aulmo.document import variants
    from aulmo.document.project_file import load
    from aulmo.document.variant_table import from_words

    document, assets = load(Path(arguments.project))
    choices = from_words(document, arguments.variant or "")
    shot = shot_of(document, choices, arguments.shot)
    document = variants.chosen(document, choices)
    shot = next(s for s in document.shots if s.id == shot.id)
    out = Path(arguments.out)
    if not out.parent.is_dir():
        raise BadValue(f"There is no folder {out.parent} to write to.")
    layout: Layout = "left-right" if arguments.beside else "top-bottom" if arguments.stereo else ""
    if out.suffix.lower() == ".mp4" and not arguments.cube:
        return _sphere_film(document, assets, shot, layout, arguments)
    check(arguments.width, out, layout, arguments.eyes, arguments.cube)

    def progress(p, tracer) -> bool:
        left = "" if p.seconds_left == float("inf") else f"{p.seconds_left:.0f} s left"
        bar("Full sphere", p.share, left)
        return True

    settings = stopped_at(document.render, arguments)
    picture = sphere(document, assets, shot, arguments.width, settings, progress, arguments.at, layout, arguments.eyes)
    end_bar()
    if picture is None:
        return 5
    if arguments.cube:
        for path in write_cube(picture, out):
            print(path)
    else:
        write_sphere(picture, out, signed(document, shot.name), settings, layout)
        high, wide = picture.rgb.shape[:2]
        print(f"{out}: {wide} × {high}, {picture.samples} samples, {picture.seconds:.1f} s")
    return 0


def _sphere_film(document, assets, shot, layout: "Layout", arguments: argparse.Namespace) -> int:
    from aulmo.deliver.film import plan, render_film
    from aulmo.deliver.qualities import settings_of
    from aulmo.deliver.sphere_film import Sphere, size_of
    from aulmo.motion.reel import without_cuts

    sphere = Sphere(layout, arguments.eyes)
    size = size_of(arguments.width, sphere)
    document = without_cuts(document)
    settings = stopped_at(settings_of(document.render, "film"), arguments)

    planned = plan(document, shot=shot)
    made = render_film(document, assets, planned, size, settings, Path(arguments.out), progress=tell_film, sphere=sphere)
    end_bar()
    print(f"{arguments.out}: {len(planned)} full spheres, {size[0]} × {size[1]}; {made.made} made in {made.seconds:.1f} s")
    return 0
