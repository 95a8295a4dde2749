"""Putting decals on parts: upright, at their true size, bent as the surface bends, and just deep enough."""

from typing import Any, NamedTuple

import numpy as np
from msgspec.structs import replace

from aulmo.document import edits
from aulmo.document.assets import AssetStore
from aulmo.document.decals import axes_of, lies_on, stood_of
from aulmo.document.meshes import Mesh, corners_of
from aulmo.document.placement import from_matrix, without_scale, world_matrices, world_matrix
from aulmo.document.records import Decal, Document, Stood
from aulmo.errors import BadValue
from aulmo.prepare.decal_surface import MOST_COUNTED, depth_needed, distances, mapped, on_surface
from aulmo.prepare.faces import faces_of_asset
from aulmo.prepare.roundness import Bend, bend_at
from aulmo.surface import artwork
from aulmo.surface.lay import decal_projector, within_reach

WRAPS = ("flat", "cylinder", "ball")
BELONGS = ("part", "alike", "region")
ALIGNED = {"middle": "Middle", "left": "Left edge", "right": "Right edge", "top": "Top edge", "bottom": "Bottom edge"}


class Spot(NamedTuple):
    """A place on a part: its id, the triangle there, point and normal in the world."""

    part: str
    triangle: int
    point: np.ndarray
    normal: np.ndarray


def spot_at(document: Document, assets: AssetStore, part_id: str, point, normal) -> Spot:
    """The place on a part that is nearest to a world point where its surface faces `normal`. Raises BadValue."""
    part = document.parts.get(part_id)
    if part is None or part.mesh is None:
        raise BadValue("A decal needs a part with a surface to lie on.")
    point, normal = np.asarray(point, float), np.asarray(normal, float)
    if point.shape != (3,) or normal.shape != (3,) or not np.isfinite([*point, *normal]).all() or np.linalg.norm(normal) < 1e-9:
        raise BadValue("A decal needs a point and the way its surface faces, in numbers.")
    world = world_matrix(document, part_id)
    into = np.linalg.inv(world)
    own = into[:3, :3] @ point + into[:3, 3]
    facing = world[:3, :3].T @ normal
    mesh = assets.mesh(part.mesh)
    corners = mesh.vertices[mesh.triangles].astype(float)
    flat = np.cross(corners[:, 1] - corners[:, 0], corners[:, 2] - corners[:, 0])
    ahead = np.flatnonzero(flat @ facing > 0)
    if not len(ahead):
        raise BadValue(f"No face of {part.name} faces that way.")
    far = distances(corners[ahead], own)
    return Spot(part_id, int(ahead[np.argmin(far)]), point, normal / np.linalg.norm(normal))


def upright(normal: np.ndarray, up=None) -> np.ndarray:
    """(3, 3) axes as columns: right, up, off the surface; up is the world's, or `up`, as far as the surface lets it."""
    z = np.asarray(normal, float) / np.linalg.norm(normal)
    wanted = np.asarray(up if up is not None else (0.0, 0.0, 1.0), float)
    if np.linalg.norm(wanted - (wanted @ z) * z) < 0.05 * np.linalg.norm(wanted):
        wanted = np.array([0.0, 1.0, 0.0]) if abs(z[1]) < 0.9 else np.array([0.0, 0.0, 1.0])
    y = wanted - (wanted @ z) * z
    y /= np.linalg.norm(y)
    return np.stack([np.cross(y, z), y, z], 1)


