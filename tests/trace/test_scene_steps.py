"""A scene is built in steps that are taken again only when what they read changed; and what a ray meets in it."""

import gc
import sys
import weakref
from subprocess import Popen

import numpy as np
import pytest
from msgspec.structs import replace

from aulmo.document import edits
from aulmo.document.records import Floor, Lamp, Placement
from aulmo.trace import draft, tracer, warm_up
from aulmo.trace.camera_rows import camera_row
from aulmo.trace.live import LivePicture, Request
from aulmo.trace.options import options_row
from aulmo.trace.pick import pick
from aulmo.trace.scene import SceneBuilder
from shapes import box_mesh, one_part, sphere_mesh


def test_a_turn_of_the_camera_takes_no_step_again():
    document, assets = one_part(sphere_mesh(), floor="plain")
    builder = SceneBuilder(assets)
    first = builder.build(document)
    turned = edits.put_camera(document, replace(document.cameras["c"], position=(50.0, -200.0, 10.0)))
    assert builder.build(turned) is first


def test_a_colour_changes_only_what_is_worn_and_a_move_only_what_is_placed():
    document, assets = one_part(sphere_mesh(), floor="plain")
    builder = SceneBuilder(assets)
    first = builder.build(document)
    red = builder.build(edits.change_surface(document, "m", base_color=(0.9, 0.1, 0.1)))
    assert red is not first
    for same in ("points", "triangles", "normal_matrices", "top", "env"):
        one, other = getattr(red.arrays, same), getattr(first.arrays, same)
        assert one is other or (same == "top" and one == other), same
    assert not np.array_equal(red.arrays.materials, first.arrays.materials)
    moved = builder.build(edits.place_parts(document, {"ball": Placement((30, 0, 0))}))
    assert moved.arrays.points is first.arrays.points
    assert pick(moved, (30, -300, 0), (0, 1, 0)).part == "ball" and pick(moved, (-15, -300, 0), (0, 1, 0)) is None


def test_a_shape_that_is_hidden_and_shown_again_is_not_built_twice_and_goes_when_it_is_deleted():
    document, assets = one_part(sphere_mesh())
    box = assets.add_mesh(box_mesh(10))
    document = edits.add_parts(document, [replace(document.parts["ball"], id="box", name="Box", mesh=box)], ["box"])
    builder = SceneBuilder(assets)
    builder.build(document)
    tree = weakref.ref(builder._held[box])
    builder.build(edits.change_part(document, "box", visible=False))
    builder.build(document)
    assert builder._held[box] is tree()
    builder.build(edits.delete_parts(document, ["box"]))
    gc.collect()
    assert tree() is None and box not in builder._held


# what a ray meets


def test_a_ray_says_part_face_point_and_normal():
    mesh = box_mesh(20)
    mesh = mesh._replace(faces=np.repeat(np.arange(6), 2).astype(np.int32))
    document, assets = one_part(mesh)
    document = edits.place_parts(document, {"ball": Placement((100, 0, 5), turn=(0, 0, 90))})
    hit = pick(SceneBuilder(assets).build(document), (100.0, -300.0, 5.0), (0.0, 2.0, 0.0))
    assert hit.part == "ball"
    np.testing.assert_allclose(hit.point, (100, -10, 5), atol=1e-4)
    np.testing.assert_allclose(hit.normal, (0, -1, 0), atol=1e-6)
    np.testing.assert_allclose(hit.own, (-10, 0, 0), atol=1e-4)  # turned a quarter: what was -x looks at us
    assert hit.face == 0 and hit.distance == pytest.approx(290) and hit.uv is None


def test_a_ray_meets_the_floor_as_no_part_and_lamps_and_hidden_parts_not_at_all():
    document, assets = one_part(sphere_mesh(20), floor="plain")
    document = edits.place_parts(document, {"ball": Placement((0, 0, 20))})
    document = edits.put_lamp(document, Lamp(id="l", name="Key", position=(0, 0, 200), width=100, height=100))
    builder = SceneBuilder(assets)
    down = pick(builder.build(document), (0, 0, 150), (0, 0, -1))
    assert down.part == "ball" and down.point[2] == pytest.approx(40, abs=0.01)
    hidden = builder.build(edits.change_part(document, "ball", visible=False))
    floor = pick(hidden, (0, 0, 150), (0, 0, -1))
    assert floor is not None and floor.part is None and floor.point[2] == pytest.approx(0, abs=0.02)
    assert pick(hidden, (0, 0, 150), (0, 0, 1)) is None


