"""The command line: `aulmo import`, `info`, `render`, `film`, `bench`, and the window."""

import argparse
import io
import json
import sys
from pathlib import Path

from aulmo import __version__
from aulmo.command import export, hand_over, renders, stills, web
from aulmo.command.words import bar, end_bar, frame_size, quality, stopped_at, tell_film
from aulmo.errors import AulmoError, BadValue, CannotWrite


def import_files(arguments) -> int:
    """`import FILE... --out PROJECT.aulmo`."""
    from msgspec.structs import replace

    from aulmo.document import beside
    from aulmo.document.assets import AssetStore
    from aulmo.document.project_file import Changed, save, stamp_of
    from aulmo.document.records import Document, Finesse
    from aulmo.prepare.arrange import first_shot
    from aulmo.prepare.import_file import import_file

    out = Path(arguments.out)
    beside.anywhere = arguments.anywhere
    document, assets = Document(name=out.stem), AssetStore()
    assets.stamps[out.resolve()] = stamp_of(out)  # whoever saves there while files are read is not written over
    for name in arguments.files:

        def show(text: str, share: float) -> bool:
            bar(text, share)
            return True

        result = import_file(document, assets, Path(name), Finesse(arguments.chord, arguments.angle), show)
        end_bar()
        document = result.document
        for note in result.notes:
            print(note)
        document = replace(document, notes=document.notes + result.notes)
    document = first_shot(document, assets)
    try:
        save(document, assets, out, over=arguments.over)
    except Changed as error:
        raise CannotWrite(f"{error} Use --over to write over it, or another name.") from None
    print(f"Saved {out}")
    return 0


def describe(path: Path) -> dict:
    """What `info --json` prints of a project; `base_color` is linear sRGB."""
    import numpy as np

    from aulmo.document.edits import surfaces_of, tree_order
    from aulmo.document.project_file import load
    from aulmo.prepare.arrange import size_of
    from aulmo.surface.colour import ACESCG_TO_SRGB

    document, assets = load(path)
    names = {i: m.name for i, m in document.materials.items()}
    parts: list[dict] = []
    paths: dict[str | None, str] = {None: ""}
    for part_id in tree_order(document):
        part = document.parts[part_id]
        paths[part_id] = f"{paths[part.parent]}/{part.name}".lstrip("/")
        parts.append(
            {
                "id": part.id,
                "name": part.name,
                "path": paths[part_id],
                "triangles": len(assets.mesh(part.mesh).triangles) if part.mesh else 0,
                "size_mm": [round(v, 6) for v in size_of(document, assets, [part_id])],
                "material": names.get(part.material or ""),
                "materials": [names[m] for m in surfaces_of(part) if m in names] if part.mesh else [],
                "mesh": part.mesh,
                **_carton(part),
            }
        )
    return {
        "parts": parts,
        "materials": [
            {
                "name": m.name,
                "kind": m.kind,
                "base_color": [float(v) for v in ACESCG_TO_SRGB @ np.array(m.surface.base_color)],
                "surface": _plain(m.surface),
            }
            for m in document.materials.values()
        ],
        "shots": [
            {"name": s.name, "camera": document.cameras[s.camera].name, "width": s.width, "height": s.height, "view": s.view} for s in document.shots
        ],
        "cameras": [_plain(c) for c in document.cameras.values()],
        "lights": [{**_plain(document.environment), "name": document.environment.image, "kind": "environment", "ground": document.environment.kind}]
        + [{**_plain(box), "kind": "softbox", "of": box.kind} for box in document.environment.softboxes]
        + [_plain(lamp) for lamp in document.lamps.values()]
        + [{"name": p["name"], "kind": "glowing part"} for p in parts if _glows(document, p["id"])],
    }


def _carton(part) -> dict:
    """How many panels, creases and cuts a carton's drawing has."""
    from aulmo.document.flat import flat_of

    if part.carton is None:
        return {}
    flat = flat_of(part.carton.flat)
    return {"panels": len(flat.panels), "creases": len(flat.creases), "cuts": flat.cuts}


