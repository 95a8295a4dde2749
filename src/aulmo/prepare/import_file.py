"""Bringing a file into the document: read it in its own process, add its parts, dress them, put them on the floor."""

import json
import os
import shutil
import subprocess
import sys
import tempfile
from pathlib import Path
from typing import Callable, NamedTuple

import numpy as np
from msgspec.structs import replace

from aulmo.document import edits
from aulmo.document.assets import AssetStore, unpack_mesh
from aulmo.document.placement import from_matrix
from aulmo.document.records import Document, Finesse, Material, Part, Surface
from aulmo.errors import AulmoError, BadFile
from aulmo.prepare import arrange
from aulmo.prepare.read_process import CAD, MESH
from aulmo.surface.colour import from_srgb

READABLE = CAD + MESH


class Imported(NamedTuple):
    """A document with a file's parts in it, their roots, and the choices that were made."""

    document: Document
    roots: tuple[str, ...]
    notes: tuple[str, ...]


class Cancelled(AulmoError):
    """The artist gave up waiting."""


def _reading_folder() -> tempfile.TemporaryDirectory:
    """A folder for what a reading process finds; those of processes that are gone are taken away."""
    for left in Path(tempfile.gettempdir()).glob("aulmo-read-*-*"):
        pid = left.name.split("-")[2]
        if pid.isdigit() and not Path(f"/proc/{pid}").exists():
            shutil.rmtree(left, ignore_errors=True)
    return tempfile.TemporaryDirectory(prefix=f"aulmo-read-{os.getpid()}-")


def _run_reader(source: Path, out: Path, finesse: Finesse, shown: str, progress: Callable[[str, float], bool] | None) -> dict:
    process = subprocess.Popen(
        [sys.executable, "-m", "aulmo.prepare.read_process", str(source), str(out), str(finesse.chord_mm), str(finesse.angle)],
        stdout=subprocess.PIPE, stderr=subprocess.PIPE, text=True, errors="replace",
    )  # fmt: skip
    assert process.stdout is not None and process.stderr is not None
    try:
        for line in process.stdout:
            share, _, text = line.strip().partition(" ")
            try:
                value = float(share)
            except ValueError:
                continue  # the CAD kernel prints remarks of its own
            if progress is not None and progress(text, value) is False:
                raise Cancelled(f"Reading {shown} was given up.")
        complaint = process.stderr.read().strip().splitlines()
        code = process.wait()
    finally:
        if process.poll() is None:
            process.kill()
            process.wait()
    if code == 3:
        raise BadFile(f"{shown} could not be read: {complaint[-1] if complaint else 'it is damaged'}.")
    if code != 0:
        raise BadFile(f"{shown} could not be read: the file is damaged or not what its name says.")
    return json.loads((out / "index.json").read_text())


def import_file(
    document: Document, assets: AssetStore, path: Path, finesse: Finesse | None = None, progress: Callable[[str, float], bool] | None = None
) -> Imported:
    """Read a CAD or mesh file into the document: resting on the floor, centred, wearing its own colours.

    Raises BadFile with one sentence; the document is then as it was.
    """
    path = Path(path)
    if path.suffix.lower() not in READABLE:
        raise BadFile(f"{path.name} is not a kind of file Aulmo reads; it reads {', '.join(s.lstrip('.').upper() for s in READABLE)}.")
    if not path.is_file():
        raise BadFile(f"There is no file {path}.")
    if path.stat().st_size == 0:
        raise BadFile(f"{path.name} could not be read: it is empty.")
    finesse = finesse or Finesse()
    with _reading_folder() as folder:
        out = Path(folder)
        index = _run_reader(path, out, finesse, path.name, progress)
        meshes = [assets.add_mesh(unpack_mesh((out / f"{n}.mesh").read_bytes())) for n in range(index["meshes"])]
        shapes = [assets.add((out / f"{n}.shape").read_bytes(), ".shape") for n in range(index["shapes"])]
    return _add(document, assets, path, finesse, index, meshes, shapes)


