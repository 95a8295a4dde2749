"""A material on a ball under studio light, for the shelf."""

import functools
import math

import numpy as np

from aulmo.document.assets import AssetStore
from aulmo.document.meshes import Mesh
from aulmo.document.records import Backdrop, Camera, Document, Environment, Floor, Material, Part, RenderSettings, Shot
from aulmo.trace.tracer import render
from aulmo.trace.view import dither, show


@functools.cache
def _ball(radius: float) -> Mesh:
    """A sphere with smooth normals."""
    rows, columns = 48, 96
    theta = np.linspace(0, math.pi, rows + 1)[:, None]
    phi = np.linspace(0, 2 * math.pi, columns + 1)[None, :]
    n = np.stack([np.sin(theta) * np.cos(phi), np.sin(theta) * np.sin(phi), np.cos(theta) + 0 * phi], -1).reshape(-1, 3)
    i = (np.arange(rows)[:, None] * (columns + 1) + np.arange(columns)).reshape(-1)
    upper = np.stack([i, i + columns + 1, i + columns + 2], 1)[: columns * (rows - 1)]
    lower = np.stack([i, i + columns + 2, i + 1], 1)[columns:]
    return Mesh((n * radius).astype(np.float32), n.astype(np.float32), np.concatenate([upper, lower]).astype(np.uint32), np.zeros(0, np.int32))


def swatch_picture(material: Material, width: int, height: int, samples: int, assets: AssetStore | None = None,
    across_mm: float = 40.0) -> np.ndarray:
    """(height, width, 4) uint8 BGRA of a ball in this material, `across_mm` wide; `assets` holds the pictures of its nodes."""
    assets = assets or AssetStore()
    mesh, size = assets.add_mesh(_ball(0.5 * across_mm)), across_mm / 40.0
    stops = -math.log2(max(1.0, material.surface.emission_luminance / 700.0))  # a glowing ball should show its colour, not white
    camera = Camera(
        id="c",
        name="c",
        position=(0, -190 * size, 34 * size),
        target=(0, 0, -0.5 * size),
        focal_length_mm=100 * 44 / 47 * width / height / 1.45,
        shutter=1 / 13,
        exposure_stops=stops,
    )
    document = Document(
        parts={"b": Part(id="b", name="b", mesh=mesh, material=material.id)}, roots=("b",), materials={material.id: material},
        environment=Environment(image="Two strips", turn=6, exposure=0.35),
        backdrop=Backdrop(kind="colour", top=(0.061, 0.061, 0.061)),
        floor=Floor(kind="none"), cameras={"c": camera}, shots=(Shot(id="s", name="s", camera="c"),),
    )  # fmt: skip
    picture = render(document, assets, document.shots[0], (width, height), RenderSettings(stop="samples", samples=samples))
    assert picture is not None
    display = show(picture.rgb, picture.white, "Product neutral", exact=True)
    out = np.empty((height, width, 4), np.uint8)
    dither(display, np.ones((height, width), np.float32), out)
    return out
