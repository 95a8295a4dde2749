"""Colours, metals and swatches."""

import numpy as np
import pytest
from hypothesis import given, strategies as st

from aulmo.document.records import Surface
from aulmo.errors import BadValue
from aulmo.surface import metals, swatches
from aulmo.surface.colour import SRGB_TO_ACESCG, decode_srgb, encode_srgb, from_hex, from_temperature, luminance, to_hex


@given(st.integers(0, 0xFFFFFF))
def test_a_hex_code_comes_back(value):
    code = f"#{value:06x}"
    assert to_hex(from_hex(code)) == code


@pytest.mark.parametrize("text", ["", "red", "#12", "#1234567", "12345g"])
def test_what_is_no_colour_says_so(text):
    with pytest.raises(BadValue, match="not a colour"):
        from_hex(text)


def test_white_stays_white():
    np.testing.assert_allclose(from_hex("#ffffff"), [1, 1, 1], atol=1e-12)
    assert luminance((1, 1, 1)) == pytest.approx(1.0, abs=1e-6)


def test_the_matrix_is_the_published_one():
    # AMPAS/ACES: linear sRGB (D65) to AP1 with Bradford adaptation
    published = [[0.6131, 0.3395, 0.0474], [0.0702, 0.9164, 0.0134], [0.0206, 0.1096, 0.8698]]
    np.testing.assert_allclose(SRGB_TO_ACESCG, published, atol=2e-4)


@given(st.floats(0, 1))
def test_the_transfer_curve_inverts(value):
    assert float(encode_srgb(decode_srgb(value))) == pytest.approx(value, abs=1e-9)


def test_warm_light_is_redder_than_cool_light():
    warm, cool = from_temperature(2700), from_temperature(9000)
    assert warm[0] / warm[2] > 2 > cool[0] / cool[2]
    assert luminance(warm) == pytest.approx(1.0, abs=1e-9)
    with pytest.raises(BadValue):
        from_temperature(500)


def test_daylight_is_nearly_white():
    np.testing.assert_allclose(from_temperature(6500), [1, 1, 1], atol=0.05)


def test_a_dielectric_without_absorption_reflects_as_by_hand():
    # ((1.5 - 1) / (1.5 + 1))^2 = 0.04
    assert float(metals.conductor_reflectance(1.5, 0.0, 1.0)) == pytest.approx(0.04)


def test_a_metal_at_normal_incidence_reflects_as_by_hand():
    # ((n-1)^2 + k^2) / ((n+1)^2 + k^2) for n = 0.2, k = 3.4
    assert float(metals.conductor_reflectance(0.2, 3.4, 1.0)) == pytest.approx((0.64 + 11.56) / (1.44 + 11.56))


def test_everything_reflects_wholly_at_grazing():
    assert float(metals.conductor_reflectance(1.2, 3.0, 1e-7)) == pytest.approx(1.0, abs=1e-4)


def test_metals_have_the_colours_they_have():
    gold, copper, silver = (np.array(metals.reflectance(n, 1.0)) for n in ("Gold", "Copper", "Silver"))
    assert gold[0] > gold[1] > gold[2]
    assert gold[2] < 0.55
    assert copper[0] > 1.2 * copper[2]
    assert silver.min() > 0.9
    brass = np.array(metals.reflectance("Brass", 1.0))
    assert brass[1] > brass[2] * 1.3


def test_an_unknown_metal_says_so():
    with pytest.raises(BadValue, match="Unobtainium"):
        metals.reflectance("Unobtainium", 1.0)


@pytest.mark.parametrize("name", metals.names())
def test_openpbr_meets_the_measured_metal_at_both_ends(name):
    from aulmo.trace.material.microfacet import fresnel_f82

    base, tint = metals.openpbr_colours(name)
    for channel in range(3):
        assert fresnel_f82(1.0, base[channel], tint[channel]) == pytest.approx(metals.reflectance(name, 1.0)[channel], abs=1e-6)
        # the tint can only darken, so a metal brighter than Schlick near grazing is met from below
        assert fresnel_f82(1 / 7, base[channel], tint[channel]) == pytest.approx(metals.reflectance(name, 1 / 7)[channel], abs=0.03)


def test_the_shelf_is_full_and_every_swatch_is_sound():
    shelf = swatches.shelf()
    assert len(shelf) >= 30
    assert len({name for _, name, _ in shelf}) == len(shelf)
    assert {kind for kind, _, _ in shelf} == set(swatches.SHELVES)
    for _, name, surface in shelf:
        assert isinstance(surface, Surface)
        for colour in (surface.base_color, surface.specular_color, surface.transmission_color, surface.coat_color):
            assert all(-1e-9 <= v <= 1.0 + 1e-9 for v in colour), name
        assert 1.0 <= surface.specular_ior <= 2.5
        assert surface.emission_luminance == 0 or max(surface.emission_color) > 0


def test_two_materials_of_one_swatch_are_two():
    assert swatches.material("Copper").id != swatches.material("Copper").id
    with pytest.raises(BadValue, match="no swatch"):
        swatches.material("Moon dust")


def test_every_swatch_has_its_thumbnail():
    from pathlib import Path

    import aulmo.desk

    folder = Path(aulmo.desk.__file__).parent / "thumbnails"
    for name in swatches.names():
        assert (folder / f"{swatches.slug(name)}.png").stat().st_size > 800
