"""Splitting, joining, face sets by picking, growing, clipping."""

import numpy as np
import pytest

import reading_here
from aulmo import script
from aulmo.document import edits
from aulmo.document.assets import AssetStore
from aulmo.document.made import solids
from aulmo.document.records import Document, FaceSet, Finesse, Part, Selection
from aulmo.errors import AulmoError, BadValue
from aulmo.prepare import arrange, cutting, faces
from aulmo.prepare.borders import border_of
from aulmo.prepare.clipping import clipped
from aulmo.prepare.import_file import change_finesse, import_file
from cad_files import Cad, box, rod
from shapes import box_mesh, sphere_mesh


def volume(mesh) -> float:
    p = mesh.vertices.astype(float)[mesh.triangles]
    return float((p[:, 0] * np.cross(p[:, 1], p[:, 2])).sum() / 6)


@pytest.fixture
def pegged(tmp_path, monkeypatch):
    """A CAD rod of 12 mm across, 40 tall, and a plate."""
    monkeypatch.setattr("aulmo.prepare.import_file.read_file", reading_here.read_file)
    monkeypatch.setattr("aulmo.prepare.reading._from_kept", reading_here.from_kept)
    cad = Cad()
    cad.product("Rod", rod(6, 40))
    cad.product("Plate", box(30, 20, 5))
    cad.write(tmp_path / "peg.step")
    assets = AssetStore()
    document = import_file(Document(), assets, tmp_path / "peg.step", Finesse(0.1, 15.0)).document
    return document, assets, {p.name: i for i, p in document.parts.items()}


def round_face(document, assets, part_id) -> int:
    found = faces.faces_of_asset(assets, document.parts[part_id].mesh)
    return int(found.numbers[int(np.argmax(found.radius))])


def test_a_face_taken_off_is_a_part_that_knows_where_it_comes_from(pegged):
    document, assets, ids = pegged
    side = round_face(document, assets, ids["Rod"])
    cut, new = cutting.split_by_faces(document, assets, ids["Rod"], [side])
    piece, rest = cut.parts[new], cut.parts[ids["Rod"]]
    assert piece.source_key == rest.source_key and piece.shape == rest.shape and piece.piece.faces == (side,)
    assert set(assets.mesh(piece.mesh).faces.tolist()) == {side} and side not in assets.mesh(rest.mesh).faces
    before = len(assets.mesh(document.parts[ids["Rod"]].mesh).triangles)
    assert len(assets.mesh(piece.mesh).triangles) + len(assets.mesh(rest.mesh).triangles) == before
    siblings = cut.parts[piece.parent].children if piece.parent else cut.roots
    assert piece.material == document.parts[ids["Rod"]].material and siblings.index(new) == siblings.index(ids["Rod"]) + 1


def test_pieces_stay_split_when_finesse_changes_and_join_into_the_whole_again(pegged):
    document, assets, ids = pegged
    side = round_face(document, assets, ids["Rod"])
    cut, new = cutting.split_by_faces(document, assets, ids["Rod"], [side])
    fine = change_finesse(cut, assets, [new], Finesse(0.005, 4.0))
    assert len(assets.mesh(fine.parts[new].mesh).triangles) > 2 * len(assets.mesh(cut.parts[new].mesh).triangles)
    assert set(assets.mesh(fine.parts[new].mesh).faces.tolist()) == {side} and side not in assets.mesh(fine.parts[ids["Rod"]].mesh).faces
    whole, joined = cutting.join_parts(fine, assets, [ids["Rod"], new])
    assert joined == ids["Rod"] and new not in whole.parts and whole.parts[joined].shape == document.parts[joined].shape
    mesh = assets.mesh(whole.parts[joined].mesh)
    assert volume(mesh) == pytest.approx(np.pi * 36 * 40, rel=2e-3)


def test_different_parts_join_with_their_exact_shapes_and_wear_what_they_wore(pegged):
    document, assets, ids = pegged
    red = script.dress(document, "Plate", "Ember")
    before = arrange.bounds(red, assets, list(ids.values()))
    joined, part_id = cutting.join_parts(red, assets, [ids["Rod"], ids["Plate"]])
    part = joined.parts[part_id]
    assert part.shape is not None and [s.name for s in part.face_sets] == ["Plate"]
    assert joined.materials[part.face_sets[0].material].name == "Ember"
    coarse = change_finesse(joined, assets, [part_id], Finesse(0.5, 40.0))
    after = arrange.bounds(coarse, assets, [part_id])
    np.testing.assert_allclose(after, before, atol=0.6)
    assert set(part.face_sets[0].faces) < set(assets.mesh(coarse.parts[part_id].mesh).faces.tolist())


