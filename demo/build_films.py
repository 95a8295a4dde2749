"""Build the two demo films out of the demo projects: `python demo/build_films.py [wick-film] [barrow-film]`.

The lantern: the camera comes round it and rests at the burner, hood and globe lift and come back, the flame grows and its light with it, a cut to the
oil window. The cart: it rolls along a bend past the camera, wheels turning by what they travel, the front axle steering, blurred where it is fast.
"""

import math
import sys
from pathlib import Path

import finishes
from msgspec.structs import replace

from aulmo import script
from aulmo.document import edits, project_file, tree
from aulmo.document.properties import put_many
from aulmo.document.records import Document, GuidePath, Key, LaneGroup, Marker, RenderSettings
from aulmo.motion.keys import put_keys
from aulmo.motion.ready import wear, wheel_of
from aulmo.motion.reel import put_cut

HERE = Path(__file__).parent


def named(document: Document, name: str, under: str | None = None) -> str:
    return next(p.id for p in document.parts.values() if p.name == name and (under is None or p.parent == under))


def round_about(azimuth: float, distance: float, height: float, middle=(4.0, 0.0)) -> tuple[float, float, float]:
    """A place that far from the lantern's middle; 0 degrees is in front of it, to the right is above zero."""
    turn = math.radians(azimuth)
    return (round(middle[0] + distance * math.sin(turn), 3), round(middle[1] - distance * math.cos(turn), 3), height)


def wick_film(document: Document) -> Document:
    document = replace(document, name="Wick film", film=replace(document.film, end=8.0, play_end=8.0), frames_per_second=25.0)
    root = document.roots[0]
    globe, hood, bail = (named(document, n, root) for n in ("Globe", "Hood", "Bail"))
    flames = [named(document, n) for n in ("Flame", "Flame core")]
    shots = {s.id: replace(s, width=1920, height=1080) for s in document.shots}
    document = replace(document, shots=tuple(shots.values()))
    eye = "cameras/hero-camera"
    document = put_many(document, {f"{eye}/focal_length_mm": 50.0, f"{eye}/motion_blur": True, f"{eye}/shutter_angle": 180.0,
                                   "cameras/oil-camera/focal_length_mm": 92.0})  # fmt: skip
    places = [
        Key(0.0, round_about(-62.0, 1160.0, 330.0), after="eased", way="arc"),
        Key(2.6, round_about(4.0, 985.0, 240.0), before="smooth", after="smooth", way="arc"),
        Key(3.4, round_about(16.0, 640.0, 205.0), before="eased", after="eased", rest=2.4, way="arc"),
        Key(8.0, round_about(34.0, 700.0, 230.0), before="eased", way="arc"),
    ]
    looks = [Key(0.0, (4.0, 0.0, 170.0), after="eased"), Key(3.4, (2.0, 0.0, 140.0), before="eased", after="eased", rest=2.4),
             Key(8.0, (2.0, 0.0, 140.0), before="eased")]  # fmt: skip
    document = put_keys(put_keys(document, f"{eye}/position", places), f"{eye}/target", looks)
    # hood and bail rise by one motion, the globe by less: so they come apart
    document, rises = script.add_motion(document, hood, "lift", start=3.0, length=1.0, distance_mm=96.0)
    document, falls = script.add_motion(document, hood, "lift", start=5.2, length=0.9, distance_mm=-96.0)
    document = wear(wear(document, rises, [bail]), falls, [bail])
    lift = [Key(3.1, 0.0, after="eased"), Key(4.0, 46.0, before="eased", rest=1.3, after="eased"), Key(6.05, 0.0, before="eased")]
    document = put_keys(document, f"parts/{globe}/placement/position/z", lift)
    # the flame grows, the set dims a little
    grows = [Key(0.0, -2.6), Key(3.6, -2.6, after="eased"), Key(4.7, 0.9, before="eased", after="eased"), Key(8.0, 0.5, before="eased")]
    for flame in flames:
        document = put_keys(document, f"parts/{flame}/glow", grows)
    boxes = [f"softboxes/{b.id}" for b in document.environment.softboxes]
    document, dims = script.add_motion(document, boxes[0], "glow", start=3.5, length=1.3, from_=0.0, to=-1.9)
    document = wear(document, dims, boxes[1:])
    document, _ = put_cut(document, "hero", 0.0)
    document, _ = put_cut(document, "oil", 6.4, dissolve=0.4)
    film = document.film
    film = replace(
        film, markers=(Marker("m-flame", "Flame", 3.6),),
        groups=(LaneGroup("g-flame", "Flame", tuple(f"parts/{f}" for f in flames), (0.36, 0.16, 0.03), True),),
    )  # fmt: skip
    return replace(document, film=film, render=replace(RenderSettings(), stop="noise", noise_percent=4.0))


