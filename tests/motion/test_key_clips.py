"""Keys carried about: copied within and between lanes, spaced, given one length; times as they are typed; paces."""

import pytest

from aulmo import script
from aulmo.document.records import Document, Part
from aulmo.errors import BadValue
from aulmo.motion.key_clips import clip_of, one_length, pasted, spaced
from aulmo.motion.pace import pace_of, pace_words, way_of, with_pace
from aulmo.motion.timecode import time_of, timecode

A, B = "parts/a/placement/position", "parts/b/placement/position"


def film() -> Document:
    """Two parts, of which the first has three keys."""
    document = Document(parts={"a": Part("a", "A"), "b": Part("b", "B")}, roots=("a", "b"))
    for time, x in ((0.0, 0.0), (0.4, 10.0), (2.0, 30.0)):
        document = script.add_key(document, A, time, (x, 0.0, 0.0))
    return document


def times(document, address):
    return [k.time for k in document.keys.get(address, ())]


def test_keys_are_pasted_at_another_time_and_into_another_things_lane():
    document = film()
    clip = clip_of(document, [(A, 0.4), (A, 2.0)])
    later, chosen = pasted(document, clip, 5.0)
    assert times(later, A) == [0.0, 0.4, 2.0, 5.0, 6.6] and chosen == [(A, 5.0), (A, 6.6)]
    other, _ = pasted(document, clip, 1.0, ["parts/b"])
    assert times(other, B) == [1.0, 2.6] and [k.value[0] for k in other.keys[B]] == [10.0, 30.0] and times(other, A) == [0.0, 0.4, 2.0]
    with pytest.raises(BadValue, match="no lane"):
        pasted(document, clip, 1.0, ["environment"])


def test_gaps_become_even_and_lanes_get_one_length():
    document = film()
    chosen = [(A, t) for t in times(document, A)]
    made, now = spaced(document, chosen)
    assert times(made, A) == [0.0, 1.0, 2.0] and [t for _, t in now] == [0.0, 1.0, 2.0]
    assert times(one_length(document, chosen, 4.0)[0], A) == [0.0, 0.8, 4.0]
    with pytest.raises(BadValue, match="three times"):
        spaced(document, chosen[:2])


@pytest.mark.parametrize(("text", "seconds"), [
    ("2.5", 2.5), ("2.5 s", 2.5), ("60 f", 2.4), ("60f", 2.4), ("2:12", 2.48), ("1:02:12", 62.48), ("0:01:02:12", 62.48), ("1/2 s", 0.5),
])  # fmt: skip
def test_times_are_what_they_are_typed_as(text, seconds):
    assert time_of(text, 25.0) == pytest.approx(seconds)


def test_timecode_comes_back_and_nonsense_is_told():
    for frames in (0, 24, 25, 1499, 1500, 90000):
        assert round(time_of(timecode(frames / 25, 25.0), 25.0) * 25) == frames
    with pytest.raises(BadValue, match="25 frames to a second"):
        time_of("0:25", 25.0)
    with pytest.raises(BadValue):
        time_of("soon", 25.0)


def test_sixty_kilometres_an_hour_is_a_pace():
    assert pace_of("60 km/h") == pytest.approx(16666.667, abs=1e-3) and pace_of("1.5 m/s") == 1500 and pace_of("200") == 200
    assert pace_words(pace_of("60 km/h")) == "60 km/h"
    document, motion = script.add_motion(film(), "b", "slide", distance=5000.0, axis="x", length=2.0)
    assert way_of(document, document.motions[motion]) == 5000
    assert with_pace(document, document.motions[motion], pace_of("60 km/h")).motions[motion].length == pytest.approx(0.3)
    with pytest.raises(BadValue, match="no pace"):
        pace_of("fast")
