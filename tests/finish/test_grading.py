"""Grades: what is neutral changes no bit, each effect does what it says, and a small picture looks as the whole."""

import numpy as np
import pytest

from aulmo.document.finish_records import Grade, HueBand
from aulmo.errors import BadValue
from aulmo.finish import grading as g
from aulmo.frame.exposure import gains_of
from aulmo.trace.view import show


@pytest.fixture(scope="module")
def light() -> np.ndarray:
    """A picture of colours over six stops, an edge, a lamp over white, and black."""
    rng = np.random.default_rng(3)
    y, x = np.mgrid[0:90, 0:120].astype(np.float32)
    hue = np.stack([0.5 + 0.5 * np.sin(x / 19 + k) for k in (0, 2, 4)], -1)
    picture = (hue * (2.0 ** (y / 15 - 5))[..., None]).astype(np.float32)
    picture[:, 60:] *= 0.3
    picture[20:26, 90:96] = (9.0, 7.0, 5.0)
    picture[80:, :10] = 0
    return (picture * (1 + 0.02 * rng.standard_normal(picture.shape))).clip(0).astype(np.float32)


def test_a_neutral_grade_changes_no_bit(light):
    assert g.graded(light, Grade()) is light


def test_exposure_doubles_and_halves(light):
    np.testing.assert_array_equal(g.exposed(light, 1.0), light * 2)
    np.testing.assert_array_equal(g.exposed(light, -1.0), light * np.float32(0.5))


@pytest.mark.parametrize("kelvin, tint", [(3200.0, 0.0), (5200.0, 12.0), (9000.0, -8.0)])
def test_white_balance_sends_its_grey_to_grey(kelvin, tint):
    cast = (1 / gains_of(kelvin, tint)).astype(np.float32) * np.float32(0.2)
    grey = g.white_balanced(np.broadcast_to(cast, (4, 4, 3)), kelvin, tint)[0, 0]
    assert np.ptp(grey) / grey.mean() < 0.001 and grey.mean() == pytest.approx(0.2, rel=1e-3)


def test_contrast_turns_about_its_pivot_and_keeps_colours_ratios(light):
    made = g.contrasted(light, 0.5, 0.18)
    at = np.full((1, 1, 3), 0.18, np.float32)
    np.testing.assert_allclose(g.contrasted(at, 0.5, 0.18), at, rtol=1e-6)
    bright, dark = (np.full((1, 1, 3), v, np.float32) for v in (0.72, 0.045))
    assert g.contrasted(bright, 0.5, 0.18).mean() == pytest.approx(0.18 * 4**1.5, rel=1e-4)
    assert g.contrasted(dark, 0.5, 0.18).mean() == pytest.approx(0.18 * 4**-1.5, rel=1e-4)
    some = light.min(-1) > 1e-3
    np.testing.assert_allclose((made[some] / light[some]).max(-1), (made[some] / light[some]).min(-1), rtol=1e-4)


def test_tones_move_where_they_are_and_leave_no_halo():
    flat = lambda v: np.full((60, 80, 3), v, np.float32)  # noqa: E731
    assert g.toned(flat(0.02), 0, 0.5, 0, 0).mean() > 0.025 and g.toned(flat(0.5), 0, 0.5, 0, 0).mean() == pytest.approx(0.5, rel=1e-3)
    assert g.toned(flat(0.8), -0.5, 0, 0, 0).mean() < 0.65 and g.toned(flat(0.1), -0.5, 0, 0, 0).mean() == pytest.approx(0.1, rel=1e-3)
    assert g.toned(flat(2.0), 0, 0, 0.5, 0).mean() > 2.2 and g.toned(flat(0.4), 0, 0, 0.5, 0).mean() == pytest.approx(0.4, rel=1e-3)
    assert g.toned(flat(0.003), 0, 0, 0, -0.5).mean() < 0.0028 and g.toned(flat(0.1), 0, 0, 0, -0.5).mean() == pytest.approx(0.1, rel=1e-3)
    edge = np.full((60, 200, 3), 0.01, np.float32)
    edge[:, 100:] = 1.0
    made = g.luminance(g.toned(edge, 0, 1.0, 0, 0))[30]
    left = made[:100]
    assert left.max() / left.min() < 1.05  # next to the edge as far from it


