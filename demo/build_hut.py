"""Build the Odrel hut: a small cabin room with a window, a table and the lantern on it: `PYTHONPATH=src python demo/build_hut.py`.

Shows what an interior needs: sun and sky through a portal, a measured lamp, boards made of nodes alone, softened edges.
"""

import math
import sys
from pathlib import Path

import numpy as np
from msgspec.structs import replace

from aulmo.deliver.encoding import display_picture, small_png
from aulmo.document import edits, project_file
from aulmo.document.assets import AssetStore
from aulmo.document.meshes import Mesh
from aulmo.document.placement import to_matrix
from aulmo.document.records import (
    Backdrop,
    Camera,
    Document,
    Environment,
    Floor,
    Lamp,
    Material,
    Node,
    Part,
    Placement,
    RenderSettings,
    Shot,
    Sky,
    Surface,
)  # fmt: skip
from aulmo.light.place_lamp import pointed_at
from aulmo.surface import swatches
from aulmo.surface.colour import from_hex
from aulmo.trace.tracer import render

HERE = Path(__file__).parent
WIDE, DEEP, HIGH = 3200.0, 2800.0, 2350.0
WALL = 90.0
IES = """IESNA:LM-63-2002
[MANUFAC] Odrel
[LUMINAIRE] Hut pendant, shade open below
TILT=NONE
1 420 1.0 19 1 1 2 0 0 0
1 1 6
0 5 10 15 20 25 30 35 40 45 50 55 60 65 70 75 80 85 90
0
210 209 206 200 192 181 168 150 127 99 70 43 24 13 8 5 3 1 0
"""


def box(x, y, z) -> Mesh:
    """A block with its corner at the origin."""
    vertices, normals, triangles = [], [], []
    half = np.array([x, y, z]) / 2
    for axis in range(3):
        for sign in (-1.0, 1.0):
            n = np.zeros(3)
            n[axis] = sign
            u, v = np.eye(3)[(axis + 1) % 3], np.eye(3)[(axis + 2) % 3] * sign
            start = len(vertices)
            vertices += [half + (n + a * u + b * v) * half for a, b in ((-1, -1), (1, -1), (1, 1), (-1, 1))]
            normals += [n] * 4
            triangles += [(start, start + 1, start + 2), (start, start + 2, start + 3)]
    return Mesh(np.array(vertices, np.float32), np.array(normals, np.float32), np.array(triangles, np.uint32), np.zeros(0, np.int32))


def turned(profile, columns: int = 72) -> Mesh:
    """A body of revolution about z from (radius, height) points, creased where they turn sharply."""
    from aulmo.prepare.normals import with_crease_normals

    r, z = np.array(profile, float).T
    phi = np.arange(columns) * 2 * np.pi / columns
    points = np.stack([r[:, None] * np.cos(phi), r[:, None] * np.sin(phi), np.repeat(z[:, None], columns, 1)], -1).reshape(-1, 3)
    i, j = np.meshgrid(np.arange(len(r) - 1), np.arange(columns), indexing="ij")
    a, b = i * columns + j, i * columns + (j + 1) % columns
    quads = np.stack([a, b, b + columns, a, b + columns, a + columns], -1).reshape(-1, 3)
    return with_crease_normals(points, quads)


def boards(name: str, colour: str, late: tuple, width: float, along: str, across_turn: float, across: str, ring_mm: float = 4.0) -> Material:
    """Planks of `width` mm, each sawn from another place in a trunk, with a groove between them; `late` is the tone of late wood."""
    nodes = (
        Node(
            "wood", "wood",
            {
                "ring_mm": ring_mm, "board_mm": width, "board_turn": across_turn, "pith_mm": 70.0, "waver": 0.9, "fibre": 1.0,
                "first": (1.0, 1.0, 1.0), "second": late,
            },
            axis=along,
        ),
        Node("gap", "stripes", {"size_mm": width, "share": 0.02, "first": 1.0, "second": 0.2}, axis=across),
        Node("colour", "multiply", {"in1": "@wood", "in2": "@gap"}),
        Node("groove", "stripes", {"size_mm": width, "share": 0.02, "first": 0.0, "second": -2.0}, axis=across),
        Node("fibres", "noise", {"size_mm": 1.2, "octaves": 2.0, "stretch": 60.0}, axis=along),
        Node("ripple", "range", {"in": "@fibres", "outlow": 0.0, "outhigh": 0.08}),
        Node("relief", "add", {"in1": "@groove", "in2": "@ripple"}),
    )  # fmt: skip
    surface = Surface(base_color=from_hex(colour), specular_roughness=0.48, base_diffuse_roughness=0.2)
    return Material(
        id=name.lower().replace(" ", "-"), name=name, kind="Wood & stone", surface=surface, nodes=nodes,
        wires={"base_weight": "colour", "height": "relief"},
    )  # fmt: skip


