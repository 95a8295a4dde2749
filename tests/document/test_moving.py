"""Keys between their times, arcs, motions on the levels of an assembly, wheels, riding: against closed forms and hand-worked matrices."""

import math

import numpy as np
import pytest
from hypothesis import given, strategies as st
from msgspec.structs import replace

from aulmo import script
from aulmo.document.made import paths
from aulmo.document.moments import Moments
from aulmo.document.moving.curves import arc, between, curve_of
from aulmo.document.moving.movers import mover_of
from aulmo.document.moving.rolling import rolled
from aulmo.document.placement import to_matrix, turn_matrix, world_matrix
from aulmo.document.properties import get, put, resolve
from aulmo.document.records import Camera, Document, GuidePath, Key, Lamp, Material, Part, Placement, Shot, Surface
from aulmo.errors import BadValue
from aulmo.motion.keys import put_keys

FOCAL = "cameras/c/focal_length_mm"
PLACE = "parts/a/placement/position"


def scene(**more) -> Document:
    """A group with a part in it, a lamp, a camera and a shot."""
    parts = {
        "g": Part("g", "Group", children=("a",), placement=Placement((10.0, 20.0, 0.0), (0.0, 0.0, 90.0))),
        "a": Part("a", "Wheel", parent="g", placement=Placement((0.0, 30.0, 5.0)), mesh="m", material="paint"),
    }
    base = Document(
        parts=parts, roots=("g",), cameras={"c": Camera("c", "Camera", position=(0.0, -400.0, 0.0), target=(0.0, 0.0, 0.0))},
        lamps={"l": Lamp("l", "Lamp")}, shots=(Shot("s", "Shot", "c"),), materials={"paint": Material("paint", "Paint")},
    )  # fmt: skip
    return replace(base, **more)


def keyed(address, *keys) -> Document:
    return put_keys(scene(), address, [Key(*k[:2], **(k[2] if len(k) > 2 else {})) for k in keys])


def at(document, address, time):
    return get(resolve(document, {}, time), address)


def world(document, part, time):
    return world_matrix(resolve(document, {}, time), part)


# keys


def test_an_eased_key_is_left_and_reached_from_a_stop():
    document = script.add_key(script.add_key(scene(), "floor/height", 1.0, 0.0), "floor/height", 3.0, 100.0)
    assert at(document, "floor/height", 2.0) == pytest.approx(50.0)
    assert at(document, "floor/height", 1.01) == pytest.approx(100 * 3 * 0.005**2, rel=0.02)
    assert at(document, "floor/height", 0.0) == 0.0 and at(document, "floor/height", 9.0) == 100.0


def test_ease_before_and_after_apart():
    document = keyed("floor/height", (0.0, 0.0, {"after": "eased"}), (1.0, 10.0, {"before": "even"}))
    slow, fast = at(document, "floor/height", 0.1), 10.0 - at(document, "floor/height", 0.9)
    assert slow < 0.3 < 0.9 < fast


def test_a_held_key_jumps_and_a_rest_waits():
    held = keyed("floor/height", (0.0, 1.0, {"after": "held"}), (2.0, 5.0))
    assert at(held, "floor/height", 1.999) == 1.0 and at(held, "floor/height", 2.0) == 5.0
    rest = keyed("floor/height", (0.0, 1.0, {"rest": 1.0}), (2.0, 5.0))
    assert at(rest, "floor/height", 1.0) == 1.0 and at(rest, "floor/height", 1.5) == pytest.approx(3.0)


def test_a_sprung_way_swings_over_its_goal_and_ends_on_it():
    document = keyed("floor/height", (0.0, 0.0, {"after": "sprung"}), (1.0, 10.0))
    values = [at(document, "floor/height", t) for t in np.linspace(0, 1, 101)]
    assert max(values) > 11.0 and values[-1] == 10.0
    assert abs(values[-2] - 10.0) < 0.2


