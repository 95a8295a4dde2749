"""Keys as they are edited: moved, copied, stretched, turned round, lined up, rippled; what recording makes of a change; the reel; lanes."""

import numpy as np
import pytest
from msgspec.structs import replace

from aulmo import script
from aulmo.document import edits
from aulmo.document.changes import changes
from aulmo.document.properties import get, put, resolve
from aulmo.document.records import Cut, Document, GuidePath, Key, LaneGroup, Material, Part, Placement, Shot, Surface
from aulmo.errors import BadValue
from aulmo.motion import keys, lanes, ready, reel
from aulmo.motion.keys import ROOTS, keyable
from aulmo.motion.recording import as_now, recorded
from aulmo.motion.ways import camera_at, into_key, rings, speed, way
from shapes import box_mesh, one_part

HEIGHT = "floor/height"
PLACE = "parts/ball/placement/position"


def scene(*held) -> Document:
    """A box, and keys of the floor's height."""
    document, _ = one_part(box_mesh(), floor="plain")
    return keys.put_keys(document, HEIGHT, [Key(float(t), float(v)) for t, v in held]) if held else document


def told(document, address=HEIGHT):
    return [(k.time, k.value) for k in document.keys.get(address, ())]


def chosen(document, address=HEIGHT):
    return [(address, k.time) for k in document.keys[address]]


def value(document, time, address=HEIGHT):
    return get(resolve(document, {}, time), address)


def test_keys_are_moved_and_copied_and_replace_those_they_come_to_lie_on():
    document = scene((0, 1), (1, 2), (3, 4))
    moved, now = keys.move_keys(document, [(HEIGHT, 0.0), (HEIGHT, 1.0)], 2.0)
    assert told(moved) == [(2.0, 1.0), (3.0, 2.0)] and now == [(HEIGHT, 2.0), (HEIGHT, 3.0)]
    copied, now = keys.move_keys(document, [(HEIGHT, 1.0)], 1.0, copy=True)
    assert told(copied) == [(0.0, 1.0), (1.0, 2.0), (2.0, 2.0), (3.0, 4.0)]


def test_stretched_reversed_mirrored():
    document = scene((1, 1), (2, 5), (4, 2))
    assert told(keys.stretch(document, chosen(document), 1.0, 2.0)[0]) == [(1.0, 1.0), (3.0, 5.0), (7.0, 2.0)]
    back, _ = keys.reverse(document, chosen(document))
    assert told(back) == [(1.0, 2.0), (3.0, 5.0), (4.0, 1.0)]
    both, _ = keys.mirror(document, chosen(document))
    assert told(both) == [(1.0, 1.0), (2.0, 5.0), (4.0, 2.0), (6.0, 5.0), (7.0, 1.0)]
    with pytest.raises(BadValue):
        keys.stretch(document, chosen(document), 1.0, 0.0)


def test_a_way_turned_round_is_the_same_way_backward():
    document = scene()
    held = [Key(0.0, 0.0, after="bent", bend=(0.8, 0.1, 0.9, 0.4)), Key(1.0, 10.0, after="eased"), Key(2.0, 4.0, before="even")]
    document = keys.put_keys(document, HEIGHT, held)
    back, _ = keys.reverse(document, chosen(document))
    for time in np.linspace(0.01, 1.99, 41):
        assert value(back, 2.0 - time) == pytest.approx(value(document, time), abs=1e-6)


def test_aligned_the_first_of_each_property_stands_at_one_moment():
    document = scene((1, 1), (2, 5))
    document = keys.put_keys(document, "floor/turn", [Key(0.5, 0.0), Key(3.0, 90.0)])
    made, _ = keys.align(document, [*chosen(document), *chosen(document, "floor/turn")], 4.0)
    assert [t for t, _ in told(made)] == [4.0, 5.0] and [t for t, _ in told(made, "floor/turn")] == [4.0, 6.5]


def test_ripple_moves_all_that_follows_along():
    document = scene((0, 1), (2, 5), (4, 2))
    document, motion = script.add_motion(document, "ball", "lift", start=3.0, length=1.0, distance_mm=5.0)
    document, _ = reel.put_cut(reel.put_cut(document, "s", 0.0)[0], "s", 3.5)
    made = keys.ripple(document, 1.0, 0.5)
    assert [t for t, _ in told(made)] == [0.0, 2.5, 4.5]
    assert made.motions[motion].start == 3.5 and [c.start for c in made.film.reel] == [0.0, 4.0] and made.film.end == 8.5
    with pytest.raises(BadValue, match="run into"):
        keys.ripple(document, 2.0, -2.5)


