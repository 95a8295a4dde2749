"""Random numbers, warps and quick trigonometry against published values."""

import numpy as np
import pytest
from scipy import stats
from scipy.stats import qmc

from aulmo.trace.compile.entry import entry
from aulmo.trace.compile.quick_math import arc_turns, sine_cosine
from aulmo.trace.path.sampling import (
    concentric_disc,
    cosine_hemisphere,
    draw_1d,
    draw_2d,
    draw_joint,
    frame_about,
    hash32,
    reverse_bits,
    sobol_second_lsb,
)


@entry
def _joint(count, seed, pair, to_u, to_v):
    draw_joint(np.arange(count).astype(np.uint32), np.full(count, seed, np.uint32), pair, count, to_u, to_v)


def joint(count: int, seed: int) -> np.ndarray:
    """(count, 4) points of one pixel's four-dimensional set."""
    found = np.zeros((4, count), np.uint32)
    for pair in (0, 1):
        _joint(count, seed, pair, found[2 * pair], found[2 * pair + 1])
    return found.T * 2.0**-32


def test_both_dimensions_are_sobols():
    reference = qmc.Sobol(2, scramble=False).random(64)
    first = sorted(int(reverse_bits(np.uint64(i))) * 2.0**-32 for i in range(64))
    second = sorted(int(reverse_bits(sobol_second_lsb(np.uint64(i)))) * 2.0**-32 for i in range(64))
    np.testing.assert_allclose(first, sorted(reference[:, 0]))
    np.testing.assert_allclose(second, sorted(reference[:, 1]))


@pytest.mark.parametrize("seed", [1, 77, 12345])
@pytest.mark.parametrize("cells", [(16, 16), (4, 64), (64, 4), (256, 1), (1, 256)])
def test_scrambled_points_fill_every_elementary_interval_once(seed, cells):
    points = np.array([draw_2d(i, np.uint64(seed)) for i in range(256)])
    counts, _, _ = np.histogram2d(points[:, 0], points[:, 1], bins=cells, range=((0, 1), (0, 1)))
    assert counts.min() == counts.max() == 1


@pytest.mark.parametrize("seed", [1, 77, 12345])
def test_all_four_dimensions_together_are_as_even_as_sobols(seed):
    """Owen's scrambling keeps how many points lie in each elementary box, in whatever order the boxes come."""
    reference = qmc.Sobol(4, scramble=False, bits=30).random(256)
    points = joint(256, seed)
    for cells in ((16, 16, 1, 1), (1, 1, 16, 16), (4, 4, 4, 4), (2, 2, 8, 8), (8, 1, 1, 32), (256, 1, 1, 1), (1, 1, 1, 256)):
        counts, wanted = (np.histogramdd(p, bins=cells, range=[(0, 1)] * 4)[0].ravel() for p in (points, reference))
        assert sorted(counts) == sorted(wanted), cells
    # and any quarter of them that comes first is even by itself
    assert set(np.histogram(points[:64, 3], bins=64, range=(0, 1))[0]) == {1}


def test_a_highlight_over_a_pixel_converges_faster_by_four_dimensions_than_by_two_and_two():
    def highlight(p):  # as bright as the place in the pixel and the way of the light agree
        return np.exp(-8 * ((p[:, 0] - p[:, 2]) ** 2 + (p[:, 1] - p[:, 3]) ** 2))

    together, apart = [], []
    for seed in range(40):
        together.append(highlight(joint(256, 977 * seed)).mean())
        halves = [np.array([draw_2d(i, np.uint64(977 * seed + k)) for i in range(256)]) for k in (50000, 50001)]
        apart.append(highlight(np.concatenate(halves, 1)).mean())
    assert np.var(together) < 0.5 * np.var(apart)
    assert np.mean(together) == pytest.approx(np.mean(apart), rel=0.01)


def test_pixels_do_not_share_their_points():
    a = np.array([draw_2d(i, np.uint64(3)) for i in range(64)])
    b = np.array([draw_2d(i, np.uint64(4)) for i in range(64)])
    assert abs(np.corrcoef(a[:, 0], b[:, 0])[0, 1]) < 0.35
    assert not np.allclose(a, b)


def test_hashed_numbers_are_uniform():
    values = [draw_1d(i, np.uint64(9)) for i in range(4000)]
    assert stats.kstest(values, "uniform").pvalue > 1e-3
    # the hash spreads neighbouring integers over all bits
    flips = [bin(int(hash32(np.uint64(k))) ^ int(hash32(np.uint64(k + 1)))).count("1") for k in range(500)]
    assert 14 < np.mean(flips) < 18


def test_the_disc_is_uniform_by_area():
    points = np.array([concentric_disc(*draw_2d(i, np.uint64(5))) for i in range(4096)])
    radius = np.hypot(points[:, 0], points[:, 1])
    assert radius.max() <= 1.0
    assert np.mean(radius < np.sqrt(0.5)) == pytest.approx(0.5, abs=0.01)
    assert np.abs(points.mean(0)).max() < 0.01


def test_the_hemisphere_follows_the_cosine():
    z = np.array([cosine_hemisphere(*draw_2d(i, np.uint64(5)))[2] for i in range(4096)])
    # for density cos/pi the mean of the cosine is 2/3 and of its square 1/2
    assert z.mean() == pytest.approx(2 / 3, abs=0.003)
    assert (z * z).mean() == pytest.approx(0.5, abs=0.003)


def test_frames_are_orthonormal_also_at_the_poles():
    rng = np.random.default_rng(1)
    normals = [*(v / np.linalg.norm(v) for v in rng.normal(size=(50, 3))), np.array([0, 0, 1.0]), np.array([0, 0, -1.0])]
    for n in normals:
        f = frame_about(*n)
        m = np.array([f[:3], f[3:], n])
        np.testing.assert_allclose(m @ m.T, np.eye(3), atol=1e-9)
        assert np.linalg.det(m) == pytest.approx(1.0)


def test_quick_trigonometry_is_exact_enough():
    turns = np.linspace(-1.99, 1.99, 1501)
    both = np.array([sine_cosine(t) for t in turns])
    np.testing.assert_allclose(both[:, 0], np.sin(2 * np.pi * turns), atol=2e-7)
    np.testing.assert_allclose(both[:, 1], np.cos(2 * np.pi * turns), atol=2e-7)
    angles = np.linspace(-3.14, 3.14, 1501)
    found = np.array([arc_turns(np.sin(t), np.cos(t)) for t in angles])
    np.testing.assert_allclose(found * 2 * np.pi, angles, atol=2e-7)
    assert arc_turns(0.0, 0.0) == 0.0
