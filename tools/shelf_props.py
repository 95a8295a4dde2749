"""The props that ship: made from profiles that turn, tubes along lines and boxes with soft edges; dressed and lit."""

from typing import NamedTuple, Sequence

import numpy as np
from msgspec.structs import replace

from aulmo.document import edits
from aulmo.document.assets import AssetStore
from aulmo.document.meshes import Mesh
from aulmo.document.records import Document, Lamp, Material, Part, Placement
from aulmo.surface import swatches
from aulmo.surface.colour import from_hex


class PropMade(NamedTuple):
    """A prop's name, words that find it, a note, the document it stands in, its assets, and its root."""

    name: str
    tags: tuple[str, ...]
    note: str
    document: Document
    assets: AssetStore
    root: str


def mesh_of(points: np.ndarray, triangles: np.ndarray, smooth_below: float = 40.0) -> Mesh:
    """A mesh with normals that are smooth where faces meet at less than some degrees: corners are parted where they meet more sharply."""
    corners = points[triangles]
    face = np.cross(corners[:, 1] - corners[:, 0], corners[:, 2] - corners[:, 0])
    area = np.linalg.norm(face, axis=1)
    keep = area > 1e-9
    triangles, face, area = triangles[keep], face[keep], area[keep]
    unit = face / area[:, None]
    _, same = np.unique(np.round(points, 4), axis=0, return_inverse=True)
    place = same.reshape(-1)[triangles]
    order = np.argsort(place.reshape(-1), kind="stable")
    at = place.reshape(-1)[order]
    owner = order // 3
    starts = np.flatnonzero(np.r_[True, at[1:] != at[:-1]])
    limit = np.cos(np.radians(smooth_below))
    normals = np.zeros((len(triangles) * 3, 3))
    for begin, end in zip(starts, np.r_[starts[1:], len(at)]):
        held = owner[begin:end]
        alike = unit[held] @ unit[held].T > limit
        normals[order[begin:end]] = alike @ face[held]
    normals /= np.maximum(np.linalg.norm(normals, axis=1, keepdims=True), 1e-12)
    flat = np.concatenate([points[triangles].reshape(-1, 3), normals], 1).astype(np.float32)
    vertices, index = np.unique(flat, axis=0, return_inverse=True)
    return Mesh(
        np.ascontiguousarray(vertices[:, :3]), np.ascontiguousarray(vertices[:, 3:]), np.ascontiguousarray(index.reshape(-1, 3).astype(np.uint32)), np.zeros(0, np.int32)
    )  # fmt: skip


def turned(profile: Sequence[tuple[float, float]], around: int = 144, closed: bool = True) -> Mesh:
    """A profile of (radius, height) turned about z; with `closed` its end is joined to its beginning where both are off the axis."""
    line = np.array(profile, float)
    if closed and not np.allclose(line[0], line[-1]) and (line[0, 0] > 1e-9 and line[-1, 0] > 1e-9):
        line = np.concatenate([line, line[:1]])
    phi = np.linspace(0, 2 * np.pi, around, endpoint=False)
    points = np.stack([line[:, None, 0] * np.cos(phi), line[:, None, 0] * np.sin(phi), np.repeat(line[:, None, 1], around, 1)], -1).reshape(-1, 3)
    i, j = np.meshgrid(np.arange(len(line) - 1), np.arange(around), indexing="ij")
    a, b = i * around + j, i * around + (j + 1) % around
    c, d = a + around, b + around
    triangles = np.concatenate([np.stack([a, b, d], -1).reshape(-1, 3), np.stack([a, d, c], -1).reshape(-1, 3)])
    return mesh_of(points, triangles)


def arc(cx: float, cy: float, radius: float, start: float, end: float, steps: int = 10) -> list[tuple[float, float]]:
    """Points of a profile on a circle, angles in degrees from outward up."""
    return [(cx + radius * float(np.cos(a)), cy + radius * float(np.sin(a))) for a in np.radians(np.linspace(start, end, steps))]


