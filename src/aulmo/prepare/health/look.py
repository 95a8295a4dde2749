"""The parts of a project as they stand, made ready to be looked at: triangles, skins, rays through all of them, places spread over each."""

from functools import cached_property
from typing import Collection, NamedTuple, Sequence

import numpy as np

from aulmo.document import edits
from aulmo.document.assets import AssetStore
from aulmo.document.meshes import Mesh
from aulmo.document.placement import world_matrices
from aulmo.document.records import Document, Part
from aulmo.prepare.health.flaws import Flaw, flaws
from aulmo.prepare.health.rays import Rays
from aulmo.prepare.health.skin import Skin, finite, skins

LEAST, MOST = 48, 512  # places looked from on a part


class Body(NamedTuple):
    """A part that is looked at: its mesh and that mesh's skin, where it stands, its points (n, 3) in the world, and their box."""

    part: Part
    mesh: Mesh
    skin: Skin
    matrix: np.ndarray
    points: np.ndarray
    low: np.ndarray
    high: np.ndarray
    clear: bool

    @property
    def corners(self) -> np.ndarray:
        """(m, 3, 3) corners of its triangles in the world."""
        return self.points[self.mesh.triangles]

    @property
    def size(self) -> float:
        """The longest side of its box, mm."""
        return float((self.high - self.low).max())


class Sample(NamedTuple):
    """Places on the parts: which body each is on, where, which way the surface faces, mm and unit vectors."""

    body: np.ndarray
    at: np.ndarray
    normal: np.ndarray


