"""The light check finds what was put into made-up pictures, and only that."""

import numpy as np
import pytest

from aulmo.light.light_check import FLAT, TONES, check, false_tones, in_order, lab, stops

WHITE = 800.0
NAMES = {0: "Ball", 1: "Foot"}
H, W = 120, 160


def picture(background=0.2, **tones):
    """A round ball (part 0) with a slope of tones over a foot (part 1), before an even background; shares of white."""
    y, x = np.mgrid[0:H, 0:W]
    parts = np.full((H, W), -2)
    parts[np.hypot(x - 80, y - 50) < 32] = 0
    parts[(np.abs(x - 80) < 40) & (y > 86) & (y < 104)] = 1
    light = np.full((H, W), float(background))
    light[parts == 0] = (0.1 + 0.8 * (x - 48) / 64)[parts == 0]
    light[parts == 1] = (0.1 + 0.85 * (x - 40) / 80)[parts == 1]
    for where, value in tones.items():
        light[parts == (0 if where == "ball" else 1)] = value
    return np.repeat(light[..., None], 3, 2), parts


def looked_at(light, parts):
    return check(light * WHITE, np.clip(light, 0, 1), WHITE, parts, NAMES)


def test_a_well_lit_picture_lacks_nothing():
    found = looked_at(*picture(0.02))
    assert (found.clipped, found.underlit) == (0.0, 0.0)
    assert found.rim > 0.99 and found.flat < 0.02 and not found.findings


def test_clipped_pixels_are_counted_by_part_and_told():
    light, parts = picture(0.02)
    light[40:60, 75:95] = 3.0
    found = looked_at(light, parts)
    area = (parts == 0).sum()
    assert found.by_part["Ball"]["clipped"] == pytest.approx(400 / area, rel=1e-6)
    assert found.by_part["Foot"]["clipped"] == 0
    assert found.clipped == pytest.approx(400 / (area + (parts == 1).sum()), rel=1e-6)
    told = next(f for f in found.findings if f.kind == "clipped")
    assert told.part == "Ball" and told.place == pytest.approx((75 / W, 40 / H, 95 / W, 60 / H))


def test_black_on_black_is_found_at_its_part_and_can_be_stroked():
    light, parts = picture(0.004, foot=0.004)
    found = looked_at(light, parts)
    assert found.by_part["Foot"]["underlit"] == 1.0 and found.by_part["Ball"]["underlit"] == 0.0
    rim = [f for f in found.findings if f.kind == "rim"]
    assert rim and all(f.part == "Foot" and f.words.startswith("Black on black at the Foot") for f in rim)
    foot = np.array([p for p in found.outline.points if parts[int(p[1]), int(p[0])] == 1])
    assert found.rim == pytest.approx(1 - len(foot) / len(found.outline.points), abs=0.03)
    x, y = rim[0].stroke[:, 0] * W, rim[0].stroke[:, 1] * H
    assert (parts[y.astype(int), x.astype(int)] == 1).all()
    assert np.linalg.norm(np.diff(rim[0].stroke * [W, H], axis=0), axis=1).max() < 13  # one line, in order


def test_an_edge_reads_by_colour_as_well_as_by_lightness():
    light, parts = picture(0.2, ball=0.2)
    grey = looked_at(light, parts)
    red = light.copy()
    red[parts == 0] = [0.42, 0.1, 0.07]
    assert looked_at(red, parts).rim > grey.rim + 0.3


def test_an_even_region_is_flat_and_a_slope_is_not():
    even = looked_at(*picture(0.02, ball=0.4))
    assert even.by_part["Ball"]["flat"] > 0.7 and even.by_part["Foot"]["flat"] < 0.05
    assert any(f.kind == "flat" and f.part == "Ball" for f in even.findings)
    assert FLAT > 0


def test_an_empty_picture_has_no_product_and_nothing_to_find():
    light, parts = picture()
    found = looked_at(light, np.full_like(parts, -2))
    assert (found.clipped, found.underlit, found.flat, found.rim, found.findings) == (0.0, 0.0, 0.0, 1.0, ())


def test_where_the_frame_cuts_the_product_there_is_no_edge():
    light, parts = picture(0.02)
    parts[:] = 0
    assert len(looked_at(light, parts).outline.points) == 0


def test_every_stop_has_a_false_tone_of_its_own():
    light = np.repeat((2.0 ** (np.array([*TONES, 2]) - 0.5))[None, :, None], 3, 2) * WHITE
    seen = false_tones(light, WHITE)[0]
    assert len({tuple(c) for c in seen.tolist()}) == len(TONES) + 1
    np.testing.assert_allclose(stops(light, WHITE)[0], np.array([*TONES, 2]) - 0.5, atol=1e-3)


def test_lightness_of_white_grey_and_black():
    tones = lab(np.array([[1.0, 1.0, 1.0], [0.184, 0.184, 0.184], [0.0, 0.0, 0.0]]) * WHITE, WHITE)
    np.testing.assert_allclose(tones[:, 0], [100, 50, 0], atol=0.2)
    np.testing.assert_allclose(tones[:, 1:], 0, atol=1.5)


def test_points_of_a_line_come_in_order():
    angle = np.linspace(0, 3, 80)
    line = np.stack([40 * np.cos(angle), 40 * np.sin(angle)], 1)
    got = in_order(np.random.default_rng(2).permutation(line))
    assert np.linalg.norm(np.diff(got, axis=0), axis=1).max() < 2.0
