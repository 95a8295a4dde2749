"""What the artist waits for in the window with a large document, and how long a CAD file takes beside the bare library."""

import gc
import json
import os
import subprocess
import sys
import tempfile
import time
from pathlib import Path
from typing import Callable

import numpy as np
from msgspec.structs import replace

from aulmo.command import bench_scenes as scenes
from aulmo.command.pace import Figures, paced
from aulmo.document import edits
from aulmo.document.assets import AssetStore
from aulmo.document.properties import put, resolve
from aulmo.document.records import Document, Finesse, Key
from aulmo.trace import draft, tracer
from aulmo.trace.camera_rows import camera_rows
from aulmo.trace.options import options_row
from aulmo.trace.passes import _mattes
from aulmo.trace.scene import SceneBuilder

COPIES, SIZE = 10_000, (704, 560)


def _median(work, times: int = 5) -> float:
    taken = []
    for k in range(times):
        started = time.perf_counter()
        work(k)
        taken.append(time.perf_counter() - started)
    return float(np.median(taken))


def _turning(document: Document, assets: AssetStore) -> Callable[[int], None]:
    """Turns the view of a scene a little and draws the draft; the first time it also builds all that a picture needs."""
    builder, camera = SceneBuilder(assets), document.cameras["c"]
    maps: list[np.ndarray] = []

    def turn(k: int) -> None:
        seen = replace(camera, position=(camera.position[0] + k, *camera.position[1:]))
        turned = edits.put_camera(document, seen)
        scene = builder.build(turned, tables=False)
        if not maps:
            maps.append(draft.blur_environment(scene.arrays.env))
        tracer.draw_draft(scene, camera_rows(seen, *SIZE), options_row(scene, turned, seen, turned.render), maps[0], *SIZE)

    return turn


def turn_seconds() -> float:
    """Seconds from a turn of the view to its draft, with 10,000 copies in sight."""
    turn = _turning(*scenes.balls(COPIES))
    turn(0)
    return _median(turn)


def matte_seconds() -> float:
    """Seconds to rank the mattes of 1,000 names at 1600x1200, a fifth of the pixels with more than one."""
    rng = np.random.default_rng(3)
    counts = np.zeros((1200, 1600, 6, 2), np.float32)
    counts[..., 0, 0], counts[..., 0, 1] = rng.integers(0, 1000, (1200, 1600)), 64
    edges = rng.random((1200, 1600)) < 0.2
    counts[edges, 1, 0], counts[edges, 1, 1], counts[edges, 0, 1] = rng.integers(0, 1000, edges.sum()), 40, 24
    samples, names = np.full((1200, 1600), 64.0, np.float32), {k: f"Part {k}" for k in range(1000)}
    return _median(lambda _: _mattes(counts, samples, names, "parts", {}, {}), 3)


def resolve_seconds() -> float:
    """Seconds to resolve a moment of a document in which 1,000 properties have keys."""
    document, _ = scenes.balls(1000)
    keys = {f"parts/p{k}/placement/position": (Key(0.0, (0.0, 0.0, 0.0)), Key(4.0, (1.0, 2.0, 3.0))) for k in range(1000)}
    moving = replace(document, keys=keys)
    return _median(lambda k: resolve(moving, {}, 0.3 * k + 0.1))


def rule_seconds(coarse: bool = False) -> float:
    """Seconds from an edit of a copies rule to its draft, with 10,000 copies over a surface; or to the first coarse traced pixels, which is what a
    traced picture shows first."""
    from aulmo.trace.live import COARSEST

    document, assets = scenes.scattered(COPIES)
    builder, camera = SceneBuilder(assets), document.cameras["c"]
    group = next(i for i, p in document.parts.items() if p.copies is not None)
    maps = draft.blur_environment(builder.build(resolve(document), tables=False).arrays.env)

    def edit(k: int) -> None:
        changed = resolve(put(document, f"parts/{group}/copies/jitter_size", 0.1 + 0.05 * k))
        scene = builder.build(changed, tables=coarse)
        rows, options = camera_rows(camera, *SIZE), options_row(scene, changed, camera, changed.render)
        if coarse:
            tracer.Tracer(scene, rows, options, *SIZE, step=COARSEST).run(1)
        else:
            tracer.draw_draft(scene, rows, options, maps, *SIZE)

    edit(0)
    edit(1)
    gc.freeze()  # as the window does
    seconds = _median(lambda k: edit(k + 2), 7)
    gc.unfreeze()
    return seconds


