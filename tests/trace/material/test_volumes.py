"""Light within bodies: below a surface, in cloudy solids, through nested ones; thin films and dispersion."""

import math

import numpy as np
import pytest
from msgspec.structs import replace

from aulmo.document import edits
from aulmo.document.records import Camera, Lamp, Material, Part, Placement, RenderSettings, Surface
from aulmo.surface import spectrum
from aulmo.surface.columns import ABSORPTION, SCATTERING, SUB_ALBEDO
from aulmo.trace.compile.arrays import FILM_STEPS
from aulmo.trace.material import thin_film
from aulmo.trace.material.material_rows import material_row
from aulmo.trace.material.medium import scattering_albedo
from aulmo.trace.material.microfacet import fresnel_dielectric, henyey_greenstein, sample_phase
from aulmo.trace.material.spectrum import draw_wavelength, ior_at
from shapes import box_mesh, one_part, sphere_mesh
from tracing import NITS, Dark, HalfDome, UniformDome, look_down, plane, trace

WHITE = (1.0, 1.0, 1.0)
WAX = Surface(specular_weight=0.0, subsurface_weight=1.0, subsurface_color=WHITE, subsurface_radius=2.0, subsurface_radius_scale=WHITE)


@pytest.mark.parametrize("radius", [0.5, 20.0])
@pytest.mark.parametrize("g", [0.0, 0.6])
def test_a_white_waxen_ball_cannot_be_seen_in_a_white_furnace(radius, g):
    wax = replace(WAX, subsurface_radius=radius, subsurface_scatter_anisotropy=g)
    document, assets = one_part(sphere_mesh(20.0, 48), wax)
    # nothing is absorbed, so some walks are very long; cutting them short is what loses light. The mean wavers by a third of a percent.
    many = 1024 if radius > 1 else 256
    frame, _ = trace(document, assets, (24, 18), many, UniformDome, RenderSettings(scatters=1 << 20, clamp_stops=0))
    assert frame.rgb[6:12, 9:15].mean() == pytest.approx(NITS, rel=0.01)
    short, _ = trace(document, assets, (24, 18), 96, UniformDome, RenderSettings(clamp_stops=0))
    assert short.rgb[6:12, 9:15].mean() == pytest.approx(NITS, rel=0.04)


@pytest.mark.parametrize("colour", [0.2, 0.5, 0.8])
def test_a_deep_body_looks_as_bright_as_its_colour_says(colour):
    """A half space under an even sky: the walk gives back the albedo that was asked for (van de Hulst's inversion)."""
    wax = replace(WAX, subsurface_color=(colour,) * 3, subsurface_radius=0.5)
    document, assets = one_part(box_mesh(400.0), wax)
    document = replace(document, cameras={"c": look_down(500.0)})
    frame, _ = trace(document, assets, (16, 16), 256, UniformDome)
    assert frame.rgb.mean() == pytest.approx(NITS * colour, rel=0.06)


@pytest.mark.long
def test_light_wanders_as_far_as_diffusion_theory_says():
    """Fluence-driven exitance beside a lit spot falls as exp(-distance * effective attenuation) (diffusion limit)."""
    colour, mfp = 0.8, 1.0
    wax = replace(WAX, subsurface_color=(colour,) * 3, subsurface_radius=mfp)
    document, assets = one_part(box_mesh(200.0), wax)
    # a narrow spot straight down on the top face at its centre
    spot = Lamp(id="l", name="l", kind="spot", position=(0, 0, 1100), width=0, cone=0.06, softness=0.0, power=1e6, unit="candela")
    camera = Camera(id="c", name="c", position=(0, 0, 400), target=(0, 0, 100), projection="parallel", span_mm=32.0, shutter=1 / 15)
    document = replace(document, lamps={"l": spot}, cameras={"c": camera})
    frame, _ = trace(document, assets, (64, 64), 1024, Dark)
    y, x = np.mgrid[:64, :64]
    away = np.hypot(x - 31.5, y - 31.5) * 0.5
    bands = [frame.rgb[..., 1][(away >= d) & (away < d + 1)].mean() for d in (5, 10)]
    albedo = scattering_albedo(colour, 0.0)
    attenuation = math.sqrt(3 * (1 - albedo)) / mfp
    # Farrell 1992 far from the source: R(r) ~ (attenuation + 1/r) exp(-attenuation r) / r^2
    expected = ((attenuation + 1 / 5.5) / 5.5**2) / ((attenuation + 1 / 10.5) / 10.5**2) * math.exp(attenuation * 5.0)
    assert bands[0] / bands[1] == pytest.approx(expected, rel=0.25)


