"""USD in all its forms, by the standard's own library. Runs only in the reading process."""

import math
from pathlib import Path
from typing import Any, Callable

import numpy as np

from aulmo.document.beside import is_allowed
from aulmo.document.meshes import Mesh
from aulmo.errors import BadFile
from aulmo.prepare.file_cameras import noted, placed_in_file
from aulmo.prepare.file_motion import MOST_SAMPLES, samples
from aulmo.prepare.raw_mesh import Piece, fans, left_out, mesh_of, with_geometry, worn_by

_INPUTS = {
    "metallic": "base_metalness", "roughness": "specular_roughness", "ior": "specular_ior", "clearcoat": "coat_weight",
    "clearcoatRoughness": "coat_roughness",
}  # fmt: skip


def read(path: Path, say: Callable[[str, float], None]) -> dict:
    """The prims of a stage in their tree, a face set for each further material of a mesh. Raises BadFile."""
    from pxr import Usd

    try:
        stage = Usd.Stage.Open(str(path))
    except Exception as error:
        raise BadFile("it is not a readable USD file") from error
    if stage is None:
        raise BadFile("it is not a readable USD file")
    for layer in stage.GetUsedLayers():
        if layer.realPath and not is_allowed(Path(layer.realPath.split("[")[0]), path.parent):
            raise BadFile(f"it wants {Path(layer.realPath).name}, which does not lie beside it or below it")
    return _Stage(path, stage, say).result()


# inputs that pictures lead, what they are here, and whether their values are colours
_LED = {
    "diffuseColor": ("base_color", True), "metallic": ("base_metalness", False), "roughness": ("specular_roughness", False),
    "clearcoat": ("coat_weight", False), "clearcoatRoughness": ("coat_roughness", False), "normal": ("normal", False),
    "opacity": ("geometry_opacity", False), "emissiveColor": ("emission_color", True), "occlusion": ("base_weight", False),
    "displacement": ("height", False),
}  # fmt: skip


