"""Surfaces of the kinds that swatches are of, each by the few numbers that tell it from others of its kind."""

from aulmo.document.records import Surface
from aulmo.surface.colour import from_hex, from_temperature
from aulmo.surface.metals import openpbr_colours


def metal(name: str, roughness: float, stretch: float = 0.0) -> Surface:
    """A metal by its measured constants."""
    base, edge = openpbr_colours(name)
    return Surface(base_color=base, specular_color=edge, base_metalness=1.0, specular_roughness=roughness, specular_roughness_anisotropy=stretch)


def paint(colour: str, roughness: float = 0.35, coat: float = 0.0, coat_roughness: float = 0.03) -> Surface:
    """Paint, with or without a clear coat."""
    return Surface(base_color=from_hex(colour), specular_roughness=roughness, coat_weight=coat, coat_roughness=coat_roughness, coat_ior=1.5)


def plastic(colour: str, roughness: float, ior: float = 1.49) -> Surface:
    """A plain plastic."""
    return Surface(base_color=from_hex(colour), specular_roughness=roughness, specular_ior=ior)


def matt(colour: str, diffuse: float, roughness: float, weight: float = 0.6) -> Surface:
    """Something chalky with a weak shine."""
    return Surface(base_color=from_hex(colour), base_diffuse_roughness=diffuse, specular_roughness=roughness, specular_weight=weight)


GLASS_PRIORITY = 2  # glass is what is there where a liquid reaches into its wall


def clear(ior: float, roughness: float = 0.0, tint: str = "#ffffff", depth_mm: float = 0.0, priority: int = GLASS_PRIORITY, **more) -> Surface:
    """Clear glass or liquid; the tint is reached at a depth."""
    return Surface(
        base_color=from_hex("#ffffff"), transmission_weight=1.0, specular_ior=ior, specular_roughness=roughness,
        transmission_color=from_hex(tint), transmission_depth=depth_mm, nesting_priority=priority, **more,
    )  # fmt: skip


def wax(colour: str, reach_mm: float, roughness: float, by_colour: tuple = (1.0, 0.5, 0.25), ior: float = 1.45, **more) -> Surface:
    """Something that light wanders in, as far as `reach_mm`."""
    return Surface(
        base_color=from_hex(colour), subsurface_weight=1.0, subsurface_color=from_hex(colour), subsurface_radius=reach_mm,
        subsurface_radius_scale=by_colour, specular_roughness=roughness, specular_ior=ior, **more,
    )  # fmt: skip


def cloth(colour: str, fuzz: str, amount: float, roughness: float) -> Surface:
    """Cloth with fuzz."""
    return Surface(
        base_color=from_hex(colour), base_diffuse_roughness=0.8, specular_weight=0.1, specular_roughness=0.8,
        fuzz_weight=amount, fuzz_color=from_hex(fuzz), fuzz_roughness=roughness,
    )  # fmt: skip


def glow(kelvin: float, nits: float, dark: str = "#c8c4bc") -> Surface:
    """Something that shines, of a colour temperature."""
    return Surface(base_color=from_hex(dark), specular_roughness=0.4, emission_color=from_temperature(kelvin), emission_luminance=nits)