def tube(line: np.ndarray, radius: float | np.ndarray, around: int = 20, squash: float = 1.0) -> Mesh:
    """A tube along a line with rounded ends."""
    line = np.asarray(line, float)
    radii = np.full(len(line), radius, float) if np.isscalar(radius) else np.asarray(radius, float)
    way = np.gradient(line, axis=0)
    way /= np.linalg.norm(way, axis=1, keepdims=True)
    up = np.array([0.0, 0.0, 1.0]) if abs(way[0, 2]) < 0.9 else np.array([1.0, 0.0, 0.0])
    sides, over = [], []
    for k in range(len(line)):
        up = up - way[k] * (up @ way[k])
        up /= np.linalg.norm(up)
        sides.append(np.cross(way[k], up))
        over.append(up)
    side, over_ = np.array(sides), np.array(over)
    caps = np.linspace(0, np.pi / 2, 5)
    rings = [(line[0] - way[0] * radii[0] * np.cos(a), radii[0] * np.sin(a), 0) for a in caps[:-1]]
    rings += [(line[k], radii[k], k) for k in range(len(line))]
    rings += [(line[-1] + way[-1] * radii[-1] * np.sin(a), radii[-1] * np.cos(a), len(line) - 1) for a in caps[1:]]
    phi = np.linspace(0, 2 * np.pi, around, endpoint=False)
    points = np.concatenate([c + r * (np.cos(phi)[:, None] * side[k] + squash * np.sin(phi)[:, None] * over_[k]) for c, r, k in rings])
    i, j = np.meshgrid(np.arange(len(rings) - 1), np.arange(around), indexing="ij")
    a, b = i * around + j, i * around + (j + 1) % around
    c, d = a + around, b + around
    return mesh_of(points, np.concatenate([np.stack([a, d, b], -1).reshape(-1, 3), np.stack([a, c, d], -1).reshape(-1, 3)]), 60.0)


def box(width: float, depth: float, height: float, bevel: float) -> Mesh:
    """A box about the origin with edges that are rounded."""
    steps = 4
    half = np.array([width, depth, height]) / 2
    points, triangles = [], []
    base = 0
    for axis in range(3):
        for sign in (-1.0, 1.0):
            u, v = (axis + 1) % 3, (axis + 2) % 3
            inner = [half[u] - bevel, half[v] - bevel]
            a = np.linspace(0, np.pi / 4, steps + 1)
            edge = np.tan(a)
            us = np.concatenate([-inner[0] - bevel * edge[::-1], inner[0] + bevel * edge])
            vs = np.concatenate([-inner[1] - bevel * edge[::-1], inner[1] + bevel * edge])
            gu, gv = np.meshgrid(us, vs, indexing="ij")
            p = np.zeros((*gu.shape, 3))
            p[..., u], p[..., v], p[..., axis] = gu, gv, sign * half[axis]
            core = np.clip(p, -(half - bevel), half - bevel)
            out = p - core
            out = core + bevel * out / np.maximum(np.linalg.norm(out, axis=-1, keepdims=True), 1e-12)
            n, m = gu.shape
            points.append(out.reshape(-1, 3))
            i, j = np.meshgrid(np.arange(n - 1), np.arange(m - 1), indexing="ij")
            q = base + i * m + j
            quad = (q, q + m, q + m + 1, q + 1) if sign > 0 else (q, q + 1, q + m + 1, q + m)
            triangles.append(np.stack([quad[0], quad[1], quad[2]], -1).reshape(-1, 3))
            triangles.append(np.stack([quad[0], quad[2], quad[3]], -1).reshape(-1, 3))
            base += n * m
    return mesh_of(np.concatenate(points), np.concatenate(triangles), 50.0)


def moved(mesh: Mesh, by: Sequence[float] = (0, 0, 0), turn: float = 0.0, tilt: float = 0.0) -> Mesh:
    """A mesh tilted about x, turned about z, and moved."""
    from aulmo.document.placement import turn_matrix

    m = turn_matrix((tilt, 0.0, turn))
    vertices, normals = mesh.vertices @ m.T + np.array(by), mesh.normals @ m.T
    return Mesh(np.ascontiguousarray(vertices, np.float32), np.ascontiguousarray(normals, np.float32), mesh.triangles, mesh.faces)


def joined(meshes: Sequence[Mesh]) -> Mesh:
    """Several as one."""
    starts = np.cumsum([0, *(len(m.vertices) for m in meshes)])
    triangles = np.concatenate([m.triangles.astype(np.int64) + s for m, s in zip(meshes, starts)]).astype(np.uint32)
    return Mesh(np.concatenate([m.vertices for m in meshes]), np.concatenate([m.normals for m in meshes]), triangles, np.zeros(0, np.int32))


