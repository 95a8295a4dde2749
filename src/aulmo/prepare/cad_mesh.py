"""Triangles of exact shapes, many at once, and exact shapes as bytes. Runs only in the reading process: see `read_process`."""

import io
from typing import Callable, Iterable, Iterator, Sequence

import numpy as np

from aulmo.document.meshes import Mesh
from aulmo.errors import BadFile

BATCH_FACES = 1500  # meshed together, so that both cores have work


def matrix_of(location) -> np.ndarray:
    """(4, 4) of a place of the CAD kernel."""
    t = location.Transformation()
    return np.array([[t.Value(r, c) for c in range(1, 5)] for r in range(1, 4)] + [[0, 0, 0, 1]], float)


def compound(shapes: Iterable):
    """Shapes in one."""
    from OCP.BRep import BRep_Builder
    from OCP.TopoDS import TopoDS_Compound

    made, builder = TopoDS_Compound(), BRep_Builder()
    builder.MakeCompound(made)
    for shape in shapes:
        builder.Add(made, shape)
    return made


def faces_of(shape) -> list:
    """The faces of a shape in the order that numbers them."""
    from OCP.TopAbs import TopAbs_FACE
    from OCP.TopExp import TopExp_Explorer
    from OCP.TopoDS import TopoDS

    found = []
    explorer = TopExp_Explorer(shape, TopAbs_FACE)
    while explorer.More():
        found.append(TopoDS.Face_s(explorer.Current()))
        explorer.Next()
    return found


def tessellate(shapes: Sequence, chord_mm: float, angle: float, done: Callable[[int], None] = lambda count: None) -> list[Mesh | None]:
    """Triangles of exact shapes with the surfaces' own normals; None for one without faces. `done` is told how many are ready."""
    from OCP.BRepMesh import BRepMesh_IncrementalMesh
    from OCP.BRepTools import BRepTools

    faces = [faces_of(shape) for shape in shapes]
    meshes: list[Mesh | None] = []
    while len(meshes) < len(shapes):
        start = end = len(meshes)
        count = 0
        while end < len(shapes) and (count == 0 or count + len(faces[end]) <= BATCH_FACES):
            count += len(faces[end])
            end += 1
        together = compound(shapes[start:end])
        BRepTools.Clean_s(together)
        BRepMesh_IncrementalMesh(together, chord_mm, False, float(np.radians(angle)), True)
        patches = _patches([face for k in range(start, end) for face in faces[k]])
        for k in range(start, end):
            meshes.append(_joined([next(patches) for _ in faces[k]]))
        BRepTools.Clean_s(together)
        done(end)
    return meshes


Patch = tuple[np.ndarray, np.ndarray, np.ndarray]


def _patches(faces: list) -> Iterator[Patch | None]:
    """Points (n, 3), normals (n, 3) and triangles (m, 3) of faces that were meshed, in their shape's axes; None where there are none."""
    from OCP.BRep import BRep_Tool
    from OCP.BRepLib import BRepLib_ToolTriangulatedShape
    from OCP.TopAbs import TopAbs_REVERSED
    from OCP.TopLoc import TopLoc_Location

    held: list = []
    for face in faces:
        location = TopLoc_Location()
        patch = BRep_Tool.Triangulation_s(face, location)
        if patch is None or patch.NbTriangles() == 0:
            held.append(None)
            continue
        BRepLib_ToolTriangulatedShape.ComputeNormals_s(face, patch)
        held.append((patch, None if location.IsIdentity() else matrix_of(location), face.Orientation() == TopAbs_REVERSED))
    wanted = [h[0] for h in held if h is not None]
    arrays = iter(_arrays(wanted))
    for entry in held:
        if entry is None:
            yield None
            continue
        points, normals, cells = next(arrays)
        _, matrix, turned = entry
        if turned:
            cells = cells[:, [0, 2, 1]]
        if matrix is not None:
            points, normals = points @ matrix[:3, :3].T + matrix[:3, 3], normals @ matrix[:3, :3].T
        yield points, normals, cells


