"""The command line's `parts` and `collect`: what goes to a client, a workshop or an archive beside the pictures."""

import argparse
from pathlib import Path

from aulmo.command.words import bar, end_bar


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
    from aulmo.deliver.collect import collect as collected
    from aulmo.document.project_file import load

    document, assets = load(Path(arguments.project))

    def tell(share: float) -> bool:
        bar("Collecting", share, "")
        return True

    notes = collected(document, assets, Path(arguments.out), tell)
    end_bar()
    for note in notes:
        print(note)
    print(f"{arguments.out}: everything that {document.name or 'the project'} needs")
    return 0
