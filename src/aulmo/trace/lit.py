"""The fourth step of a scene: lamps, glowing parts and the dome."""

import hashlib
from typing import Callable, NamedTuple, Sequence

import numpy as np

from aulmo.document.moving.footage import frame_name, frame_of
from aulmo.document.assets import AssetStore
from aulmo.document.meshes import Mesh
from aulmo.document.edits import below
from aulmo.document.placement import turn_matrix
from aulmo.document.records import Document, Environment, Stop
from aulmo.frame.camera import bent, camera_axes
from aulmo.frame.exposure import white_nits
from aulmo.frame.photograph import laid_out, photographed
from aulmo.light import daylight, environment_image
from aulmo.light.dome_map import map_directions
from aulmo.light.softbox import WHITE_NITS
from aulmo.light.staying import Standing
from aulmo.surface.colour import LUMINANCE
from aulmo.trace.compile import arrays as a
from aulmo.trace.lamp.lamp_rows import LampRows, build_lamps, proxy_matrix
from aulmo.trace.lamp.light_tree import build_tree
from aulmo.trace.lamp.softbox_rows import Softboxes
from aulmo.surface import columns
from aulmo.trace.placed import Placed, keeps_its_size
from aulmo.trace.worn import Worn


class Lit(NamedTuple):
    """Rows of lamps and their tree; softboxes; the triangles of what glows; the lamp row of every instance, those of lamps' bodies last; of the
    bodies the kind and place of each."""

    lamps: LampRows
    softboxes: Softboxes
    nodes: np.ndarray
    trail: np.ndarray
    depth: np.ndarray
    corners: np.ndarray
    cumulative: np.ndarray
    guide: np.ndarray
    triangles: np.ndarray
    lamp_of: np.ndarray
    bodies: tuple[int, ...]
    body_places: np.ndarray

    def fields(self) -> dict[str, np.ndarray]:
        """What the kernels read."""
        return {
            "instance_lamp": self.lamp_of, "softboxes": self.softboxes.rows, "box_tables": self.softboxes.tables, "box_lights": self.softboxes.lights,
            "lamps": self.lamps.rows, "lamp_trail": self.trail, "lamp_depth": self.depth, "nodes": self.nodes, "distant": self.lamps.distant,
            "portals": self.lamps.portals, "ies": self.lamps.ies, "emit_corners": self.corners, "emit_cumulative": self.cumulative,
            "emit_guide": self.guide, "emit_triangles": self.triangles,
        }  # fmt: skip


class Glow(NamedTuple):
    """A glowing mesh in the world: corners (e, 9), areas before each triangle, where to begin looking, the area of all."""

    corners: np.ndarray
    before: np.ndarray
    guide: np.ndarray
    area: float


def glow_of(mesh: Mesh, matrix: np.ndarray | None = None) -> Glow:
    """The triangles of a mesh under a (3, 4) matrix, or in its own axes, to be sampled by area."""
    points = mesh.vertices[mesh.triangles].astype(float)
    if matrix is not None:
        points = points @ matrix[:, :3].T + matrix[:, 3]
    area = 0.5 * np.linalg.norm(np.cross(points[:, 1] - points[:, 0], points[:, 2] - points[:, 0]), axis=1)
    total = float(area.sum())
    before = np.concatenate([[0.0], np.cumsum(area)[:-1]])
    guide = np.maximum(0, np.searchsorted(before, np.arange(len(area)) / len(area) * total, "right") - 1)
    return Glow(points.reshape(-1, 9), before, guide, total)


def moved_glow(own: Glow, matrix: np.ndarray) -> Glow | None:
    """The triangles of a mesh, known in its own axes, under a (3, 4) matrix; None when that does more than turn, shift and size evenly."""
    square = matrix[:, :3].T @ matrix[:, :3]
    size = float(np.trace(square)) / 3
    if np.abs(square - size * np.eye(3)).max() > 1e-9 * size:
        return None
    corners = (own.corners.reshape(-1, 3) @ matrix[:, :3].T + matrix[:, 3]).reshape(-1, 9)
    return Glow(corners, own.before * size, own.guide, own.area * size)


class Glowing(NamedTuple):
    """What glows: an instance, the row of the material, the name of the mesh and the mesh, where it lies (3, 4), and of a part with face sets
    which of its triangles glow."""

    instance: int
    which: int
    name: str
    mesh: Mesh
    matrix: np.ndarray
    triangles: np.ndarray | None = None


