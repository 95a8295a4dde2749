"""The Python face for scripts: short names for what the rest of Aulmo does. See docs/scripting.md."""

from pathlib import Path
from typing import Any, Iterable, Sequence

import numpy as np
from msgspec.structs import replace

from aulmo.document import edits, project_file
from aulmo.document.assets import AssetStore
from aulmo.document.records import Document, Material
from aulmo.errors import BadValue


def open_project(path: Path | str) -> tuple[Document, AssetStore]:
    """A project file's document and assets. Raises BadFile."""
    return project_file.load(Path(path))


def save_project(document: Document, assets: AssetStore, path: Path | str, over: bool = False) -> None:
    """Write a project file. Raises CannotWrite; `Changed`, which is one, when somebody else has saved the file since it was opened, unless `over`."""
    project_file.save(document, assets, Path(path), over=over)


def import_model(path: Path | str, document: Document | None = None, assets: AssetStore | None = None) -> tuple[Document, AssetStore]:
    """Read a CAD or mesh file into a document, lit and framed when it had no shot. Raises BadFile."""
    from aulmo.prepare.arrange import first_shot
    from aulmo.prepare.import_file import import_file

    assets = assets or AssetStore()
    result = import_file(document or Document(name=Path(path).stem), assets, Path(path))
    return first_shot(result.document, assets), assets


def find_parts(document: Document, name: str) -> list[str]:
    """Ids of the parts of a name. Raises BadValue when there is none."""
    found = [p.id for p in document.parts.values() if p.name == name]
    if not found:
        raise BadValue(f"There is no part named {name}.")
    return found


def dress(document: Document, part: str, material: str) -> Document:
    """Put a material on the parts of a name: one of the project by its name, else a swatch of the shelf. Raises BadValue."""
    from aulmo.surface import swatches

    worn = next((m for m in document.materials.values() if m.name == material), None) or swatches.material(material)
    document = edits.put_material(document, worn)
    return edits.drop_unused_materials(edits.assign_material(document, find_parts(document, part), worn.id))


def material_of(document: Document, part: str) -> Material:
    """The material of the first part of a name that wears one. Raises BadValue."""
    for part_id in edits.leaves(document, find_parts(document, part)):
        worn = document.parts[part_id].material
        if worn is not None:
            return document.materials[worn]
    raise BadValue(f"{part} wears no material.")


def add_piece(document: Document, kind: str, **sizes: Any) -> tuple[Document, str]:
    """A set piece at the origin: "floor", "wall", "cove", "plinth", "shelf", "turntable", "block", "cylinder", "cone", "tube", "sphere", "torus",
    "text" or "water", with some of its sizes in mm. Returns the document and the part's id. Raises BadValue."""
    from aulmo.prepare import pieces

    return pieces.add_piece(document, pieces.set_piece(kind, **sizes))


def make_copies(document: Document, part_ids: Sequence[str], rule: str, **numbers: Any) -> tuple[Document, str]:
    """A group of parts with a copies rule: "row", "ring", "grid", "path", "box", "ball" or "surface"; `count` of them, a "surface" `on` parts.

    Returns the document and the group's id; `resolve` gives the made parts, called `<id>:<number>`. Raises BadValue.
    """
    from aulmo.prepare import copying

    return copying.make_copies(document, part_ids, rule, **numbers)


def stand_on(document: Document, assets: AssetStore, part_id: str, point, normal, upright: bool = False) -> tuple[Document, str]:
    """A part resting at a world point of a surface that faces `normal`. Returns the document and the part's id. Raises BadValue."""
    from aulmo.prepare import standing

    return standing.stand_on(document, assets, part_id, point, normal, upright), part_id


def add_decal(
    document: Document, assets: AssetStore, picture_path: Path | str, part_id: str, point, normal, width_mm: float, depth_mm: float | None = None,
    belongs: str = "part", wrap: str = "flat",
) -> tuple[Document, str]:  # fmt: skip
    """A picture stuck on a part at a world point of its surface that faces `normal`, `width_mm` wide in the world, upright, on top of other decals.

    `depth_mm` : how far from its own face it reaches; None for what covers the surface there. `belongs` : "part", "alike" (every part of the same
    shape) or "region" (all that lies in its projector). `wrap` : "flat", "cylinder" or "ball", bent as the surface bends there. Returns the
    document and the decal's id. Raises BadFile or BadValue with a sentence.
    """
    from aulmo.document.decals import put_decal
    from aulmo.prepare import sticking
    from aulmo.surface.picture_set import load_picture

    name = load_picture(assets, Path(picture_path))
    spot = sticking.spot_at(document, assets, part_id, point, normal)
    decal = sticking.new_decal(
        document, assets, spot, wrap, depth_mm=depth_mm, name=Path(picture_path).stem, picture=name, file=Path(picture_path).name, width_mm=width_mm,
        belongs=belongs,
    )  # fmt: skip
    return put_decal(document, decal), decal.id


