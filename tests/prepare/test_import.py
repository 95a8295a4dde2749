"""Reading CAD and mesh files: names, instances, units, sizes, colours; damaged files get a sentence."""

import json
import os
import struct
import subprocess
import sys
import time
from pathlib import Path

import numpy as np
import pytest
from hypothesis import HealthCheck, given, settings, strategies as st

import reading_here
from aulmo.document import edits
from aulmo.document.assets import AssetStore
from aulmo.document.placement import world_matrices
from aulmo.document.records import Document, Finesse
from aulmo.errors import BadFile
from aulmo.prepare import arrange, choices
from aulmo.prepare.health.skin import skin_of
from aulmo.prepare.import_file import Cancelled, change_finesse, import_file
from aulmo.prepare.normals import clean_triangles, with_crease_normals
from aulmo.surface.colour import to_hex
from shapes import box_mesh, one_part, sphere_mesh


@pytest.fixture
def here():
    """Files are read in this process."""
    with reading_here.in_this_process():
        yield


@pytest.fixture(scope="module")
def lantern(lantern_step):
    """The lantern, read coarsely."""
    assets = AssetStore()
    seen = []
    result = import_file(Document(), assets, lantern_step, Finesse(0.3, 25.0), lambda text, share: seen.append(share) or True)
    return result, assets, seen


def by_name(document: Document) -> dict:
    return {p.name: p for p in document.parts.values()}


def test_the_assembly_tree_and_names_come_through(lantern):
    document = lantern[0].document
    paths = {edits.part_path(document, i) for i in document.parts}
    assert {"Odrel Wick", "Odrel Wick/Tank/Tank shell", "Odrel Wick/Burner/Knob", "Odrel Wick/Globe", "Odrel Wick/Bail/Grip"} <= paths
    assert len(edits.leaves(document, document.roots)) >= 25


def test_repeated_parts_are_instances_of_one_mesh(lantern):
    document = lantern[0].document
    screws = [p for p in document.parts.values() if p.name.startswith("Screw")]
    assert len(screws) == 8
    assert len({s.mesh for s in screws}) == 1
    assert len({s.placement.position for s in screws}) == 8


def test_sizes_are_millimetres(lantern):
    result, assets, _ = lantern
    parts = by_name(result.document)
    ring = arrange.size_of(result.document, assets, [parts["Foot ring"].id])
    assert ring[2] == pytest.approx(9.5, abs=0.02)
    assert ring[0] == pytest.approx(2 * 65.3, abs=0.6)
    knob = arrange.size_of(result.document, assets, [parts["Knob"].id])
    assert knob[2] == pytest.approx(22.0, abs=0.3)


def test_a_fresh_import_rests_on_the_floor_and_is_centred(lantern):
    result, assets, _ = lantern
    low, high = arrange.bounds(result.document, assets, result.roots)
    assert low[2] == pytest.approx(0.0, abs=1e-4)
    assert (low + high)[:2] == pytest.approx([0, 0], abs=1e-3)


def test_cad_colours_become_starting_materials(lantern):
    document = lantern[0].document
    parts = by_name(document)
    colour = lambda name: to_hex(document.materials[parts[name].material].surface.base_color)  # noqa: E731
    red = colour("Tank shell")
    assert int(red[1:3], 16) > 2 * int(red[3:5], 16)
    assert parts["Collar"].material == parts["Knob"].material != parts["Globe"].material


def test_progress_runs_forward_to_the_end(lantern):
    seen = lantern[2]
    assert seen == sorted(seen) and seen[-1] == 1.0


def test_triangles_know_their_cad_face(lantern):
    result, assets, _ = lantern
    mesh = assets.mesh(by_name(result.document)["Knob"].mesh)
    assert len(mesh.faces) == len(mesh.triangles)
    assert len(np.unique(mesh.faces)) > 80  # forty teeth


def test_normals_point_outward_and_are_the_surfaces_own(lantern):
    result, assets, _ = lantern
    mesh = assets.mesh(by_name(result.document)["Foot ring"].mesh)
    p = mesh.vertices[mesh.triangles.astype(int)]
    flat = np.cross(p[:, 1] - p[:, 0], p[:, 2] - p[:, 0])
    n = mesh.normals[mesh.triangles.astype(int)].mean(1)
    assert ((flat * n).sum(1) > 0).mean() > 0.999
    np.testing.assert_allclose(np.linalg.norm(mesh.normals, axis=1), 1.0, atol=1e-4)