def split_seconds() -> float:
    """Seconds to take picked faces off a part of a million triangles, its faces looked at for the first time."""
    from aulmo.prepare import cutting, faces

    document, assets = scenes.sheet()
    part = next(i for i, p in document.parts.items() if p.mesh)
    mesh = assets.mesh(document.parts[part].mesh or "")
    numbered = mesh._replace(faces=(np.arange(len(mesh.triangles)) // 4000).astype(np.int32))
    document = edits.change_part(document, part, mesh=assets.add_mesh(numbered))

    def split(k: int) -> None:
        faces._known.clear()
        cutting.split_by_faces(document, assets, part, range(10 + k, 60 + k))

    return _median(split, 3)


def choose_seconds() -> float:
    """Seconds to find parts by name, size and triangles among 5,000."""
    from aulmo.prepare.choosing import Rule, chosen

    document, assets = scenes.balls(5000)
    return _median(lambda k: chosen(document, assets, Rule(name="*1*", size_from=1.0, triangles_over=10)))


def assembly_seconds() -> dict[str, float]:
    """Seconds with an assembly of 2,000 parts and 5 million triangles: its first draft, one after a turn, the tree and a slider's step."""
    turn = _turning(*scenes.assembly())
    first = _median(turn, 1)
    found = {"The first draft of a large assembly": first, "A large assembly turned, to the draft": _median(lambda k: turn(k + 1))}
    window = window_seconds("assembly()")
    return found | {"Its tree built anew": window["tree"], "A slider's step with it": window["slider"]}


def window_seconds(scene: str = f"balls({COPIES})") -> dict[str, float]:
    """Seconds of the window's own thread with a scene open: a step of a slider, the tree built anew, a stage's page read again."""
    with tempfile.TemporaryDirectory() as folder:
        settings = {**os.environ, "QT_QPA_PLATFORM": "offscreen", "XDG_CONFIG_HOME": folder, "XDG_DATA_HOME": folder, "XDG_STATE_HOME": folder}
        code = f"from aulmo.command import bench_scenes; from aulmo.desk import waits; waits.measure(*bench_scenes.{scene})"
        done = subprocess.run([sys.executable, "-c", code], env=settings, check=True, capture_output=True, text=True)
    return {name: float(np.median(taken)) for name, taken in json.loads(done.stdout.splitlines()[-1]).items()}


def import_ratio(step: Path) -> tuple[float, float, float]:
    """Processor seconds to bring in a STEP file (over the bare library's own read and mesh, ours, theirs), the best of three each,
    ours with its process and everything that follows until the document holds it."""
    from aulmo.prepare.import_file import import_file

    finesse = Finesse()
    bare = (
        "import sys,numpy as np\n"
        "from OCP.STEPCAFControl import STEPCAFControl_Reader\nfrom OCP.TDocStd import TDocStd_Document\n"
        "from OCP.TCollection import TCollection_ExtendedString\nfrom OCP.XCAFApp import XCAFApp_Application\n"
        "from OCP.XCAFDoc import XCAFDoc_DocumentTool\nfrom OCP.BRepMesh import BRepMesh_IncrementalMesh\n"
        "from OCP.TDF import TDF_LabelSequence\n"
        "d=TDocStd_Document(TCollection_ExtendedString('XmlOcaf'));XCAFApp_Application.GetApplication_s().InitDocument(d)\n"
        "r=STEPCAFControl_Reader();r.SetColorMode(True);r.SetNameMode(True);r.ReadFile(sys.argv[1]);r.Transfer(d)\n"
        "t=XCAFDoc_DocumentTool.ShapeTool_s(d.Main());s=TDF_LabelSequence();t.GetFreeShapes(s)\n"
        "for k in range(1,s.Length()+1):\n"
        "    BRepMesh_IncrementalMesh(t.GetShape_s(s.Value(k)),float(sys.argv[2]),False,np.radians(float(sys.argv[3])),True)\n"
    )

    def spent(work) -> float:
        before = os.times()
        work()
        after = os.times()
        return sum(after[:4]) - sum(before[:4])

    def theirs() -> None:
        subprocess.run([sys.executable, "-c", bare, str(step), str(finesse.chord_mm), str(finesse.angle)], check=True, capture_output=True)

    taken = [(spent(lambda: import_file(Document(), AssetStore(), step, finesse)), spent(theirs)) for _ in range(3)]
    ours, bare_seconds = (min(column) for column in zip(*taken, strict=True))
    return ours / bare_seconds, ours, bare_seconds


def run(told: Figures) -> None:
    """Measure what the window's thread and large documents cost."""
    for name, work, compared, most in (
        ("10,000 copies turned, to the draft", turn_seconds, "build and draft, median of 5", 0.15),
        ("Mattes of 1,000 names, 1600x1200", matte_seconds, "median of 3", 2.0),
        ("A moment of 1,000 keyed properties", resolve_seconds, "median of 5", 0.01),
        ("A copies rule of 10,000 edited, to the draft", rule_seconds, "rule, build and draft, median of 7", 0.1),
        ("The same, to first new pixels", lambda: rule_seconds(True), "traced, coarse, median of 7", 0.1),
        ("Faces taken off a part of a million triangles", split_seconds, "median of 3", 2.0),
        ("Parts chosen by rule among 5,000", choose_seconds, "median of 5", 0.1),
    ):
        seconds, speed = paced(work)
        told.waited(name, seconds, speed, compared, most)
    found, speed = paced(window_seconds)
    told.waited("The tree of 10,000 parts built anew", found.pop("tree"), speed, "the window's thread, median of 5", 0.5)
    told.waited("A slider's step with 10,000 parts", found.pop("slider"), speed, "the window's thread, median of 5", 0.05)
    for stage, seconds in found.items():
        told.waited(f"The page of {stage} read again", seconds, speed, "the same window, median of 5", 0.005)
    for name, seconds in assembly_seconds().items():
        told.add(name, seconds, "s", "2,000 parts, 5 million triangles", "-", None)


def imports(told: Figures) -> None:
    """Measure how STEP files are brought in."""
    with tempfile.TemporaryDirectory() as folder:
        pins = Path(folder) / "connector.step"
        subprocess.run([sys.executable, str(Path(scenes.DEMO) / "build_connector.py"), str(pins), "400"], check=True, capture_output=True)
        for name, step in (("the lantern", Path(scenes.DEMO) / "wick.step"), ("400 pins in a product", pins)):
            ratio, ours, theirs = import_ratio(step)
            words = f"the bare library's read and mesh: {ours:.2f} s and {theirs:.2f} s of processor"
            told.add(f"STEP import, {name}", ratio, "x", words, "<= 1.5", ratio <= 1.5)