def lay_picture(
    document: Document, assets: AssetStore, part_id: str, picture_path: Path | str, drives: str = "base_color", width_mm: float | None = None,
    projection: str = "box",
) -> tuple[Document, str]:  # fmt: skip
    """Lay a picture on a part so that it drives a parameter of its material: any of `surface.program.WIRED`, "normal" or "height".

    `width_mm` : of one tile in the part's own mm; None takes the file's dots per inch, or the part's size where it has none. `projection` : "flat",
    "box", "cylinder", "sphere", "axis" (round an axis) or "uv" (the file's own coordinates). A material that other parts share is made this
    part's own. Returns the document and the material's id. Raises BadFile or BadValue.
    """
    from aulmo.surface import laying

    return laying.lay_picture(document, assets, part_id, Path(picture_path), drives, width_mm, projection)


def save_materialx(document: Document, assets: AssetStore, material_name: str, path: Path | str) -> list[str]:
    """Write a material as MaterialX: to a .mtlx file with its pictures beside it, or with them into a .zip. Returns sentences on what other programs
    will not know. Raises BadValue or CannotWrite."""
    from aulmo.surface.materialx_out import save_material

    found = next((m for m in document.materials.values() if m.name == material_name), None)
    if found is None:
        raise BadValue(f"There is no material named {material_name}.")
    return save_material(found, assets, Path(path))


def load_materialx(document: Document, assets: AssetStore, path: Path | str) -> tuple[Document, list[str]]:
    """Read the materials of a MaterialX file, or of a .zip that holds one. Returns the document with them, and their ids; what has no counterpart is
    told in its notes. Raises BadFile; the document is as it was."""
    from aulmo.surface.materialx_in import add_materials, read_materials

    read = read_materials(Path(path), assets)
    made, ids = add_materials(document, read.materials)
    return replace(made, notes=(*made.notes, *read.notes)), ids


def add_softbox(document: Document, kind: str = "plain", **numbers: Any) -> tuple[Document, str]:
    """A softbox on the dome, on top of the others: "plain", "graded" or "picture"; `azimuth`, `elevation`, `width`, `height` in degrees, `stops`
    above white, or any other property of a softbox. Returns the document and its id. Raises BadValue."""
    from aulmo.light.softbox import new_softbox, put_softbox

    box = new_softbox(document, kind, **numbers)
    return put_softbox(document, box), box.id


def aim(
    document: Document, assets: AssetStore, shot_name: str, pixel: tuple[float, float], softbox_id: str | None, how: Any = "highlight"
) -> tuple[Document, str]:
    """A softbox or lamp put where it makes a "highlight" at a pixel (column, row) of a shot, lights it squarely ("facing"), or lets a shadow fall
    on it ("shade"); a new softbox for None. Returns the document and the light's id. Raises BadValue with a sentence."""
    from aulmo.trace.aim import aim as aimed

    made = aimed(document, assets, shot_name, pixel, softbox_id, how)
    return made.document, made.light


def light_check(document: Document, assets: AssetStore, shot_name: str | None = None) -> dict[str, Any]:
    """What the light of a shot lacks: `clipped`, `underlit` and `flat` as shares of the product, `rim` as the share of its outline that stands out
    from what is behind it, `parts` the same by name, `findings` in words. Raises BadValue."""
    from aulmo.trace.check_light import check_shot

    return check_shot(document, assets, edits.find_shot(document, shot_name)).shares()


def portals(document: Document, assets: AssetStore, place: tuple[float, float, float]) -> tuple[Document, list[str]]:
    """A portal in every opening of the room that a place (mm) lies in, of the opening's size, halfway through its wall, facing the room; one that
    has a portal keeps it. Panes count as open. Returns the document and the portals' ids. Raises BadValue with a sentence."""
    from aulmo.trace.openings import portals as found

    return found(document, assets, place)


def sun_through(
    document: Document, assets: AssetStore, point: tuple[float, float, float], through: tuple[float, float, float]
) -> Document:  # fmt: skip
    """The document with its sun where it shines on a point through another, as a place in a window (mm): the sky's sun, one among the lamps, that of
    the dome's picture, which is turned, else a new one. Raises BadValue where something stands in the way or it would shine from below."""
    from aulmo.trace.sun_through import sun_through as sent

    return sent(document, assets, point, through)


