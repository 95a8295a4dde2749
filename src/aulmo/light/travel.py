"""How light travels: presets for an open set, clear things and an enclosed room, told in what they change."""

from typing import Any

from msgspec.structs import replace

from aulmo.document.records import Document
from aulmo.errors import BadValue

WAYS: dict[str, dict[str, Any]] = {
    "An open set": {"bounces": 12, "diffuse_bounces": 5, "specular_bounces": 12, "clear_bounces": 12, "straight_glass": True, "clamp_stops": 5.0},
    "Clear things": {"bounces": 32, "diffuse_bounces": 5, "specular_bounces": 16, "clear_bounces": 32, "straight_glass": False, "clamp_stops": 4.0},
    "An enclosed room": {
        "bounces": 32, "diffuse_bounces": 16, "specular_bounces": 16, "clear_bounces": 16, "straight_glass": True, "clamp_stops": 3.0,
    },
}
_WHY = {
    "An open set": "Light goes off into the dark after a few bounces: quick.",
    "Clear things": "Light is bent in glass on its way to what lies behind, with the bright patterns that makes: slower, more noise.",
    "An enclosed room": "Light is followed from wall to wall, and what is rare and bright is held back.",
}


def which(document: Document) -> str:
    """The preset that a document's numbers are, or nothing."""
    return next((name for name, values in WAYS.items() if all(getattr(document.render, k) == v for k, v in values.items())), "")


def put(document: Document, name: str) -> Document:
    """The document with light that travels as a preset says. Raises BadValue for a name there is not."""
    if name not in WAYS:
        raise BadValue(f"There is no way for light to travel named {name}; there are {', '.join(WAYS)}.")
    return replace(document, render=replace(document.render, **WAYS[name]))


def told(document: Document) -> str:
    """What the present way means, in a sentence and its numbers."""
    render = document.render
    why = _WHY.get(which(document), "")
    glass = "glass passed straight" if render.straight_glass else "glass bends all light"
    kinds = f"{render.diffuse_bounces} matt, {render.specular_bounces} shiny, {render.clear_bounces} clear bounces"
    numbers = f"{kinds}, {render.bounces} in all; {glass}"
    held = f"; rare bright light is held {render.clamp_stops:g} stops over white" if render.clamp_stops > 0 else ""
    return f"{why} {numbers}{held}.".strip()