def _glows(document, part_id: str) -> bool:
    from aulmo.document.edits import surfaces_of

    worn = [document.materials[m] for m in surfaces_of(document.parts[part_id]) if m in document.materials]
    return any(m.surface.emission_luminance > 0 for m in worn)


def _plain(record) -> dict:
    import msgspec

    return {f: msgspec.to_builtins(getattr(record, f)) for f in record.__struct_fields__}


def info(arguments) -> int:
    """`info PROJECT.aulmo [--json]`."""
    about = describe(Path(arguments.project))
    if arguments.json:
        print(json.dumps(about, indent=1))
        return 0
    for part in about["parts"]:
        depth = part["path"].count("/")
        size = " × ".join(f"{v:.4g}" for v in part["size_mm"])
        print(f"{'  ' * depth}{part['name']:<{32 - 2 * depth}} {part['triangles']:>8} triangles  {size} mm  {part['material'] or ''}")
    for shot in about["shots"]:
        print(f"Shot {shot['name']}: {shot['camera']}, {shot['width']} × {shot['height']}")
    return 0


def film(arguments) -> int:
    """`film PROJECT [--from S --to S] [--frames A-B] [--size WxH] [--samples N|--noise X] --out FILE.mp4|FILE.webm|FOLDER`."""
    from msgspec.structs import replace

    from aulmo.deliver.film import plan, render_film, size_of
    from aulmo.deliver.qualities import settings_of, size_for
    from aulmo.document.edits import find_shot
    from aulmo.document.project_file import load
    from aulmo.document.variant_table import from_words
    from aulmo.document.variants import chosen
    from aulmo.motion.reel import without_cuts

    document, assets = load(Path(arguments.project))
    if arguments.variant:
        document = chosen(document, from_words(document, arguments.variant))
    if arguments.rate is not None:
        document = replace(document, frames_per_second=_rate(arguments.rate))
    shot = find_shot(document, arguments.shot) if arguments.shot else None
    if shot is not None:  # one shot throughout, whatever the reel says
        document = without_cuts(document)
    planned = plan(document, arguments.start, arguments.end, _span(arguments.frames) if arguments.frames else None, shot)
    size = frame_size(arguments.size) if arguments.size else size_for(document.render, arguments.quality, size_of(document, planned))
    settings = stopped_at(settings_of(document.render, arguments.quality), arguments)
    kind = arguments.file_type or "png"

    try:
        made = render_film(document, assets, planned, size, settings, Path(arguments.out), kind, tell_film)
    except KeyboardInterrupt:
        end_bar()
        print("\naulmo: stopped; the same command goes on where it stopped.", file=sys.stderr)
        return 130
    end_bar()
    there = f", {made.kept} were there already" if made.kept else ""
    rate = f"{document.frames_per_second:g} a second"
    print(f"{arguments.out}: {len(planned)} frames at {rate}, {size[0]} × {size[1]}; {made.made} made in {made.seconds:.1f} s{there}")
    return 0


def _rate(value: float) -> float:
    if not (value == value and 0.01 <= value <= 10000):
        raise BadValue("A film needs between 0.01 and 10000 frames a second.")
    return float(value)


def _span(text: str) -> tuple[int, int]:
    low, dash, high = text.partition("-")
    if not low.isdigit() or (dash and not high.isdigit()):
        raise BadValue(f"“{text}” is no span of frames; write it as 0-47.")
    return int(low), int(high) if dash else int(low)


def bench(arguments) -> int:
    """`bench [GROUP...] [--json FILE]`."""
    from aulmo.command.bench import run

    run(arguments.groups, Path(arguments.json) if arguments.json else None)
    return 0


def window(arguments) -> int:
    """The window: `aulmo [PROJECT]` or `aulmo demo`."""
    from aulmo.desk.shell.app import start

    return start(Path(arguments.project) if arguments.project else None, demo=arguments.command == "demo")


def material(arguments: argparse.Namespace) -> int:
    """Write one material of a project."""
    from aulmo.document import project_file
    from aulmo.surface.materialx_out import save_material

    document, assets = project_file.load(Path(arguments.project))
    found = next((m for m in document.materials.values() if m.name == arguments.name), None)
    if found is None:
        raise BadValue(f"There is no material named {arguments.name}.")
    for note in save_material(found, assets, Path(arguments.out)):
        print(note)
    print(f"Wrote {arguments.out}")
    return 0