class Maker:
    """Gathers the parts of a prop."""

    def __init__(self, name: str) -> None:
        self.document, self.assets, self.root = Document(name=name), AssetStore(), "root"
        self.document = edits.add_parts(self.document, [Part(id="root", name=name)], ["root"])
        self.name = name

    def add(self, name: str, mesh: Mesh, material: str | Material, **more) -> str:
        """A part in a swatch, or a material of its own."""
        held = material if isinstance(material, Material) else swatches.material(material)
        known = next((m for m in self.document.materials.values() if m.name == held.name), None)
        if known is None:
            known = replace(held, id=swatches.slug(held.name))
            self.document = edits.put_material(self.document, known)
        part = Part(id=swatches.slug(name), name=name, parent="root", mesh=self.assets.add_mesh(mesh), material=known.id, placement=Placement(), **more)
        root = self.document.parts["root"]
        self.document = replace(self.document, parts={**self.document.parts, "root": replace(root, children=(*root.children, part.id)), part.id: part})
        return part.id

    def lamp(self, **more) -> None:
        """A lamp that stays with the prop."""
        self.document = edits.put_lamp(self.document, Lamp(stays_with="part", part="root", **more))

    def made(self, tags: str, note: str) -> PropMade:
        """The prop."""
        return PropMade(self.name, tuple(tags.split()), note, self.document, self.assets, self.root)


def _inset(outer: list[tuple[float, float]], by: float) -> list[tuple[float, float]]:
    """A profile a little within another."""
    line = np.array(outer, float)
    way = np.gradient(line, axis=0)
    way /= np.linalg.norm(way, axis=1, keepdims=True)
    inner = line - by * np.stack([way[:, 1], -way[:, 0]], 1)
    return [(max(0.0, float(r)), float(h)) for r, h in inner]


def _shell(outer: list[tuple[float, float]], thick: float) -> list[tuple[float, float]]:
    """A profile with the same a little within, upside down: a wall."""
    return [*outer, *_inset(outer, thick)[::-1]]


def table_lamp() -> PropMade:
    """A brass stem on a weighted foot, a linen shade, a frosted bulb that shines."""
    m = Maker("Table lamp")
    m.add("Foot", turned([(0, 0), (70, 0), *arc(66, 6, 6, -90, 60, 8), (30, 17), *arc(12, 24, 6, -90, -10, 6)[::1], (0, 27)]), "Satin brass")
    m.add("Stem", turned([(0, 20), (6.2, 20), (6.2, 236), *arc(6.2, 243, 7, -90, 90, 12), (4, 252), (0, 252)]), "Satin brass")
    m.add("Holder", turned([(0, 250), (14, 250), *arc(12, 254, 4, -60, 60, 6), (15, 292), (13, 294), (0, 294)]), "Matt grey plastic")
    bulb = replace(swatches.material("Warm lamp"), name="Lit bulb")
    bulb = replace(bulb, surface=replace(bulb.surface, emission_luminance=9000.0))
    m.add("Bulb", turned([(0, 292), (12, 292), (13, 304), *[(13 + 17 * np.sin(a), 322 + 26 * (1 - np.cos(a))) for a in np.linspace(0.3, 1.2, 8)], *arc(0, 345, 30, 10, 90, 16)]), bulb)
    shade = [(128.0, 262.0), (126.5, 268.0), (95.0, 418.0), (94.0, 424.0)]
    m.add("Shade", turned(_shell(shade, 1.6)), "Linen shade")
    for height, radius in ((263.5, 127.5), (423.0, 94.2)):
        ring = [(radius + 1.8 * np.cos(a), height + 1.8 * np.sin(a)) for a in np.linspace(0, 2 * np.pi, 12)]
        m.add("Lower ring" if height < 300 else "Upper ring", turned(ring), "Satin brass")
    spokes = [tube(np.array([[0, 0, 415], [94 * np.cos(a), 94 * np.sin(a), 422]]), 1.4, 10) for a in np.radians((20, 140, 260))]
    m.add("Spokes", joined([*spokes, tube(np.array([[0, 0, 294], [0, 0, 416]]) + np.array([33.0, 0, 0]) * 0, 1.2, 10)]), "Satin brass")
    m.lamp(id="bulb-light", name="Bulb light", kind="sphere", position=(0.0, 0.0, 345.0), width=50.0, power=420.0, kelvin=2700.0)
    return m.made("lamp light home desk bedside lit", "Its light stays with it.")


