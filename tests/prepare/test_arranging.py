"""Lining up, spacing, scaling, mirroring, standing, pivots, groups, names, choosing by rule, finesse for a shot."""

import time

import numpy as np
import pytest
from hypothesis import given, settings, strategies as st
from msgspec.structs import replace

from aulmo import script
from aulmo.document import edits, tree
from aulmo.document.assets import AssetStore
from aulmo.document.placement import world_matrix
from aulmo.document.records import Camera, Document, Placement, Selection, Shot
from aulmo.errors import BadValue
from aulmo.prepare import aligning, arrange, choosing, fine_enough, standing

ASSETS = AssetStore()


def blocks(*places, sizes=None) -> tuple[Document, list[str]]:
    """Blocks of 20 mm, or of their own sizes, at places."""
    document, ids = Document(), []
    for k, place in enumerate(places):
        document, made = script.add_piece(document, "block", size=20 if sizes is None else sizes[k])
        document = edits.place_parts(document, {made: Placement(position=place)})
        ids.append(made)
    return document, ids


def box(document, *ids):
    return arrange.bounds(document, ASSETS, ids)


def test_lined_up_their_ends_or_middles_are_in_one_plane():
    document, ids = blocks((0, 0, 0), (50, 7, 3), (90, -12, 30), sizes=[20, 40, 10])
    low = aligning.align(document, ASSETS, ids, "y", "low")
    assert {round(float(box(low, i)[0][1]), 6) for i in ids} == {-17.0}
    high = aligning.align(document, ASSETS, ids, "z", "high")
    assert {round(float(box(high, i)[1][2]), 6) for i in ids} == {43.0}
    middle = aligning.align(document, ASSETS, ids, "x", "middle")
    assert {round(float(box(middle, i)[0][0] + box(middle, i)[1][0]), 6) for i in ids} == {85.0}
    assert box(low, ids[1])[0][0] == box(document, ids[1])[0][0]  # nothing else moved
    with pytest.raises(BadValue, match="two parts"):
        aligning.align(document, ASSETS, ids[:1], "x", "low")


def test_spaced_evenly_the_gaps_are_alike_and_the_outermost_stay():
    document, ids = blocks((0, 0, 0), (35, 0, 0), (60, 0, 0), (200, 0, 0), sizes=[20, 10, 40, 20])
    spaced = aligning.space_evenly(document, ASSETS, ids, "x")
    ends = sorted(tuple(float(v) for v in (box(spaced, i)[0][0], box(spaced, i)[1][0])) for i in ids)
    gaps = [b[0] - a[1] for a, b in zip(ends, ends[1:])]
    assert np.ptp(gaps) < 1e-6 and gaps[0] > 0
    assert spaced.parts[ids[0]] == document.parts[ids[0]] and spaced.parts[ids[3]] == document.parts[ids[3]]


def test_same_size_takes_the_first_ones_longest_side_and_keeps_the_base():
    document, ids = blocks((0, 0, 0), (80, 0, 5), sizes=[20, 50])
    same = aligning.same_size(document, ASSETS, ids)
    low, high = box(same, ids[1])
    assert (high - low).max() == pytest.approx(20) and low[2] == pytest.approx(5) and 0.5 * (low[0] + high[0]) == pytest.approx(80)


@settings(max_examples=40, deadline=None)
@given(
    st.tuples(*[st.floats(-180, 180)] * 3), st.tuples(*[st.floats(0.3, 3)] * 3), st.tuples(*[st.floats(-50, 50)] * 3), st.sampled_from("xyz"),
)  # fmt: skip
def test_a_mirror_image_has_every_point_where_the_mirror_shows_it(turn, scale, pivot, axis):
    document, (one,) = blocks((30, 10, 5))
    document, group = edits.group_parts(document, [one], "G")
    document = edits.place_parts(document, {group: Placement((5, -4, 2), (20, 30, -70)), one: Placement((30, 10, 5), turn, scale)})
    flipped = aligning.mirror(document, [one], axis, pivot)
    k = "xyz".index(axis)
    glass = np.eye(4)
    glass[k, k], glass[k, 3] = -1.0, 2 * pivot[k]
    np.testing.assert_allclose(world_matrix(flipped, one), glass @ world_matrix(document, one), atol=1e-6)


