"""glTF and GLB (glTF 2.0, Khronos), with Draco, meshopt and quantized geometry. Runs only in the reading process."""

import base64
import json
import math
import struct
from pathlib import Path
from typing import Any, Callable
from urllib.parse import unquote

import numpy as np

from aulmo.document.beside import beside
from aulmo.errors import BadFile
from aulmo.prepare.file_cameras import noted, placed_in_file
from aulmo.prepare.file_motion import MOST_SAMPLES, samples
from aulmo.prepare.raw_mesh import Piece, left_out, mesh_of, strip, with_geometry, worn_by

METRE = 1000.0
_KINDS: dict[int, Any] = {5120: np.int8, 5121: np.uint8, 5122: np.int16, 5123: np.uint16, 5125: np.uint32, 5126: np.float32}
_WIDTHS = {"SCALAR": 1, "VEC2": 2, "VEC3": 3, "VEC4": 4, "MAT4": 16}


class _Broken(Exception):
    """Something within the file that can be left out."""


def read(path: Path, say: Callable[[str, float], None]) -> dict:
    """The nodes of a glTF file in its tree, a face set for each further material of a mesh. Raises BadFile."""
    return _Gltf(path, say).result()


class _Gltf:
    def __init__(self, path: Path, say: Callable[[str, float], None]) -> None:
        self.path, self.say = path, say
        blob = path.read_bytes()
        self.chunk = b""
        if blob[:4] == b"glTF":
            if len(blob) < 20:
                raise BadFile("it is cut short")
            at, text = 12, b""
            while at + 8 <= len(blob):
                length, kind = struct.unpack_from("<II", blob, at)
                piece = blob[at + 8 : at + 8 + length]
                if kind == 0x4E4F534A:
                    text = piece
                elif kind == 0x004E4942:
                    self.chunk = piece
                at += 8 + length
        else:
            text = blob
        try:
            self.json: dict = json.loads(text.decode("utf-8-sig").rstrip("\0 "))
        except (ValueError, RecursionError):
            raise BadFile("its description is damaged") from None
        if not isinstance(self.json, dict) or "asset" not in self.json:
            raise BadFile("it is no glTF file")
        version = str(self._dict(self.json.get("asset")).get("version", ""))
        if version and not version.startswith("2"):
            raise BadFile(f"it is glTF {version}, and Aulmo reads version 2")
        self.buffers: dict[int, bytes] = {}
        self.views: dict[int, bytes] = {}
        self.notes: list[str] = []
        self.images: list[bytes] = []
        self.image_of: dict[Any, tuple[int, str] | None] = {}
        self.meshes: list = []
        self.mesh_of: dict[tuple[int, float], tuple[int, list] | None] = {}
        self.nodes: list[dict] = []
        self.cameras: list[dict] = []
        self.lost = self.broken = self.flat = self.missing = 0
        self.second = False
        self.materials: dict[int, dict] = {}
        self.channels = self._animated()

    @staticmethod
    def _dict(value: Any) -> dict:
        return value if isinstance(value, dict) else {}

    def _list(self, key: str) -> list:
        value = self.json.get(key, [])
        return value if isinstance(value, list) else []

    def _entry(self, key: str, number: Any) -> dict:
        held = self._list(key)
        if not isinstance(number, int) or not 0 <= number < len(held) or not isinstance(held[number], dict):
            raise _Broken(f"{key} {number}")
        return held[number]

    # the tree

    def result(self) -> dict:
        scenes = self._list("scenes")
        wanted = self.json.get("scene", 0)
        roots: list = []
        if isinstance(wanted, int) and 0 <= wanted < len(scenes):
            roots = [n for n in self._dict(scenes[wanted]).get("nodes", []) if isinstance(n, int)]
        nodes = self._list("nodes")
        if not roots:
            under = {c for n in nodes for c in self._dict(n).get("children", []) if isinstance(c, int)}
            roots = [k for k in range(len(nodes)) if k not in under]
        self.nodes.append({"name": self.path.stem, "parent": -1, "matrix": np.eye(4).tolist(), "mesh": None, "key": self.path.stem})
        seen: set[int] = set()
        stack = [(root, 0, self.path.stem) for root in reversed(roots)]
        while stack:
            number, parent, key = stack.pop()
            if number in seen or not 0 <= number < len(nodes):
                continue
            seen.add(number)
            self.say("Building meshes", 0.2 + 0.7 * len(seen) / len(nodes))
            index, key = self._node(self._dict(nodes[number]), number, parent, key)
            children = self._dict(nodes[number]).get("children", [])
            stack.extend((c, index, key) for c in reversed(children if isinstance(children, list) else []) if isinstance(c, int))
        if not nodes:  # meshes that no node places
            for number in range(len(self._list("meshes"))):
                self._node({"mesh": number}, number, 0, self.path.stem)
        if not self.meshes:
            if self.flat:
                raise BadFile("it holds points and lines alone, and Aulmo needs surfaces")
            raise BadFile("it holds no usable triangles")
        notes = ["glTF is in metres with y up: brought to millimetres with z up", *left_out(self.lost, self.broken, self.missing)]
        if self.second:
            notes.append("Some pictures follow second coordinates of the file; they are laid by the first")
        kept = with_geometry(self.nodes)
        return {
            "nodes": kept, "meshes": self.meshes, "shapes": [], "images": self.images, "notes": notes + self.notes, "up": "y", "unit_mm": METRE,
            "cameras": self.cameras,
        }  # fmt: skip

    def _node(self, node: dict, number: int, parent: int, key: str) -> tuple[int, str]:
        name = str(node.get("name") or "")
        mesh = node.get("mesh")
        if not name and isinstance(mesh, int):
            held = self._list("meshes")
            name = str(self._dict(held[mesh]).get("name") or "") if 0 <= mesh < len(held) else ""
        name = name or f"Part {number + 1}"
        key = f"{key}/{name}"
        matrix = self._matrix(node)
        size = np.linalg.norm(matrix[:3, :3], axis=0)
        scale = 1.0
        moves = self._moves(number, node) if number in self.channels else []
        if not moves and not node.get("children") and np.ptp(size) < 1e-6 * size[0] and not 0.01 < size[0] < 100:
            scale = float(size[0])  # how a packer keeps whole numbers small, or a unit: no scale of the part
            matrix[:3, :3] /= scale
        made = self._mesh(mesh, scale) if isinstance(mesh, int) else None
        copies = self._instances(node) if made is not None else None
        own = made if made is not None and copies is None else None
        entry = {"name": name, "parent": parent, "matrix": matrix.tolist(), "mesh": None, "key": key, "moves": moves}
        self.nodes.append({**entry, **(own or {})})
        index = len(self.nodes) - 1
        if isinstance(node.get("camera"), int):
            self._camera(node["camera"], name, index)
        for k, copy in enumerate(copies if copies is not None else ()):
            self.nodes.append({"name": name, "parent": index, "matrix": copy.tolist(), "key": f"{key} {k + 1}", **(made or {})})
        return index, key

    def _camera(self, number: int, name: str, index: int) -> None:
        held = self._list("cameras")
        told = self._dict(held[number]) if 0 <= number < len(held) else {}
        matrix = placed_in_file(self.nodes, index)
        try:
            seen = self._dict(told.get(str(told.get("type"))))
            if told.get("type") == "perspective":
                tall, shape = float(seen["yfov"]), float(seen.get("aspectRatio", 1.5))
                one = noted(name, matrix, fov_x=2 * math.atan(math.tan(tall / 2) * shape))
            else:
                one = noted(name, matrix, span_mm=2 * float(seen["xmag"]) * METRE)
        except (KeyError, TypeError, ValueError):
            one = None
        if one is not None:
            self.cameras.append(one)

    def _matrix(self, node: dict) -> np.ndarray:
        matrix = np.eye(4)
        try:
            if "matrix" in node:
                matrix = np.array(node["matrix"], float).reshape(4, 4).T
            else:
                matrix = _placed(node.get("translation", (0, 0, 0)), node.get("rotation"), node.get("scale", (1, 1, 1)))
        except (ValueError, TypeError):
            self.broken += 1
            matrix = np.eye(4)
        if matrix.shape != (4, 4) or not np.isfinite(matrix).all() or abs(np.linalg.det(matrix[:3, :3])) < 1e-18:
            return np.eye(4)
        matrix = matrix.copy()
        matrix[:3, 3] *= METRE
        return matrix

    def _animated(self) -> dict[int, dict[str, dict]]:
        """By node, the samplers that lead its translation, rotation and scale; of several animations the first that does."""
        found: dict[int, dict[str, dict]] = {}
        for animation in self._list("animations"):
            told = self._dict(animation)
            samplers = told.get("samplers", [])
            for channel in told.get("channels", []) if isinstance(told.get("channels"), list) else []:
                target, number = self._dict(self._dict(channel).get("target")), self._dict(channel).get("sampler")
                node, path = target.get("node"), target.get("path")
                known = isinstance(samplers, list) and isinstance(number, int) and 0 <= number < len(samplers)
                if known and isinstance(node, int) and path in ("translation", "rotation", "scale"):
                    found.setdefault(node, {}).setdefault(path, self._dict(samplers[number]))
        return found

    def _moves(self, number: int, node: dict) -> list[list]:
        """What the file's animations do to a node, as `file_motion.samples`; nothing where it is damaged."""
        start = {"translation": (0, 0, 0), "rotation": (0, 0, 0, 1), "scale": (1, 1, 1)}
        try:
            tracks = {path: _Channel(self._accessor(s.get("input")), self._accessor(s.get("output")), str(s.get("interpolation", "LINEAR")))
                      for path, s in self.channels[number].items()}  # fmt: skip
            times = np.unique(np.concatenate([t.asked() for t in tracks.values()]))[:MOST_SAMPLES]
            matrices = []
            for time in times:
                own = {p: tracks[p].at(float(time)) if p in tracks else node.get(p, start[p]) for p in start}
                matrix = _placed(own["translation"], own["rotation"], own["scale"])
                matrix[:3, 3] *= METRE
                matrices.append(matrix)
        except (_Broken, ValueError, TypeError, IndexError):
            self.broken += 1
            return []
        return samples(times.tolist(), matrices, all(t.how == "STEP" for t in tracks.values()))

    def _instances(self, node: dict) -> list[np.ndarray] | None:
        """Places of EXT_mesh_gpu_instancing."""
        held = self._dict(self._dict(node.get("extensions")).get("EXT_mesh_gpu_instancing")).get("attributes")
        if not isinstance(held, dict):
            return None
        try:
            found = {k: self._accessor(v) for k, v in held.items() if k in ("TRANSLATION", "ROTATION", "SCALE")}
        except _Broken:
            self.broken += 1
            return None
        count = max((len(v) for v in found.values()), default=0)
        start = {"TRANSLATION": (0, 0, 0), "ROTATION": (0, 0, 0, 1), "SCALE": (1, 1, 1)}
        places = [_placed(*(found[k][n] if k in found else start[k] for k in start)) for n in range(count)]
        for place in places:
            place[:3, 3] *= METRE
        return [p for p in places if np.isfinite(p).all() and abs(np.linalg.det(p[:3, :3])) > 1e-18]

    # geometry

    def _mesh(self, number: int, scale: float) -> dict | None:
        key = (number, float(f"{scale:.9g}"))
        if key not in self.mesh_of:
            self.mesh_of[key] = self._built(number, scale)
        found = self.mesh_of[key]
        if found is None:
            return None
        index, worn = found
        materials = [self._material(w) for w in worn]
        return {"mesh": index, **worn_by(materials)}

    def _built(self, number: int, scale: float) -> tuple[int, list] | None:
        try:
            primitives = self._entry("meshes", number).get("primitives", [])
        except _Broken:
            self.broken += 1
            return None
        pieces: list[Piece] = []
        worn: list = []
        for primitive in primitives if isinstance(primitives, list) else []:
            primitive = self._dict(primitive)
            mode = primitive.get("mode", 4)
            if mode not in (4, 5, 6):
                self.flat += 1
                continue
            try:
                pieces.append(self._piece(primitive, mode))
                worn.append(primitive.get("material"))
            except (_Broken, KeyError, ValueError, TypeError, OverflowError, struct.error):
                self.broken += 1
        order = list(dict.fromkeys(worn))
        joined = [_together([p for p, w in zip(pieces, worn) if w == one]) for one in order]
        mesh, lost, kept = mesh_of(joined, METRE * scale, numbered=len(order) > 1)
        self.lost += lost
        if mesh is None:
            return None
        self.meshes.append(mesh)
        return len(self.meshes) - 1, [order[k] for k in kept]

    def _piece(self, primitive: dict, mode: int) -> Piece:
        names = self._dict(primitive.get("attributes"))
        packed = self._dict(self._dict(primitive.get("extensions")).get("KHR_draco_mesh_compression"))
        if packed:
            return self._draco(packed)
        positions = self._accessor(names["POSITION"])
        if positions.shape[1] != 3:
            raise _Broken("positions")
        cells = np.arange(len(positions)) if "indices" not in primitive else self._accessor(primitive["indices"], raw=True).reshape(-1)
        normals = self._optional(names.get("NORMAL"), len(positions), 3)
        uv = self._optional(names.get("TEXCOORD_0"), len(positions), 2)
        if uv is not None:
            uv = np.column_stack([uv[:, 0], 1.0 - uv[:, 1]])
        return Piece(positions, strip(cells, mode), normals, uv)

    def _optional(self, number: Any, count: int, width: int) -> np.ndarray | None:
        if number is None:
            return None
        try:
            found = self._accessor(number)
        except (_Broken, ValueError, TypeError):
            return None
        return found if found.shape == (count, width) else None

    def _draco(self, packed: dict) -> Piece:
        import DracoPy

        try:
            mesh = DracoPy.decode(self._view(packed["bufferView"]))
        except Exception as error:
            raise _Broken(str(error)) from None
        cells = getattr(mesh, "faces", None)
        if cells is None or not len(cells):
            raise _Broken("a cloud of points")
        uv = mesh.tex_coord if mesh.tex_coord is not None and len(mesh.tex_coord) else None
        if uv is not None:
            uv = np.column_stack([uv[:, 0], 1.0 - uv[:, 1]])
        return Piece(np.asarray(mesh.points), np.asarray(cells), mesh.normals if mesh.normals is not None and len(mesh.normals) else None, uv)

    def _accessor(self, number: Any, raw: bool = False) -> np.ndarray:
        """(n, width) of an accessor; whole numbers that stand for shares become them unless `raw`."""
        accessor = self._entry("accessors", number)
        kind, width, count = _KINDS[accessor["componentType"]], _WIDTHS[accessor["type"]], int(accessor["count"])
        if not 0 <= count < 1 << 28:
            raise _Broken("count")
        values = np.zeros((count, width), kind)
        if "bufferView" in accessor:
            values = self._strided(
                self._view(accessor["bufferView"]), self._entry("bufferViews", accessor["bufferView"]), accessor, kind, width, count
            )
        if "sparse" in accessor:
            values = self._sparse(values.copy(), accessor["sparse"], kind, width)
        if raw:
            return values.astype(np.int64)
        found = values.astype(float)
        if accessor.get("normalized") and kind is not np.float32:
            found = np.maximum(found / np.iinfo(np.dtype(kind)).max, -1.0)
        return found

    @staticmethod
    def _strided(data: bytes, view: dict, accessor: dict, kind, width: int, count: int) -> np.ndarray:
        size = np.dtype(kind).itemsize * width
        step = int(view.get("byteStride", size))
        start = int(accessor.get("byteOffset", 0))
        if start < 0 or step < size:
            raise _Broken("stride")
        fits = 0 if len(data) < start + size else (len(data) - start - size) // step + 1
        if fits < count:  # cut short: what is there is taken, the rest is not a number
            if fits == 0 or kind is not np.float32:
                raise _Broken("cut short")
        count_there = min(count, fits)
        rows = np.lib.stride_tricks.as_strided(
            np.frombuffer(data, np.uint8, offset=start), (count_there, size), (step, 1), writeable=False
        )  # fmt: skip
        values = np.ascontiguousarray(rows).view(kind).reshape(count_there, width)
        if count_there < count:
            values = np.concatenate([values, np.full((count - count_there, width), np.nan, kind)])
        return values

    def _sparse(self, values: np.ndarray, sparse: dict, kind, width: int) -> np.ndarray:
        count = int(sparse["count"])
        where, what = sparse["indices"], sparse["values"]
        at_kind = _KINDS[where["componentType"]]
        at = np.frombuffer(self._view(where["bufferView"]), at_kind, count, int(where.get("byteOffset", 0))).astype(np.int64)
        fresh = np.frombuffer(self._view(what["bufferView"]), kind, count * width, int(what.get("byteOffset", 0))).reshape(count, width)
        good = (at >= 0) & (at < len(values))
        values[at[good]] = fresh[good]
        return values

    def _view(self, number: Any) -> bytes:
        if number not in self.views:
            view = self._entry("bufferViews", number)
            held = self._dict(view.get("extensions"))
            packed = self._dict(held.get("EXT_meshopt_compression") or held.get("KHR_meshopt_compression"))
            if packed:
                from aulmo.prepare import meshopt

                source = self._slice(packed)
                try:
                    self.views[number] = meshopt.decode(
                        source, packed["mode"], int(packed["count"]), int(packed["byteStride"]), packed.get("filter", "NONE")
                    )
                except (ValueError, IndexError, KeyError) as error:
                    raise _Broken(str(error)) from None
            else:
                self.views[number] = self._slice(view)
        return self.views[number]

    def _slice(self, view: dict) -> bytes:
        data = self._buffer(view.get("buffer", 0))
        start = int(view.get("byteOffset", 0))
        if not 0 <= start <= len(data):
            raise _Broken("buffer view")
        return data[start : start + int(view["byteLength"])]

    def _buffer(self, number: Any) -> bytes:
        if number not in self.buffers:
            buffer = self._entry("buffers", number)
            uri = buffer.get("uri")
            if uri is None:
                if number != 0 or not self.chunk:
                    raise _Broken("no buffer")
                self.buffers[number] = self.chunk
            else:
                found = self._uri(uri)
                if found is None:
                    if not str(uri).startswith("data:"):
                        raise BadFile(f"its file {unquote(str(uri))[:80]} is missing")
                    raise _Broken("buffer")
                self.buffers[number] = found
        return self.buffers[number]

    def _uri(self, uri: Any) -> bytes | None:
        if not isinstance(uri, str):
            return None
        if uri.startswith("data:"):
            try:
                return base64.b64decode(uri.partition(",")[2] + "==")
            except ValueError:
                return None
        if "://" in uri:
            return None
        source = beside(self.path.parent, unquote(uri))
        try:
            return source.read_bytes() if source is not None else None
        except OSError:
            return None

    # materials

    def _picture(self, info: Any) -> tuple[int, str] | None:
        """The number and ending of a texture's picture; None when it is missing."""
        try:
            texture = self._entry("textures", self._dict(info).get("index"))
        except _Broken:
            return None
        number = texture.get("source")
        for extension in ("EXT_texture_webp",):
            number = self._dict(self._dict(texture.get("extensions")).get(extension)).get("source", number)
        if number not in self.image_of:
            self.image_of[number] = self._image(number)
        return self.image_of[number]

    def _image(self, number: Any) -> tuple[int, str] | None:
        blob: bytes | None = None
        try:
            image = self._entry("images", number)
            blob = self._view(image["bufferView"]) if "bufferView" in image else self._uri(image.get("uri"))
        except (_Broken, KeyError, ValueError, TypeError):
            blob = None
        if not blob:
            self.missing += 1
            return None
        ending = ".jpg" if blob[:2] == b"\xff\xd8" else ".png" if blob[:4] == b"\x89PNG" else ".webp" if blob[8:12] == b"WEBP" else ".bin"
        self.images.append(blob)
        return len(self.images) - 1, ending

    def _material(self, number: Any) -> dict | None:
        if not isinstance(number, int):
            return None
        if number not in self.materials:
            try:
                self.materials[number] = self._described(self._entry("materials", number), number)
            except (_Broken, ValueError, TypeError, AttributeError):
                self.materials[number] = {"name": f"Material {number + 1}"}
        return self.materials[number]

    def _described(self, material: dict, number: int) -> dict:
        """A material in the words of OpenPBR Surface; see the glTF 2.0 specification, 3.9, and its KHR_materials extensions."""
        body = self._dict(material.get("pbrMetallicRoughness"))
        more = {k: self._dict(v) for k, v in self._dict(material.get("extensions")).items()}
        colour = [_number(v, 1.0) for v in (body.get("baseColorFactor") or [1, 1, 1, 1])]
        surface: dict[str, Any] = {
            "base_metalness": _share(body.get("metallicFactor"), 1.0), "specular_roughness": _share(body.get("roughnessFactor"), 1.0),
        }  # fmt: skip
        made: dict = {"name": str(material.get("name") or f"Material {number + 1}"), "colour": colour[:3], "surface": surface}
        alpha = colour[3] if len(colour) > 3 else 1.0
        if material.get("alphaMode") == "BLEND" and alpha < 1:
            surface["geometry_opacity"] = float(np.clip(alpha, 0, 1))
        if material.get("alphaMode") == "MASK" and alpha < _number(material.get("alphaCutoff"), 0.5):
            surface["geometry_opacity"] = 0.0
        if "KHR_materials_ior" in more:
            surface["specular_ior"] = float(np.clip(_number(more["KHR_materials_ior"].get("ior"), 1.5), 1.0, 5.0))
        if "KHR_materials_specular" in more:
            surface["specular_weight"] = _share(more["KHR_materials_specular"].get("specularFactor"), 1.0)
        if "KHR_materials_transmission" in more:
            surface["transmission_weight"] = _share(more["KHR_materials_transmission"].get("transmissionFactor"), 0.0)
            made["transmission_color"] = colour[:3]
            volume = more.get("KHR_materials_volume", {})
            depth = _number(volume.get("attenuationDistance"), 0.0) * METRE
            if 0 < depth < 1e6:
                surface["transmission_depth"] = depth
                made["transmission_color"] = [_number(v, 1.0) for v in (volume.get("attenuationColor") or [1, 1, 1])]
            surface["geometry_thin_walled"] = _number(volume.get("thicknessFactor"), 0.0) <= 0 and "KHR_materials_volume" not in more
        if "KHR_materials_clearcoat" in more:
            coat = more["KHR_materials_clearcoat"]
            surface["coat_weight"] = _share(coat.get("clearcoatFactor"), 0.0)
            surface["coat_roughness"] = _share(coat.get("clearcoatRoughnessFactor"), 0.0)
        if "KHR_materials_sheen" in more:
            sheen = more["KHR_materials_sheen"]
            tint = [_number(v, 0.0) for v in (sheen.get("sheenColorFactor") or [0, 0, 0])]
            if max(tint) > 0:
                surface["fuzz_weight"], surface["fuzz_roughness"] = 1.0, _share(sheen.get("sheenRoughnessFactor"), 0.0)
                made["fuzz_color"] = tint
        glow = [_number(v, 0.0) for v in (material.get("emissiveFactor") or [0, 0, 0])]
        if max(glow) > 0:
            made["emission"] = glow
            made["emission_nits"] = 1000.0 * float(
                np.clip(_number(more.get("KHR_materials_emissive_strength", {}).get("emissiveStrength"), 1.0), 0, 1e6)
            )
        self._wire(made, material, body, more)
        pictures = {
            "base_color": body.get("baseColorTexture"), "metalness_roughness": body.get("metallicRoughnessTexture"),
            "normal": material.get("normalTexture"), "occlusion": material.get("occlusionTexture"), "emission_color": material.get("emissiveTexture"),
        }  # fmt: skip
        made["pictures"] = {key: found for key, info in pictures.items() if info is not None and (found := self._picture(info)) is not None}
        return made

    def _wire(self, made: dict, material: dict, body: dict, more: dict) -> None:
        """The pictures of a material as what they lead (see `file_pictures.Lead`); glTF 2.0, 3.9.2 to 3.9.4."""
        leads: list[dict] = []

        def lead(info: Any, target: str, channel: str = "solid", **own: Any) -> None:
            info = self._dict(info)
            if "index" not in info:
                return
            found = self._picture(info)
            moved = self._dict(self._dict(info.get("extensions")).get("KHR_texture_transform"))
            if _number(moved.get("texCoord", info.get("texCoord")), 0) != 0:
                self.second = True
            scale, offset = (list(moved.get(k) or start) + start for k, start in (("scale", [1.0, 1.0]), ("offset", [0.0, 0.0])))
            leads.append({
                "target": target, "image": None if found is None else found[0], "ending": "" if found is None else found[1],
                "file": self._file_of(info), "channel": channel,
                "transform": [
                    _number(scale[0], 1.0), _number(scale[1], 1.0), float(np.degrees(_number(moved.get("rotation"), 0.0))), _number(offset[0], 0.0),
                    _number(offset[1], 0.0),
                ], **own,
            })  # fmt: skip

        colour = [_number(v, 1.0) for v in (body.get("baseColorFactor") or [1, 1, 1, 1])]
        base = body.get("baseColorTexture")
        lead(base, "base_color", colour=True, factor=colour[:3])
        mode = material.get("alphaMode")
        if mode in ("MASK", "BLEND"):
            alpha = max(1e-3, colour[3] if len(colour) > 3 else 1.0)
            cut = float(np.clip(_number(material.get("alphaCutoff"), 0.5) / alpha, 0.005, 0.995)) if mode == "MASK" else None
            lead(base, "geometry_opacity", "alpha", factor=None if mode == "MASK" else alpha, cut=cut)
        rough = body.get("metallicRoughnessTexture")
        lead(rough, "specular_roughness", "green", factor=_share(body.get("roughnessFactor"), 1.0))
        lead(rough, "base_metalness", "blue", factor=_share(body.get("metallicFactor"), 1.0))
        lead(material.get("normalTexture"), "normal", strength=_number(self._dict(material.get("normalTexture")).get("scale"), 1.0))
        shade = material.get("occlusionTexture")
        lead(shade, "base_weight", "red", low=1.0 - _share(self._dict(shade).get("strength"), 1.0))
        glow = [_number(v, 0.0) for v in (material.get("emissiveFactor") or [0, 0, 0])]
        if max(glow) > 0:
            lead(material.get("emissiveTexture"), "emission_color", colour=True)
        coat = more.get("KHR_materials_clearcoat", {})
        lead(coat.get("clearcoatTexture"), "coat_weight", "red", factor=_share(coat.get("clearcoatFactor"), 0.0))
        lead(coat.get("clearcoatRoughnessTexture"), "coat_roughness", "green", factor=_share(coat.get("clearcoatRoughnessFactor"), 0.0))
        lead(coat.get("clearcoatNormalTexture"), "coat_normal")
        clear = more.get("KHR_materials_transmission", {})
        lead(clear.get("transmissionTexture"), "transmission_weight", "red", factor=_share(clear.get("transmissionFactor"), 0.0))
        shine = more.get("KHR_materials_specular", {})
        tint = [_number(v, 1.0) for v in (shine.get("specularColorFactor") or [1, 1, 1])]
        if min(tint) < 1:
            made["specular_color"] = tint
        lead(shine.get("specularColorTexture"), "specular_color", colour=True, factor=tint)
        sheen = more.get("KHR_materials_sheen", {})
        if made["surface"].get("fuzz_weight"):
            lead(sheen.get("sheenColorTexture"), "fuzz_weight", "red")
        if leads:
            made["leads"] = leads

    def _file_of(self, info: dict) -> str:
        try:
            image = self._entry("images", self._entry("textures", info.get("index")).get("source"))
        except _Broken:
            return "picture"
        uri = image.get("uri")
        return Path(unquote(uri)).name if isinstance(uri, str) and not uri.startswith("data:") else str(image.get("name") or "picture")


