"""What a file is taken for on the shelf: told by what is in it, and only then by its name."""

import re
from pathlib import Path
from typing import Any, Callable, Iterable

import msgspec
import numpy as np

from aulmo.document import project_file
from aulmo.document.apart import apart
from aulmo.document.moving.footage import MOVIES
from aulmo.document.quantity import counted
from aulmo.errors import AulmoError
from aulmo.shelf import looks
from aulmo.shelf.looks import Look
from aulmo.shelf.props import SUFFIX as PROP
from aulmo.shelf.things import Thing, finish_of, lab, look_of, swatch_thing
from aulmo.surface.picture_set import role_by_name, words_of

LIGHT, LAMP, DECAL, FINISH = ".aulmolight", ".aulmolamp", ".aulmodecal", ".finish.json"
PICTURES = (".png", ".jpg", ".jpeg", ".tif", ".tiff", ".webp", ".bmp", ".gif", ".tga", ".jp2", ".dpx", ".psd", ".exr", ".hdr")
MODELS = (".step", ".stp", ".iges", ".igs", ".brep", ".obj", ".stl", ".ply", ".gltf", ".glb", ".3mf", ".usd", ".usda", ".usdc", ".usdz")
LARGEST = 4 << 30  # bytes of a file that is looked into
MOST_IN_A_FILE = 60  # things of one file
_SIZES = re.compile(r"\b(\d+k|\d{3,5}(x\d+)?(px)?|\d+\s?dpi|\d+bit|gl|dx|ogl|yup|ydown|srgb|raw|linear|v\d+)\b")


def known(path: Path) -> bool:
    """Whether a file may lie on the shelf, by its ending alone."""
    name = path.name.lower()
    return not name.startswith(".") and (name.endswith(FINISH) or path.suffix.lower() in _READERS)


@apart(seconds=90, gigabytes=8, process="shelf")
def told_of(paths: list[Path]) -> list[tuple[Thing, ...]]:
    """What each of some files holds for the shelf. One that cannot be used comes with a sentence."""
    return [things_in(path) for path in paths]


def things_in(path: Path) -> tuple[Thing, ...]:
    """What one file holds for the shelf; nothing for what has no place there."""
    name, ending = path.name.lower(), path.suffix.lower()
    read = _finish if name.endswith(FINISH) else _READERS.get(ending)
    if read is None:
        return ()
    try:
        if not path.stat().st_size:
            return (broken(path, f"{path.name} is empty."),)
        if path.stat().st_size > LARGEST:
            return (broken(path, f"{path.name} is larger than {LARGEST >> 30} GB."),)
        return tuple(read(path))[:MOST_IN_A_FILE]
    except AulmoError as error:
        return (broken(path, str(error)),)
    except OSError as error:
        return (broken(path, f"{path.name} could not be read: {error.strerror or error}."),)
    except Exception:  # noqa: BLE001 (whatever a damaged file makes of a library)
        return (broken(path, f"{path.name} is damaged, or not what its name says."),)


def broken(path: Path, sentence: str) -> Thing:
    """A file that cannot be used, as what its name says it should be."""
    name = path.name.lower()
    kind = "finish" if name.endswith(FINISH) else KIND_OF.get(path.suffix.lower(), "picture")
    return Thing(title(path), kind, str(path), trouble=sentence)


def title(path: Path) -> str:
    """A file's name without its ending, as words."""
    stem = path.name[: -len(FINISH)] if path.name.lower().endswith(FINISH) else path.stem
    return re.sub(r"[_\s]+", " ", stem).strip() or path.name


# pictures


_ROLE_NEVER = {"light", "paint", "base", "illumination", "depth", "ambient", "smooth", "cavity", "mtl", "met", "nor", "hgt", "color", "colour", "col"}
_ROLE_LAST = {"color", "colour", "col", "diff", "alpha", "rough", "mask", "metal", "bump", "disp", "smooth", "nor", "met", "depth"}


