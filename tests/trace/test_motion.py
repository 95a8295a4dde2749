"""Things that move while the shutter is open, and the camera's other projections."""

import numpy as np
import pytest
from msgspec.structs import replace

from aulmo.document import edits
from aulmo.document.moments import shutter_of
from aulmo.document.properties import resolve
from aulmo.document.records import Camera, Key, Material, Part, Placement, Surface
from aulmo.trace.camera_rows import camera_rows
from aulmo.trace.scene import SceneBuilder
from aulmo.trace.tracer import exposure_of
from shapes import box_mesh, one_part, sphere_mesh
from tracing import Dark, UniformDome, plane, trace

MATT = Surface(base_color=(0.5, 0.5, 0.5), specular_weight=0.0)


def keys_of(part: str, first: Placement, last: Placement, end: float = 1.0) -> dict:
    """Keys that take a part from one placement to another."""
    fields = [f for f in ("position", "turn", "scale") if getattr(first, f) != getattr(last, f) or f == "position"]
    return {f"parts/{part}/placement/{f}": (Key(0.0, getattr(first, f)), Key(end, getattr(last, f))) for f in fields}


def moving(first: Placement, last: Placement, **camera):
    document, assets = one_part(box_mesh(30.0), MATT)
    document = replace(document, keys=keys_of("ball", first, last))
    eye = Camera(id="c", name="c", position=(0, -300, 60), target=(0, 0, 0), focal_length_mm=60, shutter=1.0, **camera)
    return replace(document, cameras={"c": eye}), assets


def still(document, time: float):
    """The same document frozen at a time."""
    frozen = resolve(document, {}, time)
    return replace(frozen, cameras={"c": replace(document.cameras["c"], motion_blur=False)})


@pytest.mark.parametrize(
    "first, last",
    [
        (Placement((-40, 0, 0)), Placement((40, 0, 20))),
        (Placement(), Placement(turn=(0, 0, 200.0))),
        (Placement((30, 0, 0), (0, 0, 0)), Placement((30, 0, 0), (0, 170.0, 0))),
    ],
)
def test_blur_is_the_mean_of_many_frames(first, last):
    document, assets = moving(first, last, motion_blur=True)
    blurred, _ = trace(document, assets, (48, 36), 512, UniformDome, transparent=True)
    times = (np.arange(48) + 0.5) / 48
    frames = [trace(still(document, t), assets, (48, 36), 16, UniformDome, transparent=True)[0].alpha for t in times]
    np.testing.assert_allclose(blurred.alpha, np.mean(frames, 0), atol=0.06)
    assert np.abs(blurred.alpha - np.mean(frames, 0)).mean() < 0.006


def test_a_spinning_arm_sweeps_an_arc_not_a_chord():
    """A block half a turn round an axis 60 mm away passes through the top of its circle; a chord would pass through the middle."""
    document, assets = one_part(box_mesh(12.0), MATT)
    arm = edits.group_parts(document, ["ball"], "Arm")
    document, group = arm
    document = edits.place_parts(document, {"ball": Placement((60, 0, 0))})
    document = replace(document, keys={f"parts/{group}/placement/turn": (Key(0.0, (0.0, 0.0, 0.0)), Key(1.0, (0.0, -180.0, 0.0)))})
    eye = Camera(id="c", name="c", position=(0, -400, 0), projection="parallel", span_mm=160.0, shutter=1.0, motion_blur=True, target=(0, 0, 0))
    document = replace(document, cameras={"c": eye})
    frame, _ = trace(document, assets, (64, 64), 256, UniformDome, transparent=True)
    top, middle = frame.alpha[8, 32], frame.alpha[32, 32]
    assert top > 0.02
    assert middle == 0.0


def test_a_moving_camera_blurs_what_stands_still():
    document, assets = one_part(box_mesh(30.0), MATT)
    eye = Camera(id="c", name="c", position=(0, -300, 0), target=(0, 0, 0), focal_length_mm=60, shutter=1.0, motion_blur=True)
    keys = {
        "cameras/c/position": (Key(0.0, (-40.0, -300.0, 0.0)), Key(1.0, (40.0, -300.0, 0.0))),
        "cameras/c/target": (Key(0.0, (-40.0, 0.0, 0.0)), Key(1.0, (40.0, 0.0, 0.0))),
    }
    document = replace(document, cameras={"c": eye}, keys=keys)
    frame, _ = trace(document, assets, (48, 36), 256, UniformDome, transparent=True)
    row = frame.alpha[18]
    # 30 mm of box over 80 mm of travel: no pixel is covered more than 3/8 of the time
    assert row.max() == pytest.approx(30 / 80, abs=0.06)
    assert (row > 0.05).sum() > 25


def test_the_shutter_is_an_angle_or_a_time():
    document, _ = one_part(box_mesh())
    eye = Camera(id="c", name="c", shutter=1 / 50, motion_blur=True)
    assert shutter_of(eye, document, 2.0) == (2.0, 2.0 + 1 / 50)
    assert shutter_of(replace(eye, shutter_angle=180.0), document) == (0.0, 0.5 / document.frames_per_second)
    assert shutter_of(replace(eye, motion_blur=False), document) == (0.0, 0.0)


