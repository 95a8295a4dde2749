"""USD out: the tree with its names and copies, materials as preview surfaces, cameras, lamps, a variant set for each axis, movement in time samples.

Millimetres and z up, as the project has them. What differs in a choice (what is worn, whether a part is seen, where it stands) lies in its variant.
"""

import collections
import contextlib
import hashlib
import math
import tempfile
from pathlib import Path
from typing import Any, Iterator, Mapping

import numpy as np

from aulmo import __version__
from aulmo.deliver.baked import Baker, Pictures, baked_meshes, decals_on
from aulmo.deliver.for_others import body_colour, faces_worn, frame_times, lost, moving_things, rgb
from aulmo.document import variants
from aulmo.document.assets import AssetStore
from aulmo.document.moving.movers import mover_of
from aulmo.document.properties import resolve
from aulmo.document.records import Camera, Document, Lamp, Material, Part
from aulmo.document.writing import write_atomically
from aulmo.errors import BadValue, CannotWrite
from aulmo.frame.camera import camera_axes
from aulmo.light.photometry import tint
from aulmo.surface.colour import ACESCG_TO_SRGB

TEXTURES = "textures"
ENDINGS = (".usda", ".usdc", ".usdz")


def export_usd(
    document: Document, assets: AssetStore, out: Path, choices: Mapping[str, str] | None = None, moving: bool = True, finesse: str = "fine"
) -> list[str]:
    """Write a project as .usda, .usdc or .usdz; returns sentences on what is lost. What nodes, layers and decals colour is baked, in pictures of a
    `finesse` (see `baked.SIDES`): within the package, else in a folder beside the file. Raises BadValue for a name of another kind or for nothing
    to write, CannotWrite."""
    from pxr import Usd, UsdUtils

    out = Path(out)
    if out.suffix.lower() not in ENDINGS:
        raise BadValue(f"{out.name} should end in .usda, .usdc or .usdz.")
    if not out.parent.is_dir():
        raise BadValue(f"There is no folder {out.parent} to write to.")
    with tempfile.TemporaryDirectory() as folder:
        inner = Path(folder) / ("scene.usdc" if out.suffix.lower() == ".usdz" else f"scene{out.suffix.lower()}")
        stage = Usd.Stage.CreateNew(str(inner))
        pictures = Path(folder) / (TEXTURES if out.suffix.lower() == ".usdz" else f"{out.stem}_{TEXTURES}")
        notes = _Writer(stage, variants.chosen(document, choices or {}), assets, moving, not choices, pictures, finesse).write()
        stage.GetRootLayer().Save()
        made = inner
        if out.suffix.lower() == ".usdz":
            made = Path(folder) / "scene.usdz"
            UsdUtils.CreateNewUsdzPackage(str(inner), str(made))
        elif pictures.exists():
            beside = out.parent / pictures.name
            try:
                beside.mkdir(exist_ok=True)
            except OSError as error:
                raise CannotWrite(f"The folder {beside.name} could not be made: {error.strerror or error}.") from error
            for one in pictures.iterdir():
                write_atomically(beside / one.name, lambda file, one=one: file.write(one.read_bytes()))
        blob = made.read_bytes()
    write_atomically(out, lambda file: file.write(blob))
    return notes