class _Stage:
    def __init__(self, path: Path, stage, say) -> None:
        from pxr import UsdGeom

        self.path, self.stage, self.say = path, stage, say
        self.scale = float(UsdGeom.GetStageMetersPerUnit(stage)) * 1000.0
        self.scale = self.scale if 1e-9 < self.scale < 1e12 else 1.0
        self.up = "y" if str(UsdGeom.GetStageUpAxis(stage)).upper() == "Y" else "z"
        self.meshes: list[Mesh] = []
        self.nodes: list[dict] = []
        self.cameras: list[dict] = []
        self.built: dict[str, dict | None] = {}
        self.lost = self.broken = self.flat = self.missing = 0
        self.images: list[bytes] = []

    def result(self) -> dict:
        from pxr import Usd, UsdGeom

        self.nodes.append({"name": self.path.stem, "parent": -1, "matrix": np.eye(4).tolist(), "mesh": None, "key": self.path.stem})
        at: dict[str, int] = {}
        prims = [p for p in self.stage.Traverse(Usd.TraverseInstanceProxies()) if p.IsA(UsdGeom.Xformable) or p.IsA(UsdGeom.Scope)]
        for number, prim in enumerate(prims):
            self.say("Building meshes", 0.2 + 0.7 * number / max(1, len(prims)))
            if UsdGeom.Imageable(prim).ComputePurpose() in ("guide", "proxy"):
                continue
            above = at.get(str(prim.GetPath().GetParentPath()), 0)
            entry = {
                "name": prim.GetDisplayName() or prim.GetName(), "parent": above, "matrix": self._local(prim).tolist(), "mesh": None,
                "key": f"{self.path.stem}{prim.GetPath()}", "hidden": UsdGeom.Imageable(prim).ComputeVisibility() == "invisible",
                "moves": self._moves(prim),
            }  # fmt: skip
            self.nodes.append({**entry, **(self._shape(prim) or {})})
            at[str(prim.GetPath())] = len(self.nodes) - 1
            if prim.IsA(UsdGeom.Camera):
                self._camera(UsdGeom.Camera(prim), entry["name"])
            if prim.IsA(UsdGeom.PointInstancer):
                self._instances(UsdGeom.PointInstancer(prim), len(self.nodes) - 1)
        if not self.meshes:
            raise BadFile("it holds points and curves alone, and Aulmo needs surfaces" if self.flat else "it holds no usable triangles")
        kept = with_geometry(self.nodes)
        notes = [
            f"USD in units of {self.scale:g} mm with {self.up} up: brought to millimetres with z up",
            *left_out(self.lost, self.broken, self.missing),
        ]
        return {
            "nodes": kept, "meshes": self.meshes, "shapes": [], "images": self.images, "notes": notes, "up": self.up, "unit_mm": self.scale,
            "cameras": self.cameras,
        }  # fmt: skip

    def _camera(self, camera, name: str) -> None:
        matrix = placed_in_file(self.nodes, len(self.nodes) - 1)
        wide, focal = float(camera.GetHorizontalApertureAttr().Get() or 0), float(camera.GetFocalLengthAttr().Get() or 0)
        if camera.GetProjectionAttr().Get() == "orthographic":
            one = noted(name, matrix, span_mm=wide / 10 * self.scale)  # apertures are tenths of the stage's unit
        else:
            one = noted(name, matrix, fov_x=2 * math.atan(wide / 2 / focal)) if focal > 0 else None
        if one is not None:
            self.cameras.append(one)

    def _local(self, prim) -> np.ndarray:
        from pxr import UsdGeom

        if not prim.IsA(UsdGeom.Xformable):
            return np.eye(4)
        return self._matrix(np.array(UsdGeom.Xformable(prim).GetLocalTransformation()))

    def _moves(self, prim) -> list[list]:
        """What the stage's time samples do to a prim, as `file_motion.samples`."""
        from pxr import UsdGeom

        if not prim.IsA(UsdGeom.Xformable):
            return []
        held = UsdGeom.Xformable(prim)
        codes = [c for c in held.GetTimeSamples() if np.isfinite(c)][:MOST_SAMPLES]
        if len(codes) < 2:
            return []
        rate = float(self.stage.GetTimeCodesPerSecond()) or 24.0
        first = float(self.stage.GetStartTimeCode()) if self.stage.HasAuthoredTimeCodeRange() else 0.0
        matrices = [self._matrix(np.array(held.GetLocalTransformation(c))) for c in codes]
        return samples([(c - first) / rate for c in codes], matrices)

    def _matrix(self, rows: np.ndarray) -> np.ndarray:
        """A USD matrix (vectors multiply it from the left) as ours, moved in mm."""
        matrix = np.array(rows, float).reshape(4, 4).T.copy()
        if not np.isfinite(matrix).all() or abs(np.linalg.det(matrix[:3, :3])) < 1e-18:
            self.broken += 1
            return np.eye(4)
        matrix[:3, 3] *= self.scale
        return matrix

    def _shape(self, prim) -> dict | None:
        """Mesh and materials of a prim that has any; those of an instance are its prototype's."""
        from pxr import UsdGeom

        source = prim.GetPrimInPrototype() if prim.IsInstanceProxy() else prim
        key = str(source.GetPath())
        if key not in self.built:
            try:
                if prim.IsA(UsdGeom.Mesh):
                    self.built[key] = self._mesh(prim)
                elif prim.IsA(UsdGeom.Gprim) and (simple := _simple(prim)) is not None:
                    mesh, _, _ = mesh_of([simple], self.scale)
                    self.built[key] = self._kept(mesh, [self._material(prim)]) if mesh else None
                else:
                    self.flat += prim.IsA(UsdGeom.Gprim)
                    self.built[key] = None
            except Exception:
                self.broken += 1
                self.built[key] = None
        return self.built[key]

    def _kept(self, mesh: Mesh, materials: list[dict | None]) -> dict:
        self.meshes.append(mesh)
        return {"mesh": len(self.meshes) - 1, **worn_by(materials)}

    def _mesh(self, prim) -> dict | None:
        from pxr import UsdGeom, UsdShade

        mesh = UsdGeom.Mesh(prim)
        points = np.array(mesh.GetPointsAttr().Get() or [], float).reshape(-1, 3)
        counts = np.array(mesh.GetFaceVertexCountsAttr().Get() or [], np.int64)
        corners = np.array(mesh.GetFaceVertexIndicesAttr().Get() or [], np.int64)
        whole = int(np.searchsorted(np.cumsum(counts), len(corners), "right"))  # faces whose corners are all there
        if whole < len(counts):
            self.lost += len(counts) - whole
            counts = counts[:whole]
        places = fans(counts)
        of_face = np.repeat(np.arange(len(counts)), np.maximum(counts - 2, 0))
        if str(mesh.GetOrientationAttr().Get()) == "leftHanded":
            places = places[:, [0, 2, 1]]
        uv = self._uv(prim, corners)
        normals = self._normals(mesh, corners, len(points))
        worn = np.zeros(len(counts), np.int64)
        materials: list[dict | None] = [self._material(prim)]
        for subset in UsdShade.MaterialBindingAPI(prim).GetMaterialBindSubsets():
            held = np.array(subset.GetIndicesAttr().Get() or [], np.int64)
            worn[held[(held >= 0) & (held < len(counts))]] = len(materials)
            materials.append(self._material(subset.GetPrim()))
        pieces, order = [], []
        for number in np.unique(worn[of_face]) if len(of_face) else []:
            inside = places[worn[of_face] == number]
            safe = np.where((corners >= 0) & (corners < len(points)), corners, -1)
            if uv is None and normals is None:
                pieces.append(Piece(points, safe[inside]))
            else:  # a vertex to each corner; those that are alike are one again
                spots = np.where((safe >= 0)[:, None], points[safe], np.nan)
                pieces.append(_welded(spots, inside, normals, uv))
            order.append(int(number))
        made, lost, kept = mesh_of(pieces, self.scale, numbered=len(order) > 1)
        self.lost += lost
        return self._kept(made, [materials[order[k]] for k in kept]) if made is not None else None

    def _uv(self, prim, corners: np.ndarray) -> np.ndarray | None:
        from pxr import UsdGeom

        for name in ("st", "UVMap", "st0", "map1"):
            held = UsdGeom.PrimvarsAPI(prim).GetPrimvar(name)
            if held and held.HasValue():
                values = np.array(held.ComputeFlattened(), float)
                if values.ndim == 2 and values.shape[1] == 2:
                    if len(values) == len(corners):
                        return values
                    if len(corners) and corners.min() >= 0 and len(values) > corners.max():
                        return values[corners]
        return None

    @staticmethod
    def _normals(mesh, corners: np.ndarray, count: int) -> np.ndarray | None:
        values = np.array(mesh.GetNormalsAttr().Get() or [], float).reshape(-1, 3)
        if len(values) == len(corners) and len(values):
            return values
        if len(values) == count and count and len(corners) and corners.min() >= 0 and corners.max() < count:
            return values[corners]
        return None

    def _instances(self, instancer, parent: int) -> None:
        from pxr import Usd, UsdGeom

        try:
            places = instancer.ComputeInstanceTransformsAtTime(
                Usd.TimeCode.Default(), Usd.TimeCode.Default(), UsdGeom.PointInstancer.ExcludeProtoXform
            )
            which = list(instancer.GetProtoIndicesAttr().Get() or [])
            targets = instancer.GetPrototypesRel().GetTargets()
        except Exception:
            self.broken += 1
            return
        for place, number in list(zip(places, which))[:200_000]:
            if not 0 <= number < len(targets):
                self.broken += 1
                continue
            top = self.stage.GetPrimAtPath(targets[number])
            for prim in Usd.PrimRange(top) if top else []:
                shape = self._shape(prim)
                if shape is not None:
                    matrix = self._matrix(np.array(UsdGeom.XformCache().ComputeRelativeTransform(prim, top.GetParent())[0]) @ np.array(place))
                    self.nodes.append({"name": prim.GetName(), "parent": parent, "matrix": matrix.tolist(), "key": str(prim.GetPath()), **shape})

    def _material(self, prim) -> dict | None:
        """What a prim wears, as OpenPBR Surface has it, from a UsdPreviewSurface or its display colour."""
        from pxr import UsdGeom, UsdShade

        material, _ = UsdShade.MaterialBindingAPI(prim).ComputeBoundMaterial()
        if not material:
            colour = _constant(UsdGeom.Gprim(prim).GetDisplayColorAttr().Get()) if prim.IsA(UsdGeom.Gprim) else None
            return {"name": "Colour", "colour": colour, "surface": {"specular_roughness": 0.4}} if colour else None
        made: dict[str, Any] = {"name": material.GetPrim().GetDisplayName() or material.GetPrim().GetName(), "surface": {}}
        shader = material.ComputeSurfaceSource()[0]
        if not shader:
            return made
        values = {i.GetBaseName(): i.Get() for i in shader.GetInputs()}
        colour = _constant(values.get("diffuseColor"))
        if colour:
            made["colour"] = colour
        for source, target in _INPUTS.items():
            value = values.get(source)
            if isinstance(value, (int, float)) and np.isfinite(value):
                made["surface"][target] = float(np.clip(value, 1.0, 5.0) if target == "specular_ior" else np.clip(value, 0.0, 1.0))
        opacity = values.get("opacity")
        if isinstance(opacity, (int, float)) and 0 <= opacity < 0.99:
            made["surface"]["transmission_weight"] = 1.0 - float(opacity)
        glow = _constant(values.get("emissiveColor"))
        if glow and max(glow) > 0:
            made["emission"] = glow
        leads = [one for source, (target, colour) in _LED.items() if (one := self._lead(shader.GetInput(source), target, colour)) is not None]
        if leads:
            made["leads"] = leads
            if any(one["target"] == "emission_color" for one in leads):
                made.setdefault("emission", [1.0, 1.0, 1.0])
            if any(one["target"] == "geometry_opacity" for one in leads):
                made["surface"].pop("transmission_weight", None)
                cut = values.get("opacityThreshold")
                for one in leads:
                    if one["target"] == "geometry_opacity" and isinstance(cut, (int, float)) and cut > 0:
                        one["cut"] = float(np.clip(cut, 0.005, 0.995))
        return made

    def _lead(self, given, target: str, colour: bool) -> dict | None:
        """The picture that leads an input of a UsdPreviewSurface (see `file_pictures.Lead`)."""
        from pxr import Sdf, UsdShade

        if not given or not given.HasConnectedSource():
            return None
        source, name, _kind = given.GetConnectedSource()
        reader = UsdShade.Shader(source.GetPrim())
        if reader.GetIdAttr().Get() != "UsdUVTexture":
            return None
        asset = reader.GetInput("file").Get() if reader.GetInput("file") else None
        if not isinstance(asset, Sdf.AssetPath):
            return None
        path = asset.resolvedPath or asset.path
        blob = self._bytes(path) if is_allowed(Path(path.split("[")[0]), self.path.parent) else None
        scale = reader.GetInput("scale").Get() if reader.GetInput("scale") else None
        transform = [1.0, 1.0, 0.0, 0.0, 0.0]
        place = reader.GetInput("st")
        if place and place.HasConnectedSource():
            moved = UsdShade.Shader(place.GetConnectedSource()[0].GetPrim())
            if moved.GetIdAttr().Get() == "UsdTransform2d":
                get = lambda key, start: (moved.GetInput(key).Get() if moved.GetInput(key) else None) or start  # noqa: E731
                (sx, sy), turn, (tx, ty) = get("scale", (1.0, 1.0)), float(get("rotation", 0.0)), get("translation", (0.0, 0.0))
                # v runs up there and down here: what is turned one way is turned the other
                transform = (
                    [float(sx), float(sy), turn, float(tx), float(1.0 - sy - ty)]
                    if abs(turn) < 1e-6
                    else [float(sx), float(sy), turn, float(tx), -float(ty)]
                )
        channel = {"r": "red", "g": "green", "b": "blue", "a": "alpha"}.get(name, "solid")
        one: dict[str, Any] = {
            "target": target, "image": None, "file": Path(path.rstrip("]").split("[")[-1]).name, "ending": Path(path.rstrip("]")).suffix.lower(),
            "channel": channel, "colour": colour, "transform": transform,
        }  # fmt: skip
        factor = np.array(scale, float)[:3].tolist() if scale is not None and target != "normal" else None
        if factor is not None:
            one["factor"] = factor if colour else float(factor[0])
        if target == "height":
            one["mm"] = self.scale
        if blob:
            one["image"] = len(self.images)
            self.images.append(blob)
        else:
            self.missing += 1
        return one

    def _bytes(self, path: str) -> bytes | None:
        from pxr import Ar

        try:
            held = Ar.GetResolver().OpenAsset(Ar.ResolvedPath(path))
            return bytes(held.GetBuffer()) if held else None
        except Exception:
            return None