def _stopping(p: argparse.ArgumentParser) -> None:
    """What `words.stopped_at` reads."""
    p.add_argument("--samples", type=int, metavar="N")
    p.add_argument("--noise", type=float, metavar="PERCENT")
    p.add_argument("--raw", action="store_true", help="do not denoise")
    p.add_argument("--unfinished", action="store_true", help="leave the shot's finish out")


def _few(field: str) -> list[str]:
    """What a setting of the render can be, as its record has it."""
    from aulmo.document.property_table import TABLE
    from aulmo.document.records import RenderSettings

    return list(TABLE[RenderSettings][field].choices)


def parser() -> argparse.ArgumentParser:
    """The words of the command line."""
    top = argparse.ArgumentParser(prog="aulmo", description="From CAD models to photoreal product pictures.")
    top.add_argument("--version", action="version", version=f"aulmo {__version__}")
    commands = top.add_subparsers(dest="command", metavar="COMMAND")
    p = commands.add_parser("import", help="read CAD and mesh files into a new project")
    p.add_argument("files", nargs="+", metavar="FILE")
    p.add_argument("--out", required=True, metavar="PROJECT.aulmo")
    p.add_argument("--chord", type=float, default=0.05, help="largest gap between triangles and the exact shape, mm")
    p.add_argument("--angle", type=float, default=10.0, help="largest angle between neighbouring triangles, degrees")
    p.add_argument("--anywhere", action="store_true", help="let files bring along others that do not lie beside or below them")
    p.add_argument("--over", action="store_true", help="write over a project that somebody else saved meanwhile")
    p.set_defaults(run=import_files)
    p = commands.add_parser("info", help="say what is in a project")
    p.add_argument("project")
    p.add_argument("--json", action="store_true")
    p.set_defaults(run=info)
    p = commands.add_parser("render", help="render a shot to a file")
    p.add_argument("project")
    p.add_argument("--shot", metavar="NAME")
    p.add_argument("--size", metavar="WxH")
    _stopping(p)
    p.add_argument("--time", type=float, metavar="SECONDS")
    p.add_argument("--transparent", action="store_true", help="leave the background out")
    sets = "paths,groups,surface,shadow,occlusion,motion,mattes,noise, or what for: light, compositing, retouching, everything; in one EXR file"
    p.add_argument("--passes", metavar="NAMES", help=sets)
    p.add_argument("--seed", type=int, metavar="N", help="another pattern of samples")
    p.add_argument("--at", type=float, default=0.0, metavar="SECONDS", help="a moment of the film")
    p.add_argument("--state", metavar="FILE", help="keep the render's state here, and go on from it if it is there")
    p.add_argument("--file-type", choices=_few("file_type"))
    p.add_argument("--profile", choices=_few("profile"), help="the colours of the file")
    p.add_argument("--quality", type=quality, metavar="still|film|preview|1-100", help="the size, noise and time of a still, of the film or of its "
                   "preview; a number is that of JPEG and WebP")  # fmt: skip
    p.add_argument("--dpi", type=int, metavar="N")
    p.add_argument("--alpha", choices=_few("alpha"), help="of TIFF")
    p.add_argument("--variant", metavar="CHOICES", help="as \"Colour=Pine,Set=Night\"")
    p.add_argument("--every", metavar="AXES", help="all combinations along axes, as \"Colour,Trim\"")
    p.add_argument("--table", metavar="FILE.csv", help="variants from a table: a column for each axis, a line for each")
    p.add_argument("--pattern", metavar="NAME", help="names of files, as \"{project} {Colour} {Trim}.png\"")
    p.add_argument("--out", metavar="FILE|FOLDER")
    p.set_defaults(run=stills.render)
    p = commands.add_parser("film", help="render the film: what the reel says, frame after frame")
    p.add_argument("project")
    p.add_argument("--from", dest="start", type=float, metavar="SECONDS")
    p.add_argument("--to", dest="end", type=float, metavar="SECONDS")
    p.add_argument("--frames", metavar="FIRST-LAST", help="numbers of frames, from 0, both counted")
    p.add_argument("--shot", metavar="NAME", help="this shot throughout, whatever the reel says")
    p.add_argument("--size", metavar="WxH")
    p.add_argument("--variant", metavar="CHOICES", help="as \"Colour=Pine,Set=Night\"")
    uses = ("still", "film", "preview")
    p.add_argument("--quality", choices=uses, default="film", help="the size, noise and time of the film, of its preview or of a still")
    p.add_argument("--rate", type=float, metavar="FRAMES", help="frames a second, in the place of the project's")
    _stopping(p)
    p.add_argument("--file-type", choices=("png", "png16", "exr", "exr32"), help="of single pictures in a folder")
    p.add_argument("--out", required=True, metavar="FILE.mp4|FILE.webm|FILE.gif|FILE.webp|FOLDER")
    p.set_defaults(run=film)
    p = commands.add_parser("panorama", help="the full sphere from a shot's camera")
    p.add_argument("project")
    p.add_argument("--shot", metavar="NAME")
    p.add_argument("--variant", metavar="CHOICES")
    p.add_argument("--width", type=int, default=4096, metavar="PIXELS", help="twice the height")
    p.add_argument("--stereo", action="store_true", help="one picture for each eye, the left above the right")
    p.add_argument("--beside", action="store_true", help="one picture for each eye, the left one left")
    p.add_argument("--eyes", type=float, default=64.0, metavar="MM", help="how far the eyes are from each other")
    p.add_argument("--cube", action="store_true", help="the six faces of a cube, each a file")
    _stopping(p)
    p.add_argument("--at", type=float, default=0.0, metavar="SECONDS")
    p.add_argument("--out", required=True, metavar="FILE|PAGE.html|FILM.mp4")
    p.set_defaults(run=web.panorama)
    p = commands.add_parser("export", help="write a project for other programs: glTF or USD")
    p.add_argument("project")
    p.add_argument("--variant", metavar="CHOICES", help="this variant alone, as \"Colour=Pine\"; else all are in the file")
    p.add_argument("--still", action="store_true", help="leave movement out")
    p.add_argument("--finesse", choices=("rough", "fine", "finest"), default="fine", help="of the pictures that are baked: up to 256, 1024 or 2048")
    p.add_argument("--out", required=True, metavar="FILE.glb|FILE.usda|FILE.usdc|FILE.usdz")
    p.set_defaults(run=export.export)
    p = commands.add_parser("finish", help="a shot with its finish: of the passes of a render, or rendered now")
    p.add_argument("project")
    p.add_argument("--shot", metavar="NAME")
    p.add_argument("--passes", metavar="FILE.exr|FOLDER", help="a render with the passes that layers want; with --all a folder of them")
    p.add_argument("--all", action="store_true", help="every shot, of renders SHOT.exr in a folder, or rendered now, into a folder")
    p.add_argument("--frames", metavar="FOLDER", help="a film: of frames in EXR that are there, into a folder or FILE.mp4; goes on where it stopped")
    p.add_argument("--time", type=float, default=0.0, metavar="SECONDS", help="of the film")
    _stopping(p)
    p.add_argument("--out", required=True, metavar="FILE|FOLDER")
    p.set_defaults(run=hand_over.finish)
    p = commands.add_parser("parts", help="a list of the parts, as a table or to print")
    p.add_argument("project")
    p.add_argument("--variant", metavar="CHOICES")
    p.add_argument("--set-pieces", action="store_true", help="floors, walls and the like as well")
    p.add_argument("--out", required=True, metavar="FILE.csv|FILE.pdf")
    p.set_defaults(run=hand_over.parts)
    p = commands.add_parser("collect", help="a project and all that belongs to it in one folder")
    p.add_argument("project")
    p.add_argument("--out", required=True, metavar="FOLDER")
    p.set_defaults(run=hand_over.collect)
    p = commands.add_parser("turntable", help="a folder with a page in which the product is turned")
    p.add_argument("project")
    p.add_argument("--frames", type=int, default=36, metavar="N", help="pictures a turn")
    p.add_argument("--heights", default="0", metavar="DEGREES", help="above the shot's own, as 0,25,50")
    p.add_argument("--light", default="set", choices=("set", "product", "camera"), help="what the light stays with")
    p.add_argument("--shot", metavar="NAME")
    p.add_argument("--variant", metavar="CHOICES")
    p.add_argument("--every", metavar="AXES", help="choices on the page, as \"Colour,Trim\"")
    p.add_argument("--size", metavar="WxH")
    _stopping(p)
    p.add_argument("--at", type=float, default=0.0, metavar="SECONDS")
    p.add_argument("--file-type", default="jpg", choices=("jpg", "png", "webp"))
    p.add_argument("--background", default="#ffffff", metavar="#RRGGBB", help="of the page")
    p.add_argument("--title", metavar="TEXT")
    p.add_argument("--out", required=True, metavar="FOLDER")
    p.set_defaults(run=web.turntable)
    p = commands.add_parser("renders", help="the list of renders: show it, and steer it")
    steer = (
        "show, pause ID, go-on ID, stop ID, again ID, first ID, earlier ID, later ID, at ID HH:MM, remove ID, add PROJECT, helpers [on|off], halt,"
        " resume, work"
    )
    p.add_argument("words", nargs="*", metavar="WORD", help=steer)
    p.add_argument("--list", metavar="FOLDER", help="another list than your own")
    p.add_argument("--json", action="store_true")
    p.add_argument("--shot", metavar="NAME")
    p.add_argument("--variant", metavar="CHOICES")
    p.add_argument("--size", metavar="WxH")
    _stopping(p)
    p.add_argument("--at", type=float, default=0.0, metavar="SECONDS")
    p.add_argument("--file-type", choices=_few("file_type"))
    p.add_argument("--out", metavar="FILE")
    p.set_defaults(run=renders.renders)
    p = commands.add_parser("helper", help="let this machine help with the renders of another one")
    p.add_argument("--join", required=True, metavar="ADDRESS", help="as the other machine’s list shows it")
    p.add_argument("--secret-file", metavar="FILE", help="a file that holds its secret, for your eyes alone; else it is asked for, the first time")
    p.add_argument("--list", metavar="FOLDER", help="a list of this machine, whose secret is then known")
    p.set_defaults(run=renders.helper)
    p = commands.add_parser("material", help="write a material as MaterialX, alone or with its pictures in a zip")
    p.add_argument("project")
    p.add_argument("--name", required=True, metavar="NAME")
    p.add_argument("--out", required=True, metavar="FILE.mtlx|FILE.zip")
    p.set_defaults(run=material)
    p = commands.add_parser("bench", help="measure speed: all of it, or some groups")
    p.add_argument("groups", nargs="*", metavar="GROUP", help="first, draft, share, import, edit, finish, film, desk, memory, noise, cost")
    p.add_argument("--json", metavar="FILE", help="keeps the figures as they are taken")
    p.set_defaults(run=bench)
    p = commands.add_parser("demo", help="open the window on the demo lantern")
    p.set_defaults(run=window, project=None)
    p = commands.add_parser("open", help="open the window on a project")
    p.add_argument("project", nargs="?")
    p.set_defaults(run=window)
    return top


def main(words: list[str] | None = None) -> int:
    """Run one command; returns the exit code."""
    words = sys.argv[1:] if words is None else words
    known = {
        "import", "info", "render", "renders", "turntable", "panorama", "export", "finish", "parts", "collect", "film", "helper", "material",
        "bench", "demo", "open",
    }  # fmt: skip
    if not words or (words[0] not in known and not words[0].startswith("-")):
        words = ["open", *words]
    arguments = parser().parse_args(words)
    for stream in (sys.stdout, sys.stderr):
        if isinstance(stream, io.TextIOWrapper):
            stream.reconfigure(errors="replace")  # a terminal of few letters still gets the sentence
    try:
        return arguments.run(arguments)
    except AulmoError as error:
        print(f"aulmo: {error}", file=sys.stderr)
        return 2
    except OSError as error:
        print(f"aulmo: {error.filename or 'A file'}: {error.strerror or error}.", file=sys.stderr)
        return 2
    except KeyboardInterrupt:
        print("\naulmo: stopped.", file=sys.stderr)
        return 130


if __name__ == "__main__":
    sys.exit(main())