class _Writer:
    """One stage that is being written."""

    def __init__(
        self, stage: Any, document: Document, assets: AssetStore, moving: bool, offers: bool, pictures: Path, finesse: str
    ) -> None:  # fmt: skip
        self.pictures, self.baker = pictures, Baker(assets, finesse)
        self.stage, self.document, self.assets, self.moving, self.offers = stage, document, assets, moving, offers
        self.seen = resolve(document, {}, document.film.start)
        self.notes: dict[str, None] = {}
        self.paths: dict[str, str] = {}
        self.materials: dict[str, Any] = {}
        self._names: dict[str, set[str]] = {}
        uses = collections.Counter(p.mesh for p in self.seen.parts.values() if p.mesh and not p.face_sets and not p.children)
        self._shared = {mesh for mesh, count in uses.items() if count > 1}  # written once, and stood for by instances
        self._shapes: dict[str, str] = {}
        self._then: dict[tuple[str, str], Document] = {}  # the project in each choice, by axis and choice
        self._varied: dict[tuple[str, str], list[str]] = {}  # by part and property, the axes along which it differs

    def name(self, parent: str, wanted: str) -> str:
        """A path below a parent that no other prim has."""
        from pxr import Tf

        taken = self._names.setdefault(parent, set())
        valid = Tf.MakeValidIdentifier(wanted or "Part")
        found, number = valid, 2
        while found in taken:
            found, number = f"{valid}_{number}", number + 1
        taken.add(found)
        return f"{parent}/{found}"

    def write(self) -> list[str]:
        """Everything; returns what is lost."""
        from pxr import UsdGeom

        stage, seen = self.stage, self.seen
        UsdGeom.SetStageUpAxis(stage, UsdGeom.Tokens.z)
        UsdGeom.SetStageMetersPerUnit(stage, 0.001)
        stage.SetMetadata("comment", f"Aulmo {__version__}")
        top = self.name("", self.document.name)
        root = UsdGeom.Xform.Define(stage, top).GetPrim()
        root.SetDisplayName(self.document.name)
        from pxr import Kind, Usd

        Usd.ModelAPI(root).SetKind(Kind.Tokens.component)
        stage.SetDefaultPrim(root)
        self.top = top
        if not any(p.mesh for p in seen.parts.values()):
            raise BadValue("There is nothing to write: no part is there.")
        if self.offers:
            self._compare()
        self._flat = baked_meshes([seen, *self._then.values()])
        for part_id in seen.roots:
            self._part(part_id, top)
        for camera in seen.cameras.values():
            self._camera(camera)
        for lamp in seen.lamps.values():
            self._lamp(lamp)
        if seen.environment.softboxes or seen.environment.kind != "colour":
            self.notes.setdefault("The dome is left out: write it as an EXR from Light and set it as a dome light there.")
        if self.moving:
            self._tracks()
        if self.offers:
            self._variants(root)
        return list(self.notes)

    # parts

    def _part(self, part_id: str, above: str) -> None:
        from pxr import UsdGeom

        part = self.seen.parts[part_id]
        path = self.paths[part_id] = self.name(above, part.name)
        xform = UsdGeom.Xform.Define(self.stage, path)
        xform.GetPrim().SetDisplayName(part.name)
        if (part_id, "place") not in self._varied:  # what varies is said in the variants alone: what is said here would count before them
            self._place(xform, part)
        if not part.visible and (part_id, "seen") not in self._varied:
            UsdGeom.Imageable(xform).MakeInvisible()
        if part.mesh in self._shared and not part.face_sets and not part.children:
            xform.GetPrim().GetReferences().AddInternalReference(self._shape(part))
            xform.GetPrim().SetInstanceable(True)
        elif part.mesh is not None:
            self._mesh(part, path)
        if part.mesh is not None and (part_id, "worn") not in self._varied:
            self._bind(xform.GetPrim(), part.material, part)
        for child in part.children:
            self._part(child, path)

    def _place(self, xform: Any, part: Part, time: float | None = None) -> None:
        """Scaled, turned about x, y and z, moved: as the project has it."""
        from pxr import Gf, Usd, UsdGeom

        at = Usd.TimeCode.Default() if time is None else Usd.TimeCode(time)
        held = {op.GetOpName(): op for op in xform.GetOrderedXformOps()}
        place = held.get("xformOp:translate") or xform.AddTranslateOp(UsdGeom.XformOp.PrecisionDouble)
        turn = held.get("xformOp:rotateXYZ") or xform.AddRotateXYZOp(UsdGeom.XformOp.PrecisionDouble)
        size = held.get("xformOp:scale") or xform.AddScaleOp(UsdGeom.XformOp.PrecisionDouble)
        p = part.placement
        place.Set(Gf.Vec3d(*p.position), at)
        turn.Set(Gf.Vec3d(*p.turn), at)
        size.Set(Gf.Vec3d(*p.scale), at)

    def _shape(self, part: Part) -> str:
        """The path of a shape that several parts have."""
        name = part.mesh or ""
        if name not in self._shapes:
            if not self._shapes:
                self.stage.CreateClassPrim(f"{self.top}/Shapes")
            path = self._shapes[name] = self.name(f"{self.top}/Shapes", part.name)
            self.stage.DefinePrim(path, "Xform")
            self._mesh(part, path)
        return self._shapes[name]

    def _mesh(self, part: Part, path: str) -> None:
        from pxr import UsdGeom, UsdShade, Vt

        mesh = self.baker.flat(part.mesh or "") if part.mesh in self._flat else self.assets.mesh(part.mesh or "")
        made = UsdGeom.Mesh.Define(self.stage, self.name(path, "Shape"))
        made.CreatePointsAttr(Vt.Vec3fArray.FromNumpy(np.ascontiguousarray(mesh.vertices, np.float32)))
        made.CreateFaceVertexCountsAttr(Vt.IntArray.FromNumpy(np.full(len(mesh.triangles), 3, np.int32)))
        made.CreateFaceVertexIndicesAttr(Vt.IntArray.FromNumpy(np.ascontiguousarray(mesh.triangles.reshape(-1), np.int32)))
        made.CreateNormalsAttr(Vt.Vec3fArray.FromNumpy(np.ascontiguousarray(mesh.normals, np.float32)))
        made.SetNormalsInterpolation(UsdGeom.Tokens.vertex)
        made.CreateSubdivisionSchemeAttr(UsdGeom.Tokens.none)
        made.CreateExtentAttr(Vt.Vec3fArray.FromNumpy(np.stack([mesh.vertices.min(0), mesh.vertices.max(0)]).astype(np.float32)))
        if len(mesh.uv) == len(mesh.vertices):
            from pxr import Sdf

            st = UsdGeom.PrimvarsAPI(made).CreatePrimvar("st", Sdf.ValueTypeNames.TexCoord2fArray, UsdGeom.Tokens.vertex)
            st.Set(Vt.Vec2fArray.FromNumpy(np.ascontiguousarray(mesh.uv, np.float32)))
        worn = faces_worn(part, mesh)
        if len(worn) > 1 or (part.face_sets and worn):
            where = {row.tobytes(): k for k, row in enumerate(mesh.triangles)}
            for k, (material, triangles) in enumerate(worn):
                if not len(triangles):
                    continue
                numbers = Vt.IntArray([where[row.tobytes()] for row in triangles])
                binding = UsdShade.MaterialBindingAPI.Apply(made.GetPrim())
                subset = binding.CreateMaterialBindSubset(f"Faces_{k}", numbers, UsdGeom.Tokens.face)
                self._bind(subset.GetPrim(), material, part)

    def _bind(self, prim: Any, material_id: str | None, part: Part, document: Document | None = None) -> None:
        from pxr import UsdShade

        of = document or self.seen
        material = of.materials.get(material_id or "")
        if material is not None:
            UsdShade.MaterialBindingAPI.Apply(prim).Bind(self._material(material, self.baker.pictures(of, part)))

    def _picture(self, path: str, name: str, blob: bytes, colour: bool) -> Any:
        """A picture laid on a surface, and its reader of places, below a material's path; the file lies beside the stage."""
        from pxr import Sdf, UsdShade

        self.pictures.mkdir(exist_ok=True)
        file = self.pictures / f"{hashlib.sha256(blob).hexdigest()[:16]}.png"
        file.write_bytes(blob)
        reader = UsdShade.Shader.Define(self.stage, f"{path}/Places")
        reader.CreateIdAttr("UsdPrimvarReader_float2")
        reader.CreateInput("varname", Sdf.ValueTypeNames.String).Set("st")
        made = UsdShade.Shader.Define(self.stage, f"{path}/{name}")
        made.CreateIdAttr("UsdUVTexture")
        made.CreateInput("file", Sdf.ValueTypeNames.Asset).Set(f"./{self.pictures.name}/{file.name}")
        made.CreateInput("sourceColorSpace", Sdf.ValueTypeNames.Token).Set("sRGB" if colour else "raw")
        places = reader.CreateOutput("result", Sdf.ValueTypeNames.Float2)
        made.CreateInput("st", Sdf.ValueTypeNames.Float2).ConnectToSource(places)
        for side in ("wrapS", "wrapT"):
            made.CreateInput(side, Sdf.ValueTypeNames.Token).Set("clamp")
        return made

    def _lay(self, shader: Any, path: str, baked: Pictures) -> None:
        """Let what was baked lead a preview surface."""
        from pxr import Gf, Sdf

        kinds = Sdf.ValueTypeNames
        colour = self._picture(path, "Colour", baked.colour, True)
        shader.CreateInput("diffuseColor", kinds.Color3f).ConnectToSource(colour.CreateOutput("rgb", kinds.Float3))
        both = self._picture(path, "RoughMetal", baked.rough_metal, False)
        shader.CreateInput("roughness", kinds.Float).ConnectToSource(both.CreateOutput("g", kinds.Float))
        shader.CreateInput("metallic", kinds.Float).ConnectToSource(both.CreateOutput("b", kinds.Float))
        if baked.clear:
            clear = self._picture(path, "Clear", baked.clear, False)
            clear.CreateInput("scale", kinds.Float4).Set(Gf.Vec4f(-0.9, 1, 1, 1))
            clear.CreateInput("bias", kinds.Float4).Set(Gf.Vec4f(1, 0, 0, 0))
            shader.CreateInput("opacity", kinds.Float).ConnectToSource(clear.CreateOutput("r", kinds.Float))
        elif not baked.opaque:
            shader.CreateInput("opacity", kinds.Float).ConnectToSource(colour.CreateOutput("a", kinds.Float))

    def _material(self, material: Material, baked: Pictures | None = None) -> Any:
        """A material as a preview surface (UsdPreviewSurface 2.6), with what was baked of it, each once."""
        from pxr import Gf, Sdf, UsdShade

        s = material.surface
        values: dict[str, Any] = {
            "diffuseColor": rgb(tuple(body_colour(s))), "metallic": s.base_metalness, "roughness": float(np.clip(s.specular_roughness, 0, 1)),
            "ior": float(max(1.0, s.specular_ior)), "clearcoat": min(1.0, s.coat_weight), "clearcoatRoughness": s.coat_roughness,
            "opacity": float(s.geometry_opacity * (1.0 - 0.9 * s.transmission_weight)),
        }  # fmt: skip
        if s.emission_luminance > 0:
            light = np.maximum(ACESCG_TO_SRGB @ np.array(s.emission_color, float), 0) * s.emission_luminance
            values["emissiveColor"] = [float(v) for v in light]
        if baked is not None:
            for name in ("diffuseColor", "metallic", "roughness", *(("opacity",) if baked.clear or not baked.opaque else ())):
                del values[name]
        key = repr((material.name, sorted(values.items()), baked))
        if key in self.materials:
            return self.materials[key]
        for words in lost(material, baked is not None):
            self.notes.setdefault(words)
        if s.transmission_weight > 0:
            self.notes.setdefault(f"{material.name}: a preview surface has no refraction; it becomes thin and clear.")
        path = self.name(f"{self.top}/Materials", material.name)
        with _outside(self.stage):
            if not self.stage.GetPrimAtPath(f"{self.top}/Materials"):
                self.stage.DefinePrim(f"{self.top}/Materials", "Scope")
            made = UsdShade.Material.Define(self.stage, path)
            made.GetPrim().SetDisplayName(material.name)
            shader = UsdShade.Shader.Define(self.stage, f"{path}/Surface")
            shader.CreateIdAttr("UsdPreviewSurface")
            for name, value in values.items():
                colour = isinstance(value, list)
                held = shader.CreateInput(name, Sdf.ValueTypeNames.Color3f if colour else Sdf.ValueTypeNames.Float)
                held.Set(Gf.Vec3f(*value) if isinstance(value, list) else float(value))
            if baked is not None:
                self._lay(shader, path, baked)
            made.CreateSurfaceOutput().ConnectToSource(shader.ConnectableAPI(), "surface")
        self.materials[key] = made
        return made

    # cameras and lamps

    def _camera(self, camera: Camera) -> None:
        from pxr import Gf, UsdGeom

        if camera.projection == "panorama":
            self.notes.setdefault(f"{camera.name}: a full sphere is left out.")
            return
        path = self.paths[f"cameras/{camera.id}"] = self.name(self.top, camera.name)
        made = UsdGeom.Camera.Define(self.stage, path)
        made.GetPrim().SetDisplayName(camera.name)
        made.AddTransformOp().Set(_looking(camera))
        shot = next((s for s in self.seen.shots if s.camera == camera.id), None)
        ratio = shot.width / shot.height if shot is not None else 16 / 9
        if camera.projection == "parallel":
            made.CreateProjectionAttr(UsdGeom.Tokens.orthographic)
            made.CreateHorizontalApertureAttr(camera.span_mm * 10)  # tenths of a unit of the scene
            made.CreateVerticalApertureAttr(camera.span_mm * 10 / ratio)
        else:
            made.CreateFocalLengthAttr(camera.focal_length_mm * 10)
            made.CreateHorizontalApertureAttr(camera.sensor_mm * 10)
            made.CreateVerticalApertureAttr(camera.sensor_mm * 10 / ratio)
            made.CreateHorizontalApertureOffsetAttr(camera.shift_x * camera.sensor_mm * 10)
            made.CreateVerticalApertureOffsetAttr(camera.shift_y * camera.sensor_mm * 10 / ratio)
        made.CreateClippingRangeAttr(Gf.Vec2f(max(1.0, camera.near_mm), 1e6))
        if camera.depth_of_field:
            made.CreateFStopAttr(camera.f_stop)
            made.CreateFocusDistanceAttr(camera.focus)

    def _lamp(self, lamp: Lamp) -> None:
        from pxr import Gf, UsdGeom, UsdLux

        kinds = {
            "rectangle": UsdLux.RectLight, "disc": UsdLux.DiskLight, "ring": UsdLux.DiskLight, "sphere": UsdLux.SphereLight,
            "tube": UsdLux.CylinderLight, "point": UsdLux.SphereLight, "spot": UsdLux.SphereLight, "photometric": UsdLux.SphereLight,
            "distant": UsdLux.DistantLight, "sun": UsdLux.DistantLight,
        }  # fmt: skip
        if lamp.kind not in kinds:
            return
        path = self.paths[f"lamps/{lamp.id}"] = self.name(self.top, lamp.name)
        made = kinds[lamp.kind].Define(self.stage, path)
        made.GetPrim().SetDisplayName(lamp.name)
        xform = UsdGeom.Xformable(made)
        xform.AddTranslateOp(UsdGeom.XformOp.PrecisionDouble).Set(Gf.Vec3d(*lamp.position))
        xform.AddRotateXYZOp(UsdGeom.XformOp.PrecisionDouble).Set(Gf.Vec3d(*lamp.turn))
        colour = np.maximum(ACESCG_TO_SRGB @ tint(lamp.kelvin, lamp.colour), 0.0)
        made.CreateColorAttr(Gf.Vec3f(*(float(v) for v in colour / max(float(colour.max()), 1e-6))))
        radius = 0.5 * max(lamp.width, 1.0)
        if lamp.kind == "rectangle":
            made.CreateWidthAttr(lamp.width)
            made.CreateHeightAttr(lamp.height)
            area = lamp.width * lamp.height
        elif lamp.kind in ("disc", "ring"):
            made.CreateRadiusAttr(radius)
            area = math.pi * radius**2
        elif lamp.kind == "tube":
            made.CreateRadiusAttr(radius)
            made.CreateLengthAttr(lamp.height)
            area = 2 * math.pi * radius * lamp.height
        else:
            area = 4 * math.pi * radius**2
            if lamp.kind not in ("distant", "sun"):
                made.CreateRadiusAttr(radius)
        made.CreateIntensityAttr(_nits(lamp, area * 1e-6))
        if lamp.kind == "spot":
            shaping = UsdLux.ShapingAPI.Apply(made.GetPrim())
            shaping.CreateShapingConeAngleAttr(lamp.cone / 2)
            shaping.CreateShapingConeSoftnessAttr(lamp.softness)
        if lamp.kind in ("distant", "sun"):
            made.CreateAngleAttr(lamp.angle)
        if not lamp.on:
            UsdGeom.Imageable(made).MakeInvisible()

    # time and variants

    def _tracks(self) -> None:
        """Where what moves stands, at every frame of the film."""
        from pxr import UsdGeom

        document = self.document
        moved, seen = moving_things(document, self.paths)
        if not moved and not seen:
            return
        rate, times = document.frames_per_second, frame_times(document)
        self.stage.SetTimeCodesPerSecond(rate)
        self.stage.SetFramesPerSecond(rate)
        self.stage.SetStartTimeCode(0)
        self.stage.SetEndTimeCode(len(times) - 1)
        before: dict[str, np.ndarray] = {}
        for k, time in enumerate(times):
            now = resolve(document, {}, float(time))
            for part_id in moved:
                part = now.parts[part_id]
                turn = np.array(part.placement.turn)
                if part_id in before:  # numbers between samples go the short way
                    turn = before[part_id] + (turn - before[part_id] + 180.0) % 360.0 - 180.0
                before[part_id] = turn
                a, b, c = (float(v) for v in turn)
                placed = _with_turn(part, (a, b, c))
                self._place(UsdGeom.Xform(self.stage.GetPrimAtPath(self.paths[part_id])), placed, float(k))
            for camera_id in seen:
                ops = UsdGeom.Camera(self.stage.GetPrimAtPath(self.paths[f"cameras/{camera_id}"])).GetOrderedXformOps()
                ops[0].Set(_looking(now.cameras[camera_id]), float(k))

    def _compare(self) -> None:
        """Find what differs along which axis."""
        still = self.document
        moving = mover_of(still).moving() if self.moving else set()
        for axis in still.axes:
            for choice in axis.choices:
                then = self._then[axis.id, choice.id] = resolve(still, {axis.id: choice.id}, still.film.start)
                for part_id, now in self.seen.parts.items():
                    other = then.parts.get(part_id)
                    for what in self._differs(now, other, then) if other is not None else ():
                        if what == "place" and part_id in moving:
                            self.notes.setdefault(f"{now.name}: it moves, so its other places in variants are left out.")
                            continue
                        held = self._varied.setdefault((part_id, what), [])
                        if axis.id not in held:
                            held.append(axis.id)

    def _differs(self, now: Part, other: Part, then: Document) -> Iterator[str]:
        if now.visible != other.visible:
            yield "seen"
        if now.placement != other.placement:
            yield "place"
        worn = then.materials.get(other.material or "") != self.seen.materials.get(now.material or "")
        if now.mesh is not None and (worn or self._decals(then, other) != self._decals(self.seen, now)):
            yield "worn"

    def _decals(self, document: Document, part: Part) -> list[tuple]:
        held = [document.decals[d] for d in decals_on(document, part)]
        return [(d, document.materials.get(d.material or "")) for d in held]

    def _variants(self, root: Any) -> None:
        """A variant set for each axis, the later ones before the earlier. Of what several axes change, the first says in each choice what it is, the
        later ones only where they differ."""
        from pxr import Tf, Usd, UsdGeom

        axes = [axis for axis in self.document.axes if axis.choices]
        for axis in axes:
            held = root.GetVariantSets().AddVariantSet(Tf.MakeValidIdentifier(axis.name), Usd.ListPositionFrontOfPrependList)
            for choice in axis.choices:
                name = Tf.MakeValidIdentifier(choice.name)
                held.AddVariant(name)
                held.SetVariantSelection(name)
                then = self._then[axis.id, choice.id]
                with held.GetVariantEditContext():
                    for (part_id, what), among in self._varied.items():
                        if axis.id not in among or part_id not in self.paths:
                            continue
                        other = then.parts[part_id]
                        if among[0] != axis.id and what not in set(self._differs(self.seen.parts[part_id], other, then)):
                            continue
                        prim = self.stage.OverridePrim(self.paths[part_id])
                        if what == "seen":
                            UsdGeom.Imageable(prim).CreateVisibilityAttr().Set("inherited" if other.visible else "invisible")
                        elif what == "place":
                            self._place(UsdGeom.Xform(prim), other)
                        else:
                            self._bind(prim, other.material, other, then)
            held.SetVariantSelection(Tf.MakeValidIdentifier(axis.choices[0].name))


