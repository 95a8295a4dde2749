"""How fast something goes on its way, as it is typed and told: 60 km/h, 1.5 m/s, 200 mm/s; and the length of a motion that follows from it."""

import re

import numpy as np
from msgspec.structs import replace

from aulmo.document.film_records import Motion
from aulmo.document.moving.curves import curve_of
from aulmo.document.quantity import parse, show
from aulmo.document.records import Document
from aulmo.errors import BadValue
from aulmo.motion.ready import put_motion

MM_PER_SECOND = {
    "km/h": 1e6 / 3600, "kmh": 1e6 / 3600, "m/s": 1000.0, "cm/s": 10.0, "mm/s": 1.0, "m/min": 1000 / 60, "mph": 447.04, "ft/s": 304.8, "in/s": 25.4,
}  # fmt: skip
_PACE = re.compile(r"^(.*?)\s*(" + "|".join(sorted(map(re.escape, MM_PER_SECOND), key=len, reverse=True)) + r")?\s*$", re.IGNORECASE)


def pace_of(text: str) -> float:
    """The pace in mm/s that a text means; without a unit mm/s. Raises BadValue."""
    found = _PACE.match(text.strip())
    number, unit = (found[1], (found[2] or "mm/s").lower()) if found else (text, "mm/s")
    try:
        value = parse(number, "") * MM_PER_SECOND[unit]
    except BadValue:
        raise BadValue(f"“{text.strip()}” is no pace: write it as 60 km/h, 1.5 m/s, 200 mm/s or 20 mph.") from None
    if not np.isfinite(value) or value <= 0:
        raise BadValue("A pace has to be above nothing.")
    return value


def pace_words(pace: float) -> str:
    """A pace in mm/s in the unit that is easily read."""
    if pace >= 8000:
        return f"{show(pace / MM_PER_SECOND['km/h'], '', 1)} km/h"
    return f"{show(pace / 1000, '', 2)} m/s" if pace >= 1000 else f"{show(pace, '', 1)} mm/s"


def way_of(document: Document, motion: Motion) -> float | None:
    """How many mm a motion goes each time; None for one that goes no way of its own."""
    if motion.kind in ("slide", "lift", "dolly"):
        way = abs(motion.distance_mm)
    elif motion.kind == "follow" and motion.leader is None and motion.path in document.paths:
        try:
            way = curve_of(document.paths[motion.path or ""]).length * abs(motion.to - motion.from_)
        except BadValue:
            return None
    else:
        return None
    return (2 * way if motion.back else way) or None


def with_pace(document: Document, motion: Motion, pace: float) -> Document:
    """The document with a motion as long as its way takes at a mean pace in mm/s. Raises BadValue for one that goes no way."""
    way = way_of(document, motion)
    if way is None:
        raise BadValue("This motion goes no way, so it has no pace.")
    return put_motion(document, replace(motion, length=round(way / pace * motion.repeats, 6)))
