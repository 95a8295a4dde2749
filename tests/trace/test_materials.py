"""The lobes: energy, densities, Fresnel and Snell by hand, reciprocity."""

import math

import numpy as np
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st
from scipy import stats

from aulmo.document.records import Surface
from aulmo.trace import openpbr
from aulmo.trace.microfacet import eon_multiple, eon_single, fresnel_dielectric, fresnel_f82, ggx_density, sample_visible_normal, smith_lambda
from lobes import KINDS, cap_grid, density_at, directions, furnace, row_of


@pytest.mark.parametrize("kind", KINDS)
@pytest.mark.parametrize("mu", [0.15, 0.5, 0.95])
def test_a_white_material_loses_and_gains_nothing_in_a_white_furnace(kind, mu):
    row, table, films = row_of(KINDS[kind])
    assert furnace(row, table, films, mu, False, 1 << 15) == pytest.approx(1.0, abs=0.02)


@pytest.mark.parametrize("mu", [0.2, 0.6, 0.95])
def test_glass_from_the_inside_loses_nothing(mu):
    row, table, films = row_of(KINDS["frosted glass"])
    assert furnace(row, table, films, mu, True, 1 << 15) == pytest.approx(1.0, abs=0.02)


unit = st.floats(0.0, 1.0)


@given(
    metal=unit,
    rough=unit,
    clear=unit,
    coat=unit,
    coat_rough=unit,
    ior=st.floats(1.05, 2.4),
    weight=unit,
    colour=st.tuples(unit, unit, unit),
    fuzz=unit,
    film=unit,
    micrometres=st.floats(0.05, 2.0),
    mu=st.floats(0.1, 0.99),
)
@settings(max_examples=40, deadline=None)
def test_no_material_gives_back_more_than_it_got(
    metal, rough, clear, coat, coat_rough, ior, weight, colour, fuzz, film, micrometres, mu
):  # fmt: skip
    surface = Surface(
        base_color=colour, base_metalness=metal, specular_roughness=rough, transmission_weight=clear, coat_weight=coat,
        coat_roughness=coat_rough, specular_ior=ior, specular_weight=weight, fuzz_weight=fuzz, thin_film_weight=film,
        thin_film_thickness=micrometres,
    )  # fmt: skip
    row, table, films = row_of(surface)
    assert furnace(row, table, films, mu, False, 1 << 12) < 1.06


@pytest.mark.parametrize(
    "kind",
    [
        "matt",
        "gloss plastic",
        "rough metal",
        "stretched metal",
        "frosted glass",
        "half clear",
        "satin coat",
        "coated metal",
        "velvet",
        "brushed coat",
        "lampshade",
    ],
)
@pytest.mark.parametrize("mu", [0.35, 0.9])
def test_directions_are_sampled_with_the_density_claimed(kind, mu):
    """Chi-square over a grid of equal solid angles."""
    row, table, films = row_of(KINDS[kind])
    count, rows, columns = 1 << 16, 24, 24
    found = directions(row, table, mu, False, count)
    found = found[np.abs(found).sum(1) > 0]
    z, phi = found[:, 2], np.arctan2(found[:, 1], found[:, 0])
    observed, _, _ = np.histogram2d(z, phi, bins=(rows, columns), range=((-1, 1), (-math.pi, math.pi)))
    fine = 20  # each cell's density is averaged over 400 points
    grid = cap_grid(-1.0, rows * fine, columns * fine)
    density = density_at(row, table, films, mu, False, grid).reshape(rows, fine, columns, fine).mean((1, 3))
    expected = density * 4 * math.pi / (rows * columns) * count
    # the share of rejected samples carries no direction; densities integrate to the share kept
    assert expected.sum() / count == pytest.approx(len(found) / count, abs=0.02)
    kept = expected > 12
    statistic = ((observed[kept] - expected[kept]) ** 2 / expected[kept]).sum()
    # integration error of the grid adds to the statistic, so the bound is the chi-square quantile with a margin
    assert statistic < 1.6 * stats.chi2.ppf(0.9999, kept.sum())


def test_visible_normals_follow_their_density():
    """The mean of a function under visible-normal sampling equals its quadrature."""
    ax, ay, o = 0.4, 0.2, np.array([0.6, 0.3, math.sqrt(1 - 0.45)])
    from aulmo.trace.sampling import draw_2d

    got = np.mean([sample_visible_normal(*o, ax, ay, *draw_2d(k, np.uint64(3)))[2] for k in range(8192)])
    n = 500
    z = (np.arange(n) + 0.5) / n
    phi = (np.arange(2 * n) + 0.5) / (2 * n) * 2 * math.pi
    s = np.sqrt(1 - z**2)[:, None]
    hx, hy, hz = s * np.cos(phi), s * np.sin(phi), np.repeat(z[:, None], 2 * n, 1)
    d = np.vectorize(lambda a, b, c: ggx_density(a, b, c, ax, ay))(hx, hy, hz)
    visible = d * np.maximum(0, hx * o[0] + hy * o[1] + hz * o[2]) / (1 + smith_lambda(*o, ax, ay)) / o[2]
    cell = 2 * math.pi / (n * 2 * n)
    assert visible.sum() * cell == pytest.approx(1.0, abs=0.004)
    assert got == pytest.approx((visible * hz).sum() * cell, abs=0.004)


