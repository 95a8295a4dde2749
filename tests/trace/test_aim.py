"""Aiming: where a softbox or lamp has to go for a highlight, for light square on, for a shadow; along an edge; and what cannot be aimed at."""

import numpy as np
import pytest
from msgspec.structs import replace

from aulmo import script
from aulmo.document import edits
from aulmo.document.assets import AssetStore
from aulmo.document.records import Camera, Document, Environment, Floor, Lamp, Material, Part, Placement, Shot, Softbox, Surface
from aulmo.errors import BadValue
from aulmo.frame.camera import ray_through
from aulmo.light.aiming import share_within, strip_along
from aulmo.light.dome_map import direction
from aulmo.light.softbox import find, frame
from aulmo.light.staying import in_world
from aulmo.trace.aim import aim_at, aim_edge, highlight_size, sight_of, ways_to
from shapes import box_mesh, sphere_mesh

SIZE = (200, 150)
MIRROR = Surface(base_metalness=1.0, base_color=(0.9, 0.9, 0.9), specular_roughness=0.05)
GLASS = Surface(base_weight=0.0, transmission_weight=1.0, specular_roughness=0.0, specular_ior=1.5)
MATT = Surface(specular_weight=0.0, specular_roughness=1.0)
CAMERA = Camera("c", "Camera", position=(60.0, -400.0, 90.0), target=(0.0, 0.0, 0.0), focal_length_mm=85.0)


def scene(*things, **more):
    """Parts (name, mesh, surface, position) of smooth balls and boxes, one softbox, one lamp."""
    assets, parts, materials = AssetStore(), {}, {}
    for name, mesh, surface, position in things:
        materials[name] = Material(name, name, surface=surface)
        parts[name] = Part(name, name, mesh=assets.add_mesh(mesh), material=name, placement=Placement(position=position))
    document = Document(
        parts=parts, roots=tuple(parts), materials=materials, cameras={"c": CAMERA}, floor=Floor(kind="none"),
        shots=(Shot("s", "Shot", "c", *SIZE),), environment=Environment(kind="colour", softboxes=(Softbox("b", "Box", width=20, height=10),)),
        lamps={"l": Lamp("l", "Lamp", position=(-200.0, -300.0, 250.0))},
    )  # fmt: skip
    return replace(document, **more), assets


def ball(surface=MIRROR, position=(0.0, 0.0, 0.0), radius=40.0, name="Ball"):
    return name, sphere_mesh(radius, 160), surface, position


def on_sphere(pixel, radius=40.0, camera=CAMERA):
    """Point, normal and mirrored direction of the smooth ball about the origin at a pixel, worked out by hand."""
    origin, d = ray_through(camera, pixel[0] + 0.5, pixel[1] + 0.5, *SIZE)
    b = origin @ d
    t = -b - np.sqrt(b * b - (origin @ origin - radius * radius))
    point = origin + t * d
    n = point / radius
    return point, n, d - 2 * (d @ n) * n


@pytest.mark.parametrize("pixel", [(100, 75), (90, 60), (112, 88), (80, 77)])
def test_a_highlight_lies_where_the_mirrored_ray_goes(pixel):
    document, assets = scene(ball())
    made, light = script.aim(document, assets, "Shot", pixel, "b")
    _, _, mirrored = on_sphere(pixel)
    assert light == "b"
    assert np.degrees(np.arccos(frame(find(made, "b"))[0] @ mirrored)) < 0.6  # the ball is made of flat triangles
    assert find(made, "b").width == 20


def test_facing_lights_the_click_square_on_and_a_new_softbox_is_made_for_none():
    document, assets = scene(ball(MATT))
    made, light = script.aim(document, assets, "Shot", (90, 60), None, "facing")
    assert len(made.environment.softboxes) == 2 and light == made.environment.softboxes[-1].id
    _, normal, _ = on_sphere((90, 60))
    assert np.degrees(np.arccos(frame(find(made, light))[0] @ normal)) < 0.6


def test_a_lamp_keeps_its_distance_along_the_mirrored_ray_or_its_height():
    document, assets = scene(ball())
    point, _, mirrored = on_sphere((92, 55))
    lamp = document.lamps["l"]
    made, _ = script.aim(document, assets, "Shot", (92, 55), "l")
    moved = made.lamps["l"]
    away = np.array(moved.position) - point
    assert np.linalg.norm(away) == pytest.approx(np.linalg.norm(np.array(lamp.position) - point), rel=2e-3)
    assert away / np.linalg.norm(away) @ mirrored > 0.9998
    level = aim_at(document, sight_of(document, assets, document.shots[0]), 92.5, 55.5, "l", keeps="height").document.lamps["l"]
    assert level.position[2] == pytest.approx(250.0, abs=0.01)