def stick(document: Document, assets: AssetStore, decal: Decal, spot: Spot, up=None, wrap: str | None = None) -> Decal:
    """The decal where the spot is: upright, in the axes it belongs to, bent as the surface bends (or as `wrap` says). Its sizes are in the part's
    own mm from
    there on, those of a region in the world's; they come in the world's. Depth stays."""
    world = world_matrix(document, spot.part)
    size = _size_of(world)
    into = np.linalg.inv(world)
    mesh = assets.mesh(document.parts[spot.part].mesh or "")
    own_point = into[:3, :3] @ spot.point + into[:3, 3]
    own_normal = world[:3, :3].T @ spot.normal
    own_normal /= np.linalg.norm(own_normal)
    reach = 0.75 * max(decal.width_mm, decal.height_mm) / size
    bend = bend_at(_counted(assets, document.parts[spot.part].mesh or "", mesh), spot.triangle, own_point, own_normal, reach)
    kind, radius = _wrap_of(bend, reach, wrap)
    point = spot.point
    if kind != "flat" and abs(radius) < 1e6:  # from the facet onto the true surface
        onto = bend.centre + own_normal * radius
        if kind == "cylinder" and np.linalg.norm(onto - own_point) < 0.2 * abs(radius):
            point = world[:3, :3] @ onto + world[:3, 3]
    axes = upright(spot.normal, up)
    matrix = np.eye(4)
    matrix[:3, :3], matrix[:3, 3] = axes, point
    turned = 0.0
    if kind == "cylinder":
        along = world[:3, :3] @ bend.other_way
        along /= np.linalg.norm(along)
        turned = float(np.degrees(np.arctan2(-(along @ axes[:, 0]), along @ axes[:, 1])))
        turned = (turned + 90.0) % 180.0 - 90.0
    if decal.belongs == "region":
        place, scale = from_matrix(matrix), 1.0
    else:
        place, scale = from_matrix(without_scale(into @ matrix)), 1.0 / size
    return replace(
        decal, position=place.position, turn=place.turn, wrap=kind, radius_mm=_round(radius * size * scale) if kind != "flat" else 0.0,
        bend=_round(turned), rotate=_round(decal.rotate), width_mm=_round(decal.width_mm * scale), height_mm=_round(decal.height_mm * scale),
        parts=(spot.part, *(p for p in decal.parts if p != spot.part)) if decal.belongs == "part" and spot.part in decal.parts else (spot.part,),
    )  # fmt: skip


def _round(value: float) -> float:
    return float(np.round(value, 9))


def _size_of(world: np.ndarray) -> float:
    """World mm in one of a part's own."""
    return float(abs(np.linalg.det(world[:3, :3]))) ** (1 / 3) or 1.0


def _then(decal: Decal, part_id: str, world: np.ndarray) -> np.ndarray:
    """(4, 4) where a region has a part: as it stood, or as it stands now where parts slip."""
    stood = stood_of(decal, part_id)
    return world if stood is None or decal.slips else stood


def _counted(assets: AssetStore, name: str, mesh: Mesh) -> Mesh:
    return mesh if len(mesh.faces) or len(mesh.triangles) > MOST_COUNTED else faces_of_asset(assets, name).counted


def _wrap_of(bend: Bend, reach: float, wrap: str | None) -> tuple[str, float]:
    """How a decal of a reach lies on a bend, and the radius that it is bent by."""
    narrow, other = bend.radius, bend.other_radius
    if wrap == "flat" or (wrap is None and not np.isfinite(narrow)):
        return "flat", 0.0
    if wrap is None:
        alike = np.isfinite(other) and narrow * other > 0 and abs(narrow) > 0.6 * abs(other)
        if abs(narrow) > 40 * reach:
            return "flat", 0.0
        wrap = "ball" if alike else "cylinder"
    if not np.isfinite(narrow):
        return "flat", 0.0
    if wrap == "ball":
        return wrap, 2.0 / (1.0 / narrow + (1.0 / other if np.isfinite(other) else 0.0))
    return "cylinder", narrow


# whose it is


def stand_now(document: Document, assets: AssetStore, decal: Decal) -> tuple[Stood, ...]:
    """Where the parts stand that a region reaches."""
    worlds = world_matrices(document)
    wide = np.vstack([decal_projector(decal), [0, 0, 0, 1]])
    found = []
    for part_id in edits.shown_parts(document):
        corners = corners_of(*assets.box(document.parts[part_id].mesh or ""))
        if within_reach(decal, (wide @ worlds[part_id])[None, :3], corners[None])[0]:
            found.append(Stood(part=part_id, place=tuple(float(v) for v in worlds[part_id][:3].ravel())))
    return tuple(found)


