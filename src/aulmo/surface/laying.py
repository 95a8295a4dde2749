"""Laying pictures on parts: a set wired at once with one shared lay, a single one, and fitting a lay to what it lies on."""

import math
from pathlib import Path
from typing import Sequence

import numpy as np
from msgspec.structs import replace

from aulmo.document import edits
from aulmo.document.assets import AssetStore
from aulmo.document.meshes import corners_of
from aulmo.document.placement import from_matrix, to_matrix, world_matrices
from aulmo.document.properties import get
from aulmo.document.records import Adjust, Document, Lay, Material, Node, Placement
from aulmo.errors import BadValue
from aulmo.surface.lay import KINDS
from aulmo.surface.node_flow import behind, ends
from aulmo.surface.picture_set import Found, loaded
from aulmo.surface.program import RELIEF, WIRED

RELIEF_SHARE = 0.01  # of its width: how high a height picture stands out until the artist says otherwise
GLOW_NITS = 500.0
_DRIVES = {
    "colour": "base_color", "roughness": "specular_roughness", "gloss": "specular_roughness", "metalness": "base_metalness", "normal": "normal",
    "opacity": "geometry_opacity", "occlusion": "base_weight", "glow": "emission_color",
}  # fmt: skip
_COLOURS = ("base_color", "emission_color", "specular_color", "subsurface_color")
# projectors that look at a part from the right, the front and above
AXIS_TURNS = {"x": (90.0, 0.0, 90.0), "y": (90.0, 0.0, 0.0), "z": (0.0, 0.0, 0.0)}


def part_size(document: Document, assets: AssetStore, part_id: str) -> np.ndarray:
    """(3,) mm of a part's box in its own axes."""
    low, high = assets.box(document.parts[part_id].mesh or "")
    return np.asarray(high - low)


def natural_axis(size: np.ndarray, projection: str) -> str:
    """Along which axis a part of a size (3,) is best looked at: a sheet through its thickness, a round one along what it turns about; else z."""
    if projection == "flat":
        thin = int(np.argmin(size))
        return "xyz"[thin] if size[thin] < 0.8 * np.sort(size)[1] else "z"
    if projection in ("cylinder", "axis"):
        uneven = [abs(size[(k + 1) % 3] - size[(k + 2) % 3]) / max(1e-9, float(max(size[(k + 1) % 3], size[(k + 2) % 3]))) for k in range(3)]
        return "xyz"[int(np.argmin(uneven))] if min(uneven) + 1e-3 < uneven[2] else "z"
    return "z"


def starting_lay(document: Document, assets: AssetStore, part_id: str, width_mm: float, projection: str = "") -> Lay:
    """The lay a new set begins with: by the file's coordinates where the part has any and nothing says how large it is, else as a box."""
    mesh = assets.mesh(document.parts[part_id].mesh or "")
    if not projection:
        projection = "uv" if len(mesh.uv) and not width_mm else "box"
    if projection == "uv" and not len(mesh.uv):
        raise BadValue(f"{document.parts[part_id].name} has no coordinates of its own for a picture; lay it as a box or flat.")
    if projection not in KINDS:
        raise BadValue(f"A picture can be laid {', '.join(KINDS)}.")
    if not width_mm:
        width_mm = float(max(part_size(document, assets, part_id)))
    low, high = assets.box(document.parts[part_id].mesh or "")
    middle = tuple(float(round(v, 6)) for v in 0.5 * (low + high))
    turn = AXIS_TURNS[natural_axis(np.asarray(high - low), projection)]
    return Lay(id="lay", projection=projection, width_mm=width_mm, position=(middle[0], middle[1], middle[2]), turn=turn)  # type: ignore[arg-type]  # one of KINDS


def without_wire(material: Material, target: str) -> Material:
    """A material without what leads a target, and without the nodes and lays that nothing uses any more."""
    return tidied(replace(material, wires={k: v for k, v in material.wires.items() if k != target}))


def tidied(material: Material) -> Material:
    """A material without nodes that lead nowhere and lays that no picture has."""
    used = behind(material, ends(material))
    nodes = tuple(n for n in material.nodes if n.id in used)
    laid = {n.lay for n in nodes}
    return replace(material, nodes=nodes, lays=tuple(one for one in material.lays if one.id in laid))