def test_a_bent_way_follows_its_handles():
    straight = keyed("floor/height", (0.0, 0.0, {"after": "bent", "bend": (1 / 3, 1 / 3, 2 / 3, 2 / 3)}), (1.0, 10.0))
    assert at(straight, "floor/height", 0.3) == pytest.approx(3.0, abs=1e-6)
    late = keyed("floor/height", (0.0, 0.0, {"after": "bent", "bend": (0.8, 0.0, 1.0, 0.6)}), (1.0, 10.0))
    assert at(late, "floor/height", 0.5) < 2.0


@given(st.lists(st.floats(-100, 100), min_size=3, max_size=7), st.floats(0, 1))
def test_through_points_smoothly_never_overshoots(values, where):
    document = scene()
    for k, value in enumerate(values):
        document = script.add_key(document, "floor/height", float(k * k), value, "smooth")
    time = where * (len(values) - 1) ** 2
    k = min(int(math.sqrt(time)), len(values) - 2)
    low, high = sorted((values[k], values[k + 1]))
    assert low - 1e-9 <= at(document, "floor/height", time) <= high + 1e-9


def test_through_points_smoothly_does_not_stop_at_them():
    document = scene()
    for time, value in ((0.0, 0.0), (1.0, 10.0), (2.0, 30.0)):
        document = script.add_key(document, "floor/height", time, value, "smooth")
    before, after = (at(document, "floor/height", 1.0 + d) for d in (-0.001, 0.001))
    assert (10 - before) / 0.001 == pytest.approx((after - 10) / 0.001, rel=0.02)
    assert (after - 10) / 0.001 > 10


def test_a_lens_goes_by_equal_ratios_and_a_turn_by_whole_rounds():
    document = keyed(FOCAL, (0.0, 25.0), (1.0, 100.0))
    assert at(document, FOCAL, 0.5) == pytest.approx(50.0)
    shorter = keyed("environment/sky/azimuth", (0.0, 350.0), (1.0, 370.0 + 360.0))
    assert at(shorter, "environment/sky/azimuth", 0.5) == pytest.approx(360.0)
    rounds = keyed("environment/sky/azimuth", (0.0, 350.0, {"by_numbers": True}), (1.0, 730.0))
    assert at(rounds, "environment/sky/azimuth", 0.5) == pytest.approx(540.0)


def test_places_on_a_circle_are_joined_by_that_circle():
    document = scene()
    for k in range(5):
        angle = math.radians(50 * k)
        document = put_keys(document, "cameras/c/position", [*document.keys.get("cameras/c/position", ()),
                            Key(float(k), (400 * math.cos(angle), 400 * math.sin(angle), 90.0), way="arc")])  # fmt: skip
    places = np.array([at(document, "cameras/c/position", t) for t in np.linspace(0, 4, 81)])
    assert np.abs(np.hypot(places[:, 0], places[:, 1]) - 400).max() < 0.01
    assert np.abs(places[:, 2] - 90).max() < 1e-9
    steps = np.linalg.norm(np.diff(places, axis=0), axis=1)
    assert np.ptp(steps) / steps.mean() < 1e-3  # and at one speed


def test_a_way_goes_through_the_point_it_was_pulled_to():
    document = keyed(PLACE, (0.0, (0.0, 0.0, 0.0), {"via": (50.0, 30.0, 0.0)}), (1.0, (100.0, 0.0, 0.0)))
    places = np.array([at(document, PLACE, t) for t in np.linspace(0, 1, 401)])
    assert np.linalg.norm(places - (50.0, 30.0, 0.0), axis=1).min() < 0.2
    assert tuple(places[-1]) == (100.0, 0.0, 0.0)


def test_an_arc_is_a_circle_whichever_way_it_runs():
    for sign in (1.0, -1.0):
        points = [np.array([math.cos(a), sign * math.sin(a), 0.0]) for a in (0.0, 1.0, 2.5)]
        walk = arc(*points)
        assert np.abs(walk(np.array([-1.0, 0.0, 1.0])) - np.array(points)).max() < 1e-12
        assert np.abs(np.linalg.norm(walk(np.linspace(-1, 1, 9)), axis=1) - 1).max() < 1e-12
    straight = between(None, np.zeros(3), np.array([1.0, 0, 0]), np.array([2.0, 0, 0]))
    assert np.abs(straight[:, 1:]).max() == 0