def pendant() -> PropMade:
    """An enamelled dome on a cloth cable, white inside, lit."""
    m = Maker("Pendant")
    dome = [(152.0, 60.0), (151.0, 70.0), *[(152 * np.cos(a) ** 0.9, 62 + 122 * np.sin(a)) for a in np.linspace(0.12, 1.34, 22)]]
    dome = [(float(r), float(h)) for r, h in dome]
    m.add("Dome", turned(_shell(dome, 1.2)), "Pine enamel")
    m.add("Reflector", turned(_shell(_inset(dome, 1.35), 0.5)), "Gloss enamel, white")
    m.add("Rim", turned([(152 + 2.4 * np.cos(a), 60 + 2.4 * np.sin(a)) for a in np.linspace(0, 2 * np.pi, 14)]), "Pine enamel")
    m.add("Cap", turned([(0, 214), (20, 214), (24, 206), (36, 182), (36, 176), (0, 176)][::-1]), "Satin brass")
    m.add("Cable", tube(np.array([[0, 0, 210], [0, 0, 420], [0, 0, 640]]), 3.2, 16), "Jute")
    m.add("Ceiling rose", turned([(0, 660), (48, 660), (50, 652), (44, 640), (0, 632)][::-1]), "Satin brass")
    bulb = replace(swatches.material("Warm lamp"), name="Lit bulb", surface=replace(swatches.material("Warm lamp").surface, emission_luminance=9000.0))
    m.add("Bulb", turned([(0, 84), *arc(0, 116, 32, -88, 40, 20), (14, 148), (14, 176), (0, 176)]), bulb)
    m.lamp(id="bulb-light", name="Bulb light", kind="spot", position=(0.0, 0.0, 110.0), width=60.0, power=260.0, unit="candela", cone=120.0, softness=0.5, kelvin=2700.0)
    return m.made("lamp light ceiling kitchen hanging lit", "Hangs from its rose: raise it to the ceiling. Its light stays with it.")


def plant_pot() -> PropMade:
    """A terracotta pot with a plant of broad leaves."""
    m = Maker("Plant pot")
    m.add("Pot", turned([(0, 0), (54, 0), *arc(53, 3, 3, -80, 0, 5), (72, 104), (80, 106), *arc(79, 109, 3, -80, 0, 4), (83, 132), *arc(80, 133, 3, 0, 120, 6), (76, 134), (68, 108), (52, 12), (0, 10)]), "Terracotta")
    m.add("Saucer", turned([(0, -6), (66, -6), *arc(70, -2, 4, -90, -10, 5), (78, 10), *arc(76, 10, 2, 0, 180, 6), (66, -1), (0, -2)]), "Terracotta")
    m.add("Soil", turned([(0, 112), (66, 110), (69.5, 106), (66, 98), (0, 98)][::-1]), "Dark earth")
    leaf = Material(id="leaf", name="Leaf", kind="Plastic", surface=replace(swatches.material("Moss satin").surface, base_color=from_hex("#4c7434"), specular_roughness=0.34, subsurface_weight=0.0))
    rng = np.random.default_rng(12)
    leaves, stems = [], []
    for k in range(19):
        turn = k * 2.39996 + rng.normal(0, 0.15)
        reach, rise = rng.uniform(70, 150) * (0.75 + 0.25 * (k / 19)), rng.uniform(60, 190) * (1 - 0.35 * k / 19)
        t = np.linspace(0, 1, 14)
        way = np.stack([reach * t**1.4 * 0.75, 0 * t, 108 + rise * (1 - (1 - t) ** 1.8)], 1)
        spin = np.array([[np.cos(turn), -np.sin(turn), 0], [np.sin(turn), np.cos(turn), 0], [0, 0, 1]])
        stems.append(tube(way @ spin.T, np.linspace(2.6, 1.5, 14), 8))
        length, wide = rng.uniform(70, 110), rng.uniform(24, 36)
        u, v = np.meshgrid(np.linspace(0, 1, 20), np.linspace(-1, 1, 11), indexing="ij")
        width = wide * np.sin(np.pi * u**0.75) ** 0.85 * (1 - 0.25 * u)
        droop = rng.uniform(30, 95)
        x = way[-1, 0] + length * u * 0.92
        y = width * v
        z = way[-1, 2] + 14 * u - droop * u**2.1 + 9 * np.abs(v) ** 1.4 * np.sin(np.pi * u) + 1.6 * np.cos(v * 9) * np.sin(np.pi * u) * (1 - np.abs(v))
        p = np.stack([x, y, z], -1).reshape(-1, 3) @ spin.T
        i, j = np.meshgrid(np.arange(19), np.arange(10), indexing="ij")
        q = i * 11 + j
        quads = np.concatenate([np.stack([q, q + 11, q + 12], -1).reshape(-1, 3), np.stack([q, q + 12, q + 1], -1).reshape(-1, 3)])
        below = p - np.array([0, 0, 0.5])
        rim = np.concatenate([np.arange(19) * 11, 19 * 11 + np.arange(10), (19 - np.arange(19)) * 11 + 10, 10 - np.arange(10)])
        after = np.roll(rim, -1)
        sides = np.concatenate([np.stack([rim, rim + len(p), after + len(p)], 1), np.stack([rim, after + len(p), after], 1)])
        leaves.append(mesh_of(np.concatenate([p, below]), np.concatenate([quads, quads[:, ::-1] + len(p), sides]), 70.0))
    m.add("Stems", joined(stems), replace(leaf, name="Stem", surface=replace(leaf.surface, base_color=from_hex("#6f8a45"))))
    m.add("Leaves", joined(leaves), leaf)
    return m.made("plant green home window decoration", "")


