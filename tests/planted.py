"""Made-up assemblies of clean solids, and defects planted in them."""

import numpy as np
import trimesh
from trimesh import creation

from aulmo.document import edits
from aulmo.document.assets import AssetStore
from aulmo.document.records import Document, Part, Placement
from aulmo.prepare.arrange import first_shot
from aulmo.prepare.normals import with_crease_normals

KINDS = ("flipped", "flipped in part", "hole", "open", "sliver", "doubled", "overlap", "coincident", "unseen", "scale")
APART = 60.0  # mm between two solids


class Assembly:
    """Solids in a grid; `wanted` holds, for each defect, its kind and the numbers of the parts of which one has it."""

    def __init__(self, seed: int, count: int = 12) -> None:
        self.random = np.random.default_rng(seed)
        self.solids = [self._solid() for _ in range(count)]
        self.places = [np.array([APART * (i % 4), APART * (i // 4), 0.0]) for i in range(count)]
        self.wanted: list[tuple[str, tuple[int, ...]]] = []

    def _solid(self) -> trimesh.Trimesh:
        random = self.random
        size = random.uniform(8, 20)
        made = (
            lambda: creation.box(random.uniform(8, 30, 3)),
            lambda: creation.cylinder(radius=size / 2, height=random.uniform(5, 40), sections=int(random.integers(48, 128))),
            lambda: creation.icosphere(subdivisions=int(random.integers(3, 5)), radius=size),
            lambda: creation.torus(size, size / 4, 64, 48),
            lambda: creation.capsule(height=size, radius=size / 2, count=[48, 48]),
            lambda: creation.annulus(size / 2, size, random.uniform(2, 20), sections=80),
        )[random.integers(6)]()
        return made.apply_transform(trimesh.transformations.random_rotation_matrix(random.uniform(size=3)))

    def plant_all(self) -> "Assembly":
        """One defect of every kind, each in a solid of its own."""
        for kind, number in zip(KINDS, self.random.permutation(len(self.solids)).tolist()):
            self.plant(kind, number)
        return self

    def plant(self, kind: str, number: int) -> None:
        """A defect in a solid, or beside it."""
        random, solid, place = self.random, self.solids[number], self.places[number]
        faces, points = np.array(solid.faces), np.array(solid.vertices)
        middles = solid.triangles_center
        which = (number,)
        beside: tuple[trimesh.Trimesh, np.ndarray] | None = None
        if kind == "flipped":
            faces = faces[:, ::-1]
        elif kind == "flipped in part":
            along = middles @ random.normal(size=3)
            faces[along > np.quantile(along, 0.8)] = faces[along > np.quantile(along, 0.8)][:, ::-1]
        elif kind == "hole":
            near = np.linalg.norm(middles - points[random.integers(len(points))], axis=1) < 4.0
            if not near.any() or near.sum() > len(faces) - 6:
                near = np.arange(len(faces)) == int(np.argmax(solid.area_faces))
            faces = faces[~near]
        elif kind == "open":
            axis = int(np.argmax(solid.extents))
            upper = middles[:, axis] > np.median(middles[:, axis])
            faces = np.concatenate([faces[~upper], faces[upper] + len(points)])
            points = np.concatenate([points, points + 0.1 * np.eye(3)[axis]])
        elif kind == "sliver":
            a, b, c = faces[0]
            middle = (points[a] + points[b]) / 2
            inward = points[c] - middle
            points = np.concatenate([points, [middle + inward / np.linalg.norm(inward) * np.linalg.norm(points[a] - points[b]) * 2e-5]])
            k = len(points) - 1
            faces = np.concatenate([faces[1:], [[a, k, c], [k, b, c], [a, b, k]]])
        elif kind == "doubled":
            beside = (solid.copy(), place)
        elif kind == "overlap":
            beside = (creation.box((6, 6, 6)), place + 0.97 * points[np.argmax(points[:, 0])])
        elif kind == "coincident":
            solid = creation.box((12, 12, 12))
            faces, points = np.array(solid.faces), np.array(solid.vertices)
            beside = (creation.box((5, 5, 2)), place + (0, 0, 5.0))
        elif kind == "unseen":
            inner = creation.box((12, 12, 12))
            inner.invert()
            shell = trimesh.util.concatenate([creation.box((14, 14, 14)), inner])
            faces, points = np.array(shell.faces), np.array(shell.vertices)
            beside = (creation.box((4, 4, 4)), place)
        elif kind == "scale":
            small = bool(random.integers(2))
            solid = creation.box((10, 12, 9))
            faces, points = np.array(solid.faces), np.array(solid.vertices) * (1e-3 if small else 1e3)
            self.places[number] = place if small else np.array([0.0, 0.0, -9000.0])
        self.solids[number] = trimesh.Trimesh(points, faces, process=False)
        if beside is not None:
            self.solids.append(beside[0])
            self.places.append(np.asarray(beside[1], float))
            which = (number, len(self.solids) - 1) if kind in ("overlap", "coincident") else (len(self.solids) - 1,)
        self.wanted.append((kind.split()[0], which))

    def document(self) -> tuple[Document, AssetStore]:
        """The solids as parts `p0`, `p1` … of a document with a shot."""
        assets, parts = AssetStore(), []
        for number, (solid, place) in enumerate(zip(self.solids, self.places)):
            mesh = assets.add_mesh(with_crease_normals(np.array(solid.vertices), np.array(solid.faces)))
            parts.append(Part(id=f"p{number}", name=f"Part {number}", mesh=mesh, placement=Placement(tuple(map(float, place)))))
        return first_shot(edits.add_parts(Document(name="Planted"), parts, [p.id for p in parts]), assets), assets


def judged(assembly: Assembly, found: list[dict]) -> tuple[list, list]:
    """Planted defects that were not found, and findings that were not planted."""
    told = {(f["kind"], int(f["part"][1:])) for f in found}
    held = {(kind, number) for kind, numbers in assembly.wanted for number in numbers}
    slots = {("open", n) for kind, numbers in assembly.wanted if kind == "hole" for n in numbers}  # where few narrow faces are missing
    missed = [w for w in assembly.wanted if not any({(w[0], n), ("open", n) if w[0] == "hole" else (w[0], n)} & told for n in w[1])]
    return missed, sorted(told - held - slots)