def test_a_key_at_the_same_time_is_replaced_and_what_cannot_be_keyed_says_so():
    document = script.add_key(scene(), "floor/height", 1.0, 5.0)
    document = script.add_key(document, "floor/height", 1.0 + 1e-5, 7.0)
    assert [k.value for k in document.keys["floor/height"]] == [7.0]
    for address, time, value in (
        ("cameras/c/name", 0.0, "x"), ("floor/height", math.nan, 1.0), ("floor/height", 0.0, math.inf), ("floor/nothing", 0.0, 1.0),
        ("render/samples", 0.0, 3),
    ):  # fmt: skip
        with pytest.raises(BadValue):
            script.add_key(document, address, time, value)


# motions


def test_stacked_motions_are_the_matrix_worked_by_hand():
    document = scene()
    document, _ = script.add_motion(document, "g", "spin", start=0.0, length=2.0, degrees=90.0, axis="z", ease="even")
    document, _ = script.add_motion(document, "a", "slide", start=0.0, length=2.0, distance_mm=40.0, axis="x", axis_of="own", ease="even")
    document, _ = script.add_motion(document, "a", "spin", start=0.0, length=2.0, degrees=180.0, axis="x", ease="even")
    group = np.eye(4)
    group[:3, :3] = turn_matrix((0, 0, 90.0)) @ turn_matrix((0, 0, 45.0))
    group[:3, 3] = (10.0, 20.0, 0.0)
    part = np.eye(4)
    part[:3, :3], part[:3, 3] = turn_matrix((90.0, 0, 0)), (20.0, 30.0, 5.0)
    assert np.abs(world(document, "a", 1.0) - group @ part).max() < 1e-7
    assert np.abs(world(document, "a", 0.0) - to_matrix(document.parts["g"].placement) @ to_matrix(document.parts["a"].placement)).max() < 1e-9


def test_motions_of_one_level_act_in_their_order():
    document = scene()
    first, spin = script.add_motion(document, "a", "spin", length=1.0, degrees=90.0, axis="z", axis_of="world", centre=(0, 0, 0), ease="even")
    both, slide = script.add_motion(first, "a", "slide", length=1.0, distance_mm=100.0, axis="x", axis_of="world", ease="even")
    turned_then_slid = world(both, "a", 1.0)[:3, 3]
    swapped = replace(both, motions={slide: both.motions[slide], spin: both.motions[spin]})
    slid_then_turned = world(swapped, "a", 1.0)[:3, 3]
    start = world(document, "a", 0.0)[:3, 3]
    turn = turn_matrix((0, 0, 90.0))
    assert turned_then_slid == pytest.approx(turn @ start + (100, 0, 0), abs=1e-6)
    assert slid_then_turned == pytest.approx(turn @ (start + (100, 0, 0)), abs=1e-6)


def test_a_world_axis_is_the_worlds_whatever_carries_the_part():
    document, _ = script.add_motion(scene(), "a", "lift", length=1.0, distance_mm=25.0)
    assert world(document, "a", 1.0)[:3, 3] - world(document, "a", 0.0)[:3, 3] == pytest.approx((0, 0, 25.0), abs=1e-9)
    document, _ = script.add_motion(scene(), "a", "slide", length=1.0, distance=25.0, axis="x")
    assert world(document, "a", 1.0)[:3, 3] - world(document, "a", 0.0)[:3, 3] == pytest.approx((25.0, 0, 0), abs=1e-9)


def test_repeats_there_and_back_and_what_holds():
    document, i = script.add_motion(scene(), "a", "lift", start=1.0, length=2.0, distance_mm=10.0, repeats=2, back=True, ease="even")
    z = lambda t, d=document: world(d, "a", t)[2, 3] - 5.0  # noqa: E731
    assert [z(t) for t in (0.0, 1.0, 1.5, 2.0, 2.5, 3.0, 9.0)] == pytest.approx([0, 0, 10, 0, 10, 0, 0], abs=1e-9)
    gone = put(put(document, f"motions/{i}/back", False), f"motions/{i}/hold_after", False)
    assert z(3.0, gone) == pytest.approx(10.0) and z(3.01, gone) == pytest.approx(0.0)
    many, _ = script.add_motion(scene(), "a", "spin", length=4.0, degrees=90.0, repeats=4, ease="even")
    assert world(many, "a", 3.0)[:3, :3] == pytest.approx(world(scene(), "a", 0)[:3, :3] @ turn_matrix((0, 0, 270.0)), abs=1e-7)


