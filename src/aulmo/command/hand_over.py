"""The command line's `finish`, `parts` and `collect`: what goes to a client, a workshop or an archive."""

import argparse
from pathlib import Path

from aulmo.command.words import bar, end_bar, stopped_at
from aulmo.errors import BadValue


def finish(arguments: argparse.Namespace) -> int:
    """`finish PROJECT --shot NAME [--passes FILE.exr] [--time S] --out FILE`, or of all shots with `--all`, or of a film with `--frames FOLDER`."""
    from aulmo.deliver.finished import file_of, finish_frames, write_finished
    from aulmo.document.file_names import file_name
    from aulmo.document.project_file import load

    document, assets = load(Path(arguments.project))

    def progress(p, tracer) -> bool:
        bar("Rendering", p.share, "" if p.seconds_left == float("inf") else f"{p.seconds_left:.0f} s left")
        return True

    passes = Path(arguments.passes) if arguments.passes else None
    settings = stopped_at(document.render, arguments)
    out = Path(arguments.out)
    if arguments.frames:
        made = finish_frames(document, assets, Path(arguments.frames), out, settings, lambda done, of: bar("Finishing", done / of, f"{done} of {of}"))
        end_bar()
        print(f"{out}: {made.made} frames finished, {made.kept} were there")
        return 0
    if arguments.all:
        if not out.is_dir():
            raise BadValue(f"There is no folder {out} to write to.")
        for shot in document.shots:
            held = passes / f"{file_name(shot.name, [s.name for s in document.shots], 'shot')}.exr" if passes is not None else None
            file = file_of(document, shot, out, settings)
            told = write_finished(document, assets, shot, file, held, arguments.time, settings, progress)
            if told is None:
                return 5
            for note in told:
                print(note)
            print(f"{file}: finished")
        return 0
    notes = write_finished(document, assets, arguments.shot, Path(arguments.out), passes, arguments.time, settings, progress)
    if passes is None:
        end_bar()
    if notes is None:
        return 5
    for note in notes:
        print(note)
    print(f"{arguments.out}: finished")
    return 0


def parts(arguments: argparse.Namespace) -> int:
    """`parts PROJECT --out FILE.csv|FILE.pdf [--variant "Colour=Pine"] [--set-pieces]`."""
    from aulmo.deliver.parts_list import write_parts_list
    from aulmo.document.project_file import load
    from aulmo.document.variant_table import from_words

    document, assets = load(Path(arguments.project))
    choices = from_words(document, arguments.variant or "")
    count = write_parts_list(document, assets, Path(arguments.out), choices or None, arguments.set_pieces)
    print(f"{arguments.out}: {count} lines")
    return 0


def collect(arguments: argparse.Namespace) -> int:
    """`collect PROJECT --out FOLDER`."""
    from aulmo.deliver.collect import collect as collected, gathered
    from aulmo.document.project_file import load

    document, assets = load(Path(arguments.project))
    for one in gathered(document, assets)[0]:
        print(f"{one.where}: {one.source or one.name}")

    def tell(share: float) -> bool:
        bar("Collecting", share, "")
        return True

    notes = collected(document, assets, Path(arguments.out), tell)
    end_bar()
    for note in notes:
        print(note)
    print(f"{arguments.out}: everything that {document.name or 'the project'} needs")
    return 0