def test_scaled_about_a_pivot_along_its_own_axes_a_part_keeps_its_right_angles():
    document, (one,) = blocks((40, 0, 0))
    document = edits.place_parts(document, {one: Placement((40, 0, 0), (0, 0, 30))})
    axes = world_matrix(document, one)[:3, :3]
    taller = aligning.scale_in_world(document, [one], (2.0, 1.0, 1.0), (40.0, 0.0, 0.0), axes)
    assert taller.parts[one].placement.scale == pytest.approx((2, 1, 1)) and taller.parts[one].placement.position == pytest.approx((40, 0, 0))
    even = aligning.scale_in_world(document, [one], (3.0, 3.0, 3.0), (0.0, 0.0, 0.0), np.eye(3))
    assert even.parts[one].placement.position == pytest.approx((120, 0, 0)) and even.parts[one].placement.turn == (0, 0, 30)
    with pytest.raises(BadValue, match="to nothing"):
        aligning.scale_in_world(document, [one], (0.0, 1.0, 1.0), (0.0, 0.0, 0.0), np.eye(3))


def test_a_pivot_stays_with_its_part():
    document, (one,) = blocks((40, 0, 0))
    document = aligning.set_pivot(document, one, (50.0, 10.0, 20.0))
    np.testing.assert_allclose(aligning.pivot_of(document, ASSETS, [one]), (50, 10, 20))
    moved = arrange.move_in_world(document, [one], (5, 0, 0))
    np.testing.assert_allclose(aligning.pivot_of(moved, ASSETS, [one]), (55, 10, 20))
    np.testing.assert_allclose(aligning.pivot_of(aligning.set_pivot(moved, one, None), ASSETS, [one]), (45, 0, 10))


def test_the_product_is_centred_and_the_set_stays():
    document, ids = blocks((300, 40, 7), (340, 40, 7))
    document, floor = script.add_piece(document, "floor")
    document, _ = edits.group_parts(document, ids, "Product")
    for i in ids:  # what engineering sent is no set piece
        document = edits.change_part(document, i, set_piece=None, mesh=ASSETS.add_mesh(ASSETS.mesh(document.parts[i].mesh)))
    centred = aligning.centre_product(document, ASSETS)
    low, high = box(centred, *ids)
    np.testing.assert_allclose(low + high, (0, 0, 20), atol=1e-6)
    assert centred.parts[floor] == document.parts[floor]


# standing


@settings(max_examples=60, deadline=None)
@given(st.tuples(*[st.floats(-1, 1)] * 3).filter(lambda n: np.linalg.norm(n) > 0.2), st.tuples(*[st.floats(-80, 80)] * 3))
def test_stood_on_a_surface_it_touches_the_plane_there_and_its_base_is_over_the_click(normal, point):
    document, (one,) = blocks((3, 4, 5), sizes=[(20, 30, 60)])
    document, group = edits.group_parts(document, [one], "G")
    document = edits.place_parts(document, {group: Placement((9, 1, 2), (10, 20, 30))})
    stood, _ = script.stand_on(document, ASSETS, one, point, normal)
    way = np.array(normal) / np.linalg.norm(normal)
    world = world_matrix(stood, one)
    corners = ASSETS.mesh(stood.parts[one].mesh).vertices @ world[:3, :3].T + world[:3, 3]
    height = (corners - point) @ way
    assert height.min() == pytest.approx(0, abs=1e-4)
    base = corners[height < 1e-3]
    assert len(base) >= 4  # it lies flat on the surface
    np.testing.assert_allclose(0.5 * (base.max(0) + base.min(0)), point, atol=1e-3)