def role_of(path: Path) -> str:
    """What a picture of a surface is for by its name: by a word that says nothing else, or by the last one. A table in the light is no glow."""
    words = [w for w in words_of(path.stem) if not _SIZES.fullmatch(w)]
    role = role_by_name(path.name)
    if not role or not words:
        return ""
    pairs = {a + b for a, b in zip(words, words[1:])}
    sure = [w for w in words if role_by_name(w) and w not in _ROLE_NEVER | _ROLE_LAST]
    if sure or pairs & {"basecolor", "basecolour", "ambientocclusion"}:
        return role
    return role_by_name(words[-1]) if words[-1] in _ROLE_LAST and len(words) > 1 else ""


def _picture(path: Path) -> Iterable[Thing]:
    look = looks.look_at(path)
    yield told_by(path, look)


def told_by(path: Path, look: Look) -> Thing:
    """What a picture is."""
    words = set(words_of(path.stem))
    colours, numbers = looks.colours_of(look), looks.look_numbers(look)
    size = {"px": float(look.width), "width": 0.0}
    if look.dpi > 1 and look.dpi not in (72.0, 96.0):
        size["dpi"] = look.dpi
        size["width"] = look.width / look.dpi * 25.4
    size = {k: v for k, v in size.items() if v}
    pixels = f"{look.width} × {look.height}"

    def thing(kind: str, told: str, **more: Any) -> Thing:
        return Thing(
            title(path),
            kind,
            str(path),
            told=told,
            colours=more.pop("colours", colours),
            numbers={**size, **more.pop("numbers", {})},
            look=numbers,
            **more,
        )

    role = role_of(path)
    ratio = look.width / max(1, look.height)
    dome_said = bool(words & {"hdri", "dome", "environment", "env", "pano", "panorama", "equirectangular", "latlong", "sky", "360"})
    if not role and look.range and abs(ratio - 2) < 0.02 and look.width >= 64 and look.cover is None:
        return _dome(thing, look)
    if not role and not look.range and (looks.is_sphere(look) or (dome_said and abs(ratio - 2) < 0.01 and look.width >= 256)):
        return _dome(thing, look)
    if role and not (role in ("glow", "colour") and looks.cut_out(look) > 0.2):
        return thing("picture", f"{role} · {pixels}", role=role)
    normal = _is_normal(look)
    if normal:
        return thing("picture", f"normal · {pixels}", role="normal")
    light_said = bool(
        words
        & {
            "softbox",
            "umbrella",
            "scrim",
            "octabox",
            "octa",
            "strip",
            "striplight",
            "beauty",
            "gobo",
            "cookie",
            "reflector",
            "lightbank",
            "flag",
            "ringlight",
        }
    )
    light = looks.is_light(look)
    if light and (look.range or light_said or not (looks.cut_out(look) > 0.03 and looks.is_flat(look))):
        return thing("light picture", pixels, tags=("cut out",) if look.cover is not None else ())
    if look.range and light_said:
        return thing("light picture", pixels)
    if looks.cut_out(look) > 0.03:
        return thing("artwork", f"cut out · {pixels}")
    if look.range:
        return thing("photograph" if ratio > 1.2 or ratio < 0.83 else "light picture", pixels)
    if look.camera:
        return thing("photograph", pixels)
    even = looks.tiles(look)
    if looks.is_flat(look) and (not even or looks.has_margin(look)):
        return thing("artwork", f"drawn · {pixels}")
    square = look.width == look.height
    round_size = look.width & (look.width - 1) == 0 and look.height & (look.height - 1) == 0
    said = bool(
        re.search(
            r"\b(img|dsc|dscf|dscn|pxl|photo|photograph|backdrop|plate|scene|room|street|view|landscape|kitchen|table ?top)",
            path.stem.lower().replace("_", " "),
        )
    )
    shaped = any(abs(max(ratio, 1 / ratio) - r) < 0.02 for r in (1.5, 4 / 3, 16 / 9, 1.25))
    if said and not (square and even):
        return thing("photograph", pixels)
    if not even and not square and not round_size and shaped and max(look.width, look.height) >= 900:
        return thing("photograph", pixels)
    return thing("picture", f"{'repeats · ' if even else ''}{pixels}")


