"""glTF 2.0 out: meshes and their copies, names, cameras, lamps, materials as far as the format has them, variants, and movement as tracks.

Metres, y up. A part is a node with its own place; equal meshes with equal materials are one mesh. OpenPBR goes to the metallic-roughness model and
the ratified extensions of the Khronos group; what has no counterpart is told in sentences.
"""

import json
import math
import struct
from pathlib import Path
from typing import Any, Mapping

import numpy as np
from msgspec.structs import replace

from aulmo import __version__
from aulmo.deliver.baked import Baker, Pictures, baked_meshes
from aulmo.deliver.for_others import body_colour, faces_worn, frame_times, lost, moving_things, rgb
from aulmo.document import variants
from aulmo.document.assets import AssetStore
from aulmo.document.lens import half_tangent
from aulmo.document.placement import turn_matrix
from aulmo.document.properties import resolve
from aulmo.document.records import Camera, Document, Lamp, Material, Part, Placement, Surface
from aulmo.document.writing import write_atomically
from aulmo.errors import BadValue
from aulmo.frame.camera import camera_axes
from aulmo.light.photometry import tint
from aulmo.surface.colour import ACESCG_TO_SRGB

METRE = 0.001  # of a millimetre
UP = np.array([[1.0, 0, 0], [0, 0, 1], [0, -1, 0]])  # z up to y up
MOST_VARIANTS = 200
FLOAT, USHORT, UINT = 5126, 5123, 5125


def quaternion(matrix: np.ndarray) -> list[float]:
    """x, y, z, w of a rotation (3, 3) (Shepperd 1978: from the largest of the four, so that none is lost to rounding)."""
    m = matrix
    four = np.array([1 + m[0, 0] - m[1, 1] - m[2, 2], 1 - m[0, 0] + m[1, 1] - m[2, 2], 1 - m[0, 0] - m[1, 1] + m[2, 2], 1 + np.trace(m)])
    k = int(np.argmax(four))
    rows = [
        [four[0], m[0, 1] + m[1, 0], m[0, 2] + m[2, 0], m[2, 1] - m[1, 2]],
        [m[0, 1] + m[1, 0], four[1], m[1, 2] + m[2, 1], m[0, 2] - m[2, 0]],
        [m[0, 2] + m[2, 0], m[1, 2] + m[2, 1], four[2], m[1, 0] - m[0, 1]],
        [m[2, 1] - m[1, 2], m[0, 2] - m[2, 0], m[1, 0] - m[0, 1], four[3]],
    ]
    found = np.array(rows[k])
    return [float(v) for v in found / np.linalg.norm(found)]


class _Writer:
    """Gathers the JSON and the binary of one file."""

    def __init__(self) -> None:
        self.blob = bytearray()
        self.views: list[dict] = []
        self.accessors: list[dict] = []
        self.used: set[str] = set()
        self.notes: dict[str, None] = {}
        self.images: list[dict] = []
        self._known_images: dict[bytes, int] = {}

    def image(self, blob: bytes) -> dict[str, int]:
        """A texture of a PNG, the same for the same picture."""
        if blob not in self._known_images:
            self.blob += bytes(-len(self.blob) % 4)
            self.views.append({"buffer": 0, "byteOffset": len(self.blob), "byteLength": len(blob)})
            self.blob += blob
            self._known_images[blob] = len(self.images)
            self.images.append({"bufferView": len(self.views) - 1, "mimeType": "image/png"})
        return {"index": self._known_images[blob]}

    def note(self, words: str) -> None:
        """A sentence on what is lost, said once."""
        self.notes.setdefault(words)

    def put(self, array: np.ndarray, kind: str, target: int | None = None, ends: bool = False) -> int:
        """An accessor of an array, `kind` as "VEC3"; returns its number."""
        codes = {np.dtype(np.float32): FLOAT, np.dtype(np.uint16): USHORT, np.dtype(np.uint32): UINT}
        array = np.ascontiguousarray(array)
        self.blob += bytes(-len(self.blob) % 4)
        view = {"buffer": 0, "byteOffset": len(self.blob), "byteLength": array.nbytes}
        if target is not None:
            view["target"] = target
        self.views.append(view)
        self.blob += array.tobytes()
        accessor: dict[str, Any] = {
            "bufferView": len(self.views) - 1, "componentType": codes[array.dtype], "count": len(array), "type": kind,
        }  # fmt: skip
        if ends:
            flat = array.reshape(len(array), -1)
            accessor["min"], accessor["max"] = [float(v) for v in flat.min(0)], [float(v) for v in flat.max(0)]
        self.accessors.append(accessor)
        return len(self.accessors) - 1