def test_one_speed_throughout():
    document = scene()
    places = [(0.0, (0.0, 0.0, 0.0)), (1.0, (100.0, 0.0, 0.0)), (3.0, (100.0, 50.0, 0.0)), (4.0, (0.0, 50.0, 0.0))]
    document = keys.put_keys(document, PLACE, [Key(t, p, way="straight") for t, p in places])
    made = keys.same_speed(document, PLACE)
    assert (made.keys[PLACE][0].time, made.keys[PLACE][-1].time) == (0.0, 4.0)
    steps = np.linalg.norm(np.diff([value(made, t, PLACE) for t in np.linspace(0, 4, 401)], axis=0), axis=1)
    assert np.percentile(steps, [2, 98]) == pytest.approx([250 / 400] * 2, rel=0.03)
    with pytest.raises(BadValue, match="three keys"):
        keys.same_speed(scene((0, 1), (1, 2)), HEIGHT)


def test_the_last_key_leaves_its_value():
    document = keys.remove_keys(scene((1, 7)), [(HEIGHT, 1.0)])
    assert document.keys == {} and document.floor.height == 7.0


# recording


def test_a_change_where_a_key_stands_changes_that_key_alone():
    base = scene((0, 1), (2, 5))
    made = recorded(base, put(base, HEIGHT, 9.0), 2.0, {}, False)
    assert told(made.document) == [(0.0, 1.0), (2.0, 9.0)] and made.document.floor.height == base.floor.height and not made.loose


def test_a_change_between_keys_is_loose_and_with_recording_a_key():
    base = scene((0, 1), (2, 5))
    loose = recorded(base, put(base, HEIGHT, 9.0), 1.0, {}, False)
    assert loose.document == base and loose.loose == {HEIGHT: 9.0}
    kept = recorded(base, put(base, HEIGHT, 9.0), 1.0, {}, True)
    assert told(kept.document) == [(0.0, 1.0), (1.0, 9.0), (2.0, 5.0)] and not kept.loose


def test_recording_something_without_keys_lets_it_rest_until_the_hand_was_there():
    base = scene()
    made = recorded(base, put(base, PLACE, (50.0, 0.0, 0.0)), 2.0, {}, True, 1.5)
    assert told(made.document, PLACE) == [(1.5, (0.0, 0.0, 0.0)), (2.0, (50.0, 0.0, 0.0))]
    at_once = recorded(base, put(base, PLACE, (50.0, 0.0, 0.0)), 2.0, {}, True, 2.0)
    assert told(at_once.document, PLACE) == [(1.96, (0.0, 0.0, 0.0)), (2.0, (50.0, 0.0, 0.0))], "a frame before, and not from the film's beginning"
    assert made.document.parts["ball"].placement.position == (0.0, 0.0, 0.0)
    names = recorded(base, edits.change_part(base, "ball", name="Other"), 2.0, {}, True)
    assert names.document.keys == {} and names.document.parts["ball"].name == "Other"


def test_a_tool_works_on_what_is_seen_now():
    base = keys.put_keys(scene(), PLACE, [Key(0.0, (0.0, 0.0, 0.0)), Key(2.0, (100.0, 0.0, 0.0))])
    now = as_now(base, 1.0, {})
    assert now.parts["ball"].placement.position == (50.0, 0.0, 0.0)
    moved = edits.place_parts(now, {"ball": Placement((50.0, 0.0, 30.0))})
    made = recorded(base, moved, 1.0, {}, True)
    assert told(made.document, PLACE)[1] == (1.0, (50.0, 0.0, 30.0))
    assert changes(base, base, ROOTS, keyable) == {}


def test_what_is_not_touched_is_not_recorded():
    base = scene((0, 1), (2, 5))
    made = recorded(base, put(base, PLACE, (1.0, 0.0, 0.0)), 1.0, {}, False)
    assert told(made.document) == told(base) and made.document.parts["ball"].placement.position == (1.0, 0.0, 0.0)