def belonging(document: Document, assets: AssetStore, decal: Decal, belongs: str) -> Decal:
    """A decal that belongs to something else, lying where it lay on its first part. Raises BadValue."""
    if belongs not in BELONGS:
        raise BadValue(f"A decal can belong to {', '.join(BELONGS)}.")
    if belongs == decal.belongs:
        return decal
    if decal.belongs != "region" and belongs != "region":
        return replace(decal, belongs=belongs)
    if not decal.parts or decal.parts[0] not in document.parts:
        raise BadValue(f"{decal.name} has no part of its own to go back to.")
    world = world_matrix(document, decal.parts[0])
    size = _size_of(world)
    matrix = axes_of(decal)
    if belongs == "region":
        place, scale = from_matrix(without_scale(world @ matrix)), size
    else:
        then = _then(decal, decal.parts[0], world)
        place, scale = from_matrix(without_scale(np.linalg.inv(then) @ matrix)), 1.0 / size
    made = replace(
        decal, belongs=belongs, position=place.position, turn=place.turn, width_mm=decal.width_mm * scale, height_mm=decal.height_mm * scale,
        radius_mm=decal.radius_mm * scale, depth_mm=decal.depth_mm * scale, stood=(),
    )  # fmt: skip
    if belongs == "region":
        made = replace(made, depth_mm=max(made.depth_mm, 0.25 * min(made.width_mm, made.height_mm)))
        made = replace(made, stood=stand_now(document, assets, made))
    return made


def world_place(document: Document, decal: Decal) -> tuple[np.ndarray, float]:
    """(4, 4) where a decal's middle and axes are in the world, and world mm in one of its own."""
    matrix = axes_of(decal)
    if decal.belongs == "region" or not decal.parts or decal.parts[0] not in document.parts:
        return matrix, 1.0
    world = world_matrices(document)[decal.parts[0]]
    return world @ matrix, _size_of(world)


def new_decal(
    document: Document, assets: AssetStore, spot: Spot, wrap: str | None = None, up=None, depth_mm: float | None = None, **own: Any
) -> Decal:
    """A decal at a spot, not yet in the document; `own` are its fields, sizes in world mm. Its height follows from its artwork while it keeps its
    shape. Raises BadValue or BadFile."""
    for key in ("width_mm", "height_mm"):
        value = own.get(key, 1.0)
        if not (isinstance(value, (int, float)) and np.isfinite(value) and 1e-4 <= value <= 1e6):
            raise BadValue("The size of a decal has to be above zero.")
    if wrap is not None and wrap not in WRAPS:
        raise BadValue(f"A decal can lie {', '.join(WRAPS)}.")
    if own.get("belongs", "part") not in BELONGS:
        raise BadValue(f"A decal can belong to {', '.join(BELONGS)}.")
    name = edits.free_name(own.pop("name", "Decal"), (d.name for d in document.decals.values()))
    decal = Decal(id=edits.new_id(), name=name, **own)
    if decal.keep_shape and decal.artwork in ("picture", "text"):
        decal = replace(decal, height_mm=decal.width_mm * artwork.shape_of(decal, assets))
    return with_depth(document, assets, stick(document, assets, decal, spot, up, wrap), depth_mm)


def with_depth(document: Document, assets: AssetStore, decal: Decal, depth_mm: float | None = None) -> Decal:
    """A decal just deep enough, or as deep as is said (world mm); a region also knows where its parts stand now. Raises BadValue."""
    if depth_mm is not None:
        if not (np.isfinite(depth_mm) and depth_mm > 0):
            raise BadValue("The depth of a decal has to be above zero.")
        decal = replace(decal, depth_mm=float(depth_mm) / world_place(document, decal)[1])
    else:
        needed = depth_needed(document, assets, decal)
        decal = replace(decal, depth_mm=max(needed, 0.25 * min(decal.width_mm, decal.height_mm)) if decal.belongs == "region" else needed)
    return replace(decal, stood=stand_now(document, assets, decal)) if decal.belongs == "region" else decal


