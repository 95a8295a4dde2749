"""Bringing files into the document: read them in a process of their own, add their parts, dress them, put them on the floor."""

import json
from pathlib import Path
from typing import Callable, NamedTuple, Sequence

import numpy as np
from msgspec.structs import replace

from aulmo.document import edits
from aulmo.document.apart import Progress
from aulmo.document.assets import AssetStore
from aulmo.document.meshes import digest_of_file
from aulmo.document.placement import from_matrix, to_matrix
from aulmo.document.quantity import counted
from aulmo.document.records import Camera, Document, FaceSet, Finesse, Material, Mend, Part, Piece, Selection, Source, Surface
from aulmo.errors import AulmoError, BadFile
from aulmo.prepare import arrange
from aulmo.prepare.choices import likelier_unit, turn_up, unit_name
from aulmo.prepare.cutting import as_piece
from aulmo.prepare.file_cameras import cameras, moved
from aulmo.prepare.file_motion import with_file_keys
from aulmo.prepare.file_pictures import wired
from aulmo.prepare.health.mend_mesh import mended_again
from aulmo.prepare.read_process import CAD, MESH
from aulmo.prepare.reading import Cancelled, Found, read_file, read_shapes
from aulmo.prepare.revision.state import Said, kept, said_of, stood
from aulmo.prepare.starting_surface import starting_material
from aulmo.surface.colour import from_srgb
from aulmo.surface.picture import read_picture

READABLE = CAD + MESH
APART = 1.15  # of their width, between files that would stand within each other


class Imported(NamedTuple):
    """A document with files' parts in it, their roots, the choices that were made, and sentences about files that could not be read."""

    document: Document
    roots: tuple[str, ...]
    notes: tuple[str, ...]
    failures: tuple[str, ...] = ()


def import_file(
    document: Document, assets: AssetStore, path: Path, finesse: Finesse | None = None, progress: Progress = None, whole: bool = False,
    dressed: bool = True,
) -> Imported:  # fmt: skip
    """Read a CAD or mesh file into the document: resting on the floor, centred, wearing its own colours.

    `whole` keeps a product of several solids one part; `dressed` lets plain colours look made of something. Raises BadFile with one
    sentence; the document is then as it was.
    """
    return import_files(document, assets, [path], finesse, progress, whole, dressed)


def import_files(
    document: Document, assets: AssetStore, paths: Sequence[Path], finesse: Finesse | None = None, progress: Progress = None, whole: bool = False,
    dressed: bool = True,
) -> Imported:  # fmt: skip
    """Several files at once. Those of one set keep their places to each other; where they would stand within each other they come side by side.

    A file that cannot be read is told in `failures`. Raises BadFile when none can, or Cancelled.
    """
    read: list[Imported] = []
    there = frozenset(document.cameras)
    names: list[str] = []
    failures: list[str] = []
    finesse = finesse or Finesse()
    for number, path in enumerate(map(Path, paths)):

        def told(text: str, share: float, number: int = number, path: Path = path) -> bool:
            words = text if len(paths) == 1 else f"{path.name}: {text}"
            return progress is None or progress(words, (number + share) / len(paths)) is not False

        try:
            _check(path)
            found = read_file(path, finesse, whole, told)
            read.append(_Added(read[-1].document if read else document, assets, path, finesse, found, whole, dressed).result())
            names.append(path.name)
        except Cancelled:
            raise
        except AulmoError as error:
            failures.append(str(error))
    if not read:
        raise BadFile(" ".join(failures[:3]) or "There is no file to bring in.")
    document = read[-1].document
    roots = tuple(r for one in read for r in one.roots)
    boxes = [arrange.bounds(document, assets, one.roots) for one in read]
    if len(read) > 1 and any(_within(a, b) for k, a in enumerate(boxes) for b in boxes[:k]):
        right = 0.0
        for one, box in zip(read, boxes):
            document = arrange.centre(arrange.rest_on_floor(document, assets, one.roots), assets, one.roots)
            if box is not None:
                wide = float(box[1][0] - box[0][0])
                document = arrange.move_in_world(document, one.roots, (right + wide / 2, 0.0, 0.0))
                right += wide * APART
        document = arrange.centre(document, assets, roots)
    else:
        document = arrange.centre(arrange.rest_on_floor(document, assets, roots), assets, roots)
    document = _cameras_along(document, read, set(there))
    notes = tuple(n if len(read) == 1 else f"{name}: {n}" for one, name in zip(read, names) for n in one.notes)
    return Imported(document, roots, notes, tuple(failures))