def _arrays(triangulations: list) -> list[Patch]:
    """What triangulations hold. The kernel writes them to memory in its binary form (no call for each point) and they are taken from there."""
    from OCP.BinTools import BinTools, BinTools_FormatVersion_VERSION_4
    from OCP.BRep import BRep_Builder
    from OCP.TopoDS import TopoDS_Face

    if not triangulations:
        return []
    builder, bare = BRep_Builder(), []
    for triangulation in triangulations:
        face = TopoDS_Face()
        builder.MakeFace(face, triangulation)
        bare.append(face)
    out = io.BytesIO()
    BinTools.Write_s(compound(bare), out, True, True, BinTools_FormatVersion_VERSION_4)
    data = out.getvalue()
    mark = b"\nTriangulations "
    at = data.index(mark, data.index(b"\nSurfaces ")) + len(mark)
    end = data.index(b"\n", at)
    count, at = int(data[at:end]), end + 1
    if count != len(triangulations):  # one patch lies on two faces, and is written once
        return [_arrays([t])[0] for t in triangulations]
    found = []
    for _ in range(count):
        nodes, cells = (int(v) for v in np.frombuffer(data, "<i4", 2, at))
        has_uv, has_normals = data[at + 8], data[at + 9]
        at += 18  # two counts, two marks, the largest gap
        points = np.frombuffer(data, "<f8", 3 * nodes, at).reshape(-1, 3)
        at += 24 * nodes + (16 * nodes if has_uv else 0)
        triangles = np.frombuffer(data, "<i4", 3 * cells, at).reshape(-1, 3).astype(np.int64) - 1
        at += 12 * cells
        if has_normals:
            normals = np.frombuffer(data, "<f4", 3 * nodes, at).reshape(-1, 3).astype(float)
            at += 12 * nodes
        else:
            normals = np.zeros((nodes, 3))
        found.append((points, normals, triangles))
    return found


def _joined(patches: list[Patch | None]) -> Mesh | None:
    """One mesh of a shape's faces."""
    there = [(number, patch) for number, patch in enumerate(patches) if patch is not None]
    if not there:
        return None
    starts = np.cumsum([0] + [len(patch[0]) for _, patch in there])
    points = np.concatenate([patch[0] for _, patch in there])
    directions = np.concatenate([patch[1] for _, patch in there])
    cells = np.concatenate([patch[2] + start for start, (_, patch) in zip(starts, there)])
    face_ids = np.repeat([number for number, _ in there], [len(patch[2]) for _, patch in there])
    p = points[cells]
    flat = np.cross(p[:, 1] - p[:, 0], p[:, 2] - p[:, 0])
    kept = np.isfinite(flat).all(1) & (np.linalg.norm(flat, axis=1) > 1e-14)
    cells, face_ids, flat = cells[kept], face_ids[kept], flat[kept]
    if len(cells) == 0:
        return None
    points = np.where(np.isfinite(points), points, 0.0)
    directions = np.where(np.isfinite(directions), directions, 0.0)
    # the kernel's normals may point into the material; the triangles' winding decides
    against = np.zeros(len(points))
    for corner in range(3):
        against += np.bincount(cells[:, corner], (directions[cells[:, corner]] * flat).sum(1), len(points))
    directions[against < 0] *= -1
    length = np.linalg.norm(directions, axis=1, keepdims=True)
    bare = length[:, 0] < 1e-9
    if bare.any():  # a point without a normal, as at the tip of a cone: that of the triangles round it
        for axis in range(3):
            directions[bare, axis] = np.sum([np.bincount(cells[:, c], flat[:, axis], len(points)) for c in range(3)], 0)[bare]
        length = np.linalg.norm(directions, axis=1, keepdims=True)
    directions = np.where(length > 1e-30, directions / np.maximum(length, 1e-30), [[0.0, 0.0, 1.0]])
    return Mesh(points.astype(np.float32), directions.astype(np.float32), cells.astype(np.uint32), face_ids.astype(np.int32))


def to_blob(shape) -> bytes:
    """An exact shape as bytes, without its triangles."""
    from OCP.BinTools import BinTools, BinTools_FormatVersion_VERSION_4

    out = io.BytesIO()
    BinTools.Write_s(shape, out, False, False, BinTools_FormatVersion_VERSION_4)
    return out.getvalue()


def from_blob(blob: bytes):
    """An exact shape from what `to_blob` gave. Raises BadFile."""
    from OCP.BinTools import BinTools
    from OCP.TopoDS import TopoDS_Shape

    shape = TopoDS_Shape()
    BinTools.Read_s(shape, io.BytesIO(blob))
    if shape.IsNull():
        raise BadFile("the exact shape kept in the project is damaged")
    return shape


def placed(shape, matrix):
    """An exact shape turned and moved by a rigid (4, 4) matrix."""
    from OCP.gp import gp_Trsf
    from OCP.TopLoc import TopLoc_Location

    where = gp_Trsf()
    where.SetValues(*[float(v) for row in matrix[:3] for v in row])
    return shape.Moved(TopLoc_Location(where))


def scaled(shape, factor: float):
    """An exact shape made larger about its own origin."""
    from OCP.BRepBuilderAPI import BRepBuilderAPI_Transform
    from OCP.gp import gp_Pnt, gp_Trsf

    larger = gp_Trsf()
    larger.SetScale(gp_Pnt(0, 0, 0), factor)
    return BRepBuilderAPI_Transform(shape, larger, True).Shape()
