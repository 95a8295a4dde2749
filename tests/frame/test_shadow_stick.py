"""The sun from shadows: exact sticks give it back, a wall's too, and what cannot be gets a sentence."""

import math

import numpy as np
import pytest

from aulmo import script
from aulmo.document.records import Camera, Document, Environment, ShadowStick
from aulmo.errors import BadValue
from aulmo.frame import photograph_light
from aulmo.frame.camera import project
from aulmo.frame.photograph_light import toward
from aulmo.frame.shadow_stick import Sun, sun_of
from sighting import SIZE, twenty_cameras

CAMERAS = twenty_cameras()
TALL = 140.0


def seen(camera: Camera, *points) -> list[tuple[float, float]]:
    return [tuple(p) for p in project(camera, np.array(points, float), *SIZE)[:, :2]]


def stick(camera: Camera, azimuth: float, elevation: float, foot=(20.0, -30.0, 0.0), tall: float = TALL) -> list[tuple[float, float]]:
    """Pixels of foot, top and shadow of something upright under a sun."""
    foot, way = np.array(foot), toward(azimuth, elevation)
    top = foot + [0, 0, tall]
    return seen(camera, foot, top, top - way * tall / way[2])


@pytest.mark.parametrize("number", range(20))
def test_a_stick_tells_the_sun(number):
    azimuth, elevation = (37.0 * number) % 360, 12.0 + 3 * number
    found = script.shadow_stick(CAMERAS[number], SIZE, *stick(CAMERAS[number], azimuth, elevation))
    assert abs((found[0] - azimuth + 180) % 360 - 180) < 0.5 and abs(found[1] - elevation) < 0.5


def test_a_pixel_of_noise_moves_the_sun_by_two_degrees_at_most():
    """A stick that is a quarter of the frame high; the median over twenty cameras."""
    rng, apart = np.random.default_rng(1), []
    for k, camera in enumerate(CAMERAS):
        span = np.linalg.norm(camera.position) * camera.sensor_mm / camera.focal_length_mm
        marks = np.array(stick(camera, 37.0 * k, 35.0, tall=0.2 * span)) + rng.normal(0, 1, (3, 2))
        found = script.shadow_stick(camera, SIZE, *(tuple(p) for p in marks))
        apart.append(math.degrees(math.acos(min(1.0, float(toward(*found) @ toward(37.0 * k, 35.0))))))
    assert np.median(apart) < 2.0


def test_several_sticks_are_averaged_and_their_spread_is_told():
    camera = CAMERAS[4]
    one = ShadowStick("a", *stick(camera, 200.0, 40.0))
    other = ShadowStick("b", *stick(camera, 206.0, 40.0, (-60.0, 40.0, 0.0)))
    found = sun_of(camera, SIZE, (one, other))
    assert found.azimuth == pytest.approx(203.0, abs=0.1) and found.spread == pytest.approx(3 * math.cos(math.radians(40)), abs=0.1)


def test_a_shadow_on_a_wall_tells_the_same_sun():
    camera, way = CAMERAS[4], toward(170.0, 35.0)
    foot = np.array([0.0, 100.0, 0.0])
    top = foot + [0, 0, 300.0]
    tip = top - way * (200.0 - top[1]) / -way[1] * 1.0  # where it meets the wall y = 200
    marks = seen(camera, foot, top, tip)
    wall = tuple(seen(camera, (-300, 200, 0), (300, 200, 0)))
    found = script.shadow_stick(camera, SIZE, *marks, wall=wall)
    assert found == (pytest.approx(170.0, abs=0.01), pytest.approx(35.0, abs=0.01))


def test_a_soft_edge_tells_how_wide_the_light_is():
    camera = CAMERAS[4]
    foot, azimuth, high = np.array([0.0, 0.0, 0.0]), 220.0, 40.0
    top = foot + [0, 0, TALL]
    ends = [top - toward(azimuth, high + d) * TALL / toward(azimuth, high + d)[2] for d in (-1.5, 1.5)]
    held = ShadowStick("a", *stick(camera, azimuth, high, foot), penumbra=tuple(seen(camera, *ends)))
    assert sun_of(camera, SIZE, (held,)).width == pytest.approx(3.0, abs=0.02)


@pytest.mark.parametrize(
    "marks, words",
    [
        ([(800, 600), (800, 600), (900, 640)], "lie on one another"),
        ([(800, -5000), (800, -5200), (900, 640)], "horizon"),
        ([(800, 800), (800, 900), (900, 840)], "below its foot"),
        ([(math.nan, 800), (800, 900), (900, 840)], "no place"),
    ],
)
def test_marks_that_make_no_stick_get_a_sentence(marks, words):
    with pytest.raises(BadValue, match=words):
        script.shadow_stick(CAMERAS[0], SIZE, *marks)


def test_a_panorama_has_no_stick():
    with pytest.raises(BadValue, match="panorama"):
        script.shadow_stick(Camera(id="c", name="c", projection="panorama"), SIZE, (800, 800), (800, 500), (900, 820))


def test_the_dome_is_turned_so_that_its_brightest_place_stands_where_the_sun_does():
    from aulmo.light.dome_map import map_directions
    from aulmo.trace.lit import environment_turn

    image = np.full((64, 128, 3), 0.1)
    image[map_directions(128, 64) @ toward(40.0, 20.0) > 0.99] = 50.0
    made, left = photograph_light.turned_to(Environment(), image, Sun(250.0, 34.0, 0.0, 0.0))
    assert environment_turn(made).T @ photograph_light.brightest(image) == pytest.approx(toward(250.0, 34.0), abs=1e-6)
    assert left == pytest.approx(0.0, abs=1e-6)
    sky, _ = photograph_light.turned_to(Environment(kind="sky"), image, Sun(250.0, 34.0, 0.0, 0.0))
    assert (sky.sky.azimuth, sky.sky.elevation) == (250.0, 34.0)


def test_a_sun_of_its_own_shines_from_there():
    from aulmo.document.placement import turn_matrix

    document, lamp = photograph_light.sun_lamp(Document(), Sun(120.0, 25.0, 0.0, 2.0))
    assert turn_matrix(document.lamps[lamp].turn) @ [0, 0, 1] == pytest.approx(toward(120.0, 25.0))
    assert document.lamps[lamp].angle == 2.0


def test_a_guessed_dome_takes_its_above_from_above_and_its_below_from_the_floor():
    light = np.zeros((120, 160, 3), np.float32)
    light[:50], light[50:] = (0.2, 0.4, 0.9), (0.5, 0.3, 0.1)
    camera = Camera(id="c", name="c", position=(0, -1000, 300), target=(0, 0, 300), focal_length_mm=30)
    made = photograph_light.guessed_dome(Environment(), light, camera)
    assert made.kind == "gradient"
    assert made.stops[2].colour[2] > made.stops[2].colour[0] and made.stops[0].colour[0] > made.stops[0].colour[2]
