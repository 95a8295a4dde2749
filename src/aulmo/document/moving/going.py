"""How far a motion has come at a time."""

import math

from aulmo.document.film_records import Motion
from aulmo.document.moving.tracks import hermite

ADDS_UP = ("spin", "turntable", "orbit")  # their repeats go on where the last one ended; all others begin anew


def ease(motion: Motion, share: float) -> float:
    """A share of the way for a share of the time: from and to a stop where it is eased."""
    if motion.before == "even" and motion.after == "even":
        return share
    return hermite(share, 0.0 if motion.before == "eased" else 1.0, 0.0 if motion.after == "eased" else 1.0)


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
    return rounds + share if motion.kind in ADDS_UP and not motion.back else share


def within(motion: Motion, time: float) -> bool:
    """Whether a motion is under way."""
    return motion.start <= time <= motion.start + motion.length