def test_a_path_is_followed_at_an_even_speed_facing_along_it():
    path = GuidePath("p", "Lane", points=((0, 0, 0), (500, 0, 0), (900, 300, 0), (900, 800, 0)))
    document, _ = script.add_motion(scene(paths={"p": path}), "g", "follow", path="p", length=4.0, ease="even")
    curve = curve_of(path)
    assert curve.length == pytest.approx(paths.length(path), rel=2e-4)
    times = np.linspace(0, 4, 401)
    places = np.array([world(document, "g", t)[:3, 3] for t in times])
    steps = np.linalg.norm(np.diff(places, axis=0), axis=1)
    assert np.ptp(steps) / steps.mean() < 1e-3
    assert steps.sum() == pytest.approx(curve.length, rel=1e-5)
    ways = np.array([world(document, "g", t)[:3, 0] for t in times[:-1] + 0.005])
    run = np.diff(places, axis=0) / steps[:, None]
    assert (ways * run).sum(1).min() > 1 - 1e-5


def wheel(kind: str):
    """A cart with a wheel of 31 mm that rolls, the cart carried in one way or another; and the hub's own distance after two seconds, if known."""
    document = scene(paths={"p": GuidePath("p", "Lane", points=((0, 0, 0), (500, 0, 0), (900, 300, 0), (900, 800, 0)))})
    document = put(document, "parts/g/placement/turn", (0.0, 0.0, 0.0))
    if kind == "straight":
        document, _ = script.add_motion(document, "g", "slide", length=2.0, distance_mm=777.0, axis="x")
        known = 777.0
    elif kind == "arc":  # round a point 1 m to the left: the wheel, 30 mm left of the middle, runs on a smaller circle
        document, _ = script.add_motion(document, "g", "spin", length=2.0, degrees=80.0, axis="z", centre=(0.0, 1000.0, 0.0), ease="even")
        known = math.radians(80) * 970.0
    else:
        document, _ = script.add_motion(document, "g", "follow", path="p", length=2.0)
        known = None
    return script.add_motion(document, "a", "roll", radius_mm=31.0, axis="y", length=2.0), known


@pytest.mark.parametrize("kind", ["straight", "arc"])
def test_a_wheel_rolls_as_far_as_its_hub_travels(kind):
    (document, roll), known = wheel(kind)
    angle = math.radians(rolled(mover_of(document), document.motions[roll], "a", 2.0))
    assert angle * 31.0 == pytest.approx(known, rel=1e-9)
    # and what is seen is that angle, forward: the top of the wheel goes on faster than its hub
    turned = world(document, "g", 1.0)[:3, :3].T @ world(document, "a", 1.0)[:3, :3]
    half = math.radians(rolled(mover_of(document), document.motions[roll], "a", 1.0))
    assert turned == pytest.approx(turn_matrix((0.0, math.degrees(half), 0.0)), abs=1e-7)
    assert (turn_matrix((0.0, 5.0, 0.0)) @ (0, 0, 1))[0] > 0


def test_a_wheel_on_a_bent_path_does_not_slip():
    (document, roll), _ = wheel("path")
    hubs = np.array([world(document, "a", t)[:3, 3] for t in np.linspace(0, 2, 401)])
    fine, coarse = (np.linalg.norm(np.diff(hubs[::k], axis=0), axis=1).sum() for k in (1, 2))
    travelled = (4 * fine - coarse) / 3  # what chords fall short by goes with the square of their length
    angle = math.radians(rolled(mover_of(document), document.motions[roll], "a", 2.0))
    assert angle * 31.0 == pytest.approx(travelled, rel=2e-9)


