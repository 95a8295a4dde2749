"""Every sampling routine beside lobes, lamps and dome, which have tests of their own: chi-square or Kolmogorov-Smirnov."""

import math

import numpy as np
import pytest
from msgspec.structs import replace
from numba import njit
from scipy import stats

from aulmo.document.records import Lamp, Material, Surface
from aulmo.trace.compile import arrays as a
from aulmo.trace.compile.entry import entry
from aulmo.trace.lamp import dome as lights, lamps as lamp_kernels
from aulmo.trace.lamp.light_tree import FROM_ANYWHERE, lamp_chance, lit_matt, pick_lamp
from aulmo.trace.material import medium, spectrum
from aulmo.trace.material.microfacet import ggx_density, henyey_greenstein, sample_phase, sample_visible_normal, smith_lambda
from aulmo.trace.path import lens
from aulmo.trace.path.path_state import CARRIED, NUMBERS
from aulmo.trace.path.sampling import concentric_disc, cosine_hemisphere, draw_wave, unit
from aulmo.trace.scene import SceneBuilder
from lobes import cap_grid, misfit
from shapes import one_part, sphere_mesh
from tracing import Dark, look_down, plane

COUNT = 1 << 14


def randoms(columns: int, seed: int = 1, count: int = COUNT) -> np.ndarray:
    return np.random.default_rng(seed).random((count, columns))


def test_the_disc_is_covered_evenly():
    points = np.array([concentric_disc(*uv) for uv in randoms(2)])
    radius2, angle = (points**2).sum(1), np.arctan2(points[:, 1], points[:, 0])
    observed, _, _ = np.histogram2d(radius2, angle, bins=(8, 16), range=((0, 1), (-math.pi, math.pi)))
    assert observed.sum() == COUNT  # none outside
    assert misfit(observed, np.full((8, 16), COUNT / 128)) < 1


def test_matt_directions_go_with_the_cosine():
    found = np.array([cosine_hemisphere(*uv) for uv in randoms(2)])
    np.testing.assert_allclose((found**2).sum(1), 1.0, atol=1e-9)
    observed, _, _ = np.histogram2d(found[:, 2] ** 2, np.arctan2(found[:, 1], found[:, 0]), bins=(8, 16), range=((0, 1), (-math.pi, math.pi)))
    assert misfit(observed, np.full((8, 16), COUNT / 128)) < 1


@pytest.mark.parametrize("stretch", [(0.3, 0.3), (0.6, 0.15), (0.05, 0.05)])
@pytest.mark.parametrize("mu", [0.2, 0.9])
def test_visible_normals_go_with_what_is_seen_of_them(stretch, mu):
    """Density D(h) G1(o) max(0, o.h) / cos(o), by counts over cells of the square the normals are drawn from by another way."""
    ax, ay = stretch
    ox, oy = math.sqrt(1 - mu * mu) * 0.8, math.sqrt(1 - mu * mu) * 0.6
    found = np.array([sample_visible_normal(ox, oy, mu, ax, ay, *uv) for uv in randoms(2, 3)])
    # slopes divided by the roughness follow one round bell: cells by how steep they are and by their turn

    def cells(h):
        x, y = h[:, 0] / h[:, 2] / ax, h[:, 1] / h[:, 2] / ay
        return 1 / np.sqrt(1 + x * x + y * y), np.arctan2(y, x)

    observed, _, _ = np.histogram2d(*cells(found), bins=(8, 12), range=((0, 1), (-math.pi, math.pi)))
    # under D(h) cos(h) the square of the first number and the second are even: weigh a grid by the ratio of the two densities
    n = 64
    q, turn = np.meshgrid((np.arange(8 * n) + 0.5) / (8 * n), ((np.arange(12 * n) + 0.5) / (12 * n) * 2 - 1) * math.pi, indexing="ij")
    r = np.sqrt(1 - q * q) / q
    h = np.stack([r * np.cos(turn) * ax, r * np.sin(turn) * ay, np.ones_like(r)])
    h /= np.sqrt((h**2).sum(0))
    seen = np.maximum(0, h[0] * ox + h[1] * oy + h[2] * mu) / (1 + smith_lambda(ox, oy, mu, ax, ay)) / mu / h[2]
    expected = (2 * q * seen).reshape(8, n, 12, n).mean((1, 3)) * COUNT / 96
    assert expected.sum() == pytest.approx(COUNT, rel=3e-3)
    assert misfit(observed, expected) < 1
    # and the even numbers are what D says: its integral with the cosine is one
    grid = cap_grid(0.0, 400, 400)
    total = np.mean([ggx_density(*d, 0.4, 0.3) * d[2] for d in grid[::7]]) * 2 * math.pi
    assert total == pytest.approx(1.0, abs=0.02)


