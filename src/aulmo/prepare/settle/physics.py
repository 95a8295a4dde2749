"""What falls, worked out by the Bullet library in a process of its own: it prints, holds the whole process while it works, and may end it.

Lengths are in mm; within the library a unit is as long as what falls is on the whole, for which its tolerances are made.
"""

import tempfile
from pathlib import Path
from typing import NamedTuple

import numpy as np

from aulmo.document.apart import apart
from aulmo.prepare.fewer_triangles import fewer_triangles

GRAVITY = 9810.0  # mm/s²
FRAMES = 60  # poses kept for a second
STEPS = 8  # of the library for one of them
STILL, STILL_TURN = 0.04, 0.12  # of its size and radians that a body may go in a second and still rests
RESTED = 15  # frames in a row after which it does
MOST_CORNERS, MANY_CORNERS = 240, 56  # of what falls as one convex piece, and of each of several
MOST_GROUND = 8000  # triangles of one thing that others fall on
FLAT = 0.03  # of its hull's volume that may be hollow in what falls as one convex piece
SOLID = 1.0e-3  # g/mm³
WHAT = "The fall"  # in sentences


class Loose(NamedTuple):
    """What falls as one: convex pieces, each (n, 3) points about its middle; where the middle is; its volume in mm³; rad/s it turns at first."""

    pieces: list[np.ndarray]
    middle: np.ndarray
    volume: float
    spin: tuple[float, float, float]


class Ground(NamedTuple):
    """What stays: vertices (n, 3) and triangles (m, 3) in the world, and the height of an endless floor, if there is one."""

    meshes: list[tuple[np.ndarray, np.ndarray]]
    floor: float | None


class Rules(NamedTuple):
    """How it falls: the share of speed kept when it bounces, the friction between two things, and mm of a unit."""

    bounce: float
    friction: float
    unit: float


@apart(seconds=300, gigabytes=8, process="physics", shown=WHAT)
def convex_pieces(vertices: np.ndarray, triangles: np.ndarray) -> tuple[list[np.ndarray], float]:
    """Convex pieces of a mesh, each (n, 3) corners, and the mesh's volume in mm³. What is nearly convex is one piece; others are taken apart by the
    CoACD library."""
    from scipy.spatial import ConvexHull, QhullError

    used = vertices[np.unique(triangles)].astype(float)
    size = float(np.ptp(used, axis=0).max()) if len(used) else 0.0
    if size <= 0:
        return [], 0.0
    try:
        hull = ConvexHull(used)
    except QhullError:  # flat: it is given a thickness that nobody sees
        thin = np.random.default_rng(0).normal(0, 2e-3 * size, (2, *used.shape))
        used = np.concatenate([used + thin[0], used + thin[1]])
        hull = ConvexHull(used)
    p = vertices.astype(float)[triangles] - used.mean(0)
    volume = abs(float(np.einsum("ij,ij->i", p[:, 0], np.cross(p[:, 1], p[:, 2])).sum() / 6.0))
    if volume >= (1 - FLAT) * hull.volume:
        return [_few(used[hull.vertices])], volume
    return [_few(piece, MANY_CORNERS) for piece in _apart(vertices, triangles)] or [_few(used[hull.vertices])], min(
        max(volume, 1e-6 * hull.volume), hull.volume
    )


def _apart(vertices: np.ndarray, triangles: np.ndarray) -> list[np.ndarray]:
    import coacd

    coacd.set_log_level("off")
    corners, cells = _coarser(vertices, triangles, 1200)
    made = coacd.run_coacd(
        coacd.Mesh(corners.astype(float), cells), threshold=0.04, max_convex_hull=24, preprocess_resolution=30, mcts_nodes=10, mcts_iterations=20,
        mcts_max_depth=2, max_ch_vertex=MANY_CORNERS, decimate=True, resolution=300,
    )  # fmt: skip
    return [np.asarray(points, float) for points, _ in made if len(points) >= 4]


def _coarser(vertices: np.ndarray, triangles: np.ndarray, most: int) -> tuple[np.ndarray, np.ndarray]:
    """The same surface with its corners joined, in not many more than `most` triangles."""
    corners, back = np.unique(np.round(vertices.astype(float), 6), axis=0, return_inverse=True)
    single = corners.astype(np.float32)
    points, cells = fewer_triangles(single, back.reshape(-1)[triangles], most)
    return corners if points is single else points, cells


def _few(points: np.ndarray, most: int = MOST_CORNERS) -> np.ndarray:
    """No more corners than the library bears: those that lie outermost along ways spread evenly over the sphere."""
    if len(points) <= most:
        return points
    n = np.arange(most) + 0.5
    height, around = 1 - 2 * n / most, np.pi * (1 + 5**0.5) * n
    ways = np.stack([np.sqrt(1 - height**2) * np.cos(around), np.sqrt(1 - height**2) * np.sin(around), height], 1)
    return points[np.unique((points @ ways.T).argmax(0))]


