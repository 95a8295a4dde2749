"""Copies rules: what they make, where, that it lasts, and what cannot be followed."""

import numpy as np
import pytest
from msgspec.structs import replace

from aulmo import script
from aulmo.document import edits, tree
from aulmo.document.assets import AssetStore
from aulmo.document.made import copies, paths
from aulmo.document.placement import world_matrices
from aulmo.document.project_file import load, save
from aulmo.document.properties import get, put, resolve
from aulmo.document.records import Document, GuidePath, Key
from aulmo.errors import AulmoError, BadValue
from aulmo.prepare import arrange, copying
from aulmo.trace.scene import SceneBuilder


@pytest.fixture
def peg():
    """A document with a peg of 10 mm across, 30 tall, at the origin."""
    return script.add_piece(Document(), "cylinder", radius=5, height=30)


def made_of(document, group) -> list[str]:
    return [i for i in resolve(document).parts[group].children if ":" in i]


def places(document, group) -> np.ndarray:
    resolved = resolve(document)
    worlds = world_matrices(resolved)
    return np.array([worlds[i][:3, 3] for i in made_of(document, group)])


@pytest.mark.parametrize("rule", ["row", "ring", "grid", "box", "ball"])
@pytest.mark.parametrize("count", [1, 2, 7, 40])
def test_every_rule_makes_as_many_as_asked_and_shows_only_those(peg, rule, count):
    document, group = script.make_copies(peg[0], [peg[1]], rule, count=count)
    resolved = resolve(document)
    assert made_of(document, group) == [f"{group}:{n}" for n in range(count)]
    assert edits.shown_parts(resolved) == made_of(document, group)  # the source itself is out of sight
    assert resolve(document).parts is resolved.parts


def test_a_row_a_ring_and_a_grid_stand_where_their_numbers_say(peg):
    document, group = script.make_copies(peg[0], [peg[1]], "row", count=4, step=(20.0, 5.0, 0.0))
    np.testing.assert_allclose(places(document, group), [[20 * k, 5 * k, 0] for k in range(4)])
    document, group = script.make_copies(peg[0], [peg[1]], "ring", count=8, radius=100.0)
    found = places(document, group)
    np.testing.assert_allclose(np.hypot(found[:, 0], found[:, 1]), 100)
    turned = np.degrees(np.arctan2(found[:, 1], found[:, 0])) % 360
    np.testing.assert_allclose(np.diff(np.sort(turned)), 45)
    resolved = resolve(document)
    assert [resolved.parts[f"{group}:{k}"].placement.turn[2] % 360 for k in (0, 1, 2)] == pytest.approx([0, 45, 90])
    document, group = script.make_copies(peg[0], [peg[1]], "grid", count=(3, 2, 2), step=(20.0, 30.0, 40.0))
    np.testing.assert_allclose(places(document, group)[[0, 1, 3, 6, 11]], [[0, 0, 0], [20, 0, 0], [0, 30, 0], [0, 0, 40], [40, 30, 40]])


def test_a_screw_that_has_its_place_goes_round_the_centre_at_its_own_distance(peg):
    document = edits.place_parts(peg[0], {peg[1]: replace(peg[0].parts[peg[1]].placement, position=(0.0, -42.0, 81.0), turn=(0.0, 0.0, 17.0))})
    document, group = script.make_copies(document, [peg[1]], "ring", count=6, radius=0.0)
    found = places(document, group)
    np.testing.assert_allclose(found[0], (0, -42, 81), atol=1e-9)
    np.testing.assert_allclose(np.hypot(found[:, 0], found[:, 1]), 42)
    open_ring = put(document, f"parts/{group}/copies/sweep", 90.0)
    np.testing.assert_allclose(places(open_ring, group)[-1], (42, 0, 81), atol=1e-9)  # an arc reaches its end


def test_copies_along_a_path_stand_at_even_steps_and_look_along_it(peg):
    line = GuidePath(id="p", name="Way", points=((0.0, 0.0, 0.0), (300.0, 0.0, 0.0), (300.0, 300.0, 0.0)), smooth=False)
    document = edits.put_path(peg[0], line)
    document, group = script.make_copies(document, [peg[1]], "path", count=7)
    found = places(document, group)
    np.testing.assert_allclose(found[[0, 1, 3, 6]], [[0, 0, 0], [100, 0, 0], [300, 0, 0], [300, 300, 0]], atol=1e-6)
    assert resolve(document).parts[f"{group}:5"].placement.turn[2] == pytest.approx(90)
    bent = edits.put_path(document, replace(line, points=((0.0, 0.0, 0.0), (0.0, 600.0, 0.0))))
    np.testing.assert_allclose(places(bent, group)[6], (0, 600, 0))