def material_of(material: Material, writer: _Writer, baked: Pictures | None = None) -> dict[str, Any]:
    """A material as glTF has it, with what was baked of it: Khronos, glTF 2.0, 3.9 and the extensions KHR_materials_*."""
    s: Surface = material.surface
    more: dict[str, Any] = {}
    made: dict[str, Any] = {"name": material.name}
    base = body_colour(s)
    if s.transmission_weight > 0:
        tinted = np.array(s.transmission_color) if s.transmission_depth <= 0 else np.ones(3)
        base = base * (1 - s.transmission_weight) + tinted * s.transmission_weight
    pbr: dict[str, Any] = {
        "baseColorFactor": [*rgb(tuple(base)), float(s.geometry_opacity)], "metallicFactor": float(s.base_metalness),
        "roughnessFactor": float(np.clip(s.specular_roughness, 0, 1)),
    }  # fmt: skip
    made["pbrMetallicRoughness"] = pbr
    if s.geometry_opacity < 1:
        made["alphaMode"] = "BLEND"
    if s.specular_ior != 1.5:
        more["KHR_materials_ior"] = {"ior": float(max(1.0, s.specular_ior))}
    if s.specular_weight != 1.0 or s.specular_color != (1.0, 1.0, 1.0):
        more["KHR_materials_specular"] = {"specularFactor": float(min(1.0, s.specular_weight)), "specularColorFactor": rgb(s.specular_color)}
    if s.transmission_weight > 0:
        more["KHR_materials_transmission"] = {"transmissionFactor": float(s.transmission_weight)}
        if not s.geometry_thin_walled:
            volume: dict[str, Any] = {"thicknessFactor": 1.0 * METRE}
            if s.transmission_depth > 0:
                volume |= {"attenuationDistance": s.transmission_depth * METRE, "attenuationColor": rgb(s.transmission_color)}
            more["KHR_materials_volume"] = volume
            if s.transmission_dispersion_scale > 0:
                more["KHR_materials_dispersion"] = {"dispersion": 20.0 * s.transmission_dispersion_scale / s.transmission_dispersion_abbe_number}
        else:
            made["doubleSided"] = True
    if s.coat_weight > 0:
        more["KHR_materials_clearcoat"] = {"clearcoatFactor": float(min(1.0, s.coat_weight)), "clearcoatRoughnessFactor": float(s.coat_roughness)}
    if s.fuzz_weight > 0:
        fuzz = rgb(s.fuzz_color, s.fuzz_weight)
        more["KHR_materials_sheen"] = {"sheenColorFactor": fuzz, "sheenRoughnessFactor": float(s.fuzz_roughness)}
    if s.thin_film_weight > 0:
        nanometres = 1000.0 * s.thin_film_thickness
        more["KHR_materials_iridescence"] = {
            "iridescenceFactor": float(min(1.0, s.thin_film_weight)), "iridescenceIor": float(max(1.0, s.thin_film_ior)),
            "iridescenceThicknessMinimum": nanometres, "iridescenceThicknessMaximum": nanometres,
        }  # fmt: skip
    if s.specular_roughness_anisotropy > 0:
        more["KHR_materials_anisotropy"] = {
            "anisotropyStrength": float(s.specular_roughness_anisotropy), "anisotropyRotation": math.radians(s.geometry_tangent_turn),
        }  # fmt: skip
    if s.emission_luminance > 0:
        light = np.maximum(ACESCG_TO_SRGB @ np.array(s.emission_color, float), 0.0)
        top = float(max(light.max(), 1e-6))
        made["emissiveFactor"] = [float(v) for v in np.clip(light / top, 0, 1)]
        strength = top * s.emission_luminance
        if strength != 1.0:
            more["KHR_materials_emissive_strength"] = {"emissiveStrength": float(strength)}
    if baked is not None:
        pbr |= {"baseColorFactor": [1.0, 1.0, 1.0, 1.0], "metallicFactor": 1.0, "roughnessFactor": 1.0}
        pbr |= {"baseColorTexture": writer.image(baked.colour), "metallicRoughnessTexture": writer.image(baked.rough_metal)}
        made.pop("alphaMode", None)
        if not baked.opaque:
            made["alphaMode"] = "BLEND"
        if baked.clear:
            more["KHR_materials_transmission"] = {"transmissionFactor": 1.0, "transmissionTexture": writer.image(baked.clear)}
    for words in lost(material, baked is not None):
        writer.note(words)
    if s.subsurface_weight > 0:
        writer.note(f"{material.name}: light that goes below the surface is left out; its colour stays.")
    if more:
        made["extensions"] = more
        writer.used |= set(more)
    return made