def test_the_albedo_inversion_meets_its_ends():
    np.testing.assert_allclose([scattering_albedo(c, 0.0) for c in (0.0, 1.0)], [0.0, 1.0], atol=0.01)
    assert material_row(WAX).numbers[SUB_ALBEDO] == pytest.approx(1.0, abs=1e-3)


def test_a_clear_cloud_in_a_white_furnace_cannot_be_seen():
    cloudy = Surface(transmission_weight=1.0, specular_roughness=0.0, transmission_depth=10.0, transmission_scatter=WHITE, specular_ior=1.3)
    document, assets = one_part(sphere_mesh(20.0, 96), cloudy)
    frame, _ = trace(document, assets, (24, 18), 512, UniformDome)
    assert frame.rgb[6:12, 9:15].mean() == pytest.approx(NITS, rel=0.04)


def test_scatter_and_tint_share_the_depth_as_the_standard_says():
    row = material_row(
        Surface(transmission_weight=1.0, transmission_color=(0.5, 0.5, 0.5), transmission_depth=20.0, transmission_scatter=(0.2, 0.1, 0.0))
    ).numbers
    extinction = row[ABSORPTION : ABSORPTION + 3] + row[SCATTERING : SCATTERING + 3]
    np.testing.assert_allclose(np.exp(-extinction * 20.0), 0.5, rtol=1e-6)
    np.testing.assert_allclose(row[SCATTERING : SCATTERING + 3], [0.01, 0.005, 0.0])
    milk = material_row(Surface(transmission_weight=1.0, transmission_depth=20.0, transmission_scatter=(1.0, 1.0, 1.0))).numbers
    assert (milk[ABSORPTION : ABSORPTION + 3] == 0).all()  # no absorption below zero


@pytest.mark.parametrize("g", [-0.5, 0.0, 0.4, 0.9])
def test_scattering_follows_its_phase_function(g):
    mu = (np.arange(20000) + 0.5) / 10000 - 1
    assert np.mean([henyey_greenstein(m, g) for m in mu]) * 4 * math.pi == pytest.approx(1.0, rel=2e-3)
    drawn = np.array([sample_phase(g, u) for u in (np.arange(4096) + 0.5) / 4096])
    assert drawn.mean() == pytest.approx(g, abs=2e-3)  # the mean cosine is the anisotropy


def stacked(inner: Surface, gap: bool, outer: Surface):
    """A block with another within it over a glowing sheet, seen straight from above; the inner one overlaps the outer's wall, or leaves air."""
    document, assets = one_part(box_mesh(100.0), outer)
    document = edits.put_material(document, Material(id="inner", name="Inner", surface=inner))
    document = edits.put_material(
        document, Material(id="glow", name="Glow", surface=Surface(base_weight=0.0, specular_weight=0.0, emission_luminance=NITS))
    )
    small, sheet = assets.add_mesh(box_mesh(60.0 if gap else 100.0)), assets.add_mesh(plane(3000.0))
    parts = [
        Part(id="inner", name="Inner", mesh=small, material="inner", placement=Placement((0, 0, 40.0 if not gap else 0.0))),
        Part(id="sheet", name="Sheet", mesh=sheet, material="glow", placement=Placement((0, 0, -200.0))),
    ]
    document = edits.add_parts(document, parts, ["inner", "sheet"])
    camera = Camera(id="c", name="c", position=(0, 0, 500), target=(0, 0, 0), projection="parallel", span_mm=20.0, shutter=1 / 15)
    return replace(document, cameras={"c": camera}), assets