def test_every_mesh_of_the_lantern_is_closed(lantern):
    result, assets, _ = lantern
    for part in result.document.parts.values():
        if part.mesh:
            skin = skin_of(assets.mesh(part.mesh))
            assert skin.closed.all() and (skin.volumes > 0).all(), part.name


def test_finesse_can_be_changed_later_because_the_shape_is_kept(here, lantern):
    result, assets, _ = lantern
    part = by_name(result.document)["Foot ring"]
    finer = change_finesse(result.document, assets, [part.id], Finesse(0.02, 6.0))
    before, after = assets.mesh(part.mesh), assets.mesh(finer.parts[part.id].mesh)
    assert len(after.triangles) > 2 * len(before.triangles)
    assert finer.parts[part.id].finesse.chord_mm == 0.02
    with pytest.raises(BadFile, match="Finesse"):
        change_finesse(result.document, assets, [part.id], Finesse(0.0, 4.0))


def write_cad(path, scale_unit="MM"):
    """A small assembly: a plate and three equal pegs, written by the CAD kernel."""
    from OCP.BRepPrimAPI import BRepPrimAPI_MakeBox, BRepPrimAPI_MakeCylinder
    from OCP.gp import gp_Trsf, gp_Vec
    from OCP.IGESCAFControl import IGESCAFControl_Writer
    from OCP.Interface import Interface_Static
    from OCP.Quantity import Quantity_Color, Quantity_TOC_sRGB
    from OCP.STEPCAFControl import STEPCAFControl_Writer
    from OCP.TCollection import TCollection_ExtendedString
    from OCP.TDataStd import TDataStd_Name
    from OCP.TDocStd import TDocStd_Document
    from OCP.TopLoc import TopLoc_Location
    from OCP.XCAFApp import XCAFApp_Application
    from OCP.XCAFDoc import XCAFDoc_ColorGen, XCAFDoc_DocumentTool

    document = TDocStd_Document(TCollection_ExtendedString("XmlOcaf"))
    XCAFApp_Application.GetApplication_s().InitDocument(document)
    shapes, colours = XCAFDoc_DocumentTool.ShapeTool_s(document.Main()), XCAFDoc_DocumentTool.ColorTool_s(document.Main())
    root = shapes.NewShape()
    TDataStd_Name.Set_s(root, TCollection_ExtendedString("Peg board"))
    plate, peg = shapes.AddShape(BRepPrimAPI_MakeBox(60, 40, 5).Shape(), False), shapes.AddShape(BRepPrimAPI_MakeCylinder(4, 20).Shape(), False)
    for label, name, colour in ((plate, "Plate", (0.2, 0.4, 0.8)), (peg, "Peg", (0.9, 0.7, 0.1))):
        TDataStd_Name.Set_s(label, TCollection_ExtendedString(name))
        colours.SetColor(label, Quantity_Color(*colour, Quantity_TOC_sRGB), XCAFDoc_ColorGen)
    shapes.AddComponent(root, plate, TopLoc_Location())
    for k in range(3):
        t = gp_Trsf()
        t.SetTranslation(gp_Vec(10 + 20 * k, 20, 5))
        shapes.AddComponent(root, peg, TopLoc_Location(t))
    shapes.UpdateAssemblies()
    Interface_Static.SetCVal_s("write.step.unit", scale_unit)
    Interface_Static.SetCVal_s("write.iges.unit", scale_unit)
    if path.suffix == ".igs":
        writer = IGESCAFControl_Writer()
        writer.Transfer(document)
        writer.Write(str(path))
    else:
        from OCP.STEPControl import STEPControl_AsIs

        writer = STEPCAFControl_Writer()
        writer.Transfer(document, STEPControl_AsIs)
        writer.Write(str(path))


@pytest.mark.parametrize("unit", ["MM", "INCH"])
def test_step_units_are_brought_to_millimetres(here, tmp_path, unit):
    write_cad(tmp_path / "pegs.step", unit)
    assets = AssetStore()
    result = import_file(Document(), assets, tmp_path / "pegs.step")
    assert arrange.size_of(result.document, assets, result.roots) == pytest.approx((60, 40, 25), abs=0.05)
    pegs = [p for p in result.document.parts.values() if p.name.startswith("Peg") and p.mesh]
    assert [p.name for p in pegs] == ["Peg", "Peg 2", "Peg 3"]
    assert len({p.mesh for p in pegs}) == 1