def _relief(height: str, lay: Lay, taken: Sequence[str]) -> Node:
    """The node that makes millimetres of a height picture's node."""
    top = round(RELIEF_SHARE * lay.width_mm, 4)
    return Node(id=edits.free_id("relief", taken), kind="range", inputs={"in": f"@{height}", "outlow": 0.0, "outhigh": top})


def with_set(material: Material, found: Sequence[Found], lay: Lay) -> Material:
    """A material with the pictures of a set wired, all with one lay; what led the same before is gone."""
    taken = [f for f in found if f.role != "none"]
    wires = {t for f in taken for t in (("height",) if f.role == "height" else ("base_weight", "specular_roughness", "base_metalness")
             if f.role == "packed" else (_DRIVES[f.role],))}  # fmt: skip
    for target in wires:
        material = without_wire(material, target)
    lay = replace(lay, id=edits.free_id("lay", [one.id for one in material.lays]))
    nodes, led = list(material.nodes), dict(material.wires)
    surface = material.surface

    def put(name: str, one: Found, **own) -> str:
        node = Node(id=edits.free_id(name, [n.id for n in nodes]), kind="image", image=one.asset, file=one.file, lay=lay.id, **own)
        nodes.append(node)
        return node.id

    for one in taken:
        if one.role == "packed":
            for target, channel in (("base_weight", "red"), ("specular_roughness", "green"), ("base_metalness", "blue")):
                led[target] = put(target.replace("_", "-"), one, as_colour=False, channel=channel)
        elif one.role == "height":
            relief = _relief(put("height", one, as_colour=False), lay, [n.id for n in nodes])
            nodes.append(relief)
            led["height"] = relief.id
        else:
            led[_DRIVES[one.role]] = put(
                one.role, one, as_colour=one.role in ("colour", "glow"), green_down=one.green_down and one.role == "normal",
                adjust=Adjust(turned_over=True) if one.role == "gloss" else Adjust(),
            )  # fmt: skip
        if one.role == "glow" and surface.emission_luminance == 0:
            surface = replace(surface, emission_luminance=GLOW_NITS, emission_color=(1.0, 1.0, 1.0))
    return replace(material, surface=surface, nodes=tuple(nodes), wires=led, lays=(*material.lays, lay))


def own_material(document: Document, addresses: list[str], shared: bool) -> tuple[Document, str]:
    """The material of surfaces by address that is about to be changed: a new plain one where they wear none, a copy where others wear it too and
    `shared` is off. Returns the document and its id."""
    worn = get(document, f"{addresses[0]}/material")
    if worn is None:
        fresh = Material(id=edits.new_id(), name=edits.free_name("Pictures", (m.name for m in document.materials.values())))
        return edits.dress(edits.put_material(document, fresh), addresses, fresh.id), fresh.id
    if not shared and not set(edits.wearers(document, worn)) <= set(addresses):
        return edits.make_unique_on(document, addresses)
    return document, worn


def lay_set(
    document: Document, assets: AssetStore, addresses: list[str], found: Sequence[Found], width_mm: float = 0.0, projection: str = "",
    shared: bool = True,
) -> tuple[Document, str]:  # fmt: skip
    """Wire a set on surfaces by address (see `edits.dress`). `width_mm` 0 takes the file's dots, else the part's size. Returns the document and the
    material's id. Raises BadValue."""
    if not any(f.role != "none" for f in found):
        raise BadValue("Say of at least one picture what it is for.")
    part_id = addresses[0].split("/")[1]
    width = width_mm or next((f.width_mm for f in found if f.role != "none" and f.width_mm), 0.0)
    lay = starting_lay(document, assets, part_id, width, projection)
    document, material_id = own_material(document, addresses, shared)
    return edits.put_material(document, with_set(document.materials[material_id], found, lay)), material_id


