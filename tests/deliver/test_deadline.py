"""Done by a time: what is typed, and that the noise it says is what the time gives."""

import datetime
import math

import pytest
from msgspec.structs import replace

from aulmo.deliver import deadline
from aulmo.deliver.deadline import reached_by, time_of, with_noise
from aulmo.document.records import RenderSettings
from aulmo.errors import BadValue
from aulmo.trace.tracer import Prediction
from shapes import one_part, sphere_mesh

NOW = datetime.datetime(2026, 12, 1, 22, 0)


@pytest.mark.parametrize(("text", "when"), [
    ("7", (2, 7, 0)), ("7:30", (2, 7, 30)), ("tomorrow 23:00", (2, 23, 0)), ("23:15", (1, 23, 15)), ("in 9 h", (2, 7, 0)), ("in 90 min", (1, 23, 30)),
])  # fmt: skip
def test_times_to_be_done_by(text, when):
    day, hour, minute = when
    assert time_of(text, NOW) == datetime.datetime(2026, 12, day, hour, minute)


@pytest.mark.parametrize("text", ["soon", "25:00", "in 0 h", ""])
def test_nonsense_is_told(text):
    with pytest.raises(BadValue, match="no time to be done by"):
        time_of(text, NOW)


def test_the_noise_is_spread_over_frames_and_machines(monkeypatch):
    document, assets = one_part(sphere_mesh(20, 8))
    shot, settings = document.shots[0], RenderSettings()
    # every frame: 0.2 s a sample, 80 % noise after one sample
    monkeypatch.setattr(deadline, "predict", lambda d, a, s, size, own, builder: Prediction(64, 12.8, 0.1, 0.2))
    by, times = NOW + datetime.timedelta(hours=1), [k / 25 for k in range(100)]
    one = reached_by(document, assets, shot, (80, 60), settings, times, by, 1, now=NOW)
    three = reached_by(document, assets, shot, (80, 60), settings, times, by, 3, now=NOW)
    per_frame = (3600 * deadline.USED - 100 * deadline.OVERHEAD) / 100
    assert one.noise_percent == pytest.approx(100 * 0.8 / math.sqrt(per_frame / 0.2), rel=0.01)
    assert three.noise_percent < 0.6 * one.noise_percent and one.done <= by and three.done <= by
    assert "100 frames at" in one.words(100, 1, by) and "on 3 machines" in three.words(100, 3, by)
    late = reached_by(document, assets, shot, (80, 60), settings, times, NOW + datetime.timedelta(seconds=20), 1, now=NOW)
    assert "not by 22:00" in late.words(100, 1, NOW)
    with pytest.raises(BadValue, match="gone by"):
        reached_by(document, assets, shot, (80, 60), settings, times, NOW, 1, now=NOW)
    made = with_noise(settings, "film", 5.0)
    assert made.film.own and made.film.noise_percent == 5.0 and made.noise_percent == settings.noise_percent
    assert with_noise(replace(settings, stop="time"), "still", 3.0).stop == "noise"