def test_front_wheels_point_to_the_middle_of_the_bend():
    round_ = tuple((1000 * math.cos(a), 1000 * math.sin(a), 0.0) for a in np.arange(16) * math.pi / 8)
    document = scene(paths={"p": GuidePath("p", "Round", points=round_, closed=True)})
    document = put(document, "parts/a/placement/position", (300.0, 0.0, 0.0))  # ahead of the point that follows the path
    document, _ = script.add_motion(document, "g", "follow", path="p", length=10.0, ease="even")
    document, _ = script.add_motion(document, "a", "steer", length=10.0)
    matrix = world(document, "a", 3.0)
    out = matrix[:3, 3] / np.linalg.norm(matrix[:3, 3])
    assert abs(float(matrix[:3, 0] @ out)) < 5e-3  # it runs square to the line to the middle
    turned = math.degrees(math.acos(float(np.clip(matrix[:3, 0] @ world(document, "g", 3.0)[:3, 0], -1, 1))))
    assert turned == pytest.approx(math.degrees(math.atan(300 / 1000)), abs=0.4)


def test_a_body_dives_when_it_brakes_leans_in_a_bend_and_comes_to_rest():
    document, _ = script.add_motion(scene(), "g", "slide", start=1.0, length=1.0, distance_mm=2000.0, axis="x")
    document = put(document, "parts/g/placement/turn", (0.0, 0.0, 0.0))
    document, _ = script.add_motion(document, "a", "ride", start=0.0, length=8.0, dive=10.0)
    nose = lambda t: float(world(document, "a", t)[2, 0])  # noqa: E731 (how high its front points)
    assert nose(0.5) == pytest.approx(0.0, abs=1e-12)
    assert nose(1.35) > 0.03  # speeding up it squats
    assert nose(1.95) < -0.03  # braking it dives
    assert nose(8.0) == pytest.approx(0.0, abs=1e-4)


def test_cameras_orbit_dolly_and_zoom_with_the_size_kept():
    document, _ = script.add_motion(scene(), "c", "orbit", length=2.0, degrees=90.0, ease="even")
    assert at(document, "cameras/c/position", 2.0) == pytest.approx((400.0, 0.0, 0.0), abs=1e-9)
    document, _ = script.add_motion(scene(), "c", "dolly", length=1.0, distance_mm=100.0)
    assert at(document, "cameras/c/position", 1.0) == pytest.approx((0.0, -300.0, 0.0))
    document, _ = script.add_motion(scene(), "c", "zoom", length=1.0, lens_mm=170.0)
    seen = resolve(document, {}, 1.0).cameras["c"]
    assert seen.focal_length_mm == pytest.approx(170.0) and seen.position == pytest.approx((0.0, -800.0, 0.0))


def test_a_camera_flies_through_saved_views():
    more = {n: Camera(n, n, position=(x, -300.0, 50.0), target=(x, 0.0, 0.0)) for n, x in (("v1", -100.0), ("v2", 0.0), ("v3", 200.0))}
    document = scene()
    document = replace(document, cameras={**document.cameras, **more})
    document, _ = script.add_motion(document, "c", "fly", length=3.0, cameras=("v1", "v2", "v3"), ease="even")
    assert [at(document, "cameras/c/position", t)[0] for t in (0.0, 1.0, 3.0)] == pytest.approx([-100.0, 0.0, 200.0], abs=1e-6)
    with pytest.raises(BadValue, match="two saved cameras"):
        script.add_motion(scene(), "c", "fly", cameras=("c",))


def test_a_flight_over_one_view_twice_stays_there_meanwhile():
    more = {n: Camera(n, n, position=(x, -300.0, 50.0), target=(0.0, 0.0, 0.0)) for n, x in (("v1", -100.0), ("v2", 200.0))}
    document = replace(scene(), cameras={**scene().cameras, **more})
    document, _ = script.add_motion(document, "c", "fly", length=3.0, cameras=("v1", "v2", "v2", "v1"), ease="even")
    assert [at(document, "cameras/c/position", t)[0] for t in (0.0, 1.5, 3.0)] == pytest.approx([-100.0, 200.0, -100.0], abs=1e-6)