class _Materials:
    """Materials of a file, each once."""

    def __init__(self, writer: _Writer) -> None:
        self.writer, self.made, self._known = writer, [], {}  # type: ignore[var-annotated]

    def number(self, material: Material | None, baked: Pictures | None = None) -> int | None:
        """The number of a material, with what was baked of it; None for none."""
        if material is None:
            return None
        key = json.dumps(material_of(material, self.writer, baked), sort_keys=True)
        if key not in self._known:
            self._known[key] = len(self.made)
            self.made.append(json.loads(key))
        return self._known[key]


def _local(placement: Placement) -> dict[str, Any]:
    """A node's place: scaled, turned, moved."""
    fields: dict[str, Any] = {}
    if placement.position != (0.0, 0.0, 0.0):
        fields["translation"] = [v * METRE for v in placement.position]
    if placement.turn != (0.0, 0.0, 0.0):
        fields["rotation"] = quaternion(turn_matrix(placement.turn))
    if placement.scale != (1.0, 1.0, 1.0):
        fields["scale"] = list(placement.scale)
    return fields


def _camera(camera: Camera, ratio: float) -> tuple[dict[str, Any], dict[str, Any]] | None:
    """A camera and its node, in metres and y up; None for a full sphere, which the format does not know."""
    if camera.projection == "panorama":
        return None
    right, up, forward = (UP @ np.array(v) for v in camera_axes(camera))
    node = {
        "name": camera.name, "translation": [float(v) * METRE for v in UP @ np.array(camera.position)],
        "rotation": quaternion(np.stack([right, up, -forward], 1)),
    }  # fmt: skip
    if camera.projection == "parallel":
        half = 0.5 * camera.span_mm * METRE
        flat = {"xmag": half, "ymag": half / ratio, "znear": 0.001, "zfar": 1000.0}
        return {"name": camera.name, "type": "orthographic", "orthographic": flat}, node
    tall = 2 * math.atan(half_tangent(camera) / ratio)
    near = max(0.001, camera.near_mm * METRE)
    return {"name": camera.name, "type": "perspective", "perspective": {"yfov": tall, "aspectRatio": ratio, "znear": near, "zfar": 1000.0}}, node


