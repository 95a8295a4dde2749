"""Tone, exposure, draft, live picture."""

import threading

import numpy as np
import pytest
from hypothesis import given, strategies as st
from msgspec.structs import replace

from aulmo.document import edits
from aulmo.document.records import Backdrop, Camera, Placement, Surface
from aulmo.errors import BadValue
from aulmo.frame.camera import camera_axes
from aulmo.frame.exposure import ev100, white_nits
from aulmo.trace import draft, tracer
from aulmo.trace.camera_rows import camera_row
from aulmo.trace.live import LivePicture, Request
from aulmo.trace.options import options_row
from aulmo.trace.scene import SceneBuilder
from aulmo.trace.view import VIEWS, dither, encode, neutral, show
from shapes import box_mesh, one_part, sphere_mesh


def khronos_reference(rgb):
    """PBR Neutral as published, in NumPy."""
    rgb = np.array(rgb, float)
    x = rgb.min()
    rgb = rgb - (x - 6.25 * x * x if x < 0.08 else 0.04)
    peak = rgb.max()
    if peak < 0.76:
        return rgb
    d = 0.24
    new = 1 - d * d / (peak + d - 0.76)
    rgb = rgb * new / peak
    g = 1 - 1 / (0.15 * (peak - new) + 1)
    return rgb * (1 - g) + new * g


@given(st.tuples(*[st.floats(0, 30)] * 3))
def test_neutral_is_the_published_formula(rgb):
    np.testing.assert_allclose(neutral(*rgb), khronos_reference(rgb), atol=1e-9)


def test_the_transfer_curve_is_srgbs():
    assert encode(0.0) == 0.0 and encode(1.0) == 1.0
    assert encode(0.18) == pytest.approx(0.4614, abs=1e-4)
    assert encode(0.002) == pytest.approx(0.02584, abs=1e-5)


@pytest.mark.parametrize("view", VIEWS)
def test_greys_stay_grey_and_grow(view):
    ramp = np.repeat(np.geomspace(1, 3000, 40, dtype=np.float32)[None, :, None], 3, 2)
    out = show(np.ascontiguousarray(ramp), 1000.0, view)
    assert np.abs(out - out.mean(-1, keepdims=True)).max() < 0.012
    assert (np.diff(out[0, :, 1]) >= -1e-4).all()
    assert 0 <= out.min() and out.max() <= 1


def test_the_baked_film_view_follows_the_exact_one():
    rng = np.random.default_rng(4)
    light = (rng.random((20, 20, 3)) ** 3 * 2500).astype(np.float32)
    assert np.abs(show(light, 1000.0, "Film") - show(light, 1000.0, "Film", exact=True)).mean() < 0.006


def test_an_unknown_view_says_so():
    with pytest.raises(BadValue, match="Sepia"):
        show(np.zeros((2, 2, 3), np.float32), 1.0, "Sepia")


def test_eight_bits_keep_the_mean():
    display = np.full((64, 64, 3), 0.3003, np.float32)
    out = np.zeros((64, 64, 4), np.uint8)
    dither(display, np.ones((64, 64), np.float32), out)
    assert out[..., :3].mean() / 255 == pytest.approx(0.3003, abs=0.001)
    assert out[..., 3].min() == 255


def test_exposure_is_the_trades_arithmetic():
    camera = Camera(id="c", name="C", f_stop=8.0, shutter=1 / 60, iso=100.0)
    assert ev100(camera) == pytest.approx(11.907, abs=1e-3)  # log2(64 * 60)
    assert ev100(replace(camera, iso=400.0)) == pytest.approx(ev100(camera) - 2)
    assert ev100(replace(camera, exposure_stops=1.0)) == pytest.approx(ev100(camera) - 1)
    assert white_nits(camera) == pytest.approx(1.2 * 64 * 60)


def test_the_field_of_view_follows_lens_and_sensor():
    row = camera_row(Camera(id="c", name="C", focal_length_mm=50.0, sensor_mm=36.0), 300, 200)
    assert np.degrees(2 * np.arctan(row[12])) == pytest.approx(39.6, abs=0.05)
    assert row[13] == pytest.approx(row[12] * 2 / 3)


@given(st.tuples(*[st.floats(-500, 500)] * 3), st.floats(-180, 180))
def test_camera_axes_are_square_also_straight_down(position, roll):
    for camera in (
        Camera(id="c", name="C", position=position, roll=roll),
        Camera(id="c", name="C", position=(0, 0, 900), target=(0, 0, 0), roll=roll),
    ):
        m = np.array(camera_axes(camera))
        np.testing.assert_allclose(m @ m.T, np.eye(3), atol=1e-9)


def drafted(document, assets, size=(120, 90)):
    scene = SceneBuilder(assets).build(document)
    options = options_row(scene, document, document.cameras["c"], document.render)
    maps = draft.blur_environment(scene.arrays.env)
    return tracer.draw_draft(scene, camera_row(document.cameras["c"], *size), options, maps, *size), scene


