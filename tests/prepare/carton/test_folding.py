"""Cartons folded: right angles, areas, thickness, order, what the document makes of them."""

import numpy as np
import pytest
import shapely
from msgspec.structs import replace

import flats
from aulmo import script
from aulmo.document.assets import AssetStore
from aulmo.document.flat import flat_of
from aulmo.document.made import carton as folding
from aulmo.document.made.carton_flat import Board, made_ready
from aulmo.document.project_file import load, save
from aulmo.document.properties import put, resolve
from aulmo.document.records import Document
from aulmo.errors import BadFile, BadValue
from aulmo.prepare.carton import boards, make
from aulmo.prepare.carton.inside import put_inside
from aulmo.prepare.carton.lay_out import Sheet
from aulmo.prepare.carton.meeting import clearance, meetings
from aulmo.prepare.carton.order import through
from aulmo.prepare.carton.roles import ring_angles
from aulmo.prepare.carton.strokes import Drawing, Stroke


def made(lines: list[flats.Drawn], thickness: float = 0.4) -> tuple[Document, AssetStore, str]:
    """A closed carton of some lines."""
    assets = AssetStore()
    flat = Sheet(Drawing([Stroke(np.array(line.points, float)) for line in lines], "mm", None, []), "made up").flat()
    document, part = make.add_carton(Document(name="Made up"), assets, flat, "box.dxf", thickness)
    return document, assets, part


@pytest.fixture(scope="module")
def box() -> tuple[Document, AssetStore, str]:
    """A carton with tuck ends, 60 x 40 x 100 mm."""
    return made(flats.tuck_box())


def panels(document: Document, part: str) -> dict[str, np.ndarray]:
    """Matrices of panels by their names."""
    carton = make.carton_of(document, part)
    return dict(zip(carton.names, folding.folded_of_name(folding.name_of_mesh(carton)).panels))


def test_a_closed_box_has_right_angles_and_its_size(box):
    document, assets, part = box
    places = panels(document, part)
    normals = {name: place[:3, 2] for name, place in places.items()}
    for one, other in (("Front", "Right"), ("Front", "Left"), ("Back", "Right"), ("Front", "Top lid"), ("Back", "Bottom lid"), ("Left", "Top lid")):
        assert abs(normals[one] @ normals[other]) < 1e-9
    assert np.allclose(normals["Front"], [0, -1, 0]) and np.allclose(normals["Top lid"], [0, 0, 1])
    low, high = assets.box(document.parts[part].mesh)
    bend = 0.4 * (2 - np.pi / 2)  # a crease of pi/2 thicknesses wound by 90 degrees reaches two radii
    assert np.allclose(high - low, np.array([60, 40, 100]) + bend + 0.4, atol=0.03) and low[2] == pytest.approx(0.0, abs=1e-4)


def test_the_glue_flap_lies_on_its_panel_and_meets_its_edge(box):
    document, _, part = box
    places = panels(document, part)
    flat = flat_of(make.carton_of(document, part).flat)
    names = make.carton_of(document, part).names
    ring = np.array(flat.panels[names.index("Glue flap")].rings[0])
    corners = np.column_stack([ring, np.zeros(len(ring)), np.ones(len(ring))]) @ places["Glue flap"].T
    depth = (np.linalg.inv(places["Back"]) @ corners.T).T[:, 2]
    assert np.abs(depth + 0.4 + folding.GLUE_MM).max() < 1e-6  # a board and the glue behind the back, all over
    back = np.array(flat.panels[names.index("Back")].rings[0])
    free = (np.column_stack([back, np.zeros(len(back)), np.ones(len(back))]) @ places["Back"].T)[:, 0].max()
    corner = (places["Right"] @ [*np.array(flat.panels[names.index("Right")].rings[0]).mean(0), 0.0, 1.0])[0]
    bend = 0.4 * (2 - np.pi / 2)
    assert abs(free - corner + bend / 2) < 0.05 or abs(abs(free) - abs(corner) + bend / 2) < 0.05


