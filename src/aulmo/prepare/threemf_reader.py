"""3MF (3MF Consortium, core specification and materials extension). Runs only in the reading process."""

import io
import zipfile
from pathlib import Path
from typing import Callable
from xml.etree import ElementTree

import numpy as np

from aulmo.document.meshes import Mesh
from aulmo.errors import BadFile
from aulmo.prepare.raw_mesh import Piece, left_out, linear, mesh_of, worn_by

UNITS = {"micron": 0.001, "millimeter": 1.0, "centimeter": 10.0, "inch": 25.4, "foot": 304.8, "meter": 1000.0}
_WORDS = {"micron": "micrometres", "centimeter": "centimetres", "inch": "inches", "foot": "feet", "meter": "metres"}
_MOST_BYTES = 4 << 30


def _tag(element) -> str:
    return element.tag.rpartition("}")[2]


def _get(element, name: str, default: str = "") -> str:
    found = element.get(name)
    if found is None:
        found = next((v for k, v in element.items() if k.rpartition("}")[2] == name), default)
    return found


def read(path: Path, say: Callable[[str, float], None]) -> dict:
    """The objects that a 3MF file places, a face set for each further colour of one. Raises BadFile."""
    try:
        with zipfile.ZipFile(path) as archive:
            if sum(entry.file_size for entry in archive.infolist()) > _MOST_BYTES:
                raise BadFile("it unpacks to more than 4 GB")
            names = {n.lstrip("/").lower(): n for n in archive.namelist()}
            start = _start(archive, names)
            models = {n: archive.read(full) for n, full in names.items() if n.endswith(".model")}
    except (zipfile.BadZipFile, OSError, KeyError, ValueError, RuntimeError, NotImplementedError, EOFError) as error:
        raise BadFile("it is not a readable 3MF package") from error
    return _Package(path.stem, models, start, say).result()


def _start(archive, names: dict[str, str]) -> str:
    """The model that the package begins with."""
    if "_rels/.rels" in names:
        try:
            for element in ElementTree.fromstring(archive.read(names["_rels/.rels"])):
                if _get(element, "Type").endswith("/3dmodel"):
                    return _get(element, "Target").lstrip("/").lower()
        except ElementTree.ParseError:
            pass
    return next((n for n in names if n.endswith(".model")), "")