class GlowBook:
    """Keeps glowing meshes between builds: only what moved is worked out again, and of that only where its corners lie."""

    def __init__(self) -> None:
        self._known: dict[tuple[str, bytes, bytes], Glow] = {}
        self._own: dict[tuple[str, bytes], Glow] = {}

    def gather(self, wanted: Sequence[Glowing]) -> list[Glow]:
        """The triangles of all that glows, in order; what nobody asks for any more is let go."""
        fresh: dict[tuple[str, bytes, bytes], Glow] = {}
        own: dict[tuple[str, bytes], Glow] = {}
        found = []
        for one in wanted:
            some = one.triangles
            name = (one.name, b"" if some is None else hashlib.sha256(some.tobytes()).digest())
            key = (*name, np.ascontiguousarray(one.matrix).tobytes())
            if key not in fresh:
                mesh = one.mesh if some is None else one.mesh._replace(triangles=one.mesh.triangles[some])
                own[name] = own.get(name) or self._own.get(name) or glow_of(mesh)
                fresh[key] = self._known.get(key) or moved_glow(own[name], one.matrix) or glow_of(mesh, one.matrix)
            found.append(fresh[key])
        self._known, self._own = fresh, own
        return found


def light(
    standing: Standing, assets: AssetStore, names: Sequence[str], mesh_of: Callable[[str], Mesh], placed: Placed, worn: Worn, dark: np.ndarray,
    covered: np.ndarray, book: GlowBook, soft: Softboxes,
) -> Lit:  # fmt: skip
    """Everything that shines. `names` are those of the instances' meshes, `mesh_of` finds one; `dark` tells of
    each instance whether it gives no light (what only catches shadows), `covered` of each part whether it has decals."""
    shines = (worn.numbers[:, columns.EMISSION : columns.EMISSION + 3] @ LUMINANCE > 0) & (worn.numbers[:, columns.OPACITY] > 0)
    any_shines = shines[worn.which]
    for k, rows_of in worn.faces.items():
        any_shines[k] = shines[rows_of].any()
    glowing: list[Glowing] = []
    for k in np.flatnonzero(any_shines).tolist():
        if dark[k] or (k in placed.moving and not keeps_its_size(placed.moving[k])):  # what changes its size meanwhile is met by chance alone
            continue
        mesh = mesh_of(names[k])
        if k not in worn.faces:
            glowing.append(Glowing(k, int(worn.which[k]), names[k], mesh, placed.world[k]))
            continue
        for which in np.unique(worn.faces[k]).tolist():
            if shines[which]:
                glowing.append(Glowing(k, which, names[k], mesh, placed.world[k], np.flatnonzero(worn.faces[k] == which)))
    glows = book.gather(glowing)
    rows: list[np.ndarray] = []
    corners, before, guide = [np.zeros((0, 9))], [np.zeros(0)], [np.zeros(0, np.int64)]
    numbers = [np.zeros(0, np.int64)]
    lamp_of = np.full(len(worn.which), -1, np.int32)
    start = 0
    for one, glow in zip(glowing, glows):
        if not glow.area > 0:
            continue
        k = one.instance
        material = worn.numbers[one.which]
        row = np.zeros(a.LAMP_COLUMNS)
        row[a.LAMP_KIND], row[a.LAMP_N + 2] = a.MESH, 1.0
        row[a.LAMP_RGB : a.LAMP_RGB + 3] = material[columns.EMISSION : columns.EMISSION + 3] * min(1.0, material[columns.OPACITY])
        row[a.LAMP_LED] = k + 1 if worn.led[one.which] or (k < len(covered) and covered[k]) else 0
        row[a.LAMP_OWNER], row[a.LAMP_WHICH] = k, one.which
        row[a.LAMP_MOVES] = k + 1 if k in placed.moving else 0
        row[a.LAMP_GROUP], row[a.LAMP_AREA] = a.GROUP_GLOW, glow.area
        row[a.LAMP_FIRST], row[a.LAMP_LAST] = start, start + len(glow.before)
        row[a.LAMP_COS_FULL] = row[a.LAMP_COS_EDGE] = -2.0
        row[a.LAMP_IES] = -1.0
        lamp_of[k] = len(rows) if lamp_of[k] < 0 else lamp_of[k]
        rows.append(row)
        corners.append(glow.corners)
        before.append(glow.before)
        guide.append(start + glow.guide)
        numbers.append(np.arange(len(glow.before)) if one.triangles is None else one.triangles)
        start += len(glow.before)
    lamps = build_lamps(standing, assets, rows, soft)
    all_corners = np.concatenate(corners)
    nodes, trail, depth = build_tree(lamps.rows, lamps.tree, all_corners)
    # lamps' bodies stand behind everything else, so that numbers of parts do not depend on them
    bodies = [k for k, row in enumerate(lamps.rows) if int(row[a.LAMP_KIND]) in (a.RECTANGLE, a.DISC, a.SPHERE, a.TUBE)]
    return Lit(
        lamps, soft, nodes, trail, depth, all_corners, np.concatenate(before), np.concatenate(guide).astype(np.int32),
        np.concatenate(numbers).astype(np.int32),
        np.concatenate([lamp_of, np.array(bodies, np.int32)]), tuple(int(lamps.rows[k, a.LAMP_KIND]) for k in bodies),
        np.array([proxy_matrix(lamps.rows[k]) for k in bodies]).reshape(-1, 3, 4),
    )  # fmt: skip