@pytest.mark.parametrize("thickness", [0.1, 0.4, 1.6])
def test_panels_keep_their_area_and_crease_their_length(thickness):
    document, assets, part = made(flats.tuck_box(), thickness)
    flat = flat_of(make.carton_of(document, part).flat)
    mesh = assets.mesh(document.parts[part].mesh)
    corners = mesh.vertices.astype(float)[mesh.triangles]
    areas = 0.5 * np.linalg.norm(np.cross(corners[:, 1] - corners[:, 0], corners[:, 2] - corners[:, 0]), axis=1)
    ready = made_ready(flat, 0, Board(thickness))
    for k, panel in enumerate(flat.panels):
        creased = [shapely.LineString(p).buffer(h.width / 2, cap_style="flat") for h in ready.hinges if k in (h.parent, h.child)
                   for p in flat.creases[h.crease].pieces]  # fmt: skip
        wanted = shapely.Polygon(panel.rings[0]).difference(shapely.union_all(creased)).area
        assert areas[mesh.faces == 4 * k].sum() == pytest.approx(wanted, rel=1e-5)
    for hinge in ready.hinges:  # the middle of a crease is as long as it was flat
        for degrees in (1.0, 45.0, 90.0, 180.0):
            turn = folding.turn_about(hinge, degrees)
            a = np.array([*(hinge.at - 0.5 * hinge.width * hinge.out), 0.0, 1.0])
            b = turn @ np.array([*(hinge.at + 0.5 * hinge.width * hinge.out), 0.0, 1.0])
            chord = np.linalg.norm((b - a)[:3])
            angle = np.radians(degrees)
            assert chord == pytest.approx(2 * hinge.width / angle * np.sin(angle / 2), rel=1e-9)


def test_folded_flat_a_crease_lays_one_board_on_the_other():
    flat = Sheet(Drawing([Stroke(np.array(line.points)) for line in flats.sleeve()], "mm", None, []), "made up").flat()
    hinge = made_ready(flat, 0, Board(0.5)).hinges[0]
    assert abs(folding.turn_about(hinge, 180.0)[2, 3]) == pytest.approx(0.5, abs=1e-9)


def test_six_equal_sides_close_to_a_prism():
    assert np.allclose(ring_angles(np.full(6, 40.0)), 60.0) and np.allclose(ring_angles(np.array([60.0, 40, 60, 40])), 90.0)
    three = ring_angles(np.array([30.0, 40.0, 50.0]))
    assert three.sum() == pytest.approx(360.0) and np.any(np.isclose(three, 90.0))
    document, _, part = made(flats.prism(6))
    assert {round(c.angle) for c in make.carton_of(document, part).creases} == {60}
    places = folding.folded_of_name(document.parts[part].mesh).panels
    assert abs(places[1][:3, 2] @ places[2][:3, 2] - 0.5) < 1e-9


def test_no_two_panels_lie_in_one_another(box):
    document, _, part = box
    carton = make.carton_of(document, part)
    fold = folding.fold_of(carton)
    ready = folding.ready_of(carton)
    places = folding.placed(ready, np.array(fold.now), folding.shifts_now(ready, fold))
    assert not folding.lying_together(ready, places, 0.4) and not meetings(ready, places, 0.6)
    lid = carton.names.index("Top lid")
    under = [carton.names.index(f"Top dust {k}") for k in (1, 2)]
    for dust in under:
        depth = (np.linalg.inv(places[lid]) @ places[dust])[2, 3]
        assert depth == pytest.approx(-0.42, abs=1e-6)
    assert -0.05 < clearance(ready, places, lid, 0.4)[1] < 0.3


def test_it_folds_without_passing_through_itself(box):
    document, _, part = box
    carton = make.carton_of(document, part)
    steps = make.steps_of(carton)
    assert [g for step in steps for g in step][:2] == ["body", "glue"] and steps.index(["top dust"]) < steps.index(["top lid"])
    ready, fold = folding.ready_of(carton), folding.fold_of(carton)
    shifts = folding.shifts_of(fold.flat, fold.front, fold.thickness, fold.closed)
    assert not through(ready, carton.creases, shifts, len(steps))
    bottom = [["bottom tuck"], ["bottom lid"], ["bottom dust"]]
    late = make.carton_of(make.reordered(document, part, [*[s for s in steps if s not in bottom], *bottom]), part)
    assert make.steps_of(late)[-1] == ["bottom dust"]
    with pytest.raises(BadValue, match="one step"):
        make.reordered(document, part, [["body"]])


