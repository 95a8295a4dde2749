"""Times of a film as they are typed and told: seconds, frames, or timecode of hours, minutes, seconds and frames."""

import re

from aulmo.document.quantity import parse
from aulmo.errors import BadValue

_FRAMES = re.compile(r"^\s*([+-]?\d+)\s*(f|fr|frames?)\s*$", re.IGNORECASE)
_CODE = re.compile(r"^\s*(-?)(\d+(?::\d+){1,3})\s*$")


def time_of(text: str, rate: float, start: float = 0.0) -> float:
    """The time in seconds that a text means, by how it is typed: "2.5" or "2.5 s" seconds, "60 f" frames from the film's `start`, "2:12", "1:02:12"
    or "0:01:02:12" timecode from there, whose last number are frames of `rate` a second. Raises BadValue."""
    found = _FRAMES.match(text)
    if found:
        return start + int(found[1]) / rate
    found = _CODE.match(text)
    if found:
        *above, seconds, frames = (int(n) for n in found[2].split(":"))
        if frames >= rate:
            raise BadValue(f"“{text.strip()}”: there are {rate:g} frames to a second, so the last number goes up to {rate - 1:.0f}.")
        if above and (seconds > 59 or (len(above) > 1 and above[-1] > 59)):
            raise BadValue(f"“{text.strip()}”: minutes and seconds go up to 59.")
        whole = seconds + sum(n * 60 ** (k + 1) for k, n in enumerate(reversed(above)))
        return start + (-1 if found[1] else 1) * (whole + frames / rate)
    return parse(text, "s", -1e5, 1e5)


def timecode(time: float, rate: float, start: float = 0.0) -> str:
    """A time in seconds as hours (where there are any), minutes, seconds and frames."""
    frames = round((time - start) * rate)
    sign, frames = ("-", -frames) if frames < 0 else ("", frames)
    whole = max(1, round(rate))
    seconds, frames = divmod(frames, whole)
    minutes, seconds = divmod(seconds, 60)
    hours, minutes = divmod(minutes, 60)
    head = f"{hours}:{minutes:02d}" if hours else f"{minutes}"
    return f"{sign}{head}:{seconds:02d}:{frames:02d}"