def test_without_blur_things_stand_where_the_shutter_opened():
    document, assets = moving(Placement((-40, 0, 0)), Placement((40, 0, 20)))
    scene = UniformDome(assets).build(exposure_of(document, document.shots[0]))
    assert scene.arrays.matrices[0, 0, 3] == -40
    assert len(scene.arrays.motion) == 0


def test_a_parallel_view_does_not_shrink_with_distance():
    document, assets = one_part(sphere_mesh(20.0), MATT)
    covers = []
    for distance in (100.0, 2000.0):
        eye = Camera(id="c", name="c", position=(0, -distance, 0), target=(0, 0, 0), projection="parallel", span_mm=100.0, shutter=1 / 15)
        frame, _ = trace(replace(document, cameras={"c": eye}), assets, (50, 50), 64, UniformDome, transparent=True)
        covers.append(frame.alpha.sum() * (100.0 / 50) ** 2)
    assert covers[0] == pytest.approx(np.pi * 20**2, rel=0.01)
    assert covers[1] == pytest.approx(covers[0], rel=0.005)


def test_a_panorama_shows_the_whole_sphere():
    """A ball above the camera covers the top rows; the share of the frame, weighed by latitude, is its solid angle."""
    document, assets = one_part(sphere_mesh(20.0, 96), MATT)
    document = edits.place_parts(document, {"ball": Placement((0, 0, 60.0))})
    eye = Camera(id="c", name="c", position=(0, 0, 0), target=(0, 1, 0), projection="panorama", shutter=1 / 15)
    frame, _ = trace(replace(document, cameras={"c": eye}), assets, (96, 48), 64, UniformDome, transparent=True)
    latitude = (np.arange(48) + 0.5) / 48 * np.pi
    solid = (frame.alpha * (2 * np.pi / 96 * np.pi / 48 * np.sin(latitude))[:, None]).sum()
    assert solid == pytest.approx(2 * np.pi * (1 - np.sqrt(1 - (20 / 60) ** 2)), rel=0.03)
    assert frame.alpha[24:].max() == 0.0


def test_shift_moves_the_frame_and_keeps_verticals():
    document, assets = one_part(sphere_mesh(20.0), MATT)
    eye = document.cameras["c"]
    straight, _ = trace(document, assets, (40, 40), 16, UniformDome, transparent=True)
    raised, _ = trace(replace(document, cameras={"c": replace(eye, shift_y=0.25)}), assets, (40, 40), 16, UniformDome, transparent=True)
    moved = np.argmax(raised.alpha.sum(1)) - np.argmax(straight.alpha.sum(1))
    assert moved == pytest.approx(10, abs=2)


def test_blades_can_be_turned():
    eye = Camera(id="c", name="c", depth_of_field=True, focus=100.0, blades=5, blade_turn=36.0)
    from aulmo.trace.compile.arrays import CAM_BLADE_TURN

    assert camera_rows(eye, 40, 30)[0, CAM_BLADE_TURN] == pytest.approx(np.radians(36.0))


def test_builders_keep_parts_apart_that_move_and_that_do_not():
    document, assets = moving(Placement(), Placement((10, 0, 0)), motion_blur=True)
    scene = SceneBuilder(assets).build(exposure_of(document, document.shots[0]))
    assert scene.arrays.instance_motion.tolist() == [0]
    assert scene.arrays.motion.shape[2:] == (3, 4)
    assert scene.arrays.motion[0, -1, 0, 3] - scene.arrays.motion[0, 0, 0, 3] == pytest.approx(10.0)


def test_a_glowing_part_that_moves_lights_as_the_mean_of_its_frames():
    """A glowing block runs past a matt sheet: aimed at where it is at the ray's time, not where it began."""
    document, assets = one_part(box_mesh(30.0), Surface(base_color=(0, 0, 0), specular_weight=0.0, emission_luminance=4000.0))
    sheet = edits.put_material(document, Material(id="sheet", name="Sheet", surface=MATT))
    ground = Part(id="ground", name="Ground", mesh=assets.add_mesh(plane(600.0)), material="sheet", placement=Placement((0, 0, -40)))
    document = edits.add_parts(sheet, [ground], ["ground"])
    document = replace(document, keys=keys_of("ball", Placement((-120, 0, 20)), Placement((120, 0, 20))))
    eye = Camera(id="c", name="c", position=(0, -300, 260), target=(0, 0, -40), focal_length_mm=50, shutter=1.0, motion_blur=True)
    document = replace(document, cameras={"c": eye})
    size = (24, 18)
    blurred = trace(document, assets, size, 512, Dark)[0].rgb
    times = (np.arange(24) + 0.5) / 24
    frames = np.mean([trace(still(document, t), assets, size, 48, Dark)[0].rgb for t in times], 0)
    matt = frames.max(-1) < 300.0  # beside the block itself
    assert matt.sum() > 100 and frames[matt].mean() > 1.0
    assert blurred[matt].mean() == pytest.approx(frames[matt].mean(), rel=0.03)
    rows = slice(None), slice(0, 8)  # where it only comes from, and where it only goes to
    assert blurred[rows][matt[rows]].mean() == pytest.approx(frames[rows][matt[rows]].mean(), rel=0.06)
