"""What CAD files say at every level: colours, names, solids, layers, units; read back by name from files made for it."""

import numpy as np
import pytest

import reading_here
from aulmo.document import edits
from aulmo.document.assets import AssetStore
from aulmo.document.placement import world_matrices
from aulmo.document.records import Document
from aulmo.prepare import arrange, choices
from aulmo.prepare.cad_mesh import compound, faces_of
from aulmo.prepare.import_file import import_file
from aulmo.surface.colour import to_hex
from cad_files import BLACK, BLUE, GREEN, RED, WHITE, Cad, box, moved, place, rod, top_face


@pytest.fixture(autouse=True)
def _here(monkeypatch):
    """Read in this process; that the other one does the same is seen in `test_import`."""
    monkeypatch.setattr("aulmo.prepare.import_file.read_file", reading_here.read_file)


def brought(cad: Cad, path, **how):
    cad.write(path)
    assets = AssetStore()
    return import_file(Document(), assets, path, **how), assets


def colour(document: Document, material: str | None) -> tuple[float, ...]:
    code = to_hex(document.materials[material].surface.base_color)
    return tuple(int(code[k : k + 2], 16) / 255 for k in (1, 3, 5))


def looks(result, name: str) -> tuple[float, ...]:
    """The display colour of the part of a name."""
    (part,) = [p for p in result.document.parts.values() if p.name == name]
    return pytest.approx(colour(result.document, part.material), abs=0.02)


def part_of(result, name: str):
    (part,) = [p for p in result.document.parts.values() if p.name == name]
    return part


def test_the_innermost_colour_wins_and_an_instances_over_its_products(tmp_path):
    cad = Cad()
    top = cad.assembly("Lamp")
    bare, own = cad.product("Bare", box(10, 10, 10)), cad.product("Own", box(20, 10, 10), GREEN)
    cad.instance(top, bare)  # from nowhere
    cad.instance(top, own, place(30))  # its own
    cad.instance(top, own, place(60), BLUE, "Other")  # from the instance
    inner = cad.assembly("Inner")
    cad.instance(inner, cad.product("Deep", box(5, 5, 5)))
    cad.instance(inner, cad.product("Kept", box(5, 5, 6), RED), place(9))
    cad.instance(top, inner, place(90), WHITE)  # the instance of an assembly colours what is in it
    result, _ = brought(cad, tmp_path / "lamp.step")
    names = {p.name for p in result.document.parts.values() if p.mesh}
    assert names == {"Bare", "Own", "Own 2", "Deep", "Kept"}
    assert result.document.materials[part_of(result, "Bare").material].name == "Plain grey"
    assert looks(result, "Own") == GREEN and looks(result, "Own 2") == BLUE and looks(result, "Deep") == WHITE and looks(result, "Kept") == RED


def test_faces_of_other_colours_become_face_sets(tmp_path):
    cad = Cad()
    block = box(30, 20, 10)
    product = cad.product("Block", block, GREEN)
    cad.within(product, top_face(block), RED)
    result, assets = brought(cad, tmp_path / "block.step")
    part = part_of(result, "Block")
    (faces,) = part.face_sets
    assert colour(result.document, part.material) == pytest.approx(GREEN, abs=0.02)
    assert colour(result.document, faces.material) == pytest.approx(RED, abs=0.02) and faces.name == "Red faces"
    mesh = assets.mesh(part.mesh)
    inside = mesh.triangles[np.isin(mesh.faces, faces.faces)]
    assert mesh.vertices[inside].reshape(-1, 3)[:, 2] == pytest.approx(10.0, abs=1e-4) and len(inside) == 2


