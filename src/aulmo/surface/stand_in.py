"""What stands in for what parts wear: a neutral surface while they are lit, for light is judged by the form alone; a checker by which one sees how
their coordinates lie."""

from msgspec.structs import replace

from aulmo.document import edits
from aulmo.document.records import Document, Node, Surface

STAND_INS = {
    "gloss": Surface(base_color=(0.35, 0.35, 0.35), specular_roughness=0.08),
    "matt": Surface(base_color=(0.35, 0.35, 0.35), specular_roughness=1.0, specular_weight=0.1, base_diffuse_roughness=0.5),
}


CELLS = 16.0  # of the checker along the square of the coordinates
CHECKER = (
    Node("uv", "geompropvalue", choices={"geomprop": "uv"}), Node("many", "multiply", {"in1": "@uv", "in2": CELLS}),
    Node("cell", "floor", {"in": "@many"}), Node("sum", "add", {"in1": "@cell:red", "in2": "@cell:green"}),
    Node("odd", "modulo", {"in1": "@sum", "in2": 2.0}), Node("own", "cellnoise2d", {"texcoord": "@many"}),
    Node("dark", "remap", {"in": "@own", "outlow": 0.03, "outhigh": 0.3}), Node("seen", "mix", {"fg": 0.7, "bg": "@dark", "mix": "@odd"}),
)  # fmt: skip


def stood_in(document: Document, stand_in: str) -> Document:
    """A document whose parts all wear a neutral surface, "gloss" or "matt", or a "checker" by their own coordinates, without decals. What glows goes
    on, and the set keeps what it wears."""
    worn = {"surface": STAND_INS["matt" if stand_in == "checker" else stand_in], "nodes": (), "wires": {}, "layers": ()}
    if stand_in == "checker":
        worn |= {"nodes": CHECKER, "wires": {"base_color": "seen"}}
    kept = {document.floor.material} | {m for p in document.parts.values() if p.set_piece is not None for m in edits.surfaces_of(p)}
    made = {i: m if i in kept or m.surface.emission_luminance > 0 else replace(m, **worn) for i, m in document.materials.items()}
    return replace(document, materials=made, decals={})