@pytest.mark.parametrize("g", [-0.6, 0.0, 0.3, 0.9])
def test_scattering_angles_go_with_the_phase_function(g):
    cosines = np.array([sample_phase(g, u) for u in randoms(1, 4)[:, 0]])
    edges = np.linspace(-1, 1, 25)
    fine = np.linspace(-1, 1, 24 * 400 + 1)
    middle = 0.5 * (fine[1:] + fine[:-1])
    density = np.array([henyey_greenstein(c, g) for c in middle]) * 2 * math.pi * 2 / len(middle)
    expected = density.reshape(24, -1).sum(1) * COUNT
    assert expected.sum() == pytest.approx(COUNT, rel=2e-3)
    assert misfit(np.histogram(cosines, edges)[0], expected) < 1
    assert cosines.mean() == pytest.approx(g, abs=0.02)  # g is the mean cosine


def test_turning_aside_keeps_the_angle_and_goes_evenly_round():
    toward = np.array([0.48, -0.6, 0.64])
    found = np.array([medium.turned_aside(*toward, 0.3, u) for u in randoms(1, 5)[:, 0]])
    np.testing.assert_allclose(found @ toward, 0.3, atol=1e-7)
    np.testing.assert_allclose((found**2).sum(1), 1.0, atol=1e-7)
    across = np.cross(toward, [0.0, 0.0, 1.0])
    across /= np.linalg.norm(across)
    turn = np.arctan2(found @ np.cross(toward, across), found @ across)
    assert stats.kstest(turn / (2 * math.pi) + 0.5, "uniform").pvalue > 1e-4


@entry
def _flights(extinction, albedo, far, numbers, carried):
    lengths = np.zeros(len(numbers))
    state = np.zeros(NUMBERS)
    for k in range(len(numbers)):
        state[CARRIED], state[CARRIED + 1], state[CARRIED + 2] = carried[k]
        lengths[k] = medium.flight(
            state, extinction[0], extinction[1], extinction[2], albedo[0], albedo[1], albedo[2], far, numbers[k, 0], numbers[k, 1]
        )
        carried[k, 0], carried[k, 1], carried[k, 2] = state[CARRIED], state[CARRIED + 1], state[CARRIED + 2]
    return lengths


def test_free_flights_in_grey_fog_are_exponential():
    carried = np.ones((COUNT, 3))
    lengths = _flights(np.full(3, 0.7), np.ones(3), 1e30, randoms(2, 6), carried)
    assert stats.kstest(lengths, stats.expon(scale=1 / 0.7).cdf).pvalue > 1e-4
    np.testing.assert_allclose(carried, 1.0)  # nothing is lost in white fog


def test_free_flights_in_coloured_fog_carry_each_colour_as_beer_says():
    extinction, albedo, far = np.array([0.2, 0.9, 2.5]), np.array([0.9, 0.6, 0.3]), 0.8
    carried = np.ones((4 * COUNT, 3))
    lengths = _flights(extinction, albedo, far, randoms(2, 7, 4 * COUNT), carried)
    through = lengths >= far
    kept = np.exp(-extinction * far)
    sd = carried.std(0) / math.sqrt(len(carried))
    assert np.abs(np.where(through[:, None], carried, 0).mean(0) - kept).max() < 5 * sd.max()
    scattered = np.where(through[:, None], 0, carried).mean(0)
    assert np.abs(scattered - albedo * (1 - kept)).max() < 5 * sd.max()
    # where light of each colour scatters first
    for c in range(3):
        cut = far / 2
        share = np.where(lengths < cut, carried[:, c], 0).mean()
        assert share == pytest.approx(albedo[c] * (1 - math.exp(-extinction[c] * cut)), abs=5 * sd[c])


def test_wavelengths_are_even_and_add_up_to_white():
    drawn = np.array([spectrum.draw_wavelength(u) for u in (np.arange(4096) + 0.5) / 4096])
    assert drawn[:, 0].min() > 379 and drawn[:, 0].max() < 781
    np.testing.assert_allclose(drawn[:, 1:].mean(0), 1.0, atol=1e-3)


def test_the_pixel_filter_is_a_tent():
    found = np.array([lens.tent(u) for u in randoms(1, 8)[:, 0]])
    assert stats.kstest(found, stats.triang(0.5, -1, 2).cdf).pvalue > 1e-4