def test_a_solids_colour_lies_between_its_products_and_its_faces(tmp_path):
    cad = Cad()
    first, second = box(10, 10, 10), moved(box(10, 10, 12), x=20)
    product = cad.product("Pair", compound([first, second]), WHITE)
    cad.within(product, first, BLACK, "Foot")
    cad.within(product, second, None, "Head")
    cad.within(product, faces_of(first)[0], BLUE)
    result, _ = brought(cad, tmp_path / "pair.step")
    foot, head = part_of(result, "Foot"), part_of(result, "Head")
    assert result.document.parts[foot.parent].name == "Pair"
    assert looks(result, "Foot") == BLACK and looks(result, "Head") == WHITE
    assert [colour(result.document, s.material) for s in foot.face_sets] == [pytest.approx(BLUE, abs=0.02)] and not head.face_sets


def test_an_instances_colour_beats_the_products_but_not_a_faces(tmp_path):
    cad = Cad()
    block = box(30, 20, 10)
    product = cad.product("Block", block, GREEN)
    cad.within(product, top_face(block), RED)
    top = cad.assembly("Two")
    cad.instance(top, product)
    cad.instance(top, product, place(50), BLUE)
    result, _ = brought(cad, tmp_path / "two.step")
    one, other = part_of(result, "Block"), part_of(result, "Block 2")
    assert one.mesh == other.mesh
    assert looks(result, "Block") == GREEN and looks(result, "Block 2") == BLUE
    assert [colour(result.document, s.material) for p in (one, other) for s in p.face_sets] == [pytest.approx(RED, abs=0.02)] * 2


def test_a_part_coloured_only_by_faces_wears_the_commonest_and_no_set_of_it(tmp_path):
    cad = Cad()
    block = box(30, 20, 10)
    product = cad.product("Block", block)
    for number, face in enumerate(faces_of(block)):
        cad.within(product, face, RED if number < 4 else BLUE)
    result, _ = brought(cad, tmp_path / "block.step")
    part = part_of(result, "Block")
    assert looks(result, "Block") == RED and [len(s.faces) for s in part.face_sets] == [2]


def test_transparency_comes_along_as_a_clear_material(tmp_path):
    cad = Cad()
    cad.product("Window", box(30, 2, 30), (0.6, 0.8, 0.9, 0.3))
    result, _ = brought(cad, tmp_path / "window.step")
    worn = result.document.materials[part_of(result, "Window").material]
    assert worn.surface.transmission_weight == pytest.approx(0.7, abs=0.01) and worn.name.startswith("Clear")


def test_iges_keeps_colours_of_products_and_faces(tmp_path):
    cad = Cad()
    block = box(30, 20, 10)
    product = cad.product("Block", block, GREEN)
    cad.within(product, top_face(block), RED)
    result, assets = brought(cad, tmp_path / "block.igs")
    seen = {}
    for part in result.document.parts.values():
        if part.mesh:
            mesh = assets.mesh(part.mesh)
            for material, faces in [(part.material, None), *((s.material, s.faces) for s in part.face_sets)]:
                taken = mesh.triangles if faces is None else mesh.triangles[np.isin(mesh.faces, faces)]
                seen[tuple(round(v, 1) for v in colour(result.document, material))] = mesh.vertices[taken].reshape(-1, 3)[:, 2].min()
    assert (0.1, 0.6, 0.2) in seen and seen[(0.8, 0.1, 0.1)] == pytest.approx(10.0, abs=1e-3)
    assert arrange.size_of(result.document, assets, result.roots) == pytest.approx((30, 20, 10), abs=1e-3)


def test_several_solids_are_a_group_or_one_part(tmp_path):
    cad = Cad()
    solids = [box(10, 10, 10), moved(rod(4, 9), x=20), moved(rod(4, 9), x=40, turn=0.7)]
    product = cad.product("Kit", compound(solids), BLACK)
    cad.within(product, solids[0], RED)
    result, assets = brought(cad, tmp_path / "kit.step")
    document = result.document
    assert [document.parts[i].name for i in document.parts[document.roots[0]].children] == ["Kit 1", "Kit 2", "Kit 3"]
    assert next(iter(document.sources.values())).solids == 3
    one, _ = brought(cad, tmp_path / "kit.step", whole=True)
    (part,) = [p for p in one.document.parts.values() if p.mesh]
    seen = {tuple(round(v, 1) for v in colour(one.document, m)) for m in (part.material, *(s.material for s in part.face_sets))}
    assert part.name == "Kit" and seen == {(0.8, 0.1, 0.1), (0.1, 0.1, 0.1)}
    assert [len(s.faces) for s in part.face_sets] == [6]  # of twelve faces half are the block's


