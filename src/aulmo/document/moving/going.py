"""How far a motion has come at a time."""

import math

from aulmo.document.film_records import Motion
from aulmo.document.moving.tracks import hermite

ROUND = ("spin", "turntable", "orbit")  # they go round: their repeats go on where the last one ended; all others begin anew
SHINES = ("fade", "glow")  # they change how something looks, and never where it is


def ease(motion: Motion, share: float) -> float:
    """A share of the way for a share of the time: from and to a stop where it is eased, or at the pace that it was driven."""
    if len(motion.pace) > 1:
        return _paced(motion.pace, share)
    if motion.before == "even" and motion.after == "even":
        return share
    return hermite(share, 0.0 if motion.before == "eased" else 1.0, 0.0 if motion.after == "eased" else 1.0)


def _paced(pace: tuple[float, ...], share: float) -> float:
    """Smoothly through shares at even times, never back where they only grow (Fritsch and Butland 1984)."""
    count = len(pace) - 1
    at = min(max(share, 0.0), 1.0) * count
    k = min(int(at), count - 1)
    change = [b - a for a, b in zip(pace, pace[1:])]

    def slope(j: int) -> float:
        if j == 0 or j == count:
            return change[0] if j == 0 else change[-1]
        one, other = change[j - 1], change[j]
        return 0.0 if one * other <= 0 else 2 * one * other / (one + other)

    u, a, b = at - k, slope(k), slope(k + 1)
    return pace[k] + u * (a + u * (3 * change[k] - 2 * a - b + u * (a + b - 2 * change[k])))


def going(motion: Motion, time: float) -> float | None:
    """How much of a motion is done, 0 to 1 (to its number of repeats where they add up); None where it does not hold at that time."""
    if time < motion.start and not motion.hold_before or time > motion.start + motion.length and not motion.hold_after:
        return None
    done = min(1.0, max(0.0, (time - motion.start) / max(motion.length, 1e-9))) * motion.repeats
    rounds = math.floor(done)
    if rounds > 0 and rounds == done and done >= motion.repeats:
        rounds -= 1  # the end of the last round is not the beginning of another
    within = done - rounds
    if motion.back:
        within = 1.0 - abs(1.0 - 2.0 * within)
    share = ease(motion, within)
    return rounds + share if motion.kind in ROUND and not motion.back else share


def degrees_at(motion: Motion, done: float) -> float:
    """How far a motion has turned something: there by its degrees, or of a swing out, through the middle, as far to the other side, and back."""
    return motion.degrees * (math.sin(2 * math.pi * done) if motion.kind == "swing" else done)


def reached(motion: Motion, done: float) -> float:
    """The value that a motion has reached on its way from one to another: a share of its path, an opacity, stops."""
    return motion.from_ + done * (motion.to - motion.from_)