def _lamp(lamp: Lamp, writer: _Writer) -> tuple[dict[str, Any], dict[str, Any]] | None:
    """A lamp and its node (KHR_lights_punctual: candela, lux); None for what the format does not know."""
    if lamp.kind == "portal":
        return None
    turn = UP @ turn_matrix(lamp.turn)
    node = {"name": lamp.name, "translation": [float(v) * METRE for v in UP @ np.array(lamp.position)], "rotation": quaternion(turn)}
    colour = np.maximum(ACESCG_TO_SRGB @ tint(lamp.kelvin, lamp.colour), 0.0)
    power = lamp.power * 2.0**lamp.stops
    made: dict[str, Any] = {"name": lamp.name, "color": [float(v) for v in np.clip(colour / max(float(colour.max()), 1e-6), 0, 1)]}
    if lamp.kind in ("distant", "sun"):
        made |= {"type": "directional", "intensity": power}
        if lamp.unit != "lux":
            writer.note(f"{lamp.name}: its brightness is told in {lamp.unit}, and glTF wants lux of a distant light.")
        return made, node
    area = {"rectangle": lamp.width * lamp.height, "disc": math.pi / 4 * lamp.width**2}.get(lamp.kind, 0.0) * METRE**2
    spread = 4 * math.pi if lamp.kind in ("sphere", "point", "tube", "photometric") else math.pi
    if lamp.kind == "spot":
        half = math.radians(min(179.0, lamp.cone) / 2)
        spread = 2 * math.pi * (1 - math.cos(half))
        outer = min(half, math.pi / 2)
        made |= {"type": "spot", "spot": {"outerConeAngle": outer, "innerConeAngle": outer * (1 - lamp.softness) * 0.999}}
    else:
        made["type"] = "point"
        if lamp.kind not in ("point", "sphere"):
            writer.note(f"{lamp.name}: a {lamp.kind} lamp becomes a point in glTF.")
    made["intensity"] = power if lamp.unit == "candela" else power * area if lamp.unit == "nit" else power / spread
    return made, node