def _is_normal(look: Look) -> bool:
    from aulmo.surface.colour import encode_srgb

    v = 2 * encode_srgb(np.clip(look.light, 0, 1)) - 1 if not look.range else 2 * look.light - 1
    length = np.linalg.norm(v, axis=2)
    lean = abs(float(v[..., 0].mean())) + abs(float(v[..., 1].mean()))
    return bool(v[..., 2].mean() > 0.5 and lean < 0.2 and np.median(np.abs(length - 1)) < 0.08)


def _dome(thing: Callable[..., Thing], look: Look) -> Thing:
    sun = looks.sun_in(look)
    mean = look.light.mean((0, 1))
    white = mean / max(1e-6, float(mean.max()))
    numbers = {"stops": round(sun.stops, 1)}
    place = "outdoors" if sun.outside else "indoors"
    if not look.range:
        told = f"{place} · no range"
    elif sun.elevation is not None:
        numbers |= {"sun": sun.elevation, "azimuth": sun.azimuth or 0.0}
        told = f"sun {sun.elevation:.0f}° · {sun.stops:.0f} stops"
    else:
        told = f"{place} · {sun.stops:.0f} stops"
    from aulmo.surface.colour import from_srgb

    return thing(
        "dome",
        told,
        numbers=numbers,
        tags=(place, *(("sun", "sunny") if sun.elevation is not None else ("no sun",))),
        colours=(lab(from_srgb(white)),),
    )


def _vector(path: Path) -> Iterable[Thing]:
    from aulmo.prepare.carton.drawing import read_drawing
    from aulmo.prepare.carton.kinds import word_kind

    blob = path.read_bytes()[: 8 << 20]
    if path.suffix.lower() == ".svg" and b"<svg" not in blob:
        yield broken(path, f"{path.name} is damaged, or no drawing.")
        return
    if path.suffix.lower() == ".pdf" and not blob.lstrip()[:1024].startswith(b"%PDF") and b"%PDF" not in blob[:1024]:
        yield broken(path, f"{path.name} is damaged, or no drawing.")
        return
    kinds: list[str] = []
    try:
        kinds = [word_kind(s) for s in read_drawing(path).strokes]
    except AulmoError:
        pass  # no lines that could be folded: artwork
    folds = sum(k in ("crease", "half", "perforation") for k in kinds)
    cuts = sum(k == "cut" for k in kinds)
    if folds and cuts and folds + cuts > 0.4 * len(kinds):
        yield Thing(title(path), "carton", str(path), told="flat drawing", tags=("vector", "dieline"))
        return
    numbers = {}
    look = drawn(path)
    more: dict[str, Any] = {}
    if look is not None:
        more = {"colours": looks.colours_of(look), "look": looks.look_numbers(look)}
    if path.suffix.lower() == ".pdf":
        numbers = _pdf_size(path)
    yield Thing(title(path), "artwork", str(path), told="vector", tags=("vector",), numbers=numbers, **more)