def cup() -> PropMade:
    """A cup with coffee on its saucer."""
    m = Maker("Cup, filled")
    m.add("Saucer", turned([(0, 0), (28, 0), (30, 2), (34, 4), *[(34 + 36 * t, 4 + 9 * t**1.7) for t in np.linspace(0.1, 1, 10)], *arc(69.5, 14, 1.4, -30, 150, 6), *[(68 - 34 * t, 14.5 - 9 * t ** 0.7) for t in np.linspace(0.05, 1, 10)], (26, 4.6), (0, 4.4)]), "White porcelain")
    outer = [(0, 5.2), (20, 5.2), (21, 6.5), (22, 8), *[(22 + 18 * np.sin(t * np.pi / 2) ** 0.8, 8 + 50 * t**1.25) for t in np.linspace(0.06, 1, 18)]]
    inner = [(37.7 - 17.5 * (1 - np.sin((1 - t) * np.pi / 2) ** 0.8), 58.4 - 47 * t ** (1 / 1.15)) for t in np.linspace(0.02, 1, 18)]
    m.add("Cup", turned([*[(float(a), float(b)) for a, b in outer], *arc(38.9, 58.3, 1.2, -10, 180, 7), *[(float(a), float(b)) for a, b in inner], (12, 9.4), (0, 9.2)]), "White porcelain")
    t = np.linspace(0, 1, 30)
    handle = np.stack([36 + 25 * np.sin(np.pi * t) ** 0.9 - 2 * t, 0 * t, 47 - 28 * t + 4 * np.sin(np.pi * t)], 1)
    m.add("Handle", tube(handle, 3.1 + 0.9 * np.cos(np.pi * t * 2) * 0.5, 16, 1.5), "White porcelain")
    level = 48.0
    radius = float(np.interp(level, [h for _, h in inner][::-1], [r for r, _ in inner][::-1])) + 0.25
    wet = [(r + 0.25, h) for r, h in inner if h < level - 0.5]
    m.add("Coffee", turned([(0, level), (radius - 2, level), (radius, level + 0.9), *[(float(a), float(b)) for a, b in wet], (12, 9.2), (0, 9.0)][::-1], closed=False), "Black coffee")
    m.add("Spoon", joined([tube(np.array([[-70, -20, 17.5], [-34, -31, 15.0], [8, -41, 14.0], [28, -45, 14.5]]), np.array([3.2, 2.0, 1.7, 2.6]), 16, 0.4), moved(turned([(0, 0), *[(13 * np.sin(a), 3.4 * (1 - np.cos(a))) for a in np.linspace(0.2, 1.5, 10)], (12.4, 3.6), *[(12.2 * np.sin(a), 0.9 + 2.9 * (1 - np.cos(a))) for a in np.linspace(1.45, 0.2, 10)], (0, 0.9)]), (39, -47.5, 12.4), -12.0)]), "Mirror steel")
    return m.made("coffee drink table kitchen porcelain", "")


