"""Build the demo projects from the STEP file: `PYTHONPATH=src python demo/build_projects.py [--thumbnails]`."""

import sys
from pathlib import Path

from msgspec.structs import replace

from aulmo.deliver.picture_file import display_picture, small_png
from aulmo.document import edits, project_file
from aulmo.document.assets import AssetStore
from aulmo.document.records import Backdrop, Camera, Document, Environment, Finesse, Floor, RenderSettings, Shot
from aulmo.prepare.import_file import import_file
from aulmo.surface import swatches
from aulmo.surface.colour import from_hex
from aulmo.trace.tracer import render

HERE = Path(__file__).parent
DRESS = {
    "Rust enamel": ["Tank shell", "Hood skirt", "Chimney cap"],
    "Letter enamel": ["Plate letters"],
    "Black rubber": ["Foot ring"],
    "Satin brass": [
        "Window bezel",
        "Filler cap",
        "Collar",
        "Gallery",
        "Burner cone",
        "Wick tube",
        "Crown ring",
        "Chimney band",
        "Finial",
        "Plate rim",
    ],
    "Knob brass": ["Knob"],
    "Clear glass": ["Globe", "Oil window"],
    "Lamp oil": ["Lamp oil"],
    "Cream enamel": ["Window well", "Maker's plate"],
    "Stainless wire": ["Guard wire", "Bail wire", "Bail ear", "Knob shaft"],
    "Nickel": ["Screw"],
    "Cotton": ["Wick"],
    "Wick flame": ["Flame"],
    "Flame core": ["Flame core"],
    "Oiled ash": ["Grip"],
}


def dress(document: Document) -> Document:
    """Give every part its material."""
    for name, parts in DRESS.items():
        base = {"Letter enamel": "Rust enamel", "Knob brass": "Polished brass", "Cotton": "White paper", "Flame core": "Wick flame"}.get(name, name)
        material = replace(swatches.material(base), name=name)
        if name == "Satin brass":
            material = replace(material, surface=replace(material.surface, specular_roughness=0.24))
        if name == "Wick flame":
            material = replace(
                material, surface=replace(material.surface, emission_color=from_hex("#ff9a45"), emission_luminance=1500.0, geometry_opacity=0.45)
            )
        if name == "Flame core":
            material = replace(material, surface=replace(material.surface, emission_color=from_hex("#ffd79a"), emission_luminance=5200.0))
        document = edits.put_material(document, material)
        ids = [
            p.id
            for p in document.parts.values()
            if p.mesh and any(p.name == n or p.name.startswith(n + " ") and p.name[len(n) + 1 :].isdigit() for n in parts)
        ]
        assert ids, name
        document = edits.assign_material(document, ids, material.id)
    crisp = [p.id for p in document.parts.values() if p.mesh and p.name.startswith(("Screw", "Bail ear", "Maker's plate", "Plate rim", "Knob shaft"))]
    document = edits.change_parts(document, crisp, edge_radius=0.25)
    return edits.drop_unused_materials(document)


def set_up(document: Document) -> Document:
    """Light, floor, three shots."""
    chalk = replace(swatches.material("White paper"), name="Cove paper")
    chalk = replace(chalk, surface=replace(chalk.surface, base_color=from_hex("#75716b"), specular_weight=0.2))
    document = edits.put_material(document, chalk)
    document = replace(
        document,
        environment=Environment(image="Loft", turn=-8.0),
        floor=Floor(kind="cove", material=chalk.id, turn=-6.0),
        backdrop=Backdrop(kind="gradient", top=(0.3, 0.3, 0.3), bottom=(0.1, 0.1, 0.1)),
        render=RenderSettings(stop="noise", noise_percent=6.0),
    )
    hero = Camera(
        id="hero-camera",
        name="Hero",
        position=(200.0, -886.0, 250.0),
        target=(4.0, 0.0, 161.0),
        focal_length_mm=90.0,
        f_stop=8.0,
        shutter=1 / 15,
        exposure_stops=0.45,
    )
    close = Camera(
        id="burner-camera", name="Burner", position=(352.0, -230.0, 172.0), target=(14.0, -6.0, 108.0), focal_length_mm=100.0, f_stop=11.0, shutter=1 / 8,
        depth_of_field=True, focus=362.0, blades=7, exposure_stops=0.1,
    )  # fmt: skip
    cut = Camera(
        id="cut-camera",
        name="Cut-out",
        position=(-260.0, -960.0, 230.0),
        target=(0.0, 0.0, 164.0),
        focal_length_mm=90.0,
        shutter=1 / 15,
        exposure_stops=0.1,
    )
    oil = Camera(
        id="oil-camera", name="Oil window", position=(-176.0, -322.0, 92.0), target=(-33.0, -62.0, 38.5), focal_length_mm=105.0, f_stop=11.0,
        shutter=1 / 8, depth_of_field=True, focus=296.0, exposure_stops=0.1,
    )  # fmt: skip
    for camera in (hero, close, cut, oil):
        document = edits.put_camera(document, camera)
    document = edits.put_shot(document, Shot(id="hero", name="Hero", camera=hero.id, width=1600, height=2000))
    document = edits.put_shot(document, Shot(id="burner", name="Burner", camera=close.id, width=1600, height=1200))
    document = edits.put_shot(document, Shot(id="oil", name="Oil window", camera=oil.id, width=1600, height=1200))
    return edits.put_shot(
        document,
        Shot(id="cut-out", name="Cut-out", camera=cut.id, width=1500, height=2000, backdrop=Backdrop(kind="transparent"), floor=Floor(kind="shadow")),
    )


def main() -> None:
    """Write the three projects."""
    assets = AssetStore()
    result = import_file(Document(name="Wick lantern"), assets, HERE / "wick.step", Finesse(0.06, 10.0))
    wick = set_up(dress(replace(result.document, notes=result.notes)))
    night = replace(
        wick, name="Wick at night", environment=Environment(image="Dark rim", exposure=-0.6),
        cameras={**wick.cameras, "hero-camera": replace(wick.cameras["hero-camera"], exposure_stops=0.3)},
    )  # fmt: skip
    tent = replace(wick, name="Wick in a tent", environment=Environment(image="White tent"))
    pine = next(m for m in tent.materials.values() if m.name == "Rust enamel")
    tent = edits.put_material(tent, replace(swatches.material("Pine enamel"), id=pine.id))
    for name, document in (("wick", wick), ("wick-night", night), ("wick-tent", tent)):
        thumbnail = None
        if "--no-thumbnails" not in sys.argv:
            picture = render(document, assets, document.shots[0], (320, 400), RenderSettings(stop="samples", samples=48))
            thumbnail = small_png(display_picture(picture)[..., :3], 400)
        project_file.save(document, assets, HERE / f"{name}.aulmo", thumbnail)
        print(name)


if __name__ == "__main__":
    main()