def export_gltf(
    document: Document, assets: AssetStore, out: Path, choices: Mapping[str, str] | None = None, moving: bool = True, finesse: str = "fine"
) -> list[str]:  # fmt: skip
    """Write a project as a .glb; returns sentences on what is lost. What nodes, layers and decals colour is baked, in pictures of a `finesse` (see
    `baked.SIDES`). Raises BadValue for a name of another kind, or for nothing to write."""
    out = Path(out)
    if out.suffix.lower() != ".glb":
        raise BadValue(f"{out.name} should end in .glb.")
    if not out.parent.is_dir():
        raise BadValue(f"There is no folder {out.parent} to write to.")
    base = variants.chosen(document, choices or {})
    start = base.film.start
    seen = resolve(base, {}, start)
    writer = _Writer()
    materials = _Materials(writer)
    offered = _variants(base) if not choices else []
    resolved = [resolve(base, row, start) for row in offered]
    gltf: dict[str, Any] = {"asset": {"version": "2.0", "generator": f"Aulmo {__version__}"}, "scene": 0}
    nodes: list[dict[str, Any]] = [{"name": base.name, "rotation": quaternion(UP)}]
    numbers: dict[str, int] = {}
    meshes: list[dict[str, Any]] = []
    known: dict[tuple, int] = {}
    shapes: dict[tuple[str, bool], tuple] = {}
    baker, laid_flat = Baker(assets, finesse), baked_meshes([seen, *resolved])

    def shape(name: str, unwrapped: bool) -> tuple:
        if (name, unwrapped) not in shapes:
            mesh = baker.flat(name) if unwrapped else assets.mesh(name)
            attributes = {
                "POSITION": writer.put((mesh.vertices * METRE).astype(np.float32), "VEC3", 34962, True),
                "NORMAL": writer.put(_unit(mesh.normals), "VEC3", 34962),
            }  # fmt: skip
            if len(mesh.uv) == len(mesh.vertices):
                flipped = np.stack([mesh.uv[:, 0], 1 - mesh.uv[:, 1]], 1).astype(np.float32)
                attributes["TEXCOORD_0"] = writer.put(flipped, "VEC2", 34962)
            shapes[name, unwrapped] = (mesh, attributes, {})
        return shapes[name, unwrapped]

    def mesh_of(part: Part) -> int | None:
        then = [(other, other.parts.get(part.id, part)) for other in resolved]
        own, theirs = baker.pictures(seen, part), [baker.pictures(d, p) for d, p in then]
        mesh, attributes, indices = shape(part.mesh or "", part.mesh in laid_flat)
        primitives, key = [], [part.mesh]
        for worn, triangles in faces_worn(part, mesh):
            if not len(triangles):
                continue
            told = triangles.tobytes()
            if told not in indices:
                flat = triangles.reshape(-1)
                small = flat.astype(np.uint16) if len(mesh.vertices) < 65535 else flat.astype(np.uint32)
                indices[told] = writer.put(small, "SCALAR", 34963)
            primitive: dict[str, Any] = {"attributes": attributes, "indices": indices[told]}
            number = materials.number(seen.materials.get(worn or ""), own)
            if number is not None:
                primitive["material"] = number
            mapped: dict[int, list[int]] = {}
            for k, (other, held) in enumerate(then):
                there = materials.number(other.materials.get(_worn_then(part, held, worn) or ""), theirs[k])
                if there is not None:
                    mapped.setdefault(there, []).append(k)
            if mapped and set(mapped) != {number}:
                primitive["extensions"] = {"KHR_materials_variants": {"mappings": [{"material": m, "variants": v} for m, v in mapped.items()]}}
                writer.used.add("KHR_materials_variants")
            primitives.append(primitive)
            key.append(json.dumps(primitive, sort_keys=True))
        if not primitives:
            return None
        if tuple(key) not in known:
            known[tuple(key)] = len(meshes)
            meshes.append({"name": part.name, "primitives": primitives})
        return known[tuple(key)]

    def add(part_id: str, shown: bool) -> int | None:
        part = seen.parts[part_id]
        if not (shown and part.visible):
            return None
        node: dict[str, Any] = {"name": part.name, **_local(part.placement)}
        if part.mesh is not None:
            number = mesh_of(part)
            if number is not None:
                node["mesh"] = number
        children = [c for c in (add(i, True) for i in part.children) if c is not None]
        if children:
            node["children"] = children
        nodes.append(node)
        numbers[part_id] = len(nodes) - 1
        return numbers[part_id]

    tops = [c for c in (add(i, True) for i in seen.roots) if c is not None]
    if not meshes:
        raise BadValue("There is nothing to write: no part is seen.")
    nodes[0]["children"] = tops
    roots = [0]
    cameras: list[dict] = []
    lights: list[dict] = []
    shots = {s.camera: s.width / s.height for s in reversed(seen.shots)}
    for camera in seen.cameras.values():
        held = _camera(camera, shots.get(camera.id, 16 / 9))
        if held is not None:
            nodes.append({**held[1], "camera": len(cameras)})
            cameras.append(held[0])
            roots.append(len(nodes) - 1)
            numbers[f"cameras/{camera.id}"] = roots[-1]
    for lamp in seen.lamps.values():
        made = _lamp(lamp, writer) if lamp.on else None
        if made is not None:
            nodes.append({**made[1], "extensions": {"KHR_lights_punctual": {"light": len(lights)}}})
            lights.append(made[0])
            roots.append(len(nodes) - 1)
    if seen.environment.softboxes or seen.environment.kind != "colour":
        writer.note("The dome is left out: glTF has no word for it.")
    tracks = _tracks(base, writer, numbers) if moving else None
    gltf |= {"scenes": [{"name": base.name, "nodes": roots}], "nodes": nodes, "meshes": meshes}
    if materials.made:
        gltf["materials"] = materials.made
    if writer.images:
        gltf["images"], gltf["samplers"] = writer.images, [{"magFilter": 9729, "minFilter": 9987}]
        gltf["textures"] = [{"sampler": 0, "source": k} for k in range(len(writer.images))]
    if cameras:
        gltf["cameras"] = cameras
    if tracks:
        gltf["animations"] = [tracks]
    extensions: dict[str, Any] = {}
    if lights:
        writer.used.add("KHR_lights_punctual")
        extensions["KHR_lights_punctual"] = {"lights": lights}
    if "KHR_materials_variants" in writer.used:
        extensions["KHR_materials_variants"] = {"variants": [{"name": " · ".join(row.values())} for row in offered]}
        if any(_shown(o) != _shown(seen) for o in resolved):
            writer.note("Variants change materials alone in glTF: parts that come and go, and other places, are left as in the base.")
    if extensions:
        gltf["extensions"] = extensions
    if writer.used:
        gltf["extensionsUsed"] = sorted(writer.used)
    gltf |= {"accessors": writer.accessors, "bufferViews": writer.views, "buffers": [{"byteLength": len(writer.blob) + -len(writer.blob) % 4}]}
    blob = _glb(gltf, bytes(writer.blob))
    write_atomically(out, lambda file: file.write(blob))
    return list(writer.notes)