class Hut:
    """Collects parts."""

    def __init__(self) -> None:
        self.assets = AssetStore()
        self.document = Document(name="Odrel hut")
        self.groups: dict[str, list[str]] = {}

    def add(self, group: str, name: str, mesh: Mesh, material: str, position=(0, 0, 0), turn=(0, 0, 0), radius=0.0) -> None:
        """One part in a group."""
        part = Part(
            id=edits.new_id(), name=name, mesh=self.assets.add_mesh(mesh), material=material,
            placement=Placement(tuple(float(v) for v in position), tuple(float(v) for v in turn)), edge_radius=radius,
        )  # fmt: skip
        self.document = edits.add_parts(self.document, [part], [part.id])
        self.groups.setdefault(group, []).append(part.id)

    def wear(self, material: Material) -> str:
        """Make a material known."""
        self.document = edits.put_material(self.document, material)
        return material.id

    def finish(self) -> Document:
        """Put the parts into their groups."""
        document = self.document
        for name, ids in self.groups.items():
            document, _ = edits.group_parts(document, ids, name)
        return edits.drop_unused_materials(document)


def room(hut: Hut) -> None:
    """Walls with a window, floor, ceiling, beams."""
    painted = ("#e3dccd", (0.86, 0.81, 0.74), 145.0)
    wall_x = hut.wear(boards("Wall boards", *painted, "x", 90.0, "z", 6.0))
    wall_y = hut.wear(boards("Side wall boards", *painted, "y", 0.0, "z", 6.0))
    ceiling = hut.wear(boards("Ceiling boards", *painted, "x", 0.0, "y", 6.0))
    floor = hut.wear(boards("Floor boards", "#a8865c", (0.60, 0.49, 0.38), 170.0, "y", 90.0, "x"))
    frame = hut.wear(replace(swatches.material("Chalk paint"), id="frame", name="Frame paint"))
    glass = hut.wear(
        Material(
            id="pane",
            name="Window pane",
            kind="Glass & liquid",
            surface=Surface(transmission_weight=1.0, specular_roughness=0.0, geometry_thin_walled=True),
        )
    )
    w, d, h = WIDE / 2, DEEP / 2, HIGH
    hut.add("Room", "Floor", box(WIDE, DEEP, 40), floor, (-w, -d, -40))
    hut.add("Room", "Ceiling", box(WIDE, DEEP, 40), ceiling, (-w, -d, h))
    hut.add("Room", "Back wall", box(WIDE, WALL, h), wall_x, (-w, d, 0))
    hut.add("Room", "Front wall", box(WIDE, WALL, h), wall_x, (-w, -d - WALL, 0))
    hut.add("Room", "Right wall", box(WALL, DEEP, h), wall_y, (w, -d, 0))
    # left wall with a window 1100 wide and 1000 high
    y0, y1, z0, z1 = -150.0, 950.0, 800.0, 1800.0
    hut.add("Room", "Left wall, near", box(WALL, y0 + d, h), wall_y, (-w - WALL, -d, 0))
    hut.add("Room", "Left wall, far", box(WALL, d - y1, h), wall_y, (-w - WALL, y1, 0))
    hut.add("Room", "Left wall, below", box(WALL, y1 - y0, z0), wall_y, (-w - WALL, y0, 0))
    hut.add("Room", "Left wall, above", box(WALL, y1 - y0, h - z1), wall_y, (-w - WALL, y0, z1))
    for name, size, at in (
        ("Sill", (WALL + 60, y1 - y0 + 80, 34), (-w - WALL, y0 - 40, z0 - 34)),
        ("Head", (WALL + 20, y1 - y0, 40), (-w - WALL, y0, z1 - 40)),
        ("Jamb, near", (WALL + 20, 40, z1 - z0), (-w - WALL, y0, z0)),
        ("Jamb, far", (WALL + 20, 40, z1 - z0), (-w - WALL, y1 - 40, z0)),
        ("Mullion", (40, 34, z1 - z0), (-w - 60, 0.5 * (y0 + y1) - 17, z0)),
        ("Transom", (40, y1 - y0, 34), (-w - 60, y0, 0.62 * z1 + 0.38 * z0)),
    ):
        hut.add("Window", name, box(*size), frame, at, radius=3.0)
    hut.add("Window", "Pane", box(3, y1 - y0 - 60, z1 - z0 - 60), glass, (-w - 42, y0 + 30, z0 + 30))
    beam = hut.wear(boards("Beam", "#a07c52", (0.56, 0.45, 0.34), 4000.0, "x", 90.0, "z", 5.0))
    for k, y in enumerate((-850.0, 0.0, 850.0)):
        hut.add("Room", f"Beam {k + 1}", box(WIDE, 110, 150), beam, (-w, y - 55, h - 150), radius=6.0)