def _cameras_along(document: Document, read: list[Imported], there: set[str]) -> Document:
    """Cameras of files go where their parts went when those were put on the floor; those that were `there` before stay."""
    for one in read:
        own = [c for i, c in one.document.cameras.items() if i not in there]
        there |= set(one.document.cameras)
        if own and one.roots:
            root = one.roots[0]
            change = to_matrix(document.parts[root].placement) @ np.linalg.inv(to_matrix(one.document.parts[root].placement))
            for camera in own:
                document = edits.put_camera(document, moved(camera, change))
    return document


def read_alone(
    assets: AssetStore, path: Path, finesse: Finesse, progress: Progress = None, whole: bool = False, dressed: bool = True
) -> Document:  # fmt: skip
    """What a file holds as a document of its own, where the file has it. Raises BadFile or Cancelled."""
    _check(path)
    return _Added(Document(), assets, path, finesse, read_file(path, finesse, whole, progress), whole, dressed).result().document


def _within(one: tuple | None, other: tuple | None) -> bool:
    """Whether two boxes share more than half of the smaller one."""
    if one is None or other is None:
        return False
    shared = np.minimum(one[1], other[1]) - np.maximum(one[0], other[0])
    sizes = [np.maximum(box[1] - box[0], 1e-9) for box in (one, other)]
    return bool((shared > 0).all() and np.prod(shared) > 0.5 * min(np.prod(s) for s in sizes))


def _check(path: Path) -> None:
    if path.suffix.lower() not in READABLE:
        raise BadFile(f"{path.name} is not a kind of file Aulmo reads; it reads {', '.join(s.lstrip('.').upper() for s in READABLE)}.")
    if not path.is_file():
        raise BadFile(f"There is no file {path}.")
    if path.stat().st_size == 0:
        raise BadFile(f"{path.name} could not be read: it is empty.")


