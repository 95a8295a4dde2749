"""Swatches of whole families: rubbers, grounds and walls, papers, hides and fabrics, car paints, powder coats, plated and anodised metals, waters, what is
dusty, wet or worn. Colours are ours; refraction follows the list in `refraction`."""

import functools
from typing import NamedTuple

from msgspec.structs import replace

from aulmo.document.records import Surface
from aulmo.surface import grain as g, swatch_kinds as k
from aulmo.surface.colour import from_hex
from aulmo.surface.grain import Grain
from aulmo.surface.metals import openpbr_colours

METAL, PAINT, PLASTIC, CLEAR, GROUND, SOFT, GLOW = range(7)  # shelves, by their place in `swatches.SHELVES`
BARE: Grain = ((), {})


class Made(NamedTuple):
    """A swatch: the place of its shelf, its name, surface, grain, and words that it is found by."""

    shelf: int
    name: str
    surface: Surface
    grain: Grain = BARE
    tags: tuple[str, ...] = ()


def _tone(code: str, factor: float) -> tuple[float, float, float]:
    r, gr, b = from_hex(code)
    return (r * factor, gr * factor, b * factor)


def _film(surface: Surface, thick: float, ior: float, weight: float = 1.0) -> Surface:
    return replace(surface, thin_film_weight=weight, thin_film_thickness=thick, thin_film_ior=ior)


def _metals() -> list[Made]:
    steel, nickel, chrome, aluminium = ("Stainless steel", "Nickel", "Chromium", "Aluminium")
    dyed = replace(k.metal(aluminium, 0.3), specular_roughness=0.32)
    anodised = [
        Made(METAL, f"Anodised {name}", replace(dyed, base_color=from_hex(code), specular_color=(1.0, 1.0, 1.0)), g.rough(0.25, 0.004), ("anodised", "dyed"))
        for name, code in (("black", "#1c1d1f"), ("graphite", "#4b4e52"), ("champagne", "#cdb48c"), ("copper red", "#a8472f"), ("deep blue", "#274a86"), ("moss", "#5d6b38"), ("rose", "#c98f8a"))
    ]
    return [
        *anodised,
        Made(METAL, "Satin chrome", k.metal(chrome, 0.26), tags=("plated",)),
        Made(METAL, "Black chrome", replace(k.metal(chrome, 0.09), base_color=from_hex("#3b3d40")), tags=("plated",)),
        Made(METAL, "Nickel plate", k.metal(nickel, 0.08), tags=("plated",)),
        Made(METAL, "Brushed nickel", k.metal(nickel, 0.3, 0.65), g.lined("straight", 0.08, 0.22, 0.4, 0.004), ("plated",)),
        Made(METAL, "Yellow zinc plate", _film(k.metal(nickel, 0.22), 0.19, 1.9, 0.8), tags=("plated", "passivated", "screws")),
        Made(METAL, "Blue zinc plate", _film(k.metal(nickel, 0.2), 0.09, 1.7, 0.6), tags=("plated", "passivated", "screws")),
        Made(METAL, "Gold plate", k.metal("Gold", 0.1), tags=("plated", "contacts")),
        Made(METAL, "Rose gold plate", replace(k.metal("Copper", 0.12), base_color=from_hex("#e0aa93")), tags=("plated", "jewellery")),
        Made(METAL, "Tin plate", k.metal("Silver", 0.34), g.mottled(9.0, 0.9, 1.04), ("plated", "can")),
        Made(METAL, "Galvanised steel", replace(k.metal(steel, 0.45), base_color=from_hex("#a9adb0")), g.strewn(9.0, _tone("#9aa0a4", 1.0), _tone("#c3c7c9", 1.0), 0.01), ("zinc", "spangle")),
        Made(METAL, "Mill-finish aluminium", k.metal(aluminium, 0.34, 0.4), g.lined("straight", 0.15, 0.26, 0.44, 0.003), ("sheet",)),
        Made(METAL, "Sandblasted aluminium", k.metal(aluminium, 0.58), g.rough(0.35, 0.03), ("blasted",)),
        Made(METAL, "Polished aluminium", k.metal(aluminium, 0.1)),
        Made(METAL, "Mirror steel", k.metal(steel, 0.04)),
        Made(METAL, "Dull steel", k.metal(steel, 0.46), g.rough(0.6, 0.02)),
        Made(METAL, "Blued steel", _film(k.metal(steel, 0.22), 0.052, 2.35), tags=("heat", "spring", "clock")),
        Made(METAL, "Burnished steel", replace(k.metal(steel, 0.3), base_color=from_hex("#3a3b3e")), g.mottled(10.0, 0.8, 1.15), ("black oxide", "tool")),
        Made(METAL, "Cast iron", replace(k.metal("Iron", 0.6), base_color=from_hex("#5b5a59")), g.rough(1.4, 0.14), ("pan", "machine")),
        Made(METAL, "Hammered copper", k.metal("Copper", 0.22), g.rough(9.0, 0.7, 1.0), ("pan",)),
        Made(METAL, "Aged copper", k.metal("Copper", 0.34), g.rusted(openpbr_colours("Copper")[0], 0.25, 18.0), ("patina", "worn")),
        Made(METAL, "Aged brass", replace(k.metal("Brass", 0.32), base_color=from_hex("#8c7440")), g.mottled(7.0, 0.55, 1.15), ("patina", "worn", "antique")),
        Made(METAL, "Rusty steel", k.metal(steel, 0.4), g.rusted(from_hex("#9b9a98"), 0.5, 12.0), ("rust", "worn")),
        Made(METAL, "Rust all over", replace(k.matt("#8a4a22", 0.4, 0.85, 0.3)), g.rusted(from_hex("#6d6a68"), 1.0, 9.0), ("rust", "worn")),
        Made(METAL, "Scratched steel", k.metal(steel, 0.24), g.scuffed(0.2, 0.28), ("worn",)),
        Made(METAL, "Knurled steel", k.metal(steel, 0.26), g.knurled(1.2, 0.4), ("grip",)),
    ]


