"""Environment maps: where softboxes land, how files are read, how level they are."""

import numpy as np
import pytest
from hypothesis import given, settings, strategies as st

from aulmo.errors import BadFile
from aulmo.light import environment_image as images
from aulmo.light.dome_map import Patch, angles, coverage, direction, map_directions, paint


@given(st.floats(-179, 179), st.floats(-85, 85))
def test_a_place_on_the_dome_comes_back(azimuth, elevation):
    assert angles(direction(azimuth, elevation)) == pytest.approx((azimuth, elevation), abs=1e-6)


def test_azimuth_zero_is_the_camera_side_and_grows_to_its_right():
    np.testing.assert_allclose(direction(0, 0), [0, -1, 0], atol=1e-12)
    np.testing.assert_allclose(direction(90, 0), [1, 0, 0], atol=1e-12)
    np.testing.assert_allclose(direction(0, 90), [0, 0, 1], atol=1e-12)


@given(st.floats(-170, 170), st.floats(-60, 60))
@settings(max_examples=25, deadline=None)
def test_a_softbox_is_brightest_where_it_was_put(azimuth, elevation):
    image = paint([Patch(azimuth, elevation, 20, 20, 1000)], 256, 128)
    row, column = np.unravel_index(int(image[..., 1].argmax()), image.shape[:2])
    assert float(map_directions(256, 128)[row, column] @ direction(azimuth, elevation)) > np.cos(np.radians(12))


def test_a_softbox_subtends_the_angles_it_was_given():
    directions = map_directions(1440, 720)
    mask = coverage(Patch(0, 0, 40, 20, 1, corner=0, edge=0.01, hot_spot=0), directions) > 0.5
    azimuth = np.degrees(np.arctan2(directions[..., 0], -directions[..., 1]))
    elevation = np.degrees(np.arcsin(directions[..., 2]))
    level = np.abs(elevation) < 0.3
    assert np.ptp(azimuth[mask & level]) == pytest.approx(40, abs=1.0)
    centre = np.abs(azimuth) < 0.3
    assert np.ptp(elevation[mask & centre]) == pytest.approx(20, abs=1.0)


def test_nothing_of_a_softbox_lies_behind_it():
    directions = map_directions(128, 64)
    mask = coverage(Patch(30, 10, 170, 170, 1), directions)
    assert mask[(directions @ direction(30, 10)) < 0].max() == 0


@pytest.mark.parametrize("name", images.SETS)
def test_every_shipped_set_is_level_and_lit(name):
    image = images.shipped(name)
    assert image.shape == (512, 1024, 3)
    assert np.isfinite(image).all() and image.min() >= 0
    assert images.level(image[::2, ::2]) == pytest.approx(images.CARD_LUX, rel=0.12)


def test_a_uniform_dome_gives_pi_times_its_luminance():
    # a card that faces anywhere under a uniform dome of L nits receives pi * L lux
    assert images.level(np.full((256, 512, 3), 100.0)) == pytest.approx(100 * np.pi, rel=1e-3)


def test_an_hdr_file_is_read_and_levelled(tmp_path):
    import OpenImageIO as oiio

    pixels = paint([Patch(-40, 30, 50, 40, 8.0)], 128, 64, np.full((64, 128, 3), 0.2))
    path = tmp_path / "studio.hdr"
    out = oiio.ImageOutput.create(str(path))
    out.open(str(path), oiio.ImageSpec(128, 64, 3, "float"))
    out.write_image(pixels)
    out.close()
    image = images.from_blob(path.read_bytes(), "studio.hdr")
    assert image.shape == (64, 128, 3)
    assert images.level(image) == pytest.approx(images.CARD_LUX, rel=0.02)


def test_a_black_environment_says_so():
    with pytest.raises(BadFile, match="no light"):
        images.prepare(np.zeros((8, 16, 3), np.float32), "night.exr")


def test_an_unknown_set_says_so():
    with pytest.raises(BadFile, match="no shipped light set"):
        images.shipped("Moonbase")


@pytest.mark.parametrize("suffix", [".hdr", ".exr"])
@given(noise=st.binary(max_size=300), keep=st.integers(0, 2000), place=st.integers(0, 1500), value=st.integers(0, 255))
@settings(max_examples=25, deadline=None)
def test_a_damaged_environment_gets_a_sentence(suffix, noise, keep, place, value):
    from aulmo.deliver.encoding import encode

    sound = bytearray(encode(np.full((6, 12, 3), 0.5, np.float32), suffix, "float"))
    sound[place % len(sound)] = value
    for blob in (noise, bytes(sound[: keep % len(sound)]), bytes(sound)):
        try:
            image = images.from_blob(blob, "x" + suffix)
            assert np.isfinite(image).all()
        except BadFile as error:
            assert str(error).endswith(".")


def test_values_that_are_no_numbers_do_not_reach_the_renderer():
    pixels = np.ones((8, 16, 3), np.float32)
    pixels[2, 3] = np.nan
    pixels[4, 5] = np.inf
    assert np.isfinite(images.prepare(pixels, "x.exr")).all()