def test_the_slider_leads_from_flat_to_closed(box):
    document, assets, part = box
    flat = put(document, f"parts/{part}/carton/folded", 0.0)
    low, high = assets.box(flat.parts[part].mesh)
    assert (high - low)[1] == pytest.approx(0.4 * (1 + folding.BEAD), abs=1e-4) and (high - low)[0] == pytest.approx(212.0, abs=1e-3)
    keyed = script.add_key(script.add_key(document, f"parts/{part}/carton/folded", 0.0, 0.0), f"parts/{part}/carton/folded", 4.0, 1.0)
    sizes = [np.ptp(np.array(assets.box(resolve(keyed, time=t).parts[part].mesh)), 0)[2] for t in (0.0, 2.0, 4.0)]
    assert sizes[0] == pytest.approx(210.0, abs=1e-2) and sizes[2] == pytest.approx(100.6, abs=0.05) and sizes[2] < sizes[1]
    open_ = script.add_choice(document, "State", "Open", {f"parts/{part}/carton/creases/{c.id}/angle": 20.0
                                                         for c in make.carton_of(document, part).creases if c.group == "top lid"})  # fmt: skip
    chosen = resolve(open_, {"State": "Open"})
    assert chosen.parts[part].mesh != document.parts[part].mesh and resolve(open_).parts[part].mesh == document.parts[part].mesh


def test_words_fold_all_or_some_and_refuse_what_is_not_there(box):
    document, _, part = box
    half = script.fold(document, part, 45.0)
    assert {c.angle for c in make.carton_of(half, part).creases} == {45.0}
    lid = script.fold(document, part, {"top lid": 10.0, "c1": 80.0})
    angles = {c.id: c.angle for c in make.carton_of(lid, part).creases}
    assert angles["c1"] == 80.0 and sorted(angles.values()).count(10.0) == 1
    with pytest.raises(BadValue, match="no crease c99"):
        script.fold(document, part, {"c99": 3.0})
    with pytest.raises(BadValue, match="-180 and 180"):
        script.fold(document, part, 300.0)
    with pytest.raises(BadValue, match="carton"):
        script.fold(document, "nothing", 3.0)


def test_another_front_keeps_the_angles(box):
    document, _, part = box
    carton = make.carton_of(document, part)
    turned = make.set_front(script.fold(document, part, {"top lid": 33.0}), part, carton.names.index("Right"))
    other = make.carton_of(turned, part)
    assert other.names[carton.names.index("Right")] == "Front" and sorted(c.angle for c in other.creases).count(33.0) == 1
    assert np.allclose(panels(turned, part)["Front"][:3, 2], [0, -1, 0])


def test_a_project_keeps_it_and_a_damaged_one_is_refused(box, tmp_path):
    document, assets, part = box
    save(document, assets, tmp_path / "a.aulmo")
    again, fresh = load(tmp_path / "a.aulmo")
    assert again == document and fresh.box(again.parts[part].mesh)[1][2] > 100
    carton = make.carton_of(document, part)
    wrong = replace(carton, creases=carton.creases[1:])
    bad = replace(document, parts={part: replace(document.parts[part], carton=wrong)})
    save(bad, assets, tmp_path / "b.aulmo")
    with pytest.raises(BadFile, match="damaged"):
        load(tmp_path / "b.aulmo")


def test_boards_give_thickness_by_weight_and_the_own_list_is_kept(box):
    document, _, part = box
    board = boards.OURS["Folding boxboard"]
    assert boards.thickness_of(board, 2 * board.weight) == pytest.approx(2 * board.thickness_mm)
    fluted = make.with_board(document, part, boards.OURS["Corrugated, fine flute"])
    carton = make.carton_of(fluted, part)
    assert carton.fluted == "y" and carton.thickness == 1.6 and len(carton.creases) == 12
    own = make.board_of(fluted, part, "Our case")
    boards.keep(own)
    assert boards.boards()["Our case"].pitch_mm == 3.3
    with pytest.raises(BadValue, match="Aulmo's own"):
        boards.keep(replace(own, name="Kraft board"))
    boards.take_away("Our case")
    assert "Our case" not in boards.boards()


def test_cut_edges_of_corrugated_board_show_its_waves(box):
    document, assets, part = box
    fluted = make.with_board(document, part, boards.OURS["Corrugated, coarse flute"])
    mesh = assets.mesh(fluted.parts[part].mesh)
    back = make.carton_of(fluted, part).names.index("Back")
    inside = np.unique(mesh.triangles[mesh.faces == 4 * back + 2])
    depth = mesh.vertices[inside, 1]
    heights = np.unique(np.round(depth, 3))
    assert len(heights) > 20 and np.ptp(heights) <= 4.0 + 1e-3