def _paints() -> list[Made]:
    car = [
        Made(PAINT, name, k.paint(code, 0.35, 1.0, 0.012), grain, ("car paint", "clear coat", *tags))
        for name, code, grain, tags in (
            ("Car paint, post red", "#b01217", BARE, ("solid",)), ("Car paint, chalk white", "#e8e6e0", BARE, ("solid",)), ("Car paint, tar black", "#0b0b0c", BARE, ("solid",)),
            ("Car paint, cornflower", "#3f64b5", BARE, ("solid",)), ("Car paint, mustard", "#d19a1c", BARE, ("solid",)),
            ("Car paint, pewter flake", "#5e6266", g.flaked(from_hex("#a9aeb2"), from_hex("#3c4044"), 0.7, 0.1), ("metallic",)),
            ("Car paint, lake flake", "#12345e", g.flaked(from_hex("#4b79b8"), from_hex("#081a33"), 0.6, 0.1), ("metallic",)),
            ("Car paint, garnet flake", "#6d0f18", g.flaked(from_hex("#c0404a"), from_hex("#3a060b"), 0.6, 0.1), ("metallic",)),
            ("Car paint, fir flake", "#12382a", g.flaked(from_hex("#4f8f6c"), from_hex("#071c14"), 0.6, 0.1), ("metallic",)),
        )
    ]  # fmt: skip
    pearl = [
        Made(PAINT, name, _film(k.paint(code, 0.3, 1.0, 0.012), thick, 1.9, 0.7), BARE, ("car paint", "pearl", "clear coat"))
        for name, code, thick in (("Pearl paint, ivory", "#ddd8cb", 0.36), ("Pearl paint, petrol", "#1d5561", 0.3), ("Pearl paint, plum", "#4d2748", 0.42))
    ]
    powder = [
        Made(PAINT, f"Powder coat, {name}", k.paint(code, rough), g.peeled(0.9, 0.02, "height"), ("powder coat", "fine texture"))
        for name, code, rough in (
            ("signal black", "#1d1e20", 0.5), ("traffic grey", "#7d8287", 0.46), ("pure white", "#e9e9e5", 0.4), ("rail red", "#8f2b22", 0.46), ("leaf", "#3f6b35", 0.46),
            ("night blue", "#1f3355", 0.46), ("sun", "#e3ae1c", 0.42), ("sand", "#c3b08b", 0.5), ("bronze brown", "#4a3a2c", 0.48), ("mint", "#9fc7b4", 0.44),
        )
    ]  # fmt: skip
    return [
        *car, *pearl, *powder,
        Made(PAINT, "Powder coat, coarse graphite", k.paint("#2e3033", 0.6), g.rough(0.8, 0.12), ("powder coat", "coarse", "wrinkle")),
        Made(PAINT, "Hammer paint", _film(k.paint("#6c7479", 0.3), 0.2, 1.5, 0.1), g.rough(3.2, 0.1, 1.0), ("machine",)),
        Made(PAINT, "Wall paint, off-white", k.matt("#dfdbd0", 0.5, 0.75, 0.35), g.peeled(1.6, 0.03, "height"), ("wall", "emulsion")),
        Made(PAINT, "Wall paint, clay", k.matt("#b48a6f", 0.5, 0.75, 0.35), g.peeled(1.6, 0.03, "height"), ("wall", "emulsion")),
        Made(PAINT, "Wall paint, storm", k.matt("#56626b", 0.5, 0.75, 0.35), g.peeled(1.6, 0.03, "height"), ("wall", "emulsion")),
        Made(PAINT, "Gloss enamel, white", k.paint("#ece9e1", 0.06), tags=("household",)),
        Made(PAINT, "Worn green paint", k.paint("#35583f", 0.42), g.worn(from_hex("#75706a"), 1.1, "#35583f"), ("worn", "chipped")),
        Made(PAINT, "Worn white paint", k.paint("#d9d6cd", 0.42), g.worn(from_hex("#8a6a48"), 1.1, "#d9d6cd"), ("worn", "chipped")),
        Made(PAINT, "Dusty black paint", k.paint("#161718", 0.3), g.dusted(from_hex("#9a9284"), from_hex("#161718"), 2.0, 0.9, 0.28), ("dust", "dirty")),
        Made(PAINT, "Wet red paint", k.paint("#8d1f18", 0.35, 1.0, 0.01), g.wetted(5.0, 2.6, 0.8), ("wet", "drops", "rain")),
    ]  # fmt: skip