def barrow_film(document: Document, assets) -> Document:
    document = replace(document, name="Barrow film", film=replace(document.film, end=6.0, play_end=6.0), frames_per_second=25.0)
    cart = document.roots[0]
    floor, wall, skirting = (named(document, n) for n in ("Floor", "Wall", "Skirting"))
    values = {f"parts/{floor}/set_piece/width": 24000.0, f"parts/{floor}/set_piece/depth": 8000.0, f"parts/{wall}/set_piece/width": 24000.0,
              f"parts/{skirting}/set_piece/width": 24000.0}  # fmt: skip
    document = put_many(document, values)
    wheels = {n: named(document, f"Wheel {n}", cart) for n in ("front left", "front right", "rear left", "rear right")}
    frame, handle, screws = named(document, "Frame", cart), named(document, "Handle", cart), named(document, "Hub screws", cart)
    document = tree.move_into(document, [screws], wheels["front right"])
    document, axle = edits.group_parts(document, [wheels["front left"], wheels["front right"], handle], "Front axle")
    document = tree.move_into(document, [named(document, "Axle", frame)], axle)
    lanterns = named(document, "Six lanterns")
    document = tree.move_into(document, [lanterns], cart)
    # the bend that the rear axle runs along
    points = ((3600.0, 120.0, 0.0), (2100.0, 90.0, 0.0), (600.0, -60.0, 0.0), (-900.0, -420.0, 0.0), (-2500.0, -1060.0, 0.0), (-3900.0, -1700.0, 0.0))
    document = edits.put_path(document, GuidePath("bend", "Bend", points=points))
    document, _ = script.add_motion(document, cart, "follow", length=6.0, path="bend", axis=(-1.0, 0.0, 0.0), centre=(275.0, 0.0, 0.0), before="even",
                                    after="eased", from_=0.04, to=0.84)  # fmt: skip
    document, _ = script.add_motion(document, axle, "steer", start=0.0, length=6.0, centre=(-275.0, 0.0, 115.0), axis="z", degrees=30.0)
    for wheel in wheels.values():
        axis, hub, radius = wheel_of(document, assets, wheel)
        document, _ = script.add_motion(document, wheel, "roll", start=0.0, length=6.0, axis=axis, centre=hub, radius_mm=round(radius, 3))
    eye = "cameras/cart-camera"
    document = put_many(document, {
        f"{eye}/position": (-1250.0, -3350.0, 820.0), f"{eye}/focal_length_mm": 46.0, f"{eye}/motion_blur": True, f"{eye}/shutter_angle": 180.0,
        f"{eye}/looks_at": cart, f"{eye}/look_point": (-40.0, 0.0, 300.0), "shots/cart/width": 1920, "shots/cart/height": 1080,
    })  # fmt: skip
    lamp = next(iter(document.lamps.values()))
    document = edits.put_lamp(document, replace(lamp, position=(-1900.0, -2900.0, 2700.0), width=3000.0, height=2000.0, power=lamp.power * 3.2))
    return replace(document, render=replace(RenderSettings(), stop="noise", noise_percent=4.0))


def main() -> None:
    """Write the films, or only those named."""
    from aulmo.deliver.encoding import display_picture, small_png
    from aulmo.trace.tracer import render

    wanted = [word for word in sys.argv[1:] if not word.startswith("--")]
    for name, source, time in (("wick-film", "wick", 4.6), ("barrow-film", "barrow", 2.6)):
        if wanted and name not in wanted:
            continue
        document, assets = project_file.load(HERE / f"{source}.aulmo")
        made = finishes.film(wick_film(document)) if name == "wick-film" else barrow_film(document, assets)
        thumbnail = None
        if "--no-thumbnails" not in sys.argv:
            picture = render(made, assets, made.shots[0], (400, 225), RenderSettings(stop="samples", samples=64), time_=time)
            thumbnail = small_png(display_picture(picture), 400)
        project_file.save(made, assets, HERE / f"{name}.aulmo", thumbnail)
        print(f"{name}: {len(made.keys)} keyed properties, {len(made.motions)} motions")


if __name__ == "__main__":
    main()
