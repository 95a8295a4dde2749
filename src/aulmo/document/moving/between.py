"""The value of a property between two others."""

import math
from typing import Any

from aulmo.document.property import Property
from aulmo.document.record_base import Triple


def blend(property_: Property, one: Any, other: Any, share: float) -> Any:
    """The value `share` of the way from one to another."""
    change = property_.change
    if share <= 0.0 or change == "step" and share < 1.0:
        return one
    if share >= 1.0:
        return other
    if change == "turns":
        return turn_between(one, other, share)
    if isinstance(one, tuple) != isinstance(other, tuple):
        one, other = (v if isinstance(v, tuple) else (v, v, v) for v in (one, other))
    if isinstance(one, tuple):
        return (one[0] + share * (other[0] - one[0]), one[1] + share * (other[1] - one[1]), one[2] + share * (other[2] - one[2]))
    if change == "stops" and one > 0 and other > 0:
        return one * (other / one) ** share
    if change == "shorter way":
        return one + share * ((other - one + 180.0) % 360.0 - 180.0)
    return one + share * (other - one)


def turn_between(one: Triple, other: Triple, share: float) -> Triple:
    """Degrees about x, y, z between two turns. About one axis, and for more than half a turn, whole turns count and the way is even; else it
    goes round one axis in space by the shorter way (Shoemake 1985, "Animating rotation with quaternion curves")."""
    apart = [abs(b - a) for a, b in zip(one, other)]
    if sum(d > 1e-9 for d in apart) < 2 or max(apart) > 180.0:
        return (one[0] + share * (other[0] - one[0]), one[1] + share * (other[1] - one[1]), one[2] + share * (other[2] - one[2]))
    p, q = _quaternion(one), _quaternion(other)
    cosine = sum(a * b for a, b in zip(p, q))
    if cosine < 0.0:
        q, cosine = tuple(-v for v in q), -cosine
    angle = math.acos(min(1.0, cosine))
    if angle < 1e-6:
        return other
    f, g = math.sin((1 - share) * angle) / math.sin(angle), math.sin(share * angle) / math.sin(angle)
    return _turn_of(tuple(f * a + g * b for a, b in zip(p, q)))


def _quaternion(turn: Triple) -> tuple[float, ...]:
    """(w, x, y, z) of a turn about x first, then y, then z."""
    a, b, c = (math.radians(v) / 2 for v in turn)
    ca, sa, cb, sb, cc, sc = math.cos(a), math.sin(a), math.cos(b), math.sin(b), math.cos(c), math.sin(c)
    return (
        ca * cb * cc + sa * sb * sc, sa * cb * cc - ca * sb * sc,
        ca * sb * cc + sa * cb * sc, ca * cb * sc - sa * sb * cc,
    )  # fmt: skip


def _turn_of(quaternion: tuple[float, ...]) -> Triple:
    w, x, y, z = quaternion
    sine = max(-1.0, min(1.0, 2 * (w * y - x * z)))
    if abs(sine) > 0.9999999:
        return (math.degrees(math.atan2(-2 * (y * z - w * x), 1 - 2 * (x * x + z * z))), math.degrees(math.asin(sine)), 0.0)
    return (
        math.degrees(math.atan2(2 * (w * x + y * z), 1 - 2 * (x * x + y * y))), math.degrees(math.asin(sine)),
        math.degrees(math.atan2(2 * (w * z + x * y), 1 - 2 * (y * y + z * z))),
    )  # fmt: skip


def unwound(values: list[Any]) -> list[Any]:
    """Turns in degrees without jumps of whole rounds: each as near to the one before as another name for it allows."""
    made = [values[0]]
    for x, y, z in values[1:]:
        best = None
        for named in ((x, y, z), (x + 180.0, 180.0 - y, z + 180.0)):
            near = tuple(v + 360.0 * round((p - v) / 360.0) for v, p in zip(named, made[-1]))
            if best is None or math.dist(near, made[-1]) < math.dist(best, made[-1]):
                best = near
        made.append(best)
    return made
