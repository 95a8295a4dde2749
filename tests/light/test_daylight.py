"""Sun and sky: where the sun stands at known times and places; how bright daylight is."""

import math

import numpy as np
import pytest
from msgspec.structs import replace

from aulmo.document.records import Sky
from aulmo.errors import BadValue
from aulmo.light import daylight
from aulmo.light.dome_map import map_directions
from aulmo.surface.colour import LUMINANCE, luminance


@pytest.mark.parametrize(
    "date, hour, offset, latitude, longitude, azimuth, elevation",
    [
        # NREL's solar position algorithm report, worked example: Golden, 17 October 2003, 12:30:30 local time
        ("2003-10-17", 12.5083, -7, 39.742476, -105.1786, 194.34, 39.89),
        # noon on the tropic of Cancer at midsummer: overhead to within its distance from solar noon
        ("2026-06-21", 12.0, 0, 23.4367, 0.0, None, 89.5),
        # the equator on an equinox: rises due east
        ("2026-03-20", 6.13, 0, 0.0, 0.0, 90.0, 0.4),
        # above the polar circle at midwinter the sun stays down
        ("2026-12-21", 12.0, 1, 78.2, 15.6, None, -11.6),
    ],
)
def test_the_sun_stands_where_almanacs_say(date, hour, offset, latitude, longitude, azimuth, elevation):
    found_azimuth, found_elevation = daylight.sun_angles(date, hour, offset, latitude, longitude)
    assert found_elevation == pytest.approx(elevation, abs=0.6)
    if azimuth is not None:
        assert (found_azimuth - azimuth + 180) % 360 - 180 == pytest.approx(0, abs=0.4)


def test_directions_run_clockwise_from_plus_y():
    np.testing.assert_allclose(daylight.sun_direction(Sky(azimuth=90, elevation=0)), [1, 0, 0], atol=1e-9)
    np.testing.assert_allclose(daylight.sun_direction(Sky(azimuth=0, elevation=30)), [0, math.cos(math.pi / 6), 0.5], atol=1e-9)


def test_a_clear_noon_has_the_lux_of_a_clear_noon():
    high = luminance(daylight.sun_light(Sky(elevation=60, turbidity=2.5)))
    assert 75_000 < high < 115_000
    low = luminance(daylight.sun_light(Sky(elevation=5, turbidity=2.5)))
    assert low < 0.4 * high
    assert not daylight.sun_light(Sky(elevation=-3)).any()


def test_a_low_sun_is_red_and_haze_makes_it_redder():
    def redness(sky):
        light = daylight.sun_light(sky)
        return light[0] / light[2]

    assert redness(Sky(elevation=4)) > 1.6 * redness(Sky(elevation=60))
    assert redness(Sky(elevation=20, turbidity=6)) > redness(Sky(elevation=20, turbidity=2))


def test_the_sky_gives_the_lux_of_a_sky_and_is_blue_opposite_the_sun():
    image = daylight.sky_map(Sky(elevation=45, azimuth=180, turbidity=3))
    directions = map_directions(image.shape[1], image.shape[0])
    solid = 2 * np.pi / 512 * np.pi / 256 * np.sin((np.arange(256) + 0.5) / 256 * np.pi)[:, None]
    falling = float((np.maximum(directions[..., 2], 0) * solid * (image @ LUMINANCE)).sum())
    assert 6_000 < falling < 30_000
    away = image[(directions[..., 1] > 0.7) & (directions[..., 2] > 0.3)].mean(0)
    assert away[2] > 1.3 * away[0]
    near = (directions @ daylight.sun_direction(Sky(elevation=45, azimuth=180))) > 0.98
    assert (image @ LUMINANCE)[near].mean() > 2 * (image @ LUMINANCE)[directions[..., 2] > 0].mean()
    assert np.isfinite(image).all() and (image >= 0).all()


def test_dusk_is_darker_than_day_and_never_nonsense():
    day, dusk, night = (float(daylight.sky_map(Sky(elevation=e)).mean()) for e in (20, -2, -10))
    assert day > 2 * dusk > 4 * night > 0


def test_haze_beyond_the_model_is_a_sentence():
    with pytest.raises(BadValue, match="Haze"):
        daylight.sky_map(Sky(turbidity=40))
    with pytest.raises(BadValue, match="is not a date"):
        daylight.sun_place(replace(Sky(), by_place=True, date="soon"))
