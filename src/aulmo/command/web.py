"""The command line's `turntable`: a product that is turned in a web page."""

import argparse
from pathlib import Path

from aulmo.command.words import bar, end_bar, frame_size, stopped_at
from aulmo.errors import BadValue


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