def drawn(path: Path) -> Look | None:
    """A vector drawing made small, None where that is not to be had."""
    from aulmo.surface.colour import decode_srgb

    try:
        if path.suffix.lower() == ".svg":
            from aulmo.surface.picture import read_picture

            found = read_picture(path.read_bytes(), path.name, 1 << 16, looks.SMALL)
            values = found.codes / float(np.iinfo(found.codes.dtype).max)
            width, height = found.width, found.height
        else:
            import pypdfium2

            page = pypdfium2.PdfDocument(str(path))[0]
            width, height = (int(v) for v in page.get_size())
            values = np.asarray(page.render(scale=looks.SMALL / max(1, width, height)).to_numpy())[..., 2::-1] / 255.0
    except Exception:  # noqa: BLE001 (it lies there without a colour to be found by)
        return None
    cover = values[..., 3].astype(np.float32) if values.shape[2] == 4 and values[..., 3].min() < 0.999 else None
    rgb = values[..., :3] if values.shape[2] >= 3 else np.repeat(values[..., :1], 3, 2)
    return Look(decode_srgb(rgb).astype(np.float32), cover, False, max(1, width), max(1, height), 0.0, False)


def _pdf_size(path: Path) -> dict[str, float]:
    try:
        import pypdfium2

        width, height = pypdfium2.PdfDocument(str(path))[0].get_size()
        return {"width": width / 72 * 25.4, "height": height / 72 * 25.4}
    except Exception:  # noqa: BLE001
        return {}


# what Aulmo writes


def _swatches(path: Path) -> Iterable[Thing]:
    from aulmo.document.assets import AssetStore
    from aulmo.surface import library
    from aulmo.surface.materialx_in import read_materials

    if path.suffix.lower() == ".zip":
        import zipfile

        with zipfile.ZipFile(path) as archive:
            if not any(n.lower().endswith(".mtlx") for n in archive.namelist()):
                return
    found = read_materials(path, AssetStore()).materials
    about = library.about(path) if path.suffix.lower() == ".zip" else None
    for number, material in enumerate(found):
        thing = swatch_thing(material, str(path), material.name if len(found) > 1 else "")
        if about is not None and number == 0:
            family, tags = (about.kind or material.kind).lower(), about.tags or material.tags
            thing = msgspec.structs.replace(thing, name=about.name, inside="", family=family, tags=tags, note=about.note)
        yield thing
    if not found:
        yield broken(path, f"{path.name} holds no material.")


def _project(path: Path) -> Iterable[Thing]:
    from aulmo.document import edits
    from aulmo.prepare import arrange

    about = project_file.read_about(path)
    document, assets = project_file.load(path)
    roots = list(document.roots) if path.suffix.lower() == PROP else arrange.product_roots(document)
    several = len(roots) > 1
    for root in roots:
        within = edits.below(document, root)
        leaves = [document.parts[i] for i in within if document.parts[i].mesh is not None]
        box = arrange.bounds(document, assets, [root]) if leaves else None
        if box is None:
            continue
        lamps = sum(x.stays_with == "part" and (x.part in within or (x.part is None and root == document.roots[0])) for x in document.lamps.values())
        size = [float(v) for v in box[1] - box[0]]
        worn = [document.materials[m] for p in leaves for m in edits.surfaces_of(p) if m in document.materials]
        main = list(dict.fromkeys(m.id for m in worn))[:4]
        surfaces = [document.materials[i] for i in main]
        numbers = {"parts": float(len(leaves)), "lamps": float(lamps), "width": size[0], "depth": size[1], "height": size[2]}
        told = ", ".join([counted(len(leaves), "part"), *([counted(lamps, "lamp")] if lamps else [])])
        name = about.name or document.parts[root].name if not several else document.parts[root].name
        yield Thing(
            str(name), "prop", str(path), root if several else "", told=told, tags=about.tags, note=about.note,
            colours=tuple(lab(m.surface.base_color) for m in surfaces), numbers=numbers,
            look=(*look_of(surfaces[0].surface)[:5], *(float(np.log10(max(0.1, v))) for v in size)) if surfaces else (),
            family=" ".join(dict.fromkeys(m.name.lower() for m in surfaces)),
        )  # fmt: skip
    if not roots and path.suffix.lower() != PROP and (document.environment.softboxes or document.lamps):
        yield _light_thing(path, document, about)


def _light_set(path: Path) -> Iterable[Thing]:

    document, _ = project_file.load(path)
    yield _light_thing(path, document, project_file.read_about(path))