def test_what_stays_with_the_camera_is_aimed_in_its_own_axes():
    document, assets = scene(ball())
    box = replace(document.environment.softboxes[0], stays_with="camera")
    document = replace(document, environment=replace(document.environment, softboxes=(box,)))
    made, _ = script.aim(document, assets, "Shot", (90, 60), "b")
    assert frame(in_world(made, find(made, "b"), CAMERA))[0] @ on_sphere((90, 60))[2] > 0.9999


def test_a_click_behind_glass_offers_both_surfaces_in_words():
    """A ball within a thin glass shell: the glass, its inside, and the ball behind it."""
    document, assets = scene(ball(radius=20.0, name="Brass"), ball(GLASS, name="Globe"))
    ways = ways_to(sight_of(document, assets, document.shots[0]), 100.5, 75.5)
    sight = sight_of(document, assets, document.shots[0])
    words = [sight.words(way) for way in ways]
    assert "on the Globe" in words and "on the Brass behind the Globe" in words
    made = aim_at(document, sight, 100.5, 75.5, "b", way=ways[words.index("on the Brass behind the Globe")])
    assert made.words == "Highlight on the Brass behind the Globe"


def test_a_second_mirror_is_offered_by_way_of_the_first():
    """A wall of mirror beside the ball: at the side that sees it, the highlight lies in the wall."""
    wall = ("Wall", box_mesh(200.0), MIRROR, (190.0, 60.0, 0.0))
    document, assets = scene(ball(), wall)
    sight = sight_of(document, assets, document.shots[0])
    found = [sight.words(w) for x in range(100, 145, 4) for w in sight.ways(x + 0.5, 75.5)]
    assert "in the Wall, by way of the Ball" in found


def test_the_label_tells_how_wide_the_highlight_looks():
    """Of a flat mirror the whole softbox is seen under its own angle: a degree is as wide there as beside it."""
    document, assets = scene(("Plate", box_mesh(400.0), MIRROR, (0.0, 200.0, 0.0)))
    camera = replace(CAMERA, position=(0.0, -500.0, 0.0))
    document = replace(document, cameras={"c": camera})
    sight = sight_of(document, assets, document.shots[0])
    size = highlight_size(sight, ways_to(sight, 100.5, 75.5)[0], 100.5, 75.5, 4.0, 2.0)
    a_degree = np.tan(np.radians(1.0)) / (36 / 85) * SIZE[0]
    assert size == (pytest.approx(4 * a_degree, rel=0.02), pytest.approx(2 * a_degree, rel=0.02))


def test_a_shadow_falls_on_the_click_from_the_nearest_thing_in_the_way():
    """A plate hangs over a matt floor: light that came from the side is brought round until the plate is in its way."""
    floor, plate = ("Slab", box_mesh(300.0), MATT, (0.0, 0.0, -150.0)), ("Plate", box_mesh(40.0), MATT, (0.0, 40.0, 110.0))
    document, assets = scene(floor, plate)
    sight = sight_of(document, assets, document.shots[0])
    made = aim_at(document, sight, 100.5, 80.5, "b", "shade")
    toward = frame(find(made.document, "b"))[0]
    met = sight.look(*sight.ray(100.5, 80.5))
    inside = [s for s in np.linspace(20, 300, 600) if (np.abs(met.point + s * toward - [0.0, 40.0, 110.0]) < 20.5).all()]
    assert inside and "shadow of the Plate" in made.words


def test_a_strip_follows_an_edge_and_tells_how_much_of_it_it_covers():
    document, assets = scene(ball())
    sight = sight_of(document, assets, document.shots[0])
    centre, radius = np.array([100.0, 75.0]), 0.92 * 40 / 410 / (36 / 85) * SIZE[0]
    angle = np.radians(np.linspace(-50, 50, 40))
    stroke = (centre + radius * np.stack([np.cos(angle), np.sin(angle)], 1)).tolist()
    made = aim_edge(document, sight, stroke, "b")
    box = find(made.document, "b")
    rays = [sight.ray(x, y) for x, y in stroke]
    mirrored = np.array([d - 2 * (d @ m.normal) * m.normal for o, d in rays if (m := sight.look(o, d))])
    told = int(made.words.split("covers ")[1].split(" %")[0]) / 100
    assert told == pytest.approx(share_within(box, mirrored), abs=0.03)
    assert told > 0.95 and box.bent and box.width > 2 * box.height