def health(document: Document, assets: AssetStore) -> list[dict[str, Any]]:
    """What is wrong with the visible parts, worst first: the `part` by its id, the `kind` ("flipped", "open", "hole", "coincident", "doubled",
    "overlap", "sliver", "unseen", "scale", "coarse") and `size_mm`. Raises BadFile for a mesh that is gone."""
    from aulmo.prepare.health.findings import KINDS, examine

    return [{"part": f.part, "kind": f.kind, "size_mm": f.size_mm} for f in examine(document, assets, kinds=[k for k in KINDS if k != "fine"])]


def mend(document: Document, assets: AssetStore, findings: Sequence[dict[str, Any]]) -> Document:
    """The document with findings of `health` mended, as far as they can be. Raises BadValue for one that is not of this document."""
    from aulmo.prepare.health.findings import examine
    from aulmo.prepare.health.mend import mend as mended

    wanted = [(f["part"], f["kind"], float(f["size_mm"])) for f in findings]
    found = {(f.part, f.kind, f.size_mm): f for f in examine(document, assets)} if wanted else {}
    if not set(wanted) <= set(found):
        raise BadValue("A finding is not of this document; look at its health again.")
    return mended(document, assets, [f for key, f in found.items() if key in set(wanted)])


def leaks(document: Document, assets: AssetStore, place: tuple[float, float, float]) -> list[dict[str, Any]]:
    """Where outside light comes into the closed space that a place (mm) lies in, the widest first: `at`, the middle of the opening in the world, and
    `size_mm`, its breadth. Raises BadValue when the place does not lie within a space."""
    from aulmo.prepare.health.leaks import leaks as found

    return [{"at": leak.at, "size_mm": leak.size_mm} for leak in found(document, assets, place)]


def settle(document: Document, assets: AssetStore, parts: Iterable[str], **how: Any) -> Document:
    """Let parts fall, by their ids, until they rest on the others and the floor. `how` may have `seed`, `bounce`, `friction`, `tumble` (°/s),
    `seconds` (at the longest) and `together` (chosen groups fall as one). Raises BadValue for what cannot fall."""
    from aulmo.prepare.settle.fall import Letting, kept, let_fall

    try:
        wanted = Letting(**how)
    except TypeError as error:
        raise BadValue(f"How parts fall is told by {', '.join(Letting._fields)}.") from error
    fall = let_fall(document, assets, parts, wanted)
    assert fall is not None
    return kept(document, fall, fall.seconds)


def make_carton(document: Document, assets: AssetStore, path: Path | str, thickness_mm: float = 0.4) -> tuple[Document, str]:
    """A closed carton of a flat drawing (DXF, SVG or PDF), standing on the floor, of board so thick. Returns the document and the part's id. Raises
    BadFile or BadValue with one sentence."""
    from aulmo.prepare.carton import make

    return make.make_carton(document, assets, Path(path), thickness_mm)


def fold(document: Document, carton_id: str, degrees: Any) -> Document:
    """A carton folded: all creases by so many degrees, or some by `{crease: degrees}`, by their ids or the groups they are in ("body", "glue", "top
    lid" and so on; `document.parts[id].carton.creases` lists both). Above 0 the print lies outside. Raises BadValue with one sentence."""
    from aulmo.prepare.carton import make

    return make.fold(document, carton_id, degrees)


def print_carton(document: Document, assets: AssetStore, carton_id: str, path: Path | str, side: str = "front") -> Document:
    """A carton with artwork (PDF, SVG, PNG, TIFF) over its whole flat, on its "front" or "back". Layers and spot colours named foil, emboss, deboss,
    varnish, white or soft touch become metal, relief, gloss; a file whose name says so is that plate alone. Raises BadFile or BadValue."""
    from aulmo.prepare.carton import artwork

    return artwork.print_carton(document, assets, carton_id, Path(path), side)


def relink(document: Document, assets: AssetStore, path: Path | str) -> tuple[Document, dict[str, list[str]]]:
    """Take a new revision of a file that was brought in, and keep what was done with its parts. The report's lists name parts that were `kept`, `new`
    and `gone`, and tell in sentences what was `lost`; `notes` tell the rest. A file that is another product is brought in beside it. Raises BadFile,
    BadValue when the project has no such file."""
    from aulmo.prepare.revision.take import relink as taken

    made, report = taken(document, assets, Path(path))
    return made, {name: list(value) for name, value in report._asdict().items()}


def save_set_up(document: Document, assets: AssetStore, path: Path | str) -> None:
    """Write all light of a document to a file: dome, softboxes, lamps, backdrop. Raises CannotWrite."""
    from aulmo.light.set_ups import save

    save(document, assets, Path(path))