def test_without_a_path_a_straight_one_is_made_that_can_be_pulled(peg):
    document, group = script.make_copies(peg[0], [peg[1]], "path", count=5)
    (path,) = document.paths.values()
    found = places(document, group)
    np.testing.assert_allclose(found[0], (0, 0, 0), atol=1e-9)
    assert np.diff(found[:, 0]).min() > 10 and path.id == document.parts[group].copies.path
    bent, other = script.make_copies(peg[0], [peg[1]], "path", count=3, path=[(0, 0, 0), (0, 50, 0), (0, 100, 0)])
    np.testing.assert_allclose(places(bent, other)[:, 1], (0, 50, 100), atol=1e-6)


def test_a_rule_within_a_rule_is_held_to_the_same_number(peg):
    document, inner = script.make_copies(peg[0], [peg[1]], "row", count=2000)
    with pytest.raises(BadValue, match="would make"):
        script.make_copies(document, [inner], "row", count=2000)


def test_scattered_over_a_surface_they_are_even_by_area_stand_on_it_and_keep_apart():
    document, ball = script.add_piece(Document(), "sphere", radius=100)
    document, pin = script.add_piece(document, "cone", radius=2, height=10)
    document, group = script.make_copies(document, [pin], "surface", on=[ball], count=4000)
    found = places(document, group) - [0, 0, 100]
    np.testing.assert_allclose(np.linalg.norm(found, axis=1), 100, rtol=2e-3)
    bands = np.histogram(found[:, 2], bins=8, range=(-100, 100))[0]  # Archimedes: bands of one height have one area
    assert np.abs(bands - 500).max() < 5 * np.sqrt(500)
    resolved = resolve(document)
    worlds = world_matrices(resolved)
    up = np.array([worlds[i][:3, 2] for i in made_of(document, group)])
    np.testing.assert_allclose(up, found / 100, atol=0.03)
    straight = put(document, f"parts/{group}/copies/upright", True)
    assert {p.placement.turn for i, p in resolve(straight).parts.items() if ":" in i} == {(0.0, 0.0, 0.0)}
    apart = put(document, f"parts/{group}/copies/apart", 20.0)
    kept = places(apart, group)
    distance = np.linalg.norm(kept[:, None] - kept[None], axis=2) + 1e9 * np.eye(len(kept))
    assert distance.min() >= 20 and 190 < len(kept) < 230  # discs thrown at random fill 0.547 of a surface
    top = put(document, f"parts/{group}/copies/steepest", 40.0)
    assert (places(top, group)[:, 2] - 100 > 100 * np.cos(np.radians(42))).all()


def test_a_box_and_a_ball_are_filled_evenly(peg):
    document, group = script.make_copies(peg[0], [peg[1]], "box", count=3000, box=(100.0, 200.0, 300.0), centre=(0.0, 0.0, 500.0), anchor="origin")
    found = places(document, group)
    for axis, side in enumerate((100, 200, 300)):
        counts = np.histogram(found[:, axis], bins=5)[0]
        assert np.ptp(found[:, axis]) == pytest.approx(side, rel=0.02) and np.abs(counts - 600).max() < 5 * np.sqrt(600)
    document, group = script.make_copies(peg[0], [peg[1]], "ball", count=3000, radius=50.0, centre=(0.0, 0.0, 0.0), anchor="origin")
    far = np.linalg.norm(places(document, group), axis=1)
    assert far.max() <= 50 and (far < 25).mean() == pytest.approx(1 / 8, abs=0.02)


def test_several_sources_are_taken_by_their_shares(peg):
    document, other = script.add_piece(peg[0], "sphere", radius=5)
    document, group = script.make_copies(document, [peg[1], other], "row", count=2000, shares=(3.0, 1.0))
    resolved = resolve(document)
    spheres = [i for i in made_of(document, group) if copies.source_of(document, i) == other]
    assert len(spheres) / 2000 == pytest.approx(0.25, abs=0.04)
    assert all(resolved.parts[i].mesh == document.parts[other].mesh for i in spheres)


def test_jitter_is_bounded_seeded_and_lets_the_rest_be(peg):
    document, group = script.make_copies(
        peg[0], [peg[1]], "row", count=500, step=(100.0, 0.0, 0.0), jitter_place=(8.0, 0.0, 0.0), jitter_size=0.2, seed=3
    )
    away = places(document, group) - [[100 * k, 0, 0] for k in range(500)]
    assert 7 < np.abs(away[:, 0]).max() <= 8 + 5 * 0.2 and np.abs(away[:, 1]).max() < 1e-9
    scales = [resolve(document).parts[f"{group}:{k}"].placement.scale[0] for k in range(500)]
    assert 0.8 <= min(scales) < 0.82 and 1.18 < max(scales) <= 1.2
    other = put(document, f"parts/{group}/copies/seed", 4)
    assert not np.allclose(places(other, group), places(document, group))


