"""Unwrapping: every place of a mesh has coordinates of its own, evenly large, and the mesh stays what it was."""

import numpy as np
import pytest

from aulmo.document.meshes import Mesh
from aulmo.errors import BadValue
from aulmo.prepare.unwrap import unwrap, unwrap_parts
from shapes import box_mesh, one_part, sphere_mesh


def overlaps(mesh: Mesh, side: int = 512) -> float:
    """The share of covered pixels that more than one triangle covers by its middle parts."""
    t = mesh.uv.astype(float)[mesh.triangles] * side
    counts = np.zeros((side + 1, side + 1), int)
    steps = np.array([(a, b, 1 - a - b) for a in np.linspace(0.1, 0.8, 8) for b in np.linspace(0.1, 0.8, 8) if a + b <= 0.9])
    for triangle in t:
        pixels = np.unique((steps @ triangle).astype(int), axis=0)
        counts[pixels[:, 1], pixels[:, 0]] += 1
    area = np.abs(np.cross(t[:, 1] - t[:, 0], t[:, 2] - t[:, 0])).sum() / 2
    return float((counts > 1).sum() / max(1, (counts > 0).sum())) if area > 0 else 1.0


def test_a_box_lies_in_six_pieces_of_even_size_and_keeps_its_shape():
    mesh = box_mesh(20)._replace(faces=np.repeat(np.arange(6), 2).astype(np.int32))
    found = unwrap(mesh)
    made = found.mesh
    assert np.array_equal(made.vertices[made.triangles], mesh.vertices[mesh.triangles]) and np.array_equal(made.faces, mesh.faces)
    assert made.uv.min() >= 0 and made.uv.max() <= 1
    t, p = made.uv[made.triangles].astype(float), made.vertices[made.triangles].astype(float)
    lengths = [np.linalg.norm(x - x[:, [1, 2, 0]], axis=2) for x in (t, p)]
    assert (lengths[0] / lengths[1]).std() < 0.02 * (lengths[0] / lengths[1]).mean()
    assert overlaps(made) < 0.03 and found.texels_per_mm > 20


def test_a_ball_has_no_place_twice_and_all_that_share_it_get_it():
    document, assets = one_part(sphere_mesh(20.0, 16))
    made, (found,) = unwrap_parts(document, assets, ["ball"])
    mesh = assets.mesh(made.parts["ball"].mesh)
    assert len(mesh.uv) == len(mesh.vertices) and found.pieces >= 2 and overlaps(mesh) < 0.1
    assert mesh.normals[mesh.triangles] == pytest.approx(sphere_mesh(20.0, 16).normals[sphere_mesh(20.0, 16).triangles])


def test_nothing_to_unwrap_gets_a_sentence():
    document, assets = one_part(box_mesh(20))
    with pytest.raises(BadValue, match="Choose parts"):
        unwrap_parts(document, assets, [])