def test_the_draft_knows_what_lies_under_each_pixel():
    document, assets = one_part(box_mesh(40), floor="plain")
    document = edits.place_parts(document, {"ball": Placement((0, 0, 20))})
    document = edits.put_camera(document, replace(document.cameras["c"], position=(0.0, -200.0, 20.0), target=(0.0, 0.0, 20.0)))
    found, scene = drafted(document, assets)
    assert scene.part_ids[found.parts[40, 60]] == "ball"
    assert found.parts[88, 2] == -2
    assert found.depth[45, 60] == pytest.approx(180.0, abs=1.5)


def test_the_draft_looks_through_glass_at_what_is_behind():
    document, assets = one_part(sphere_mesh(20), Surface(transmission_weight=1.0, specular_roughness=0.0))
    document = replace(document, backdrop=Backdrop(kind="colour", top=(0.6, 0.05, 0.05)))
    found, _ = drafted(document, assets)
    b, g, r = found.picture[45, 60, :3].astype(int)
    assert r > 1.5 * g


def test_the_draft_and_the_traced_picture_agree_on_shape_and_tone():
    """Inside the ball, and outside it, each for itself: a ball that is missing or black is seen however much backdrop there is."""
    document, assets = one_part(sphere_mesh(20), Surface(base_color=(0.6, 0.1, 0.1)))
    document = replace(document, backdrop=Backdrop(kind="colour", top=(0.3, 0.3, 0.3)))
    found, _ = drafted(document, assets)
    done = tracer.render(document, assets, document.shots[0], (120, 90), replace(document.render, stop="samples", samples=64))
    drawn, traced = found.picture[..., 2::-1].astype(float), show(done.rgb, done.white, "Product neutral") * 255
    ball = found.parts >= 0
    assert 0.05 < ball.mean() < 0.6
    for area in (ball, ~ball):
        assert np.abs(drawn[area] - traced[area]).mean() < 22
        assert np.abs(drawn[area].mean(0) - traced[area].mean(0)).max() < 15
    redness = lambda p: p[..., 0] - p[..., 1]  # noqa: E731
    assert redness(drawn[ball]).mean() > 25 and redness(traced[ball]).mean() > 25


def test_the_live_picture_shows_something_coarse_then_sharpens_and_drops_old_work():
    document, assets = one_part(sphere_mesh(20), floor="plain")
    shown, first, done = [], threading.Event(), threading.Event()

    def take(state):
        shown.append(state)
        first.set()
        if state.request.document is last and state.samples >= 4:
            done.set()

    live = LivePicture(assets, take, lambda text: pytest.fail(text))
    live._path_ready.set()
    last = document
    live.show(Request(document, document.shots[0], document.cameras["c"], 160, 120, True))
    assert first.wait(60) and shown[0].draft is not None and not shown[0].traced  # a project is seen at once as a draft
    for k in range(6):
        last = edits.change_surface(document, "m", base_color=(0.1 * k, 0.4, 0.4))
        live.show(Request(last, last.shots[0], last.cameras["c"], 160, 120, True))
    assert done.wait(60)
    live.close()
    mine = [s for s in shown if s.request.document is last]
    assert mine[0].picture.shape[0] < 120 and mine[0].samples == 0
    assert any(s.draft is not None for s in mine)
    assert any(s.picture.shape[:2] == (120, 160) and s.denoised for s in mine)


def test_the_live_draft_needs_no_path_tracer():
    document, assets = one_part(sphere_mesh(20))
    got, seen = threading.Event(), []
    live = LivePicture(assets, lambda s: (seen.append(s), got.set()), lambda text: pytest.fail(text))
    live.show(Request(document, document.shots[0], document.cameras["c"], 100, 80, False))
    assert got.wait(60)
    live.close()
    assert not seen[0].traced and seen[0].draft.parts.shape == (80, 100)


def test_trouble_in_the_live_picture_is_a_sentence():
    document, assets = one_part(sphere_mesh(20))
    document = replace(document, environment=replace(document.environment, image="missing.exr", shipped=False))
    said, told = [], threading.Event()
    live = LivePicture(assets, lambda s: None, lambda text: (said.append(text), told.set()))
    live.show(Request(document, document.shots[0], document.cameras["c"], 64, 48, False))
    assert told.wait(30)
    live.close()
    assert "missing" in said[0]


def test_lights_shared_out_add_up_to_the_clean_picture():
    """Quicker than to clean each: what each group has of the light about a pixel, of the clean picture."""
    from aulmo.trace.live import shared_out

    rng = np.random.default_rng(4)
    planes = {f"group.{n}": rng.random((20, 30, 3)).astype(np.float32) * k for k, n in ((1.0, "Key"), (0.2, "Rim"))}
    clean = (planes["group.Key"] + planes["group.Rim"]) * 0.97
    made = shared_out(clean, planes, 100)
    assert np.abs(made["group.Key.denoised"] + made["group.Rim.denoised"] - clean).max() < 1e-5
    assert np.abs(made["group.Key.denoised"] - 0.97 * planes["group.Key"]).max() < 1e-5, "with many samples each is its own"
    assert made["group.Rim.denoised"].mean() == pytest.approx(0.97 * planes["group.Rim"].mean(), rel=0.02)