class _Added:
    """Makes parts, materials, selections and the record of a file."""

    def __init__(
        self, document: Document, assets: AssetStore, path: Path, finesse: Finesse, found: Found, whole: bool, dressed: bool
    ) -> None:  # fmt: skip
        self.document, self.assets, self.path, self.finesse, self.found = document, assets, path, finesse, found
        self.whole, self.dressed = whole, dressed
        self.meshes = [assets.add_mesh(mesh) for mesh in found.meshes]
        self.shapes = [assets.add(blob, ".shape") for blob in found.shapes]
        self.worn: dict[str, Material] = {}
        self.pictures: dict[int, str | None] = {}
        self.names = edits.Names(m.name for m in document.materials.values())

    def result(self) -> Imported:
        """The document with the file's parts, where the file has them."""
        index = self.found.told
        nodes = index["nodes"]
        ids = [edits.new_id() for _ in nodes]
        children: list[list[str]] = [[] for _ in nodes]
        for number, node in enumerate(nodes):
            if node["parent"] >= 0:
                children[node["parent"]].append(ids[number])
        names: dict[str | None, edits.Names] = {}
        parts, roots = [], []
        turn = turn_up(index.get("up", "z"))
        for number, node in enumerate(nodes):
            parent = ids[node["parent"]] if node["parent"] >= 0 else None
            name = names.setdefault(parent, edits.Names()).free(node["name"] or "Part")
            placement = np.array(node["matrix"]) if parent is not None else turn @ np.array(node["matrix"])
            parts.append(self._part(ids[number], name, parent, tuple(children[number]), placement, node))
            if parent is None:
                roots.append(ids[number])
        document = self.document
        for fresh in self.worn.values():
            document = edits.put_material(document, fresh)
        document = edits.add_parts(document, parts, roots)
        document, layers = self._with_layers(document, ids)
        moving = {ids[k]: node["moves"] for k, node in enumerate(nodes) if node.get("moves") and node["parent"] >= 0}
        if moving:
            document = with_file_keys(document, moving)
        size = arrange.size_of(document, self.assets, roots)
        held = cameras(index.get("cameras", ()), turn, max(1.0, 2 * max(size)))
        for camera in held:
            document = edits.put_camera(document, camera)
        unit = float(index.get("unit_mm", 1.0))
        source = Source(
            id=edits.new_id(), name=self.path.name, path=str(self.path.resolve()), roots=tuple(roots), unit_mm=unit,
            offered=likelier_unit(max(size), unit), up=index.get("up", "z"), whole=self.whole, dressed=self.dressed,
            solids=int(index.get("solids", 0)), digest=digest_of_file(self.path), said=self._said(document, roots, unit, index.get("up", "z"), held),
        )  # fmt: skip
        document = replace(document, sources={**document.sources, source.id: source})
        notes = [*index["notes"], "Rested on the floor and centred", f"Size {size[0]:.4g} × {size[1]:.4g} × {size[2]:.4g} mm"]
        if source.offered:
            notes.append(f"That is hardly the size of a product: its numbers may be {unit_name(source.offered)}")
        if moving:
            notes.append(f"{counted(len(moving), 'part')} of the file {'moves' if len(moving) == 1 else 'move'}: see Move")
        if self.worn:
            notes.append(f"{counted(len(self.worn), 'colour')} of the file became {counted(len(self.worn), 'material')}")
            made = [m for m in self.worn.values() if m.kind in ("Metal", "Glass")] if self.dressed else []
            if made:
                notes.append("Greys and golds look like metal, see-through colours are clear, all others satin plastic")
        damaged = sum(name is None for name in self.pictures.values())
        if damaged:
            notes.append(f"{counted(damaged, 'picture')} of the file cannot be read and {'was' if damaged == 1 else 'were'} left out")
        if held:
            notes.append(f"{counted(len(held), 'camera')} of the file came along: {', '.join(c.name for c in held[:3])}")
        if layers:
            notes.append(f"{counted(layers, 'layer')} became saved {'selection' if layers == 1 else 'selections'}")
        return Imported(document, tuple(roots), tuple(notes))

    def _said(self, document: Document, roots: list[str], unit: float, up: str, held: list[Camera]) -> str:
        said = said_of(document, self.assets, roots)
        return kept(Said(said.nodes, said.shapes, unit, up, stood(held)), self.assets)

    def _part(self, part_id: str, name: str, parent: str | None, children: tuple[str, ...], matrix: np.ndarray, node: dict) -> Part:
        mesh = node["mesh"]
        sets: list[FaceSet] = []
        material = None
        if mesh is not None:
            material = self._material(node.get("material"), node.get("colour"))
            for colour, faces in node.get("sets", ()):
                worn = self._material(None, colour)
                free = edits.free_name(self._face_set_name(worn), [s.name for s in sets])
                sets.append(FaceSet(id=edits.new_id(), name=free, faces=tuple(faces), material=worn))
            for set_name, own, faces in node.get("dressed_sets", ()):
                free = edits.free_name(set_name or "Faces", [s.name for s in sets])
                sets.append(FaceSet(id=edits.new_id(), name=free, faces=tuple(faces), material=self._material(own, None)))
        return Part(
            id=part_id, name=name, parent=parent, children=children, placement=from_matrix(matrix),
            mesh=self.meshes[mesh] if mesh is not None else None, shape=self.shapes[mesh] if mesh is not None and self.shapes else None,
            finesse=self.finesse, material=material, visible=not node.get("hidden", False), source_key=f"{self.path.name}:{node['key']}",
            face_sets=tuple(sets),
        )  # fmt: skip

    def _face_set_name(self, material_id: str) -> str:
        words = next(m.name for m in self.worn.values() if m.id == material_id).split()
        kept = [w for w in words if w not in ("Satin", "plastic", "Plain") and not w.isdigit()]
        return " ".join(kept).capitalize() + " faces"

    def _picture(self, number: int, ending: str) -> str | None:
        """The asset of one of the file's pictures; None when it cannot be read, which is told once."""
        if number not in self.pictures:
            blob = self.found.images[number]
            try:
                read_picture(blob, f"picture{ending}", 1 << 16, 64)
                self.pictures[number] = self.assets.add(blob, ending)
            except BadFile:
                self.pictures[number] = None
        return self.pictures[number]

    def _with_layers(self, document: Document, ids: list[str]) -> tuple[Document, int]:
        layers: dict[str, list[str]] = {}
        for part_id, node in zip(ids, self.found.told["nodes"]):
            for layer in node.get("layers", ()):
                layers.setdefault(layer, []).append(part_id)
        taken = edits.Names(s.name for s in document.selections.values())
        for layer, held in layers.items():
            document = edits.put_selection(document, Selection(id=edits.new_id(), name=taken.free(layer), parts=tuple(held)))
        return document, len(layers)

    def _material(self, source: dict | None, colour) -> str:
        """The id of the material for a colour (linear sRGB and opacity) or for what a mesh file says of a material; one for all alike."""
        key = json.dumps([source, colour])
        if key not in self.worn:
            if source is None:
                made = starting_material(
                    edits.new_id(), colour[:3] if colour else None, colour[3] if colour and len(colour) > 3 else 1.0, self.dressed
                )
            else:
                made = _material_of(source)
                pictures = source.get("pictures", {}).items()
                held = {what: self._picture(number, ending) for what, (number, ending) in pictures}
                made = replace(made, pictures={what: name for what, name in held.items() if name is not None})
                leads = source.get("leads", [])
                made = wired(made, leads, [None if one["image"] is None else self._picture(one["image"], one["ending"]) for one in leads])
            self.worn[key] = replace(made, name=self.names.free(made.name))
        return self.worn[key].id