def _shown(document: Document) -> list[tuple[str, bool, Placement]]:
    return [(p.id, p.visible, p.placement) for p in document.parts.values()]


def _worn_then(part: Part, then: Part, worn: str | None) -> str | None:
    """What a variant wears where the base wears a material: the body's, or the same face set's."""
    for now, other in zip(part.face_sets, then.face_sets):
        if now.material == worn:
            return other.material
    return then.material if part.material == worn else worn


def _unit(normals: np.ndarray) -> np.ndarray:
    """Normals of length one, which the format asks for; what has none looks up."""
    length = np.linalg.norm(normals, axis=1, keepdims=True)
    return np.where(length > 1e-9, normals / np.maximum(length, 1e-9), np.array([0.0, 0.0, 1.0])).astype(np.float32)


def _variants(document: Document) -> list[dict[str, str]]:
    """The combinations that a file can offer: of all axes that have choices."""
    axes = [a.id for a in document.axes if a.choices]
    if not axes or variants.count(document, axes) > MOST_VARIANTS:
        return []
    return variants.every(document, axes)


def _tracks(document: Document, writer: _Writer, numbers: dict[str, int]) -> dict[str, Any] | None:
    """All that moves, at every frame of the film, as tracks of turns, places and sizes."""
    moved, eyes = moving_things(document, numbers)
    if not moved and not eyes:
        return None
    film, times = document.film, frame_times(document)
    count = len(times)
    moments = [resolve(document, {}, float(t)) for t in times]
    clock = writer.put((times - film.start).astype(np.float32), "SCALAR", None, True)
    samplers: list[dict] = []
    channels: list[dict] = []

    def track(node: int, path: str, values: np.ndarray) -> None:
        if np.abs(values - values[0]).max() < 1e-9:
            return
        samplers.append({"input": clock, "output": writer.put(values.astype(np.float32), "VEC4" if path == "rotation" else "VEC3"),
                         "interpolation": "LINEAR"})  # fmt: skip
        channels.append({"sampler": len(samplers) - 1, "target": {"node": node, "path": path}})

    for part_id in moved:
        places = [m.parts[part_id].placement for m in moments]
        track(numbers[part_id], "translation", np.array([p.position for p in places]) * METRE)
        track(numbers[part_id], "rotation", _near(np.array([quaternion(turn_matrix(p.turn)) for p in places])))
        track(numbers[part_id], "scale", np.array([p.scale for p in places]))
    for camera_id in eyes:
        held = [_camera(replace(m.cameras[camera_id], name=""), 1.0) for m in moments]
        found = [h[1] for h in held if h is not None]
        if len(found) == count:
            track(numbers[f"cameras/{camera_id}"], "translation", np.array([n["translation"] for n in found]))
            track(numbers[f"cameras/{camera_id}"], "rotation", _near(np.array([n["rotation"] for n in found])))
    return {"name": "Film", "samplers": samplers, "channels": channels} if channels else None


def _near(turns: np.ndarray) -> np.ndarray:
    """Quaternions each on the side of the one before: a turn goes the short way."""
    turns = turns.copy()
    for k in range(1, len(turns)):
        if float(turns[k] @ turns[k - 1]) < 0:
            turns[k] *= -1
    return turns


def _glb(gltf: dict, blob: bytes) -> bytes:
    """The binary container (glTF 2.0, 4.4)."""
    told = json.dumps(gltf, separators=(",", ":")).encode()
    told += b" " * (-len(told) % 4)
    blob += bytes(-len(blob) % 4)
    head = struct.pack("<4sII", b"glTF", 2, 12 + 8 + len(told) + 8 + len(blob))
    return head + struct.pack("<I4s", len(told), b"JSON") + told + struct.pack("<I4s", len(blob), b"BIN\0") + blob