def load_set_up(document: Document, assets: AssetStore, path: Path | str) -> Document:
    """The document lit by a set-up's file instead of its own light. Raises BadFile; the document is as it was."""
    from aulmo.light.set_ups import load

    return load(document, assets, Path(path))


def save_dome(document: Document, assets: AssetStore, path: Path | str, width: int = 4096) -> None:
    """Write the dome with its softboxes as a latitude-longitude EXR, `width` x `width` / 2, linear Rec.709. Raises BadValue or CannotWrite."""
    from aulmo.trace.dome_file import save_dome as save

    save(document, assets, Path(path), width)


def render_array(
    document: Document, assets: AssetStore, shot: str | None = None, size: tuple[int, int] | None = None, samples: int = 64, denoise: bool = True
) -> np.ndarray:
    """(height, width, 4) float32 display values with straight alpha of a shot. Raises BadValue."""
    from aulmo.deliver.encoding import display_picture
    from aulmo.trace.tracer import render

    found = edits.find_shot(document, shot)
    settings = replace(document.render, stop="samples", samples=samples, denoise=denoise)
    picture = render(document, assets, found, size or (found.width, found.height), settings)
    assert picture is not None  # only a progress callback cancels
    return display_picture(picture)


def sight_lines(size: tuple[int, int], lines: Sequence[Any], known: Any = None) -> Any:
    """The camera that sees lines where they were drawn on a photograph of `size` pixels.

    `lines` holds `(direction, (x0, y0), (x1, y1))` in pixels from the upper left corner, with more points of a line that bows if there are any;
    direction 1 or 2 of two level ones that are square to one another, or 3 for upright. Drawn all one way, they say which way x and y go. `known` :
    the number of a line, from 0, and its length in mm, as `(0, 1200)`; or a dict with any of `line`, `length_mm`, `origin` (the pixel where the
    world's origin stands), `raised_mm` (that plane above the line's), `focal_mm`, `sensor_mm`, `bend`. Without a length the camera stands 1500 mm
    high.

    Returns an object with `camera`, `residuals` (px, of each line), `focal_length_mm` (for `camera.sensor_mm`), `notes`, `bad` (numbers of lines that
    fit badly). Raises BadValue with one sentence.
    """
    from aulmo.frame.sight_lines import Known, Line, find_camera

    try:
        drawn = [Line(int(direction), np.array([tuple(p) for p in points], float).reshape(-1, 2)) for direction, *points in lines]
        told = known if isinstance(known, dict) else dict(zip(("line", "length_mm"), known)) if known is not None else {}
        given = Known(**told)
        sides = (int(size[0]), int(size[1]))
    except (TypeError, ValueError) as error:
        raise BadValue("Lines are (direction, (x0, y0), (x1, y1)) in pixels, and what is known is a line's number and its length in mm.") from error
    return find_camera(sides, drawn, given, as_drawn=True)


def shadow_stick(
    camera: Any, size: tuple[int, int], foot: tuple[float, float], top: tuple[float, float], tip: tuple[float, float], wall: Any = None
) -> tuple[float, float]:  # fmt: skip
    """(azimuth, elevation) of the sun, as `Sky` has them, by something upright and its shadow: pixels of its foot, its top and the shadow's tip in a
    frame of `size`. The foot stands on the floor, z = 0; the tip lies there, or on a wall whose foot is the line through two pixels `wall`.

    Raises BadValue with one sentence.
    """
    from aulmo.frame.shadow_stick import angles, direction, places

    return angles(direction(places(camera, size, foot, top, tip, wall)))


def add_key(document: Document, address: str, time: float, value: Any, ease: str = "eased") -> Document:
    """A property's value at a time in seconds, by its address ("parts/<id>/placement/position", "cameras/<id>/focal_length_mm", ...). `ease` :
    "even", "eased" (from and to a stop), "smooth" (through without overshooting), "held", "sprung" or "bent". A key at that time is replaced.
    Raises BadValue with one sentence."""
    from aulmo.motion.keys import add_key as add

    return add(document, address, time, value, ease)