def test_the_source_edited_once_changes_all(peg):
    document, group = script.make_copies(peg[0], [peg[1]], "row", count=50)
    document = put(document, f"parts/{peg[1]}/set_piece/height", 12.0)
    document = put(document, f"parts/{peg[1]}/edge_radius", 0.5)
    resolved = resolve(document)
    assert {resolved.parts[i].mesh for i in made_of(document, group)} == {document.parts[peg[1]].mesh}
    assert {resolved.parts[i].edge_radius for i in made_of(document, group)} == {0.5}


def test_groups_are_copied_whole_and_rules_within_rules_too(peg):
    document, ring = script.make_copies(peg[0], [peg[1]], "ring", count=5, radius=40.0)
    document, grid = script.make_copies(document, [ring], "grid", count=6, step=(150.0, 150.0, 0.0))
    resolved = resolve(document)
    assert len(edits.shown_parts(resolved)) == 30
    inner = next(i for i in resolved.parts if i.startswith(f"{grid}:4:") and resolved.parts[i].mesh)
    assert copies.source_of(document, inner) == peg[1] and copies.maker_of(inner) == grid and copies.number_of(inner) == 4


def test_single_copies_hide_and_the_rule_goes_on(peg):
    document, group = script.make_copies(peg[0], [peg[1]], "row", count=9)
    document = copying.hide_copies(document, [f"{group}:2", f"{group}:5"])
    assert len(edits.shown_parts(resolve(document))) == 7
    document = put(document, f"parts/{group}/copies/count", 12)
    assert f"{group}:5" not in edits.shown_parts(resolve(document)) and len(edits.shown_parts(resolve(document))) == 10
    document = copying.hide_copies(document, [f"{group}:2"], hidden=False)
    assert document.parts[group].copies.hidden == (5,)


def test_made_separate_they_are_parts_where_they_stood(peg):
    document, group = script.make_copies(peg[0], [peg[1]], "ring", count=6, radius=60.0, jitter_turn=(0.0, 0.0, 40.0), jitter_size=0.3)
    document = copying.hide_copies(document, [f"{group}:1"])
    before = [world_matrices(resolve(document))[i] for i in made_of(document, group) if i != f"{group}:1"]
    apart = copying.make_separate(document, group)
    assert apart.parts[group].copies is None and len(apart.parts[group].children) == 5 and resolve(apart) is apart
    after = [world_matrices(apart)[i] for i in apart.parts[group].children]
    np.testing.assert_allclose(after, before, atol=1e-9)
    assert len({p.name for p in apart.parts.values()}) == len(apart.parts)


def test_keys_move_a_rule_and_a_single_copy_by_its_lasting_name(peg):
    document, group = script.make_copies(peg[0], [peg[1]], "row", count=3, step=(50.0, 0.0, 0.0))
    keyed = replace(document, keys={f"parts/{group}/copies/step": (Key(0.0, (50.0, 0.0, 0.0)), Key(2.0, (150.0, 0.0, 0.0)))})
    assert resolve(keyed, time=1.0).parts[f"{group}:2"].placement.position == pytest.approx((200, 0, 0))
    one = replace(document, keys={f"parts/{group}:1/placement/position": (Key(0.0, (0.0, 0.0, 77.0)),)})
    moved = resolve(one)
    assert moved.parts[f"{group}:1"].placement.position == (0.0, 0.0, 77.0)
    assert moved.parts[f"{group}:2"].placement.position == (100.0, 0.0, 0.0)


def test_ten_thousand_copies_are_one_mesh_in_the_scene(peg):
    document, floor = script.add_piece(peg[0], "floor", width=5000, depth=5000)
    document, group = script.make_copies(document, [peg[1]], "surface", on=[floor], count=10_000)
    scene = SceneBuilder(AssetStore()).build(resolve(document), tables=False)
    assert len(scene.part_ids) == 10_001 and len({id(m) for m in scene.meshes}) == 2
    assert len(scene.arrays.points) < 10_000


def test_a_size_asked_of_a_rule_is_that_of_what_it_makes(peg):
    document, group = script.make_copies(peg[0], [peg[1]], "row", count=5, step=(100.0, 0.0, 0.0))
    assert arrange.size_of(document, AssetStore(), [group]) == pytest.approx((410, 10, 30))


