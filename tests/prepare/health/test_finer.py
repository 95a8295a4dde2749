"""What is finer than any shot shows is found, told in pixels, made simpler, and stays so."""

import manifold3d
import numpy as np
import pytest
from msgspec.structs import replace

import reading_here
from aulmo import script
from aulmo.document import edits
from aulmo.document.meshes import Mesh
from aulmo.document.records import Finesse
from aulmo.prepare.faces import by_angle
from aulmo.prepare.health import finer
from aulmo.prepare.health.apart import examined
from aulmo.prepare.health.findings import examine
from aulmo.prepare.health.finer import OFF, simpler
from aulmo.prepare.health.mend import mend
from aulmo.prepare.health.mend_mesh import mended_again
from aulmo.prepare.health.skin import skin_of
from aulmo.prepare.import_file import change_finesse
from aulmo.prepare.normals import with_crease_normals
from engineering import RED, at, loose_faces, rod, send
from shapes import one_part, sphere_mesh


def plate() -> Mesh:
    """A plate with four through holes and four blind ones of 0.2 mm, four pins as thin, and one hole of 10 mm."""
    made = manifold3d.Manifold.cube([60, 40, 4], True)
    for k in range(4):
        made -= manifold3d.Manifold.cylinder(10, 0.1, 0.1, 24, True).translate([-25 + 8 * k, -10, 0])
        made -= manifold3d.Manifold.cylinder(10, 0.1, 0.1, 24).translate([-25 + 8 * k, 0, 1])
        made += manifold3d.Manifold.cylinder(3, 0.1, 0.1, 24).translate([-25 + 8 * k, 10, 2])
    made -= manifold3d.Manifold.cylinder(10, 5, 5, 64, True).translate([22, 10, 0])
    told = made.to_mesh()
    mesh = with_crease_normals(told.vert_properties[:, :3], told.tri_verts)
    return mesh._replace(faces=by_angle(mesh).astype(np.int32))


def test_holes_narrower_than_a_pixel_are_closed_and_nothing_else():
    mesh = plate()
    whole = skin_of(mesh)
    made = simpler(mesh, 0.4)
    skin = skin_of(made.mesh)
    assert made.holes == 8 and skin.closed.all() and made.off <= OFF * 0.4
    added = 4 * np.pi * 0.01 * (4 + 1)  # four through the plate, four to 1 mm below its top
    assert skin.volumes.sum() == pytest.approx(whole.volumes.sum() + added, rel=2e-4)
    assert made.mesh.vertices[:, 2].max() == pytest.approx(5, abs=0.1) and set(made.mesh.faces) <= set(mesh.faces)  # pins that stand out stay
    assert simpler(mesh, 0.15).holes == 0


def test_a_fine_ball_keeps_within_a_quarter_of_a_pixel_and_its_normals():
    ball = sphere_mesh(10, 96)
    made = simpler(ball, 0.2)
    places = made.mesh.vertices[made.mesh.triangles].astype(float)
    middles = places.mean(1)
    assert len(made.mesh.triangles) < 0.3 * len(ball.triangles) and skin_of(made.mesh).closed.all()
    assert 0.5 * made.off < 10 - np.linalg.norm(middles, axis=1).min() < OFF * 0.2 + 0.01
    outward = made.mesh.vertices / np.linalg.norm(made.mesh.vertices, axis=1)[:, None]
    assert (made.mesh.normals * outward).sum(1).min() > np.cos(np.radians(2))
    assert simpler(ball, 1e-3).mesh is ball


def test_it_is_told_for_the_shot_that_shows_most_and_mended_in_one_step(monkeypatch):
    monkeypatch.setattr(finer, "WORTH", 2000)
    document, assets = one_part(sphere_mesh(20, 64), position=(0.0, -900.0, 0.0))
    found = examine(document, assets, kinds=["fine"])
    assert [f.part for f in found] == ["ball"] and "pixels off in Shot 1" in found[0].words
    made = mend(document, assets, found)
    mesh = assets.mesh(made.parts["ball"].mesh)
    assert len(mesh.triangles) < 0.25 * len(assets.mesh(document.parts["ball"].mesh).triangles)
    assert examine(made, assets) == []  # neither too fine now nor too coarse
    near = edits.put_camera(document, replace(document.cameras["c"], position=(0.0, -60.0, 0.0)))
    assert examine(near, assets, kinds=["fine"]) == [] and script.health(document, assets) == []
    again = mended_again(assets.mesh(document.parts["ball"].mesh), made.parts["ball"].mends)
    np.testing.assert_array_equal(again.triangles, mesh.triangles)


def test_what_was_mended_on_an_exact_shape_is_mended_again_under_another_finesse(tmp_path):
    path = send(tmp_path / "a.step", {"Stand": [("Rod", loose_faces(rod(8, 40), lambda n, face: face.Reversed() if n == 0 else face), RED, [at()])]})
    with reading_here.in_this_process():
        document, assets = script.import_model(path)
        found = examine(document, assets, kinds=["flipped"])
        assert len(found) == 1
        made = mend(document, assets, found)
        rod_id = found[0].part
        other = change_finesse(made, assets, [rod_id], Finesse(0.5, 30.0))
    assert len(assets.mesh(other.parts[rod_id].mesh).triangles) < len(assets.mesh(made.parts[rod_id].mesh).triangles)
    assert examine(other, assets, kinds=["flipped"]) == [] and other.parts[rod_id].mends == made.parts[rod_id].mends


@pytest.mark.processes
def test_health_is_looked_at_apart_says_how_far_it_is_and_can_be_cancelled():
    document, assets = one_part(sphere_mesh(20, 24)._replace(triangles=sphere_mesh(20, 24).triangles[5:]))
    told = []
    found = examined(document, assets, False, lambda words, share: told.append((words, share)) or True)
    assert found == examine(document, assets) and found and [share for _, share in told] == sorted(share for _, share in told) and len(told) > 4
    assert examined(document, assets, False, lambda words, share: share < 0.3) is None
    assert examined(document, assets, False) == found  # in a process begun anew