def _plastics() -> list[Made]:
    coloured = [
        Made(PLASTIC, f"{finish} {name} plastic", k.plastic(code, rough, 1.5), grain, ("moulded",))
        for name, code in (("red", "#b3261e"), ("blue", "#2457a4"), ("yellow", "#e2b21f"), ("green", "#2f7d46"), ("grey", "#8d9092"))
        for finish, rough, grain in (("Gloss", 0.08, BARE), ("Eroded", 0.5, g.rough(0.3, 0.03)))
    ]
    return [
        *coloured,
        Made(PLASTIC, "Tyre rubber", k.matt("#1e1e1f", 0.6, 0.72, 0.5), g.mottled(2.4, 0.85, 1.15, 0.06), ("rubber", "wheel", "car")),
        Made(PLASTIC, "Dusty tyre rubber", k.matt("#1e1e1f", 0.6, 0.72, 0.5), g.dusted(from_hex("#6d6252"), from_hex("#1b1b1c"), 3.0, 0.95, 0.7), ("rubber", "dirty", "wheel")),
        Made(PLASTIC, "Red rubber", k.matt("#8e2b22", 0.5, 0.6, 0.7), g.rough(0.7, 0.04), ("seal",)),
        Made(PLASTIC, "White rubber", k.matt("#d8d5cc", 0.5, 0.6, 0.7), g.rough(0.7, 0.04), ("seal", "sole")),
        Made(PLASTIC, "Natural rubber", k.wax("#c9a066", 1.2, 0.5, (1.0, 0.7, 0.4), 1.52), tags=("rubber", "latex", "band")),
        Made(PLASTIC, "Ribbed grip rubber", k.matt("#232425", 0.5, 0.6, 0.7), g.ribbed(3.0, 0.7), ("handle",)),
        Made(PLASTIC, "Foam rubber", k.matt("#3a3a3b", 0.9, 0.95, 0.2), g.rough(1.0, 0.35, 2.0), ("foam", "seal", "sponge")),
        Made(PLASTIC, "Soft-touch black", replace(k.plastic("#1c1c1d", 0.62, 1.45), fuzz_weight=0.18, fuzz_color=(0.2, 0.2, 0.2), fuzz_roughness=0.6), tags=("soft touch", "lacquer")),
        Made(PLASTIC, "Glass-filled nylon", k.plastic("#2d2e30", 0.48, 1.53), g.mottled(1.2, 0.85, 1.2, 0.03, stretch=5.0), ("engineering",)),
        Made(PLASTIC, "Natural nylon", k.wax("#e4dfd0", 1.5, 0.36, (1.0, 0.9, 0.75), 1.53), tags=("engineering", "bearing")),
        Made(PLASTIC, "Printed layers", k.plastic("#c8c9ca", 0.4, 1.46), g.ribbed(0.22, 0.06), ("filament", "3d print")),
        Made(PLASTIC, "Woven carbon", k.paint("#141516", 0.3, 1.0, 0.015), g.woven(1.0, 2.0, 0.05, 0.35, 0.01), ("carbon", "fibre", "twill")),
        Made(PLASTIC, "Scratched black plastic", k.plastic("#161617", 0.2, 1.5), g.scuffed(0.14, 0.4), ("worn",)),
        Made(PLASTIC, "Yellowed plastic", k.plastic("#cdbf96", 0.34, 1.5), g.mottled(40.0, 0.92, 1.05), ("aged", "computer")),
        Made(PLASTIC, "Shrink film", replace(k.clear(1.5, 0.08), geometry_thin_walled=True), g.rough(14.0, 0.5, 2.0), ("foil", "wrap", "packaging")),
    ]  # fmt: skip