def _light_thing(path: Path, document: Any, about: project_file.About) -> Thing:
    boxes, lamps = document.environment.softboxes, document.lamps
    said = [*([counted(len(boxes), "box", "boxes")] if boxes else []), *([counted(len(lamps), "lamp")] if lamps else [])]
    name = str(about.name or (document.name if document.name != "Untitled" else title(path)))
    numbers = {"boxes": float(len(boxes)), "lamps": float(len(lamps))}
    tags = (*about.tags, *(b.name.lower() for b in boxes), *(x.name.lower() for x in lamps.values()))
    return Thing(name, "light set", str(path), told=", ".join(said) or "dome alone", tags=tuple(tags)[:40], note=about.note, numbers=numbers)


def _lamp(path: Path) -> Iterable[Thing]:
    from aulmo.surface.colour import from_temperature

    document, _ = project_file.load(path)
    about = project_file.read_about(path)
    if not document.lamps:
        yield broken(path, f"{path.name} holds no lamp.")
    for lamp in document.lamps.values():
        numbers = {"kelvin": lamp.kelvin, "width": lamp.width, **({"lumen": lamp.power} if lamp.unit == "lumen" else {})}
        tint = np.clip(
            np.array(from_temperature(min(25000, max(1667, lamp.kelvin)))) / max(from_temperature(min(25000, max(1667, lamp.kelvin)))), 0, 1
        )
        yield Thing(
            str(about.name or lamp.name), "lamp", str(path), told=lamp.kind, tags=about.tags, note=about.note,
            numbers=numbers, colours=(lab(tint.tolist()),),
        )  # fmt: skip


def _decal(path: Path) -> Iterable[Thing]:

    document, _ = project_file.load(path)
    about = project_file.read_about(path)
    if not document.decals:
        yield broken(path, f"{path.name} holds no decal.")
    for decal in document.decals.values():
        worn = document.materials.get(decal.material or "")
        yield Thing(
            str(about.name or decal.name), "artwork", str(path), told=f"decal · {decal.width_mm:.4g} mm", tags=(*about.tags, "decal", decal.artwork),
            note=about.note, numbers={"width": decal.width_mm, "height": decal.height_mm},
            colours=(lab(worn.surface.base_color),) if worn is not None else (),
        )  # fmt: skip


def _finish(path: Path) -> Iterable[Thing]:
    from aulmo.document.assets import AssetStore
    from aulmo.finish.presets import load_preset

    found = load_preset(path, AssetStore())
    yield Thing(
        found.name or title(path),
        "finish",
        str(path),
        told=counted(len(found.layers), "layer"),
        tags=tuple(layer.name.lower() for layer in found.layers)[:20],
    )


# the rest


def _measured(path: Path) -> Iterable[Thing]:
    from aulmo.light.photometry import read_ies

    profile = read_ies(path.read_bytes(), path.name)
    lumens = profile.lumens or profile.flux
    yield Thing(
        title(path), "lamp", str(path), told=f"measured · {lumens:.0f} lm", tags=("measured", "photometric"), numbers={"lumen": float(lumens)}
    )


def _flat(path: Path) -> Iterable[Thing]:
    head = path.read_bytes()[:4096]
    if path.suffix.lower() == ".dxf" and b"SECTION" not in head and not head.startswith(b"AutoCAD Binary"):
        yield broken(path, f"{path.name} is damaged, or no drawing.")
        return
    yield Thing(title(path), "carton", str(path), told="flat drawing", tags=("vector", "dieline"))


def _named(kind: str) -> Callable[[Path], Iterable[Thing]]:
    def read(path: Path) -> Iterable[Thing]:
        yield Thing(title(path), kind, str(path), told=path.suffix.lower().lstrip("."), tags=(path.suffix.lower().lstrip("."),))

    return read


