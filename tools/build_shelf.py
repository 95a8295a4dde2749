"""Build what ships on the shelf into `src/aulmo/shelf/data`: light sets, pictures, props, their small pictures, and the list of all of it. Run with
PYTHONPATH=src; names of kinds ("sets", "pictures", "props", "thumbnails") as arguments make only those, the list is always made."""

import sys
from pathlib import Path

import msgspec
import numpy as np
import shelf_light_sets
import shelf_pictures
import shelf_props
from msgspec.structs import replace
from PIL import Image

from aulmo.document.assets import AssetStore
from aulmo.light import environment_image, light_pictures
from aulmo.prepare.carton.boards import OURS
from aulmo.shelf import keeping, looks, own, telling, thumbnails
from aulmo.shelf.things import Thing
from aulmo.surface import swatches

DATA = own.LIST.parent
DOMES = {
    "Loft": ("indoors", "window", "studio"), "Tabletop": ("indoors", "studio"), "Two strips": ("indoors", "studio"), "Dark rim": ("indoors", "studio", "dark"),
    "White tent": ("indoors", "studio", "soft"), "Gallery": ("indoors", "spots", "museum"), "Clear sky": ("outdoors", "sun", "sunny"), "Overcast": ("outdoors", "soft", "cloudy"),
    "Workshop hall": ("indoors", "windows", "factory"), "Meadow, morning": ("outdoors", "sun", "sunny", "grass", "hour"), "Meadow, noon": ("outdoors", "sun", "sunny", "grass", "hour"),
    "Meadow, afternoon": ("outdoors", "sun", "sunny", "grass", "hour"), "Meadow, dusk": ("outdoors", "sunset", "grass", "hour", "evening"),
}  # fmt: skip


def small(thing: Thing, pixels: np.ndarray) -> None:
    """Write the small picture of a thing."""
    path = DATA / "thumbnails" / f"{thing.kind.replace(' ', '-')}-{swatches.slug(thing.name)}.png"
    path.parent.mkdir(parents=True, exist_ok=True)
    path.write_bytes(thumbnails.png(pixels))


def build_sets() -> None:
    """The light sets, each with a picture of three forms in it."""
    folder = DATA / "light_sets"
    folder.mkdir(parents=True, exist_ok=True)
    for one in shelf_light_sets.sets():
        told = keeping.about(one.name, one.tags, one.note)
        picture = thumbnails.rendered(*thumbnails.lit_forms(one.document, AssetStore()), 512, thumbnails.SET_EVEN)
        keeping.keep_light(one.document, AssetStore(), folder / f"{swatches.slug(one.name)}.aulmolight", told, thumbnails.png(picture))
        print(one.name)


def build_pictures() -> None:
    """Grit, spatter, rust, scratches, prints."""
    folder = DATA / "pictures"
    folder.mkdir(parents=True, exist_ok=True)
    for name, (make, _) in shelf_pictures.PICTURES.items():
        image = Image.fromarray((np.clip(make(), 0, 1) * 255 + 0.5).astype(np.uint8))
        image.save(folder / f"{swatches.slug(name)}.png", optimize=True, dpi=(127, 127))
        print(name)


def build_props() -> None:
    """The props, each with a picture."""
    folder = DATA / "props"
    folder.mkdir(parents=True, exist_ok=True)
    for one in shelf_props.props():
        from aulmo.shelf import props

        kept = props.prop_of(one.document, one.assets, [one.root])
        picture = thumbnails.rendered(*thumbnails.prop_scene(kept, one.assets), 384)
        told = keeping.about(one.name, one.tags, one.note)
        keeping.keep_parts(one.document, one.assets, [one.root], folder / f"{swatches.slug(one.name)}.aulmoprop", told, thumbnails.png(picture))
        print(one.name)


def listed() -> list[Thing]:
    """All that lies in files, as the shelf knows it."""
    found: list[Thing] = []
    for name, tags in DOMES.items():
        path = environment_image.set_path(name)
        (thing,) = telling.things_in(path)
        told = thing.told if "outdoors" in tags else f"indoors · {thing.numbers['stops']:.0f} stops"
        told = f"sunset · {thing.numbers['stops']:.0f} stops" if name.endswith("dusk") else told
        found.append(replace(thing, name=name, kind="dome", tags=tags, told=told))
    for name in light_pictures.PICTURES:
        path = light_pictures.shipped_path(name)
        look = looks.look_at(path)
        thing = telling.told_by(path, look)
        found.append(replace(thing, name=name, kind="light picture", told="", tags=()))
    for path in sorted((DATA / "light_sets").glob("*.aulmolight")):
        found += telling.things_in(path)
    order = [s.name for s in shelf_light_sets.sets()]
    found.sort(key=lambda t: order.index(t.name) if t.kind == "light set" and t.name in order else -1)
    for name, (_, tags) in shelf_pictures.PICTURES.items():
        (thing,) = telling.things_in(DATA / "pictures" / f"{swatches.slug(name)}.png")
        found.append(replace(thing, name=name, kind="picture", tags=tags))
    for path in sorted((DATA / "props").glob("*.aulmoprop")):
        found += telling.things_in(path)
    return found


def main() -> None:
    """Build what is wanted."""
    wanted = set(sys.argv[1:]) or {"sets", "pictures", "props", "thumbnails"}
    if "sets" in wanted:
        build_sets()
    if "pictures" in wanted:
        build_pictures()
    if "props" in wanted:
        build_props()
    things = listed()
    if "thumbnails" in wanted:
        for thing in [*things, *(telling.board_thing(b, f"aulmo:board/{n}") for n, b in OURS.items())]:
            pixels = thumbnails.picture_of(thing)
            if pixels is not None:
                small(thing, pixels)
    short = [replace(t, path=str(Path(t.path).relative_to(own.ROOT)), files=()) for t in things]
    own.LIST.write_bytes(msgspec.json.format(msgspec.json.encode(short), indent=1))
    print(len(short), "things")


main()