def through(boundaries: list[float]) -> float:
    """Light through boundaries of given reflectance one after another, with every reflection between them (no interference)."""
    t = 1.0
    r_total = 0.0
    for r in boundaries:
        t, r_total = t * (1 - r) / (1 - r_total * r), r_total + t * t * r / (1 - r_total * r)
    return t


CLEAR = Surface(transmission_weight=1.0, specular_roughness=0.0, specular_ior=1.5)


def test_liquid_against_glass_has_one_boundary_and_no_air_between():
    """Glass 1.5 and an oil of 1.45 pushed through its wall: air-oil, oil-glass, glass-air and nothing more."""
    oil = replace(CLEAR, specular_ior=1.45, nesting_priority=0)
    document, assets = stacked(oil, False, replace(CLEAR, nesting_priority=1))
    frame, _ = trace(document, assets, (8, 8), 512, Dark)

    def fresnel(a, b):
        return ((a - b) / (a + b)) ** 2

    assert frame.rgb[..., 1].mean() / NITS == pytest.approx(through([fresnel(1, 1.45), fresnel(1.45, 1.5), fresnel(1.5, 1)]), rel=0.01)


def test_the_higher_priority_is_what_is_really_there():
    """Where tinted oil overlaps clear glass, the glass wins and the oil's tint counts only outside it."""
    oil = replace(CLEAR, transmission_color=(0.5, 0.5, 0.5), transmission_depth=40.0)
    over, assets = stacked(oil, False, replace(CLEAR, nesting_priority=1))
    under, _ = stacked(replace(oil, nesting_priority=2), False, replace(CLEAR, nesting_priority=1))
    glass, oily = (trace(d, assets, (8, 8), 512, Dark)[0].rgb[..., 1].mean() / NITS for d in (over, under))
    edge = ((1.5 - 1) / (1.5 + 1)) ** 2
    # the oil block is 100 mm deep: 40 mm of it stand above the glass, 60 mm within
    assert glass == pytest.approx(0.5 * through([edge, edge]), rel=0.04)
    assert oily == pytest.approx(0.5**2.5 * through([edge, edge]), rel=0.05)


def test_a_bubble_in_glass_reflects_like_air():
    air = replace(CLEAR, specular_ior=1.0001, nesting_priority=2)
    document, assets = stacked(air, True, replace(CLEAR, nesting_priority=1))
    frame, _ = trace(document, assets, (8, 8), 512, Dark)
    edge = ((1.5 - 1) / (1.5 + 1)) ** 2
    assert frame.rgb[..., 1].mean() / NITS == pytest.approx(through([edge] * 4), rel=0.01)


# thin films


def matrix_method(cosine, nm, film_nm, film, below):
    """Reflectance by characteristic matrices (Macleod), independent of the Airy sum."""
    total = 0.0
    sine = math.sqrt(1 - cosine * cosine)
    cos_f, cos_b = np.sqrt(1 - (sine / film) ** 2 + 0j), np.sqrt(1 - (sine / below) ** 2 + 0j)
    delta = 2 * np.pi * film * film_nm * cos_f / nm
    for s in (True, False):
        eta0, eta1, eta2 = (cosine, film * cos_f, below * cos_b) if s else (1 / cosine, film / cos_f, below / cos_b)
        b = np.cos(delta) + 1j * np.sin(delta) / eta1 * eta2 * 1.0
        c = 1j * eta1 * np.sin(delta) + np.cos(delta) * eta2
        r = (eta0 * b - c) / (eta0 * b + c)
        total += 0.5 * abs(r) ** 2
    return total