def test_film_lies_behind_windows(tmp_path):
    document, assets, part = made(flats.tuck_box(window=14.0))
    assert len(flat_of(make.carton_of(document, part).flat).windows) == 1
    glazed = make.with_film(document, part, 0.1)
    mesh = assets.mesh(glazed.parts[part].mesh)
    film = mesh.faces % 4 == 3
    assert film.any() and next(s for s in glazed.parts[part].face_sets if s.id == "film").material in glazed.materials
    bare = make.with_film(glazed, part, 0.0)
    assert not any(s.id == "film" for s in bare.parts[part].face_sets)


def test_what_is_put_inside_stands_on_the_bottom(box):
    document, assets, part = box
    document, block = script.add_piece(document, "block", width=20.0, depth=20.0, height=60.0)
    inside = put_inside(document, assets, part, [block])
    x, y, z = inside.parts[block].placement.position
    assert abs(x) < 0.5 and 19.0 < y < 21.0 and 0.8 < z < 1.4
    flat = put(document, f"parts/{part}/carton/folded", 0.0)
    with pytest.raises(BadValue, match="level"):
        put_inside(flat, assets, part, [block])


def test_a_curved_crease_bends_the_panels_and_keeps_their_area():
    document, assets, part = made(flats.pillow())
    carton = make.carton_of(document, part)
    flat = flat_of(carton.flat)
    mesh = assets.mesh(document.parts[part].mesh)
    corners = mesh.vertices.astype(float)[mesh.triangles]
    areas = 0.5 * np.linalg.norm(np.cross(corners[:, 1] - corners[:, 0], corners[:, 2] - corners[:, 0]), axis=1)
    ready = folding.ready_of(carton)
    for k in range(len(flat.panels)):
        three = ready.sheets.places[ready.sheets.triangles[ready.sheets.faces == 4 * k]]
        a, b = three[:, 1] - three[:, 0], three[:, 2] - three[:, 0]
        drawn = 0.5 * np.abs(a[:, 0] * b[:, 1] - a[:, 1] * b[:, 0]).sum()
        assert areas[mesh.faces == 4 * k].sum() == pytest.approx(drawn, rel=0.02)  # its outer side, half a board from the middle
    front = carton.names.index("Front")
    bulge = np.ptp(mesh.vertices[np.unique(mesh.triangles[mesh.faces == 4 * front])][:, 1])
    assert 10.0 < bulge < 13.0  # the arc's height, 12 mm, times the tangent of half of 90 degrees
    low, high = assets.box(document.parts[part].mesh)
    assert 20 < (high - low)[1] < 26 and 84 < (high - low)[0] < 88


def test_a_decal_goes_where_its_panel_goes(box):
    from aulmo.document.records import Decal

    document, _, part = box
    place = panels(document, part)["Top lid"]
    carton = make.carton_of(document, part)
    middle = np.array(flat_of(carton.flat).panels[carton.names.index("Top lid")].rings[0]).mean(0)
    at = (place @ [*middle, 0.2, 1.0])[:3]
    decal = Decal(id="d", name="Seal", parts=(part,), position=(float(at[0]), float(at[1]), float(at[2])), turn=(0.0, 0.0, 0.0))
    stuck = replace(document, decals={"d": decal})
    opened = script.fold(stuck, part, {"top lid": 0.0})
    now = (panels(opened, part)["Top lid"] @ [*middle, 0.2, 1.0])[:3]
    assert np.allclose(opened.decals["d"].position, now, atol=1e-3) and np.linalg.norm(np.subtract(now, at)) > 20
    assert abs(opened.decals["d"].turn[0]) == pytest.approx(90.0, abs=0.1)
    keyed = script.add_key(script.add_key(stuck, f"parts/{part}/carton/folded", 0.0, 1.0), f"parts/{part}/carton/folded", 1.0, 0.0)
    flat = resolve(keyed, time=1.0)
    assert flat.decals["d"].position[2] == pytest.approx((panels(flat, part)["Top lid"] @ [*middle, 0.2, 1.0])[2], abs=1e-2)