def links_table(document: Document, links: list, part_ids: Sequence[str], count: int) -> np.ndarray:
    """(sets, instances) uint8: which instances each set of lamps lights. The floor and lamps' bodies are lit by all."""
    table = np.ones((len(links), count), np.uint8)
    for k, wanted in enumerate(links[1:], 1):
        inside: set[str] = set()
        for name in wanted:
            if name in document.parts:
                inside.update(below(document, name))
        table[k, : len(part_ids)] = [i in inside for i in part_ids]
        table[k, len(part_ids) :] = "floor" in wanted
    return table


def environment_pixels(environment: Environment, assets: AssetStore) -> np.ndarray:
    """(h, w, 3) ACEScg nits of the ground's map before turning and exposure; one below white is warmed, blurred and made paler as wanted."""
    if environment.kind == "colour":
        return np.broadcast_to(np.float32(WHITE_NITS) * np.array(environment.colour, np.float32), (32, 64, 3)).copy()
    if environment.kind == "gradient":
        return gradient_map(environment)
    if environment.kind == "sky":
        return daylight.sky_map(environment.sky)
    image = environment_image.shipped(environment.image) if environment.shipped else _own_map(assets, environment.image)
    return environment_image.developed(image, environment.saturation, environment.kelvin, environment.blur)


def _own_map(assets: AssetStore, name: str) -> np.ndarray:
    found = frame_of(name)
    if found is not None:
        return environment_image.of_frame(assets.get(name), name, assets.get(frame_name(*found, name)))
    return environment_image.from_blob(assets.get(name), name)


def gradient_map(environment: Environment) -> np.ndarray:
    """(128, 64, 3) float32 nits of a gradient from straight down to straight up."""
    up = 1 - (np.arange(128) + 0.5) / 128
    marks = sorted(environment.stops, key=lambda stop: stop.at) or [Stop(0.0, (0.0, 0.0, 0.0))]
    where = [stop.at for stop in marks]
    rows = np.stack([np.interp(up, where, [stop.colour[c] for stop in marks]) for c in range(3)], 1)
    return np.repeat(np.float32(WHITE_NITS) * rows[:, None].astype(np.float32), 64, 1)


def photograph_on(image: np.ndarray, turn: np.ndarray, exposure: float, document: Document, photo: np.ndarray) -> np.ndarray:
    """A dome's map (h, w, 3), nits before its exposure, with a photograph where that lies for its camera, endlessly far; it fades in at its edges.

    turn : (3, 3) world to map. photo : (h, w, 3) light in shares of white.
    """
    shot = photographed(document)
    assert shot is not None
    own, laid = document.cameras[shot.camera], laid_out(document, shot)
    rows = max(256, image.shape[0])
    directions = map_directions(2 * rows, rows) @ turn
    right, up, forward = camera_axes(own)
    ahead = directions @ forward
    safe = np.where(ahead > 0.05, ahead, 1.0)
    x, y = bent((directions @ right) / safe, (directions @ up) / safe, own.bend)
    u, v = 0.5 + 0.5 * (x / laid.tan_w - laid.shift_x), 0.5 - 0.5 * (y / laid.tan_h - laid.shift_y)
    inside = np.clip(np.minimum.reduce([u, 1 - u, v, 1 - v]) / 0.06, 0, 1) * (ahead > 0.05)
    h, w = photo.shape[:2]
    step = max(1, min(h, w) // 512)
    small = photo[: h // step * step, : w // step * step].reshape(h // step, step, w // step, step, 3).mean((1, 3))
    j = np.clip((v * small.shape[0]).astype(int), 0, small.shape[0] - 1)
    i = np.clip((u * small.shape[1]).astype(int), 0, small.shape[1] - 1)
    light_ = small[j, i] * np.float32(white_nits(own) / 2.0**exposure)
    a = np.clip((np.arange(rows) * image.shape[0]) // rows, 0, image.shape[0] - 1)
    b = np.clip((np.arange(2 * rows) * image.shape[1]) // (2 * rows), 0, image.shape[1] - 1)
    ground = image[a][:, b]
    return np.ascontiguousarray(ground + (light_ - ground) * inside[..., None], np.float32)


def environment_turn(environment: Environment, ground: np.ndarray | None = None) -> np.ndarray:
    """World-to-map rotation: turned to the right as seen from above, then tilted toward the camera, then by what the dome stays with."""
    turned = turn_matrix((environment.tilt, 0.0, -environment.turn))
    return np.ascontiguousarray((turned if ground is None else ground @ turned).T)