class _Package:
    def __init__(self, stem: str, models: dict[str, bytes], start: str, say) -> None:
        self.stem, self.models, self.start, self.say = stem, models, start, say
        self.objects: dict[tuple[str, str], dict] = {}
        self.colours: dict[tuple[str, str], list[tuple[str, list[float] | None]]] = {}
        self.read_models: set[str] = set()
        self.meshes: list[Mesh] = []
        self.nodes: list[dict] = []
        self.built: dict[tuple[str, str], dict | None] = {}
        self.lost = self.broken = 0
        self.unit = 1.0

    def result(self) -> dict:
        if self.start not in self.models:
            raise BadFile("it holds no model")
        root = self._model(self.start)
        named = (root.get("unit") or "millimeter").strip().lower()
        self.unit = UNITS.get(named, 1.0)
        items = [e for build in root if _tag(build) == "build" for e in build if _tag(e) == "item"]
        self.nodes.append({"name": self.stem, "parent": -1, "matrix": np.eye(4).tolist(), "mesh": None, "key": self.stem})
        for number, item in enumerate(items):
            self.say("Building meshes", 0.2 + 0.7 * number / len(items))
            model = _get(item, "path").lstrip("/").lower() or self.start
            self._place(model, item.get("objectid") or "", self._transform(item.get("transform")), 0, self.stem, 0)
        if not self.meshes:
            raise BadFile("it holds no usable triangles")
        top = [n for n in self.nodes if n["parent"] == 0]
        nodes = self.nodes if len(top) != 1 else [{**n, "parent": n["parent"] - 1} for n in self.nodes[1:]]
        word = _WORDS.get(named, "millimetres")
        notes = [f"The file is in {word}{'' if self.unit == 1 else ': brought to millimetres'}, z up", *left_out(self.lost, self.broken)]
        return {"nodes": nodes, "meshes": self.meshes, "shapes": [], "notes": notes, "up": "z", "unit_mm": self.unit}

    def _model(self, name: str):
        """The tree of a model; its objects and colours are noted."""
        try:
            root = ElementTree.parse(io.BytesIO(self.models[name])).getroot()
        except (ElementTree.ParseError, ValueError, LookupError) as error:
            raise BadFile("its description is damaged") from error
        self.read_models.add(name)
        for resources in (e for e in root if _tag(e) == "resources"):
            for element in resources:
                key = (name, element.get("id") or "")
                kind = _tag(element)
                if kind == "object":
                    self.objects[key] = {"element": element}
                elif kind == "basematerials":
                    self.colours[key] = [(e.get("name") or "", _colour(e.get("displaycolor"))) for e in element if _tag(e) == "base"]
                elif kind == "colorgroup":
                    self.colours[key] = [("", _colour(e.get("color"))) for e in element if _tag(e) == "color"]
        return root

    def _transform(self, text: str | None) -> np.ndarray:
        """Twelve numbers, rows of a matrix that vectors are multiplied with from the left."""
        matrix = np.eye(4)
        if text:
            try:
                values = np.array(text.split(), float)
            except ValueError:
                self.broken += 1
                return matrix
            if values.shape == (12,) and np.isfinite(values).all() and abs(np.linalg.det(values[:9].reshape(3, 3))) > 1e-18:
                matrix[:3, :3] = values[:9].reshape(3, 3).T
                matrix[:3, 3] = values[9:] * self.unit
            else:
                self.broken += 1
        return matrix

    def _place(self, model: str, number: str, matrix: np.ndarray, parent: int, key: str, level: int) -> None:
        if model not in self.read_models and model in self.models:
            self._model(model)
        found = self.objects.get((model, number))
        if found is None or level > 60 or len(self.nodes) > 200_000:
            self.broken += 1
            return
        element = found["element"]
        name = element.get("name") or f"Part {number}"
        key = f"{key}/{name}"
        made = self._built(model, number, element)
        self.nodes.append({"name": name, "parent": parent, "matrix": matrix.tolist(), "mesh": None, "key": key, **(made or {})})
        index = len(self.nodes) - 1
        for components in (e for e in element if _tag(e) == "components"):
            for component in components:
                inner = _get(component, "path").lstrip("/").lower() or model
                self._place(inner, component.get("objectid") or "", self._transform(component.get("transform")), index, key, level + 1)

    def _built(self, model: str, number: str, element) -> dict | None:
        key = (model, number)
        if key not in self.built:
            self.built[key] = self._mesh(model, element)
        return self.built[key]

    def _mesh(self, model: str, element) -> dict | None:
        mesh = next((e for e in element if _tag(e) == "mesh"), None)
        if mesh is None:
            return None
        points: list = []
        cells: list = []
        worn: list[tuple[str, str]] = []
        group, first = element.get("pid") or "", element.get("pindex") or "0"
        for part in mesh:
            if _tag(part) == "vertices":
                for v in part:
                    try:
                        points.append((float(v.get("x")), float(v.get("y")), float(v.get("z"))))
                    except (TypeError, ValueError):
                        points.append((np.nan, np.nan, np.nan))
            elif _tag(part) == "triangles":
                for t in part:
                    try:
                        cells.append((int(t.get("v1")), int(t.get("v2")), int(t.get("v3"))))
                    except (TypeError, ValueError):
                        self.lost += 1
                        continue
                    worn.append((t.get("pid") or group, t.get("p1") or first))
        if not cells:
            return None
        order = list(dict.fromkeys(worn))
        which = np.array([order.index(w) for w in worn]) if len(order) > 1 else np.zeros(len(worn), np.int64)
        spots, triangles = np.array(points, float).reshape(-1, 3), np.array(cells, np.int64)
        made, lost, kept = mesh_of([Piece(spots, triangles[which == k]) for k in range(len(order))], self.unit, numbered=len(order) > 1)
        self.lost += lost
        if made is None:
            return None
        self.meshes.append(made)
        materials = [self._material(model, *order[k]) for k in kept]
        return {"mesh": len(self.meshes) - 1, **worn_by(materials)}

    def _material(self, model: str, group: str, number: str) -> dict | None:
        held = self.colours.get((model, group), [])
        if not number.isdigit() or int(number) >= len(held):
            return None
        name, colour = held[int(number)]
        if colour is None:
            return {"name": name} if name else None
        made: dict = {"name": name or "Colour", "colour": colour[:3], "surface": {}}
        if colour[3] < 0.99:
            made["surface"] = {"transmission_weight": 1.0 - colour[3]}
        return made


def _colour(code: str | None) -> list[float] | None:
    """#RRGGBB or #RRGGBBAA as linear sRGB and opacity."""
    text = (code or "").lstrip("#")
    try:
        values = [int(text[k : k + 2], 16) / 255 for k in range(0, len(text), 2)]
    except ValueError:
        return None
    return [*linear(values[:3]), values[3] if len(values) > 3 else 1.0] if len(values) in (3, 4) else None
