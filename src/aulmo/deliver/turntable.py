"""A turntable for the web: pictures all round the product, from one height or several, in a folder with a page that turns them, and no network."""

import time
from pathlib import Path
from typing import Callable, Mapping, NamedTuple, Sequence

import numpy as np
from msgspec.structs import replace

from aulmo.deliver.developing import finish_key, rendered, settings_for
from aulmo.deliver.making import Made
from aulmo.deliver.notes import Notes
from aulmo.deliver.page import write_page
from aulmo.deliver.picture_file import FILE_TYPES, file_key, signed, write_picture
from aulmo.document import variants
from aulmo.document.assets import AssetStore
from aulmo.document.file_names import names_apart
from aulmo.document.moving.mover import about as turned
from aulmo.document.records import Camera, Document, RenderSettings, Shot
from aulmo.document.writing import write_atomically
from aulmo.errors import BadValue, CannotWrite
from aulmo.motion.ready import new_motion, put_motion, wear
from aulmo.motion.recording import as_now
from aulmo.prepare.arrange import bounds, product_roots
from aulmo.trace import tracer
from aulmo.trace.scene import SceneBuilder

MOST_FRAMES, MOST_PICTURES = 360, 20_000
STRIP_HEIGHT = 240  # pixels of the image strip
Tell = Callable[[int, int, float, float], bool]
KINDS = ("jpg", "png", "webp")  # what every browser shows
LIGHT = ("set", "product", "camera")  # what the light may stay with


class Turntable(NamedTuple):
    """What is made: pictures a turn, heights above the shot's own in degrees, what the light stays with ("set", "product" or "camera"), the file
    type of the pictures, the page's background and title."""

    frames: int = 36
    heights: tuple[float, ...] = (0.0,)
    light: str = "set"
    kind: str = "jpg"
    background: str = "#ffffff"
    title: str = ""


def product_of(document: Document) -> list[str]:
    """The roots that are the product, see `arrange.product_roots`. Raises BadValue where a set is all there is."""
    found = product_roots(document)
    if not found:
        raise BadValue("There is no product to turn: only a set is there.")
    return found


def raised(camera: Camera, middle: np.ndarray, degrees: float) -> Camera:
    """A camera carried up about the product's middle, still upright; no nearer to straight above than 4 degrees."""
    place, target = np.array(camera.position, float), np.array(camera.target, float)
    away = place - middle
    flat = float(np.hypot(away[0], away[1]))
    now = np.degrees(np.arctan2(away[2], flat))
    by = float(np.clip(now + degrees, -86.0, 86.0) - now)
    across = np.array([-away[1], away[0], 0.0]) / max(flat, 1e-9) if flat > 1e-9 else np.array([1.0, 0.0, 0.0])
    matrix = turned(across, -by, middle)
    moved = [matrix[:3, :3] @ p + matrix[:3, 3] for p in (place, target)]
    return replace(camera, position=tuple(float(v) for v in moved[0]), target=tuple(float(v) for v in moved[1]))


def turning(document: Document, assets: AssetStore, shot: Shot, what: Turntable, height: float, time_: float = 0.0) -> Document:
    """The project standing still at a time of its film, with a motion that turns the product once within a second, seen from a height."""
    still = replace(as_now(document, time_, {}), keys={}, motions={}, frames_per_second=float(what.frames))
    roots = product_of(still)
    box = bounds(still, assets, roots)
    if box is None:
        raise BadValue("There is no product to turn.")
    middle = 0.5 * (box[0] + box[1])
    centre = tuple(float(v) for v in middle)
    turn = {"degrees": 360.0, "ease": "even", "axis": "z", "axis_of": "world", "centre": centre, "carries": what.light}
    motion = new_motion(still, roots[0], "turntable", 0.0, 1.0, **turn)
    still = put_motion(still, motion)
    if len(roots) > 1:
        still = wear(still, motion.id, [f"parts/{i}" for i in roots[1:]])
    camera = replace(raised(still.cameras[shot.camera], middle, height), motion_blur=False, looks_at=None, focus_on=None)
    return replace(still, cameras={**still.cameras, camera.id: camera})