def test_curves_go_through_their_points_and_beyond_white_as_they_came(light):
    points = ((0.25, 0.2), (0.75, 0.85))
    at = np.full((1, 1, 3), 0.75**2.4, np.float32)
    assert g.curved(at, points, (), (), ()).mean() == pytest.approx(0.85**2.4, rel=1e-4)
    only_red = g.curved(at, (), points, (), ())[0, 0]
    assert only_red[0] == pytest.approx(0.85**2.4, rel=1e-4) and only_red[1] == pytest.approx(0.75**2.4, rel=1e-4)
    ramp = np.repeat(np.linspace(0, 4, 200, dtype=np.float32)[None, :, None], 3, -1)
    assert (np.diff(g.curved(ramp, points, (), (), ())[0, :, 0]) > 0).all()
    np.testing.assert_allclose(g.curved(light, ((0.5, 0.5),), (), (), ()), light, rtol=2e-4, atol=1e-6)


def test_saturation_spares_what_is_strong_and_skin():
    grey = np.full((1, 1, 3), 0.3, np.float32)
    np.testing.assert_allclose(g.saturated(grey, 1.0, 0.5), grey, rtol=1e-5)
    colour = np.array([[[0.30, 0.28, 0.33]]], np.float32)
    strong = np.array([[[0.50, 0.05, 0.40]]], np.float32)
    skin = np.array([[[0.42, 0.33, 0.27]]], np.float32)
    gain = lambda c, spare: float(np.linalg.norm(g.saturated(c, 0.5, spare) - c) / np.linalg.norm(g.saturated(c, 0.5, 0.0) - c))  # noqa: E731
    assert gain(colour, 1.0) > 0.75 and gain(strong, 1.0) < 0.4 and gain(skin, 1.0) < 0.6
    assert np.ptp(g.saturated(strong, -1.0)) < 1e-6
    assert g.luminance(g.saturated(strong, 0.5, 0.3)) == pytest.approx(g.luminance(strong), rel=1e-5)


def test_only_the_hues_of_a_band_change():
    reds, blues = np.array([[[0.5, 0.08, 0.05]]], np.float32), np.array([[[0.05, 0.1, 0.5]]], np.float32)
    of = lambda c: float(np.degrees(np.arctan2(*g.to_oklab(c)[0, 0, [2, 1]])))  # noqa: E731
    band = (HueBand(hue=of(reds), width=60, turn=25.0, saturation=0.2),)
    np.testing.assert_array_equal(g.hue_shifted(blues, band), blues)
    made = g.hue_shifted(reds, band)
    assert of(made) == pytest.approx(of(reds) + 25, abs=0.2)
    assert g.to_oklab(made)[0, 0, 0] == pytest.approx(g.to_oklab(reds)[0, 0, 0], abs=1e-3)
    lab = g.to_oklab(reds)
    np.testing.assert_allclose(g.from_oklab(lab), reds, rtol=1e-3, atol=1e-5)
    grey = np.full((1, 1, 3), 0.3, np.float32)
    np.testing.assert_allclose(g.hue_shifted(grey, (HueBand(0, 360, 90.0, 1.0),)), grey, atol=1e-4)


def test_split_tones_tint_and_keep_brightness(light):
    made = g.split_toned(light, (0.8, 0.9, 1.2), (1.1, 1.0, 0.8))
    np.testing.assert_allclose(g.luminance(made), g.luminance(light), rtol=1e-3, atol=1e-5)
    dark, bright = (g.split_toned(np.full((1, 1, 3), v, np.float32), (0.8, 0.9, 1.2), (1.1, 1.0, 0.8))[0, 0] for v in (0.008, 2.0))
    assert dark[2] > dark[0] and bright[0] > bright[2]


def test_detail_sharpening_and_calm(light):
    rough = lambda p: float(np.abs(np.diff(np.log2(g.luminance(p)[5:75, 12:55] + 1e-3), axis=1)).mean())  # noqa: E731
    assert rough(g.detailed(light, 0.0, 1.0)) > 1.2 * rough(light)
    assert rough(g.sharpened(light, 1.0, 10.0)) > 1.2 * rough(light)
    noisy = (0.3 * (1 + 0.05 * np.random.default_rng(8).standard_normal((300, 900, 3)))).astype(np.float32)
    noisy[:, 450:] *= 4
    clean = g.calmed(noisy, 1.0)
    assert clean[:, 20:430].std() < 0.5 * noisy[:, 20:430].std()
    assert clean[:, 455:].mean() / clean[:, :445].mean() == pytest.approx(4, rel=0.01)
    step = np.log2(g.luminance(clean)).mean(0)
    assert step[453] - step[446] > 1.9  # the edge stays
    wide = g.detailed(light, 0.8, 0.0)
    assert np.isfinite(wide).all() and np.abs(g.luminance(wide).mean() / g.luminance(light).mean() - 1) < 0.3