def test_iges_is_read_with_sizes_and_colours(here, tmp_path):
    write_cad(tmp_path / "pegs.igs")
    assets = AssetStore()
    result = import_file(Document(), assets, tmp_path / "pegs.igs")
    assert arrange.size_of(result.document, assets, result.roots) == pytest.approx((60, 40, 25), abs=0.05)
    colours = {to_hex(m.surface.base_color) for m in result.document.materials.values()}
    assert any(int(c[5:], 16) > int(c[1:3], 16) for c in colours)


def as_trimesh(mesh):
    import trimesh

    return trimesh.Trimesh(mesh.vertices, mesh.triangles.astype(int), process=False)


@pytest.mark.parametrize("suffix", [".stl", ".obj", ".ply"])
def test_mesh_files_are_read_in_millimetres(tmp_path, suffix):
    path = tmp_path / f"block{suffix}"
    as_trimesh(box_mesh(30)).export(path)
    assets = AssetStore()
    result = import_file(Document(), assets, path)
    (part,) = [p for p in result.document.parts.values() if p.mesh]
    assert part.name == "block"
    assert arrange.size_of(result.document, assets, [part.id]) == pytest.approx((30, 30, 30), abs=1e-3)
    assert any("millimetres" in n for n in result.notes)


def test_a_tiny_file_without_a_unit_offers_metres_and_changes_nothing(tmp_path):
    as_trimesh(box_mesh(0.3)).export(tmp_path / "chair.stl")
    assets = AssetStore()
    result = import_file(Document(), assets, tmp_path / "chair.stl")
    (source,) = result.document.sources.values()
    assert arrange.size_of(result.document, assets, result.roots)[0] == pytest.approx(0.3, rel=1e-4)
    assert source.offered == 1000.0 and any("metres" in n for n in result.notes)
    larger = choices.set_unit(result.document, assets, source.id, 1000.0)
    assert arrange.size_of(larger, assets, result.roots) == pytest.approx((300, 300, 300), rel=1e-4)
    (part,) = [p for p in larger.parts.values() if p.mesh]
    assert part.placement.scale == (1.0, 1.0, 1.0) and larger.sources[source.id].offered == 0.0


def test_glb_brings_materials_names_and_metres(tmp_path):
    import trimesh

    scene = trimesh.Scene()
    for name, x, colour, metal in (("Left", -0.1, [0.8, 0.1, 0.1, 1.0], 0.0), ("Right", 0.1, [0.9, 0.8, 0.4, 1.0], 1.0)):
        mesh = as_trimesh(sphere_mesh(0.05, 12))
        mesh.visual = trimesh.visual.TextureVisuals(
            material=trimesh.visual.material.PBRMaterial(name=f"{name} skin", baseColorFactor=colour, metallicFactor=metal, roughnessFactor=0.2)
        )
        scene.add_geometry(mesh, node_name=name, geom_name=name, transform=trimesh.transformations.translation_matrix([x, 0.05, 0]))
    scene.export(tmp_path / "pair.glb")
    assets = AssetStore()
    result = import_file(Document(), assets, tmp_path / "pair.glb")
    size = arrange.size_of(result.document, assets, result.roots)
    assert size == pytest.approx((300, 100, 100), rel=0.02)
    parts = by_name(result.document)
    skin = result.document.materials[parts["Right"].material]
    assert skin.name == "Right skin"
    assert skin.surface.base_metalness == 1.0 and skin.surface.specular_roughness == pytest.approx(0.2)
    assert world_matrices(result.document)[parts["Right"].id][0, 3] > world_matrices(result.document)[parts["Left"].id][0, 3]


def test_a_second_import_keeps_the_first(here, tmp_path):
    as_trimesh(box_mesh(30)).export(tmp_path / "a.stl")
    assets = AssetStore()
    first = import_file(Document(), assets, tmp_path / "a.stl").document
    both = import_file(first, assets, tmp_path / "a.stl").document
    assert len(both.roots) == 2
    assert len({p.mesh for p in both.parts.values() if p.mesh}) == 1


