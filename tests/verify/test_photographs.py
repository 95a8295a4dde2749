"""The demo photographs, whose cameras and suns are known: what their lines and sticks tell, and the product in them where it truly stands."""

import json
import math
from pathlib import Path

import msgspec
import numpy as np
import pytest
from msgspec.structs import replace

from aulmo.document import edits, project_file
from aulmo.document.records import Camera, Floor, Shot
from aulmo.frame.camera import project
from aulmo.frame.photograph_light import toward
from aulmo.frame.shadow_stick import angles, direction, places
from aulmo.frame.sight_lines import Known, Line, find_camera
from aulmo.trace import draft, tracer
from aulmo.trace.camera_rows import camera_row
from aulmo.trace.options import options_row
from aulmo.trace.scene import SceneBuilder
from sighting import apart

pytestmark = pytest.mark.long
DEMO = Path(__file__).parents[2] / "demo"
NAMES = ("hut-table", "jetty-evening", "cobbled-yard")
SIZE = (1600, 1200)


def told(name: str) -> dict:
    """What is known of a photograph."""
    return json.loads((DEMO / "photographs" / f"{name}.json").read_text())


def true_camera(about: dict) -> Camera:
    """Its camera, in a world whose origin is where the lantern stands."""
    camera = msgspec.convert(about["camera"], Camera)
    back = lambda p: tuple(a - b for a, b in zip(p, about["stands"]))  # noqa: E731
    return replace(camera, position=back(camera.position), target=back(camera.target))


def found_camera(about: dict, noise: float = 0.0, seed: int = 0):
    """The camera that its lines tell."""
    rng = np.random.default_rng(seed)
    lines = [Line(k, np.array(ends, float) + rng.normal(0, noise, (2, 2)) * (noise > 0)) for _, k, *ends in about["lines"]]
    number = [name for name, *_ in about["lines"]].index(about["known"][0])
    return find_camera(SIZE, lines, Known(number, about["known"][1], tuple(about["origin"])))


@pytest.mark.parametrize("name", NAMES)
def test_lines_noted_to_a_tenth_of_a_pixel_find_camera_and_scale(name):
    about = told(name)
    camera, found = true_camera(about), found_camera(about)
    lens, turned = apart(found.camera, camera)
    away = np.linalg.norm(np.array(found.camera.position) - camera.position) / np.linalg.norm(camera.position)
    print(f"{name}: lens {lens:.3f} %, axes {turned:.3f} degrees, place {100 * away:.2f} %, residual {found.mean_px:.2f} px")
    assert lens < 1.0 and turned < 0.2 and away < 0.01 and found.mean_px < 0.2


@pytest.mark.parametrize("name", NAMES)
def test_the_sun_is_found_by_the_shadow_of_what_stands_there(name):
    about = told(name)
    marks = [tuple(p) for p in about["stick"]]
    exact = angles(direction(places(true_camera(about), SIZE, *marks)))
    solved = angles(direction(places(found_camera(about).camera, SIZE, *marks)))
    for what, found, most in (("true camera", exact, 0.5), ("found camera", solved, 1.0)):
        off = math.degrees(math.acos(min(1.0, float(toward(*found) @ toward(*about["sun"])))))
        print(f"{name}, {what}: sun {off:.2f} degrees off")
        assert off < most




@pytest.mark.parametrize("name", NAMES)
def test_the_lantern_in_the_photograph_lands_where_it_would_truly_stand(name):
    """Outlines of the lantern by the true camera and by the found one, drawn by the renderer: nowhere more than a pixel apart."""
    from scipy.ndimage import binary_dilation

    about = told(name)
    wick, assets = project_file.load(DEMO / "wick.aulmo")
    masks = []
    for camera in (true_camera(about), found_camera(about).camera):
        camera = replace(camera, id="c")
        document = replace(edits.put_camera(wick, camera), floor=Floor(kind="none"), shots=(Shot(id="s", name="s", camera="c"),))
        scene = SceneBuilder(assets).build(document, camera=camera)
        options = options_row(scene, document, camera, document.render)
        masks.append(tracer.draw_draft(scene, camera_row(camera, *SIZE), options, draft.maps_of(scene.arrays, 1.0), *SIZE).parts >= 0)
    one, other = masks
    apart_by_more = (one & ~binary_dilation(other, iterations=1)) | (other & ~binary_dilation(one, iterations=1))
    points = np.array([[0.0, 0, 0], [0, 0, 280.0], [60, 0, 140], [-60, 0, 140]])
    off = project(true_camera(about), points, *SIZE)[:, :2] - project(found_camera(about).camera, points, *SIZE)[:, :2]
    print(f"{name}: {int((one ^ other).sum())} of {int(one.sum())} pixels differ; points at most {np.linalg.norm(off, axis=1).max():.2f} px apart")
    assert one.sum() > 2000 and apart_by_more.sum() == 0
    assert np.linalg.norm(off, axis=1).max() < 1.0


def test_a_pixel_of_noise_on_every_end_of_the_demo_lines():
    """Eight or nine lines each, some a few per cent of the frame long: such few tell less than the dozen of `tests/frame`."""
    lens, turned, residual = [], [], []
    for name in NAMES:
        about = told(name)
        for seed in range(20):
            found = found_camera(about, 1.0, seed)
            one, other = apart(found.camera, true_camera(about))
            lens.append(one)
            turned.append(other)
            residual.append(found.mean_px)
    print(f"median: lens {np.median(lens):.2f} %, axes {np.median(turned):.2f} degrees, residual {np.median(residual):.2f} px")
    assert np.median(lens) < 5.0 and np.median(turned) < 2.0