@pytest.mark.parametrize("way", [(0, 0, 1), (1, 0, 0), (1, 2, 0.5)])
def test_a_plane_cuts_a_closed_thing_into_two_closed_things(way):
    document, tube = script.add_piece(Document(), "tube", radius=50, thickness=8, height=100)
    assets = AssetStore()
    whole = volume(assets.mesh(document.parts[tube].mesh))
    cut, other = cutting.split_by_plane(document, assets, tube, (2.0, 3.0, 41.0), way)
    halves = [assets.mesh(cut.parts[i].mesh) for i in (tube, other)]
    assert sum(volume(m) for m in halves) == pytest.approx(whole, rel=1e-5)
    for mesh, sign in zip(halves, (1, -1)):
        assert volume(mesh) > 0.2 * whole  # closed: an open one would have another number
        side = ((mesh.vertices - [2, 3, 41]) @ np.array(way)) * sign
        assert side.min() > -1e-3
        assert np.all(np.bincount(faces.connected(mesh)) > 0) and open_edges(mesh) == 0


def open_edges(mesh) -> int:
    weld = faces.welded(mesh.vertices)
    t = weld[mesh.triangles.astype(int)]
    edges = np.sort(np.concatenate([t[:, [0, 1]], t[:, [1, 2]], t[:, [2, 0]]]), 1)
    edges = edges[edges[:, 0] != edges[:, 1]]
    return int((np.unique(edges, axis=0, return_counts=True)[1] % 2).sum())


def test_a_cut_through_an_exact_shape_is_made_again_when_finesse_changes(pegged):
    document, assets, ids = pegged
    box_ = arrange.bounds(document, assets, [ids["Rod"]])
    middle = 0.5 * (box_[0] + box_[1])
    cut, other = cutting.split_by_plane(document, assets, ids["Rod"], middle, (0, 0, 1))
    fine = change_finesse(cut, assets, [ids["Rod"], other], Finesse(0.004, 4.0))
    for part_id in (ids["Rod"], other):
        assert volume(assets.mesh(fine.parts[part_id].mesh)) == pytest.approx(np.pi * 36 * 20, rel=1e-3)


def test_loose_pieces_and_sharp_edges_part_a_mesh_that_has_no_faces():
    assets = AssetStore()
    both = solids.joined([solids.box(20, 20, 20), solids.moved(solids.sphere(10), x=60)])._replace(faces=np.zeros(0, np.int32))
    document = edits.add_parts(Document(), [Part(id="p", name="Pair", mesh=assets.add_mesh(both))], ["p"])
    loose, ids = cutting.split_connected(document, assets, "p")
    assert [loose.parts[i].name for i in ids] == ["Pair", "Pair 2"]
    assert len(assets.mesh(loose.parts[ids[0]].mesh).triangles) > 1000 and len(assets.mesh(loose.parts[ids[1]].mesh).triangles) == 12
    sides, ids = cutting.split_by_angle(loose, assets, ids[1], 40.0)
    assert len(ids) == 6 and all(len(assets.mesh(sides.parts[i].mesh).triangles) == 2 for i in ids)


def test_face_sets_selections_and_links_go_with_the_pieces():
    document, cube = script.add_piece(Document(), "block")
    assets = AssetStore()
    document = edits.put_face_set(document, cube, FaceSet(id="s", name="Ends", faces=(4, 5)))
    document = edits.put_selection(document, Selection(id="k", name="Kept", parts=(cube,)))
    cut, new = cutting.split_by_faces(document, assets, cube, [5])
    assert cut.parts[cube].face_sets[0].faces == (4,) and cut.parts[new].face_sets[0].faces == (5,)
    assert cut.selections["k"].parts == (cube, new) and cut.parts[cube].set_piece is None


def test_picked_faces_become_a_face_set_also_where_faces_come_from_angle():
    assets = AssetStore()
    document = edits.add_parts(Document(), [Part(id="p", name="Box", mesh=assets.add_mesh(box_mesh()))], ["p"])
    found = faces.faces_of_asset(assets, document.parts["p"].mesh)
    assert len(found.numbers) == 6
    dressed, first = cutting.dress_faces(document, assets, "p", [0, 1])
    dressed, second = cutting.dress_faces(dressed, assets, "p", [1, 2], "Rim")
    assert [(s.name, s.faces) for s in dressed.parts["p"].face_sets] == [("Faces", (0,)), ("Rim", (1, 2))]
    assert len(assets.mesh(dressed.parts["p"].mesh).faces) == 12


