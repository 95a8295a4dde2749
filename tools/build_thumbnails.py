"""Render the shelf's thumbnails into `src/aulmo/desk/thumbnails`. Run with PYTHONPATH=src; names as
arguments make only those."""

import sys
from pathlib import Path

import numpy as np

from aulmo.deliver.encoding import encode
from aulmo.surface import more_swatches, swatches
from aulmo.trace.swatch_ball import swatch_picture

out = Path("src/aulmo/desk/thumbnails")
out.mkdir(exist_ok=True)
for name in sys.argv[1:] or swatches.names():
    pixels = swatch_picture(swatches.material(name), 168, 116, 128, across_mm=more_swatches.ACROSS.get(name, 40.0))
    (out / f"{swatches.slug(name)}.png").write_bytes(encode(np.ascontiguousarray(pixels[:, :, 2::-1] / np.float32(255)), ".png", "uint8"))
    print(name)