def test_glow_makes_no_light_and_comes_from_what_is_over_white():
    dark = np.full((200, 300, 3), 0.2, np.float32)
    assert g.glowing(dark, 1.0, 0.0, 5.0) is dark
    lamp = dark.copy()
    lamp[98:102, 148:152] = 40.0
    made = g.glowing(lamp, 0.3, 0.0, 20.0)
    assert made.sum() == pytest.approx(lamp.sum(), rel=0.01)
    assert made[100, 160, 0] > made[100, 180, 0] > made[100, 200, 0] > 0.2 and made[100, 150, 0] < 40


def test_lens_and_film(light):
    flat = np.full((90, 120, 3), 0.4, np.float32)
    made = g.luminance(g.vignetted(flat, 1.0))
    assert made[45, 60] == pytest.approx(0.4, rel=0.01) and made[0, 0] == pytest.approx(0.2, rel=0.02)
    dots = np.zeros((101, 201, 3), np.float32)
    dots[50, 180] = 1.0
    shifted = g.fringed(dots, 50.0)
    at = [float((shifted[50, :, c] * np.arange(201)).sum() / shifted[50, :, c].sum()) for c in range(3)]
    assert at[0] > at[1] + 3 and at[2] < at[1] - 3 and at[1] == pytest.approx(180)
    bowed = g.bent(dots, 0.1)
    assert abs(int(np.argmax(bowed[50, :, 0])) - 180) > 2
    grain = g.grained(flat, 0.2, 0.1)
    assert grain.std() > 0.005 and grain.mean() == pytest.approx(0.4, rel=0.02)
    np.testing.assert_array_equal(grain, g.grained(flat, 0.2, 0.1))
    assert (g.grained(flat, 0.2, 0.1, seed=2) != grain).any()


def test_a_preview_of_a_third_looks_as_the_whole():
    rng = np.random.default_rng(5)
    y, x = np.mgrid[0:480, 0:720].astype(np.float32)
    whole = np.stack([0.3 + 0.25 * np.sin(x / 90 + k) * np.cos(y / 70) for k in range(3)], -1).astype(np.float32)
    whole[100:200, 300:420] = (6.0, 5.0, 4.0)
    whole *= (1 + 0.0 * rng.standard_normal(whole.shape)).astype(np.float32)
    small = whole.reshape(160, 3, 240, 3, 3).mean((1, 3))
    grade = Grade(
        exposure=0.3, kelvin=5200, contrast=0.2, highlights=-0.3, shadows=0.3, saturation=0.2, local_contrast=0.3, glow=0.1, vignette=0.5,
        curve=((0.5, 0.55),), shade=(0.9, 1.0, 1.1),
    )  # fmt: skip
    large = g.graded(whole, grade).reshape(160, 3, 240, 3, 3).mean((1, 3))
    codes = lambda p: show(np.ascontiguousarray(p, np.float32), 1.0, "Product neutral") * 255  # noqa: E731
    assert np.abs(codes(large) - codes(g.graded(small, grade))).mean() < 1.0


def test_a_table_is_read_used_and_refused_when_it_is_cut_short():
    n = 5
    steps = [i / (n - 1) for i in range(n)]
    rows = [f"{1 - r:.6f} {gr:.6f} {b:.6f}" for b in steps for gr in steps for r in steps]
    blob = ("TITLE x\n# made up\nLUT_3D_SIZE 5\n" + "\n".join(rows)).encode()
    table = g.read_cube(blob)
    display = np.random.default_rng(1).random((4, 6, 3)).astype(np.float32)
    made = g.looked_up(display, table)
    np.testing.assert_allclose(made[..., 0], 1 - display[..., 0], atol=1e-5)
    np.testing.assert_allclose(made[..., 1:], display[..., 1:], atol=1e-5)
    np.testing.assert_allclose(g.looked_up(display, table, 0.5)[..., 0], 0.5, atol=1e-5)
    for wrong, words in ((blob[:-30], "cut short"), (b"LUT_3D_SIZE 900\n", "no size"), (blob + b"\nnan nan nan", "no colour"), (b"hello", "hello")):
        with pytest.raises(BadValue, match=words):
            g.read_cube(wrong)
