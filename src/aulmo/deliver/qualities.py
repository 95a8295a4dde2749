"""The quality that pictures are made in: stills as the settings say, films and previews smaller, noisier or quicker where they are told."""

from typing import Literal, get_args

from msgspec.structs import replace

from aulmo.document.records import Quality, RenderSettings
from aulmo.errors import BadValue

Use = Literal["still", "film", "preview"]
USES: tuple[str, ...] = get_args(Use)
SAID_BY = {"noise": "noise_percent", "samples": "samples", "time": "seconds"}  # the field that says how far, by the rule to stop by


def quality_of(settings: RenderSettings, use: str) -> Quality:
    """The size and the rule to stop by of a use. Raises BadValue for one there is not."""
    if use not in USES:
        raise BadValue(f"There is no quality called {use}; there are {', '.join(USES)}.")
    if use != "still" and getattr(settings, use).own:
        found: Quality = getattr(settings, use)
        return found
    return Quality(True, 100.0, settings.stop, settings.samples, settings.noise_percent, settings.seconds)


def settings_of(settings: RenderSettings, use: str) -> RenderSettings:
    """The settings that a picture of a use is made with. Raises BadValue."""
    found = quality_of(settings, use)
    return replace(settings, stop=found.stop, samples=found.samples, noise_percent=found.noise_percent, seconds=found.seconds)


def size_for(settings: RenderSettings, use: str, size: tuple[int, int]) -> tuple[int, int]:
    """The pixels of a picture of a use, of those of its shot; of films and previews even ones where they are made smaller or larger. Raises
    BadValue."""
    share = quality_of(settings, use).scale_percent / 100.0
    if share == 1.0:
        return size
    width, height = (max(1, round(s * share)) for s in size)
    return (width, height) if use == "still" else (max(2, 2 * round(width / 2)), max(2, 2 * round(height / 2)))
