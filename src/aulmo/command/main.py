"""The command line: `aulmo import`, `info`, `render`, `film`, `bench`, and the window."""

import argparse
import json
import os
import sys
from pathlib import Path

from aulmo import __version__
from aulmo.errors import AulmoError, BadValue


def _size(text: str) -> tuple[int, int]:
    width, cross, height = text.lower().partition("x")
    if not cross or not width.isdigit() or not height.isdigit() or not (1 <= int(width) <= 32768 and 1 <= int(height) <= 32768):
        raise BadValue(f"“{text}” is not a frame size; write it as 1600x1200.")
    return int(width), int(height)


def _bar(text: str, share: float, tail: str = "") -> None:
    if sys.stderr.isatty():
        filled = int(share * 30)
        print(f"\r{text:<18} {'█' * filled}{'·' * (30 - filled)} {share:4.0%} {tail:<28}", end="", file=sys.stderr, flush=True)


def _end_bar() -> None:
    if sys.stderr.isatty():
        print(file=sys.stderr)


def import_files(arguments) -> int:
    """`import FILE... --out PROJECT.aulmo`."""
    from msgspec.structs import replace

    from aulmo.document.assets import AssetStore
    from aulmo.document.project_file import save
    from aulmo.document.records import Document, Finesse
    from aulmo.prepare.arrange import first_shot
    from aulmo.prepare.import_file import import_file

    out = Path(arguments.out)
    document, assets = Document(name=out.stem), AssetStore()
    for name in arguments.files:

        def show(text: str, share: float) -> bool:
            _bar(text, share)
            return True

        result = import_file(document, assets, Path(name), Finesse(arguments.chord, arguments.angle), show)
        _end_bar()
        document = result.document
        for note in result.notes:
            print(note)
        document = replace(document, notes=document.notes + result.notes)
    document = first_shot(document, assets)
    save(document, assets, out)
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


def render_shot(arguments) -> int:
    """`render PROJECT.aulmo [--shot NAME] [--size WxH] [--samples N] [--noise X] [--time S] --out FILE`."""
    from msgspec.structs import replace

    from aulmo.deliver.picture_file import type_of, write_picture
    from aulmo.document.edits import find_shot
    from aulmo.document.project_file import load

    out = Path(arguments.out)
    kind = type_of(out, arguments.file_type)
    document, assets = load(Path(arguments.project))
    shot = find_shot(document, arguments.shot)
    size = _size(arguments.size) if arguments.size else (shot.width, shot.height)
    settings = _stopped_at(document.render, arguments)
    if arguments.time is not None:
        settings = replace(settings, stop="time", seconds=_at_least(arguments.time, 0.1, "the time in seconds"))
    if arguments.passes is not None:
        from aulmo.trace.passes import SETS, check

        names = tuple(SETS) if arguments.passes == "all" else tuple(n.strip() for n in arguments.passes.split(",") if n.strip())
        check(names)
        if names and not kind.startswith("exr"):
            raise BadValue("Passes are kept in one EXR file; let the file's name end in .exr.")
        settings = replace(settings, passes=names)
    if arguments.seed is not None:
        settings = replace(settings, seed=int(_at_least(arguments.seed, 0, "the seed")))
    if arguments.transparent:
        settings = replace(settings, transparent=True)
    if not out.parent.is_dir():
        raise BadValue(f"There is no folder {out.parent} to write to.")
    from aulmo.deliver.job import PartialWriter
    from aulmo.trace.tracer import render

    partial = PartialWriter(Path(arguments.watch)) if arguments.watch else None
    if partial is not None:
        os.nice(10)  # started by a window: whoever works in it goes first
        turn = partial.take_turn()
        if turn is None:
            print("The render was cancelled.", file=sys.stderr)
            return 5

    def progress(p, tracer) -> bool:
        left = "" if p.seconds_left == float("inf") else f"{p.seconds_left:.0f} s left"
        _bar(f"Rendering {shot.name}"[:18], p.share, f"noise {100 * p.noise:.1f} %  {left}")
        return partial(p, tracer, shot.view) if partial else True

    if not kind.startswith("exr"):
        settings = replace(settings, passes=())
    kept = Path(arguments.state) if arguments.state else None
    picture = render(document, assets, shot, size, settings, progress, kept=kept, time_=arguments.at)
    _end_bar()
    if picture is None:
        print("The render was cancelled.", file=sys.stderr)
        return 5
    write_picture(picture, out, kind, {"Software": f"Aulmo {__version__}", "ImageDescription": f"{document.name}: {shot.name}"})
    if kept is not None:
        kept.unlink(missing_ok=True)
    if partial:
        partial.finish(picture)
    print(f"{out}: {size[0]} × {size[1]}, {picture.samples} samples, noise {100 * picture.noise:.1f} %, {picture.seconds:.1f} s")
    return 0


