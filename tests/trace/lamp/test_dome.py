"""Environment sampling against brute force and its own density; glowing triangles against closed forms."""

import math

import numpy as np
import pytest
from msgspec.structs import replace

from aulmo.document import edits
from aulmo.document.records import Environment, Placement, Surface
from aulmo.light.dome_map import Patch, direction, map_directions, paint
from aulmo.trace.compile import arrays as a
from aulmo.trace.compile.entry import entry
from aulmo.trace.lamp import dome as lights, light_tree
from aulmo.trace.path.sampling import draw_2d
from aulmo.trace.scene import SceneBuilder, environment_turn
from lobes import misfit
from shapes import one_part, sphere_mesh
from tracing import agree, measured

IMAGE = paint([Patch(-50, 30, 40, 60, 5000), Patch(120, 10, 6, 50, 20000)], 256, 128, np.full((128, 256, 3), 60.0))
PICK, GUIDE = lights.build_importance(IMAGE)
STILL = np.eye(3)


@entry
def by_importance(image, pick, guide, turn, nx, ny, nz, count, seed=3):
    """Irradiance estimate and its second moment by sampling the map."""
    total = square = 0.0
    for k in range(count):
        s, t = draw_2d(k, np.uint64(seed))
        x, y, z, density, u, v = lights.sample_env(pick, guide, turn, s, t)
        r, g, b = lights.map_radiance(image, u, v, 1.0)
        value = lights.luminance(r, g, b) * max(0.0, x * nx + y * ny + z * nz) / density
        total += value
        square += value * value
    return total / count, square / count


def brute_force(image, normal) -> float:
    """Irradiance by summing every texel."""
    h, w = image.shape[:2]
    solid = 2 * math.pi / w * (np.cos(np.arange(h) / h * math.pi) - np.cos((np.arange(h) + 1) / h * math.pi))[:, None]
    light = image @ np.array([0.2722287, 0.6740818, 0.0536895])
    return float((np.maximum(map_directions(w, h) @ normal, 0) * solid * light).sum())


@pytest.mark.parametrize("normal", [(0, 0, 1), (0, -1, 0), (0.6, -0.8, 0), (0, 0, -1)])
def test_importance_agrees_with_brute_force(normal):
    got, _ = by_importance(IMAGE, PICK, GUIDE, STILL, *map(float, normal), 1 << 16)
    assert got == pytest.approx(brute_force(IMAGE, np.array(normal, float)), rel=0.01)


def test_importance_is_far_less_noisy_than_chance():
    mean, square = by_importance(IMAGE, PICK, GUIDE, STILL, 0.0, -1.0, 0.0, 1 << 14)
    plain_light = (IMAGE @ np.array([0.2722287, 0.6740818, 0.0536895])) * np.maximum(map_directions(256, 128) @ [0, -1.0, 0], 0) * 4 * math.pi
    weight = np.sin((np.arange(128) + 0.5) / 128 * math.pi)[:, None] * np.ones((1, 256))
    plain_square = float((plain_light**2 * weight).sum() / weight.sum())
    assert square - mean**2 < 0.2 * (plain_square - mean**2)


def test_the_density_integrates_to_one_and_matches_the_samples():
    h, w = 512, 1024
    d = map_directions(w, h)
    solid = 2 * math.pi / w * (np.cos(np.arange(h) / h * math.pi) - np.cos((np.arange(h) + 1) / h * math.pi))
    total = sum(lights.env_density(PICK, STILL, *d[j, i]) * solid[j] for j in range(0, h, 4) for i in range(0, w, 4)) * 16
    assert total == pytest.approx(1.0, abs=0.01)
    for k in range(200):
        x, y, z, density, u, v = lights.sample_env(PICK, GUIDE, STILL, *draw_2d(k, np.uint64(8)))
        assert lights.map_density(PICK, u, v) == pytest.approx(density)
        assert x * x + y * y + z * z == pytest.approx(1.0, abs=1e-6)
        assert lights.to_map(STILL, x, y, z) == pytest.approx((u, v), abs=2e-4)


def test_beside_the_surfaces_own_samples_the_table_leaves_out_the_even_part_of_a_map():
    pick, _ = lights.build_importance(IMAGE, alone=False)
    share, alone = (p[: lights.ROWS * lights.COLUMNS, 1].reshape(lights.ROWS, lights.COLUMNS).astype(float) for p in (pick, PICK))
    solid = 2 * math.pi / lights.COLUMNS * -np.diff(np.cos(np.arange(lights.ROWS + 1) / lights.ROWS * math.pi))[:, None]
    assert (share * solid).sum() == pytest.approx(1.0, abs=1e-4)
    light = (IMAGE @ np.array([0.2722287, 0.6740818, 0.0536895])).reshape(lights.ROWS, -1, lights.COLUMNS, 1).mean((1, 3))
    dim, bright = light < 0.4 * (light * solid).sum() / solid.sum() / lights.COLUMNS, light > 3000
    assert dim.any() and bright.any()
    assert np.median(share[dim]) < 0.05 * np.median(alone[dim])
    assert (share[bright] > 1.05 * alone[bright]).all()
    assert not (share[light > 0.6 * (light * solid).sum() / solid.sum() / lights.COLUMNS] == 0.0).any()


