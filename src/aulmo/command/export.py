"""The command line's `export`: a project for other programs."""

import argparse
from pathlib import Path

from aulmo.errors import BadValue


def export(arguments: argparse.Namespace) -> int:
    """`export PROJECT --out FILE.glb|FILE.usda|FILE.usdc|FILE.usdz [--variant "Colour=Pine"] [--still] [--finesse rough|fine|finest]`."""
    from aulmo.document.project_file import load
    from aulmo.document.variant_table import from_words

    document, assets = load(Path(arguments.project))
    choices = from_words(document, arguments.variant or "")
    out = Path(arguments.out)
    if out.suffix.lower() == ".glb":
        from aulmo.deliver.gltf_out import export_gltf as write
    elif out.suffix.lower() in (".usda", ".usdc", ".usdz"):
        from aulmo.deliver.usd_out import export_usd as write
    else:
        raise BadValue(f"{out.name} should end in .glb, .usda, .usdc or .usdz.")
    for note in write(document, assets, out, choices or None, not arguments.still, arguments.finesse):
        print(note)
    print(f"Wrote {out}")
    return 0