def test_directions_on_a_great_circle_are_all_covered_by_a_narrow_strip():
    pole = direction(20, 35)
    first = np.cross(pole, [0.0, 0.0, 1.0])
    first /= np.linalg.norm(first)
    angle = np.radians(np.linspace(-100, 120, 60))[:, None]
    strip = strip_along(Softbox("b", "B"), np.cos(angle) * first + np.sin(angle) * np.cross(pole, first))
    assert strip.covered == 1.0
    assert strip.box.width == pytest.approx(223.0, abs=0.1) and strip.box.height == pytest.approx(3.0, abs=0.1)


@pytest.mark.parametrize(
    "pixel, how, sentence",
    [
        ((2, 2), "highlight", "nothing of the product there"),
        ((100, 75), "highlight", "Ball is matt and mirrors nothing"),
        ((100, 75), "shade", "Nothing stands in the way"),
        ((100, 75), "sideways", "not sideways"),
        ((900, 75), "highlight", "outside the frame"),
        ((float("nan"), 75), "highlight", "outside the frame"),
    ],
)
def test_what_cannot_be_aimed_at_gets_a_sentence_and_changes_nothing(pixel, how, sentence):
    document, assets = scene(ball(MATT))
    with pytest.raises(BadValue, match=sentence):
        script.aim(document, assets, "Shot", pixel, "b", how)


def test_aiming_at_an_unknown_light_or_with_impossible_sizes_gets_a_sentence():
    document, assets = scene(ball())
    with pytest.raises(BadValue, match="no such softbox"):
        script.aim(document, assets, "Shot", (100, 75), "gone")
    for numbers, told in (({"width": 0}, "Width"), ({"height": 400}, "Height"), ({"stops": float("inf")}, "Brightness"), ({"size": 3}, "no size")):
        with pytest.raises(BadValue, match=told):
            script.add_softbox(document, **numbers)
    with pytest.raises(BadValue, match="no softbox of the kind"):
        script.add_softbox(document, "square")
    made, box_id = script.add_softbox(document, kind="plain", azimuth=-48, elevation=22, width=38, height=62, stops=3.2)
    assert (find(made, box_id).azimuth, find(made, box_id).stops) == (-48.0, 3.2)


def test_a_panorama_camera_aims_as_any_other():
    camera = replace(CAMERA, projection="panorama", position=(0.0, -120.0, 0.0))
    document, assets = scene(ball(), cameras={"c": camera})
    made, _ = script.aim(document, assets, "Shot", (100, 75), "b")
    assert frame(find(made, "b"))[0] @ np.array([0.0, -1.0, 0.0]) > 0.99


def test_softened_edges_count_in_the_normal():
    """On the softened rim of a box the mirrored direction lies between those of its two faces."""
    document, assets = scene(("Block", box_mesh(60.0), MIRROR, (0.0, 0.0, 0.0)))
    document = edits.change_part(document, "Block", edge_radius=8.0)
    camera = replace(CAMERA, position=(0.0, -300.0, 300.0))
    document = replace(document, cameras={"c": camera})
    sight = sight_of(document, assets, document.shots[0])
    rows = [sight.look(*sight.ray(100.5, y + 0.5)) for y in range(40, 110)]
    normals = [m.normal for m in rows if m is not None]
    between = [n for n in normals if 0.2 < n[2] < 0.9 and -0.98 < n[1] < -0.2]
    assert len(between) > 2
    sharp = sight_of(edits.change_part(document, "Block", edge_radius=0.0), assets, document.shots[0])
    assert not [m for y in range(40, 110) if (m := sharp.look(*sharp.ray(100.5, y + 0.5))) is not None and 0.2 < m.normal[2] < 0.9]
    plain = sight_of(document, assets, document.shots[0], relief=False)
    for y in range(40, 110, 5):
        one, other = (s.look(*s.ray(100.5, y + 0.5)) for s in (sight, plain))
        assert (one is None) == (other is None)
        if one is not None:
            np.testing.assert_allclose(one.normal, other.normal, atol=1e-3)