def test_a_project_with_rules_and_paths_is_saved_and_read(peg, tmp_path):
    document = edits.put_path(peg[0], GuidePath(id="p", name="Way", points=((0.0, 0.0, 0.0), (90.0, 20.0, 5.0))))
    document, group = script.make_copies(document, [peg[1]], "path", count=30)
    save(document, AssetStore(), tmp_path / "a.aulmo")
    again, _ = load(tmp_path / "a.aulmo")
    assert again == document and len(made_of(again, group)) == 30 and len(again.parts) == 2


@pytest.mark.parametrize(
    "rule, numbers, words",
    [
        ("row", {"count": 2_000_000}, "too many"), ("grid", {"count": (200, 200, 200)}, "too many"), ("row", {"count": 0}, "Count"),
        ("row", {"count": float("nan")}, "Count"), ("row", {"step": (float("nan"), 0, 0)}, "Step"),
        ("path", {"path": "nowhere"}, "no such path"), ("path", {"path": [(0.0, 0.0, 0.0)]}, "two points"),
        ("path", {"path": [(0.0, 0.0, float("nan")), (1.0, 0.0, 0.0)]}, "point of a path"),
        ("surface", {}, "over"), ("surface", {"on": ["nobody"]}, "not there"), ("spiral", {}, "no copies rule"), ("row", {"colour": 3}, "no number"),
        ("row", {"shares": (-1.0,)}, "Shares"),
    ],
)  # fmt: skip
def test_what_cannot_be_made_is_told_and_nothing_changes(peg, rule, numbers, words):
    with pytest.raises(BadValue, match=words):
        script.make_copies(peg[0], [peg[1]], rule, **{"count": 3, **numbers})


def test_copies_over_themselves_over_each_other_and_over_nothing_are_refused(peg):
    with pytest.raises(BadValue, match="over themselves"):
        script.make_copies(peg[0], [peg[1]], "surface", on=[peg[1]], count=3)
    document, other = script.add_piece(peg[0], "sphere")
    document, one = script.make_copies(document, [peg[1]], "surface", on=[other], count=3)
    both, two = script.make_copies(document, [other], "surface", on=[one], count=3)  # over what lies on the source alone: no circle yet
    with pytest.raises(BadValue, match="over what is scattered over them"):
        put(both, f"parts/{one}/copies/on", (two,))
    with pytest.raises(BadValue, match="cannot be put into itself"):
        tree.move_into(document, [one], one)
    flat = edits.change_parts(document, [other], visible=False)
    assert "no area" in copies.trouble(flat)[one]
    assert edits.shown_parts(resolve(flat)) == [peg[1]]  # the rule makes nothing; what it copies can be seen
    with pytest.raises(BadValue, match="path"):
        put(document, f"parts/{one}/copies/kind", "path")
    assert get(document, f"parts/{one}/copies/kind") == "surface"


def test_what_a_rule_lies_on_may_be_deleted_and_the_project_stays_whole(peg):
    document, floor = script.add_piece(peg[0], "floor")
    document, group = script.make_copies(document, [peg[1]], "surface", on=[floor], count=10)
    document = edits.delete_parts(document, [floor])
    assert document.parts[group].copies.on == () and group in copies.trouble(document)
    resolve(document)


# paths


def test_a_smooth_path_goes_through_its_points_at_even_steps():
    ring = [(100 * np.cos(a), 100 * np.sin(a), 0.0) for a in np.arange(24) * np.pi / 12]
    path = GuidePath(id="p", name="Round", points=tuple(ring), closed=True)
    assert paths.length(path) == pytest.approx(2 * np.pi * 100, rel=2e-3)
    found = paths.places(path, 50)
    np.testing.assert_allclose(np.linalg.norm(found.points, axis=1), 100, rtol=3e-3)
    gaps = np.linalg.norm(np.diff(found.points, axis=0), axis=1)
    assert np.ptp(gaps) < 0.02 * gaps.mean()
    square = np.abs((found.points * found.headings).sum(1)) / 100
    assert square.max() < 0.02  # it runs round, not outward


@pytest.mark.parametrize("points", [(), ((0.0, 0.0, 0.0),), ((1.0, 1.0, 1.0), (1.0, 1.0, 1.0)), ((0.0, 0.0, float("nan")), (1.0, 0.0, 0.0))])
def test_a_path_that_leads_nowhere_is_refused(points):
    with pytest.raises(AulmoError, match="path"):
        edits.put_path(Document(), GuidePath(id="p", name="P", points=points))