def _add(document: Document, assets: AssetStore, path: Path, finesse: Finesse, index: dict, meshes: list, shapes: list) -> Imported:
    nodes = index["nodes"]
    ids = [edits.new_id() for _ in nodes]
    worn: dict[str, Material] = {}
    taken = {m.name for m in document.materials.values()}
    names: dict[tuple, set] = {}
    parts, roots = [], []
    for number, node in enumerate(nodes):
        parent = ids[node["parent"]] if node["parent"] >= 0 else None
        siblings = names.setdefault((parent,), set())
        name = edits.free_name(node["name"] or "Part", siblings)
        siblings.add(name)
        material = _material_of(node, worn, taken) if node["mesh"] is not None else None
        parts.append(
            Part(
                id=ids[number], name=name, parent=parent,
                children=tuple(ids[k] for k, n in enumerate(nodes) if n["parent"] == number),
                placement=from_matrix(np.array(node["matrix"])),
                mesh=meshes[node["mesh"]] if node["mesh"] is not None else None,
                shape=shapes[node["mesh"]] if node["mesh"] is not None and shapes else None,
                finesse=finesse, material=material, source_key=f"{path.name}:{node['key']}",
            )
        )  # fmt: skip
        if parent is None:
            roots.append(ids[number])
    for fresh in worn.values():
        document = edits.put_material(document, fresh)
    document = edits.add_parts(document, parts, roots)
    document = arrange.rest_on_floor(document, assets, roots)
    document = arrange.centre(document, assets, roots)
    size = arrange.size_of(document, assets, roots)
    notes = [*index["notes"], "Rested on the floor and centred", f"Size {size[0]:.4g} × {size[1]:.4g} × {size[2]:.4g} mm"]
    if worn:
        notes.append(f"{len(worn)} colours of the file became materials")
    return Imported(document, tuple(roots), tuple(notes))


def _material_of(node: dict, worn: dict[str, Material], taken: set[str]) -> str:
    source = node.get("material") or {}
    colour = source.get("colour") or node.get("colour")
    key = json.dumps([source, colour])
    if key not in worn:
        base = from_srgb(np.clip(colour, 0, 1)) if colour else (0.5, 0.5, 0.5)
        surface = Surface(
            base_color=base,
            base_metalness=source.get("metalness", 0.0),
            specular_roughness=source.get("roughness", 0.35),
            geometry_opacity=source.get("opacity", 1.0),
        )
        if "emission" in source:
            surface = replace(surface, emission_color=from_srgb(source["emission"]), emission_luminance=1000.0)
        name = source.get("name") or (f"Colour of {node['name']}" if colour else "Plain grey")
        name = edits.free_name(name, taken)
        taken.add(name)
        worn[key] = Material(id=edits.new_id(), name=name, kind="Plastic", surface=surface)
    return worn[key].id


def change_finesse(document: Document, assets: AssetStore, part_ids: list[str], finesse: Finesse) -> Document:
    """Tessellate the exact shapes of parts anew. Parts without one are left alone. Raises BadFile."""
    if not (1e-4 <= finesse.chord_mm <= 100 and 1 <= finesse.angle <= 90):
        raise BadFile("Finesse needs a gap of 0.0001 to 100 mm and an angle of 1 to 90 degrees.")
    wanted = {document.parts[i].shape for i in edits.leaves(document, part_ids)} - {None}
    fresh: dict[str, str] = {}
    for shape in sorted(s for s in wanted if s):
        with _reading_folder() as folder:
            source = Path(folder) / "kept.shape"
            source.write_bytes(assets.get(shape))
            _run_reader(source, Path(folder), finesse, "The exact shape", None)
            fresh[shape] = assets.add_mesh(unpack_mesh((Path(folder) / "0.mesh").read_bytes()))
    parts = dict(document.parts)
    for part in document.parts.values():
        if part.shape in fresh:
            parts[part.id] = replace(part, mesh=fresh[part.shape], finesse=finesse)
    return replace(document, parts=parts)
