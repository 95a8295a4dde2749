"""Measured lamps: LM-63 files of all three types, their flux, and nonsense that gets a sentence."""

import math

import numpy as np
import pytest
from hypothesis import given, settings, strategies as st

from aulmo.errors import BadFile
from aulmo.light.photometry import flux_of, read_ies, tint


def ies(kind: int, vertical, horizontal, table, factor=1.0, ballast=1.0, tilt="TILT=NONE") -> bytes:
    """A file in the form of 2002; table rows are horizontal planes."""
    head = f"IESNA:LM-63-2002\n[TEST] made up\n{tilt}\n1 -1 {factor} {len(vertical)} {len(horizontal)} {kind} 2 0 0 0\n{ballast} 1 40\n"
    lines = [" ".join(f"{v:g}" for v in row) for row in (vertical, horizontal, *table)]
    return (head + "\n".join(lines) + "\n").encode()


def test_an_even_ball_gives_four_pi_candela():
    profile = read_ies(ies(1, [0, 90, 180], [0], [[100, 100, 100]]), "a.ies")
    assert profile.flux == pytest.approx(400 * math.pi, rel=1e-5)
    assert profile.watts == 40 and profile.lumens < 0


def test_a_lambertian_downlight_gives_pi_candela():
    vertical = np.arange(0, 91, 2.5)
    profile = read_ies(ies(1, vertical, [0], [100 * np.cos(np.radians(vertical))]), "a.ies")
    assert profile.flux == pytest.approx(100 * math.pi, rel=1e-3)
    assert profile.candela[0, 0] == 100 and profile.candela[60, 17] == pytest.approx(50, abs=0.1)
    assert (profile.candela[91:] == 0).all()


def test_multiplier_and_ballast_count():
    plain = read_ies(ies(1, [0, 90], [0], [[10, 10]]), "a.ies")
    more = read_ies(ies(1, [0, 90], [0], [[10, 10]], factor=2.0, ballast=0.9), "a.ies")
    np.testing.assert_allclose(more.candela, 1.8 * plain.candela)


@pytest.mark.parametrize(
    "horizontal, expected",
    [
        ([0, 90], [1, 3, 1, 3]),  # four quadrants alike
        ([0, 90, 180], [1, 3, 5, 3]),  # two halves alike
        ([0, 90, 180, 270, 360], [1, 3, 5, 7]),  # all given
        ([0, 90, 180, 270], [1, 3, 5, 7]),  # all given but the closing one
    ],
)
def test_type_c_symmetries_are_unfolded(horizontal, expected):
    values = [1, 3, 5, 7, 1][: len(horizontal)]
    profile = read_ies(ies(1, [0, 90], horizontal, [[v, v] for v in values]), "a.ies")
    assert [profile.candela[45, h] for h in (0, 90, 180, 270)] == pytest.approx(expected)


def test_a_half_from_90_to_270_is_mirrored_in_its_own_plane():
    profile = read_ies(ies(1, [0, 90], [90, 180, 270], [[1, 1], [4, 4], [2, 2]]), "a.ies")
    assert [profile.candela[45, h] for h in (90, 180, 270, 0)] == pytest.approx([1, 4, 2, 4])


def test_type_b_points_along_its_axis_and_spreads_sideways():
    # a beam 60 degrees wide across and 10 high: horizontal angle about the vertical plane first
    profile = read_ies(ies(2, [-5, 0, 5], [-30, 0, 30], [[50, 50, 50], [100, 100, 100], [50, 50, 50]]), "b.ies")
    assert profile.candela[0, 0] == 100
    assert profile.candela[15, 0] == pytest.approx(75, rel=0.01)  # 15 degrees sideways
    assert profile.candela[15, 90] == 0  # 15 degrees upward is beyond the beam
    assert profile.candela[25, 180] == pytest.approx(100 - 50 * 25 / 30, rel=0.01)


def test_type_a_turns_about_the_other_axis():
    profile = read_ies(ies(3, [-30, 0, 30], [-5, 0, 5], [[50, 100, 50]] * 3), "a.ies")
    assert profile.candela[15, 90] == pytest.approx(75, rel=0.01)
    assert profile.candela[15, 0] == 0


def test_one_side_given_stands_for_both():
    profile = read_ies(ies(2, [0, 10], [0, 20], [[100, 50], [80, 40]]), "b.ies")
    assert profile.candela[10, 0] == pytest.approx(profile.candela[10, 180])
    assert profile.candela[5, 90] == pytest.approx(profile.candela[5, 270])


def test_a_tilt_table_is_stepped_over():
    blob = ies(1, [0, 90], [0], [[10, 10]], tilt="TILT=INCLUDE\n1\n3\n0 45 90\n1 0.9 0.8")
    assert read_ies(blob, "a.ies").candela[0, 0] == 10


@pytest.mark.parametrize(
    "blob, words",
    [
        (b"", "no TILT line"),
        (b"hello\nworld", "no TILT line"),
        (ies(1, [0, 90], [0], [[10, 10]])[:70], "breaks off"),
        (ies(1, [0, 90], [0], [[10]]), "breaks off"),
        (ies(7, [0, 90], [0], [[10, 10]]), "photometric type 7"),
        (ies(1, [90, 0], [0], [[10, 10]]), "do not grow"),
        (ies(1, [0, 90], [0], [[0, 0]]), "gives no light"),
        (ies(1, [0, 90], [0], [[-5, 10]]), "below zero"),
        (b"TILT=NONE\n1 x 1", "other than numbers"),
    ],
)
def test_bad_files_are_a_sentence(blob, words):
    with pytest.raises(BadFile, match=words):
        read_ies(blob, "bad.ies")


@given(st.binary(max_size=300), st.integers(0, 180))
@settings(max_examples=60, deadline=None)
def test_damaged_files_never_crash(noise, at):
    good = ies(1, [0, 45, 90], [0, 90], [[10, 8, 2], [9, 7, 1]])
    try:
        profile = read_ies(good[:at] + noise + good[at:], "a.ies")
    except BadFile as error:
        assert "\n" not in str(error)
    else:
        assert np.isfinite(profile.candela).all()


def test_flux_is_exact_for_a_linear_ramp():
    ramp = np.repeat(np.linspace(0, 180, 181)[:, None], 361, 1)
    # integral of theta sin(theta) over 0..pi is pi; in degrees 180
    assert flux_of(ramp) == pytest.approx(2 * math.pi * 180, rel=1e-6)


def test_daylight_of_6500_kelvin_is_white_and_lamps_are_warm():
    np.testing.assert_allclose(tint(6504.0, (1, 1, 1)), 1.0, atol=4e-3)
    warm, cold = tint(2700.0, (1, 1, 1)), tint(10000.0, (1, 1, 1))
    assert warm[0] > 1.3 and warm[2] < 0.5 and cold[0] < 1 < cold[2]
    steps = np.array([tint(k, (1, 1, 1)) for k in np.arange(3500, 5600, 20.0)])
    assert np.abs(np.diff(steps, axis=0)).max() < 0.02  # no jump where one curve hands over to the other
    np.testing.assert_allclose(steps @ np.array([0.2722287, 0.6740818, 0.0536895]), 1.0, atol=1e-6)