def slid(document: Document, assets: AssetStore, decal: Decal, spot: Spot, wrap: str | None = None) -> Decal:
    """A decal pulled to another spot: it keeps its size and its turn, bends as the surface there (or as `wrap` says), is as deep as it has to be, and
    comes over to the part there where it is one part's."""
    matrix, scale = world_place(document, decal)
    sized = replace(decal, width_mm=decal.width_mm * scale, height_mm=decal.height_mm * scale)
    up = matrix[:3, 1] if spot.part in decal.parts else None
    return with_depth(document, assets, stick(document, assets, sized, spot, up, wrap))


def aligned(document: Document, assets: AssetStore, decal: Decal, to: Decal, how: str) -> Decal:
    """A decal whose middle, or one edge, lies where another one's does; along that edge it stays where it is. Raises BadValue."""
    if how not in ALIGNED:
        raise BadValue(f"Decals can be aligned by {', '.join(ALIGNED)}.")
    if not to.parts or to.parts[0] not in document.parts:
        raise BadValue(f"{to.name} lies on no part of its own.")
    matrix, scale = world_place(document, to)
    own, own_scale = world_place(document, decal)
    plain = replace(to, rotate=to.bend if to.wrap == "cylinder" else 0.0)
    flat, _ = mapped(plain, (np.linalg.inv(matrix) @ own)[:3, 3][None])
    right, up = float(flat[0, 0]), float(flat[0, 1])
    wide, high = 0.5 * (to.width_mm - decal.width_mm * own_scale / scale), 0.5 * (to.height_mm - decal.height_mm * own_scale / scale)
    right = {"middle": 0.0, "left": -wide, "right": wide}.get(how, right)
    up = {"middle": 0.0, "bottom": -high, "top": high}.get(how, up)
    ahead = on_surface(plain, np.array([[right, up], [right + 1e-3, up], [right, up + 1e-3]])) @ matrix[:3, :3].T + matrix[:3, 3]
    normal = np.cross(ahead[1] - ahead[0], ahead[2] - ahead[0])
    return slid(document, assets, decal, spot_at(document, assets, to.parts[0], ahead[0], normal))


def wrapped(document: Document, assets: AssetStore, decal: Decal, wrap: str | None) -> Decal:
    """A decal bent otherwise where it lies: flat, round a cylinder, on a ball, or as the surface bends (None). Raises BadValue."""
    if not decal.parts or decal.parts[0] not in document.parts:
        raise BadValue(f"{decal.name} lies on no part whose bend could be read.")
    matrix, _ = world_place(document, decal)
    spot = spot_at(document, assets, decal.parts[0], matrix[:3, 3], matrix[:3, 2])
    made = slid(document, assets, decal, spot, wrap)
    return made if wrap is None or made.wrap == wrap else replace(made, wrap="flat", radius_mm=0.0)


def decal_at(document: Document, part_id: str, point: np.ndarray, normal: np.ndarray) -> str | None:
    """The id of the topmost decal that a part shows at a world point; clear places of its artwork count too."""
    worlds = world_matrices(document)
    for decal in reversed(document.decals.values()):
        if not decal.visible or part_id not in lies_on(document, decal):
            continue
        world = worlds[part_id]
        matrix = axes_of(decal)
        if decal.belongs == "region":
            into = np.linalg.inv(matrix) @ _then(decal, part_id, world) @ np.linalg.inv(world)
        else:
            into = np.linalg.inv(world @ matrix)
        own = into[:3, :3] @ point + into[:3, 3]
        facing = np.linalg.inv(into[:3, :3]).T @ normal
        laid, squarely = mapped(decal, own[None], (facing / np.linalg.norm(facing))[None])
        inside = np.abs(laid[0, :2]) <= 0.5 * np.array([decal.width_mm, decal.height_mm])
        if inside.all() and abs(laid[0, 2]) <= decal.depth_mm and squarely[0] >= np.cos(np.radians(decal.facing)):
            return decal.id
    return None
