"""Pictures of what parts wear, for formats that know neither nodes nor layers nor decals: a part is unwrapped, and what a draft shows of it is laid
into pictures of base colour, roughness and metal."""

import hashlib
import io
from typing import Iterable, NamedTuple

import msgspec
import numpy as np

from aulmo.document.assets import AssetStore
from aulmo.document.meshes import Mesh
from aulmo.document.placement import world_matrix
from aulmo.document.records import Document, Material, Part
from aulmo.surface.colour import ACESCG_TO_SRGB, encode_srgb
from aulmo.trace.compile import arrays as a
from aulmo.trace.compile.scene_block import SceneBlock
from aulmo.trace.pattern.shown_at import B_CLEAR, B_METAL, B_OPACITY, B_ROUGH, BAKED, shown_at
from aulmo.trace.scene import Scene, SceneBuilder

SIDES = {"rough": 256, "fine": 1024, "finest": 2048}  # pixels of a picture at most
TEXELS_PER_MM = 6.0  # beyond this nothing is gained on a product that is held in the hand
LEAST = 64


class Unwrapped(NamedTuple):
    """A mesh cut so that each vertex has one place in a picture: for each vertex that of the mesh it was, triangles (m, 3) uint32 in the order of the
    mesh's, and places (n, 2) float32 within 0..1, v upward."""

    vertices: np.ndarray
    triangles: np.ndarray
    uv: np.ndarray


class Pictures(NamedTuple):
    """What was baked, as PNG: base colour with opacity, metal and roughness (blue, green), transmission (red) where there is any. `opaque` when no
    opacity is below one."""

    colour: bytes
    rough_metal: bytes
    clear: bytes
    opaque: bool


def wants_baking(document: Document, part: Part) -> bool:
    """Whether numbers alone do not tell what a part wears."""
    return any(m is not None and (m.wires or m.layers) for m in _worn(document, part)) or bool(decals_on(document, part))


def _worn(document: Document, part: Part) -> list[Material | None]:
    """Materials of a part's body and of its face sets."""
    return [document.materials.get(name or "") for name in (part.material, *(s.material for s in part.face_sets))]


def baked_meshes(documents: Iterable[Document]) -> set[str]:
    """Names of the meshes of all parts that want baking in any of some documents."""
    return {p.mesh for d in documents for p in d.parts.values() if p.mesh and p.visible and wants_baking(d, p)}


def decals_on(document: Document, part: Part) -> list[str]:
    """Ids of the decals that may lie on a part."""
    found = []
    for decal in document.decals.values():
        of = [document.parts[i] for i in decal.parts if i in document.parts]
        alike = decal.belongs == "alike" and any(
            (o.mesh == part.mesh) if decal.alike == "shape" else (o.material == part.material) for o in of[:1]
        )
        if decal.visible and (part.id in decal.parts or alike or decal.belongs == "region"):
            found.append(decal.id)
    return found