def test_kept_upright_it_rests_on_a_slope_and_stands_beside_a_wall():
    document, (one,) = blocks((0, 0, 0), sizes=[(20, 20, 60)])
    slope, _ = script.stand_on(document, ASSETS, one, (100, 0, 10), (0.5, 0, 1), upright=True)
    assert slope.parts[one].placement.turn == (0, 0, 0)
    low, high = box(slope, one)
    way = np.array([0.5, 0, 1]) / np.linalg.norm([0.5, 0, 1])
    corners = np.array([[x, y, z] for x in (low[0], high[0]) for y in (low[1], high[1]) for z in (low[2], high[2])])
    assert ((corners - [100, 0, 10]) @ way).min() == pytest.approx(0, abs=1e-6)
    wall = standing.stand_on(document, ASSETS, one, (0, 300, 150), (0, -1, 0), upright=True)
    low, high = box(wall, one)
    assert high[1] == pytest.approx(300) and low[2] == pytest.approx(150)


def test_copies_are_stood_as_one():
    document, (one,) = blocks((0, 0, 0))
    document, group = script.make_copies(document, [one], "row", count=4, step=(30.0, 0.0, 0.0))
    stood, _ = script.stand_on(document, ASSETS, group, (0, 0, 77), (0, 0, 1))
    low, high = box(stood, group)
    assert low[2] == pytest.approx(77) and low[0] + high[0] == pytest.approx(0)


@pytest.mark.parametrize(
    "part, point, normal, words",
    [("nobody", (0, 0, 0), (0, 0, 1), "no such part"), (None, (0, 0, float("nan")), (0, 0, 1), "numbers"), (None, (0, 0, 0), (0, 0, 0), "direction")],
)
def test_nowhere_to_stand_is_told(part, point, normal, words):
    document, (one,) = blocks((0, 0, 0))
    with pytest.raises(BadValue, match=words):
        script.stand_on(document, ASSETS, part or one, point, normal)
    with pytest.raises(BadValue, match="locked"):
        script.stand_on(edits.change_part(document, one, locked=True), ASSETS, one, (0, 0, 0), (0, 0, 1))


# the tree


def test_moved_into_another_group_everything_stays_where_it_stands():
    document, ids = blocks((10, 0, 0), (20, 0, 0), (30, 0, 0))
    document, a = edits.group_parts(document, ids[:2], "A")
    document = edits.place_parts(document, {a: Placement((5, 6, 7), (10, 20, 30), (2, 2, 2))})
    before = {i: world_matrix(document, i) for i in ids}
    moved = tree.move_into(document, [ids[2]], a, before=ids[1])
    assert moved.parts[a].children == (ids[0], ids[2], ids[1]) and moved.roots == (a,)
    out = tree.move_into(moved, [ids[0]], None)
    assert out.roots == (a, ids[0])
    for i in ids:
        np.testing.assert_allclose(world_matrix(out, i), before[i], atol=1e-7)
    with pytest.raises(BadValue, match="into itself"):
        tree.move_into(document, [a], a)
    with pytest.raises(BadValue, match="no group"):
        tree.move_into(document, [a], ids[2])


def test_ungrouped_things_stay_in_place_and_order():
    document, ids = blocks((10, 0, 0), (20, 0, 0), (30, 0, 0))
    document, a = edits.group_parts(document, ids[:2], "A")
    document = edits.place_parts(document, {a: Placement((5, 6, 7), (0, 0, 30))})
    before = {i: world_matrix(document, i) for i in ids}
    free, freed = tree.ungroup(document, [a])
    assert free.roots == tuple(ids) and freed == ids[:2] and a not in free.parts
    for i in ids:
        np.testing.assert_allclose(world_matrix(free, i), before[i], atol=1e-7)
    ruled, group = script.make_copies(document, [a], "row", count=3)
    with pytest.raises(BadValue, match="copies rule"):
        tree.ungroup(ruled, [group])