def furnish(hut: Hut) -> None:
    """A table with things on it, a bench, a shelf."""
    oak = hut.wear(boards("Table boards", "#b98c58", (0.55, 0.43, 0.31), 190.0, "x", 0.0, "y"))
    ash = hut.wear(swatches.material("Dark walnut"))
    glaze = hut.wear(swatches.material("Glazed ceramic"))
    wax = hut.wear(swatches.material("Candle wax"))
    brass = hut.wear(swatches.material("Satin brass"))
    felt = hut.wear(swatches.material("Wool felt"))
    enamel = hut.wear(swatches.material("Tarn blue"))
    hut.add("Table", "Top", box(1300, 760, 38), oak, (-650, -80, 722), radius=4.0)
    for k, (x, y) in enumerate(((-600, -40), (530, -40), (-600, 570), (530, 570))):
        hut.add("Table", f"Leg {k + 1}", box(70, 70, 722), ash, (x, y, 0), radius=5.0)
    hut.add("Bench", "Seat", box(1100, 300, 36), oak, (-520, -620, 430), radius=4.0)
    for k, x in enumerate((-450, 440)):
        hut.add("Bench", f"Side {k + 1}", box(50, 260, 430), ash, (x, -600, 0), radius=4.0)
    hut.add("Bench", "Blanket", box(420, 330, 26), felt, (60, -636, 466), radius=9.0)
    mug = [(0, 0), (34, 0), (37, 3), (38, 12), (38, 84), (37, 87), (35.5, 87), (34.5, 84), (34.5, 8), (0, 6)]
    hut.add("On the table", "Mug", turned(mug), enamel, (-250, 60, 760))
    bowl = [(0, 0), (40, 0), (44, 4), (72, 26), (92, 58), (93, 61), (90, 61), (69, 29), (40, 9), (0, 8)]
    hut.add("On the table", "Bowl", turned(bowl), glaze, (330, 330, 760))
    candle = [(0, 0), (32, 0), (32, 96), (30, 99), (24, 97), (8, 95), (0, 95)]
    hut.add("On the table", "Candle", turned(candle), wax, (150, 470, 767))
    dish = [(0, 0), (52, 0), (58, 6), (60, 14), (58, 14), (52, 7), (0, 7)]
    hut.add("On the table", "Candle dish", turned(dish), brass, (150, 470, 760))
    hut.add("Shelf", "Board", box(900, 190, 28), oak, (250, 1210, 1450), radius=3.0)
    for k, (x, tall) in enumerate(((320, 170), (360, 150), (392, 185), (440, 160))):
        hut.add("Shelf", f"Book {k + 1}", box(30 + 4 * k, 130, tall), (enamel, felt, wax, ash)[k], (x, 1250, 1478), radius=2.0)
    hut.add(
        "Shelf",
        "Jug",
        turned([(0, 0), (48, 0), (58, 10), (66, 60), (52, 120), (40, 150), (46, 172), (43, 172), (37, 150), (0, 140)]),
        glaze,
        (720, 1310, 1478),
    )


