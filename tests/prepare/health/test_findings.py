"""What is wrong with made-up parts is found, told in millimetres, and mended; what is sound is left alone."""

import numpy as np
import pytest
from msgspec.structs import replace
from trimesh import creation

from aulmo import script
from aulmo.document import edits
from aulmo.document.meshes import Mesh, joined
from aulmo.document.records import Camera, Material, Part, Placement, Shot, Surface
from aulmo.errors import BadValue
from aulmo.prepare.health.findings import examine
from aulmo.prepare.health.mend import mend
from aulmo.prepare.health.skin import skin_of
from aulmo.prepare.normals import with_crease_normals
from planted import Assembly, judged
from shapes import block, box_mesh, one_part, sphere_mesh


def kinds(document, assets) -> list[tuple[str, float]]:
    return [(f["kind"], round(f["size_mm"], 2)) for f in script.health(document, assets)]


def of(solid) -> Mesh:
    return with_crease_normals(np.array(solid.vertices), np.array(solid.faces))


@pytest.mark.parametrize("seed", [1, 2])
def test_every_planted_defect_is_found_none_invented_and_all_are_mended(seed):
    assembly = Assembly(seed).plant_all()
    document, assets = assembly.document()
    found = script.health(document, assets)
    assert set(found[0]) == {"part", "kind", "size_mm"}
    assert judged(assembly, found) == ([], [])
    assert script.health(script.mend(document, assets, found), assets) == []
    assert len(script.health(document, assets)) == len(found), "the document itself was left alone"


def test_nothing_is_wrong_with_clean_solids():
    assert script.health(*Assembly(7).document()) == []


def test_a_lid_that_is_missing_is_a_hole_and_its_lid_is_flat_and_watertight():
    box = box_mesh(30)
    document, assets = one_part(box._replace(triangles=box.triangles[:-2]))
    assert kinds(document, assets) == [("hole", 30.0)]
    made = script.mend(document, assets, script.health(document, assets))
    skin = skin_of(assets.mesh(made.parts["ball"].mesh))
    assert skin.closed.all() and skin.volumes[0] == pytest.approx(30.0**3)
    assert kinds(made, assets) == []


@pytest.mark.parametrize(("how", "height"), [("flat", 12.0), ("smooth", 20.0), ("rim", 12.0)])
def test_a_cap_taken_off_a_ball_is_closed_as_is_asked_for(how, height):
    ball = sphere_mesh(20.0, 40)
    kept = ball.vertices[ball.triangles].mean(1)[:, 2] < 12.2
    document, assets = one_part(ball._replace(triangles=ball.triangles[kept]))
    found = examine(document, assets)
    assert [f.kind for f in found] == ["hole"] and found[0].size_mm == pytest.approx(32.0, abs=1.5)
    mesh = assets.mesh(mend(document, assets, found, how).parts["ball"].mesh)
    assert skin_of(mesh).closed.all()
    assert mesh.vertices[mesh.triangles][..., 2].max() == pytest.approx(height, abs=1.5)


def test_which_way_an_open_surface_ought_to_face_is_told_by_what_is_seen_from_outside():
    ball = sphere_mesh(20.0, 24)
    bowl = ball._replace(triangles=ball.triangles[ball.vertices[ball.triangles].mean(1)[:, 2] > 0][:, ::-1])
    document, assets = one_part(bowl)
    assert ("flipped", 40.0) in kinds(document, assets)
    label = Mesh(np.array([[0, 0, 0], [9, 0, 0], [9, 9, 0], [0, 9, 0]], np.float32), np.tile([[0, 0, 1]], (4, 1)).astype(np.float32),
        np.array([[0, 1, 2], [0, 2, 3]], np.uint32), np.zeros(0, np.int32))  # fmt: skip
    assert kinds(*one_part(label)) == [], "a sheet that lies alone has no wrong side, and its outline is no hole"
    hollow = joined([sphere_mesh(20.0, 24), (lambda m: m._replace(triangles=m.triangles[:, ::-1]))(sphere_mesh(15.0, 24))])
    assert kinds(*one_part(hollow)) == [], "the inner wall of a hollow faces its hollow"
    assert kinds(*one_part(joined([sphere_mesh(20.0, 24), sphere_mesh(15.0, 24)]))) == [("flipped", 30.0)]


def test_a_gap_is_told_by_its_width_and_closed_by_a_strip():
    halves = []
    for sections, up in ((48, 1), (37, -1)):
        solid = creation.cylinder(radius=20, height=40, sections=sections)
        solid.apply_translation([0, 0, 20.15 * up])
        mesh = of(solid)
        towards = (solid.face_normals[:, 2] * up) < -0.5
        halves.append(mesh._replace(triangles=mesh.triangles[~towards]))
    document, assets = one_part(joined(halves))
    (found,) = examine(document, assets)
    assert found.kind == "open" and found.size_mm == pytest.approx(0.3, abs=0.06)
    assert skin_of(assets.mesh(mend(document, assets, [found]).parts["ball"].mesh)).closed.all()


