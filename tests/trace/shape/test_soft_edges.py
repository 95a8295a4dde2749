"""Softened edges: which edges are sharp, how the normal turns across them, and that flat stays flat."""

import numpy as np
import pytest

from aulmo.document import edits
from aulmo.document.records import Placement, Surface
from aulmo.trace.scene import SceneBuilder
from aulmo.trace.shape.soft_edges import edge_grid, sharp_edges, softened
from shapes import box_mesh, one_part, sphere_mesh
from tracing import UniformDome, look_down, plane, trace


def test_a_box_has_twelve_edges_and_a_ball_none():
    edges = sharp_edges(box_mesh(20.0))
    assert len(edges) == 12
    assert np.allclose(np.linalg.norm(edges[:, 3:6] - edges[:, :3], axis=1), 20.0)
    assert np.allclose((edges[:, 6:9] * edges[:, 12:15]).sum(1), 0.0)
    assert len(sharp_edges(sphere_mesh(20.0, 32))) == 0
    assert len(sharp_edges(plane())) == 0


def test_the_grid_finds_every_edge_within_the_radius():
    edges = sharp_edges(box_mesh(20.0))
    slots, entries, inverse, mask = edge_grid(edges, 1.5)
    rng = np.random.default_rng(1)
    for p in rng.uniform(-11, 11, (300, 3)):
        near = {k for k, e in enumerate(edges) if _distance(p, e[:3], e[3:6]) < 1.5}
        i, j, k = (int(np.floor(v * inverse)) for v in p)
        slot = ((i * 73856093) ^ (j * 19349663) ^ (k * 83492791)) & mask
        assert near <= set(entries[slots[slot] : slots[slot + 1]].tolist())


def _distance(p, a, b) -> float:
    t = np.clip((p - a) @ (b - a) / ((b - a) @ (b - a)), 0, 1)
    return float(np.linalg.norm(p - a - t * (b - a)))


def soft_box(radius: float, **placed):
    document, assets = one_part(box_mesh(20.0), Surface(base_color=(0.5, 0.5, 0.5), specular_weight=0.0))
    document = edits.change_part(document, "ball", edge_radius=radius)
    if placed:
        document = edits.place_parts(document, {"ball": Placement(**placed)})
    return document, assets


def test_the_normal_turns_evenly_from_the_face_to_halfway():
    document, assets = soft_box(2.0)
    arrays = SceneBuilder(assets).build(document).arrays
    row = int(arrays.instance_soft[0])
    angles = []
    for inward in (0.0, 0.5, 1.0, 1.5, 1.99, 5.0):
        n = np.array(softened(arrays, row, 10.0 - inward, 0.0, 10.0, 0.0, 0.0, 1.0))
        n /= np.linalg.norm(n)
        assert n[1] == pytest.approx(0.0, abs=1e-6)
        angles.append(np.degrees(np.arctan2(n[0], n[2])))
    assert angles[0] == pytest.approx(45.0, abs=0.1)
    assert all(a > b for a, b in zip(angles, angles[1:5]))
    assert angles[2] == pytest.approx(22.5, abs=2.0)
    assert angles[5] == 0.0


def test_both_faces_meet_in_the_same_normal():
    document, assets = soft_box(2.0)
    arrays = SceneBuilder(assets).build(document).arrays
    row = int(arrays.instance_soft[0])
    top = np.array(softened(arrays, row, 10.0 - 1e-6, 3.0, 10.0, 0.0, 0.0, 1.0))
    side = np.array(softened(arrays, row, 10.0, 3.0, 10.0 - 1e-6, 1.0, 0.0, 0.0))
    np.testing.assert_allclose(top / np.linalg.norm(top), side / np.linalg.norm(side), atol=1e-4)


def test_a_scaled_part_keeps_its_radius_in_millimetres():
    document, assets = soft_box(2.0, scale=(3.0, 3.0, 3.0))
    arrays = SceneBuilder(assets).build(document).arrays
    assert arrays.soft_rows[0, 0] == pytest.approx(2.0 / 3.0, rel=1e-5)


def test_a_softened_edge_catches_light_that_a_sharp_one_lacks():
    """A mirror box seen from above under a sky that is bright only on one side: the sharp top reflects the zenith, the edge the side."""
    from tracing import HalfDome

    mirror = Surface(base_metalness=1.0, base_color=(1, 1, 1), specular_roughness=0.15)
    seen = {}
    for radius in (0.0, 2.5):
        document, assets = soft_box(radius)
        document = edits.put_material(document, edits.replace(document.materials["m"], surface=mirror))
        camera = edits.replace(look_down(200.0), projection="parallel", span_mm=24.0)
        document = edits.replace(document, cameras={"c": camera})
        seen[radius] = trace(document, assets, (48, 48), 32, HalfDome)[0].rgb[24, :, 1]
    # columns near the right and left edge of the top face (20 of 24 mm seen: columns 4 to 43)
    assert seen[2.5][41] > 1.5 * seen[0.0][41]
    assert seen[2.5][6] < 0.6 * seen[0.0][6]
    assert seen[2.5][24] == pytest.approx(seen[0.0][24], rel=0.1)


def test_softening_adds_no_energy():
    document, assets = soft_box(2.0)
    white = Surface(base_color=(1, 1, 1), specular_weight=0.0)
    document = edits.put_material(document, edits.replace(document.materials["m"], surface=white))
    frame, _ = trace(document, assets, (32, 24), 128, UniformDome)
    assert frame.rgb.max() < 1000.0 * 1.06
