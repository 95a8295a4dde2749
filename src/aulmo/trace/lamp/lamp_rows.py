"""From lamps and glowing parts of a document to the rows the kernels read, with their photometric units made radiance."""

import functools
import math
from typing import NamedTuple

import numpy as np

from aulmo.document.assets import AssetStore
from aulmo.document.meshes import Mesh
from aulmo.document.placement import turn_matrix
from aulmo.document.records import Environment, Lamp
from aulmo.errors import BadValue
from aulmo.light import daylight, photometry
from aulmo.light.staying import Standing
from aulmo.surface.colour import LUMINANCE
from aulmo.trace.compile import arrays as a
from aulmo.trace.lamp.softbox_rows import Softboxes, chances, lamp_rows_of

NO_IES = np.zeros((1, a.IES_ROWS, a.IES_COLUMNS), np.float32)
AREA_KINDS = {"rectangle": a.RECTANGLE, "disc": a.DISC, "ring": a.DISC, "sphere": a.SPHERE, "tube": a.TUBE, "portal": a.PORTAL}


class LampRows(NamedTuple):
    """Rows (l, LAMP_COLUMNS), those of the tree first; profiles; names of light groups; sets of part ids by link number."""

    rows: np.ndarray
    tree: list[int]
    distant: np.ndarray
    portals: np.ndarray
    ies: np.ndarray
    groups: tuple[str, ...]
    links: list[frozenset]


def spot_solid_angle(cone: float, softness: float, flat: bool) -> float:
    """Integral over solid angle of a spot's share of its axis candela; `flat` weighs by the cosine of a disc."""
    full, edge = spot_cosines(cone, softness)
    cosine = np.linspace(edge, 1.0, 4001)
    s = np.clip((cosine - edge) / max(1e-9, full - edge), 0, 1)
    share = np.where(cosine >= full, 1.0, s * s * (3 - 2 * s)) * (cosine if flat else 1.0)
    return float(2 * math.pi * np.trapezoid(share, cosine))


def spot_cosines(cone: float, softness: float) -> tuple[float, float]:
    """Cosines of the half angles at which a spot begins to fade and ends."""
    half = math.radians(min(179.8, max(0.2, cone)) / 2)
    return math.cos(half * (1 - min(1.0, max(0.0, softness)))), math.cos(half)


def _axes(row: np.ndarray, lamp: Lamp) -> None:
    x, y, z = turn_matrix(lamp.turn).T
    if lamp.kind == "tube":
        u, v, n = y, z, x
    else:
        u, v, n = x, y, -z
    row[a.LAMP_POSITION : a.LAMP_POSITION + 3] = lamp.position
    row[a.LAMP_U : a.LAMP_U + 3], row[a.LAMP_V : a.LAMP_V + 3], row[a.LAMP_N : a.LAMP_N + 3] = u, v, n


def _size(row: np.ndarray, lamp: Lamp) -> float:
    """Fill in kind and size; returns the shining area in square metres, 0 for a lamp without size."""
    w, h = 0.5 * max(0.0, lamp.width), 0.5 * max(0.0, lamp.height)
    kind = lamp.kind
    if kind in ("rectangle", "portal"):
        w, h = max(w, 1e-3), max(h, 1e-3)
        row[a.LAMP_KIND], row[a.LAMP_SIZE], row[a.LAMP_SIZE_2], row[a.LAMP_AREA] = AREA_KINDS[kind], w, h, 4 * w * h
    elif kind in ("disc", "ring"):
        w = max(w, 1e-3)
        inner = min(h, 0.999 * w) if kind == "ring" else 0.0
        row[a.LAMP_KIND], row[a.LAMP_SIZE], row[a.LAMP_SIZE_2], row[a.LAMP_AREA] = a.DISC, w, inner, math.pi * (w * w - inner * inner)
    elif kind == "tube":
        w, h = max(w, 1e-3), max(h, 1e-3)
        row[a.LAMP_KIND], row[a.LAMP_SIZE], row[a.LAMP_SIZE_2], row[a.LAMP_AREA] = a.TUBE, w, h, 4 * math.pi * w * h
    elif kind == "spot" and w > 0:
        row[a.LAMP_KIND], row[a.LAMP_SIZE], row[a.LAMP_AREA] = a.DISC, w, math.pi * w * w
    elif kind == "sphere" or (kind in ("point", "photometric") and w > 0):
        w = max(w, 1e-3)
        row[a.LAMP_KIND], row[a.LAMP_SIZE], row[a.LAMP_AREA] = a.SPHERE, w, 4 * math.pi * w * w
    else:
        row[a.LAMP_KIND] = a.POINT
    return float(row[a.LAMP_AREA]) * 1e-6


