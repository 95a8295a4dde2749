"""The shelf: believable starting materials. Colours are ours; metals follow measured constants, liquids real indices."""

import functools

from msgspec.structs import replace

from aulmo.document.edits import new_id
from aulmo.document.records import Material, Surface
from aulmo.errors import BadValue
from aulmo.surface.colour import from_hex, from_temperature
from aulmo.surface.grain import GRAIN
from aulmo.surface.metals import openpbr_colours

SHELVES = ("Metal", "Enamel & paint", "Plastic", "Glass & liquid", "Wood & stone", "Wax & cloth", "Glow")


def _metal(name: str, roughness: float, stretch: float = 0.0) -> Surface:
    base, edge = openpbr_colours(name)
    return Surface(base_color=base, specular_color=edge, base_metalness=1.0, specular_roughness=roughness, specular_roughness_anisotropy=stretch)


def _paint(colour: str, roughness: float = 0.35, coat: float = 0.0, coat_roughness: float = 0.03) -> Surface:
    return Surface(base_color=from_hex(colour), specular_roughness=roughness, coat_weight=coat, coat_roughness=coat_roughness, coat_ior=1.5)


def _plastic(colour: str, roughness: float, ior: float = 1.49) -> Surface:
    return Surface(base_color=from_hex(colour), specular_roughness=roughness, specular_ior=ior)


def _matt(colour: str, diffuse: float, roughness: float, weight: float = 0.6) -> Surface:
    return Surface(base_color=from_hex(colour), base_diffuse_roughness=diffuse, specular_roughness=roughness, specular_weight=weight)


GLASS_PRIORITY = 2  # glass is what is there where a liquid reaches into its wall


def _clear(ior: float, roughness: float = 0.0, tint: str = "#ffffff", depth_mm: float = 0.0, priority: int = GLASS_PRIORITY, **more) -> Surface:
    return Surface(
        base_color=from_hex("#ffffff"), transmission_weight=1.0, specular_ior=ior, specular_roughness=roughness,
        transmission_color=from_hex(tint), transmission_depth=depth_mm, nesting_priority=priority, **more,
    )  # fmt: skip


def _wax(colour: str, reach_mm: float, roughness: float, by_colour: tuple = (1.0, 0.5, 0.25), ior: float = 1.45, **more) -> Surface:
    return Surface(
        base_color=from_hex(colour), subsurface_weight=1.0, subsurface_color=from_hex(colour), subsurface_radius=reach_mm,
        subsurface_radius_scale=by_colour, specular_roughness=roughness, specular_ior=ior, **more,
    )  # fmt: skip


def _cloth(colour: str, fuzz: str, amount: float, roughness: float) -> Surface:
    return Surface(
        base_color=from_hex(colour), base_diffuse_roughness=0.8, specular_weight=0.1, specular_roughness=0.8,
        fuzz_weight=amount, fuzz_color=from_hex(fuzz), fuzz_roughness=roughness,
    )  # fmt: skip


def _glow(kelvin: float, nits: float, dark: str = "#c8c4bc") -> Surface:
    return Surface(base_color=from_hex(dark), specular_roughness=0.4, emission_color=from_temperature(kelvin), emission_luminance=nits)