def _clears() -> list[Made]:
    return [
        Made(CLEAR, "Acrylic", k.clear(1.491), tags=("plexi", "display")),
        Made(CLEAR, "Polycarbonate", k.clear(1.586, 0.02), tags=("lens", "visor")),
        Made(CLEAR, "Satin acrylic", k.clear(1.491, 0.45), tags=("frosted", "display")),
        Made(CLEAR, "Red tail-light", k.clear(1.49, 0.0, "#b0120e", 14.0), g.ribbed(2.4, 0.4), ("car", "lamp", "lens")),
        Made(CLEAR, "Cobalt glass", k.clear(1.52, 0.0, "#3d63c4", 26.0), tags=("blue", "bottle")),
        Made(CLEAR, "Ruby glass", k.clear(1.53, 0.0, "#b3203a", 26.0), tags=("red",)),
        Made(CLEAR, "Smoked glass", k.clear(1.52, 0.0, "#6f6a66", 34.0), tags=("grey", "door")),
        Made(CLEAR, "Lightly green pane", k.clear(1.52, 0.0, "#cfe6d8", 20.0), tags=("window", "float")),
        Made(CLEAR, "Reeded glass", k.clear(1.52), g.ribbed(6.0, 0.8, "x"), ("door", "cabinet")),
        Made(CLEAR, "Cast glass", k.clear(1.52, 0.02), g.rough(12.0, 0.5, 2.0), ("wavy",)),
        Made(CLEAR, "Wet glass", replace(k.clear(1.52), coat_weight=1.0, coat_ior=1.333), g.wetted(6.0, 3.0, 0.9), ("rain", "drops", "cold")),
        Made(CLEAR, "Sapphire", k.clear(1.77, 0.0), tags=("watch", "crystal")),
        Made(CLEAR, "Diamond", replace(k.clear(2.417), transmission_dispersion_scale=1.0, transmission_dispersion_abbe_number=55.3), tags=("gem", "jewellery")),
        Made(CLEAR, "Sea water", k.clear(1.339, 0.0, "#7fb8b0", 600.0, 0), g.rippled(160.0, 22.0, 5.0), ("waves", "water")),
        Made(CLEAR, "Still pond", k.clear(1.333, 0.0, "#73845a", 260.0, 0), g.rippled(220.0, 3.0), ("water", "pond")),
        Made(CLEAR, "Pool water", k.clear(1.333, 0.0, "#9fdbe8", 1400.0, 0), g.rippled(120.0, 12.0), ("water", "pool")),
        Made(CLEAR, "Muddy water", k.clear(1.334, 0.0, "#8a6a45", 40.0, 0, transmission_scatter=(0.6, 0.5, 0.4)), g.rippled(150.0, 5.0), ("water", "puddle")),
        Made(CLEAR, "Ice", k.clear(1.31, 0.06, "#dcecf2", 90.0), g.rough(7.0, 0.25), ("frozen", "cube")),
        Made(CLEAR, "Olive oil", k.clear(1.467, 0.0, "#c9b42a", 30.0, 0), tags=("food", "liquid")),
        Made(CLEAR, "Honey", k.clear(1.49, 0.0, "#d88a14", 18.0, 0, transmission_scatter=(0.2, 0.2, 0.2)), tags=("food", "liquid")),
        Made(CLEAR, "Black coffee", k.clear(1.34, 0.0, "#6b3416", 16.0, 0), tags=("food", "drink", "liquid")),
        Made(CLEAR, "Tea", k.clear(1.333, 0.0, "#c0651e", 40.0, 0), tags=("food", "drink", "liquid")),
        Made(CLEAR, "Lager", k.clear(1.343, 0.0, "#dca132", 60.0, 0), tags=("food", "drink", "beer", "liquid")),
        Made(CLEAR, "Red wine", k.clear(1.345, 0.0, "#7a1028", 24.0, 0), tags=("food", "drink", "liquid")),
    ]  # fmt: skip


