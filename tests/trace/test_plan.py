"""How many samples a noise target asks for."""

import numpy as np
import pytest

from aulmo.document.records import RenderSettings, Surface
from aulmo.trace import plan
from aulmo.trace.compile import arrays as a
from aulmo.trace.tracer import render
from shapes import one_part, sphere_mesh

WHITE = 100.0


def film_of(deviation, mean=20.0, count=16):
    """A film of grey pixels with a given mean and standard deviation of a sample, (h, w) each."""
    deviation = np.asarray(deviation, float)
    film = np.zeros((*deviation.shape, a.PLANES), np.float32)
    mean = np.broadcast_to(mean, deviation.shape)
    film[..., a.PLANE_COUNT] = count
    film[..., a.PLANE_RGB : a.PLANE_RGB + 3] = (mean * count)[..., None]
    film[..., a.PLANE_SQUARE] = count * (mean**2 + deviation**2 * (count - 1) / count)
    return film


def test_the_variance_of_a_sample_is_told_against_the_brightness():
    found = plan.relative_variance(film_of(np.full((8, 8), 6.0)), WHITE)
    assert found == pytest.approx(36 / 25**2, rel=1e-4)
    bright = plan.relative_variance(film_of(np.full((8, 8), 6.0), 900.0), WHITE)
    assert bright == pytest.approx(36 / 405**2, rel=1e-2)  # four times white at most


def test_places_beside_noise_count_as_noisy_since_a_pilot_may_miss_some():
    deviation = np.zeros((90, 90))
    deviation[:, 60:] = 8.0
    found = plan.relative_variance(film_of(deviation), WHITE)
    assert found[45, 80] == pytest.approx(64 / 25**2, rel=1e-3)
    assert (found[:, 52:58] > 0.1 * found[45, 80]).all()
    assert found[:, :40].max() < 1e-9


def test_a_noise_target_asks_for_what_the_variance_needs():
    need = plan.samples_for(film_of(np.full((8, 8), 10.0)), WHITE, 0.05, 10_000)
    assert (need == np.ceil(1.1 * (10 / 25) ** 2 / 0.05**2)).all()
    assert (plan.samples_for(film_of(np.full((8, 8), 10.0)), WHITE, 1e-4, 500) == 500).all()
    assert (plan.samples_for(film_of(np.zeros((8, 8))), WHITE, 0.05, 500) == plan.FEWEST).all()


def test_a_render_to_a_noise_target_has_even_noise():
    document, assets = one_part(sphere_mesh(), Surface(base_metalness=1.0, specular_roughness=0.3), floor="plain")
    settings = RenderSettings(stop="noise", noise_percent=6.0, denoise=False, passes=("noise",))
    picture = render(document, assets, document.shots[0], (64, 48), settings)
    counts, noise = (picture.passes.planes[name][..., 0] for name in ("samples", "noise"))
    relative = noise / (np.minimum(picture.raw.mean(-1), 4 * picture.white) + plan.FLOOR * picture.white)
    assert counts.max() > 3 * counts.min()
    wanted = counts > plan.FEWEST
    assert np.quantile(relative[wanted], 0.9) < 0.09
    assert np.median(relative[wanted]) == pytest.approx(0.06, rel=0.35)