class Baker:
    """Unwraps meshes and bakes what parts of a document wear, each once."""

    def __init__(self, assets: AssetStore, finesse: str = "fine") -> None:
        self.assets, self.side = assets, SIDES[finesse]
        self._builder = SceneBuilder(assets)
        self._unwrapped: dict[str, Unwrapped] = {}
        self._scene: tuple[Document, Scene] | None = None
        self._pictures: dict[str, Pictures | None] = {}

    def unwrapped(self, name: str) -> Unwrapped:
        """A mesh cut and laid flat."""
        if name not in self._unwrapped:
            import xatlas

            mesh = self.assets.mesh(name)
            atlas = xatlas.Atlas()
            atlas.add_mesh(mesh.vertices.astype(np.float32), mesh.triangles.astype(np.uint32), mesh.normals.astype(np.float32))
            pack = xatlas.PackOptions()
            pack.padding, pack.resolution, pack.bilinear = 3, self.side, True
            atlas.generate(xatlas.ChartOptions(), pack)
            vertices, triangles, uv = atlas[0]
            self._unwrapped[name] = Unwrapped(vertices.astype(np.int64), triangles.astype(np.uint32), np.clip(uv, 0, 1).astype(np.float32))
        return self._unwrapped[name]

    def flat(self, name: str) -> Mesh:
        """The mesh that pictures are laid on."""
        mesh, cut = self.assets.mesh(name), self.unwrapped(name)
        return mesh._replace(vertices=mesh.vertices[cut.vertices], normals=mesh.normals[cut.vertices], triangles=cut.triangles, uv=cut.uv)

    def pictures(self, document: Document, part: Part) -> Pictures | None:
        """What a part of a document (in which all is as it is seen) wears; None for one that numbers tell, or that is not seen. Equal ones are baked
        once."""
        if not wants_baking(document, part):
            return None
        key = self._key(document, part)
        if key not in self._pictures:
            self._pictures[key] = self._bake(document, part)
        return self._pictures[key]

    def _key(self, document: Document, part: Part) -> str:
        decals = [document.decals[d] for d in decals_on(document, part)]
        inks = [document.materials.get(d.material or "") for d in decals]
        own = (part.id, world_matrix(document, part.id).tolist()) if decals else ()
        told = (part.mesh, [s.faces for s in part.face_sets], _worn(document, part), decals, inks, own)
        return hashlib.sha256(msgspec.json.encode(told)).hexdigest()

    def _bake(self, document: Document, part: Part) -> Pictures | None:
        if self._scene is None or self._scene[0] is not document:
            self._scene = (document, self._builder.build(document))
        scene = self._scene[1]
        if part.id not in scene.part_ids:
            return None
        instance = int(np.flatnonzero(scene.arrays.instance_part == scene.part_ids.index(part.id))[0])
        mesh, flat = self.assets.mesh(part.mesh or ""), self.unwrapped(part.mesh or "")
        matrix = world_matrix(document, part.id)
        area = _area(mesh, matrix)
        side = self._side(area)
        triangle, weights = rasterized(flat, side)
        seen = triangle >= 0
        which = triangle[seen]
        corners = mesh.triangles[which]
        w = weights[seen][..., None]
        places = (mesh.vertices[corners].astype(float) * w).sum(1) @ matrix[:3, :3].T + matrix[:3, 3]
        turned = np.linalg.inv(matrix[:3, :3])  # normals go by the inverse transposed
        normals = (mesh.normals[corners].astype(float) * w).sum(1) @ turned
        normals /= np.maximum(1e-12, np.linalg.norm(normals, axis=1, keepdims=True))
        out = np.zeros((len(which), BAKED), np.float32)
        shown_at(_all_led(scene).words, instance, which.astype(np.int64), places, normals, _texel(area, flat, side), out)
        return _written(out, seen, side)

    def _side(self, area: float) -> int:
        wanted = max(LEAST, TEXELS_PER_MM * np.sqrt(area) * 1.2)
        return int(min(self.side, 2 ** int(np.ceil(np.log2(wanted)))))


def _all_led(scene: Scene) -> SceneBlock:
    """A scene as kernels get it, in which all nodes are run: a draft leaves those to the mean that have no picture."""
    programs = scene.arrays.programs.copy()
    programs[:, a.P_PICTURED] = programs[:, a.P_LAST] > programs[:, a.P_FIRST]
    return SceneBlock(scene.arrays._replace(programs=programs))


def _area(mesh: Mesh, matrix: np.ndarray) -> float:
    """Square mm of a mesh that stands by a matrix."""
    corners = mesh.vertices[mesh.triangles].astype(float) @ matrix[:3, :3].T
    return float(0.5 * np.linalg.norm(np.cross(corners[:, 1] - corners[:, 0], corners[:, 2] - corners[:, 0]), axis=1).sum())