def lay_picture(
    document: Document, assets: AssetStore, part_id: str, path: Path, drives: str = "base_color", width_mm: float | None = None,
    projection: str = "box",
) -> tuple[Document, str]:  # fmt: skip
    """See `script.lay_picture`."""
    if part_id not in document.parts or document.parts[part_id].mesh is None:
        raise BadValue("A picture needs a part with a surface to lie on.")
    if drives not in (*WIRED, *RELIEF):
        raise BadValue(f"A picture cannot lead {drives}; it can lead {', '.join((*WIRED, *RELIEF))}.")
    if width_mm is not None and not (isinstance(width_mm, (int, float)) and math.isfinite(width_mm) and 1e-4 <= width_mm <= 1e6):
        raise BadValue("The width of a picture has to be above zero.")
    asset, pixels = loaded(assets, path)
    width = float(width_mm) if width_mm is not None else pixels.width_mm
    lay = starting_lay(document, assets, part_id, width, projection)
    document, material_id = own_material(document, edits.every_surface(document, [part_id])[:1], False)
    material = without_wire(document.materials[material_id], drives)
    lay = replace(lay, id=edits.free_id("lay", [one.id for one in material.lays]))
    ids = [n.id for n in material.nodes]
    node = Node(id=edits.free_id(drives.replace("_", "-"), ids), kind="image", image=asset, file=path.name, as_colour=drives in _COLOURS, lay=lay.id)
    nodes, leads = [node], node.id
    if drives in ("height", "coat_height", "displacement"):
        relief = _relief(node.id, lay, [*ids, node.id])
        nodes.append(relief)
        leads = relief.id
    material = replace(material, nodes=(*material.nodes, *nodes), lays=(*material.lays, lay), wires=material.wires | {drives: leads})
    return edits.put_material(document, material), material_id


# fitting


def fitted(document: Document, assets: AssetStore, lay: Lay, part_ids: Sequence[str], along: str = "z") -> Lay:
    """A lay that covers parts once: its projector in the middle of their box, looking along an axis; round them for cylinder, ball and axis. The
    box is taken in the axes of the first part. Raises BadValue for none."""
    chosen = edits.leaves(document, part_ids)
    if not chosen:
        raise BadValue("Choose a part to fit the picture to.")
    worlds = world_matrices(document)
    into = np.linalg.inv(worlds[chosen[0]])
    ends = []
    for part_id in chosen:
        matrix = into @ worlds[part_id]
        ends.append(corners_of(*assets.box(document.parts[part_id].mesh or "")) @ matrix[:3, :3].T + matrix[:3, 3])
    points = np.concatenate(ends)
    low, high = points.min(0), points.max(0)
    turn = AXIS_TURNS[along]
    middle = tuple(float(round(v, 6)) for v in 0.5 * (low + high))
    axes = to_matrix(Placement(turn=turn))[:3, :3]
    size = np.abs(axes.T @ (high - low))
    width, height, deep = (max(1e-3, float(v)) for v in size)
    own = {"position": middle, "turn": turn, "offset_x_mm": 0.0, "offset_y_mm": 0.0}
    if lay.projection in ("cylinder", "axis", "sphere"):
        radius = 0.5 * max(width, height)
        return replace(lay, **own, width_mm=round(2 * math.pi * radius, 4), height_mm=deep, radius_mm=radius if lay.projection != "axis" else 0.0)
    if lay.projection == "flat":
        return replace(lay, **own, width_mm=width, height_mm=height, depth_mm=round(deep * 1.001, 4) if lay.depth_mm > 0 else 0.0)
    return replace(lay, **own, width_mm=float(max(high - low)), height_mm=float(max(high - low)))


def round_axis(lay: Lay, point: np.ndarray, axis: np.ndarray, radius: float) -> Lay:
    """A lay round the axis of a cylinder, its picture once about it."""
    z = np.asarray(axis, float) / np.linalg.norm(axis)
    if z[int(np.argmax(np.abs(z)))] < 0:
        z = -z
    x = np.cross([0.0, 1.0, 0.0] if abs(z[1]) < 0.9 else [0.0, 0.0, 1.0], z)
    x /= np.linalg.norm(x)
    matrix = np.eye(4)
    matrix[:3, :3], matrix[:3, 3] = np.stack([x, np.cross(z, x), z], 1), point
    place = from_matrix(matrix)
    return replace(
        lay, projection="cylinder", position=place.position, turn=place.turn, radius_mm=float(abs(radius)),
        width_mm=round(2 * math.pi * abs(radius), 4),
        offset_x_mm=0.0, offset_y_mm=0.0,
    )  # fmt: skip


def put_lay(document: Document, material_id: str, lay: Lay) -> Document:
    """A material's lay replaced by one with its id."""
    material = document.materials[material_id]
    return edits.put_material(document, replace(material, lays=tuple(lay if one.id == lay.id else one for one in material.lays)))