def _board(path: Path) -> Iterable[Thing]:
    from aulmo.prepare.carton.boards import Board, check

    try:
        board = msgspec.json.decode(path.read_bytes(), type=Board)
    except msgspec.MsgspecError:
        return  # some other file of this ending
    check(board)
    yield board_thing(board, str(path))


def board_thing(board: Any, path: str) -> Thing:
    """What a board is on the shelf."""
    return Thing(
        board.name, "board", path, told=f"{board.thickness_mm:g} mm · {board.weight:.0f} g/m²", family=board.kind,
        colours=(lab(board.front.base_color),), numbers={"mm": board.thickness_mm, "gsm": board.weight},
        finish=finish_of(board.front), look=look_of(board.front),
    )  # fmt: skip


_READERS: dict[str, Callable[[Path], Iterable[Thing]]] = {
    **{e: _picture for e in PICTURES}, ".svg": _vector, ".pdf": _vector, ".zip": _swatches, ".mtlx": _swatches, ".aulmo": _project, PROP: _project,
    LIGHT: _light_set, LAMP: _lamp, DECAL: _decal, ".ies": _measured, ".dxf": _flat, ".cube": _named("colour table"), ".json": _board,
    **{e: _named("model") for e in MODELS}, **{e: _named("film") for e in MOVIES if e not in PICTURES},
}  # fmt: skip
KIND_OF = {
    **{e: "picture" for e in PICTURES}, ".hdr": "dome", ".svg": "artwork", ".pdf": "artwork", ".zip": "swatch", ".mtlx": "swatch",
    ".aulmo": "prop", PROP: "prop", LIGHT: "light set", LAMP: "lamp", DECAL: "artwork",
    ".ies": "lamp", ".dxf": "carton", ".cube": "colour table", ".json": "board",
    **{e: "model" for e in MODELS}, **{e: "film" for e in MOVIES if e not in PICTURES},
}  # fmt: skip


# pictures that belong together


def base_of(path: Path) -> str:
    """What the names of a set's pictures have in common: without what each is for, and without sizes."""
    words = [w for w in words_of(path.stem) if not _SIZES.fullmatch(w)]
    if not role_of(path):
        return " ".join(words)
    pairs = [a + b for a, b in zip(words, words[1:])]
    gone = {k + n for k, p in enumerate(pairs) if p in ("basecolor", "basecolour", "ambientocclusion") for n in (0, 1)}
    gone |= {k for k, w in enumerate(words) if role_by_name(w) and (w not in _ROLE_NEVER or k == len(words) - 1)}
    return " ".join(w for k, w in enumerate(words) if k not in gone)


def gathered(things: list[Thing]) -> list[Thing]:
    """The things of a folder, pictures of one surface as a set: those whose names differ in what they are for."""
    groups: dict[tuple[str, str], list[Thing]] = {}
    for thing in things:
        if thing.kind == "picture" and not thing.trouble:
            groups.setdefault((str(Path(thing.path).parent), base_of(Path(thing.path))), []).append(thing)
    sets, gone = [], set()
    for group in groups.values():
        roles = {t.role for t in group if t.role}
        plain = [t for t in group if not t.role]
        if len(roles) + bool(plain) < 2 or not roles or len(plain) > 1:
            continue
        first = next((t for t in group if t.role == "colour"), plain[0] if plain else group[0])
        name = base_of(Path(first.path)).strip() or Path(first.path).parent.name
        files = tuple(t.path for t in group)
        told = ", ".join(dict.fromkeys(t.role or "colour" for t in group))
        sets.append(
            Thing(
                name[:1].upper() + name[1:],
                "picture set",
                first.path,
                told=f"{len(group)} pictures",
                tags=tuple(told.split(", ")),
                colours=first.colours,
                look=first.look,
                numbers=first.numbers,
                files=files,
            )  # fmt: skip
        )
        gone |= {t.key for t in group}
    return [t for t in things if t.key not in gone] + sets
