"""What several commands share: how sizes and rules are told, and the bar of progress."""

import argparse
import sys
from typing import TYPE_CHECKING, TypeVar

from msgspec.structs import replace

from aulmo.document.records import RenderSettings
from aulmo.errors import BadValue

if TYPE_CHECKING:
    from aulmo.deliver.film import FilmProgress

Number = TypeVar("Number", int, float)


def frame_size(text: str) -> tuple[int, int]:
    """Pixels that are told as 1600x1200. Raises BadValue."""
    width, cross, height = text.lower().partition("x")
    if not cross or not width.isdigit() or not height.isdigit() or not (1 <= int(width) <= 32768 and 1 <= int(height) <= 32768):
        raise BadValue(f"“{text}” is not a frame size; write it as 1600x1200.")
    return int(width), int(height)


def bar(text: str, share: float, tail: str = "") -> None:
    """How far something is, on a terminal."""
    if sys.stderr.isatty():
        filled = int(share * 30)
        print(f"\r{text:<18} {'█' * filled}{'·' * (30 - filled)} {share:4.0%} {tail:<28}", end="", file=sys.stderr, flush=True)


def tell_film(p: "FilmProgress", picture: object = None) -> bool:
    """How far a film is, on a terminal."""
    left = "" if p.seconds_left == float("inf") else f"{p.seconds_left:.0f} s left"
    bar(f"Frame {p.number}", (p.done + p.share) / p.frames, f"{p.done} of {p.frames}  {left}")
    return True


def end_bar() -> None:
    """On to the next line."""
    if sys.stderr.isatty():
        print(file=sys.stderr)


def stopped_at(settings: RenderSettings, arguments: argparse.Namespace) -> RenderSettings:
    """Settings with the stopping rule of the command line, and what is not done to the light."""
    if arguments.samples is not None:
        settings = replace(settings, stop="samples", samples=at_least(arguments.samples, 1, "the number of samples"))
    if arguments.noise is not None:
        settings = replace(settings, stop="noise", noise_percent=at_least(arguments.noise, 0.01, "the noise in percent"))
    if arguments.unfinished:
        settings = replace(settings, finished=False)
    return replace(settings, denoise=False) if arguments.raw else settings


def quality(text: str) -> "int | str":
    """What `--quality` means: a use, or a number for JPEG and WebP."""
    from aulmo.deliver.qualities import USES

    if text in USES:
        return text
    if not text.isdigit():
        raise argparse.ArgumentTypeError(f"{text} is none of {', '.join(USES)}, and no number for JPEG and WebP")
    return int(text)


def at_least(value: Number, low: float, what: str) -> Number:
    """A number that makes sense. Raises BadValue."""
    if not (value == value and low <= value < 1e9):
        raise BadValue(f"{what[0].upper()}{what[1:]} has to be at least {low:g}.")
    return value