def _grounds() -> list[Made]:
    return [
        Made(GROUND, "Asphalt", k.matt("#3c3c3c", 0.5, 0.8, 0.5), g.strewn(7.0, (0.03, 0.03, 0.032), (0.11, 0.105, 0.1), 1.2), ("road", "street", "ground")),
        Made(GROUND, "Worn asphalt", k.matt("#6b6a68", 0.5, 0.85, 0.4), g.strewn(9.0, (0.09, 0.09, 0.09), (0.26, 0.25, 0.24), 1.4), ("road", "street", "ground")),
        Made(GROUND, "Wet asphalt", replace(k.matt("#3c3c3c", 0.4, 0.5, 0.6), coat_weight=0.9, coat_roughness=0.08, coat_ior=1.333), g.strewn(7.0, (0.02, 0.02, 0.021), (0.07, 0.067, 0.063), 1.0), ("road", "rain", "wet")),
        Made(GROUND, "Gravel", k.matt("#8d867b", 0.6, 0.85, 0.4), g.strewn(22.0, (0.16, 0.145, 0.13), (0.45, 0.42, 0.38), 8.0, 0.56), ("path", "stones", "ground")),
        Made(GROUND, "Smooth concrete", k.matt("#9a9994", 0.5, 0.7, 0.5), g.mottled(60.0, 0.82, 1.12, 0.02, 7.0), ("floor", "wall", "cement")),
        Made(GROUND, "Board-marked concrete", k.matt("#8d8c88", 0.6, 0.8, 0.4), g.mottled(20.0, 0.75, 1.15, 0.5, 6.0, stretch=8.0), ("wall", "cement")),
        Made(GROUND, "Polished concrete", replace(k.matt("#8f8e8a", 0.3, 0.3, 0.7), coat_weight=0.4, coat_roughness=0.12), g.mottled(70.0, 0.8, 1.15, 0.0, 7.0), ("floor", "cement")),
        Made(GROUND, "Rough plaster", k.matt("#d7d1c4", 0.7, 0.9, 0.25), g.rough(4.0, 0.9, 4.0), ("wall", "render")),
        Made(GROUND, "Smooth plaster", k.matt("#e2ded4", 0.6, 0.85, 0.3), g.mottled(50.0, 0.96, 1.03, 0.06), ("wall",)),
        Made(GROUND, "Lime plaster, ochre", k.matt("#c79a5a", 0.7, 0.9, 0.25), g.mottled(45.0, 0.82, 1.12, 0.15, 6.0), ("wall", "facade")),
        Made(GROUND, "Red brick wall", k.matt("#8b4634", 0.6, 0.85, 0.35), g.bricked(210.0, 65.0, 10.0, (0.42, 0.40, 0.37), ((0.20, 0.075, 0.05), (0.36, 0.14, 0.09)), 3.0), ("brick", "wall")),
        Made(GROUND, "White brick wall", k.matt("#d5d1c8", 0.6, 0.8, 0.35), g.bricked(210.0, 65.0, 10.0, (0.60, 0.58, 0.54), ((0.60, 0.58, 0.55), (0.74, 0.72, 0.68)), 3.0), ("brick", "wall", "painted")),
        Made(GROUND, "Dark brick wall", k.matt("#4a4040", 0.6, 0.8, 0.35), g.bricked(210.0, 65.0, 10.0, (0.25, 0.24, 0.23), ((0.05, 0.043, 0.042), (0.11, 0.09, 0.085)), 3.0), ("brick", "wall", "clinker")),
        Made(GROUND, "White tiles", k.paint("#e8e7e2", 0.3, 1.0, 0.02), g.bricked(150.0, 150.0, 3.0, (0.50, 0.49, 0.47), ((0.78, 0.78, 0.76), (0.80, 0.80, 0.78)), 1.0, 0.0), ("tiles", "bath", "kitchen")),
        Made(GROUND, "Metro tiles", k.paint("#e4e3dc", 0.3, 1.0, 0.02), g.bricked(200.0, 100.0, 3.0, (0.36, 0.35, 0.34), ((0.74, 0.74, 0.71), (0.79, 0.78, 0.75)), 1.4), ("tiles", "kitchen")),
        Made(GROUND, "Sea green tiles", k.paint("#3f7d75", 0.3, 1.0, 0.02), g.bricked(100.0, 100.0, 3.0, (0.40, 0.40, 0.38), ((0.035, 0.17, 0.15), (0.06, 0.25, 0.22)), 1.2, 0.0), ("tiles", "bath")),
        Made(GROUND, "Terracotta tiles", k.matt("#a85f3f", 0.5, 0.6, 0.5), g.bricked(240.0, 240.0, 6.0, (0.40, 0.37, 0.33), ((0.30, 0.115, 0.06), (0.46, 0.20, 0.11)), 1.5, 0.0), ("tiles", "floor", "clay")),
        Made(GROUND, "Cobblestones", k.matt("#6c6a67", 0.5, 0.7, 0.5), g.bricked(100.0, 90.0, 12.0, (0.09, 0.085, 0.075), ((0.13, 0.13, 0.13), (0.28, 0.275, 0.27)), 9.0), ("street", "paving", "ground")),
        Made(GROUND, "Granite", replace(k.matt("#9d9a97", 0.2, 0.16, 0.9)), g.strewn(2.6, (0.10, 0.10, 0.105), (0.62, 0.58, 0.55), 0.0), ("stone", "worktop")),
        Made(GROUND, "Black granite", k.matt("#1d1d1f", 0.2, 0.1, 0.9), g.strewn(2.0, (0.008, 0.008, 0.009), (0.05, 0.05, 0.052), 0.0), ("stone", "worktop")),
        Made(GROUND, "Sandstone", k.matt("#c2a275", 0.6, 0.9, 0.25), g.mottled(30.0, 0.8, 1.15, 0.15, 6.0, stretch=6.0), ("stone", "facade")),
        Made(GROUND, "Travertine", k.matt("#cdbb9c", 0.4, 0.5, 0.5), g.mottled(24.0, 0.78, 1.1, 0.3, 6.0, stretch=9.0), ("stone", "floor")),
        Made(GROUND, "Sand", k.matt("#c9b083", 0.8, 0.95, 0.2), g.rough(0.8, 0.25, 5.0), ("beach", "desert", "ground")),
        Made(GROUND, "Wet sand", replace(k.matt("#7d6a4a", 0.5, 0.5, 0.6), coat_weight=0.5, coat_roughness=0.2, coat_ior=1.333), g.rough(0.8, 0.12, 5.0), ("beach", "ground", "wet")),
        Made(GROUND, "Dark earth", k.matt("#3e2f22", 0.9, 0.95, 0.2), g.strewn(6.0, (0.02, 0.013, 0.008), (0.075, 0.052, 0.034), 3.0, 0.56), ("soil", "garden", "ground")),
        Made(GROUND, "Snow", replace(k.wax("#f2f4f6", 6.0, 0.7, (0.9, 0.95, 1.0), 1.31)), g.rough(3.0, 0.8, 5.0), ("winter", "ground")),
        Made(GROUND, "Old oak", Surface(base_color=from_hex("#8c6b47"), base_diffuse_roughness=0.4, specular_roughness=0.5), g.wood(3.0, (0.55, 0.42, 0.30), 0.9, 1.3, 0.08), ("wood",)),
        Made(GROUND, "Pale maple", Surface(base_color=from_hex("#dcc19a"), base_diffuse_roughness=0.3, specular_roughness=0.36), g.wood(2.0, (0.86, 0.78, 0.68), 0.6, 0.7, 0.01), ("wood",)),
        Made(GROUND, "Cherry wood", Surface(base_color=from_hex("#a5673f"), base_diffuse_roughness=0.3, specular_roughness=0.34), g.wood(2.6, (0.66, 0.54, 0.44), 0.8, 0.8, 0.01), ("wood",)),
        Made(GROUND, "Black-stained ash", Surface(base_color=from_hex("#2a2826"), base_diffuse_roughness=0.3, specular_roughness=0.42), g.wood(2.6, (0.55, 0.52, 0.5), 0.7, 1.0, 0.05), ("wood", "stained")),
        Made(GROUND, "Weathered planks", Surface(base_color=from_hex("#8d877d"), base_diffuse_roughness=0.7, specular_roughness=0.8, specular_weight=0.4), g.planked(90.0), ("wood", "deck", "grey")),
        Made(GROUND, "Pine floorboards", k.paint("#c99a5f", 0.4, 0.7, 0.12), g.planked(120.0), ("wood", "floor")),
        Made(GROUND, "Cork", k.matt("#a8794c", 0.6, 0.9, 0.25), g.strewn(3.0, (0.17, 0.085, 0.035), (0.48, 0.29, 0.15), 0.2), ("stopper", "board")),
        Made(GROUND, "Grey board", k.matt("#96938d", 0.6, 0.9, 0.25), g.mottled(1.0, 0.85, 1.12, 0.02, 4.0, stretch=5.0), ("paper", "card", "packaging")),
        Made(GROUND, "Coated paper", k.matt("#f0eee8", 0.2, 0.3, 0.6), tags=("print", "magazine")),
        Made(GROUND, "Laid paper", k.matt("#e9e2cf", 0.4, 0.85, 0.25), g.mottled(0.9, 0.94, 1.05, 0.02, 3.0, stretch=20.0), ("letter", "stationery")),
        Made(GROUND, "Black paper", k.matt("#19191a", 0.5, 0.85, 0.3), g.mottled(0.8, 0.85, 1.1, 0.01, 3.0), ("card", "backdrop")),
        Made(GROUND, "Newsprint", k.matt("#cfc9ba", 0.6, 0.9, 0.2), g.mottled(0.8, 0.88, 1.08, 0.01, 4.0, stretch=8.0), ("paper",)),
        Made(GROUND, "Tracing paper", replace(k.wax("#e6e6e2", 0.8, 0.6), geometry_thin_walled=True), tags=("translucent", "paper")),
        Made(GROUND, "Dusty concrete", k.matt("#8d8c88", 0.6, 0.85, 0.4), g.dusted(from_hex("#b9ae98"), from_hex("#7f7e7a"), 4.0, 0.97, 0.7), ("dirty", "floor")),
        Made(GROUND, "White porcelain", k.paint("#edebe6", 0.3, 1.0, 0.01), tags=("ceramic", "cup", "tableware")),
        Made(GROUND, "Speckled stoneware", k.paint("#cfc4ae", 0.4, 0.9, 0.05), g.strewn(1.3, (0.55, 0.49, 0.38), (0.66, 0.60, 0.50), 0.0), ("ceramic", "cup", "pottery")),
        Made(GROUND, "Terracotta", k.matt("#b0603c", 0.6, 0.9, 0.3), g.mottled(14.0, 0.85, 1.12, 0.06), ("ceramic", "pot", "plant")),
    ]  # fmt: skip


