"""What a plain colour of a file becomes: a surface that looks made of something, or the plain colour again."""

import colorsys
from typing import Iterable

import numpy as np
from msgspec.structs import replace

from aulmo.document.records import Document, Material, Surface, Triple
from aulmo.surface.colour import from_hex, from_srgb, to_hex

_HUES = (
    (0.04, "red"),
    (0.11, "orange"),
    (0.19, "yellow"),
    (0.45, "green"),
    (0.54, "teal"),
    (0.72, "blue"),
    (0.85, "violet"),
    (0.95, "pink"),
    (1.01, "red"),
)


def colour_word(colour: Triple) -> str:
    """The plain name of an ACEScg colour as it looks on a display."""
    hue, saturation, value = _hsv(colour)
    if value < 0.16:
        return "black"
    if saturation < 0.12:
        return "white" if value > 0.88 else "grey" if value > 0.25 else "black"
    if saturation < 0.3 and value > 0.8 and 0.05 < hue < 0.2:
        return "cream"
    word = next(name for end, name in _HUES if hue < end)
    return "brown" if word in ("orange", "red") and value < 0.62 and saturation < 0.8 else word


def _hsv(colour: Triple) -> tuple[float, float, float]:
    code = to_hex(colour)
    return colorsys.rgb_to_hsv(*(int(code[k : k + 2], 16) / 255 for k in (1, 3, 5)))


def is_metallic(colour: Triple) -> bool:
    """Whether a colour is one that CAD programs give to metal: a middling grey, neutral or a little blue, or gold."""
    hue, saturation, value = _hsv(colour)
    grey = saturation < 0.16 and 0.42 < value < 0.9 and (saturation < 0.06 or 0.5 < hue < 0.72)
    gold = 0.09 < hue < 0.155 and 0.28 < saturation < 0.8 and value > 0.58
    return grey or gold


def made_of(colour: Triple, opacity: float = 1.0) -> tuple[Surface, str, str]:
    """(surface, kind, name) for a plain ACEScg colour: satin plastic, metal for greys and golds, a clear plastic where it is see-through."""
    word = colour_word(colour)
    if opacity < 0.97:
        tint = np.clip(colour, 0.0, 1.0) ** (0.6 * max(0.05, opacity))  # the less see-through, the deeper
        surface = Surface(
            base_color=colour, transmission_weight=round(1.0 - opacity, 4), transmission_color=(float(tint[0]), float(tint[1]), float(tint[2])),
            specular_roughness=0.03, specular_ior=1.49,
        )  # fmt: skip
        return surface, "Glass", f"Clear {word} plastic" if word not in ("grey", "white") else "Clear plastic"
    if is_metallic(colour):
        gold = _hsv(colour)[1] > 0.2
        return Surface(base_color=colour, base_metalness=1.0, specular_roughness=0.28), "Metal", "Gold metal" if gold else "Grey metal"
    return Surface(base_color=colour, specular_roughness=0.35), "Plastic", f"Satin {word} plastic"


def plain(colour: Triple, opacity: float = 1.0) -> Surface:
    """Just the colour, and how far it is see-through."""
    return Surface(base_color=colour, base_diffuse_roughness=0.2, specular_roughness=0.5, geometry_opacity=round(opacity, 4))


def colour_of(surface: Surface) -> tuple[Triple, float]:
    """The colour and opacity that a surface was made from, if it was."""
    return surface.base_color, round((1.0 - surface.transmission_weight) * surface.geometry_opacity, 4)


def switched(document: Document, material_ids: Iterable[str], dressed: bool) -> Document:
    """The document with materials that are as the import left them made plain, or made of something again; changed ones stay."""
    materials = dict(document.materials)
    for material_id in material_ids:
        material = materials[material_id]
        colour, opacity = colour_of(material.surface)
        made, kind, _ = made_of(colour, opacity)
        if dressed and material.surface == plain(colour, opacity):
            materials[material_id] = replace(material, surface=made, kind=kind)
        elif not dressed and material.surface == made and not material.nodes:
            materials[material_id] = replace(material, surface=plain(colour, opacity), kind="Plastic")
    return replace(document, materials=materials)


def starting_material(material_id: str, linear_srgb, opacity: float, dressed: bool) -> Material:
    """The material for a colour of a file (linear sRGB), or for a part without one."""
    if linear_srgb is None:
        colour = from_hex("#b4b4b4")
        return Material(id=material_id, name="Plain grey", kind="Plastic", surface=Surface(base_color=colour, specular_roughness=0.4))
    red, green, blue = from_srgb(np.clip(np.nan_to_num(np.asarray(linear_srgb, float)), 0.0, 1.0))
    colour = (float(red), float(green), float(blue))
    surface, kind, name = made_of(colour, opacity)
    return (
        Material(id=material_id, name=name, kind=kind, surface=surface)
        if dressed
        else Material(id=material_id, name=f"Plain {colour_word(colour)}", surface=plain(colour, opacity))
    )