def film(arguments) -> int:
    """`film PROJECT [--from S --to S] [--frames A-B] [--size WxH] [--samples N|--noise X] --out FILE.mp4|FILE.webm|FOLDER`."""
    from msgspec.structs import replace

    from aulmo.deliver.film import plan, render_film, size_of
    from aulmo.document.edits import find_shot
    from aulmo.document.project_file import load

    document, assets = load(Path(arguments.project))
    if arguments.rate is not None:
        document = replace(document, frames_per_second=_rate(arguments.rate))
    shot = find_shot(document, arguments.shot) if arguments.shot else None
    if shot is not None:  # one shot throughout, whatever the reel says
        document = replace(document, film=replace(document.film, reel=()))
    planned = plan(document, arguments.start, arguments.end, _span(arguments.frames) if arguments.frames else None, shot)
    size = _size(arguments.size) if arguments.size else size_of(document, planned)
    settings = _stopped_at(document.render, arguments)
    kind = arguments.file_type or "png"

    def progress(p, picture) -> bool:
        left = "" if p.seconds_left == float("inf") else f"{p.seconds_left:.0f} s left"
        _bar(f"Frame {p.number}", (p.done + p.share) / p.frames, f"{p.done} of {p.frames}  {left}")
        return True

    try:
        made = render_film(document, assets, planned, size, settings, Path(arguments.out), kind, progress)
    except KeyboardInterrupt:
        _end_bar()
        print("\naulmo: stopped; the same command goes on where it stopped.", file=sys.stderr)
        return 130
    _end_bar()
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


def _stopped_at(settings, arguments):
    """Settings with the stopping rule of the command line."""
    from msgspec.structs import replace

    if arguments.samples is not None:
        settings = replace(settings, stop="samples", samples=_at_least(arguments.samples, 1, "the number of samples"))
    if arguments.noise is not None:
        settings = replace(settings, stop="noise", noise_percent=_at_least(arguments.noise, 0.01, "the noise in percent"))
    return replace(settings, denoise=False) if arguments.raw else settings


def _at_least(value, low, what):
    if not (value == value and low <= value < 1e9):
        raise BadValue(f"{what[0].upper()}{what[1:]} has to be at least {low:g}.")
    return value


def bench(arguments) -> int:
    """`bench [--json FILE]`."""
    from aulmo.command.bench import run

    figures = run()
    if arguments.json:
        Path(arguments.json).write_text(json.dumps({"figures": figures}, indent=1))
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
    p.set_defaults(run=import_files)
    p = commands.add_parser("info", help="say what is in a project")
    p.add_argument("project")
    p.add_argument("--json", action="store_true")
    p.set_defaults(run=info)
    p = commands.add_parser("render", help="render a shot to a file")
    p.add_argument("project")
    p.add_argument("--shot", metavar="NAME")
    p.add_argument("--size", metavar="WxH")
    p.add_argument("--samples", type=int, metavar="N")
    p.add_argument("--noise", type=float, metavar="PERCENT")
    p.add_argument("--time", type=float, metavar="SECONDS")
    p.add_argument("--raw", action="store_true", help="do not denoise")
    p.add_argument("--transparent", action="store_true", help="leave the background out")
    p.add_argument("--passes", metavar="NAMES", help="paths,groups,surface,shadow,occlusion,motion,mattes,noise or all, in one EXR file")
    p.add_argument("--seed", type=int, metavar="N", help="another pattern of samples")
    p.add_argument("--at", type=float, default=0.0, metavar="SECONDS", help="a moment of the film")
    p.add_argument("--state", metavar="FILE", help="keep the render's state here, and go on from it if it is there")
    p.add_argument("--file-type", choices=("png", "png16", "tif", "jpg", "exr", "exr32"))
    p.add_argument("--watch", help=argparse.SUPPRESS)
    p.add_argument("--out", required=True, metavar="FILE")
    p.set_defaults(run=render_shot)
    p = commands.add_parser("film", help="render the film: what the reel says, frame after frame")
    p.add_argument("project")
    p.add_argument("--from", dest="start", type=float, metavar="SECONDS")
    p.add_argument("--to", dest="end", type=float, metavar="SECONDS")
    p.add_argument("--frames", metavar="FIRST-LAST", help="numbers of frames, from 0, both counted")
    p.add_argument("--shot", metavar="NAME", help="this shot throughout, whatever the reel says")
    p.add_argument("--size", metavar="WxH")
    p.add_argument("--rate", type=float, metavar="FRAMES", help="frames a second, in the place of the project's")
    p.add_argument("--samples", type=int, metavar="N")
    p.add_argument("--noise", type=float, metavar="PERCENT")
    p.add_argument("--raw", action="store_true", help="do not denoise")
    p.add_argument("--file-type", choices=("png", "png16", "exr", "exr32"), help="of single pictures in a folder")
    p.add_argument("--out", required=True, metavar="FILE.mp4|FILE.webm|FOLDER")
    p.set_defaults(run=film)
    p = commands.add_parser("material", help="write a material as MaterialX, alone or with its pictures in a zip")
    p.add_argument("project")
    p.add_argument("--name", required=True, metavar="NAME")
    p.add_argument("--out", required=True, metavar="FILE.mtlx|FILE.zip")
    p.set_defaults(run=material)
    p = commands.add_parser("bench", help="measure speed")
    p.add_argument("--json", metavar="FILE")
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
    known = {"import", "info", "render", "film", "material", "bench", "demo", "open"}
    if not words or (words[0] not in known and not words[0].startswith("-")):
        words = ["open", *words]
    arguments = parser().parse_args(words)
    try:
        return arguments.run(arguments)
    except AulmoError as error:
        print(f"aulmo: {error}", file=sys.stderr)
        return 2
    except KeyboardInterrupt:
        print("\naulmo: stopped.", file=sys.stderr)
        return 130


if __name__ == "__main__":
    sys.exit(main())
