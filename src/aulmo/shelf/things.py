"""What lies on the shelf: things by their kinds, with what they are found by."""

from pathlib import Path
from types import MappingProxyType
from typing import Any, Iterable, Mapping

import msgspec
import numpy as np

from aulmo.document.records import Material, Surface
from aulmo.surface.colour import to_lab
from aulmo.surface.library import main_colour

# kinds in the order in which chips and lists show them, with their plural
KINDS = {
    "swatch": "Swatches", "light set": "Light sets", "dome": "Domes", "light picture": "Light pictures", "lamp": "Lamps", "prop": "Props",
    "picture": "Pictures", "picture set": "Picture sets", "artwork": "Artwork", "photograph": "Photographs", "finish": "Finishes",
    "board": "Boards", "carton": "Cartons", "model": "Models", "film": "Films", "colour table": "Colour tables", "colour": "Colours",
}  # fmt: skip
OWN = "aulmo:"  # what a path begins with that is no file: a thing that is made by a rule
Triple = tuple[float, float, float]


class Thing(msgspec.Struct, frozen=True, omit_defaults=True):
    """A thing that can be taken from the shelf.

    `path` : its file (of a set of pictures the one of colour), or "aulmo:" and its kind and name. `inside` : which of several in one file. `told` :
    what it is, in a few words. `colours` : CIELAB. `finish` : how it shines, in words. `numbers` : by their names, lengths in mm. `files` : of a set
    all its files. `look` : numbers that are near for what looks alike. `trouble` : why it cannot be used.
    """

    name: str
    kind: str
    path: str
    inside: str = ""
    told: str = ""
    family: str = ""
    tags: tuple[str, ...] = ()
    note: str = ""
    colours: tuple[Triple, ...] = ()
    finish: tuple[str, ...] = ()
    numbers: dict[str, float] = {}
    files: tuple[str, ...] = ()
    role: str = ""
    look: tuple[float, ...] = ()
    trouble: str = ""

    @property
    def key(self) -> str:
        """What tells it from all others."""
        return f"{self.path}\n{self.inside}" if self.inside else self.path

    @property
    def words(self) -> str:
        """All that words are looked for in, in small letters."""
        folder = "" if self.path.startswith(OWN) else f"{Path(self.path).name} {Path(self.path).parent.name}"
        return " ".join(
            (self.name, self.kind, KINDS.get(self.kind, ""), self.family, self.told, " ".join(self.tags), " ".join(self.finish), self.note, folder)
        ).lower()


def lab(colour: Iterable[float]) -> Triple:
    """An ACEScg colour as the shelf has it."""
    a, b, c = to_lab(np.clip(np.asarray(tuple(colour), float), 0.0, 4.0)).tolist()
    return (round(a, 2), round(b, 2), round(c, 2))


def finish_of(surface: Surface, wires: Mapping[str, str] = MappingProxyType({})) -> tuple[str, ...]:
    """How a surface shines, in the words that it is found by."""
    said = []
    rough = surface.specular_roughness
    coated = surface.coat_weight > 0.5
    top = min(rough, surface.coat_roughness) if coated else rough
    if surface.emission_luminance > 0:
        said.append("glowing")
    if surface.transmission_weight > 0.5:
        said.append("see-through" if rough < 0.2 and not any(surface.transmission_scatter) else "translucent")
    if surface.subsurface_weight > 0.5:
        said.append("translucent")
    if surface.base_metalness > 0.5:
        said.append("metallic")
    weak = surface.specular_weight < 0.15 and not coated
    said.append("rough" if weak or top >= 0.45 else "satin" if top > 0.2 else "glossy" if top > 0.06 else "mirror")
    if said[-1] == "mirror":
        said.append("glossy")
    if said[-1] == "rough":
        said.append("matt")
    if surface.fuzz_weight > 0.2:
        said.append("soft")
    if surface.specular_roughness_anisotropy > 0.3:
        said.append("brushed")
    if {"height", "displacement", "normal", "coat_height"} & set(wires):
        said.append("textured")
    if surface.thin_film_weight > 0.3:
        said.append("iridescent")
    return tuple(dict.fromkeys(said))


def numbers_of(surface: Surface) -> dict[str, float]:
    """Numbers that a swatch is found by."""
    found: dict[str, float] = {"ior": surface.specular_ior, "roughness": surface.specular_roughness}
    if surface.emission_luminance > 0:
        found["nits"] = surface.emission_luminance
    if surface.transmission_dispersion_scale > 0:
        found["abbe"] = surface.transmission_dispersion_abbe_number
    return found


def look_of(surface: Surface) -> tuple[float, ...]:
    """Numbers that are near for surfaces that look alike: colour, shine, metal, clearness, depth, glow."""
    light, a, b = lab(main_colour(Material(id="", name="", surface=surface)))
    top = min(surface.specular_roughness, surface.coat_roughness) if surface.coat_weight > 0.5 else surface.specular_roughness
    glow = 1.0 if surface.emission_luminance > 0 else 0.0
    return (
        light / 100, a / 60, b / 60, top * 1.5, surface.base_metalness * 1.2, surface.transmission_weight * 1.5, surface.subsurface_weight * 0.7,
        surface.fuzz_weight, surface.coat_weight * 0.3, glow * 2,
    )  # fmt: skip


def swatch_thing(material: Material, path: str, inside: str = "", **more: Any) -> Thing:
    """What a material is on the shelf."""
    surface = material.surface
    finish = finish_of(surface, material.wires)
    shine = next((f for f in ("mirror", "glossy", "satin", "rough") if f in finish), "")
    family = material.kind.lower()
    return Thing(
        material.name, "swatch", path, inside, told=f"{'see-through' if 'see-through' in finish else shine} · {family}", family=family,
        tags=material.tags, colours=(lab(main_colour(material)),), finish=finish, numbers=numbers_of(surface), look=look_of(surface), **more,
    )  # fmt: skip