@pytest.mark.parametrize("below", [1.5, 2.4, 0.2 - 3.4j])
@pytest.mark.parametrize("cosine", [1.0, 0.6, 0.2])
def test_the_airy_sum_is_the_matrix_method(below, cosine):
    for nm, film_nm in ((450.0, 120.0), (550.0, 380.0), (650.0, 900.0)):
        # the two conventions differ in the sign of the imaginary part
        expected = matrix_method(cosine, nm, film_nm, 1.33, below)
        assert float(thin_film.airy(cosine, nm, film_nm, 1.0, 1.33, np.conj(below))) == pytest.approx(expected, rel=1e-6)


def test_a_film_of_no_thickness_is_no_film():
    table = thin_film.film_table(1e-6, 1.4, 1.5, (0.9, 0.6, 0.3), (1.0, 1.0, 1.0))
    expected = [fresnel_dielectric(max(1e-3, k / FILM_STEPS), 1.5)[0] for k in range(FILM_STEPS + 1)]
    np.testing.assert_allclose(table[1], expected, atol=2e-3)


def test_a_quarter_wave_film_takes_the_reflection_away():
    # index sqrt(1.5), a quarter of 550 nm: no reflection at that wavelength
    film = math.sqrt(1.5)
    assert float(thin_film.airy(1.0, 550.0, 550.0 / 4 / film, 1.0, film, 1.5)) < 1e-9


def test_films_paint_colours_that_change_with_the_angle():
    table = thin_film.film_table(0.45, 1.4, 1.5, (0.9, 0.9, 0.9), (1.0, 1.0, 1.0))
    straight, aslant = table[:3, FILM_STEPS], table[:3, FILM_STEPS // 2]
    assert np.ptp(straight) > 0.01
    assert not np.allclose(straight / straight.sum(), aslant / aslant.sum(), atol=0.03)


# dispersion


def test_cauchys_formula_meets_index_and_abbe_number():
    b = spectrum.cauchy_b(1.5168, 64.2)
    n_f, n_d, n_c = (ior_at(1.5168, b, nm) for nm in (spectrum.LINE_F, spectrum.LINE_D, spectrum.LINE_C))
    assert n_d == pytest.approx(1.5168)
    assert (n_d - 1) / (n_f - n_c) == pytest.approx(64.2, rel=1e-9)
    assert ior_at(1.5168, b, 450.0) == pytest.approx(1.5253, abs=5e-4)  # borosilicate crown, from its published curve


def test_all_wavelengths_together_are_white():
    drawn = np.array([draw_wavelength((k + 0.5) / 4096)[1:] for k in range(4096)])
    np.testing.assert_allclose(drawn.mean(0), 1.0, atol=1e-6)


def test_the_colour_matching_fit_is_near_the_standard_observer():
    # CIE 1931 2 degrees at 450, 555, 600 nm
    for nm, expected in ((450, (0.3362, 0.0380, 1.7721)), (555, (0.5121, 1.0002, 0.0057)), (600, (1.0622, 0.6310, 0.0008))):
        np.testing.assert_allclose(spectrum.colour_matching(float(nm)), expected, atol=0.04)


def test_a_dispersive_ball_spreads_colour_and_keeps_its_light():
    glass = Surface(transmission_weight=1.0, specular_roughness=0.0, specular_ior=1.6)
    document, assets = one_part(sphere_mesh(20.0, 128), glass)
    # half of the sky is bright: the ball shows its edge turned over
    strong = replace(glass, transmission_dispersion_scale=1.0, transmission_dispersion_abbe_number=15.0)
    rainbow = edits.put_material(document, Material(id="m", name="Plain", surface=strong))
    plain, _ = trace(document, assets, (48, 36), 256, HalfDome)
    spread, _ = trace(rainbow, assets, (48, 36), 1024, HalfDome)
    ball = plain.rgb[10:26, 16:32]
    assert spread.rgb[10:26, 16:32].mean() == pytest.approx(ball.mean(), rel=0.05)

    def colourful(rgb):
        return np.ptp(rgb, axis=2).max()

    assert colourful(spread.rgb[10:26, 16:32]) > 0.05 * NITS
    assert colourful(ball) < 0.02 * NITS