def _brightness(row: np.ndarray, lamp: Lamp, area: float, flux_per_candela: float) -> float:
    """Radiance in nits, or candela along the axis for a lamp without size. Lux are those at one metre on the axis."""
    kind = int(row[a.LAMP_KIND])
    if kind == a.POINT:
        seen = 0.0
    elif kind == a.SPHERE:
        seen = area / 4
    elif kind == a.TUBE:
        seen = area / math.pi
    else:
        seen = area
    if lamp.unit == "nit":
        return lamp.power if seen > 0 else 0.0
    candela = lamp.power / flux_per_candela if lamp.unit == "lumen" else lamp.power
    return candela / seen if seen > 0 else candela


def _flux_per_candela(lamp: Lamp, flat: bool, profile: np.ndarray | None) -> float:
    """Lumens a lamp of one candela along its axis (at its brightest, for a profile) gives in all."""
    if profile is not None:
        return photometry.flux_of(profile)
    if lamp.kind == "spot":
        return spot_solid_angle(lamp.cone, lamp.softness, flat)
    if lamp.kind in ("sphere", "point", "photometric"):
        return 4 * math.pi
    if lamp.kind == "tube":
        return math.pi**2
    return math.pi


def lamp_row(lamp: Lamp, profile: np.ndarray | None = None, profile_index: int = -1) -> np.ndarray:
    """(LAMP_COLUMNS,) of one lamp. `profile` is its measured candela over the largest. Raises BadValue for nonsense."""
    if not all(math.isfinite(v) for v in (lamp.power, lamp.width, lamp.height, lamp.stops, *lamp.position, *lamp.turn)) or lamp.power < 0:
        raise BadValue(f"The lamp {lamp.name} has a figure that makes no sense.")
    row = np.zeros(a.LAMP_COLUMNS)
    _axes(row, lamp)
    row[a.LAMP_COS_FULL] = row[a.LAMP_COS_EDGE] = -2.0
    row[a.LAMP_IES] = -1.0
    row[a.LAMP_VISIBLE] = float(lamp.seen)
    colour = photometry.tint(min(25000.0, max(1667.0, lamp.kelvin)), lamp.colour) * 2.0**lamp.stops
    if lamp.kind in ("distant", "sun"):
        half = math.radians(max(0.0, lamp.angle) / 2)
        row[a.LAMP_KIND] = a.DISTANT
        row[a.LAMP_SIZE_2] = 1 - math.cos(half)
        lux = lamp.power
        row[a.LAMP_RGB : a.LAMP_RGB + 3] = colour * (lux / (math.pi * math.sin(half) ** 2) if half > 0 else lux)
        return row
    area = _size(row, lamp)
    if lamp.kind == "spot":
        row[a.LAMP_COS_FULL], row[a.LAMP_COS_EDGE] = spot_cosines(lamp.cone, lamp.softness)
    if profile is not None:
        row[a.LAMP_IES] = profile_index
    if lamp.kind != "portal":
        row[a.LAMP_RGB : a.LAMP_RGB + 3] = colour * _brightness(row, lamp, area, _flux_per_candela(lamp, area > 0, profile))
    return row


def sun_row(environment: Environment, ground: np.ndarray) -> np.ndarray | None:
    """The sun of a sky as a distant lamp in world axes, or None when it is down or not wanted. `ground` : (3, 3) the axes the dome lies in."""
    sky = environment.sky
    if environment.kind != "sky" or not sky.sun:
        return None
    light = daylight.sun_light(sky)
    if not light.any():
        return None
    row = np.zeros(a.LAMP_COLUMNS)
    toward = ground @ turn_matrix((environment.tilt, 0.0, -environment.turn)) @ daylight.sun_direction(sky)
    half = math.radians(daylight.SUN_DIAMETER / 2)
    row[a.LAMP_KIND], row[a.LAMP_N : a.LAMP_N + 3] = a.DISTANT, -toward
    row[a.LAMP_SIZE_2] = 1 - math.cos(half)
    row[a.LAMP_RGB : a.LAMP_RGB + 3] = light * 2.0**environment.exposure / (math.pi * math.sin(half) ** 2)
    row[a.LAMP_COS_FULL] = row[a.LAMP_COS_EDGE] = -2.0
    row[a.LAMP_IES] = -1.0
    row[a.LAMP_GROUP] = a.GROUP_ENVIRONMENT
    return row


def silenced(standing: Standing) -> bool:
    """Whether something is solo, so that lamps, softboxes and ground that are not give no light. What glows goes on."""
    return any(b.solo and b.on for b in standing.environment.softboxes) or any(lamp.solo and lamp.on for lamp in standing.lamps.values())


def lamps_on(standing: Standing) -> list[Lamp]:
    """The lamps that shine."""
    alone = silenced(standing)
    return [lamp for lamp in standing.lamps.values() if lamp.on and (lamp.solo or not alone)]


@functools.lru_cache(maxsize=64)
def _shares(blob: bytes, name: str) -> np.ndarray:
    """A measured lamp's candela over its largest."""
    candela = photometry.read_ies(blob, name).candela
    return candela / candela.max()