def add_motion(
    document: Document, target_id: str, kind: str, start: float = 0.0, length: float | None = None, **numbers: Any
) -> tuple[Document, str]:  # fmt: skip
    """A ready motion of a part, camera, lamp, softbox or the "environment": "spin", "slide", "lift", "swing", "fade", "glow", "turntable", "orbit",
    "dolly", "zoom", "fly", "follow", "roll", "steer", "ride" or "shake", from `start` for `length` seconds.

    `numbers` : any field of `records.Motion`, as `degrees`, `axis` ("x", "y", "z" or three numbers), `axis_of` ("own" or "world"), `distance_mm`,
    `path`, `radius_mm`, `repeats`, `carries`; `ease` "even" or "eased". A part turns about its pivot, else its own origin. Returns the document and
    the motion's id. Raises BadValue with one sentence.
    """
    from aulmo.motion.ready import new_motion, put_motion

    motion = new_motion(document, target_id, kind, start, length, **numbers)
    return put_motion(document, motion), motion.id


def add_grade(document: Document, shot_name: str, mask: Any = None, **values: Any) -> Document:
    """A grade on top of a shot's finish, by the names and units of `records.Grade` (exposure=0.5, saturation=-0.1), everywhere or through a mask: the
    name of a part, a `records.Mask`, or several. Raises BadValue for a shot, part or number there is not."""
    from aulmo.finish.edits import add_grade as add

    return add(document, shot_name, mask, values)


def finish_array(document: Document, assets: AssetStore, shot_name: str, planes: Any) -> np.ndarray:
    """(h, w, 3) float32 display pixels 0..1 of a shot's finish, of `planes`: a finished render, an EXR file by its path, or arrays by name ("rgb" in
    shares of white, perhaps "alpha", "raw", "group.Key", "depth" and so on). What cannot be made is left out. Raises BadValue or BadFile."""
    from aulmo.finish.edits import finished_of

    return finished_of(document, assets, shot_name, planes)[0]


def add_choice(document: Document, axis: str, choice: str, overrides: dict[str, Any]) -> Document:
    """The document with a choice along an axis, both by their names, which are made where they are not there yet: by address what differs from the
    base, as {"materials/<id>/surface/base_color": (0.1, 0.3, 0.1)}. `resolve(document, {axis: choice})` shows it. Raises BadValue with one sentence.
    """
    from aulmo.document import variants

    held = next((a for a in document.axes if a.name.lower() == axis.strip().lower() or a.id == axis), None)
    if held is None:
        document, axis_id = variants.add_axis(document, axis)
        held = variants.axis_of(document, axis_id)
    known = next((c for c in held.choices if c.name.lower() == choice.strip().lower()), None)
    if known is not None:
        return variants.put_override(document, known.id, overrides)
    return variants.add_choice(document, held.id, choice, overrides)[0]


def shelf_add(folder: Path | str) -> None:
    """Put a folder on the shelf: it is looked through when something is looked for, and nothing of it is copied. Raises BadFile."""
    from aulmo.shelf.shelves import add_folder

    add_folder(Path(folder))


def shelf_find(words: str = "") -> list[dict[str, str]]:
    """What lies on the shelf and meets all words, the best first: `name`, `kind` ("swatch", "light set", "dome", "light picture", "lamp", "prop",
    "picture", "picture set", "artwork", "photograph", "finish", "board", "carton", "model", "film", "colour table") and `path`, which begins with
    "aulmo:" where there is no file. Words may be of names, tags, kinds, colours, finishes, or numbers: "rough black plastic", "ior 1.46", "2 m"."""
    from aulmo.shelf.shelves import Shelf
    from aulmo.shelf.words import found

    shelf = Shelf()
    shelf.refresh()
    return [{"name": t.name, "kind": t.kind, "path": t.path} for t in found(shelf.things(), words)]


def keep_prop(document: Document, assets: AssetStore, part_id: str, path: Path | str) -> None:
    """Keep a part, or a group, with all it wears and what belongs to it in a file. Raises BadValue or CannotWrite."""
    from aulmo.shelf import props

    if part_id not in document.parts:
        raise BadValue(f"There is no part {part_id}.")
    props.keep_prop(document, assets, [part_id], Path(path))


def use_prop(
    document: Document, assets: AssetStore, path: Path | str, at: tuple[float, float, float] | None = None, tied: bool = False
) -> tuple[Document, list[str]]:
    """A document with a kept prop, or another project's product, at its size on the floor: where it stood at home, or with its foot `at` a place. A
    `tied` one is told of when its file changes. Returns the document and the ids of its roots. Raises BadFile; the document is as it was."""
    from aulmo.shelf import props

    return props.use_prop(document, assets, Path(path), at=at, tied=tied)


def add_colour(document: Document, name: str, rgb: tuple[float, float, float]) -> tuple[Document, str]:
    """A colour of the project (linear ACEScg). Returns the document and its id; putting "colour:<id>" at the address of any colour of a material,
    decal, light or backdrop lets that follow it. Raises BadValue."""
    from aulmo.document import colours

    return colours.add_colour(document, name, rgb)
