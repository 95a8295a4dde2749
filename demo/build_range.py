"""Build the demo range out of the demo lantern: `python demo/build_range.py`. Three colours, two trims, two sets: twelve variants."""

from pathlib import Path

from msgspec.structs import replace

from aulmo import script
from aulmo.document import project_file, variants
from aulmo.document.records import Document

HERE = Path(__file__).parent


def wick_range(document: Document) -> Document:
    """The lantern in rust, pine and night blue; trimmed in brass or nickel; by day and at night with its flame up."""
    document = replace(document, name="Wick range")
    of = {m.name: m.id for m in document.materials.values()}
    enamel, paper = of["Rust enamel"], of["Cove paper"]
    colours = {"Rust": {}, "Pine": {"base_color": (0.020, 0.062, 0.034)}, "Night blue": {"base_color": (0.016, 0.034, 0.088)}}
    for name, own in colours.items():
        document = script.add_choice(document, "Colour", name, {f"materials/{enamel}/surface/{field}": value for field, value in own.items()})
    brass = {of["Satin brass"], of["Knob brass"]}
    nickel = {f"parts/{p.id}/material": of["Nickel"] for p in document.parts.values() if p.material in brass}
    for name, own in (("Brass", {}), ("Nickel", nickel)):
        document = script.add_choice(document, "Trim", name, own)
    night = {
        **{f"environment/softboxes/{b.id}/stops": b.stops - 2.4 for b in document.environment.softboxes},
        "environment/exposure": document.environment.exposure - 2.6,
        f"materials/{paper}/surface/base_color": (0.05, 0.055, 0.07),
        **{f"parts/{p.id}/glow": 1.2 for p in document.parts.values() if p.name in ("Flame", "Flame core")},
    }
    for name, own in (("Day", {}), ("Night", night)):
        document = script.add_choice(document, "Set", name, own)
    return document


if __name__ == "__main__":
    held, assets = project_file.load(HERE / "wick.aulmo")
    made = wick_range(held)
    thumbnail = project_file.read_thumbnail(HERE / "wick.aulmo")
    project_file.save(made, assets, HERE / "wick-range.aulmo", thumbnail)
    print(f"wick-range.aulmo: {len(variants.every(made, ['Colour', 'Trim', 'Set']))} variants")