def build_lamps(standing: Standing, assets: AssetStore, glowing: list[np.ndarray], soft: Softboxes) -> LampRows:
    """Rows of all lamps that are on, after those of the glowing parts in `glowing`; those that stand for softboxes among the distant ones."""
    groups = ["Environment", "Glow"]
    links: list[frozenset] = [frozenset()]
    profiles: list[np.ndarray] = []
    near: list[np.ndarray] = list(glowing)
    far: list[np.ndarray] = []
    portals: list[np.ndarray] = []
    for lamp in lamps_on(standing):
        profile = None
        if lamp.kind == "photometric" and lamp.profile:
            profile = _shares(assets.get(lamp.profile), lamp.profile)
            profiles.append(profile)
        row = lamp_row(lamp, profile, len(profiles) - 1)
        if lamp.group not in groups:
            groups.append(lamp.group)
        row[a.LAMP_GROUP] = groups.index(lamp.group)
        if lamp.lights:
            wanted = frozenset(lamp.lights)
            if wanted not in links[1:]:
                links.append(wanted)
            row[a.LAMP_LINK] = links.index(wanted, 1)
        where = portals if lamp.kind == "portal" else far if lamp.kind in ("distant", "sun") else near
        where.append(row)
    bright = [LUMINANCE @ row[a.LAMP_RGB : a.LAMP_RGB + 3] > 0 for row in near]
    near = [r for r, b in zip(near, bright) if b] + [r for r, b in zip(near, bright) if not b]  # the tree's lamps come first
    sun = sun_row(standing.environment, standing.ground) if not silenced(standing) else None
    if sun is not None:
        far.append(sun)
    far += lamp_rows_of(soft, groups)
    chances(far)
    rows = near + far + portals
    n, m = len(near), len(near) + len(far)
    return LampRows(
        np.array(rows).reshape(-1, a.LAMP_COLUMNS), list(range(sum(bright))),
        np.arange(n, m, dtype=np.int32), np.arange(m, len(rows), dtype=np.int32),
        np.array(profiles, np.float32) if profiles else NO_IES, tuple(groups), links,
    )  # fmt: skip


def _flat(normal_side: float, points: np.ndarray, triangles: np.ndarray) -> Mesh:
    normals = np.tile(np.array([[0, 0, normal_side]], np.float32), (len(points), 1))
    return Mesh(points.astype(np.float32), normals, triangles.astype(np.uint32), np.zeros(0, np.int32))


def proxy_mesh(kind: int) -> Mesh:
    """A body that surely holds a unit lamp: rays that meet it are then met with the true shape. Square, disc, ball, tube along z."""
    if kind in (a.RECTANGLE, a.PORTAL):
        return _flat(1.0, np.array([[-1, -1, 0], [1, -1, 0], [1, 1, 0], [-1, 1, 0]], float), np.array([[0, 1, 2], [0, 2, 3]]))
    if kind == a.DISC:
        n = 48
        phi = np.arange(n) * 2 * np.pi / n
        rim = np.stack([np.cos(phi), np.sin(phi), 0 * phi], 1) / np.cos(np.pi / n)
        i = np.arange(1, n - 1)
        return _flat(1.0, rim, np.stack([0 * i, i, i + 1], 1))
    if kind == a.TUBE:
        n = 32
        phi = np.arange(n) * 2 * np.pi / n
        ring = np.stack([np.cos(phi), np.sin(phi)], 1) / np.cos(np.pi / n)
        points = np.concatenate([np.column_stack([ring, np.full(n, z)]) for z in (-1.0, 1.0)])
        i = np.arange(n)
        j = (i + 1) % n
        triangles = np.concatenate([np.stack([i, j, j + n], 1), np.stack([i, j + n, i + n], 1)])
        normals = np.column_stack([np.tile(ring, (2, 1)) * np.cos(np.pi / n), np.zeros(2 * n)])
        return Mesh(points.astype(np.float32), normals.astype(np.float32), triangles.astype(np.uint32), np.zeros(0, np.int32))
    import trimesh

    ball = trimesh.creation.icosphere(subdivisions=3)
    corners = ball.vertices[ball.faces]
    nearest = np.abs(np.einsum("ij,ij->i", corners[:, 0], ball.face_normals)).min()
    return Mesh((ball.vertices / nearest).astype(np.float32), ball.vertices.astype(np.float32), ball.faces.astype(np.uint32), np.zeros(0, np.int32))


def proxy_matrix(row: np.ndarray) -> np.ndarray:
    """(3, 4) placement of a lamp's proxy."""
    u, v, n = (row[k : k + 3] for k in (a.LAMP_U, a.LAMP_V, a.LAMP_N))
    kind, size = int(row[a.LAMP_KIND]), row[a.LAMP_SIZE]
    across = row[a.LAMP_SIZE_2] if kind in (a.RECTANGLE, a.PORTAL) else size
    deep = row[a.LAMP_SIZE_2] if kind == a.TUBE else size
    return np.column_stack([u * size, v * across, n * deep, row[a.LAMP_POSITION : a.LAMP_POSITION + 3]])