def _texel(area: float, flat: Unwrapped, side: int) -> float:
    """Mm that a pixel is wide in the middle."""
    e, f = flat.uv[flat.triangles[:, 1]] - flat.uv[flat.triangles[:, 0]], flat.uv[flat.triangles[:, 2]] - flat.uv[flat.triangles[:, 0]]
    laid = 0.5 * np.abs(e[:, 0] * f[:, 1] - e[:, 1] * f[:, 0]).astype(float).sum() * side * side
    return float(np.sqrt(area / max(laid, 0.5)))


def rasterized(flat: Unwrapped, side: int) -> tuple[np.ndarray, np.ndarray]:
    """(side, side) which triangle lies at each pixel, -1 for none, row 0 at the top; (side, side, 3) the shares of its corners there."""
    triangle = np.full((side, side), -1, np.int64)
    weights = np.zeros((side, side, 3))
    corners = flat.uv[flat.triangles].astype(float) * side
    corners[..., 1] = side - corners[..., 1]
    low = np.clip(np.floor(corners.min(1)).astype(int), 0, side - 1)
    size = np.clip(np.ceil(corners.max(1)).astype(int), 1, side) - low
    e0, e1 = corners[:, 1] - corners[:, 0], corners[:, 2] - corners[:, 0]
    double = e0[:, 0] * e1[:, 1] - e0[:, 1] * e1[:, 0]
    good = np.abs(double) > 1e-9
    step = 1
    while good.any():
        # those whose box is of about one size at once
        now = np.flatnonzero(good & (size.max(1) <= step))
        good[now] = False
        for part in np.array_split(now, max(1, -(-len(now) * step * step // 2_000_000))) if len(now) else []:
            y, x = np.mgrid[0:step, 0:step]
            px, py = low[part, 0, None, None] + x, low[part, 1, None, None] + y
            dx, dy = px + 0.5 - corners[part, 0, 0, None, None], py + 0.5 - corners[part, 0, 1, None, None]
            area = double[part, None, None]
            b1 = (dx * e1[part, 1, None, None] - dy * e1[part, 0, None, None]) / area
            b2 = (dy * e0[part, 0, None, None] - dx * e0[part, 1, None, None]) / area
            inside = (b1 >= -1e-6) & (b2 >= -1e-6) & (b1 + b2 <= 1 + 1e-6) & (px < side) & (py < side)
            k, _, _ = np.nonzero(inside)
            rows, columns = py[inside], px[inside]
            triangle[rows, columns] = part[k]
            weights[rows, columns] = np.stack([1 - b1[inside] - b2[inside], b1[inside], b2[inside]], -1)
        step *= 2
        if step > 2 * side:
            break
    return triangle, weights


def _written(found: np.ndarray, seen: np.ndarray, side: int) -> Pictures:
    """Numbers at the pixels that are `seen` as pictures; all others get what is nearest, so that nothing shines in at the seams."""
    from PIL import Image
    from scipy.ndimage import distance_transform_edt

    whole = np.zeros((side, side, found.shape[1]), np.float32)
    if seen.any():
        whole[seen] = found
        rows, columns = distance_transform_edt(~seen, return_distances=False, return_indices=True)
        whole = whole[rows, columns]
    colour = encode_srgb(np.clip(whole[..., :3] @ np.asarray(ACESCG_TO_SRGB, np.float32).T, 0, 1))

    def png(*planes: np.ndarray) -> bytes:
        out = io.BytesIO()
        pixels = np.rint(np.clip(np.stack(planes, -1), 0, 1) * 255).astype(np.uint8)
        Image.fromarray(pixels).save(out, "PNG")
        return out.getvalue()

    opacity, clear = whole[..., B_OPACITY], whole[..., B_CLEAR]
    opaque = bool(opacity.min() > 0.998)
    zero = np.zeros_like(opacity)
    planes = (colour[..., 0], colour[..., 1], colour[..., 2])
    return Pictures(
        png(*planes) if opaque else png(*planes, opacity), png(zero, whole[..., B_ROUGH], whole[..., B_METAL]),
        png(clear, zero, zero) if clear.max() > 0.002 else b"", opaque,
    )  # fmt: skip