def make_turntable(
    document: Document, assets: AssetStore, shot_name: str | None, rows: Sequence[Mapping[str, str]], what: Turntable, size: tuple[int, int],
    settings: RenderSettings, out: Path, tell: Tell | None = None, time_: float = 0.0,
) -> Made:  # fmt: skip
    """Make the pictures of a turntable that are missing, its page and its strip. Run again, it goes on where it stopped.

    `rows` are the variants by names. `tell` (pictures done, of all, seconds, seconds left) may return False to stop. Raises BadValue or CannotWrite.
    """
    from aulmo.deliver.stills import shot_of

    check(what, len(rows))
    try:
        (out / "pictures").mkdir(parents=True, exist_ok=True)
    except OSError as error:
        raise CannotWrite(f"The folder {out} could not be made: {error.strerror or error}.") from error
    settings = replace(settings, passes=(), negative=False)
    notes = Notes(out / "turntable.json")
    builder, began, made, kept = SceneBuilder(assets), time.perf_counter(), 0, 0
    whole = len(rows) * len(what.heights) * what.frames
    files: list[list[list[str]]] = []
    stems = names_apart([" ".join(picks.values()) for picks in rows], "product")
    for picks in rows:
        shot = shot_of(document, picks, shot_name)
        of = variants.chosen(document, picks)
        own = next(s for s in of.shots if s.id == shot.id)
        stem = stems[len(files)]
        per_row: list[list[str]] = []
        for row, height in enumerate(what.heights):
            turning_now = turning(of, assets, own, what, height, time_)
            ending = FILE_TYPES[what.kind].ending
            names = [f"pictures/{stem} {row + 1} {k:03d}{ending}".replace(" ", "-").replace("~", "") for k in range(what.frames)]
            per_row.append(names)
            for k, name in enumerate(names):
                at = k / what.frames
                wants = settings_for(turning_now, own, settings, what.kind)
                digest = tracer.digest_of(turning_now, own, size, wants, at) + file_key(what.kind, settings)
                digest += finish_key(turning_now, own, settings, what.kind, at)
                if notes.has(name, digest, out / name):
                    kept += 1
                    continue
                one = rendered(turning_now, assets, own, size, settings, what.kind, None, builder, None, at)
                assert one is not None
                about = signed(document, f"{own.name}, {360 * k / what.frames:g} degrees")
                write_picture(one.picture, out / name, what.kind, about, settings)
                made += 1
                notes.note(name, digest)
                spent = time.perf_counter() - began
                if tell is not None and not tell(made + kept, whole, spent, spent / made * (whole - made - kept)):
                    return Made(made, kept, spent, made + kept < whole)
        files.append(per_row)
    _write_page(document, rows, files, what, size, out)
    _write_strip([out / name for name in files[0][0]], out / "strip.jpg")
    return Made(made, kept, time.perf_counter() - began, False)


def check(what: Turntable, rows: int) -> None:
    """Raise BadValue for what cannot be made."""
    if not 2 <= what.frames <= MOST_FRAMES:
        raise BadValue(f"A turntable has between 2 and {MOST_FRAMES} pictures a turn.")
    if not what.heights or not all(np.isfinite(h) and -85 <= h <= 85 for h in what.heights):
        raise BadValue("Heights are degrees between -85 and 85, as 0,25,50.")
    if what.light not in LIGHT:
        raise BadValue("The light stays with the set, the product or the camera.")
    _colour(what.background)
    if what.kind not in KINDS:
        raise BadValue(f"Pictures of a web page are {', '.join(KINDS[:-1])} or {KINDS[-1]}.")
    if rows * len(what.heights) * what.frames > MOST_PICTURES:
        raise BadValue(f"That would be more than {MOST_PICTURES:,} pictures; take fewer.")


def _write_page(document: Document, rows: Sequence[Mapping[str, str]], files: list, what: Turntable, size: tuple[int, int], out: Path) -> None:
    axes = list(dict.fromkeys(axis for picks in rows for axis, choice in picks.items() if choice and axis != "shot"))
    shown = {axis: list(dict.fromkeys(picks[axis] for picks in rows if picks.get(axis))) for axis in axes}
    order = sorted(range(len(what.heights)), key=lambda k: -what.heights[k])  # the highest first: up is up
    about = {
        "frames": what.frames, "rows": [what.heights[k] for k in order], "row": order.index(0), "width": size[0], "height": size[1],
        "nearest": 4, "way": 1,
        "axes": [{"name": axis, "choices": choices} for axis, choices in shown.items() if len(choices) > 1],
        "variants": [{"picks": dict(picks), "files": [held[k] for k in order]} for picks, held in zip(rows, files)],
    }  # fmt: skip
    colours = {"background": _colour(what.background), "ink": _ink(what.background)}
    write_page(out / "index.html", "turntable", what.title or document.name, about, colours)


def _colour(text: str) -> str:
    digits = text.removeprefix("#")
    if len(digits) != 6 or any(c not in "0123456789abcdefABCDEF" for c in digits):
        raise BadValue(f"“{text}” is no colour; write it as #f4f4f4.")
    return f"#{digits}"


def _ink(background: str) -> str:
    """Black or white, whichever is read better on a background (WCAG 2.2, relative luminance)."""
    r, g, b = (int(_colour(background)[k : k + 2], 16) / 255 for k in (1, 3, 5))
    return "#1c1c1c" if 0.2126 * r**2.2 + 0.7152 * g**2.2 + 0.0722 * b**2.2 > 0.18 else "#f2f2f2"


def _write_strip(pictures: list[Path], path: Path) -> None:
    """All pictures of a turn side by side, for shops that want one image."""
    from PIL import Image

    small = []
    for picture in pictures:
        with Image.open(picture) as held:
            width = max(1, round(held.width * STRIP_HEIGHT / held.height))
            small.append(held.convert("RGB").resize((width, STRIP_HEIGHT), Image.Resampling.LANCZOS))
    width = small[0].width
    if width * len(small) > 65_000:  # more than a JPEG may be wide: every other picture
        small = small[:: -(-width * len(small) // 65_000)]
    strip = Image.new("RGB", (width * len(small), STRIP_HEIGHT))
    for k, image in enumerate(small):
        strip.paste(image, (k * width, 0))
    write_atomically(path, lambda file: strip.save(file, "JPEG", quality=90))
