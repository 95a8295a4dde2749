"""A neutral surface that stands in for what parts wear while they are lit: light is judged by the form alone."""

from msgspec.structs import replace

from aulmo.document import edits
from aulmo.document.records import Document, Surface

STAND_INS = {
    "gloss": Surface(base_color=(0.35, 0.35, 0.35), specular_roughness=0.08),
    "matt": Surface(base_color=(0.35, 0.35, 0.35), specular_roughness=1.0, specular_weight=0.1, base_diffuse_roughness=0.5),
}


def stood_in(document: Document, stand_in: str) -> Document:
    """A document whose parts all wear a neutral surface, "gloss" or "matt", without decals. What glows goes on, and the set keeps what it wears."""
    surface = STAND_INS[stand_in]
    kept = {document.floor.material} | {m for p in document.parts.values() if p.set_piece is not None for m in edits.surfaces_of(p)}
    made = {
        i: m if i in kept or m.surface.emission_luminance > 0 else replace(m, surface=surface, nodes=(), wires={}, layers=())
        for i, m in document.materials.items()
    }
    return replace(document, materials=made, decals={})
