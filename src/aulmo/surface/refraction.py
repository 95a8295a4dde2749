"""Refraction by name: how strongly clear things bend light, at 589 nm (the sodium D line) and 20 °C where nothing else is said, each with its source.

CRC: CRC Handbook of Chemistry and Physics, 97th edition (2016), sections 4, 10 and 13. K&L: Kaye & Laby, Tables of Physical and Chemical Constants,
16th edition (1995), section 2.5. IAPWS: R9-97, refractive index of ordinary water substance (1997). Gem: Webster & Read, Gems, 5th edition (1994).
Hecht: Optics, 4th edition (2002), table 4.1. Polymer: Mark (ed.), Polymer Data Handbook (1999). Values of mixtures and of what varies from batch to
batch are given as typical.
"""

from typing import NamedTuple


class Known(NamedTuple):
    """Something clear: its name, refraction, Abbe number (0 where it is not given), kind, and source."""

    name: str
    ior: float
    abbe: float
    kind: str
    source: str


LIST = (
    Known("Vacuum", 1.0, 0.0, "gas", "by definition"), Known("Air", 1.000277, 0.0, "gas", "CRC, at 15 °C and one atmosphere"), Known("Ice", 1.309, 0.0, "solid", "CRC"),
    Known("Water", 1.333, 55.7, "liquid", "IAPWS R9-97"), Known("Sea water", 1.339, 0.0, "liquid", "K&L, 35 g of salt in 1 kg"), Known("Milk", 1.35, 0.0, "liquid", "typical of its water with sugar and salts"),
    Known("Beer", 1.345, 0.0, "liquid", "typical, by sugar and alcohol"), Known("Wine", 1.345, 0.0, "liquid", "typical, by sugar and alcohol"), Known("Ethanol", 1.361, 0.0, "liquid", "CRC"),
    Known("Spirits, 40 %", 1.355, 0.0, "liquid", "CRC, ethanol in water by volume"), Known("Acetone", 1.359, 0.0, "liquid", "CRC"), Known("Sugar solution, 30 %", 1.381, 0.0, "liquid", "CRC"),
    Known("Sugar solution, 80 %", 1.49, 0.0, "liquid", "CRC"), Known("Honey", 1.49, 0.0, "liquid", "typical of 18 % water"), Known("Paraffin oil", 1.44, 0.0, "liquid", "typical of lamp oil"),
    Known("Petrol", 1.40, 0.0, "liquid", "typical"), Known("Glycerol", 1.473, 0.0, "liquid", "CRC"), Known("Olive oil", 1.467, 0.0, "liquid", "CRC, typical"),
    Known("Silicone oil", 1.40, 0.0, "liquid", "typical of dimethyl silicone"), Known("Turpentine", 1.472, 0.0, "liquid", "Hecht"), Known("Benzene", 1.501, 30.0, "liquid", "CRC"),
    Known("Silicone rubber", 1.41, 0.0, "plastic", "Polymer, dimethyl silicone"), Known("Fluoropolymer", 1.35, 0.0, "plastic", "Polymer, PTFE"), Known("Cellulose acetate", 1.475, 0.0, "plastic", "Polymer"),
    Known("Acrylic", 1.491, 57.4, "plastic", "Polymer, PMMA"), Known("Polypropylene", 1.49, 0.0, "plastic", "Polymer"), Known("Polyethylene, low density", 1.51, 0.0, "plastic", "Polymer"),
    Known("Polyvinyl chloride", 1.539, 0.0, "plastic", "Polymer"), Known("Nylon", 1.53, 0.0, "plastic", "Polymer, polyamide 6"), Known("ABS", 1.54, 0.0, "plastic", "typical"),
    Known("Epoxy", 1.56, 0.0, "plastic", "typical, cured"), Known("Polyester (PET)", 1.575, 0.0, "plastic", "Polymer, amorphous"), Known("Polycarbonate", 1.586, 30.0, "plastic", "Polymer"),
    Known("Polystyrene", 1.59, 30.9, "plastic", "Polymer"), Known("Fused quartz", 1.4585, 67.8, "glass", "CRC, fused silica"), Known("Borosilicate glass, low expansion", 1.473, 65.4, "glass", "typical of ovenware"),
    Known("Window glass", 1.52, 58.6, "glass", "K&L, soda-lime"), Known("Crown glass", 1.517, 64.2, "glass", "K&L, borosilicate crown"), Known("Dense crown glass", 1.613, 58.6, "glass", "K&L"),
    Known("Light flint glass", 1.58, 40.9, "glass", "K&L"), Known("Lead crystal, 24 %", 1.545, 47.0, "glass", "typical"), Known("Flint glass", 1.62, 36.4, "glass", "K&L"),
    Known("Dense flint glass", 1.76, 26.5, "glass", "K&L"), Known("Lead crystal, jewellery", 1.56, 44.0, "glass", "typical of 30 % lead"), Known("Fluorite", 1.434, 95.1, "crystal", "CRC"),
    Known("Opal", 1.45, 0.0, "gem", "Gem"), Known("Rock salt", 1.544, 42.9, "crystal", "CRC"), Known("Quartz", 1.544, 69.9, "gem", "CRC, the ordinary ray"), Known("Amber", 1.54, 0.0, "gem", "Gem"),
    Known("Beryl, emerald", 1.577, 0.0, "gem", "Gem"), Known("Topaz", 1.62, 0.0, "gem", "Gem"), Known("Tourmaline", 1.64, 0.0, "gem", "Gem"), Known("Peridot", 1.67, 0.0, "gem", "Gem"),
    Known("Spinel", 1.718, 0.0, "gem", "Gem"), Known("Garnet", 1.76, 0.0, "gem", "Gem, almandine"), Known("Sapphire", 1.768, 72.2, "gem", "CRC, the ordinary ray of corundum"),
    Known("Ruby", 1.768, 72.2, "gem", "CRC, the ordinary ray of corundum"), Known("Zircon", 1.95, 0.0, "gem", "Gem, high"), Known("Cubic zirconia", 2.16, 33.0, "gem", "Gem"),
    Known("Diamond", 2.417, 55.3, "gem", "CRC"), Known("Moissanite", 2.65, 0.0, "gem", "Gem, the ordinary ray"), Known("Wax", 1.44, 0.0, "solid", "typical of paraffin wax"), Known("Skin", 1.4, 0.0, "solid", "typical of its surface"),
    Known("Tooth enamel", 1.63, 0.0, "solid", "typical"), Known("Varnish", 1.5, 0.0, "coat", "typical, dried"), Known("Polyurethane coat", 1.5, 0.0, "coat", "typical, cured"), Known("Water film", 1.333, 55.7, "coat", "IAPWS R9-97"),
)  # fmt: skip


def named(ior: float) -> str:
    """What has a refraction, to three decimals: "" for none of the list."""
    return next((k.name for k in LIST if abs(k.ior - ior) < 5e-4), "")


def by_name(name: str) -> Known | None:
    """One of the list by its name, whatever its letters' case."""
    return next((k for k in LIST if k.name.lower() == name.strip().lower()), None)