def test_growing_follows_smooth_borders_equal_radii_and_equal_faces():
    mesh = solids.cylinder(20, 40, 3)
    found = faces.faces_of(mesh)
    assert faces.grown(found, [1], "tangent") == (0, 1, 2, 3, 4)  # a rounded rim leads from side to end
    assert faces.grown(found, [3], "alike") == (3, 4) and faces.grown(found, [0], "alike") == (0, 2)
    assert found.radius[1] == pytest.approx(20, rel=1e-3) and found.radius[0] == 0
    sharp = faces.faces_of(solids.cylinder(20, 40))
    assert faces.grown(sharp, [1], "tangent") == (1,)
    two = solids.joined([solids.cylinder(5, 10), solids.moved(solids.cylinder(5, 30)._replace(faces=solids.cylinder(5, 30).faces + 3), x=40)])
    assert faces.grown(faces.faces_of(two), [1], "radius") == (1, 4)
    assert faces.grown(faces.faces_of(two), [1], "alike") == (1,)
    ball = faces.faces_of(sphere_mesh(33.0))
    assert ball.radius[0] == pytest.approx(33, rel=1e-3)


def test_the_rim_of_a_face_is_the_circle_it_was_drawn_as():
    found = faces.faces_of(solids.tube(50, 8, 100))
    border = border_of(found, 2)
    assert sorted(round(c.radius, 3) for c in border.circles) == [42.0, 50.0]
    near = min(border.circles, key=lambda c: np.linalg.norm(c.points - [42.0, 0.0, 100.0], axis=1).min())
    np.testing.assert_allclose(near.centre, (0, 0, 100), atol=1e-3)
    top = border_of(faces.faces_of(solids.box(30, 20, 10)), 5)
    assert len(top.corners) == 4 and not top.circles and len(top.edges) == 4


@pytest.mark.parametrize(
    "deed, words",
    [
        (lambda d, a, i: cutting.split_by_faces(d, a, i, range(6)), "leave nothing"),
        (lambda d, a, i: cutting.split_by_faces(d, a, i, []), "faces first"),
        (lambda d, a, i: cutting.split_connected(d, a, i), "hangs together"),
        (lambda d, a, i: cutting.split_by_angle(d, a, i, 120.0), "no edge"),
        (lambda d, a, i: cutting.split_by_angle(d, a, i, float("nan")), "angle"),
        (lambda d, a, i: cutting.join_parts(d, a, [i]), "two parts"),
        (lambda d, a, i: cutting.split_by_plane(d, a, i, (0, 0, 900), (0, 0, 1)), "does not meet"),
        (lambda d, a, i: cutting.split_by_plane(d, a, i, (0, 0, 50), (0, 0, 0)), "direction"),
        (lambda d, a, i: cutting.split_by_faces(edits.change_part(d, i, locked=True), a, i, [1]), "locked"),
    ],
)  # fmt: skip
def test_a_split_that_leaves_nothing_is_told(deed, words):
    document, cube = script.add_piece(Document(), "block")
    with pytest.raises(AulmoError, match=words):
        deed(document, AssetStore(), cube)


def test_clipping_keeps_normals_uv_and_says_when_nothing_is_left():
    mesh = sphere_mesh(20)
    uv = np.stack([mesh.vertices[:, 0], mesh.vertices[:, 1]], 1)
    half = clipped(mesh._replace(uv=uv), (0, 0, 5), (0, 0, 1), 7)
    shell = half.normals[:, 2] > -0.99
    np.testing.assert_allclose(half.normals[shell], half.vertices[shell] / 20, atol=0.02)
    np.testing.assert_allclose(half.uv[shell], half.vertices[shell][:, :2], atol=1e-4)
    assert volume(half) == pytest.approx(np.pi * 15**2 * (20 - 5), rel=6e-3)  # a cap: pi h^2 (3r - h) / 3
    assert clipped(mesh, (0, 0, 50), (0, 0, 1), 7) is None and clipped(mesh, (0, 0, -50), (0, 0, 1), 7) is mesh


def test_the_whole_lot_is_refused_for_a_group():
    document, cube = script.add_piece(Document(), "block")
    document, group = edits.group_parts(document, [cube], "G")
    with pytest.raises(BadValue, match="group"):
        cutting.split_connected(document, AssetStore(), group)
