"""OBJ with its materials, as it really comes: any encoding, odd numbers, broken lines. Runs only in the reading process."""

from pathlib import Path
from typing import Callable

import numpy as np

from aulmo.document.beside import beside
from aulmo.document.meshes import Mesh
from aulmo.errors import BadFile
from aulmo.prepare.cad_reader import decoded
from aulmo.prepare.raw_mesh import Piece, fans, left_out, linear, mesh_of, number, worn_by


def _numbers(lines: list[list[str]], least: int) -> np.ndarray:
    """(n, least) floats; bad ones are not a number, so that the count of lines stays right."""
    try:
        return np.array([line[1 : least + 1] for line in lines], float).reshape(len(lines), least)
    except ValueError:
        return np.array([([number(w) for w in line[1 : least + 1]] + [float("nan")] * least)[:least] for line in lines]).reshape(-1, least)


class _Lines:
    """What an OBJ file says, line by line."""

    def __init__(self, text: str) -> None:
        self.points: list[list[str]] = []
        self.uvs: list[list[str]] = []
        self.normals: list[list[str]] = []
        self.corners: list[int] = []  # three to a corner: point, uv, normal from one; 0 for none
        self.counts: list[int] = []
        self.marks: list[tuple[int, int]] = []  # of each polygon: part, material
        self.parts: list[str] = []
        self.materials: list[str] = []
        self.libraries: list[str] = []
        self.bad = self.lines = self.dots = 0
        part = material = -1
        for line in text.replace("\\\n", " ").replace("\\\r\n", " ").splitlines():
            words = line.split()
            if not words:
                continue
            first = words[0]
            if first == "v":
                self.points.append(words)
            elif first == "f":
                if not self._face(words[1:]):
                    self.bad += 1
                else:
                    self.marks.append((part, material))
            elif first == "vt":
                self.uvs.append(words)
            elif first == "vn":
                self.normals.append(words)
            elif first in ("o", "g"):
                name = line.strip()[1:].strip()
                if first == "o" or name not in ("", "default"):
                    part = self._index(self.parts, name or "Part")
            elif first == "usemtl":
                material = self._index(self.materials, line.strip()[6:].strip())
            elif first == "mtllib":
                self.libraries.append(line.strip()[6:].strip())
            elif first == "l":
                self.lines += 1
            elif first == "p":
                self.dots += 1

    @staticmethod
    def _index(names: list[str], name: str) -> int:
        if name not in names:
            names.append(name)
        return names.index(name)

    def _face(self, words: list[str]) -> bool:
        held: list[int] = []
        try:
            for word in words:
                if word.startswith("#"):
                    break
                pieces = word.split("/")
                for k, known in enumerate((self.points, self.uvs, self.normals)):
                    value = int(pieces[k]) if k < len(pieces) and pieces[k] else 0
                    held.append(value if value >= 0 else len(known) + 1 + value)
        except ValueError:
            return False
        if len(held) < 9 or min(held[::3]) < 1:
            return False
        self.corners += held
        self.counts.append(len(held) // 3)
        return True


def read(path: Path, say: Callable[[str, float], None]) -> dict:
    """The parts of an OBJ file, a part for each object or group, a face set for each further material. Raises BadFile."""
    found = _Lines(decoded(path.read_bytes()))
    if not found.counts:
        if found.lines or found.dots or (found.points and not found.bad):
            raise BadFile(f"it holds {'lines' if found.lines else 'points'} alone, and Aulmo needs surfaces")
        raise BadFile("it holds no triangles")
    say("Building meshes", 0.5)
    points, uvs, normals = _numbers(found.points, 3), _numbers(found.uvs, 2), _numbers(found.normals, 3)
    corners = np.array(found.corners, np.int64).reshape(-1, 3) - 1
    cells = fans(np.array(found.counts))
    marks = np.repeat(np.array(found.marks), np.maximum(np.array(found.counts) - 2, 0), axis=0)
    library = _library(path, found.libraries)
    nodes: list[dict] = []
    meshes: list[Mesh] = []
    images: list[bytes] = []
    lost = 0
    parts = [int(p) for p in dict.fromkeys(marks[:, 0].tolist())]
    if len(parts) > 1:
        nodes.append({"name": path.stem, "parent": -1, "matrix": np.eye(4).tolist(), "mesh": None, "key": path.stem})
    for part in parts:
        inside = marks[:, 0] == part
        worn = [int(m) for m in dict.fromkeys(marks[inside, 1].tolist())]
        pieces = [_piece(points, uvs, normals, corners, cells[inside & (marks[:, 1] == m)]) for m in worn]
        mesh, gone, kept = mesh_of(pieces, numbered=len(worn) > 1)
        lost += gone
        if mesh is None:
            continue
        own = [_worn(found.materials[worn[k]] if worn[k] >= 0 else "", library, images) for k in kept]
        name = found.parts[part] if part >= 0 else path.stem
        nodes.append(
            {
                "name": name, "parent": 0 if len(parts) > 1 else -1, "matrix": np.eye(4).tolist(), "mesh": len(meshes), **worn_by(own),
                "key": f"{path.stem}/{name}",
            }
        )  # fmt: skip
        meshes.append(mesh)
    if not meshes:
        raise BadFile("it holds no usable triangles")
    notes = ["The file has no unit: taken for millimetres, z up", *left_out(lost + found.bad)]
    missing = [name for name in found.libraries if not (path.parent / name).is_file()]
    notes += [f"Its materials in {missing[0]} are missing"] if missing else []
    return {"nodes": nodes, "meshes": meshes, "shapes": [], "images": images, "notes": notes, "up": "z", "unit_mm": 1.0}


def _piece(points, uvs, normals, corners, cells) -> Piece:
    """Corners that share point, coordinates and normal become one vertex."""
    used = corners[cells.reshape(-1)]
    unique, inverse = np.unique(used, axis=0, return_inverse=True)
    cells = inverse.reshape(-1, 3)
    at = np.where((unique[:, 0] >= 0) & (unique[:, 0] < len(points)), unique[:, 0], -1)
    spots = np.where((at >= 0)[:, None], points[at], np.nan) if len(points) else np.full((len(unique), 3), np.nan)

    def taken(values: np.ndarray, column: int) -> np.ndarray | None:
        which = unique[:, column]
        return values[which] if len(values) and (which >= 0).all() and (which < len(values)).all() else None

    return Piece(spots, cells, taken(normals, 2), taken(uvs, 1))


def _library(path: Path, names: list[str]) -> dict[str, dict[str, list[str]]]:
    """Materials of the libraries a file names: the words of each line by its key."""
    found: dict[str, dict[str, list[str]]] = {}
    for name in names:
        source = beside(path.parent, name.replace("\\", "/"))
        if source is None or source.stat().st_size > 64 << 20:
            continue
        current: dict[str, list[str]] = {}
        for line in decoded(source.read_bytes()).splitlines():
            words = line.split()
            if len(words) < 2 or words[0].startswith("#"):
                continue
            if words[0] == "newmtl":
                current = found.setdefault(line.strip()[6:].strip(), {})
            else:
                current[words[0]] = words[1:]
        found = {key: value | {"_folder": [str(source.parent)]} for key, value in found.items()}
    return found


def _worn(name: str, library: dict, images: list[bytes]) -> dict | None:
    """A material of a library as the document understands it (OpenPBR Surface)."""
    if name not in library:
        return {"name": name} if name else None
    lines = library[name]

    def value(key: str) -> float | None:
        held = number(lines[key][0]) if lines.get(key) else float("nan")
        return held if np.isfinite(held) else None

    def colour(key: str) -> list[float] | None:
        held = [number(w) for w in lines.get(key, [])[:3]]
        held = held * 3 if len(held) == 1 else held
        return linear(held) if len(held) == 3 and np.isfinite(held).all() else None

    surface: dict[str, float] = {}
    made: dict = {"name": name, "surface": surface}
    if (body := colour("Kd")) is not None:
        made["colour"] = body
    if (shine := value("Ns")) is not None:  # exponent to roughness: Walter et al. 2007, "Microfacet models for refraction", alpha = sqrt(2 / (n + 2))
        surface["specular_roughness"] = float(np.clip((2.0 / (max(0.0, shine) + 2.0)) ** 0.25, 0.0, 1.0))
    for key, target in (("Pr", "specular_roughness"), ("Pm", "base_metalness"), ("Pc", "coat_weight"), ("Pcr", "coat_roughness")):
        if (held := value(key)) is not None:
            surface[target] = float(np.clip(held, 0, 1))
    if (ior := value("Ni")) is not None and 1.0 < ior <= 3.0:
        surface["specular_ior"] = ior
    opacity = value("d")
    if opacity is None and (gone := value("Tr")) is not None:
        opacity = 1.0 - gone
    if opacity is not None and opacity < 0.99:
        surface["transmission_weight"] = float(np.clip(1.0 - opacity, 0, 1))
    glow = colour("Ke")
    if glow is not None and max(glow) > 0:
        made["emission"] = glow
    elif lines.get("map_Ke"):
        made["emission"] = [1.0, 1.0, 1.0]
    leads = _leads(lines, colour("Kd"), surface, images)
    if leads:
        made["leads"] = leads
        made["pictures"] = {one["target"]: (one["image"], one["ending"]) for one in leads if one["image"] is not None}
    return made


# what pictures lead, whether their values are colours, and the statements for them
_MAPS = {
    "base_color": (True, "map_Kd"),
    "specular_roughness": (False, "map_Pr"),
    "base_metalness": (False, "map_Pm"),
    "normal": (False, "norm"),
    "geometry_opacity": (False, "map_d"),
    "emission_color": (True, "map_Ke"),
    "coat_weight": (False, "map_Pc"),
    "height": (False, "map_Bump", "map_bump", "bump", "disp"),
}
_TAKES = {
    "-s": 3,
    "-o": 3,
    "-t": 3,
    "-mm": 2,
    "-bm": 1,
    "-clamp": 1,
    "-blendu": 1,
    "-blendv": 1,
    "-cc": 1,
    "-imfchan": 1,
    "-texres": 1,
    "-boost": 1,
    "-type": 1,
}
BUMP_MM = 1.0


def _statement(words: list[str]) -> tuple[str, dict[str, list[str]]]:
    """The file of a statement for a picture, and its options; a name may have blanks in it."""
    options: dict[str, list[str]] = {}
    k = 0
    while k < len(words) and words[k] in _TAKES:
        least = _TAKES[words[k]]
        end = k + 1
        while end < len(words) and end - k <= least and (least == 1 or number(words[end]) == number(words[end])):
            end += 1
        options[words[k]] = words[k + 1 : end]
        k = end
    return " ".join(words[k:]), options


def _leads(lines: dict[str, list[str]], body: list[float] | None, surface: dict, images: list[bytes]) -> list[dict]:
    """The pictures of a material of a library as what they lead (see `file_pictures.Lead`)."""
    found: dict[str, dict] = {}
    folder = Path(lines["_folder"][0])
    for target, in_colour, key in ((target, told[0], str(key)) for target, told in _MAPS.items() for key in told[1:]):
        if not lines.get(key):
            continue
        name, options = _statement(lines[key])
        plain = Path(name.replace("\\", "/"))
        held = beside(folder, str(plain)) or beside(folder, plain.name)
        source = held or plain
        blob = held.read_bytes() if held is not None and held.stat().st_size < 256 << 20 else None
        values = lambda option, start: [number(w) for w in options.get(option, [])][:2] + start[len(options.get(option, [])[:2]) :]  # noqa: E731
        scale, shift = values("-s", [1.0, 1.0]), values("-o", [0.0, 0.0])
        one: dict = {
            "target": target, "image": None, "file": source.name, "ending": source.suffix.lower(), "colour": in_colour,
            "transform": [v if np.isfinite(v) else 1.0 for v in scale] + [0.0] + [v if np.isfinite(v) else 0.0 for v in (shift[0], -shift[1])],
        }  # fmt: skip
        strength = number(options.get("-bm", ["1"])[0])
        if target == "height":
            if blob is not None and _is_normal_map(blob, source.name):
                one |= {"target": "normal", "strength": strength if np.isfinite(strength) else 1.0}
            else:
                one |= {"mm": BUMP_MM * (strength if np.isfinite(strength) else 1.0)}
        if target == "base_color" and body is not None and max(body) > 0 and not (min(body) > 0.4 and max(body) - min(body) < 0.02):
            one["factor"] = body
        if target == "geometry_opacity":
            one["channel"] = "alpha" if blob is not None and _sees_through(blob, source.name) else "red"
            surface.pop("transmission_weight", None)
        if one["target"] in found:
            continue
        if blob is not None:
            one["image"] = len(images)
            images.append(blob)
        found[one["target"]] = one
    return list(found.values())


def _is_normal_map(blob: bytes, name: str) -> bool:
    from aulmo.surface.picture import read_picture
    from aulmo.surface.picture_set import role_by_content

    try:
        return role_by_content(read_picture(blob, name, 1 << 18))[0] == "normal"
    except BadFile:
        return False


def _sees_through(blob: bytes, name: str) -> bool:
    from aulmo.surface.picture import read_picture

    try:
        return read_picture(blob, name, 1 << 16).codes.shape[2] in (2, 4)
    except BadFile:
        return False
