"""Ten thousand damaged files for each reader: every one is read or told in a sentence; none brings the reader down.

Files are damaged copies of good ones, read one after another in a process of their own; where one ends it, another goes on after it.
"""

import json
import os
import struct
import subprocess
import sys
import time
import zipfile
from pathlib import Path

import pytest

from aulmo.errors import BadFile
from damage import CAD, damaged, read_one

pytestmark = pytest.mark.long
COUNT = int(os.environ.get("AULMO_DAMAGED_FILES", "10000"))
CAD_COUNT = int(os.environ.get("AULMO_DAMAGED_FILES", "1000"))  # each that ends the kernel costs a start of it: ten thousand take two hours
MESHES = ["obj", "stl", "ascii.stl", "ply", "gltf", "glb", "3mf", "usda"]


def good_files(folder: Path) -> dict[str, Path]:
    """A good file of each kind, small."""
    from OCP.BRepTools import BRepTools

    from aulmo.prepare.cad_mesh import compound
    from cad_files import BLACK, GREEN, RED, Cad, box, moved, rod, top_face

    plate = box(30, 20, 4)
    cad = Cad()
    product = cad.product("Rack für Öl", compound([plate, moved(rod(2, 9), x=9, z=4), moved(rod(2, 9), x=19, z=4)]), GREEN)
    cad.within(product, plate, BLACK, "Plate")
    cad.within(product, top_face(plate), RED)
    top = cad.assembly("All")
    cad.instance(top, product)
    found = {kind: folder / f"good.{kind}" for kind in (*MESHES, *CAD)}
    cad.write(found["step"])
    cad.write(found["igs"])
    BRepTools.Write_s(plate, str(found["brep"]))
    import trimesh

    ball = trimesh.creation.icosphere(1, 20.0)
    ball.export(found["stl"])
    found["ascii.stl"].write_text(trimesh.exchange.stl.export_stl_ascii(ball))
    ball.export(found["ply"])
    scene = trimesh.Scene()
    scene.add_geometry(ball, node_name="Ball", geom_name="Ball")
    scene.export(found["glb"])
    _as_gltf(found["glb"], found["gltf"])
    points = "".join(f"v {x} {y} {z}\n" for x, y, z in ball.vertices.round(3))
    found["obj"].write_text("o Ball\n" + points + "usemtl Red\n" + "".join(f"f {a + 1} {b + 1} {c + 1}\n" for a, b, c in ball.faces))
    _write_3mf(found["3mf"], ball)
    _write_usd(found["usda"], ball)
    return found


def _as_gltf(glb: Path, gltf: Path) -> None:
    import base64
    import json

    blob = glb.read_bytes()
    length = struct.unpack_from("<I", blob, 12)[0]
    told = json.loads(blob[20 : 20 + length])
    told["buffers"][0]["uri"] = "data:;base64," + base64.b64encode(blob[28 + length :]).decode()
    gltf.write_text(json.dumps(told))


def _write_3mf(path: Path, ball) -> None:
    vertices = "".join(f'<vertex x="{x:.3f}" y="{y:.3f}" z="{z:.3f}"/>' for x, y, z in ball.vertices)
    cells = "".join(f'<triangle v1="{a}" v2="{b}" v3="{c}"/>' for a, b, c in ball.faces)
    model = (
        f'<model unit="millimeter"><resources><object id="1" name="Ball"><mesh><vertices>{vertices}</vertices><triangles>{cells}</triangles></mesh>'
        '</object></resources><build><item objectid="1"/></build></model>'
    )
    with zipfile.ZipFile(path, "w") as archive:  # not squeezed, so that damage reaches what is within
        archive.writestr("_rels/.rels", '<R><Relationship Target="/m.model" Type="a/3dmodel"/></R>')
        archive.writestr("m.model", model)


def _write_usd(path: Path, ball) -> None:
    from pxr import Usd, UsdGeom

    stage = Usd.Stage.CreateNew(str(path))
    mesh = UsdGeom.Mesh.Define(stage, "/Ball")
    mesh.CreatePointsAttr([tuple(map(float, p)) for p in ball.vertices])
    mesh.CreateFaceVertexCountsAttr([3] * len(ball.faces))
    mesh.CreateFaceVertexIndicesAttr([int(v) for v in ball.faces.reshape(-1)])
    stage.GetRootLayer().Save()


def run(kind: str, good: Path, first: int, count: int, folder: Path) -> dict[int, str]:
    """What became of damaged files from one on, until one of them ended the process that read it, or all are done."""
    (folder / "told").unlink(missing_ok=True)
    words = [sys.executable, str(Path(__file__).parents[1] / "damage.py"), kind, str(good), str(first), str(count), str(folder)]
    subprocess.run(words, stdout=subprocess.DEVNULL, stderr=subprocess.DEVNULL, check=False)
    return dict(json.loads(line) for line in (folder / "told").read_text().splitlines())


@pytest.mark.parametrize("kind", [*MESHES, *CAD])
def test_damaged_files(kind, tmp_path):
    """Python's own readers raise nothing but sentences; what ends the CAD kernel or the USD library ends only its process, and is counted."""
    good = good_files(tmp_path)[kind]
    assert read_one(kind, good) == "read"
    found: dict[int, str] = {}
    started = time.perf_counter()
    count = CAD_COUNT if kind in CAD else COUNT
    while len(found) < count:
        found |= run(kind, good, len(found), count, tmp_path)
    ended = [s for s, words in found.items() if words == "ended"]
    odd = {s: words for s, words in found.items() if words not in ("read", "told", "ended")}
    told = sum(words == "told" for words in found.values())
    read = count - told - len(ended) - len(odd)
    spent = time.perf_counter() - started
    print(f"{kind}: {count} damaged files in {spent:.0f} s: {read} read, {told} told, {len(odd)} odd, {len(ended)} ended their own process")
    if kind not in (*CAD, "usda"):
        assert not odd and not ended, (dict(list(odd.items())[:5]), ended[:5])
    for number in (*ended[:3], *list(odd)[:3]):  # as the artist meets it: one sentence, the project as it was
        from aulmo.document.assets import AssetStore
        from aulmo.document.records import Document, Finesse
        from aulmo.prepare.import_file import import_file

        path = tmp_path / f"worst.{kind.split('.')[-1]}"
        path.write_bytes(damaged(good.read_bytes(), number))
        try:
            import_file(Document(), AssetStore(), path, Finesse(0.5, 30.0))
        except BadFile as error:
            assert str(error).startswith(path.name) and "\n" not in str(error) and "Traceback" not in str(error)