def crate() -> PropMade:
    """A fruit crate of planks on corner posts, nailed."""
    m = Maker("Crate")
    rng = np.random.default_rng(4)
    w, d, h, t = 400.0, 300.0, 230.0, 11.0
    sides, ends, nails = [], [], []
    for row in range(3):
        z = 46 + row * 74
        for sign in (-1, 1):
            high = 62 + rng.uniform(-2, 2)
            sides.append(moved(box(w, t, high, 1.2), (rng.uniform(-1, 1), sign * (d / 2 - t / 2), z), rng.normal(0, 0.15)))
            ends.append(moved(box(t, d - 2 * t - 1, high, 1.2), (sign * (w / 2 - t / 2 - 2), rng.uniform(-1, 1), z)))
            for x in (-w / 2 + 16, w / 2 - 16):
                for dz in (-18, 18):
                    nails.append(moved(turned([(0, 1.2), (2.4, 0.9), (3.1, 0), (0, -1)][::-1], 16), (x, sign * (d / 2 + 0.2), z + dz), 0.0, -90.0 * -sign))
    posts = [moved(box(26, 26, h, 1.5), (sx * (w / 2 - t - 15), sy * (d / 2 - t - 13.5), h / 2 + 8)) for sx in (-1, 1) for sy in (-1, 1)]
    floor = [moved(box(w - 4 * t, 50, 9, 1.2), (0, -d / 2 + 42 + k * 54, 18)) for k in range(5)]
    m.add("Side planks", joined(sides), replace(swatches.material("Old oak"), nodes=tuple(replace(n, axis="x") if n.kind == "wood" else n for n in swatches.material("Old oak").nodes), name="Crate wood, along"))
    m.add("End planks", joined(ends), replace(swatches.material("Old oak"), nodes=tuple(replace(n, axis="y") if n.kind == "wood" else n for n in swatches.material("Old oak").nodes), name="Crate wood, across"))
    m.add("Posts", joined(posts), "Old oak")
    m.add("Floor boards", joined(floor), replace(swatches.material("Old oak"), nodes=tuple(replace(n, axis="x") if n.kind == "wood" else n for n in swatches.material("Old oak").nodes), name="Crate wood, along"))
    m.add("Nails", joined(nails), "Raw iron")
    return m.made("box wood fruit market stage stand", "")


def tripod() -> PropMade:
    """A tripod with its head: three legs in two pieces, clamps, a plate."""
    m = Maker("Tripod")
    upper, lower, clamps, feet, braces = [], [], [], [], []
    for a in np.radians((90, 210, 330)):
        out = np.array([np.cos(a), np.sin(a), 0.0])
        top, knee, foot = out * 42 + [0, 0, 1010], out * 250 + [0, 0, 490], out * 440 + [0, 0, 14]
        upper.append(tube(np.array([top, knee]), 13, 24))
        lower.append(tube(np.array([knee, foot]), 10, 24))
        clamps.append(tube(np.array([knee + (top - knee) * 0.05, knee - (knee - foot) * 0.06]), 17, 24))
        feet.append(tube(np.array([foot, foot - [0, 0, 6]]) + out * 1.5, 13, 24))
        braces.append(tube(np.array([[0, 0, 640], out * 186 + [0, 0, 650]]), 5, 12))
    m.add("Upper legs", joined(upper), "Anodised black")
    m.add("Lower legs", joined(lower), "Satin black plastic")
    m.add("Clamps", joined(clamps), "Anodised copper red")
    m.add("Feet", joined(feet), "Black rubber")
    m.add("Braces", joined(braces), "Dull steel")
    m.add("Column", turned([(0, 560), (12, 560), (12, 1120), (0, 1120)]), "Dull steel")
    m.add("Spider", turned([(0, 960), (34, 960), *arc(50, 984, 12, -90, 90, 8), (56, 1030), (40, 1044), (0, 1044)]), "Anodised black")
    m.add("Head", joined([turned([(0, 1112), (30, 1112), *arc(28, 1118, 6, -70, 70, 6), (24, 1140), (0, 1140)]), moved(turned([(0, -44), (27, -44), *arc(26, -40, 4, -60, 0, 4), (30, 40), *arc(26, 40, 4, 0, 80, 4), (0, 44)]), (0, 0, 1166), 0.0, 90.0)]), "Anodised black")
    m.add("Plate", moved(box(70, 92, 10, 2), (0, 0, 1206)), "Dotted grip rubber")
    m.add("Handle", joined([tube(np.array([[18, 30, 1160], [40, 160, 1120], [50, 240, 1096]]), 5, 14), tube(np.array([[48, 226, 1100], [58, 330, 1068]]), 12, 20)]), "Black rubber")
    return m.made("studio camera stand photographer", "")


def props() -> list[PropMade]:
    """All six."""
    return [table_lamp(), pendant(), plant_pot(), cup(), crate(), tripod()]
