"""Sight lines against cameras that are known: exact ones give them back, noisy ones nearly, wrong ones are told."""

import numpy as np
import pytest

from aulmo import script
from aulmo.document.records import Camera
from aulmo.errors import BadValue
from aulmo.frame.camera import project
from aulmo.frame.sight_lines import Known, Line, find_camera, guessed_direction
from sighting import SIZE, apart, edges, twenty_cameras

CAMERAS = twenty_cameras()


@pytest.mark.parametrize("number", range(20))
def test_lines_that_are_drawn_exactly_give_the_camera_back(number):
    camera = CAMERAS[number]
    found = find_camera(SIZE, edges(camera, number, points=5 if camera.bend else 2), as_drawn=True)
    lens, turned = apart(found.camera, camera)
    assert lens < 0.2 and turned < 0.05
    assert abs(found.camera.shift_x - camera.shift_x) < 1e-3 and abs(found.camera.shift_y - camera.shift_y) < 1e-3
    assert abs(found.camera.bend - camera.bend) < 1e-3 * max(1.0, abs(camera.bend))
    assert found.mean_px < 0.01 and found.lens_found


def test_a_pixel_of_noise_on_every_end_moves_the_camera_little():
    """The median of twenty cameras, and the residual that is told is about as large as the noise."""
    lens, turned, told = [], [], []
    for k, camera in enumerate(CAMERAS):
        found = find_camera(SIZE, edges(camera, k, 4, 5 if camera.bend else 2, noise=1.0), as_drawn=True)
        one, other = apart(found.camera, camera)
        lens.append(one)
        turned.append(other)
        told.append(found.mean_px)
    assert np.median(lens) < 2.0 and np.median(turned) < 0.4
    assert 0.3 < np.median(told) < 1.0


def test_two_directions_are_enough():
    camera = CAMERAS[2]
    for pair in ((0, 1), (0, 2), (1, 2)):
        found = find_camera(SIZE, edges(camera, 2, 3, directions=pair), as_drawn=True)
        lens, turned = apart(found.camera, camera)
        assert lens < 0.2 and turned < 0.05, pair


def test_one_line_drawn_wrong_is_told_and_leads_none_astray():
    camera = CAMERAS[3]
    lines = edges(camera, 5, 4)
    wrong = lines[1]._replace(points=lines[1].points + np.array([[0, 0], [14, -22]]))
    found = find_camera(SIZE, [lines[0], wrong, *lines[2:]], as_drawn=True)
    lens, turned = apart(found.camera, camera)
    assert found.bad == (1,)
    assert lens < 2.0 and turned < 0.4


def test_lines_that_bow_tell_the_bend_of_the_lens_and_straight_ones_none():
    camera = Camera(id="c", name="c", position=(700.0, -1100.0, 600.0), target=(0.0, 0.0, 60.0), focal_length_mm=20.0, bend=-0.06)
    found = find_camera(SIZE, edges(camera, 8, 3, points=7), as_drawn=True)
    assert abs(found.camera.bend + 0.06) < 0.001
    plain = find_camera(SIZE, edges(Camera(**{**_fields(camera), "bend": 0.0}), 8, 3, points=7, noise=0.5), as_drawn=True)
    assert abs(plain.camera.bend) < 0.02


def _fields(camera: Camera) -> dict:
    return {name: getattr(camera, name) for name in camera.__struct_fields__}


def test_parallel_uprights_are_a_direction_endlessly_far():
    """A camera that looks level: uprights never meet, and the lens is found from the other two."""
    camera = Camera(id="c", name="c", position=(900.0, -1200.0, 400.0), target=(0.0, 0.0, 400.0), focal_length_mm=40.0, shift_y=-0.1)
    found = find_camera(SIZE, edges(camera, 1), as_drawn=True)
    lens, turned = apart(found.camera, camera)
    assert lens < 0.2 and turned < 0.05


def test_a_picture_square_on_to_a_wall_keeps_its_middle_and_says_that_the_lens_is_not_told():
    camera = Camera(id="c", name="c", position=(0.0, -1500.0, 500.0), target=(0.0, 0.0, 500.0), focal_length_mm=30.0, shift_y=0.2)
    found = find_camera(SIZE, edges(camera, 1), Known(focal_mm=30.0), as_drawn=True)
    assert not found.lens_found and "lens" in found.notes[0]
    assert abs(found.camera.shift_y - 0.2) < 1e-3 and apart(found.camera, camera)[1] < 0.05


