"""OBJ, STL, PLY, glTF and GLB. Runs only in the reading process: see `read_process`."""

from pathlib import Path
from typing import Callable

import numpy as np

from aulmo.document.assets import Mesh
from aulmo.errors import BadFile
from aulmo.prepare.normals import clean_triangles, with_crease_normals

_Y_UP = np.array([[1, 0, 0, 0], [0, 0, -1, 0], [0, 1, 0, 0], [0, 0, 0, 1]], float)


def read(path: Path, say: Callable[[str, float], None]) -> dict:
    """The parts of a mesh file, in the same form as `cad_reader.read`. Raises BadFile."""
    import trimesh

    say("Reading", 0.1)
    kind = path.suffix.lower().lstrip(".")
    scene = trimesh.load_scene(path, file_type=kind, process=False, maintain_order=True)
    is_gltf = kind in ("glb", "gltf")
    nodes: list[dict] = []
    meshes: list[Mesh] = []
    notes: list[str] = []
    sizes: dict[str, int] = {}
    for number, (name, geometry) in enumerate(scene.geometry.items()):
        say("Building meshes", 0.3 + 0.6 * number / max(1, len(scene.geometry)))
        if not isinstance(geometry, trimesh.Trimesh) or len(geometry.faces) == 0:
            continue
        sizes[name] = len(meshes)
        meshes.append(_mesh(geometry))
    if not meshes:
        raise BadFile("it holds no triangles")
    nodes.append({"name": path.stem, "parent": -1, "matrix": np.eye(4).tolist(), "mesh": None, "colour": None, "key": path.stem})
    scale, note = _unit(scene, is_gltf)
    notes.append(note)
    base = np.diag([scale, scale, scale, 1.0]) @ (_Y_UP if is_gltf else np.eye(4))
    scaled = _bake_scale(meshes, scale)
    for node_name in scene.graph.nodes_geometry:
        matrix, geometry_name = scene.graph[node_name]
        if geometry_name not in sizes or not np.isfinite(matrix).all():
            continue
        # the unit goes into the vertices, so that a part's scale stays 1
        place = base @ matrix @ np.diag([1 / scale, 1 / scale, 1 / scale, 1.0])
        material = _material(scene.geometry[geometry_name])
        label = node_name if is_gltf or len(sizes) > 1 else path.stem
        nodes.append(
            {
                "name": str(label),
                "parent": 0,
                "matrix": place.tolist(),
                "mesh": sizes[geometry_name],
                "colour": None,
                "key": f"{path.stem}/{label}",
                **material,
            }
        )
    if len(nodes) == 2:
        nodes = [{**nodes[1], "parent": -1}]
    return {"nodes": nodes, "meshes": scaled, "shapes": [], "notes": notes}


def _unit(scene, is_gltf: bool) -> tuple[float, str]:
    if is_gltf:
        return 1000.0, "glTF is in metres with y up: brought to millimetres with z up"
    size = float(np.max(scene.extents)) if scene.extents is not None else 0.0
    if 0 < size < 2.0:
        return 1000.0, f"The file has no unit; at {size:g} across it was taken for metres"
    return 1.0, "The file has no unit: taken for millimetres, z up"


def _bake_scale(meshes: list[Mesh], scale: float) -> list[Mesh]:
    return [m._replace(vertices=(m.vertices * np.float32(scale))) for m in meshes]


def _mesh(geometry) -> Mesh:
    if "vertex_normals" in geometry._cache.cache:
        vertices, triangles = clean_triangles(geometry.vertices, geometry.faces)
        normals = np.asarray(geometry.vertex_normals, float)
        length = np.linalg.norm(normals, axis=1, keepdims=True)
        if len(normals) == len(vertices) and np.isfinite(normals).all() and (length > 0.1).all():
            vertices = np.where(np.isfinite(vertices), vertices, 0.0)
            return Mesh(vertices.astype(np.float32), (normals / length).astype(np.float32), triangles.astype(np.uint32), np.zeros(0, np.int32))
    return with_crease_normals(geometry.vertices, geometry.faces)


def _material(geometry) -> dict:
    """Base values of a file's material in linear sRGB: colour, metalness, roughness, emission, opacity, name."""
    material = getattr(geometry.visual, "material", None)
    if material is None:
        if geometry.visual.kind in ("face", "vertex"):
            return {"material": {"name": "Painted", "colour": _linear(np.asarray(geometry.visual.main_color, float)[:3] / 255)}}
        return {}
    result: dict = {"name": getattr(material, "name", None) or "Material"}
    factor = getattr(material, "baseColorFactor", None)
    if factor is not None:
        values = np.asarray(factor, float)
        if values.max() > 1.0:
            values = values / 255.0
        result["colour"] = [float(v) for v in values[:3]]
        if len(values) > 3 and values[3] < 1:
            result["opacity"] = float(values[3])
    elif getattr(material, "diffuse", None) is not None:
        result["colour"] = _linear(np.asarray(material.diffuse, float)[:3] / 255)
    for source, target in (("metallicFactor", "metalness"), ("roughnessFactor", "roughness")):
        value = getattr(material, source, None)
        if value is not None:
            result[target] = float(np.clip(value, 0, 1))
    emissive = getattr(material, "emissiveFactor", None)
    if emissive is not None and np.max(emissive) > 0:
        result["emission"] = [float(v) for v in np.asarray(emissive, float)[:3]]
    return {"material": result}


def _linear(display) -> list[float]:
    from aulmo.surface.colour import decode_srgb

    return [float(v) for v in decode_srgb(np.clip(display, 0, 1))]