@pytest.mark.parametrize(("kind", "region"), [("plain", np.s_[:]), ("shadow", np.s_[12:18, 17:23])], ids=["all", "the ball"])
def test_aimed_and_lucky_paths_see_the_same_light_under_a_dome_that_ships(kind, region):
    document, assets = one_part(sphere_mesh(), Surface(specular_roughness=0.4), floor=kind)
    document = replace(document, environment=Environment(image="Loft"))
    agree(*(measured(document, assets, (40, 30), samples, region, plain=samples > 512) for samples in (512, 1024)), known=0.02)


def test_turning_the_dome_turns_the_light():
    for turn in (30.0, -75.0):
        matrix = environment_turn(Environment(turn=turn))
        at = direction(-50, 30)
        c, s = math.cos(math.radians(turn)), math.sin(math.radians(turn))
        moved = (c * at[0] + s * at[1], -s * at[0] + c * at[1], at[2])
        before = lights.env_radiance(IMAGE, STILL, 1.0, *at)
        assert lights.env_radiance(IMAGE, matrix, 1.0, *moved)[1] == pytest.approx(before[1], rel=0.02)


def test_a_map_without_light_can_still_be_sampled():
    pick, guide = lights.build_importance(np.zeros((64, 128, 3), np.float32))
    *_, density, _, _ = lights.sample_env(pick, guide, STILL, 0.3, 0.7)
    assert density == pytest.approx(1 / (4 * math.pi), rel=1e-3)


def glowing_scene(nits: float, distance: float):
    """A glowing ball below a point."""
    document, assets = one_part(sphere_mesh(10.0, 64), Surface(emission_luminance=nits))
    document = edits.place_parts(document, {"ball": Placement((0, 0, -distance))})
    return SceneBuilder(assets).build(document)


@entry
def irradiance_from_emitters(scene, options, count):
    """Irradiance at the origin on a surface that faces down."""
    total = 0.0
    for k in range(count):
        s, t = draw_2d(k, np.uint64(3))
        select, _ = draw_2d(k, np.uint64(4))
        down = light_tree.lit_matt(0.0, 0.0, -1.0)
        x, y, z, far, r, g, b, density, _shared, _row, _c, _w = lights.sample_lamps(scene, options, 0.0, 0.0, 0.0, down, select, s, t, 0.0)
        # the far half of the ball is hidden by the near half: only count what faces the point
        if density > 0.0 and z < 0.0 and far <= 38.73:
            total += lights.luminance(r, g, b) * -z / density
    return total / count


def test_a_glowing_ball_gives_the_light_of_the_closed_form():
    # irradiance from a sphere of luminance L and radius r at distance d, facing it: pi L (r/d)^2
    scene = glowing_scene(1000.0, 40.0)
    options = np.zeros(a.OPT_COLUMNS)  # no chance for the environment: all on the emitters
    got = irradiance_from_emitters(scene.arrays, options, 1 << 16)
    # points up to the tangent circle are seen: their distance is below sqrt(40^2 - 10^2) = 38.73
    assert got == pytest.approx(math.pi * 1000.0 * (10 / 40) ** 2, rel=0.02)


def test_a_scaled_emitter_keeps_its_luminance_and_grows_its_power():
    document, assets = one_part(sphere_mesh(10.0, 24), Surface(emission_luminance=500.0))
    builder = SceneBuilder(assets)
    once = builder.build(document).arrays.lamps[0]
    twice = builder.build(edits.place_parts(document, {"ball": Placement(scale=(2, 2, 2))})).arrays.lamps[0]
    assert twice[a.LAMP_AREA] == pytest.approx(4 * once[a.LAMP_AREA], rel=1e-5)
    assert twice[a.LAMP_RGB] == once[a.LAMP_RGB] == 500.0


def test_hidden_emitters_give_no_light():
    document, assets = one_part(sphere_mesh(10.0, 24), Surface(emission_luminance=500.0))
    scene = SceneBuilder(assets).build(edits.change_part(document, "ball", visible=False))
    assert len(scene.arrays.emit_cumulative) == 0


def test_the_dome_is_sampled_with_the_density_claimed():
    """Chi-square over blocks of the map."""
    rng, count, rows, columns = np.random.default_rng(2), 1 << 15, 16, 32
    at = np.array([lights.sample_env(PICK, GUIDE, STILL, *rng.random(2))[4:] for _ in range(count)])
    observed, _, _ = np.histogram2d(at[:, 1], at[:, 0], bins=(rows, columns), range=((0, 1), (0, 1)))
    h, w = lights.ROWS, lights.COLUMNS
    solid = 2 * math.pi / w * (np.cos(np.arange(h) * math.pi / h) - np.cos((np.arange(h) + 1) * math.pi / h))
    chance = PICK[: h * w, 1].reshape(h, w) * solid[:, None]
    assert chance.sum() == pytest.approx(1.0, abs=1e-6)
    expected = count * chance.reshape(rows, h // rows, columns, w // columns).sum((1, 3))
    assert misfit(observed, expected, 8.0) < 1.0


def test_evenly_spread_numbers_give_evenly_spread_light():
    """Light that the table knows nothing of the shape of is estimated far better than by chance: the inversion keeps points spread."""
    normal = np.array([0.3, -0.8, 0.5]) / np.linalg.norm([0.3, -0.8, 0.5])
    truth, square = by_importance(IMAGE, PICK, GUIDE, STILL, *normal, 1 << 16)
    got = [by_importance(IMAGE, PICK, GUIDE, STILL, *normal, 64, 100 + seed)[0] for seed in range(40)]
    by_chance = (square - truth**2) / 64
    assert np.mean((np.array(got) - truth) ** 2) < 0.25 * by_chance
