"""The lobes: energy, densities, Fresnel and Snell by hand, reciprocity."""

import math

import numpy as np
import pytest
from hypothesis import example, given, settings, strategies as st

from aulmo.document.records import Surface
from aulmo.surface import columns
from aulmo.trace.material import openpbr
from aulmo.trace.material.microfacet import (
    eon_multiple,
    eon_single,
    fresnel_dielectric,
    fresnel_f82,
    ggx_density,
    mean_f82,
    sample_visible_normal,
    smith_lambda,
)
from lobes import KINDS, cap_grid, density_at, directions, furnace, misfit, row_of


@pytest.mark.parametrize("kind", KINDS)
@pytest.mark.parametrize("mu", [0.15, 0.5, 0.95])
def test_a_white_material_loses_and_gains_nothing_in_a_white_furnace(kind, mu):
    row, table, films = row_of(KINDS[kind])
    assert furnace(row, table, films, mu, False, 1 << 15) == pytest.approx(1.0, abs=0.02)


@pytest.mark.parametrize("mu", [0.2, 0.6, 0.95])
def test_glass_from_the_inside_loses_nothing(mu):
    row, table, films = row_of(KINDS["frosted glass"])
    assert furnace(row, table, films, mu, True, 1 << 15) == pytest.approx(1.0, abs=0.02)


@pytest.mark.parametrize("inside", [False, True])
@pytest.mark.parametrize("mu", [0.3, 0.8])
def test_filmed_glass_passes_what_its_film_does_not_reflect(mu, inside):
    """Rough clear glass under a film, whose reflectance has a colour: all of it comes back or goes through, in every colour."""
    glass = Surface(transmission_weight=1.0, specular_roughness=0.3, thin_film_weight=1.0, thin_film_thickness=0.4)
    row, table, films = row_of(glass)
    assert furnace(row, table, films, mu, inside, 1 << 15) == pytest.approx(1.0, abs=0.02)
    reflected = openpbr.clear_boundary(row, films, mu, 1 / 1.5 if inside else 1.5, inside)[:3]
    if not (inside and mu < math.cos(math.asin(1 / 1.5))):
        assert max(reflected) - min(reflected) > 0.01


BOTH_WAYS = {
    "gold": Surface(base_color=(1.0, 0.77, 0.34), base_metalness=1.0, specular_roughness=0.7, specular_color=(1.0, 0.9, 0.8)),
    "brushed": Surface(base_color=(0.9, 0.9, 0.9), base_metalness=1.0, specular_roughness=0.6, specular_roughness_anisotropy=0.7),
    "heat tint": Surface(base_color=(0.6, 0.6, 0.6), base_metalness=1.0, specular_roughness=0.5, thin_film_weight=1.0, thin_film_thickness=0.3),
    "chalk": Surface(base_color=(0.7, 0.5, 0.3), base_diffuse_roughness=0.8, specular_weight=0.0),
}


@pytest.mark.parametrize("kind", BOTH_WAYS)
def test_light_goes_both_ways_alike(kind):
    """Reciprocity of metals, with what their facets pass on to one another, and of rough matt surfaces."""
    row, table, films = row_of(BOTH_WAYS[kind])
    rng = np.random.default_rng(2)
    for _ in range(40):
        z, phi = rng.uniform(0.1, 0.95, 2), rng.uniform(0, 2 * math.pi, 2)
        s = np.sqrt(1 - z * z)
        o, i = ((s[k] * math.cos(phi[k]), s[k] * math.sin(phi[k]), z[k]) for k in range(2))
        there = np.array(openpbr.evaluate(row, table, films, *o, *i, False)[:3]) / z[1]
        back = np.array(openpbr.evaluate(row, table, films, *i, *o, False)[:3]) / z[0]
        np.testing.assert_allclose(there, back, rtol=1e-5)


@pytest.mark.parametrize("rough", [0.3, 0.7, 1.0])
@pytest.mark.parametrize("mu", [0.1, 0.5, 1.0])
def test_white_rough_metal_gives_back_all_light(rough, mu):
    row, table, films = row_of(Surface(base_color=(1, 1, 1), base_metalness=1.0, specular_roughness=rough))
    assert furnace(row, table, films, mu, False, 1 << 15) == pytest.approx(1.0, abs=0.008)