def test_names_follow_a_pattern_and_sort_by_their_numbers():
    document, ids = blocks(*[(k, 0, 0) for k in range(12)])
    named = tree.rename_parts(document, ids, "Screw ##")
    assert [named.parts[i].name for i in (ids[0], ids[11])] == ["Screw 01", "Screw 12"]
    named = tree.rename_parts(document, ids[::-1], "Screw #")
    assert tree.sort_by_name(named, None).roots == tuple(ids[::-1])  # 1, 2 ... 10, 11, 12
    with pytest.raises(BadValue):
        tree.rename_parts(document, ids, "  ")


# choosing


def test_every_condition_narrows_and_the_selection_is_added_to_removed_from_or_kept():
    document, ids = blocks((0, 0, 0), (50, 0, 0), (100, 0, 0), (150, 0, 0), sizes=[10, 20, 20, 40])
    document = tree.rename_parts(document, ids[:3], "Screw #")
    document = edits.change_parts(document, ids[1:2], visible=False, locked=True)
    document = script.dress(document, "Screw 3", "Nickel")
    document = edits.put_selection(document, Selection(id="k", name="Kept", parts=tuple(ids[2:])))
    find = lambda **rule: choosing.chosen(document, ASSETS, choosing.Rule(**rule))  # noqa: E731
    assert find() == ids and find(name="screw") == ids[:3] and find(name="*3") == [ids[2]] and find(name="crew ?") == []
    assert find(size_from=15, size_to=30) == ids[1:3] and find(twin_of=(ids[1],)) == ids[1:3]
    assert find(hidden=True) == [ids[1]] and find(locked=False) == [ids[0], *ids[2:]] and find(within="k") == ids[2:]
    assert find(material=document.parts[ids[2]].material) == [ids[2]] and find(triangles_over=11) == ids and find(triangles_over=12) == []
    assert find(name="screw", size_from=15, hidden=False) == [ids[2]]
    assert choosing.combined(ids[:2], [ids[1], ids[3]], "add") == [*ids[:2], ids[3]]
    assert choosing.combined(ids[:2], [ids[1]], "remove") == ids[:1] and choosing.combined(ids[:2], [ids[1], ids[3]], "keep") == [ids[1]]
    with pytest.raises(BadValue, match="larger than the largest"):
        find(size_from=9, size_to=3)
    with pytest.raises(BadValue):
        find(size_from=float("nan"))


def test_a_rule_is_not_slow_over_thousands_of_parts():
    document, (one,) = blocks((0, 0, 0))
    part = document.parts[one]
    many = [replace(part, id=f"p{k}", name=f"Screw {k}") for k in range(5000)]
    document = edits.add_parts(document, many, [p.id for p in many])
    start = time.perf_counter()
    assert len(choosing.chosen(document, ASSETS, choosing.Rule(name="screw 4*", size_from=5))) == 1111
    assert time.perf_counter() - start < 5  # seconds, not minutes; the bench has the figure


# finesse for a shot


def test_the_nearest_shot_says_how_fine_is_fine_enough():
    document, ids = blocks((0, 0, 0), (0, 4000, 0))
    document = edits.change_parts(document, ids, shape="some.shape", set_piece=None)
    camera = Camera(id="c", name="C", position=(0, -500, 10), target=(0, 0, 10), focal_length_mm=50.0, sensor_mm=36.0)
    document = edits.put_shot(edits.put_camera(document, camera), Shot(id="s", name="S", camera="c", width=1800))
    found = fine_enough.for_shots(document, ASSETS, ids, document.shots)
    pixel = 490 * 36 / 50 / 1800
    assert 0.3 * pixel / 1.5 <= found[ids[0]].chord_mm <= 0.3 * pixel
    assert found[ids[1]].chord_mm > 5 * found[ids[0]].chord_mm
    wide = edits.put_shot(document, Shot(id="s", name="S", camera="c", width=18000))
    assert fine_enough.for_shots(wide, ASSETS, ids, wide.shots)[ids[0]].chord_mm < 0.2 * found[ids[0]].chord_mm
    with pytest.raises(BadValue, match="exact shape"):
        fine_enough.for_shots(edits.change_parts(document, ids, shape=None), ASSETS, ids, document.shots)