def _softs() -> list[Made]:
    hide = [
        Made(SOFT, f"{name} leather", Surface(base_color=from_hex(code), base_diffuse_roughness=0.2, specular_roughness=rough, specular_weight=0.8), g.leathery(size, deep, dark), ("leather", "hide", *tags))
        for name, code, rough, size, deep, dark, tags in (
            ("Black car", "#1a1a1b", 0.4, 1.4, 0.12, 0.75, ("seat",)), ("Cognac", "#9a5a2b", 0.4, 1.8, 0.16, 0.65, ("bag",)), ("Cream", "#d9ccb2", 0.42, 1.4, 0.1, 0.85, ("seat",)),
            ("Oxblood", "#571b1c", 0.34, 1.6, 0.14, 0.65, ("shoe",)), ("Pebbled navy", "#1d2a44", 0.44, 2.8, 0.3, 0.65, ("bag",)), ("Chestnut", "#5e351f", 0.26, 0.9, 0.03, 0.9, ("shoe", "belt")),
        )
    ]  # fmt: skip
    cloth = [
        Made(SOFT, name, k.cloth(code, fuzz, amount, 0.55), grain, ("fabric", *tags))
        for name, code, fuzz, amount, grain, tags in (
            ("Denim", "#2f4263", "#8e9cb4", 0.25, g.woven(0.7, 2.0, 0.45, 0.45, 0.14), ("jeans", "twill")), ("White cotton", "#e4e2dc", "#ffffff", 0.2, g.woven(0.4, 1.0, 0.25, 0.7, 0.06), ("shirt", "sheet")),
            ("Black cotton", "#1a1a1b", "#4a4a4a", 0.3, g.woven(0.45, 1.0, 0.25, 0.6, 0.06), ("shirt", "backdrop")), ("Grey wool", "#6d6b68", "#c9c6c0", 0.6, g.woven(1.6, 1.0, 0.6, 0.5, 0.5), ("suit", "blanket")),
            ("Tweed", "#6b5a45", "#b6a88e", 0.6, g.woven(1.8, 2.0, 0.8, 0.4, 0.5), ("jacket",)), ("Natural linen", "#c4b798", "#e6ddc6", 0.3, g.woven(0.9, 1.0, 0.7, 0.55, 0.2), ("curtain", "napkin")),
            ("Jute", "#a5824f", "#d8bd8c", 0.35, g.woven(2.6, 1.0, 0.7, 0.3, 0.9), ("sack", "rug")), ("Knitted red", "#93261f", "#d8786c", 0.6, g.woven(3.2, 1.0, 0.25, 0.4, 1.1), ("jumper", "wool")),
            ("Upholstery, petrol", "#1f4a52", "#7fb0b6", 0.4, g.woven(1.3, 1.0, 0.4, 0.5, 0.35), ("sofa", "chair")), ("Upholstery, mustard", "#b1852a", "#e6c779", 0.4, g.woven(1.3, 1.0, 0.4, 0.5, 0.35), ("sofa", "chair")),
            ("Nylon webbing", "#232527", "#5a5d60", 0.15, g.woven(1.1, 2.0, 0.1, 0.4, 0.25), ("strap", "belt")), ("Ripstop nylon", "#4a5a3c", "#8a9a74", 0.1, g.woven(0.35, 1.0, 0.1, 0.75, 0.04), ("tent", "rucksack")),
        )
    ]  # fmt: skip
    return [
        *hide, *cloth,
        Made(SOFT, "Suede", k.cloth("#7a5a3e", "#c9ab86", 0.8, 0.5), g.mottled(6.0, 0.85, 1.12, 0.05), ("leather", "shoe")),
        Made(SOFT, "Silk", replace(k.cloth("#a02f3f", "#f0a8b0", 0.2, 0.3), specular_weight=0.8, specular_roughness=0.32, specular_roughness_anisotropy=0.6), g.woven(0.2, 3.0, 0.1, 0.85, 0.01), ("fabric", "scarf", "satin")),
        Made(SOFT, "Red velvet", k.cloth("#4d0a10", "#d0404e", 1.0, 0.33), tags=("fabric", "curtain", "theatre")),
        Made(SOFT, "Grey carpet", k.cloth("#5b5a5a", "#a3a19e", 0.9, 0.7), g.rough(2.6, 1.6, 3.0), ("floor", "rug")),
        Made(SOFT, "Cream carpet", k.cloth("#c8bda8", "#f0e8d8", 0.9, 0.7), g.rough(3.2, 2.2, 3.0), ("floor", "rug")),
        Made(SOFT, "Loop carpet, blue", k.cloth("#26344f", "#66789c", 0.7, 0.7), g.woven(3.0, 1.0, 0.4, 0.35, 1.4), ("floor", "office")),
        Made(SOFT, "Yellow felt", k.cloth("#c59220", "#f2d57e", 0.7, 0.7), g.mottled(0.9, 0.7, 1.15, 0.14, 4.0), ("fabric",)),
        Made(SOFT, "Paraffin wax", k.wax("#f1efe8", 5.0, 0.34, (1.0, 0.92, 0.82)), tags=("candle",)),
        Made(SOFT, "Soap", k.wax("#e6d9c4", 2.5, 0.38, (1.0, 0.9, 0.75), 1.46), tags=("bath",)),
        Made(SOFT, "Cheese", k.wax("#e3b54e", 3.0, 0.42, (1.0, 0.8, 0.45), 1.42), g.mottled(18.0, 0.94, 1.05), ("food",)),
        Made(SOFT, "Bread crust", replace(k.wax("#b0712f", 1.2, 0.6, (1.0, 0.6, 0.3)), subsurface_weight=0.5), g.mottled(10.0, 0.6, 1.2, 0.7, 6.0), ("food",)),
        Made(SOFT, "Dark chocolate", replace(k.wax("#3a1d10", 0.8, 0.24, (1.0, 0.55, 0.3), 1.5), subsurface_weight=0.4), tags=("food",)),
    ]  # fmt: skip


