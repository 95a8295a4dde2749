"""A made-up room of plain boxes: walls, a floor slab, a ceiling, openings of known sizes, one with a pane and bars, a table in it."""


from aulmo.document import edits
from aulmo.document.assets import AssetStore
from aulmo.document.meshes import Mesh
from aulmo.document.records import Camera, Document, Floor, Material, Part, Shot, Surface
from shapes import block

IES = """IESNA:LM-63-2002
[MANUFAC] Odrel
TILT=NONE
1 -1 1.0 7 1 1 2 0 0 0
1 1 25
0 15 30 45 60 75 90
0
900 850 700 420 160 30 0
"""
X, Y, Z, WALL = 5200.0, 4100.0, 2600.0, 220.0
HALL = 4000.0, 3000.0, 2500.0, 60.0  # inner size, and how thick its walls are
PLACE = (1900.0, 1400.0, 1200.0)  # within the hall
# middle, width, height: two windows on the left, one of them small; a door on the right; two in front; one behind with a pane; one above
OPENINGS = (
    ((-110, 1050, 1500), 900, 1200), ((-110, 2500, 1700), 400, 400), ((5310, 1450, 1025), 900, 2050), ((700, -110, 1450), 600, 1100),
    ((1700, -110, 1450), 600, 1100), ((2750, 4210, 1300), 2500, 2000), ((2350, 2050, 2710), 700, 1100),
)  # fmt: skip


def slab(low, high, axis: int, holes) -> list[Mesh]:
    """A wall square to an axis around its holes (from, to, from, to along the other two)."""
    u, v = (k for k in range(3) if k != axis)
    across = sorted({low[u], high[u], *(x for h in holes for x in h[:2])})
    up = sorted({low[v], high[v], *(x for h in holes for x in h[2:])})
    found = []
    for a, b in zip(across, across[1:]):
        for c, d in zip(up, up[1:]):
            if not any(h[0] < (a + b) / 2 < h[1] and h[2] < (c + d) / 2 < h[3] for h in holes):
                near, far = list(low), list(high)
                near[u], far[u], near[v], far[v] = a, b, c, d
                found.append(block(near, far))
    return found


def room() -> tuple[Document, AssetStore]:
    """The room with a shot from within that looks at the window behind."""
    assets, w = AssetStore(), WALL
    document = Document(name="Odrel room", floor=Floor(kind="plain", height=-w))
    plaster, glass = Material(id="plaster", name="Plaster"), Material(id="glass", name="Pane", surface=Surface(transmission_weight=1.0))
    document = edits.put_material(edits.put_material(document, plaster), glass)
    meshes = [
        *slab((-w, -w, -w), (X + w, Y + w, 0), 2, []), *slab((-w, -w, Z), (X + w, Y + w, Z + w), 2, [(2000, 2700, 1500, 2600)]),
        *slab((-w, -w, 0), (0, Y + w, Z), 0, [(600, 1500, 900, 2100), (2300, 2700, 1500, 1900)]),
        *slab((X, -w, 0), (X + w, Y + w, Z), 0, [(1000, 1900, 0, 2050)]),
        *slab((0, -w, 0), (X, 0, Z), 1, [(400, 1000, 900, 2000), (1400, 2000, 900, 2000)]),
        *slab((0, Y, 0), (X, Y + w, Z), 1, [(1500, 4000, 300, 2300)]),
        block((2720, Y + 80, 300), (2780, Y + 140, 2300)), block((1500, Y + 80, 1270), (4000, Y + 140, 1330)),  # bars
        block((2000, 1500, 0), (3400, 2300, 740)),
    ]  # fmt: skip
    parts = [Part(id=f"w{k}", name=f"Wall {k}", mesh=assets.add_mesh(m), material="plaster") for k, m in enumerate(meshes)]
    parts.append(Part(id="pane", name="Pane", mesh=assets.add_mesh(block((1500, Y + 100, 300), (4000, Y + 104, 2300))), material="glass"))
    document = edits.add_parts(document, parts, [p.id for p in parts])
    camera = Camera(id="c", name="Inside", position=(2600.0, 300.0, 1500.0), target=(2600.0, 4000.0, 1400.0), focal_length_mm=24.0)
    return edits.put_shot(edits.put_camera(document, camera), Shot(id="s", name="Room", camera="c", width=120, height=90)), assets


def hall(slits=()) -> tuple[Document, AssetStore]:
    """A closed room of six plain walls with slits: (wall, from, to, from, to) along the two axes of walls 0 to 5."""
    x, y, z, w = HALL
    holes = {n: [s[1:] for s in slits if s[0] == n] for n in range(6)}
    walls = (
        ((-w, -w, -w), (x + w, y + w, 0), 2), ((-w, -w, z), (x + w, y + w, z + w), 2), ((-w, -w, 0), (0, y + w, z), 0),
        ((x, -w, 0), (x + w, y + w, z), 0), ((0, -w, 0), (x, 0, z), 1), ((0, y, 0), (x, y + w, z), 1),
    )  # fmt: skip
    assets = AssetStore()
    meshes = [m for n, wall in enumerate(walls) for m in slab(*wall, holes[n])] + [block((1500, 1200, 0), (2300, 1900, 740))]
    parts = [Part(id=f"w{k}", name=f"Wall {k}", mesh=assets.add_mesh(m)) for k, m in enumerate(meshes)]
    return edits.add_parts(Document(name="Room"), parts, [p.id for p in parts]), assets