class _Channel:
    """One animated value of a node (glTF 2.0, appendix C): times (n,), values, and how it goes between them."""

    def __init__(self, times: np.ndarray, values: np.ndarray, how: str) -> None:
        self.times, self.how = np.asarray(times, float).ravel(), how
        values = np.asarray(values, float)
        if self.how == "CUBICSPLINE":
            values = values.reshape(len(self.times), 3, -1)
        if len(values) != len(self.times) or not len(self.times) or (np.diff(self.times) <= 0).any():
            raise ValueError("times and values do not fit")
        self.values = values

    def asked(self) -> np.ndarray:
        """The times at which the value has to be known; a curve also thirty times a second."""
        if self.how != "CUBICSPLINE" or len(self.times) < 2:
            return self.times
        count = int(min(MOST_SAMPLES, (self.times[-1] - self.times[0]) * 30)) + 2
        return np.concatenate([self.times, np.linspace(self.times[0], self.times[-1], count)])

    def at(self, time: float) -> np.ndarray:
        """The value at a time in seconds."""
        from scipy.spatial.transform import Rotation, Slerp

        t, v = self.times, self.values
        k = int(np.clip(np.searchsorted(t, time, "right") - 1, 0, max(0, len(t) - 2)))
        spline = self.how == "CUBICSPLINE"
        if len(t) == 1 or time <= t[0]:
            return np.asarray(v[0, 1] if spline else v[0])
        if time >= t[-1]:
            return np.asarray(v[-1, 1] if spline else v[-1])
        if self.how == "STEP":
            return np.asarray(v[k])
        gap = t[k + 1] - t[k]
        s = (time - t[k]) / gap
        if spline:
            a, b, c, d = 2 * s**3 - 3 * s**2 + 1, gap * (s**3 - 2 * s**2 + s), -2 * s**3 + 3 * s**2, gap * (s**3 - s**2)
            return np.asarray(a * v[k, 1] + b * v[k, 2] + c * v[k + 1, 1] + d * v[k + 1, 0])
        if v.shape[1] == 4:
            return np.asarray(Slerp([0.0, 1.0], Rotation.from_quat(v[k : k + 2]))(s).as_quat())
        return np.asarray(v[k] + s * (v[k + 1] - v[k]))