# the live picture


def shown_by(assets, requests):
    states, troubles = [], []
    live = LivePicture(assets, states.append, troubles.append)
    for request in requests:
        live.show(request)
    return live, states, troubles


def until(test, seconds=60.0):
    import time

    end = time.monotonic() + seconds
    while not test() and time.monotonic() < end:
        time.sleep(0.01)
    assert test()


def test_any_error_is_told_and_the_next_picture_is_drawn_all_the_same(monkeypatch):
    from aulmo.trace import live as module

    document, assets = one_part(sphere_mesh(20))
    ask = lambda: Request(document, document.shots[0], document.cameras["c"], 64, 48, False)  # noqa: E731
    real = module.draw_draft
    monkeypatch.setattr(module, "draw_draft", lambda *a, **k: 1 / 0)
    live, states, troubles = shown_by(assets, [ask()])
    until(lambda: troubles)
    assert "could not be drawn" in troubles[0] and not states
    monkeypatch.setattr(module, "draw_draft", real)
    live.show(ask())
    until(lambda: states)
    live.close()


def test_a_compiler_that_fails_is_told_and_the_draft_stays(monkeypatch):
    from aulmo.trace import live as module

    document, assets = one_part(sphere_mesh(20))
    monkeypatch.setattr(module.kernel_cache, "is_warm", lambda: False)

    broken = [sys.executable, "-c", "raise OSError('no compiler')"]
    monkeypatch.setattr(warm_up.subprocess, "Popen", lambda command, **more: Popen(broken, **more))
    monkeypatch.setattr(warm_up, "other_compiler", lambda: None)
    request = Request(document, document.shots[0], document.cameras["c"], 64, 48, True)
    live, states, troubles = shown_by(assets, [request])
    until(lambda: troubles)
    assert "could not be made ready" in troubles[0] and "no compiler" in troubles[0]
    assert states and states[-1].draft is not None and not states[-1].traced
    live.close()


# mattes


def test_mattes_are_ranked_as_a_slow_and_plain_reading_ranks_them():
    from aulmo.trace.passes import RANKS, _mattes, matte_float

    rng = np.random.default_rng(5)
    counts = np.zeros((9, 11, 6, 2), np.float32)
    for y in range(9):
        for x in range(11):
            many = rng.integers(0, 6)
            counts[y, x, :many, 0] = rng.permutation(40)[:many] - 2
            counts[y, x, :many, 1] = rng.permutation(60)[:many] + 1
    samples, names = np.full((9, 11), 64.0, np.float32), {k: f"Part {k}" for k in range(-2, 40)}
    planes, header = {}, {}
    _mattes(counts, samples, names, "parts", planes, header)
    for y in range(9):
        for x in range(11):
            ranked = sorted(((float(c), int(i)) for i, c in counts[y, x] if c > 0), reverse=True)[:RANKS]
            for k in range(RANKS):
                number, cover = planes[f"parts{k // 2:02d}"][y, x, 2 * (k % 2) : 2 * (k % 2) + 2]
                if k < len(ranked):
                    assert number == np.float32(matte_float(names[ranked[k][1]])) and cover == pytest.approx(ranked[k][0] / 64)
                else:
                    assert number == 0 and cover == 0


def test_the_draft_and_a_ray_meet_the_same():
    document, assets = one_part(box_mesh(40))
    document = replace(edits.place_parts(document, {"ball": Placement((0, 0, 20))}), floor=Floor(kind="plain"))
    document = edits.put_camera(document, replace(document.cameras["c"], position=(0.0, -200.0, 60.0), target=(0.0, 0.0, 20.0)))
    scene = SceneBuilder(assets).build(document)
    camera = document.cameras["c"]
    options = options_row(scene, document, camera, document.render)
    drawn = tracer.draw_draft(scene, camera_row(camera, 40, 30), options, draft.blur_environment(scene.arrays.env), 40, 30)
    hit = pick(scene, camera.position, np.array(camera.target) - np.array(camera.position))
    assert scene.part_ids[drawn.parts[15, 20]] == hit.part == "ball"
    assert drawn.depth[15, 20] == pytest.approx(hit.distance, rel=0.01)