def test_what_a_camera_looks_at_and_is_sharp_on_may_move():
    document, _ = script.add_motion(scene(), "g", "slide", length=1.0, distance_mm=100.0, axis="y", ease="even")
    document = put(put(document, "cameras/c/looks_at", "g"), "cameras/c/focus_on", "g")
    seen = resolve(document, {}, 1.0).cameras["c"]
    assert seen.target == pytest.approx((10.0, 120.0, 0.0))
    assert seen.focus == pytest.approx(math.dist(seen.position, seen.target))
    assert Moments(document, {}, 0.0, "c").camera_moves("c")


def test_a_fade_takes_the_parts_own_materials_along_and_leaves_others():
    document = scene()
    document = replace(document, parts={**document.parts, "b": Part("b", "Other", mesh="m", material="paint")}, roots=("g", "b"))
    document, _ = script.add_motion(document, "g", "fade", length=1.0, ease="even")
    half = resolve(document, {}, 0.5)
    assert half.materials[half.parts["a"].material].surface.geometry_opacity == pytest.approx(0.5)
    assert half.materials[half.parts["b"].material].surface.geometry_opacity == 1.0
    assert half.parts["a"].visible and not resolve(document, {}, 1.0).parts["a"].visible


def test_a_glow_brightens_a_part_and_a_lamp():
    lit = Material("paint", "Flame", surface=Surface(emission_luminance=1000.0))
    document, _ = script.add_motion(scene(materials={"paint": lit}), "a", "glow", length=1.0, from_=0.0, to=2.0)
    seen = resolve(document, {}, 1.0)
    assert seen.materials[seen.parts["a"].material].surface.emission_luminance == pytest.approx(4000.0)
    document, _ = script.add_motion(scene(), "l", "glow", length=1.0, from_=-4.0, to=0.0)
    assert resolve(document, {}, 0.0).lamps["l"].stops == -4.0 and resolve(document, {}, 1.0).lamps["l"].stops == 0.0


def test_faults_say_what_is_wrong_and_leave_the_document_alone():
    document = scene(paths={"p": GuidePath("p", "Lane", points=((0, 0, 0), (100, 0, 0)))})
    cases = [
        ("a", "spin", {"length": 0.0}, "Length has to lie"), ("a", "roll", {}, "radius"), ("a", "roll", {"radius_mm": 0.0}, "radius"),
        ("a", "follow", {}, "which path"), ("a", "follow", {"path": "gone"}, "not there"), ("a", "follow", {"leader": "a"}, "follow itself"),
        ("nobody", "spin", {}, "nothing called"), ("a", "whirl", {}, "no motion called"), ("c", "roll", {"radius_mm": 3.0}, "not for that"),
        ("a", "spin", {"degrees": math.nan}, "Degrees"), ("a", "spin", {"wobble": 1.0}, "no wobble"),
        ("a", "spin", {"ease": "soft"}, "even or eased"),
    ]  # fmt: skip
    for target, kind, numbers, told in cases:
        with pytest.raises(BadValue, match=told):
            script.add_motion(document, target, kind, **numbers)
    one, _ = script.add_motion(document, "a", "follow", leader="g")
    assert one.motions
    two = replace(scene(), parts={**scene().parts, "b": Part("b", "B")}, roots=("g", "b"))
    two, _ = script.add_motion(two, "b", "follow", leader="g")
    with pytest.raises(BadValue, match="would follow itself"):
        script.add_motion(two, "g", "follow", leader="b")


def test_what_follows_in_a_circle_or_a_path_that_is_gone_stands_still():
    from aulmo.motion.ready import troubles

    document = replace(scene(), parts={**scene().parts, "b": Part("b", "B")}, roots=("g", "b"))
    document, one = script.add_motion(document, "b", "follow", leader="g")
    held = document.motions[one]
    document = replace(document, motions={one: held, "back": replace(held, id="back", wears=("parts/g",), leader="b")})
    assert np.isfinite(world(document, "b", 1.0)).all()
    assert "would follow itself" in troubles(document)[one]
    lost = scene(paths={"p": GuidePath("p", "Lane", points=((0, 0, 0), (100, 0, 0)))})
    lost, i = script.add_motion(lost, "a", "follow", path="p")
    lost = replace(lost, paths={})
    assert world(lost, "a", 1.0) == pytest.approx(world(scene(), "a", 0.0)) and "path" in troubles(lost)[i]


