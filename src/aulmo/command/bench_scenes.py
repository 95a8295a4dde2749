"""The made-up scenes that the benchmark measures."""

from pathlib import Path

import numpy as np
from msgspec.structs import replace

from aulmo.document import edits
from aulmo.document.assets import AssetStore
from aulmo.document.meshes import Mesh
from aulmo.document.project_file import load
from aulmo.document.records import Backdrop, Camera, Document, Environment, Floor, Lamp, Part, Placement, Shot
from aulmo.surface import swatches

DEMO = Path(__file__).parents[3] / "demo"


def lantern() -> tuple[Document, AssetStore]:
    """The demo lantern: clear solids, enamel, brass."""
    return load(DEMO / "wick.aulmo")


def room() -> tuple[Document, AssetStore]:
    """The demo hut: an enclosed room lit through a window."""
    return load(DEMO / "hut.aulmo")


def cart() -> tuple[Document, AssetStore]:
    """The demo's cart: copies by a rule, a sun."""
    return load(DEMO / "barrow.aulmo")


def sheet(triangles: int = 1_000_000) -> tuple[Document, AssetStore]:
    """A rippled brass sheet on the floor, of about as many unique triangles as wanted."""
    n = max(3, round((triangles / 2) ** 0.5) + 1)
    u, v = np.meshgrid(np.linspace(-1, 1, n), np.linspace(-1, 1, n), indexing="ij")
    z = 12 * np.sin(14 * u) * np.cos(11 * v) + 2 * np.sin(140 * u * v) + 40
    points = np.stack([u * 150, v * 150, z], -1).reshape(-1, 3)
    i = (np.arange(n - 1)[:, None] * n + np.arange(n - 1)).reshape(-1)
    faces = np.concatenate([np.stack([i, i + n, i + n + 1], 1), np.stack([i, i + n + 1, i + 1], 1)])
    gu, gv = np.gradient(points.reshape(n, n, 3), axis=(0, 1))
    normals = np.cross(gu, gv).reshape(-1, 3)
    normals /= np.linalg.norm(normals, axis=1, keepdims=True)
    assets = AssetStore()
    mesh = Mesh(points.astype(np.float32), normals.astype(np.float32), faces.astype(np.uint32), np.zeros(0, np.int32))
    name = f"sheet-{triangles}.mesh"
    assets._meshes[name] = mesh  # not packed into bytes: only looked at
    material = swatches.material("Satin brass")
    camera = Camera(id="camera", name="Camera", position=(200, -420, 260), target=(0, 0, 30), focal_length_mm=50, shutter=1 / 15)
    document = edits.put_material(Document(), material)
    document = edits.add_parts(document, [Part(id="sheet", name="Sheet", mesh=name, material=material.id)], ["sheet"])
    document = edits.put_shot(edits.put_camera(document, camera), Shot(id="shot", name="Shot", camera="camera"))
    return replace(document, floor=Floor(kind="plain")), assets


def ball(radius: float, rows: int = 48) -> Mesh:
    """A ball of about 2 `rows` squared triangles."""
    columns = rows
    theta, phi = np.linspace(0, np.pi, rows + 1)[:, None], np.linspace(0, 2 * np.pi, columns + 1)[None]
    n = np.stack([np.sin(theta) * np.cos(phi), np.sin(theta) * np.sin(phi), np.cos(theta) + 0 * phi], -1).reshape(-1, 3)
    i = (np.arange(rows)[:, None] * (columns + 1) + np.arange(columns)).reshape(-1)
    faces = np.concatenate(
        [np.stack([i, i + columns + 1, i + columns + 2], 1)[: columns * (rows - 1)], np.stack([i, i + columns + 2, i + 1], 1)[columns:]]
    )
    return Mesh((n * radius).astype(np.float32), n.astype(np.float32), faces.astype(np.uint32), np.zeros(0, np.int32))