class _World:
    """One scene of the library."""

    def __init__(self, loose: list[Loose], ground: Ground, rules: Rules) -> None:
        import pybullet

        self.unit = rules.unit
        self.library = pybullet
        self.client = pybullet.connect(pybullet.DIRECT)
        self.still = 0
        with tempfile.TemporaryDirectory() as folder:
            self._fill(Path(folder), loose, ground, rules)

    def _fill(self, folder: Path, loose: list[Loose], ground: Ground, rules: Rules) -> None:
        b, here = self.library, {"physicsClientId": self.client}
        b.setGravity(0, 0, -GRAVITY / self.unit, **here)
        b.setPhysicsEngineParameter(
            fixedTimeStep=1 / (FRAMES * STEPS), numSolverIterations=40, enableFileCaching=0, deterministicOverlappingPairs=1,
            restitutionVelocityThreshold=150 / self.unit, **here,
        )  # fmt: skip
        feel = {
            "lateralFriction": rules.friction**0.5, "restitution": rules.bounce**0.5, "rollingFriction": 0.008, "spinningFriction": 0.008,
        }  # fmt: skip
        for number, (vertices, triangles) in enumerate(ground.meshes):
            path = folder / f"ground{number}.stl"
            vertices, triangles = _coarser(vertices, triangles, MOST_GROUND)
            _write_stl(path, vertices / self.unit, triangles)
            shape = b.createCollisionShape(b.GEOM_MESH, fileName=str(path), flags=b.GEOM_FORCE_CONCAVE_TRIMESH, **here)
            if shape >= 0:
                b.changeDynamics(b.createMultiBody(0, shape, **here), -1, **feel, **here)
        if ground.floor is not None:
            shape = b.createCollisionShape(b.GEOM_PLANE, planeNormal=[0, 0, 1], **here)
            b.changeDynamics(b.createMultiBody(0, shape, basePosition=[0, 0, ground.floor / self.unit], **here), -1, **feel, **here)
        heaviest = max((one.volume for one in loose), default=1.0)
        self.bodies = []
        self.sizes = [float(np.ptp(np.concatenate(one.pieces), axis=0).max()) / self.unit for one in loose]
        for number, one in enumerate(loose):
            path = folder / f"loose{number}.obj"
            _write_pieces(path, [piece / self.unit for piece in one.pieces])
            shape = b.createCollisionShape(b.GEOM_MESH, fileName=str(path), **here)
            mass = SOLID * max(one.volume, 1e-3 * heaviest)  # no library stacks a brick on a feather
            at = [float(x) for x in one.middle / self.unit]
            body = b.createMultiBody(mass, shape, basePosition=at, **here)
            b.resetBaseVelocity(body, [0, 0, 0], one.spin, **here)
            b.changeDynamics(body, -1, linearDamping=0.02, angularDamping=0.15, ccdSweptSphereRadius=0.05, **feel, **here)
            self.bodies.append(body)

    def more(self, frames: int) -> tuple[np.ndarray, bool]:
        """(frames, bodies, 7) places in mm and turns, and whether everything rests."""
        b, here = self.library, {"physicsClientId": self.client}
        told = np.zeros((frames, len(self.bodies), 7))
        for frame in range(frames):
            for _ in range(STEPS):
                b.stepSimulation(**here)
            resting = True
            for number, body in enumerate(self.bodies):
                at, turn = b.getBasePositionAndOrientation(body, **here)
                speed, spin = b.getBaseVelocity(body, **here)
                told[frame, number] = (*(x * self.unit for x in at), *turn)
                resting &= bool(np.linalg.norm(speed) < STILL * self.sizes[number] and np.linalg.norm(spin) < STILL_TURN)
            self.still = self.still + 1 if resting else 0
            if self.still >= RESTED:
                return told[: frame + 1], True
        return told, False

    def end(self) -> None:
        """Let it go."""
        self.library.disconnect(self.client)


_world: list[_World] = []


@apart(seconds=60, gigabytes=8, process="physics", shown=WHAT)
def begin(loose: list[Loose], ground: Ground, rules: Rules) -> None:
    """Set up what falls, in place of what fell before."""
    end_here()
    _world.append(_World(loose, ground, rules))


@apart(seconds=120, gigabytes=8, process="physics", shown=WHAT)
def more(frames: int) -> tuple[np.ndarray, bool]:
    """Let it fall on for some frames: (frames, bodies, 7), places in mm and turns x, y, z, w, and whether all rests."""
    return _world[0].more(frames)


def end_here() -> None:
    """Let go of what fell."""
    while _world:
        _world.pop().end()


def _write_stl(path: Path, vertices: np.ndarray, triangles: np.ndarray) -> None:
    """A binary STL file (3D Systems, 1989)."""
    corners = vertices[triangles].astype("<f4")
    told = np.zeros(len(corners), dtype=[("normal", "<f4", 3), ("corners", "<f4", (3, 3)), ("more", "<u2")])
    told["corners"] = corners
    path.write_bytes(bytes(80) + np.uint32(len(corners)).tobytes() + told.tobytes())


def _write_pieces(path: Path, pieces: list[np.ndarray]) -> None:
    """Convex pieces as objects of an OBJ file; only their corners count."""
    lines, first = [], 1
    for number, points in enumerate(pieces):
        lines.append(f"o piece{number}")
        lines += [f"v {x:.7f} {y:.7f} {z:.7f}" for x, y, z in points]
        lines += [f"f {first} {first + k} {first + k + 1}" for k in range(1, len(points) - 1)]
        first += len(points)
    path.write_text("\n".join(lines) + "\n")
