"""The finishes of the demo projects: `python demo/finishes.py [wick] [wick-range] [wick-film] [wick-photographed]` lays them on the projects as they are."""

import sys
from pathlib import Path

from msgspec.structs import replace

from aulmo import script
from aulmo.document import project_file
from aulmo.document.assets import AssetStore
from aulmo.document.finish_records import Balance, Finish, Grade, HueBand, Layer, Mask
from aulmo.document.records import Document

HERE = Path(__file__).parent
BRASS = ("Collar", "Gallery", "Burner cone", "Knob", "Window bezel", "Crown ring", "Chimney band", "Finial")


def look() -> tuple[Layer, ...]:
    """Whole picture, brass, flame, grain and vignette: what all pictures of the lantern have in common."""
    whole = Grade(
        exposure=0.12, contrast=0.16, pivot=0.16, highlights=-0.1, shadows=-0.06, blacks=-0.1, kelvin=6250.0, saturation=0.06, spare=0.6,
        local_contrast=0.14, shade=(0.97, 0.99, 1.04), light=(1.03, 1.0, 0.96),
    )  # fmt: skip
    enamel = Grade(hues=(HueBand(hue=28.0, width=50.0, saturation=0.1, lightness=0.03),), detail=0.12)
    return (
        Layer("whole", "Whole picture", grade=whole),
        Layer("enamel", "Enamel", grade=enamel, masks=(Mask("enamel-mask", "part", names=("Tank shell", "Hood skirt", "Chimney cap")),)),
        Layer("brass", "Brass", grade=Grade(exposure=0.14, contrast=0.12, saturation=0.08), masks=(Mask("brass-mask", "part", names=BRASS),)),
        Layer(
            "flame", "Flame warmer", grade=Grade(exposure=0.22, kelvin=7300.0),
            masks=(Mask("flame-mask", "ellipse", across=0.0, down=-0.09, width=0.44, height=0.26, feather=120.0, follows="Burner cone"),),
        ),
        Layer("film", "Grain and vignette", grade=Grade(glow=0.24, glow_from=0.2, glow_size=24.0, vignette=0.75, grain=0.025, grain_mm=0.03, sharpen=0.3)),
    )  # fmt: skip


def hero(document: Document) -> Document:
    """The lantern's finish, for all of its shots, of whatever variant."""
    named = {x.name for x in document.parts.values()}
    layers = tuple(
        replace(x, masks=tuple(replace(m, names=tuple(n for n in m.names if n in named)) for m in x.masks)) for x in look()
    )  # fmt: skip
    balance = {"Glow": Balance(stops=0.5)}
    finish = Finish("wick-finish", "Wick", layers, balance)
    shots = tuple(replace(s, finish=finish.id) for s in document.shots)
    return replace(document, finishes={**document.finishes, finish.id: finish}, shots=shots)


def film(document: Document) -> Document:
    """The film: its lights come on, one after the other."""
    document = hero(document)
    finish = document.finishes["wick-finish"]
    lights = list(dict.fromkeys([*(b.group or b.name for b in document.environment.softboxes if b.on), "Environment"]))
    document = replace(document, finishes={finish.id: replace(finish, balance={**finish.balance, **{name: Balance() for name in lights}})})
    for k, name in enumerate(lights):
        address = f"finishes/{finish.id}/balance/{name}/stops"
        document = script.add_key(document, address, 0.15 + 0.35 * k, -6.0)
        document = script.add_key(document, address, 1.0 + 0.35 * k, 0.0)
    return document


def brief() -> None:
    """The made-up picture of the brief: the hut's table as someone remembers it, warm and late."""
    import numpy as np
    from PIL import Image

    from aulmo.finish.grading import graded
    from aulmo.trace.plate import light_of
    from aulmo.trace.view import show

    with Image.open(HERE / "photographs" / "hut-table.jpg") as held:
        codes = np.asarray(held.convert("RGB").resize((960, 720)))
    light = light_of(codes, "Product neutral")
    late = Grade(exposure=-0.35, kelvin=7900.0, contrast=0.16, saturation=-0.15, shade=(0.9, 0.97, 1.1), light=(1.06, 1.0, 0.92), vignette=0.5)
    shown = show(np.ascontiguousarray(graded(light, late)), 1.0, "Product neutral", exact=True)
    Image.fromarray(np.rint(255 * shown).astype(np.uint8)).save(HERE / "artwork" / "brief-late.jpg", quality=90)


def photographed(document: Document, assets: AssetStore) -> Document:
    """The lantern on its photograph, brought toward the brief's picture."""
    brief()
    picture = HERE / "artwork" / "brief-late.jpg"
    reference = assets.add(picture.read_bytes(), ".jpg")
    # as it was suggested toward the picture of the brief
    toward = Grade(exposure=-0.497, kelvin=8480.0, tint=2.4, contrast=0.154, highlights=-0.157, shadows=-0.093, saturation=-0.207)
    layers = (
        Layer("toward", "Toward the brief", grade=toward),
        Layer("lantern", "Lantern", grade=Grade(exposure=0.3, local_contrast=0.12, saturation=0.1), masks=(Mask("l", "group", names=(named_root(document),)),)),
        Layer("film", "Grain and vignette", grade=Grade(glow=0.3, glow_from=0.3, vignette=0.6, grain=0.03, grain_mm=0.03)),
    )  # fmt: skip
    finish = Finish("late-finish", "Late", layers, {"Glow": Balance(stops=1.0)}, reference=reference, reference_file=picture.name)
    shots = tuple(replace(s, finish=finish.id) for s in document.shots)
    return replace(document, finishes={finish.id: finish}, shots=shots)


def named_root(document: Document) -> str:
    return next(document.parts[i].name for i in document.roots if document.parts[i].children)


def main() -> None:
    """Lay the finishes on the projects, or only on those named."""
    wanted = sys.argv[1:] or ["wick", "wick-range", "wick-film", "wick-photographed"]
    for name in wanted:
        path = HERE / f"{name}.aulmo"
        document, assets = project_file.load(path)
        make = {"wick": hero, "wick-range": hero, "wick-film": film}.get(name)
        document = make(document) if make is not None else photographed(document, assets)
        project_file.save(document, assets, path, project_file.read_thumbnail(path))
        print(name)


if __name__ == "__main__":
    main()