@contextlib.contextmanager
def _outside(stage: Any) -> Iterator[None]:
    """Write on the stage itself, also while a variant is being written."""
    target = stage.GetEditTarget()
    stage.SetEditTarget(stage.GetRootLayer())
    try:
        yield
    finally:
        stage.SetEditTarget(target)


def _with_turn(part: Part, turn: tuple[float, float, float]) -> Part:
    from msgspec.structs import replace

    return replace(part, placement=replace(part.placement, turn=turn))


def _looking(camera: Camera) -> Any:
    """A camera's matrix: rows right, up, back, place, as the format has them."""
    from pxr import Gf

    right, up, forward = camera_axes(camera)
    rows = [[*right, 0.0], [*up, 0.0], [*(-np.array(forward)), 0.0], [*camera.position, 1.0]]
    return Gf.Matrix4d(*[float(v) for row in rows for v in row])


def _nits(lamp: Lamp, area: float) -> float:
    """A lamp's brightness as luminance of its surface (area in square metres); of a distant light its illuminance."""
    power = lamp.power * 2.0**lamp.stops
    if lamp.unit in ("nit", "lux"):
        return power
    if lamp.unit == "candela":
        flat = area / 4 if lamp.kind in ("sphere", "point", "spot", "photometric") else area
        return power / max(flat, 1e-9)
    return power / (math.pi * max(area, 1e-9))
