"""The shelf: believable starting materials. Colours are ours; metals follow measured constants, liquids real indices."""

import functools

from msgspec.structs import replace

from aulmo.document.edits import new_id
from aulmo.document.records import Material, Surface
from aulmo.errors import BadValue
from aulmo.surface import more_swatches, swatch_kinds as kinds
from aulmo.surface.colour import from_hex
from aulmo.surface.grain import GRAIN, Grain

SHELVES = ("Metal", "Enamel & paint", "Plastic", "Glass & liquid", "Wood & stone", "Wax & cloth", "Glow")


@functools.cache
def shelf() -> tuple[tuple[str, str, Surface], ...]:
    """Every swatch as (shelf, name, surface), in the order shown."""
    metal, paint, plastic, glass, wood, soft, glow = SHELVES
    steel = kinds.metal("Stainless steel", 0.2)
    return (
        (metal, "Polished brass", kinds.metal("Brass", 0.12)),
        (metal, "Satin brass", kinds.metal("Brass", 0.28)),
        (metal, "Turned brass", kinds.metal("Brass", 0.25, 0.6)),
        (metal, "Copper", kinds.metal("Copper", 0.2)),
        (metal, "Bronze", kinds.metal("Bronze", 0.35)),
        (metal, "Gold leaf", kinds.metal("Gold", 0.24)),
        (metal, "Silver", kinds.metal("Silver", 0.14)),
        (metal, "Bright chrome", kinds.metal("Chromium", 0.05)),
        (metal, "Nickel", kinds.metal("Nickel", 0.18)),
        (metal, "Stainless wire", kinds.metal("Stainless steel", 0.22)),
        (metal, "Brushed steel", kinds.metal("Stainless steel", 0.34, 0.7)),
        (metal, "Cast aluminium", kinds.metal("Aluminium", 0.45)),
        (metal, "Bead-blasted titanium", kinds.metal("Titanium", 0.5)),
        (metal, "Heat-tinted steel", replace(steel, thin_film_weight=1.0, thin_film_thickness=0.055, thin_film_ior=2.4)),
        (metal, "Anodised violet", replace(kinds.metal("Titanium", 0.3), thin_film_weight=1.0, thin_film_thickness=0.035, thin_film_ior=2.5)),
        (metal, "Raw iron", kinds.metal("Iron", 0.55)),
        (metal, "Straw-tempered steel", kinds.metal("Stainless steel", 0.24)),
        (metal, "Turned aluminium", kinds.metal("Aluminium", 0.3, 0.4)),
        (metal, "Knurled nickel", kinds.metal("Nickel", 0.22)),
        (metal, "Scuffed brass", kinds.metal("Brass", 0.2)),
        (paint, "Rust enamel", kinds.paint("#a32a1a", 0.35, 1.0, 0.02)),
        (paint, "Pine enamel", kinds.paint("#2a6147", 0.35, 1.0, 0.02)),
        (paint, "Cream enamel", kinds.paint("#ded3ba", 0.35, 1.0, 0.02)),
        (paint, "Tarn blue", kinds.paint("#376c9c", 0.35, 1.0, 0.03)),
        (paint, "Ember", kinds.paint("#d2621f", 0.35, 1.0, 0.03)),
        (paint, "Rosehip", kinds.paint("#b52a45", 0.3, 1.0, 0.03)),
        (paint, "Soot lacquer", kinds.paint("#141516", 0.3, 1.0, 0.015)),
        (paint, "Moss satin", kinds.paint("#66783f", 0.42)),
        (paint, "Chalk paint", kinds.matt("#e4e1d9", 0.6, 0.8, 0.4)),
        (paint, "Primer", kinds.matt("#8b8b8a", 0.4, 0.6)),
        (paint, "Pearl lacquer", replace(kinds.paint("#cfc8bd", 0.3), thin_film_weight=0.8, thin_film_thickness=0.38, thin_film_ior=1.9)),
        (paint, "Midnight flake", kinds.paint("#16233f", 0.4, 1.0, 0.02)),
        (paint, "Silver flake", kinds.paint("#8d9093", 0.4, 1.0, 0.03)),
        (paint, "Orange peel white", kinds.paint("#dfddd6", 0.35, 1.0, 0.03)),
        (paint, "Worn ember", kinds.paint("#c2561c", 0.38)),
        (plastic, "Gloss black plastic", kinds.plastic("#131313", 0.08, 1.53)),
        (plastic, "Satin black plastic", kinds.plastic("#171717", 0.38)),
        (plastic, "Matt grey plastic", kinds.plastic("#6d6f70", 0.55)),
        (plastic, "Gloss white plastic", kinds.plastic("#e6e5e1", 0.1)),
        (plastic, "Translucent plastic", kinds.wax("#dfe3e2", 3.0, 0.3, (1.0, 0.9, 0.8), 1.49)),
        (plastic, "Bark plastic", kinds.plastic("#4a3426", 0.4)),
        (plastic, "Black rubber", kinds.matt("#1b1b1b", 0.5, 0.62, 0.7)),
        (plastic, "Warm grey rubber", kinds.matt("#57524c", 0.5, 0.6, 0.7)),
        (plastic, "Grained dash plastic", kinds.plastic("#2b2c2e", 0.5)),
        (plastic, "Dotted grip rubber", kinds.matt("#202122", 0.5, 0.6, 0.7)),
        (glass, "Clear glass", kinds.clear(1.517)),
        (glass, "Frosted glass", kinds.clear(1.517, 0.38)),
        (glass, "Bottle green", kinds.clear(1.52, 0.0, "#4e8f5c", 18.0)),
        (glass, "Amber glass", kinds.clear(1.52, 0.0, "#c8741e", 16.0)),
        (glass, "Opal glass", kinds.clear(1.5, 0.05, "#fefefc", 4.0, transmission_scatter=(2.5, 2.5, 2.5))),
        (glass, "Cut crystal", kinds.clear(1.56, transmission_dispersion_scale=1.0, transmission_dispersion_abbe_number=44.0)),
        (glass, "Filmed glass", kinds.clear(1.517, thin_film_weight=1.0, thin_film_thickness=0.32, thin_film_ior=1.38)),
        (glass, "Smoke acrylic", kinds.clear(1.49, 0.0, "#6a6a6c", 14.0)),
        (glass, "Water", kinds.clear(1.333, 0.0, "#a9d3d8", 900.0, 0)),
        (glass, "Lamp oil", kinds.clear(1.44, 0.0, "#e8b24a", 25.0, 0)),
        (glass, "Sloe cordial", kinds.clear(1.35, 0.0, "#7a1c4c", 18.0, 0)),
        (glass, "Milk", kinds.clear(1.35, 0.0, "#fffefa", 1.2, 0, transmission_scatter=(4.0, 4.0, 4.0), transmission_scatter_anisotropy=0.5)),
        (wood, "Oiled ash", Surface(base_color=from_hex("#c8a06e"), base_diffuse_roughness=0.3, specular_roughness=0.42)),
        (wood, "Dark walnut", Surface(base_color=from_hex("#6f4b31"), base_diffuse_roughness=0.3, specular_roughness=0.38)),
        (wood, "Varnished beech", kinds.paint("#c08c58", 0.4, 0.8, 0.08)),
        (wood, "Deck planks", Surface(base_color=from_hex("#a98a63"), base_diffuse_roughness=0.4, specular_roughness=0.55)),
        (wood, "Terrazzo", kinds.matt("#cfcac0", 0.2, 0.3, 0.9)),
        (wood, "Glazed ceramic", kinds.paint("#e9e6de", 0.4, 1.0, 0.01)),
        (wood, "Slate", kinds.matt("#3b4046", 0.5, 0.55, 0.8)),
        (wood, "White paper", kinds.matt("#efece4", 0.3, 0.85, 0.25)),
        (wood, "Kraft card", kinds.matt("#af885d", 0.5, 0.8, 0.3)),
        (soft, "Candle wax", kinds.wax("#efe4cc", 4.0, 0.4, (1.0, 0.85, 0.7))),
        (soft, "Beeswax", kinds.wax("#d9a24a", 3.0, 0.42, (1.0, 0.8, 0.55))),
        (soft, "White marble", kinds.wax("#e8e5df", 1.5, 0.15, (1.0, 0.9, 0.8), 1.5)),
        (soft, "Jade", kinds.wax("#7fae86", 2.5, 0.12, (0.5, 1.0, 0.6), 1.6)),
        (soft, "Silicone", kinds.wax("#b9c3c4", 2.0, 0.5, (1.0, 0.95, 0.9), 1.41)),
        (soft, "Saddle leather", Surface(base_color=from_hex("#7a4526"), base_diffuse_roughness=0.2, specular_roughness=0.42, specular_weight=0.8)),
        (soft, "Wool felt", kinds.cloth("#5c5a58", "#b9b4ac", 0.7, 0.7)),
        (soft, "Velvet", kinds.cloth("#3a0d18", "#b8465c", 1.0, 0.35)),
        (soft, "Canvas", kinds.cloth("#a3967a", "#c8bea2", 0.25, 0.6)),
        (
            soft,
            "Linen shade",
            replace(kinds.wax("#e9dcc0", 1.0, 0.8), geometry_thin_walled=True, specular_weight=0.2, subsurface_weight=0.8),
        ),
        (
            glow,
            "Wick flame",
            Surface(base_color=from_hex("#d8b080"), specular_weight=0.0, emission_color=from_hex("#ffb765"), emission_luminance=3200.0),
        ),
        (glow, "Warm lamp", kinds.glow(2700.0, 6000.0)),
        (glow, "Day panel", kinds.glow(5600.0, 3000.0)),
        (glow, "Status amber", Surface(base_color=from_hex("#3a2406"), emission_color=from_hex("#ff9a1e"), emission_luminance=1500.0)),
        *((SHELVES[shelf], name, surface) for shelf, name, surface, _, _ in more_swatches.swatches()),
    )


@functools.cache
def _more() -> dict[str, tuple[Grain, tuple[str, ...]]]:
    return {name: (grain, tags) for _, name, _, grain, tags in more_swatches.swatches()}


def grain_of(name: str) -> Grain:
    """The nodes of a swatch, and what they lead."""
    return GRAIN[name] if name in GRAIN else _more().get(name, (((), {}), ()))[0]


def tags_of(name: str) -> tuple[str, ...]:
    """Words by which a swatch is found, besides its name."""
    return _more().get(name, (((), {}), ()))[1]


def slug(name: str) -> str:
    """A name as files have it."""
    return name.lower().replace(",", "").replace(" ", "-")


def names() -> list[str]:
    """Every swatch's name."""
    return [name for _, name, _ in shelf()]


def material(name: str) -> Material:
    """A fresh material from a swatch. Raises BadValue for an unknown name."""
    for kind, swatch, surface in shelf():
        if swatch == name:
            nodes, wires = grain_of(name)
            return Material(id=new_id(), name=name, kind=kind, surface=surface, nodes=nodes, wires=dict(wires), tags=tags_of(name))
    raise BadValue(f"There is no swatch named {name}.")