@pytest.mark.parametrize("place", [0, 4, 7])
def test_a_known_length_sets_the_scale(place):
    """Camera and set are as large as they are within half a percent, whichever way the line runs."""
    camera = CAMERAS[5]
    lines = edges(camera, 11)
    direction = lines[place].direction - 1
    start, ends = np.array([40.0, -60.0, 0.0]), None
    end = start.copy()
    end[direction] += 210.0
    ends = project(camera, np.array([start, end]), *SIZE)[:, :2]
    origin = project(camera, np.zeros((1, 3)), *SIZE)[0, :2]
    found = find_camera(SIZE, [*lines, Line(direction + 1, ends)], Known(len(lines), 210.0, tuple(origin)), as_drawn=True)
    assert found.scale_found
    assert np.linalg.norm(np.array(found.camera.position) - camera.position) < 0.005 * np.linalg.norm(camera.position)


def test_the_product_stands_where_it_was_clicked():
    camera = CAMERAS[6]
    found = find_camera(SIZE, edges(camera, 2), Known(origin=(900.0, 850.0)))
    assert project(found.camera, np.zeros((1, 3)), *SIZE)[0, :2] == pytest.approx((900.0, 850.0), abs=0.01)
    with pytest.raises(BadValue, match="above the horizon"):
        find_camera(SIZE, edges(CAMERAS[0], 2), Known(origin=(800.0, -9000.0)))


LEVEL = Line(1, np.array([[100.0, 300.0], [900.0, 340.0]]))


@pytest.mark.parametrize(
    "lines, words",
    [
        ([LEVEL], "One line is not enough"),
        ([], "One line is not enough"),
        ([LEVEL, LEVEL._replace(points=LEVEL.points + 200)], "another one"),
        ([LEVEL, Line(2, LEVEL.points + 90.0)], "No two lines run in one direction"),
        ([LEVEL, Line(1, np.array([[5.0, 5.0], [5.0, 5.2]])), Line(2, LEVEL.points)], "from a point to itself"),
        ([LEVEL, Line(1, np.array([[5.0, np.nan], [50.0, 5.2]])), Line(2, LEVEL.points)], "no place"),
        ([LEVEL, Line(7, LEVEL.points)], "1, 2 or 3"),
    ],
)
def test_lines_that_tell_nothing_get_a_sentence(lines, words):
    with pytest.raises(BadValue, match=words):
        find_camera(SIZE, lines)


def test_two_directions_that_are_one_get_a_sentence():
    lines = edges(CAMERAS[4], 3, 3, directions=(0,))
    with pytest.raises(BadValue, match="run the same way"):
        find_camera(SIZE, [*lines, *(line._replace(direction=2, points=line.points + 2.0) for line in lines)])


def test_the_kind_of_a_line_is_guessed():
    camera = CAMERAS[4]
    lines = edges(camera, 7, 3)
    right = 0
    for k, line in enumerate(lines):
        others = [other for j, other in enumerate(lines) if j != k]
        right += guessed_direction(SIZE, others, line.points) == line.direction
    assert right >= 8
    assert guessed_direction(SIZE, [], np.array([[100.0, 100.0], [104.0, 500.0]])) == 3
    assert guessed_direction(SIZE, [], np.array([[100.0, 100.0], [700.0, 160.0]])) == 1
    assert guessed_direction(SIZE, [LEVEL], np.array([[100.0, 700.0], [600.0, 240.0]])) == 2


def test_scripts_draw_lines_as_plain_numbers():
    camera = CAMERAS[2]
    lines = [(line.direction, tuple(line.points[0]), tuple(line.points[1])) for line in edges(camera, 4)]
    found = script.sight_lines(SIZE, lines, (0, 500.0))
    assert len(found.residuals) == 9 and max(found.residuals) < 0.01
    assert found.focal_length_mm == pytest.approx(camera.focal_length_mm, rel=0.002)
    with pytest.raises(BadValue, match="direction"):
        script.sight_lines(SIZE, [("up", 1)])