def test_rough_gold_is_deeper_in_colour_than_smooth_gold():
    """Light that meets several facets takes their colour each time."""

    def blue_over_red(rough):
        row, table, films = row_of(Surface(base_color=(1.0, 0.77, 0.34), base_metalness=1.0, specular_roughness=rough))
        total = np.zeros(3)
        for d in cap_grid(0.0, 60, 60):
            total += openpbr.evaluate(row, table, films, 0.6, 0.0, 0.8, *d, False)[:3]
        return total[2] / total[0]

    assert blue_over_red(1.0) < blue_over_red(0.4) - 0.02


def test_metals_mean_reflectance_is_the_integral():
    mu = (np.arange(4000) + 0.5) / 4000
    for f0, tint in ((0.9, 1.0), (0.3, 0.5), (0.6, 0.9)):
        integral = np.mean([2 * c * fresnel_f82(c, f0, tint) for c in mu])
        assert mean_f82(f0, tint) == pytest.approx(integral, abs=1e-3)


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
@example(
    metal=0.0, rough=0.0, clear=1.0, coat=0.0, coat_rough=0.0, ior=1.125, weight=0.0, colour=(0.0, 0.0, 0.0), fuzz=0.0, film=1.0,
    micrometres=1.0, mu=0.5,
)  # fmt: skip
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
    found = directions(row, table, films, mu, False, count)
    found = found[np.abs(found).sum(1) > 0]
    z, phi = found[:, 2], np.arctan2(found[:, 1], found[:, 0])
    observed, _, _ = np.histogram2d(z, phi, bins=(rows, columns), range=((-1, 1), (-math.pi, math.pi)))
    fine = 20  # each cell's density is averaged over 400 points
    grid = cap_grid(-1.0, rows * fine, columns * fine)
    density = density_at(row, table, films, mu, False, grid).reshape(rows, fine, columns, fine).mean((1, 3))
    expected = density * 4 * math.pi / (rows * columns) * count
    # the share of rejected samples carries no direction; densities integrate to the share kept
    assert expected.sum() / count == pytest.approx(len(found) / count, abs=0.02)
    # integration error of the grid adds to the statistic, so the bound is the chi-square quantile with a margin
    assert misfit(observed, expected) < 1.6


def test_visible_normals_follow_their_density():
    """The mean of a function under visible-normal sampling equals its quadrature."""
    ax, ay, o = 0.4, 0.2, np.array([0.6, 0.3, math.sqrt(1 - 0.45)])
    from aulmo.trace.path.sampling import draw_2d

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
    plain = columns.DARKENING
    row, _, _ = row_of(Surface(base_color=(0.2, 0.2, 0.2), coat_weight=1.0))
    assert 0.4 < row[plain] < 0.85
    white, _, _ = row_of(Surface(base_color=(1, 1, 1), coat_weight=1.0))
    assert white[plain] == pytest.approx(1.0)
    off, _, _ = row_of(Surface(base_color=(0.2, 0.2, 0.2), coat_weight=1.0, coat_darkening=0.0))
    assert off[plain] == pytest.approx(1.0)


def test_the_tint_depth_is_the_thickness_at_which_the_tint_is_met():
    row, _, _ = row_of(Surface(transmission_weight=1.0, transmission_color=(0.5, 0.25, 1.0), transmission_depth=20.0))
    np.testing.assert_allclose(np.exp(-row[columns.ABSORPTION : columns.ABSORPTION + 3] * 20.0), [0.5, 0.25, 1.0], atol=1e-6)


@given(st.floats(0, 1), st.floats(1.05, 2.4))
@settings(max_examples=20, deadline=None)
def test_specular_weight_scales_the_normal_reflectance(weight, ior):
    row, _, _ = row_of(Surface(specular_weight=weight, specular_ior=ior))
    eta = row[columns.ETA]
    assert ((eta - 1) / (eta + 1)) ** 2 == pytest.approx(max(weight * ((ior - 1) / (ior + 1)) ** 2, 2.5e-9), rel=1e-3)