@pytest.mark.parametrize(
    ("name", "content", "words"),
    [
        ("empty.step", b"", "empty"),
        ("wrong.step", b"this is a letter to my aunt", "could not be read"),
        ("short.step", b"ISO-10303-21;\nHEADER;\nENDSEC;\nDATA;\n#1=", "could not be read"),
        ("wrong.igs", b"nothing here", "could not be read"),
        ("wrong.stl", b"solid nothing\nendsolid", "could not be read"),
        ("lies.stl", b"\0" * 80 + struct.pack("<I", 4_000_000_000) + b"\0" * 60, "could not be read"),
        ("wrong.glb", b"glTF" + b"\xff" * 40, "could not be read"),
        ("wrong.gltf", b"{}", "could not be read"),
        ("wrong.ply", b"ply\nformat ascii 1.0\nelement vertex 999999999999\nend_header\n", "could not be read"),
        ("wrong.obj", b"f 1 2 3\n", "could not be read"),
        ("nan.obj", b"v nan 0 0\nv 1 0 0\nv 0 1 0\nf 1 2 3\n", "could not be read"),
        ("picture.txt", b"hello", "not a kind of file"),
    ],
)
def test_a_bad_file_gets_one_sentence_and_changes_nothing(tmp_path, name, content, words):
    (tmp_path / name).write_bytes(content)
    document = Document()
    with pytest.raises(BadFile, match=words) as caught:
        import_file(document, AssetStore(), tmp_path / name)
    sentence = str(caught.value)
    assert name in sentence and sentence.endswith(".") and "Traceback" not in sentence and "\n" not in sentence
    assert document == Document()


def test_a_missing_file_says_so(tmp_path):
    with pytest.raises(BadFile, match="no file"):
        import_file(Document(), AssetStore(), tmp_path / "gone.step")


def test_reading_can_be_given_up(lantern_step):
    with pytest.raises(Cancelled):
        import_file(Document(), AssetStore(), lantern_step, progress=lambda text, share: False)


def test_who_reads_ends_with_whoever_asked(lantern_step, tmp_path):
    """A window that is killed while a CAD file is read leaves no process behind that goes on for minutes."""
    code = (
        "import sys; from aulmo.document.records import Document; from aulmo.document.assets import AssetStore;"
        "from aulmo.prepare.import_file import import_file;"
        "import_file(Document(), AssetStore(), sys.argv[1], progress=lambda text, share: print(share, flush=True) or True)"
    )
    own_folder = {**os.environ, "TMPDIR": str(tmp_path)}
    asking = subprocess.Popen([sys.executable, "-c", code, str(lantern_step)], stdout=subprocess.PIPE, text=True, env=own_folder)
    asking.stdout.readline()  # the reading process is at work

    def children() -> list[int]:
        found = []
        for entry in Path("/proc").iterdir():
            if entry.name.isdigit():
                try:
                    words = (entry / "cmdline").read_bytes()
                    state = (entry / "stat").read_text().rsplit(")", 1)[1].split()[0]
                except OSError:
                    continue
                if b"read_process" in words and str(tmp_path).encode() in words and state != "Z":
                    found.append(int(entry.name))
        return found

    assert children()
    asking.kill()
    asking.wait(10)
    deadline = time.monotonic() + 10
    while children() and time.monotonic() < deadline:
        time.sleep(0.05)
    assert not children()


def damaged(blob: bytes, draw) -> bytes:
    """A file with a few bytes changed, or cut short."""
    out = bytearray(blob)
    for place, value in draw:
        out[place % len(out)] = value
    return bytes(out)


@pytest.mark.parametrize("suffix", [".obj", ".ply", ".stl", ".glb"])
@given(changes=st.lists(st.tuples(st.integers(0, 10**6), st.integers(0, 255)), min_size=1, max_size=12), cut=st.integers(0, 5000))
@settings(max_examples=60, deadline=None, suppress_health_check=[HealthCheck.function_scoped_fixture])
def test_a_damaged_mesh_file_never_gets_past_the_reader(tmp_path, suffix, changes, cut):
    """In the reader itself, without its process, so that many files can be tried: any error there becomes a sentence outside."""
    from aulmo.prepare import mesh_reader

    path = tmp_path / f"fuzz{suffix}"
    as_trimesh(box_mesh(30)).export(path)
    blob = damaged(path.read_bytes(), changes)
    path.write_bytes(blob[: max(1, len(blob) - cut)] if cut % 2 else blob)
    try:
        result = mesh_reader.read(path, lambda text, share: None)
    except MemoryError:
        return
    except Exception as error:  # the process reports any error as a sentence
        assert not isinstance(error, (SystemExit, KeyboardInterrupt))
        return
    for mesh in result["meshes"]:
        assert np.isfinite(mesh.vertices).all() and np.isfinite(mesh.normals).all()
        assert mesh.triangles.max() < len(mesh.vertices)
    json.dumps(result["nodes"])