# reel, motions as a whole


def test_cuts_stay_between_their_neighbours():
    document = edits.put_shot(scene(), Shot("t", "Other", "c"))
    document, _ = reel.put_cut(document, "s", 0.0)
    document, middle = reel.put_cut(document, "t", 2.0)
    document, _ = reel.put_cut(document, "s", 4.0)
    assert [c.start for c in reel.change_cut(document, middle, start=9.0).film.reel] == pytest.approx([0.0, 3.96, 4.0])
    assert [c.start for c in reel.remove_cut(document, middle).film.reel] == [0.0, 4.0]
    gone = replace(document, film=replace(document.film, reel=(*document.film.reel, Cut("x", "nowhere", 5.0))))
    assert reel.seen_at(gone, 6.0)[0].shot.id == "s"


def test_one_motion_worn_by_several_changes_all_and_can_be_made_own():
    document = scene()
    document = edits.add_parts(document, [Part("b", "Second", mesh=document.parts["ball"].mesh, material="m")], ["b"])
    document, motion = script.add_motion(document, "ball", "lift", length=1.0, distance_mm=10.0)
    document = ready.wear(document, motion, ["b"])
    assert [resolve(document, {}, 1.0).parts[i].placement.position[2] for i in ("ball", "b")] == [10.0, 10.0]
    higher = put(document, f"motions/{motion}/distance_mm", 20.0)
    assert [resolve(higher, {}, 1.0).parts[i].placement.position[2] for i in ("ball", "b")] == [20.0, 20.0]
    own, other = ready.make_own(higher, motion, "b")
    own = put(own, f"motions/{other}/distance_mm", 5.0)
    assert [resolve(own, {}, 1.0).parts[i].placement.position[2] for i in ("ball", "b")] == [20.0, 5.0]


def test_a_motion_turned_into_keys_does_the_same():
    document = scene()
    document, motion = script.add_motion(document, "ball", "spin", start=0.5, length=2.0, degrees=720.0, axis="z")
    made = ready.to_keys(document, motion)
    assert not made.motions and len(made.keys["parts/ball/placement/turn"]) < 52
    for time in (0.0, 0.7, 1.31, 2.2, 4.0):
        one, other = (resolve(d, {}, time).parts["ball"].placement.turn[2] for d in (document, made))
        assert (one - other + 180) % 360 - 180 == pytest.approx(0.0, abs=1.0)


def test_what_goes_takes_its_motions_cuts_and_keys_along():
    document = edits.put_shot(scene(), Shot("t", "Other", "c"))
    document, _ = script.add_motion(document, "ball", "lift", length=1.0, distance_mm=10.0)
    document = put(put(document, "cameras/c/looks_at", "ball"), PLACE, (1.0, 0.0, 0.0))
    document = script.add_key(document, PLACE, 0.0, (0.0, 0.0, 0.0))
    gone = edits.delete_parts(document, ["ball"])
    assert not gone.motions and not gone.keys and gone.cameras["c"].looks_at is None


def test_lanes_read_like_the_film():
    document = scene((0, 1), (2, 5))
    document = script.add_key(document, PLACE, 0.0, (0.0, 0.0, 0.0))
    document = script.add_key(document, PLACE, 1.0, (0.0, 0.0, 50.0))
    document = script.add_key(document, "parts/ball/opacity", 1.0, 0.5)
    document, _ = script.add_motion(document, "c", "orbit", length=2.0, degrees=90.0)
    made = lanes.lanes(document)
    assert [(lane.title, lane.note) for lane in made] == [("Camera 1", "orbit"), ("Ball", "position · opacity"), ("The floor", "height")]
    open_ = lanes.lanes(document, frozenset({"parts/ball"}))
    assert [lane.title for lane in open_] == ["Camera 1", "Ball", "Position", "Opacity", "The floor"]
    assert [lane.title for lane in lanes.lanes(document, find="opac")] == ["Ball"]
    assert [lane.title for lane in lanes.lanes(document, only=frozenset({"floor"}))] == ["The floor"]
    grouped = replace(document, film=replace(document.film, groups=(LaneGroup("g", "Parts", ("parts/ball",), folded=True),)))
    assert [lane.title for lane in lanes.lanes(grouped)] == ["Parts", "Camera 1", "The floor"]
    assert lanes.line_of(document, PLACE, np.array([0.0, 0.5, 1.0])) == pytest.approx([0.0, 0.5, 1.0])