def _glows() -> list[Made]:
    return [
        Made(GLOW, "Candle light", k.glow(1900.0, 4000.0), tags=("lamp",)),
        Made(GLOW, "Neutral panel", k.glow(4000.0, 4500.0), tags=("lamp", "led")),
        Made(GLOW, "Status green", Surface(base_color=from_hex("#06240f"), emission_color=from_hex("#32e26a"), emission_luminance=1200.0), tags=("led", "indicator")),
        Made(GLOW, "Status red", Surface(base_color=from_hex("#2a0606"), emission_color=from_hex("#ff3a28"), emission_luminance=1200.0), tags=("led", "indicator")),
        Made(GLOW, "Screen white", Surface(base_color=from_hex("#0c0c0d"), specular_roughness=0.12, emission_color=from_hex("#eef3ff"), emission_luminance=400.0), tags=("display",)),
    ]  # fmt: skip


# how many mm of what is larger than a ball of 40 mm are shown on its small picture
ACROSS = {
    "Asphalt": 90.0, "Worn asphalt": 110.0, "Wet asphalt": 90.0, "Gravel": 240.0, "Red brick wall": 700.0, "White brick wall": 700.0,
    "Dark brick wall": 700.0, "White tiles": 640.0, "Metro tiles": 700.0, "Sea green tiles": 460.0, "Terracotta tiles": 900.0, "Cobblestones": 640.0,
    "Board-marked concrete": 260.0, "Smooth concrete": 260.0, "Polished concrete": 260.0, "Lime plaster, ochre": 220.0, "Rough plaster": 90.0,
    "Weathered planks": 420.0, "Pine floorboards": 520.0, "Old oak": 110.0, "Pale maple": 110.0, "Cherry wood": 110.0, "Black-stained ash": 110.0,
    "Sea water": 700.0, "Still pond": 700.0, "Pool water": 500.0, "Muddy water": 600.0, "Dark earth": 110.0, "Snow": 90.0, "Reeded glass": 90.0,
    "Cast glass": 120.0, "Travertine": 160.0, "Sandstone": 160.0, "Cream carpet": 80.0, "Grey carpet": 80.0, "Loop carpet, blue": 90.0,
    "Knitted red": 90.0, "Galvanised steel": 90.0, "Hammered copper": 90.0, "Dusty concrete": 160.0, "Shrink film": 90.0,
}  # fmt: skip


@functools.cache
def swatches() -> tuple[Made, ...]:
    """All of them, in the order shown."""
    return tuple([*_metals(), *_paints(), *_plastics(), *_clears(), *_grounds(), *_softs(), *_glows()])