def sampled(bodies: Sequence[Body], most: int = 60_000) -> Sample:
    """Places spread over every part by area, the middles of its largest triangles among them; fewer on each where there are very many parts."""
    each = int(min(MOST, max(LEAST, most // max(1, len(bodies)))))
    known: dict[str, tuple[np.ndarray, np.ndarray]] = {}
    numbers, places, normals = [np.zeros(0, int)], [np.zeros((0, 3))], [np.zeros((0, 3))]
    for number, body in enumerate(bodies):
        name = body.part.mesh or ""
        if name not in known:
            known[name] = _on_mesh(body.mesh, each)
        own, facing = known[name]
        linear = body.matrix[:3, :3]
        determinant = float(np.linalg.det(linear))
        if not len(own) or abs(determinant) < 1e-30:
            continue
        turned = facing @ np.linalg.inv(linear) * np.sign(determinant)
        numbers.append(np.full(len(own), number))
        places.append(own @ linear.T + body.matrix[:3, 3])
        normals.append(turned / np.maximum(np.linalg.norm(turned, axis=1, keepdims=True), 1e-30))
    return Sample(np.concatenate(numbers), np.concatenate(places), np.concatenate(normals))


def _on_mesh(mesh: Mesh, each: int) -> tuple[np.ndarray, np.ndarray]:
    """Places on a mesh and which way its triangles face there, in its own mm."""
    generator = np.random.default_rng(11)
    corners = mesh.vertices.astype(float)[mesh.triangles]
    cross = np.cross(corners[:, 1] - corners[:, 0], corners[:, 2] - corners[:, 0])
    area = np.sqrt((cross * cross).sum(1))
    whole = area.sum()
    if not whole > 0:
        return np.zeros((0, 3)), np.zeros((0, 3))
    chosen = np.searchsorted(np.cumsum(area) / whole, (np.arange(each) + generator.random(each)) / each).clip(0, len(area) - 1)
    few = min(len(area), each // 4)
    large = np.argpartition(area, len(area) - few)[len(area) - few :] if few < len(area) else np.arange(len(area))
    weights = np.concatenate([generator.dirichlet((1.0, 1.0, 1.0), each), np.full((len(large), 3), 1 / 3)])
    chosen = np.concatenate([chosen, large])
    sound = area[chosen] > 0
    chosen, weights = chosen[sound], weights[sound]
    return (corners[chosen] * weights[:, :, None]).sum(1), cross[chosen] / area[chosen][:, None]


class Known(NamedTuple):
    """What is remembered between two looks: of a mesh, by its name, its skin and what is wrong with it; what was told of one that is too fine."""

    flaws: dict[str, tuple[Skin, list[Flaw]]]
    fine: dict[tuple[str, float], tuple[int, int, float] | None]


class Look:
    """The parts of a project as they stand, made ready to be looked at; what is wrong with a mesh is remembered in `known`."""

    def __init__(
        self, document: Document, assets: AssetStore, known: Known | None = None, with_set: bool = False,
        only: Collection[str] | None = None,
    ) -> None:  # fmt: skip
        """The visible parts, of all or of `only` some; those made here from their sizes only `with_set`."""
        self.document, self.known = document, known if known is not None else Known({}, {})
        wanted = [i for i in shown_leaves(document) if (only is None or i in only) and (with_set or document.parts[i].set_piece is None)]
        worlds = world_matrices(document)
        meshes = {name: finite(assets.mesh(name)) for name in dict.fromkeys(document.parts[i].mesh or "" for i in wanted)}
        fresh = [name for name in meshes if name not in self.known.flaws]
        self._skins = {name: self.known.flaws[name][0] for name in meshes if name in self.known.flaws}
        self._skins.update(zip(fresh, skins([meshes[name] for name in fresh])))
        self.bodies: list[Body] = []
        for part_id in wanted:
            part = document.parts[part_id]
            mesh, matrix = meshes[part.mesh or ""], worlds[part_id]
            if not len(mesh.triangles) or not np.isfinite(matrix).all():
                continue
            world = mesh.vertices @ matrix[:3, :3].T + matrix[:3, 3]
            low, high = world.min(0), world.max(0)
            self.bodies.append(Body(part, mesh, self._skins[part.mesh or ""], matrix, world, low, high, _is_clear(document, part)))
        self.clear = np.array([b.clear for b in self.bodies], bool)

    @cached_property
    def rays(self) -> Rays:
        """Rays through all bodies."""
        return Rays([(b.points, b.mesh.triangles) for b in self.bodies])

    @cached_property
    def samples(self) -> Sample:
        """Places spread over all bodies."""
        return sampled(self.bodies)

    def flaws_of(self, body: Body) -> list[Flaw]:
        """What is wrong with a body's mesh, in its own axes."""
        name = body.part.mesh or ""
        if name not in self.known.flaws:
            skin = body.skin
            around = None
            if skin.crooked or not skin.closed.all():
                inverse = np.linalg.inv(body.matrix) if abs(np.linalg.det(body.matrix)) > 1e-30 else np.eye(4)
                around = _Around(self.rays, body.matrix, inverse)
            self.known.flaws[name] = (skin, flaws(body.mesh, skin, around))
        return self.known.flaws[name][1]


class _Around(Rays):
    """Rays of the world, asked in a part's own axes."""

    def __init__(self, rays: Rays, matrix: np.ndarray, inverse: np.ndarray) -> None:
        self._rays, self._linear, self._moved, self._normals = rays, matrix[:3, :3], matrix[:3, 3], inverse[:3, :3]

    def sees_sky(self, places: np.ndarray, normals: np.ndarray, generator: np.random.Generator, each: int) -> np.ndarray:
        turned = normals @ self._normals
        turned /= np.maximum(np.linalg.norm(turned, axis=1, keepdims=True), 1e-30)
        return self._rays.sees_sky(places @ self._linear.T + self._moved, turned, generator, each)


def shown_leaves(document: Document) -> list[str]:
    """The visible parts with triangles, in the order of the tree."""
    hidden: set[str] = set()
    out = []
    stack = list(reversed(document.roots))
    while stack:
        part = document.parts[stack.pop()]
        if not part.visible:
            hidden.add(part.id)
            continue
        stack.extend(reversed(part.children))
        if part.mesh is not None:
            out.append(part.id)
    return out


def _is_clear(document: Document, part: Part) -> bool:
    def through(material_id: str | None) -> bool:
        worn = document.materials.get(material_id or "")
        return worn is not None and (worn.surface.transmission_weight > 0.05 or worn.surface.geometry_opacity < 0.95)

    return part.opacity < 0.95 or any(through(m) for m in edits.surfaces_of(part))
