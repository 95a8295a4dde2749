"""Keys of a property as something that has a value at any time."""

import math
from bisect import bisect_right
from typing import Any, Callable

import numpy as np

from aulmo.document.film_records import Key
from aulmo.document.moving.between import blend
from aulmo.document.moving.curves import Walk, between, walk
from aulmo.document.property import Property

SPRING_SWINGS, SPRING_FADE = 2.5, 4.5  # of a sprung way: how often it swings, how many e-foldings it has died away by its end


def sprung(share: float) -> float:
    """How far a spring that is let go has come at a share of its time: it swings over its goal and comes to rest on it (a damped oscillator)."""
    if share <= 0.0 or share >= 1.0:
        return min(1.0, max(0.0, share))
    swing = 2 * math.pi * SPRING_SWINGS * share
    left = math.exp(-SPRING_FADE * share) * (math.cos(swing) + SPRING_FADE / (2 * math.pi * SPRING_SWINGS) * math.sin(swing))
    return 1.0 - left * (1.0 - share)


def bent(share: float, bend: tuple[float, float, float, float]) -> float:
    """The height over a share of a cubic curve from (0, 0) to (1, 1) with two handles; their x lie within 0..1."""
    x1, y1, x2, y2 = min(1.0, max(0.0, bend[0])), bend[1], min(1.0, max(0.0, bend[2])), bend[3]
    low, high = 0.0, 1.0
    for _ in range(48):
        u = 0.5 * (low + high)
        x = 3 * (1 - u) ** 2 * u * x1 + 3 * (1 - u) * u * u * x2 + u**3
        low, high = (u, high) if x < share else (low, u)
    u = 0.5 * (low + high)
    return 3 * (1 - u) ** 2 * u * y1 + 3 * (1 - u) * u * u * y2 + u**3


def hermite(share: float, start: float, end: float) -> float:
    """From 0 to 1 with given slopes at both ends (cubic Hermite)."""
    return share * (start + share * (3 - 2 * start - end + share * (start + end - 2)))


def _harmonic(one: float, other: float, span_one: float, span_other: float) -> float:
    """The slope through a point between two spans that never overshoots: nothing at a turning point (Fritsch and Butland 1984)."""
    if one * other <= 0.0:
        return 0.0
    w1, w2 = 2 * span_other + span_one, span_other + 2 * span_one
    return (w1 + w2) / (w1 / one + w2 / other)