def _material_of(source: dict) -> Material:
    """A material as a mesh file describes it: numbers of the surface, colours in linear sRGB."""
    colour = source.get("colour")
    red, green, blue = from_srgb(np.clip(colour, 0, 1)) if colour else (0.5, 0.5, 0.5)
    surface = Surface(base_color=(red, green, blue), **{k: v for k, v in source.get("surface", {}).items()})
    for key in ("specular_color", "transmission_color", "fuzz_color", "coat_color"):
        if key in source:
            r, g, b = from_srgb(np.clip(source[key], 0, 1))
            surface = replace(surface, **{key: (float(r), float(g), float(b))})
    if "emission" in source:
        r, g, b = from_srgb(np.clip(source["emission"], 0, 1))
        surface = replace(surface, emission_color=(float(r), float(g), float(b)), emission_luminance=float(source.get("emission_nits", 1000.0)))
    kind = "Metal" if surface.base_metalness > 0.5 else "Glass" if surface.transmission_weight > 0.5 else "Plastic"
    return Material(id=edits.new_id(), name=source.get("name") or "Material", kind=kind, surface=surface)


def change_finesse(
    document: Document, assets: AssetStore, part_ids: list[str], finesse: Finesse, progress: Callable[[str, float], bool] | None = None
) -> Document:  # fmt: skip
    """Tessellate the exact shapes of parts anew. Parts without one are left alone. Raises BadFile."""
    if not (1e-4 <= finesse.chord_mm <= 100 and 1 <= finesse.angle <= 90):
        raise BadFile("Finesse needs a gap of 0.0001 to 100 mm and an angle of 1 to 90 degrees.")
    return change_each_finesse(document, assets, {i: finesse for i in edits.leaves(document, part_ids)}, progress)


def change_each_finesse(
    document: Document, assets: AssetStore, finesse: dict[str, Finesse], progress: Callable[[str, float], bool] | None = None
) -> Document:  # fmt: skip
    """Tessellate exact shapes anew, each part's with its own finesse; parts that share a shape get the finest that any of them asks for, pieces
    stay what they are of it. Raises BadFile."""
    wanted: dict[str, Finesse] = {}
    for part_id, asked in finesse.items():
        shape = document.parts[part_id].shape
        if shape is not None:
            known = wanted.get(shape, asked)
            wanted[shape] = Finesse(min(known.chord_mm, asked.chord_mm), min(known.angle, asked.angle))
    if not wanted:
        return document
    found = read_shapes([assets.get(s) for s in wanted], list(wanted.values()), 1.0, progress)
    whole = dict(zip(wanted, found.meshes))
    fresh: dict[tuple[str, Piece | None, tuple[Mend, ...]], str] = {}
    parts = dict(document.parts)
    for part in document.parts.values():
        if part.shape in wanted:
            key = (part.shape, part.piece, part.mends)
            if key not in fresh:
                mesh = as_piece(whole[part.shape], part.piece)
                if mesh is None:
                    raise BadFile(f"{part.name} would vanish with triangles as coarse as that.")
                fresh[key] = assets.add_mesh(mended_again(mesh, part.mends))
            parts[part.id] = replace(part, mesh=fresh[key], finesse=wanted[part.shape])
    return replace(document, parts=parts)