def two(one: Mesh, other: Mesh, place=(0.0, 0.0, 0.0), wears: Surface | None = None):
    document, assets = one_part(one)
    if wears is not None:
        document = edits.put_material(document, Material(id="w", name="Other", surface=wears))
    part = Part(id="other", name="Other", mesh=assets.add_mesh(other), placement=Placement(place), material="w" if wears else "m")
    return edits.add_parts(document, [part], ["other"]), assets


def test_solids_that_touch_do_not_overlap_and_clear_ones_that_do_come_first():
    assert kinds(*two(box_mesh(20), box_mesh(20), (20.0, 0.0, 0.0))) == []
    assert kinds(*two(box_mesh(20), box_mesh(20), (18.0, 7.0, 3.0))) == [("overlap", 2.0)]
    document, assets = two(box_mesh(20), block((-6, -6, -6), (6, 6, 6)), (0.0, 0.0, 12.0), Surface(transmission_weight=1.0))
    third = Part(id="third", name="Third", mesh=document.parts["ball"].mesh, placement=Placement((12.0, 5.0, 2.0)), material="m")
    found = examine(edits.add_parts(document, [third], ["third"]), assets)
    assert [f.kind for f in found] == ["overlap"] * len(found) and "other" in (found[0].part, found[0].other)


def test_what_is_behind_glass_is_seen_and_what_glows_is_needed():
    shell = joined([box_mesh(30), (lambda m: m._replace(triangles=m.triangles[:, ::-1]))(box_mesh(28))])
    assert [k for k, _ in kinds(*two(shell, box_mesh(6)))] == ["unseen"]
    assert kinds(*two(shell, box_mesh(6), wears=Surface(emission_luminance=100.0))) == []
    document, assets = two(shell, box_mesh(6))
    clear = edits.put_material(document, Material(id="m", name="Glass", surface=Surface(transmission_weight=1.0)))
    assert kinds(clear, assets) == []


def test_a_round_shape_is_coarse_for_a_shot_that_shows_it_and_is_made_round():
    document, assets = one_part(with_crease_normals(np.array((s := creation.icosphere(2, 20.0)).vertices), np.array(s.faces)))
    far = edits.put_camera(document, Camera(id="c", name="Far", position=(0.0, -60000.0, 0.0), focal_length_mm=50.0))
    near = edits.put_shot(document, Shot(id="s", name="Near", camera="c", width=1920, height=1080))
    assert kinds(far, assets) == [] and [k for k, _ in kinds(near, assets)] == ["coarse"]
    made = script.mend(near, assets, script.health(near, assets))
    assert kinds(made, assets) == []
    radii = np.linalg.norm(assets.mesh(made.parts["ball"].mesh).vertices, axis=1)
    assert radii == pytest.approx(20.0, abs=0.05)


def test_a_finding_of_another_document_is_refused():
    document, assets = one_part(box_mesh(20))
    with pytest.raises(BadValue, match="not of this document"):
        script.mend(document, assets, [{"part": "ball", "kind": "hole", "size_mm": 3.0}])
    assert script.mend(document, assets, []) is document


def test_what_is_mended_is_mended_again_when_the_mesh_is_made_anew():
    from aulmo.prepare.health.mend_mesh import mended_again

    box = box_mesh(30)
    broken = box._replace(triangles=box.triangles[:-2])
    document, assets = one_part(broken)
    made = script.mend(document, assets, script.health(document, assets))
    (note,) = made.parts["ball"].mends
    assert note.kind == "hole" and note.size == pytest.approx(30.0)
    assert skin_of(mended_again(broken, made.parts["ball"].mends)).closed.all()


def test_hidden_parts_and_set_pieces_are_left_alone():
    box = box_mesh(30)
    document, assets = one_part(box._replace(triangles=box.triangles[:-2]))
    assert script.health(edits.change_part(document, "ball", visible=False), assets) == []
    with_floor, _ = script.add_piece(replace(document, parts={}, roots=()), "floor")
    assert script.health(with_floor, assets) == []


def test_a_scale_that_cannot_be_is_told_and_made_good():
    document, assets = one_part(box_mesh(20))
    parts = [
        Part(id=f"o{k}", name=f"Other {k}", mesh=document.parts["ball"].mesh, placement=Placement((30.0 * (k + 1), 0.0, 0.0)), material="m")
        for k in range(4)
    ]  # fmt: skip
    document = edits.add_parts(document, parts, [p.id for p in parts])
    assert kinds(document, assets) == []
    for scale in ((1000.0, 1000.0, 1000.0), (0.001, 0.001, 0.001), (1.0, 1.0, 1e-5)):
        odd = edits.place_parts(document, {"ball": Placement((0.0, 0.0, -20000.0 if scale[0] > 1 else 0.0), scale=scale)})
        found = script.health(odd, assets)
        assert ["scale"] == [f["kind"] for f in found], scale
        made = script.mend(odd, assets, found)
        assert made.parts["ball"].placement.scale == pytest.approx((1.0, 1.0, 1.0))