class Track:
    """The keys of one property, made ready to be asked at any time."""

    def __init__(self, address: str, keys: tuple[Key, ...], property_: Property) -> None:
        whole = property_.kind == "whole"
        self.address, self.steps, self.property = address, tuple(address.split("/")), property_
        self.keys = keys
        self.times = tuple(k.time for k in keys)
        self.values: tuple[Any, ...] = tuple(int(k.value) if whole and isinstance(k.value, float) else k.value for k in keys)
        self._plain = tuple(
            k.after == "even" and n.before == "even" and not k.rest and k.way == "straight" and k.via is None and not k.by_numbers
            for k, n in zip(keys, keys[1:])
        )
        self._walks: dict[int, Walk | None] = {}

    def at(self, time: float) -> Any:
        """The value at a time in seconds: of the first key before it, of the last one after."""
        k = bisect_right(self.times, time)
        if k == 0:
            return self.values[0]
        if k == len(self.times):
            return self.values[-1]
        start, end = self.times[k - 1], self.times[k]
        if self._plain[k - 1]:
            return blend(self.property, self.values[k - 1], self.values[k], (time - start) / (end - start))
        key = self.keys[k - 1]
        leaves = min(start + max(0.0, key.rest), end)
        if key.after == "held" or time <= leaves or self.property.change == "step":
            return self.values[k - 1]
        share = (time - leaves) / (end - leaves)
        if key.after == "sprung":
            share = sprung(share)
        elif key.after == "bent":
            share = bent(share, key.bend)
        elif "smooth" in (key.after, self.keys[k].before) and self._by_axes(k):
            return self._each(k - 1, share)
        else:
            share = hermite(share, self._slope(k - 1, k - 1, self.length), self._slope(k - 1, k, self.length))
        return self._between(k - 1, share)

    def _by_axes(self, k: int) -> bool:
        """Whether the value is several numbers that go each for itself."""
        return isinstance(self.values[k], tuple) and not self._is_place() and self.property.change != "turns"

    def _is_place(self) -> bool:
        return self.property.kind == "vector" and self.property.unit == "mm"

    def walk_of(self, k: int) -> Walk | None:
        """The way of a place from key `k` to the next; None where the value is no place or goes straight."""
        if k not in self._walks:
            self._walks[k] = self._made(k) if self._is_place() else None
        return self._walks[k]

    def _made(self, k: int) -> Walk | None:
        key = self.keys[k]
        if key.via is None and key.way == "straight":
            return None
        one, other = np.array(self.values[k]), np.array(self.values[k + 1])
        if np.abs(one - other).max() < 1e-9:
            return None
        if key.via is not None:
            middle = np.array(key.via)
            return walk(np.concatenate([between(None, one, middle, other)[:-1], between(one, middle, other, None)]))
        last = k + 2 >= len(self.keys)
        back = k > 0 and self.keys[k - 1].way == "arc" and self.values[k - 1] != self.values[k]
        onward = not last and self.keys[k + 1].way == "arc" and self.values[k + 2] != self.values[k + 1]
        before, after = np.array(self.values[k - 1]) if back else None, np.array(self.values[k + 2]) if onward else None
        return walk(between(before, one, other, after))

    def _between(self, k: int, share: float) -> Any:
        one, other = self.values[k], self.values[k + 1]
        way = self.walk_of(k)
        if way is not None:
            return tuple(float(v) for v in way.at(share))
        if self.keys[k].by_numbers or not 0.0 <= share <= 1.0:
            return _by_numbers(one, other, share) if not isinstance(one, (str, bool, type(None))) else one
        return blend(self.property, one, other, share)

    # slopes

    def span(self, k: int) -> float:
        """Seconds that the way from key `k` to the next takes, its rest left out."""
        return max(1e-9, self.times[k + 1] - min(self.times[k] + max(0.0, self.keys[k].rest), self.times[k + 1]))

    def length(self, k: int) -> float:
        """How far it is from key `k` to the next: a way's length, or a value's change."""
        way = self.walk_of(k)
        if way is not None:
            return way.length
        one, other = self.values[k], self.values[k + 1]
        if isinstance(one, tuple) and isinstance(other, tuple):
            return math.dist(one, other)
        return float(other) - float(one) if isinstance(one, (int, float)) and isinstance(other, (int, float)) else 0.0

    def _slope(self, k: int, at: int, change: Callable[[int], float]) -> float:
        """The slope, of share over share of time, with which the way from key `k` leaves it (`at` k) or comes to the next (`at` k + 1); `change`
        says by how much any of the ways changes the value."""
        how = self.keys[k].after if at == k else self.keys[at].before
        if how != "smooth":
            return 0.0 if how == "eased" else 1.0
        other = at if at > k else k - 1  # the way on the other side of the key
        speed = change(k) / self.span(k)
        if other < 0 or other + 1 >= len(self.keys) or speed == 0.0:
            return 1.0
        if self.keys[at].rest > 0 or self.keys[other].after == "held":
            return 0.0
        return min(3.0, _harmonic(speed, change(other) / self.span(other), self.span(k), self.span(other)) / speed)

    def _each(self, k: int, share: float) -> tuple[float, ...]:
        """Smoothly through several numbers, each for itself."""
        values = [v if isinstance(v, tuple) else (v, v, v) for v in self.values]
        found = []
        for axis in range(3):
            change = lambda j, axis=axis: values[j + 1][axis] - values[j][axis]  # noqa: E731
            found.append(values[k][axis] + change(k) * hermite(share, self._slope(k, k, change), self._slope(k, k + 1, change)))
        return tuple(found)

    def speed(self, time: float) -> float:
        """How fast the value changes, in its unit for each second."""
        step = 1e-4
        one, other = self.at(time - step / 2), self.at(time + step / 2)
        if isinstance(one, tuple):
            return math.dist(one, other) / step
        return (float(other) - float(one)) / step if isinstance(one, (int, float)) else 0.0


def _by_numbers(one: Any, other: Any, share: float) -> Any:
    if isinstance(one, tuple):
        return tuple(a + share * (b - a) for a, b in zip(one, other))
    return one + share * (other - one)


_made: list[tuple[dict, list[Track]]] = []  # the last few sets of keys, made ready once
_by_keys: dict[str, tuple[tuple[Key, ...], Track]] = {}


def tracks_of(keys: dict[str, tuple[Key, ...]]) -> list[Track]:
    """The tracks of all keys of a document; those whose keys are the very same as before are not made again."""
    for known, tracks in _made:
        if known is keys:
            return tracks
    tracks = [track(address, held) for address, held in keys.items() if held]
    _made.insert(0, (keys, tracks))
    del _made[8:]
    return tracks


def track(address: str, keys: tuple[Key, ...]) -> Track:
    """The keys of one property made ready."""
    from aulmo.document.addresses import about

    found = _by_keys.get(address)
    if found is None or found[0] is not keys:
        if len(_by_keys) > 20000:
            _by_keys.clear()
        found = _by_keys[address] = (keys, Track(address, keys, about(address)))
    return found[1]