def lantern(hut: Hut) -> None:
    """The Wick on the table, as it stands in its own project."""
    wick, assets = project_file.load(HERE / "wick.aulmo")
    roots = {}
    for part in wick.parts.values():
        if part.mesh:
            hut.assets.add_mesh(assets.mesh(part.mesh))
    for material in wick.materials.values():
        if edits.users_of(wick, material.id):
            hut.document = edits.put_material(hut.document, material)
    turn = Placement((-20.0, 260.0, 760.0), (0.0, 0.0, -18.0))
    for root in wick.roots:
        from aulmo.document.placement import from_matrix

        placed = from_matrix(to_matrix(turn) @ to_matrix(wick.parts[root].placement))
        roots[root] = replace(wick.parts[root], placement=placed)
    hut.document = edits.add_parts(hut.document, [replace(roots.get(i, p), shape=None) for i, p in wick.parts.items()], wick.roots)


def light(document: Document, assets: AssetStore) -> Document:
    """Late sun through the window, the sky by a portal, a measured pendant over the table."""
    sky = Sky(turbidity=3.5, azimuth=292.0, elevation=28.0)
    w = WIDE / 2
    profile = assets.add(IES.encode(), ".ies")
    portal = Lamp(
        id="portal", name="Window portal", kind="portal", position=(-w - WALL - 15.0, 400.0, 1300.0), turn=(90.0, 0.0, -90.0), width=1100.0, height=1000.0,
        group="Daylight",
    )  # fmt: skip
    portal = pointed_at(portal, (0.0, 400.0, 1300.0))
    pendant = Lamp(
        id="pendant", name="Pendant", kind="photometric", position=(-120.0, 250.0, 2120.0), width=40.0, power=420.0, kelvin=2700.0, profile=profile,
        group="Pendant",
    )  # fmt: skip
    camera = Camera(
        id="room-camera", name="Room", position=(1330.0, -1180.0, 1390.0), target=(-330.0, 520.0, 930.0), focal_length_mm=24.0, shutter=1 / 15,
        exposure_stops=0.9, f_stop=4.0,
    )  # fmt: skip
    table = Camera(
        id="table-camera", name="Table", position=(560.0, -640.0, 1120.0), target=(-30.0, 250.0, 880.0), focal_length_mm=50.0, shutter=1 / 15,
        exposure_stops=0.6, f_stop=4.0, depth_of_field=True, focus=1080.0,
    )  # fmt: skip
    document = replace(
        document, environment=Environment(sky=sky, exposure=-3.4), floor=Floor(kind="none"), backdrop=Backdrop(kind="environment"),
        lamps={"portal": portal, "pendant": pendant},
        render=RenderSettings(
            stop="noise", noise_percent=5.0, bounces=24, diffuse_bounces=20, specular_bounces=16, clear_bounces=12, clamp_stops=4.0
        ),
    )  # fmt: skip
    document = edits.put_camera(edits.put_camera(document, camera), table)
    document = edits.put_shot(document, Shot(id="room", name="Room", camera=camera.id, width=1600, height=1200))
    return edits.put_shot(document, Shot(id="table", name="Table", camera=table.id, width=1600, height=1200))


def build() -> tuple[Document, AssetStore]:
    """The whole project."""
    hut = Hut()
    room(hut)
    furnish(hut)
    lantern(hut)
    return light(hut.finish(), hut.assets), hut.assets


def main() -> None:
    """Write the project."""
    document, assets = build()
    thumbnail = None
    if "--no-thumbnails" not in sys.argv:
        picture = render(document, assets, document.shots[0], (400, 300), RenderSettings(stop="samples", samples=64, bounces=24, diffuse_bounces=20))
        assert picture is not None
        thumbnail = small_png(display_picture(picture)[..., :3], 400)
    project_file.save(document, assets, HERE / "hut.aulmo", thumbnail)
    print("hut", math.ceil((HERE / "hut.aulmo").stat().st_size / 1e6), "MB")


if __name__ == "__main__":
    main()