@functools.cache
def shelf() -> tuple[tuple[str, str, Surface], ...]:
    """Every swatch as (shelf, name, surface), in the order shown."""
    metal, paint, plastic, glass, wood, soft, glow = SHELVES
    steel = _metal("Stainless steel", 0.2)
    return (
        (metal, "Polished brass", _metal("Brass", 0.12)),
        (metal, "Satin brass", _metal("Brass", 0.28)),
        (metal, "Turned brass", _metal("Brass", 0.25, 0.6)),
        (metal, "Copper", _metal("Copper", 0.2)),
        (metal, "Bronze", _metal("Bronze", 0.35)),
        (metal, "Gold leaf", _metal("Gold", 0.24)),
        (metal, "Silver", _metal("Silver", 0.14)),
        (metal, "Bright chrome", _metal("Chromium", 0.05)),
        (metal, "Nickel", _metal("Nickel", 0.18)),
        (metal, "Stainless wire", _metal("Stainless steel", 0.22)),
        (metal, "Brushed steel", _metal("Stainless steel", 0.34, 0.7)),
        (metal, "Cast aluminium", _metal("Aluminium", 0.45)),
        (metal, "Bead-blasted titanium", _metal("Titanium", 0.5)),
        (metal, "Heat-tinted steel", replace(steel, thin_film_weight=1.0, thin_film_thickness=0.055, thin_film_ior=2.4)),
        (metal, "Anodised violet", replace(_metal("Titanium", 0.3), thin_film_weight=1.0, thin_film_thickness=0.035, thin_film_ior=2.5)),
        (metal, "Raw iron", _metal("Iron", 0.55)),
        (metal, "Straw-tempered steel", _metal("Stainless steel", 0.24)),
        (metal, "Turned aluminium", _metal("Aluminium", 0.3, 0.4)),
        (metal, "Knurled nickel", _metal("Nickel", 0.22)),
        (metal, "Scuffed brass", _metal("Brass", 0.2)),
        (paint, "Rust enamel", _paint("#a32a1a", 0.35, 1.0, 0.02)),
        (paint, "Pine enamel", _paint("#2a6147", 0.35, 1.0, 0.02)),
        (paint, "Cream enamel", _paint("#ded3ba", 0.35, 1.0, 0.02)),
        (paint, "Tarn blue", _paint("#376c9c", 0.35, 1.0, 0.03)),
        (paint, "Ember", _paint("#d2621f", 0.35, 1.0, 0.03)),
        (paint, "Rosehip", _paint("#b52a45", 0.3, 1.0, 0.03)),
        (paint, "Soot lacquer", _paint("#141516", 0.3, 1.0, 0.015)),
        (paint, "Moss satin", _paint("#66783f", 0.42)),
        (paint, "Chalk paint", _matt("#e4e1d9", 0.6, 0.8, 0.4)),
        (paint, "Primer", _matt("#8b8b8a", 0.4, 0.6)),
        (paint, "Pearl lacquer", replace(_paint("#cfc8bd", 0.3), thin_film_weight=0.8, thin_film_thickness=0.38, thin_film_ior=1.9)),
        (paint, "Midnight flake", _paint("#16233f", 0.4, 1.0, 0.02)),
        (paint, "Silver flake", _paint("#8d9093", 0.4, 1.0, 0.03)),
        (paint, "Orange peel white", _paint("#dfddd6", 0.35, 1.0, 0.03)),
        (paint, "Worn ember", _paint("#c2561c", 0.38)),
        (plastic, "Gloss black plastic", _plastic("#131313", 0.08, 1.53)),
        (plastic, "Satin black plastic", _plastic("#171717", 0.38)),
        (plastic, "Matt grey plastic", _plastic("#6d6f70", 0.55)),
        (plastic, "Gloss white plastic", _plastic("#e6e5e1", 0.1)),
        (plastic, "Translucent plastic", _wax("#dfe3e2", 3.0, 0.3, (1.0, 0.9, 0.8), 1.49)),
        (plastic, "Bark plastic", _plastic("#4a3426", 0.4)),
        (plastic, "Black rubber", _matt("#1b1b1b", 0.5, 0.62, 0.7)),
        (plastic, "Warm grey rubber", _matt("#57524c", 0.5, 0.6, 0.7)),
        (plastic, "Grained dash plastic", _plastic("#2b2c2e", 0.5)),
        (plastic, "Dotted grip rubber", _matt("#202122", 0.5, 0.6, 0.7)),
        (glass, "Clear glass", _clear(1.517)),
        (glass, "Frosted glass", _clear(1.517, 0.38)),
        (glass, "Bottle green", _clear(1.52, 0.0, "#4e8f5c", 18.0)),
        (glass, "Amber glass", _clear(1.52, 0.0, "#c8741e", 16.0)),
        (glass, "Opal glass", _clear(1.5, 0.05, "#fefefc", 4.0, transmission_scatter=(2.5, 2.5, 2.5))),
        (glass, "Cut crystal", _clear(1.56, transmission_dispersion_scale=1.0, transmission_dispersion_abbe_number=44.0)),
        (glass, "Filmed glass", _clear(1.517, thin_film_weight=1.0, thin_film_thickness=0.32, thin_film_ior=1.38)),
        (glass, "Smoke acrylic", _clear(1.49, 0.0, "#6a6a6c", 14.0)),
        (glass, "Water", _clear(1.333, 0.0, "#a9d3d8", 900.0, 0)),
        (glass, "Lamp oil", _clear(1.44, 0.0, "#e8b24a", 25.0, 0)),
        (glass, "Sloe cordial", _clear(1.35, 0.0, "#7a1c4c", 18.0, 0)),
        (glass, "Milk", _clear(1.35, 0.0, "#fffefa", 1.2, 0, transmission_scatter=(4.0, 4.0, 4.0), transmission_scatter_anisotropy=0.5)),
        (wood, "Oiled ash", Surface(base_color=from_hex("#c8a06e"), base_diffuse_roughness=0.3, specular_roughness=0.42)),
        (wood, "Dark walnut", Surface(base_color=from_hex("#6f4b31"), base_diffuse_roughness=0.3, specular_roughness=0.38)),
        (wood, "Varnished beech", _paint("#c08c58", 0.4, 0.8, 0.08)),
        (wood, "Deck planks", Surface(base_color=from_hex("#a98a63"), base_diffuse_roughness=0.4, specular_roughness=0.55)),
        (wood, "Terrazzo", _matt("#cfcac0", 0.2, 0.3, 0.9)),
        (wood, "Glazed ceramic", _paint("#e9e6de", 0.4, 1.0, 0.01)),
        (wood, "Slate", _matt("#3b4046", 0.5, 0.55, 0.8)),
        (wood, "White paper", _matt("#efece4", 0.3, 0.85, 0.25)),
        (wood, "Kraft card", _matt("#af885d", 0.5, 0.8, 0.3)),
        (soft, "Candle wax", _wax("#efe4cc", 4.0, 0.4, (1.0, 0.85, 0.7))),
        (soft, "Beeswax", _wax("#d9a24a", 3.0, 0.42, (1.0, 0.8, 0.55))),
        (soft, "White marble", _wax("#e8e5df", 1.5, 0.15, (1.0, 0.9, 0.8), 1.5)),
        (soft, "Jade", _wax("#7fae86", 2.5, 0.12, (0.5, 1.0, 0.6), 1.6)),
        (soft, "Silicone", _wax("#b9c3c4", 2.0, 0.5, (1.0, 0.95, 0.9), 1.41)),
        (soft, "Saddle leather", Surface(base_color=from_hex("#7a4526"), base_diffuse_roughness=0.2, specular_roughness=0.42, specular_weight=0.8)),
        (soft, "Wool felt", _cloth("#5c5a58", "#b9b4ac", 0.7, 0.7)),
        (soft, "Velvet", _cloth("#3a0d18", "#b8465c", 1.0, 0.35)),
        (soft, "Canvas", _cloth("#a3967a", "#c8bea2", 0.25, 0.6)),
        (
            soft,
            "Linen shade",
            replace(_wax("#e9dcc0", 1.0, 0.8), geometry_thin_walled=True, specular_weight=0.2, subsurface_weight=0.8),
        ),
        (
            glow,
            "Wick flame",
            Surface(base_color=from_hex("#d8b080"), specular_weight=0.0, emission_color=from_hex("#ffb765"), emission_luminance=3200.0),
        ),
        (glow, "Warm lamp", _glow(2700.0, 6000.0)),
        (glow, "Day panel", _glow(5600.0, 3000.0)),
        (glow, "Status amber", Surface(base_color=from_hex("#3a2406"), emission_color=from_hex("#ff9a1e"), emission_luminance=1500.0)),
    )


def names() -> list[str]:
    """Every swatch's name."""
    return [name for _, name, _ in shelf()]


def material(name: str) -> Material:
    """A fresh material from a swatch. Raises BadValue for an unknown name."""
    for kind, swatch, surface in shelf():
        if swatch == name:
            nodes, wires = GRAIN.get(name, ((), {}))
            return Material(id=new_id(), name=name, kind=kind, surface=surface, nodes=nodes, wires=dict(wires))
    raise BadValue(f"There is no swatch named {name}.")
