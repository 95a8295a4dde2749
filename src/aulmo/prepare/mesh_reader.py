"""OBJ, STL, PLY, glTF, 3MF and USD. Runs only in the reading process: see `read_process`."""

from pathlib import Path
from typing import Any, Callable

import numpy as np

from aulmo.document.meshes import Mesh
from aulmo.errors import BadFile
from aulmo.prepare.raw_mesh import Piece, left_out, linear, mesh_of, number


def read(path: Path, say: Callable[[str, float], None]) -> dict:
    """The parts of a mesh file, in the same form as `cad_reader.read`, with the pictures of its materials in "images". Raises BadFile."""
    say("Reading", 0.1)
    kind = path.suffix.lower()
    if kind in (".gltf", ".glb"):
        from aulmo.prepare import gltf_reader

        return gltf_reader.read(path, say)
    if kind == ".obj":
        from aulmo.prepare import obj_reader

        return obj_reader.read(path, say)
    if kind == ".3mf":
        from aulmo.prepare import threemf_reader

        return threemf_reader.read(path, say)
    if kind.startswith(".usd"):
        from aulmo.prepare import usd_reader

        return usd_reader.read(path, say)
    return _stl(path) if kind == ".stl" else _with_library(path, say)


def _stl(path: Path) -> dict:
    """STL, written in letters or in numbers. Of a damaged file the triangles that are whole are taken."""
    blob = path.read_bytes()
    written = blob[:5].lower() == b"solid" and b"facet" in blob[:2048].lower()
    if written and len(blob) != 84 + 50 * int.from_bytes(blob[80:84], "little"):
        words = [line.split()[1:4] for line in blob.decode("ascii", "replace").splitlines() if line.split()[:1] in (["vertex"], ["VERTEX"])]
        points = np.array([[number(w) for w in three] if len(three) == 3 else [np.nan] * 3 for three in words], float).reshape(-1, 3)
        whole = len(points) // 3
        lost = int(len(points) % 3 > 0)
    else:
        told = int.from_bytes(blob[80:84], "little") if len(blob) >= 84 else 0
        whole = min(told, max(0, len(blob) - 84) // 50)
        lost = min(told, 10_000_000) - whole
        records = np.frombuffer(blob, np.dtype([("normal", "<f4", 3), ("corners", "<f4", (3, 3)), ("mark", "<u2")]), whole, 84 if whole else 0)
        points = records["corners"].reshape(-1, 3).astype(float)
    mesh, gone, _ = mesh_of([Piece(points, np.arange(3 * whole).reshape(-1, 3))])
    if mesh is None:
        raise BadFile("it holds no triangles")
    return _one_part(path, mesh, None, lost + gone)


def _one_part(path: Path, mesh: Mesh, material: dict | None, lost: int) -> dict:
    node = {"name": path.stem, "parent": -1, "matrix": np.eye(4).tolist(), "mesh": 0, "material": material, "key": path.stem}
    notes = ["The file has no unit: taken for millimetres, z up", *left_out(lost)]
    return {"nodes": [node], "meshes": [mesh], "shapes": [], "notes": notes, "up": "z", "unit_mm": 1.0}


def _with_library(path: Path, say: Callable[[str, float], None]) -> dict:
    """PLY."""
    import trimesh

    try:
        geometry = trimesh.load(path, file_type=path.suffix.lower().lstrip("."), process=False, maintain_order=True)
    except MemoryError:
        raise
    except Exception as error:
        raise BadFile("it is damaged or cut short") from error
    if isinstance(geometry, trimesh.PointCloud) or (not hasattr(geometry, "faces") and hasattr(geometry, "vertices")):
        raise BadFile("it holds points alone, and Aulmo needs surfaces")
    if isinstance(geometry, trimesh.Scene):
        geometry = geometry.to_geometry()
    if not isinstance(geometry, trimesh.Trimesh) or len(geometry.faces) == 0:
        raise BadFile("it holds no triangles")
    say("Building meshes", 0.5)
    normals = geometry.vertex_normals if "vertex_normals" in geometry._cache.cache else None
    uv = getattr(geometry.visual, "uv", None)
    mesh, lost, _ = mesh_of([Piece(geometry.vertices, geometry.faces, normals, uv)])
    if mesh is None:
        raise BadFile("it holds no usable triangles")
    material = None
    visual: Any = geometry.visual
    if getattr(visual, "kind", None) in ("face", "vertex"):
        material = {"name": "Painted", "colour": linear(np.asarray(visual.main_color, float)[:3] / 255)}
    return _one_part(path, mesh, material, lost)
