"""Made-up shapes and documents for tests."""

import numpy as np
from msgspec.structs import replace

from aulmo.document import edits
from aulmo.document.assets import AssetStore
from aulmo.document.meshes import Mesh
from aulmo.document.records import Backdrop, Camera, Document, Environment, Floor, Material, Part, Placement, Shot, Surface
from aulmo.document.variants import add_axis, add_choice


def sphere_mesh(radius: float = 20.0, rows: int = 48) -> Mesh:
    """A ball with exact normals."""
    columns = 2 * rows
    theta = np.linspace(0, np.pi, rows + 1)[:, None]
    phi = np.linspace(0, 2 * np.pi, columns + 1)[None, :]
    n = np.stack([np.sin(theta) * np.cos(phi), np.sin(theta) * np.sin(phi), np.cos(theta) + 0 * phi], -1).reshape(-1, 3)
    i = (np.arange(rows)[:, None] * (columns + 1) + np.arange(columns)).reshape(-1)
    upper = np.stack([i, i + columns + 1, i + columns + 2], 1)[: columns * (rows - 1)]
    lower = np.stack([i, i + columns + 2, i + 1], 1)[columns:]
    return Mesh((n * radius).astype(np.float32), n.astype(np.float32), np.concatenate([upper, lower]).astype(np.uint32), np.zeros(0, np.int32))


def block(low, high) -> Mesh:
    """A box from corner to corner, four vertices to a side."""
    low, high = np.array(low, float), np.array(high, float)
    vertices, normals, triangles = [], [], []
    for axis in range(3):
        for sign in (-1.0, 1.0):
            n = np.zeros(3)
            n[axis] = sign
            u, v = np.eye(3)[(axis + 1) % 3], np.eye(3)[(axis + 2) % 3] * sign
            start = len(vertices)
            vertices += [(low + high) / 2 + (n + a * u + b * v) * (high - low) / 2 for a, b in ((-1, -1), (1, -1), (1, 1), (-1, 1))]
            normals += [n] * 4
            triangles += [(start, start + 1, start + 2), (start, start + 2, start + 3)]
    return Mesh(np.array(vertices, np.float32), np.array(normals, np.float32), np.array(triangles, np.uint32), np.zeros(0, np.int32))


def box_mesh(size: float = 20.0) -> Mesh:
    """A cube about the origin."""
    return block([-size / 2] * 3, [size / 2] * 3)


def one_part(mesh: Mesh, surface: Surface | None = None, floor: str = "none", **camera) -> tuple[Document, AssetStore]:
    """A document with one part named Ball, a camera and a shot."""
    assets = AssetStore()
    material = Material(id="m", name="Plain", surface=surface or Surface())
    document = edits.put_material(Document(name="Odrel test"), material)
    document = edits.add_parts(document, [Part(id="ball", name="Ball", mesh=assets.add_mesh(mesh), material="m")], ["ball"])
    seen = Camera(
        id="c", name="Camera 1", **{"position": (0.0, -200.0, 0.0), "target": (0.0, 0.0, 0.0), "focal_length_mm": 85.0, "shutter": 1 / 15, **camera}
    )
    document = edits.put_shot(edits.put_camera(document, seen), Shot(id="s", name="Shot 1", camera="c", width=80, height=60))
    return edits.replace(document, floor=Floor(kind=floor)), assets


def shining_boxes():
    """A camera between two shining boxes: a red one ahead of it (along y), a green one to its right; dark all round."""
    document, assets = one_part(box_mesh(20), Surface(emission_luminance=2000.0, emission_color=(1.0, 0.05, 0.05), base_weight=0.0))
    green = Material("g", "Green", surface=Surface(emission_luminance=2000.0, emission_color=(0.05, 1.0, 0.05), base_weight=0.0))
    ball = replace(document.parts["ball"], placement=Placement((0.0, 100.0, 0.0)))
    right = replace(ball, id="right", name="Right", material="g", placement=Placement((100.0, 0.0, 0.0)))
    document = replace(
        document, parts={"ball": ball, "right": right}, roots=("ball", "right"), materials={**document.materials, "g": green},
        environment=Environment(kind="colour", colour=(0.0, 0.0, 0.0)), floor=Floor(kind="none"), backdrop=Backdrop(kind="colour", top=(0, 0, 0)),
        cameras={"c": Camera("c", "C", position=(0.0, 0.0, 0.0), target=(0.0, 50.0, 30.0))},
    )  # fmt: skip
    return document, assets


def to_show(document: Document) -> Document:
    """A document with a second shot, "s2", and an axis of two colours, whose live picture is soon clean."""
    document = edits.put_camera(document, Camera("c2", "Side", position=(300.0, -200.0, 80.0), target=(0.0, 0.0, 20.0)))
    document = edits.put_shot(document, Shot("s2", "Side", "c2", 80, 60))
    document, axis = add_axis(document, "Colour")
    for name, colour in (("Red", (0.7, 0.05, 0.05)), ("Pine", (0.05, 0.3, 0.1))):
        document, _ = add_choice(document, axis, name, {"materials/m/surface/base_color": colour})
    return replace(document, render=replace(document.render, live_noise_percent=50.0))