def test_a_light_is_told_in_the_words_of_its_motion():
    document, i = script.add_motion(scene(), "ball", "turntable", length=4.0, carries="product")
    assert ready.words(document, document.motions[i]) == "Turns 360° · light goes with the product"
    document, i = script.add_motion(document, "ball", "spin", degrees=90.0, repeats=3)
    assert ready.words(document, document.motions[i]) == "Turns 90° about its own z · 3 times"


def test_ways_and_speed():
    document = scene()
    document = put(edits.group_parts(document, ["ball"], "Arm")[0], "parts/ball/placement/position", (0.0, 0.0, 0.0))
    group = document.parts["ball"].parent
    document = put(document, f"parts/{group}/placement/turn", (0.0, 0.0, 90.0))
    document = keys.put_keys(document, PLACE, [Key(0.0, (0.0, 0.0, 0.0)), Key(2.0, (100.0, 0.0, 0.0))])
    places = way(document, "parts/ball", np.array([0.0, 1.0, 2.0]))
    assert places == pytest.approx(np.array([[0, 0, 0], [0, 50, 0], [0, 100, 0]]), abs=1e-9)
    assert speed(document, "parts/ball", 1.0) == pytest.approx(50.0)
    assert rings(document, "parts/ball")[1].place == pytest.approx((0, 100, 0), abs=1e-9)
    assert into_key(document, PLACE, 1.0, np.array([0.0, 10.0, 0.0])) == pytest.approx((10.0, 0.0, 0.0), abs=1e-9)


def test_a_camera_is_known_at_any_time_as_resolving_has_it():
    document, _ = script.add_motion(scene(), "c", "orbit", length=2.0, degrees=90.0)
    document = script.add_key(document, "cameras/c/focal_length_mm", 0.0, 50.0)
    document = script.add_key(document, "cameras/c/focal_length_mm", 2.0, 100.0)
    assert camera_at(document, "c", 1.3) == resolve(document, {}, 1.3).cameras["c"]


def test_wheels_are_known_by_their_shape():
    from aulmo.document.assets import AssetStore
    from aulmo.document.meshes import Mesh

    assets = AssetStore()
    angles = np.linspace(0, 2 * np.pi, 48, endpoint=False)
    rim = np.stack([40 * np.cos(angles), 0 * angles, 40 * np.sin(angles)], 1)
    points = np.concatenate([rim + (0, 6, 0), rim - (0, 6, 0)]).astype(np.float32)
    triangles = np.array([[k, (k + 1) % 48, 48 + k] for k in range(48)], np.uint32)
    mesh = assets.add_mesh(Mesh(points, points / 40, triangles, np.zeros(0, np.int32)))
    document = Document(parts={"w": Part("w", "Wheel", mesh=mesh, placement=Placement(scale=(2.0, 2.0, 2.0)))}, roots=("w",))
    axis, hub, radius = ready.wheel_of(document, assets, "w")
    assert axis == (0.0, 1.0, 0.0) and hub == pytest.approx((0, 0, 0), abs=1e-5) and radius == pytest.approx(80.0, rel=1e-3)


def test_fades_of_a_group_and_its_parts_multiply():
    document = scene()
    document = edits.put_material(document, Material("m", "Plain", surface=Surface(geometry_opacity=0.8)))
    document, group = edits.group_parts(document, ["ball"], "Group")
    document = put(put(document, f"parts/{group}/opacity", 0.5), "parts/ball/opacity", 0.5)
    seen = resolve(document)
    assert seen.materials[seen.parts["ball"].material].surface.geometry_opacity == pytest.approx(0.2)


def test_paths_that_lead_nowhere_are_told():
    document = replace(scene(), paths={"p": GuidePath("p", "Lane", points=((0, 0, 0), (9, 0, 0)))})
    document, i = script.add_motion(document, "ball", "follow", path="p")
    short = replace(document, paths={"p": GuidePath("p", "Lane", points=((0, 0, 0),))})
    assert "two points" in ready.troubles(short)[i]
    assert resolve(short, {}, 1.0).parts["ball"].placement.position == (0.0, 0.0, 0.0)