@pytest.mark.parametrize("blades", [5, 8])
def test_the_aperture_is_an_even_polygon(blades):
    camera = np.zeros(a.CAM_COLUMNS)
    camera[a.CAM_BLADES], camera[a.CAM_BLADE_TURN] = blades, 0.3
    points = np.array([lens._opening(camera, *uv) for uv in randoms(2, 9)])
    corners = 0.3 + 2 * math.pi * np.arange(blades + 1) / blades
    middle = math.cos(math.pi / blades)
    for k in range(blades):  # all within each side
        n = 0.5 * (corners[k] + corners[k + 1])
        assert (points @ [math.cos(n), math.sin(n)]).max() <= middle + 1e-9
    # as many in each wedge, and in each ring of equal area
    wedge = np.floor(((np.arctan2(points[:, 1], points[:, 0]) - 0.3) % (2 * math.pi)) / (2 * math.pi / blades)).astype(int) % blades
    normal = 0.5 * (corners[:-1] + corners[1:])
    out = (points[:, 0] * np.cos(normal[wedge]) + points[:, 1] * np.sin(normal[wedge])) / middle
    observed, _, _ = np.histogram2d(out**2, wedge, bins=(6, blades), range=((0, 1), (-0.5, blades - 0.5)))
    assert misfit(observed, np.full(observed.shape, COUNT / observed.size)) < 1


def under(*lamps: Lamp):
    document, assets = one_part(plane(), Surface(base_color=(0.5, 0.5, 0.5)))
    document = replace(document, lamps={lamp.id: lamp for lamp in lamps}, cameras={"c": look_down()})
    return Dark(assets).build(document).arrays


@entry
def _lamp_samples(scene, lamp, at, numbers):
    out = np.zeros((len(numbers), 6))
    for k in range(len(numbers)):
        out[k] = lamp_kernels.sample_lamp(scene, lamp, at[0], at[1], at[2], numbers[k, 0], numbers[k, 1], numbers[k, 2])
    return out


def test_the_sun_is_sampled_evenly_over_its_disc():
    scene = under(Lamp(id="l", name="l", kind="distant", turn=(25, 10, 0), angle=12.0))
    lamp = scene.lamps[0]
    found = _lamp_samples(scene, lamp, np.array([5.0, 6.0, 7.0]), randoms(3, 10))
    axis = -lamp[a.LAMP_N : a.LAMP_N + 3]
    cosines = found[:, :3] @ axis
    spread = 1 - math.cos(math.radians(6.0))
    assert stats.kstest((1 - cosines) / spread, "uniform").pvalue > 1e-4
    np.testing.assert_allclose(found[:, 5], 1 / (2 * math.pi * spread), rtol=1e-6)


def test_a_glowing_part_is_sampled_evenly_over_its_skin():
    """Chi-square of the triangles chosen, and the density brought from area to solid angle."""
    document, assets = one_part(sphere_mesh(10.0, 10), Surface())
    document = replace(document, materials={"m": Material(id="m", name="m", surface=Surface(emission_luminance=100.0))})
    scene = SceneBuilder(assets).build(document).arrays
    lamp = scene.lamps[0]
    corners = scene.emit_corners.reshape(-1, 3, 3)
    area = 0.5 * np.linalg.norm(np.cross(corners[:, 1] - corners[:, 0], corners[:, 2] - corners[:, 0]), axis=1)
    assert lamp[a.LAMP_AREA] == pytest.approx(area.sum())
    at = np.array([100.0, 20.0, 30.0])
    found = _lamp_samples(scene, lamp, at, randoms(3, 11))
    np.testing.assert_allclose(found[:, 5], found[:, 3] ** 2 / (found[:, 4] * area.sum()), rtol=1e-6)
    points = at + found[:, 3:4] * found[:, :3]
    # the triangle each point lies in: the one whose corner weights come nearest to being none below zero, in its own plane
    counts = np.zeros(len(area))
    weigh = np.linalg.pinv(np.concatenate([corners.transpose(0, 2, 1), np.ones((len(corners), 1, 3))], 1))  # (triangles, 3, 4)
    whole = area > 1e-9
    for point in points:
        weights = weigh @ np.append(point, 1.0)
        off = np.linalg.norm((weights[:, :, None] * corners).sum(1) - point, axis=1)
        counts[np.where(whole, np.maximum(-weights.min(1), 0) + off, np.inf).argmin()] += 1
    assert misfit(counts, COUNT * area / area.sum()) < 1


@entry
def _dome_samples(scene, options, at, numbers):
    out = np.zeros((len(numbers), 4))
    for k in range(len(numbers)):
        x, y, z, density, _u, _v = lights.sample_dome(
            scene, options, at[0], at[1], at[2], options[a.OPT_ENV_CHANCE] * numbers[k, 0], numbers[k, 1], numbers[k, 2]
        )
        out[k] = x, y, z, density
    return out