def test_fresnel_by_hand():
    assert fresnel_dielectric(1.0, 1.5)[0] == pytest.approx(0.04)
    # Brewster's angle: tan = 1.5; the parallel part vanishes and the other is ((n^2-1)/(n^2+1))^2 / 2
    brewster = math.cos(math.atan(1.5))
    assert fresnel_dielectric(brewster, 1.5)[0] == pytest.approx(0.5 * (1.25 / 3.25) ** 2)
    assert fresnel_dielectric(1e-6, 1.5)[0] == pytest.approx(1.0, abs=1e-4)
    assert fresnel_dielectric(1.0, 1 / 1.5)[0] == pytest.approx(0.04)


def test_total_reflection_begins_at_the_critical_angle():
    critical = math.cos(math.asin(1 / 1.5))
    assert fresnel_dielectric(critical * 0.999, 1 / 1.5) == (1.0, 0.0)
    assert fresnel_dielectric(critical * 1.01, 1 / 1.5)[0] < 1.0


@given(st.floats(0.05, 1.0), st.floats(1.05, 2.5))
def test_light_bends_by_snell(cosine, eta):
    _, inside = fresnel_dielectric(cosine, eta)
    assert math.sqrt(1 - cosine**2) == pytest.approx(eta * math.sqrt(1 - inside**2), abs=1e-7)


@given(st.floats(0.05, 1.0), st.floats(1.05, 2.5))
def test_both_ways_through_a_boundary_reflect_alike(cosine, eta):
    out, inside = fresnel_dielectric(cosine, eta)
    assert fresnel_dielectric(inside, 1 / eta)[0] == pytest.approx(out, abs=1e-9)


def test_metal_fresnel_runs_from_its_colour_to_white():
    assert fresnel_f82(1.0, 0.6, 1.0) == pytest.approx(0.6)
    assert fresnel_f82(0.0, 0.6, 0.5) == pytest.approx(1.0)
    schlick = 0.6 + 0.4 * (6 / 7) ** 5
    assert fresnel_f82(1 / 7, 0.6, 0.8) == pytest.approx(0.8 * schlick)


@pytest.mark.parametrize(
    "surface",
    [
        KINDS["matt"],
        KINDS["chalk"],
        *(Surface(base_color=(0, 0, 0), base_metalness=1.0, specular_roughness=0.5, specular_roughness_anisotropy=a) for a in (0.0, 0.6)),
    ],
)
def test_light_may_run_either_way(surface):
    """Reciprocity of the lobes without a layer above. Black metal: compensation for lost energy, which follows the viewer, is nil."""
    row, table, films = row_of(surface)
    rng = np.random.default_rng(2)
    for _ in range(50):
        a, b = (v / np.linalg.norm(v) for v in np.abs(rng.normal(size=(2, 3))) + 0.05)
        one = openpbr.evaluate(row, table, films, *a, *b, False)[0] / b[2]
        two = openpbr.evaluate(row, table, films, *b, *a, False)[0] / a[2]
        assert one == pytest.approx(two, rel=1e-3)


def test_chalk_is_flatter_than_matt_at_the_rim():
    # Oren-Nayar's mark: light from behind the viewer comes back stronger at grazing angles
    grazing = eon_single(0.2, 0.2, 0.99, 1.0) + eon_multiple(0.2, 0.2, 0.8, 1.0) / 0.8
    assert grazing > 1.1 / math.pi
    assert eon_single(0.3, 0.7, 0.5, 0.0) == pytest.approx(1 / math.pi)


def test_a_coat_deepens_the_colour_under_it():
    plain = openpbr.DARKENING
    row, _, _ = row_of(Surface(base_color=(0.2, 0.2, 0.2), coat_weight=1.0))
    assert 0.4 < row[plain] < 0.85
    white, _, _ = row_of(Surface(base_color=(1, 1, 1), coat_weight=1.0))
    assert white[plain] == pytest.approx(1.0)
    off, _, _ = row_of(Surface(base_color=(0.2, 0.2, 0.2), coat_weight=1.0, coat_darkening=0.0))
    assert off[plain] == pytest.approx(1.0)


def test_the_tint_depth_is_the_thickness_at_which_the_tint_is_met():
    row, _, _ = row_of(Surface(transmission_weight=1.0, transmission_color=(0.5, 0.25, 1.0), transmission_depth=20.0))
    np.testing.assert_allclose(np.exp(-row[openpbr.ABSORPTION : openpbr.ABSORPTION + 3] * 20.0), [0.5, 0.25, 1.0], atol=1e-6)


@given(st.floats(0, 1), st.floats(1.05, 2.4))
@settings(max_examples=20, deadline=None)
def test_specular_weight_scales_the_normal_reflectance(weight, ior):
    row, _, _ = row_of(Surface(specular_weight=weight, specular_ior=ior))
    eta = row[openpbr.ETA]
    assert ((eta - 1) / (eta + 1)) ** 2 == pytest.approx(max(weight * ((ior - 1) / (ior + 1)) ** 2, 2.5e-9), rel=1e-3)