def balls(count: int, spread: float = 60.0) -> tuple[Document, AssetStore]:
    """Copies of one ball in a square field, plastic, brass and wood by turns."""
    assets = AssetStore()
    name = assets.add_mesh(ball(0.42 * spread))
    worn = [swatches.material(n) for n in ("Gloss black plastic", "Satin brass", "Oiled ash", "Gloss white plastic")]
    side = int(np.ceil(count**0.5))
    parts = [
        Part(
            id=f"p{k}", name=f"Ball {k}", mesh=name, material=worn[k % 4].id,
            placement=Placement(((k % side - side / 2) * spread, (k // side - side / 2) * spread, 0.42 * spread)),
        )
        for k in range(count)
    ]  # fmt: skip
    reach = side * spread
    camera = Camera(id="c", name="C", position=(0.5 * reach, -1.3 * reach, 0.8 * reach), focal_length_mm=60, shutter=1 / 15, target=(0, 0, 0))
    document = Document(materials={m.id: m for m in worn}, cameras={"c": camera}, shots=(Shot(id="s", name="S", camera="c"),))
    return edits.add_parts(document, parts, [p.id for p in parts]), assets


def scattered(count: int) -> tuple[Document, AssetStore]:
    """Copies of one ball over a floor by a rule, small and turned at random."""
    from aulmo.prepare import copying, pieces

    document, assets = balls(1)
    ball_id = document.roots[0]
    document, floor = pieces.add_piece(document, pieces.set_piece("floor", width=6000.0, depth=6000.0))
    document, _ = copying.make_copies(document, [ball_id], "surface", on=[floor], count=count, steepest=60.0, jitter_size=0.1)
    return edits.put_camera(document, replace(document.cameras["c"], position=(3000.0, -7800.0, 4800.0))), assets


def assembly(parts: int = 2000, triangles: int = 2500, groups: int = 40) -> tuple[Document, AssetStore]:
    """An assembly of groups in which no two parts have the same mesh: knobs of slightly different radii, named in runs."""
    assets = AssetStore()
    document, _ = balls(1)
    rows = max(3, round((triangles / 2) ** 0.5))
    made, roots = [], []
    for g in range(groups):
        inside = [f"p{g}-{k}" for k in range(parts // groups)]
        made.append(Part(id=f"g{g}", name=f"Unit {g + 1}", children=tuple(inside)))
        roots.append(f"g{g}")
        for k, part_id in enumerate(inside):
            number = g * (parts // groups) + k
            mesh = assets.add_mesh(ball(10.0 + 1e-3 * number, rows))
            place = Placement(((number % 45 - 22) * 25.0, (number // 45 - 22) * 25.0, 10.0))
            made.append(Part(id=part_id, name=f"{'Knob' if k % 10 < 8 else 'Cap'} {k + 1}", parent=f"g{g}", mesh=mesh, placement=place))
    camera = replace(document.cameras["c"], position=(500.0, -1300.0, 800.0))
    bare = replace(document, parts={}, roots=(), cameras={"c": camera})
    return edits.add_parts(bare, made, roots), assets


def studio() -> tuple[Document, AssetStore]:
    """Nine balls under the Loft's softboxes."""
    document, assets = balls(9)
    return replace(document, floor=Floor(kind="plain"), environment=Environment(image="Loft")), assets


def lamp_field(count: int) -> tuple[Document, AssetStore]:
    """Nine balls under many small lamps in the dark."""
    document, assets = balls(9)
    rng = np.random.default_rng(5)
    lamps = {}
    for k in range(count):
        x, y = rng.uniform(-400, 400, 2)
        lamps[f"l{k}"] = Lamp(
            id=f"l{k}", name=f"Lamp {k}", kind="disc" if k % 2 else "sphere", position=(float(x), float(y), float(rng.uniform(120, 300))), width=24.0,
            power=float(rng.uniform(20, 200)) * 40 / max(4, count),
        )  # fmt: skip
    dark = Environment(exposure=-40.0)
    return replace(document, lamps=lamps, environment=dark, floor=Floor(kind="plain"), backdrop=Backdrop(kind="colour", top=(0, 0, 0))), assets