@entry
def _dome_densities(scene, options, at, where):
    out = np.zeros(len(where))
    for k in range(len(where)):
        x, y, z = where[k]
        u, v = lights.to_map(scene.env_turn, x, y, z)
        out[k] = lights.dome_density(scene, options, at[0], at[1], at[2], x, y, z, u, v)
    return out


def test_the_dome_through_portals_is_sampled_with_the_density_claimed():
    """Directions by two portals and the map together, counted over the whole sphere."""
    west = Lamp(id="w", name="w", kind="portal", position=(-300, 0, 200), turn=(90, 0, -90), width=300, height=200)
    north = Lamp(id="n", name="n", kind="portal", position=(0, 300, 250), turn=(90, 0, 180), width=200, height=200)
    document, assets = one_part(plane(), Surface())
    document = replace(document, lamps={"w": west, "n": north}, cameras={"c": look_down()})
    scene = SceneBuilder(assets).build(document).arrays
    options = np.zeros(a.OPT_COLUMNS)
    options[a.OPT_ENV_CHANCE] = 0.5
    at, rows, columns, fine = (20.0, -10.0, 100.0), 12, 24, 24
    numbers = randoms(3, 12, 4 * COUNT)
    found = _dome_samples(scene, options, at, numbers)
    found = found[found[:, 3] > 0]
    observed, _, _ = np.histogram2d(found[:, 2], np.arctan2(found[:, 1], found[:, 0]), bins=(rows, columns), range=((-1, 1), (-math.pi, math.pi)))
    density = _dome_densities(scene, options, at, cap_grid(-1.0, rows * fine, columns * fine))
    expected = density.reshape(rows, fine, columns, fine).mean((1, 3)) * 4 * math.pi / (rows * columns) * len(numbers) / 0.5
    assert expected.sum() == pytest.approx(len(found), rel=0.01)
    # cells cut by a portal's outline are integrated to about a hundredth
    assert misfit(observed, expected * len(found) / expected.sum()) < 1.5


def test_lamps_are_picked_as_often_as_their_chance_says_from_anywhere():
    rng = np.random.default_rng(13)
    lamps = [
        Lamp(id=f"l{k}", name="l", kind="disc" if k % 2 else "spot", position=tuple(rng.uniform(-300, 300, 3)), turn=tuple(rng.uniform(-180, 180, 3)),
             width=30, power=float(rng.uniform(10, 500)), cone=70)
        for k in range(24)
    ]  # fmt: skip
    scene = under(*lamps)
    glossy = (0.0, 0.0, 1.0, 0.6, 0.0, 0.8, 0.1, 0.9, 0.04)
    places = ((0.0, 0.0, 0.0), (150.0, -200.0, 40.0), (400.0, 400.0, 400.0), (0.0, 0.0, 0.0))
    for at, aim in zip(places, (lit_matt(0.0, 0.0, 1.0), lit_matt(0.6, 0.0, 0.8), FROM_ANYWHERE, glossy)):
        chance = np.array([lamp_chance(scene.nodes, scene.lamp_trail[k], scene.lamp_depth[k], *at, aim) for k in range(24)])
        picks = [pick_lamp(scene.nodes, *at, aim, u) for u in randoms(1, 14)[:, 0]]
        counts = np.bincount([p[0] for p in picks if p[0] >= 0], minlength=24)
        missed = COUNT - counts.sum()
        assert misfit(np.append(counts, missed), COUNT * np.append(chance, max(0.0, 1 - chance.sum()))) < 1
        left = np.array([p[2] for p in picks if p[0] >= 0])
        assert stats.kstest(left, "uniform").pvalue > 1e-5  # what is left of the number is fresh


@pytest.mark.parametrize("even", [True, False])
def test_a_wave_draws_what_its_paths_would_draw_alone(even):
    from aulmo.trace.path.sampling import draw_2d, draw_quick

    @njit
    def wave(index, seeds, offset, to_u, to_v):
        draw_wave(np.full(len(seeds), index, np.uint32), seeds, np.uint32(offset), even, len(seeds), to_u, to_v)

    seeds = np.random.default_rng(15).integers(0, 1 << 32, 16, dtype=np.uint32)
    u, v = np.zeros(16, np.uint32), np.zeros(16, np.uint32)
    for index in (0, 5, 1000):
        wave(index, seeds, 24, u, v)
        alone = [(draw_2d if even else draw_quick)(index, np.uint64(int(s) + 24)) for s in seeds]
        assert [(unit(p), unit(q)) for p, q in zip(u, v)] == alone