def _together(pieces: list[Piece]) -> Piece:
    if len(pieces) == 1:
        return pieces[0]
    starts = np.cumsum([0] + [len(p.positions) for p in pieces])
    cells = np.concatenate([np.where(p.triangles < len(p.positions), p.triangles + s, -1) for p, s in zip(pieces, starts)])
    normals = [p.normals for p in pieces if p.normals is not None]
    uv = [p.uv for p in pieces if p.uv is not None]
    return Piece(
        np.concatenate([p.positions for p in pieces]), cells, np.concatenate(normals) if len(normals) == len(pieces) else None,
        np.concatenate(uv) if len(uv) == len(pieces) else None,
    )  # fmt: skip


def _placed(translation, rotation, scale) -> np.ndarray:
    """(4, 4) of glTF's translation, rotation (x, y, z, w; None for none) and scale."""
    from scipy.spatial.transform import Rotation

    matrix = np.eye(4)
    linear = matrix[:3, :3].copy()
    if rotation is not None:
        turn = np.array(rotation, float)
        length = float(np.linalg.norm(turn))
        linear = Rotation.from_quat(turn / length).as_matrix() if 1e-9 < length < 1e9 else linear
    matrix[:3, :3] = linear * np.array(scale, float).reshape(3)
    matrix[:3, 3] = np.array(translation, float).reshape(3)
    return matrix


def _number(value: Any, other: float) -> float:
    return float(value) if isinstance(value, (int, float)) and not isinstance(value, bool) and np.isfinite(value) else other


def _share(value: Any, other: float) -> float:
    return float(np.clip(_number(value, other), 0.0, 1.0))