def test_shapes_that_are_the_same_share_one_mesh_wherever_they_lie(tmp_path):
    cad = Cad()
    first = moved(compound_solid(), turn=0.0)
    copies = [first, moved(first, x=30, y=5, turn=1.1), moved(first, y=40, turn=2.9)]
    product = cad.product("Nuts", compound([*copies, moved(first, x=80, mirrored=True), moved(box(11, 10, 10), x=99)]))
    top = cad.assembly("Box of nuts")
    cad.instance(top, product)
    cad.instance(top, cad.product("Loose nut", moved(first, z=50, turn=0.4)))
    result, assets = brought(cad, tmp_path / "nuts.step")
    parts = {p.name: p for p in result.document.parts.values() if p.mesh}
    same = {parts[n].mesh for n in ("Nuts 1", "Nuts 2", "Nuts 3", "Loose nut")}
    assert len(same) == 1 and len({p.mesh for p in parts.values()}) == 3  # a mirror image is another shape
    worlds = world_matrices(result.document)
    mesh = assets.mesh(parts["Nuts 2"].mesh)
    seen = mesh.vertices @ worlds[parts["Nuts 2"].id][:3, :3].T + worlds[parts["Nuts 2"].id][:3, 3]
    apart = seen.mean(0) - (mesh.vertices @ worlds[parts["Nuts 1"].id][:3, :3].T + worlds[parts["Nuts 1"].id][:3, 3]).mean(0)
    assert np.linalg.norm(apart) > 20  # where the file has it


def compound_solid():
    """A block with an odd corner cut off: no two of its turns look alike."""
    from OCP.BRepAlgoAPI import BRepAlgoAPI_Cut
    from OCP.BRepPrimAPI import BRepPrimAPI_MakeBox
    from OCP.gp import gp_Pnt

    from cad_files import solid_of

    return solid_of(BRepAlgoAPI_Cut(box(10, 7, 4), BRepPrimAPI_MakeBox(gp_Pnt(6, 5, 1), gp_Pnt(20, 20, 20)).Shape()).Shape())


def test_a_twin_lies_exactly_where_the_file_has_it(tmp_path):
    """The box of the import is that of the exact shapes, to a thousandth of a millimetre."""
    from OCP.Bnd import Bnd_Box
    from OCP.BRepBndLib import BRepBndLib

    nut = compound_solid()
    solids = [moved(nut, turn=0.3), moved(nut, x=30, turn=1.7), moved(nut, y=33, z=12, turn=4.4)]
    cad = Cad()
    cad.product("Nuts", compound(solids))
    result, assets = brought(cad, tmp_path / "nuts.step")
    bounds = Bnd_Box()
    for solid in solids:
        BRepBndLib.AddOptimal_s(solid, bounds, False, False)
    x0, y0, z0, x1, y1, z1 = bounds.Get()
    assert arrange.size_of(result.document, assets, result.roots) == pytest.approx((x1 - x0, y1 - y0, z1 - z0), abs=1e-3)


def test_layers_become_saved_selections(tmp_path):
    cad = Cad()
    top = cad.assembly("Lamp")
    plate = cad.product("Plate", box(10, 10, 1))
    for number, label in enumerate([cad.instance(top, plate, place(20 * k)) for k in range(3)]):
        cad.layer(label, "Metal" if number else "Glass")
    cad.layer(plate, "Plates")
    result, _ = brought(cad, tmp_path / "lamp.step")
    held = {s.name: len(s.parts) for s in result.document.selections.values()}
    assert held.get("Plates") == 3
    gone = edits.delete_parts(result.document, [part_of(result, "Plate").id])
    assert {s.name: len(s.parts) for s in gone.selections.values()}["Plates"] == 2