def test_a_hundred_thousand_keys_are_no_burden():
    keys = tuple(Key(k / 1000, float(k % 7)) for k in range(100_000))
    document = put_keys(scene(), "floor/height", reversed(keys))
    assert document.keys["floor/height"] == keys
    for k in range(200):
        resolve(document, {}, 0.37 * k)
    assert at(document, "floor/height", 50.0005) == pytest.approx((50000 % 7 + 50001 % 7) / 2)


def road(slides: float, cart: float = 0.0, ferry: float = 0.0):
    """A cart's wheel of 31 mm over a road that slides; the cart may slide itself, and a ferry may carry both."""
    from aulmo.document.assets import AssetStore
    from shapes import box_mesh

    assets = AssetStore()
    parts = {
        "ferry": Part("ferry", "Ferry", children=("cart", "road")), "cart": Part("cart", "Cart", parent="ferry", children=("wheel",)),
        "wheel": Part("wheel", "Wheel", parent="cart", placement=Placement((40.0, 30.0, 31.0))),
        "road": Part("road", "Road", parent="ferry", mesh=assets.add_mesh(box_mesh(1.0)),
                     placement=Placement((0.0, 0.0, -10.0), scale=(4000.0, 900.0, 20.0))),
    }  # fmt: skip
    document = Document(parts=parts, roots=("ferry",))
    for thing, way in (("road", slides), ("cart", cart), ("ferry", ferry)):
        if way:
            document, _ = script.add_motion(document, thing, "slide", length=2.0, distance_mm=way, axis="x")
    return (*script.add_motion(document, "wheel", "roll", radius_mm=31.0, axis="y", length=2.0), assets)


@pytest.mark.parametrize(("slides", "cart", "ferry"), [(-1900.0, 0.0, 0.0), (-700.0, 500.0, 0.0), (250.0, 250.0, 0.0), (-1900.0, 0.0, 800.0)])
def test_wheels_roll_by_the_way_between_them_and_a_road_that_moves(slides, cart, ferry):
    document, roll, _assets = road(slides, cart, ferry)
    motion = document.motions[roll]
    for time in (0.5, 1.0, 2.0):
        angle = math.radians(rolled(mover_of(document), motion, "wheel", time))
        hub, ground = (world(document, i, time)[0, 3] for i in ("cart", "road"))
        assert angle * 31.0 == pytest.approx(hub - ground, abs=1e-6), "no slip"
    still = replace(document, motions={**document.motions, roll: replace(motion, ground="ferry")})
    angle = math.radians(rolled(mover_of(still), still.motions[roll], "wheel", 2.0))
    assert angle * 31.0 == pytest.approx(cart, abs=1e-6), "on what is named it rolls by that alone"


def test_a_path_has_straight_and_bent_parts_in_one_without_a_corner():
    points = ((0.0, 0.0, 0.0), (100.0, 0.0, 0.0), (160.0, 60.0, 0.0), (160.0, 160.0, 0.0))
    path = GuidePath("p", "Lane", points=points, straights=(0, 2))
    curve = curve_of(path)
    quarter = 60.0 * math.pi / 2
    assert curve.length == pytest.approx(100 + quarter + 100, rel=1e-4), "the bend between is a quarter of a circle"
    for share in (0.1, 0.3):
        assert curve.at(share * 100).point[1] == pytest.approx(0.0, abs=1e-9)
    ways = np.array([curve.at(s).way for s in np.linspace(0, curve.length, 400)])
    assert (ways[1:] * ways[:-1]).sum(1).min() > math.cos(math.radians(1.5)), "no corner anywhere"
    assert np.allclose(paths.line(path)[: paths.FINE, 1], 0.0)
    assert paths.length(replace(path, straights=())) != pytest.approx(curve.length, rel=1e-3)
