"""Done by a time: how clean the frames of a film, or a still, can become until then on the machines there are; measured, not guessed."""

import datetime
import math
import re
from typing import Callable, NamedTuple

from msgspec.structs import replace

from aulmo.document.assets import AssetStore
from aulmo.document.quantity import counted, duration, show
from aulmo.document.records import Document, RenderSettings, Shot
from aulmo.errors import BadValue
from aulmo.motion.recording import as_now
from aulmo.trace.scene import SceneBuilder
from aulmo.trace.tracer import predict

USED = 0.88  # of the time: frames differ, and files have to be written
LOOKED_AT = 3  # frames of a film that are measured
CLEANEST, NOISIEST = 0.1, 60.0  # percent
OVERHEAD = 1.5  # seconds of a frame besides its tracing
_IN = re.compile(r"^in\s+([\d.]+)\s*(h|hours?|min|minutes?)$", re.IGNORECASE)
_AT = re.compile(r"^(tomorrow\s+)?(\d{1,2})(?:[:.](\d{2}))?\s*(?:h|o.clock)?$", re.IGNORECASE)


class Deadline(NamedTuple):
    """What is reached: the noise to stop at in percent, the seconds that it takes, and when it is done."""

    noise_percent: float
    seconds: float
    done: datetime.datetime

    def words(self, frames: int, machines: int, wanted: datetime.datetime) -> str:
        """What it gives, in one sentence."""
        of = f"{counted(frames, 'frame')} " if frames > 1 else ""
        on = f" on {counted(machines, 'machine')}" if machines > 1 else ""
        late = "" if self.done <= wanted else f", and not by {wanted:%H:%M}: make it smaller, shorter, or let machines help"
        return f"{of}at {show(self.noise_percent, '%', 1)} noise{on}: about {duration(self.seconds)}, done at {self.done:%H:%M}{late}"


def time_of(text: str, now: datetime.datetime) -> datetime.datetime:
    """When is meant: "7", "7:00", "tomorrow 7:00", "in 9 h". Raises BadValue."""
    found = _IN.match(text.strip())
    if found:
        hours = float(found[1]) / (1 if found[2].lower().startswith("h") else 60)
        if 0 < hours < 24 * 60:
            return now + datetime.timedelta(hours=hours)
    found = _AT.match(text.strip())
    if found and int(found[2]) < 24 and int(found[3] or 0) < 60:
        at = now.replace(hour=int(found[2]), minute=int(found[3] or 0), second=0, microsecond=0)
        if found[1]:
            return at + datetime.timedelta(days=1)
        return at if at > now else at + datetime.timedelta(days=1)
    raise BadValue(f"“{text.strip()}” is no time to be done by; write 7:00, tomorrow 7:00, or in 9 h.")


def reached_by(
    document: Document, assets: AssetStore, shot: Shot, size: tuple[int, int], settings: RenderSettings, times: list[float],
    by: datetime.datetime, machines: int = 1, tell: Callable[[str, float], bool] = lambda words, share: True, now: datetime.datetime | None = None,
) -> Deadline | None:  # fmt: skip
    """How clean the frames at some times of the film become until a moment, spread evenly; None where `tell` stops it. Raises BadValue.

    A few of the frames are measured: noise falls with the square root of the samples, so n frames of s seconds a sample and of the noise q after one
    reach q sqrt(n s / t) in the time t of all machines together.
    """
    now = now or datetime.datetime.now()
    room = (by - now).total_seconds()
    if room <= 0:
        raise BadValue("That time has gone by.")
    builder = SceneBuilder(assets)
    chosen = [times[round(k * (len(times) - 1) / max(1, LOOKED_AT - 1))] for k in range(min(LOOKED_AT, len(times)))]
    fixed, work = replace(settings, stop="samples", samples=64), []
    for k, time in enumerate(dict.fromkeys(chosen)):
        if not tell(f"Measuring frame {k + 1}", k / len(chosen)):
            return None
        still = replace(as_now(document, time, {}), keys={}) if document.keys else document
        found = predict(still, assets, shot, size, fixed, builder)
        work.append(found.seconds_per_sample * (found.noise * math.sqrt(found.samples)) ** 2)
    whole = sum(work) / len(work) * len(times)
    usable = max(1.0, room * USED * machines - OVERHEAD * len(times))
    noise = min(NOISIEST, max(CLEANEST, 100 * math.sqrt(whole / usable)))
    seconds = (whole / (noise / 100) ** 2 + OVERHEAD * len(times)) / machines
    return Deadline(round(noise, 2), seconds, now + datetime.timedelta(seconds=seconds))


def with_noise(settings: RenderSettings, use: str, noise_percent: float) -> RenderSettings:
    """Settings in which pictures of a use stop at a noise."""
    if use == "still":
        return replace(settings, stop="noise", noise_percent=noise_percent)
    held = getattr(settings, use)
    scale = held.scale_percent if held.own else 100.0
    return replace(settings, **{use: replace(held, own=True, scale_percent=scale, stop="noise", noise_percent=noise_percent)})