@pytest.mark.parametrize("encoding", ["utf-8", "cp1252", "shift_jis", "escaped"])
def test_names_arrive_whole_in_any_encoding(tmp_path, encoding):
    wanted = {"shift_jis": "ランプの取っ手と金具", "cp1252": "Ölkännchen für Grüße"}.get(encoding, "Öl 燈 ламpa")
    cad = Cad()
    cad.product("PLACEHOLDER" if encoding != "escaped" else wanted, box(10, 10, 10))
    cad.write(tmp_path / "named.step")
    if encoding != "escaped":
        text = (tmp_path / "named.step").read_text()
        (tmp_path / "named.step").write_bytes(text.replace("PLACEHOLDER", wanted).encode(encoding))
    result = import_file(Document(), AssetStore(), tmp_path / "named.step")
    assert wanted in {p.name for p in result.document.parts.values()}


def test_units_are_told(tmp_path):
    cad = Cad()
    cad.product("Block", box(25.4, 25.4, 50.8))
    cad.write(tmp_path / "inch.step", "INCH")
    assets = AssetStore()
    result = import_file(Document(), assets, tmp_path / "inch.step")
    assert arrange.size_of(result.document, assets, result.roots) == pytest.approx((25.4, 25.4, 50.8), abs=1e-3)
    assert any("inches" in n for n in result.notes)


def test_colours_look_made_of_something_and_are_plain_again_with_one_step(tmp_path):
    cad = Cad()
    top = cad.assembly("Lamp")
    for number, (name, rgb) in enumerate((("Shell", RED), ("Bracket", (0.7, 0.7, 0.72)), ("Contact", (0.86, 0.72, 0.36)))):
        cad.instance(top, cad.product(name, box(10 + number, 10, 10), rgb), place(20 * number))
    result, _ = brought(cad, tmp_path / "lamp.step")
    (source,) = result.document.sources
    metal = lambda d: [d.materials[part_of(result, n).material].surface.base_metalness for n in ("Shell", "Bracket", "Contact")]  # noqa: E731
    assert metal(result.document) == [0.0, 1.0, 1.0] and any("metal" in n for n in result.notes)
    mine = edits.change_surface(result.document, part_of(result, "Shell").material, specular_roughness=0.9)
    bare = choices.set_dressed(mine, source, False)
    assert metal(bare) == [0.0, 0.0, 0.0]
    assert bare.materials[part_of(result, "Shell").material].surface.specular_roughness == 0.9  # what was changed by hand stays
    assert choices.set_dressed(bare, source, True).materials == mine.materials


def test_another_axis_can_be_up(tmp_path):
    cad = Cad()
    cad.product("Block", box(10, 20, 30))
    result, assets = brought(cad, tmp_path / "block.step")
    (source,) = result.document.sources
    turned = choices.set_up(result.document, assets, source, "y")
    assert arrange.size_of(turned, assets, result.roots) == pytest.approx((10, 30, 20), abs=1e-3)
    assert arrange.bounds(turned, assets, result.roots)[0][2] == pytest.approx(0.0, abs=1e-6)
    back = choices.set_up(turned, assets, source, "z")
    assert arrange.size_of(back, assets, result.roots) == pytest.approx((10, 20, 30), abs=1e-3)


def test_an_exact_shape_grows_with_its_unit(tmp_path):
    from aulmo.document.records import Finesse
    from aulmo.prepare.import_file import change_finesse

    cad = Cad()
    cad.product("Rod", rod(0.1, 0.3))
    result, assets = brought(cad, tmp_path / "rod.step")
    (source,) = result.document.sources.values()
    assert source.offered == 1000.0
    larger = choices.set_unit(result.document, assets, source.id, 1000.0)
    assert arrange.size_of(larger, assets, result.roots) == pytest.approx((200, 200, 300), rel=0.02)
    finer = change_finesse(larger, assets, list(result.roots), Finesse(0.01, 5.0))
    assert arrange.size_of(finer, assets, result.roots) == pytest.approx((200, 200, 300), rel=1e-3)
