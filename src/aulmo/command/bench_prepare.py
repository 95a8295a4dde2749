"""What looking for flaws costs, and comparing and taking a revision, beyond reading its file."""

import time
from pathlib import Path

import numpy as np
from msgspec.structs import replace

from aulmo.command.pace import Figures
from aulmo.document import edits
from aulmo.document.assets import AssetStore
from aulmo.document.flat import Flat
from aulmo.document.meshes import Mesh
from aulmo.document.records import Document, Part, Placement, Source
from aulmo.prepare.arrange import first_shot
from aulmo.prepare.carton import make
from aulmo.prepare.carton.lay_out import Sheet
from aulmo.prepare.carton.strokes import Drawing, Stroke
from aulmo.prepare.health.findings import examine
from aulmo.prepare.revision.compare import Revision, changes
from aulmo.prepare.revision.pairs import pair
from aulmo.prepare.revision.state import kept, remembered, said_of
from aulmo.prepare.revision.take import take
from aulmo.trace import draft, tracer
from aulmo.trace.camera_rows import camera_row
from aulmo.trace.options import options_row
from aulmo.trace.scene import SceneBuilder

SIZE = (704, 560)


def ball(radius: float, rows: int) -> Mesh:
    """A closed ball of 4 rows (rows - 1) triangles, with face numbers by its quarters."""
    columns = 2 * rows
    theta = np.pi * np.arange(1, rows) / rows
    phi = 2 * np.pi * np.arange(columns) / columns
    ring = np.stack([np.sin(theta)[:, None] * np.cos(phi), np.sin(theta)[:, None] * np.sin(phi), np.cos(theta)[:, None] + 0 * phi], -1).reshape(-1, 3)
    normals = np.concatenate([[[0, 0, 1.0]], ring, [[0, 0, -1.0]]])
    k = np.arange(columns)
    following = (k + 1) % columns
    last = 1 + (rows - 2) * columns
    cells = [np.stack([0 * k, 1 + k, 1 + following], 1), np.stack([0 * k + len(normals) - 1, last + following, last + k], 1)]
    for row in range(rows - 2):
        a, b = 1 + row * columns, 1 + (row + 1) * columns
        cells += [np.stack([a + k, b + k, b + following], 1), np.stack([a + k, b + following, a + following], 1)]
    triangles = np.concatenate(cells)
    quarter = (np.arctan2(*(normals[triangles].mean(1)[:, 1::-1].T)) // (np.pi / 2) + 2).astype(np.int32)
    return Mesh((normals * radius).astype(np.float32), normals.astype(np.float32), triangles.astype(np.uint32), quarter)


def assembly(count: int, rows: int, larger: int = 0) -> tuple[Document, AssetStore]:
    """So many balls in a grid under one group, as a file would have them; the first `larger` of them are a tenth larger."""
    assets = AssetStore()
    shapes = {size: assets.add_mesh(ball(10.0 * size, rows)) for size in (1.0, 1.1)}
    side = int(np.ceil(count ** (1 / 3)))
    ids = [f"p{k}" for k in range(count)]
    parts = [Part(id="all", name="All", children=tuple(ids), source_key="balls.step:All")]
    for k, part_id in enumerate(ids):
        place = Placement((30.0 * (k % side), 30.0 * (k // side % side), 30.0 * (k // side**2)))
        mesh = shapes[1.1 if k < larger else 1.0]
        parts.append(Part(id=part_id, name=f"Ball {k}", parent="all", mesh=mesh, placement=place, source_key=f"balls.step:All/Ball {k}"))
    document = edits.add_parts(Document(name="Balls"), parts, ["all"])
    said = said_of(document, assets, ["all"])
    source = Source(id="s", name="balls.step", path="/balls.step", roots=("all",), digest="0", said=kept(said, assets))
    return first_shot(replace(document, sources={"s": source}), assets), assets


def health_seconds() -> float:
    """Seconds to look at a thousand parts of a million triangles in all, none of them looked at before."""
    examine(*assembly(4, 5))  # what is imported once
    document, assets = assembly(1000, 17)
    started = time.perf_counter()
    examine(document, assets)
    return time.perf_counter() - started


def revision_seconds(count: int) -> float:
    """Seconds to compare and take a revision of so many parts, a tenth of them reshaped, that has been read."""
    document, assets = assembly(count, 9)
    fresh, _ = assembly(count, 9, count // 10)
    names = {p.mesh: assets.add_mesh(ball(10.0 * size, 9)) for size, p in zip((1.1, 1.0), (fresh.parts["p0"], fresh.parts[f"p{count - 1}"]))}
    fresh = replace(fresh, parts={i: replace(p, mesh=names.get(p.mesh)) for i, p in fresh.parts.items()})
    source = document.sources["s"]
    started = time.perf_counter()
    before, known = remembered(document, assets, source)
    read = said_of(fresh, assets, ["all"], dict(before.shapes))
    now = replace(read, unit_mm=before.unit_mm, up=before.up)
    pairs = pair(before, now)
    told = tuple(changes(before, now, pairs))
    revision = Revision("s", "/balls.step", "1", fresh, before, now, pairs, told, known, False)
    take(document, assets, revision)
    assert len(told) == count // 10
    return time.perf_counter() - started


def row_of_panels(count: int) -> Flat:
    """A strip of so many panels, each with a flap above: a flat with 2 count - 1 creases."""
    wide, high = 20.0, 60.0
    lines = [Stroke(np.array([(k * wide, 0.0), (k * wide, high)]), "CREASE") for k in range(1, count)]
    for k in range(count):
        left, right = k * wide, (k + 1) * wide
        lines.append(Stroke(np.array([(left, high), (right, high)]), "CREASE"))
        lines.append(Stroke(np.array([(left, high), (left + 1, high + 15), (right - 1, high + 15), (right, high)]), "CUT"))
        lines.append(Stroke(np.array([(left, 0.0), (right, 0.0)]), "CUT"))
    lines += [Stroke(np.array([(x, 0.0), (x, high)]), "CUT") for x in (0.0, count * wide)]
    return Sheet(Drawing(lines, "mm", None, []), "strip").flat()


def fold_seconds(panels: int = 60) -> float:
    """Seconds from another angle of a carton of so many panels to its draft: the median of several."""
    assets = AssetStore()
    document, part = make.add_carton(Document(name="Strip"), assets, row_of_panels(panels // 2), Path("strip.dxf"))
    document = first_shot(document, assets)
    builder, camera = SceneBuilder(assets), document.cameras[document.shots[0].camera]
    maps = draft.blur_environment(builder.build(document).arrays.env)
    taken = []
    for degrees in (12.0, 7.0, 15.0, 9.0, 11.0, 8.0, 14.0):
        started = time.perf_counter()
        document = make.fold(document, part, degrees)
        scene = builder.build(document, tables=False)
        tracer.draw_draft(scene, camera_row(camera, *SIZE), options_row(scene, document, camera, document.render), maps, *SIZE)
        taken.append(time.perf_counter() - started)
    return float(np.median(taken[2:]))


def run(told: Figures) -> None:
    """The group "prepare"."""
    seconds = health_seconds()
    told.add("Health of a million triangles in a thousand parts", seconds, "s", "nothing known before", "<= 2", seconds <= 2)
    for count, bar in ((25, 1.0), (2000, 5.0)):
        seconds = revision_seconds(count)
        told.add(f"A revision of {count:,} parts compared and taken", seconds, "s", "beyond reading it", f"<= {bar:g}", seconds <= bar)
    seconds = fold_seconds()
    told.add("A fold of 60 panels to its draft", seconds, "s", "704x560: another angle, folded, built and drawn", "<= 0.1", seconds <= 0.1)