@pytest.mark.parametrize("seed", range(2))
def test_a_damaged_step_file_gets_a_sentence_or_is_read(tmp_path, seed):
    write_cad(tmp_path / "pegs.step")
    rng = np.random.default_rng(seed)
    blob = bytearray((tmp_path / "pegs.step").read_bytes())
    for place in rng.integers(600, len(blob), 40 * (seed + 1)):
        blob[place] = rng.integers(32, 126)
    (tmp_path / "bad.step").write_bytes(bytes(blob[: len(blob) - seed * 900]))
    try:
        result = import_file(Document(), AssetStore(), tmp_path / "bad.step")
        assert edits.leaves(result.document, result.roots)
    except BadFile as error:
        assert "bad.step" in str(error)


def test_creases_stay_sharp_and_curves_are_smooth():
    box = with_crease_normals(box_mesh(20).vertices, box_mesh(20).triangles)
    assert len(box.vertices) == 24
    assert (np.abs(box.normals).max(1) > 0.999).all()
    ball = sphere_mesh(20, 24)
    smooth = with_crease_normals(ball.vertices, ball.triangles)
    outward = smooth.vertices / np.linalg.norm(smooth.vertices, axis=1, keepdims=True)
    assert (smooth.normals * outward).sum(1).min() > 0.99


def test_triangles_that_are_none_are_dropped():
    vertices = [[0, 0, 0], [1, 0, 0], [0, 1, 0], [np.nan, 0, 0]]
    _, kept = clean_triangles(vertices, [[0, 1, 2], [0, 0, 1], [0, 1, 3], [0, 1, 9]])
    np.testing.assert_array_equal(kept, [[0, 1, 2]])
    with pytest.raises(BadFile):
        clean_triangles(vertices, [[0, 0, 0]])


def test_resting_works_under_a_turned_parent():
    document, assets = one_part(box_mesh(20))
    document, group = edits.group_parts(document, ["ball"], "Group")
    document = edits.place_parts(document, {group: edits.replace(document.parts[group].placement, turn=(90.0, 0, 0), position=(3.0, 4.0, 55.0))})
    rested = arrange.rest_on_floor(document, assets, ["ball"])
    low, _ = arrange.bounds(rested, assets, ["ball"])
    assert low[2] == pytest.approx(0, abs=1e-6)
    centred = arrange.centre(rested, assets, ["ball"])
    low, high = arrange.bounds(centred, assets, ["ball"])
    assert (low + high)[:2] == pytest.approx([0, 0], abs=1e-6)


def test_turning_about_a_pivot_keeps_the_pivot():
    document, assets = one_part(box_mesh(20))
    document = arrange.move_in_world(document, ["ball"], (10, 0, 0))
    turned = arrange.turn_in_world(document, ["ball"], (0, 0, 1), 90.0, (0, 0, 0))
    assert world_matrices(turned)["ball"][:3, 3] == pytest.approx([0, 10, 0], abs=1e-6)


def test_a_part_and_its_parent_turned_together_are_turned_once():
    document, _ = one_part(box_mesh(20))
    document = arrange.move_in_world(document, ["ball"], (10, 0, 0))
    document, group = edits.group_parts(document, ["ball"], "Group")
    turned = arrange.turn_in_world(document, ["ball", group], (0, 0, 1), 90.0, (0, 0, 0))
    assert world_matrices(turned)["ball"][:3, 3] == pytest.approx([0, 10, 0], abs=1e-6)
    moved = arrange.move_in_world(document, [group, "ball"], (5, 0, 0))
    assert world_matrices(moved)["ball"][:3, 3] == pytest.approx([15, 0, 0], abs=1e-6)


def test_the_floor_of_a_shot_is_what_parts_rest_on():
    document, assets = one_part(box_mesh(20))
    rested = arrange.rest_on_floor(document, assets, ["ball"], 35.0)
    assert arrange.bounds(rested, assets, ["ball"])[0][2] == pytest.approx(35.0, abs=1e-6)


def test_framing_keeps_the_whole_box_inside():
    document, assets = one_part(box_mesh(20))
    camera = arrange.frame_box(document.cameras["c"], (-30, -20, 0), (30, 20, 90), 4 / 3)
    from aulmo.frame.camera import project

    corners = np.array([[x, y, z] for x in (-30, 30) for y in (-20, 20) for z in (0, 90)], float)
    seen = project(camera, corners, 400, 300)
    assert seen[:, 0].min() > 0 and seen[:, 0].max() < 400 and seen[:, 1].min() > 0 and seen[:, 1].max() < 300
    assert np.ptp(seen[:, 1]) > 150