def _constant(value: Any) -> list[float] | None:
    """A colour, or the mean of several."""
    if value is None:
        return None
    found = np.array(value, float).reshape(-1, 3) if np.size(value) and np.size(value) % 3 == 0 else None
    return [float(v) for v in found.mean(0)] if found is not None and np.isfinite(found).all() else None


def _welded(spots: np.ndarray, cells: np.ndarray, normals: np.ndarray | None, uv: np.ndarray | None) -> Piece:
    rows = np.concatenate([a for a in (spots, normals, uv) if a is not None], 1)
    used, inverse = np.unique(cells.reshape(-1), return_inverse=True)
    unique, again = np.unique(rows[used], axis=0, return_inverse=True)
    cells = again.reshape(-1)[inverse.reshape(-1)].reshape(-1, 3)
    end = 3 + (3 if normals is not None else 0)
    return Piece(unique[:, :3], cells, unique[:, 3:end] if normals is not None else None, unique[:, end:] if uv is not None else None)


def _simple(prim) -> Piece | None:
    """Cubes, spheres, cylinders, cones and capsules of a stage as triangles."""
    import trimesh

    kind = prim.GetTypeName()
    get = lambda name, other: float(prim.GetAttribute(name).Get() or other)  # noqa: E731
    if kind == "Cube":
        made = trimesh.creation.box([get("size", 2.0)] * 3)
    elif kind == "Sphere":
        made = trimesh.creation.uv_sphere(get("radius", 1.0), count=[48, 96])
    elif kind == "Cylinder":
        made = trimesh.creation.cylinder(get("radius", 1.0), get("height", 2.0), sections=96)
    elif kind == "Cone":
        made = trimesh.creation.cone(get("radius", 1.0), get("height", 2.0), sections=96)
        made.apply_translation([0, 0, -get("height", 2.0) / 2])
    elif kind == "Capsule":
        made = trimesh.creation.capsule(get("height", 1.0), get("radius", 0.5), count=[48, 96])
    else:
        return None
    points = np.array(made.vertices)
    axis = str(prim.GetAttribute("axis").Get() or "Z") if kind in ("Cylinder", "Cone", "Capsule") else "Z"
    if axis == "X":
        points = points[:, [2, 0, 1]]
    elif axis == "Y":
        points = points[:, [1, 2, 0]]
    return Piece(points, np.array(made.faces))
