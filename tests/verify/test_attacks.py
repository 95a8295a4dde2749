"""Attacks: files, names, kills, full disks, windows and strangers that were made to hurt. Each test ends with a line `N tried, N held`, and all with one."""

import itertools
import json
import os
import random
import shutil
import signal
import subprocess
import sys
import time
import zipfile
from pathlib import Path

import numpy as np
import pytest
from msgspec.structs import replace
from PIL import Image

from aulmo import script
from aulmo.deliver.finished import file_of
from aulmo.deliver.naming import Named, file_stem
from aulmo.document import edits, project_file
from aulmo.document.assets import AssetStore
from aulmo.document.file_names import file_name, names_apart
from aulmo.document.moving.footage import about_blob
from aulmo.document.records import Document, Film, RenderSettings, Shot, Surface
from aulmo.errors import AulmoError
from aulmo.finish.grading import read_cube
from aulmo.finish.planes import read_planes
from aulmo.finish.presets import load_preset
from aulmo.frame import photograph
from aulmo.light import environment_image, set_ups
from aulmo.light.photometry import read_ies
from aulmo.prepare.path_files import read_paths
from aulmo.surface import library, swatches
from aulmo.surface.materialx_in import read_materials
from aulmo.surface.picture import read_picture
from damage import damaged
from shapes import box_mesh, one_part, sphere_mesh
from taking import SINGLE

pytestmark = pytest.mark.long
DEMO = Path(__file__).parents[2] / "demo"
SLOW = 20.0  # seconds that nothing may take


def held_by(work) -> bool:
    """Whether something is read, or told in one sentence, soon."""
    began = time.monotonic()
    try:
        work()
    except AulmoError as error:
        return bool(str(error)) and "\n" not in str(error) and "Traceback" not in str(error) and time.monotonic() - began < SLOW
    return time.monotonic() - began < SLOW


# projects


def test_attacks_by_projects(tally, tmp_path):
    """400: bytes damaged, numbers spoiled, links broken, members swapped, bombs."""
    projects = [DEMO / n for n in ("wick.aulmo", "wick-film.aulmo", "wick-range.aulmo", "hut.aulmo", "connector.aulmo")]
    draw = random.Random(7)
    for k in range(160):
        path = tmp_path / "a.aulmo"
        path.write_bytes(damaged(projects[k % 5].read_bytes(), k))
        tally.hold(held_by(lambda: project_file.load(path)), f"bytes {k}")
    for k in range(200):
        source = projects[k % 5]
        with zipfile.ZipFile(source) as archive:
            members = {n: archive.read(n) for n in archive.namelist()}
        raw = json.loads(members["document.json"])
        _spoil(raw, draw)
        members["document.json"] = json.dumps(raw).replace('"@1e999@"', "1e999").encode()
        tally.hold(held_by(lambda: _resaved(members, tmp_path)), f"words {k}")
    crafted = [
        {"document.json": b"[" * 200_000}, {"document.json": b"{" + b'"a":' * 100_000}, {"document.json": b""}, {},
        {"document.json": b'{"schema_version": 10, "parts": {"a": {"id": "b", "name": "x"}}}'},
        {"document.json": b'{"schema_version": 1e400}'}, {"document.json": b"\xff\xfe"},
        {"document.json": json.dumps({"schema_version": 10, "parts": {f"p{k}": {"id": f"p{k}", "name": "P"} for k in range(100_000)},
                                      "roots": [f"p{k}" for k in range(100_000)]}).encode()},
    ]  # fmt: skip
    crafted += [{"document.json": b'{"schema_version": 10}', **{f"assets/{k}": b"" for k in range(n)}} for n in (1000, 100_000)]
    crafted += [{"document.json": b'{"schema_version": 10}', name: b"x"} for name in ("../../evil", "/etc/evil", "assets/../../evil", "a\\b", "assets/")]
    for k in range(40):
        tally.hold(held_by(lambda: _resaved(crafted[k % len(crafted)], tmp_path)), f"crafted {k % len(crafted)}")
    assert not (tmp_path.parent / "evil").exists()


def _resaved(members: dict[str, bytes], folder: Path) -> None:
    path = folder / "b.aulmo"
    with zipfile.ZipFile(path, "w") as archive:
        for name, blob in members.items():
            archive.writestr(zipfile.ZipInfo(name), blob)
    document, assets = project_file.load(path)
    project_file.save(document, assets, folder / "c.aulmo")


def _spoil(raw, draw: random.Random) -> None:
    """Change one to three things in plain JSON."""
    for _ in range(draw.randint(1, 3)):
        at, above, key = raw, None, None
        while isinstance(at, (dict, list)) and at and (above is None or draw.random() < 0.85):
            key = draw.choice(list(at)) if isinstance(at, dict) else draw.randrange(len(at))
            above, at = at, at[key]
        if above is None:
            continue
        wrong = draw.choice([
            "@1e999@", 1e300, -1e300, 0, -1, None, "", "x" * 10_000, [], {}, [[[[]]]], True, "../../evil", "@self", {"id": 5}, list(range(1000)),
        ])  # fmt: skip
        if draw.random() < 0.15 and isinstance(above, dict):
            above[draw.choice(["", "evil", "id", "parent", "__class__"])] = wrong
        elif draw.random() < 0.1:
            del above[key]
        else:
            above[key] = wrong


# readers


def _svgs() -> list[bytes]:
    head = "<svg xmlns='http://www.w3.org/2000/svg' xmlns:xlink='http://www.w3.org/1999/xlink' viewBox='0 0 99 99'>"
    uses = "".join(f"<g id='a{k}'>" + f"<use xlink:href='#a{k - 1}'/>" * 10 + "</g>" for k in range(1, 12))
    return [(head + body + "</svg>").encode() for body in (
        "<g>" * 1000 + "</g>" * 1000, "<g>" * 100_000 + "</g>" * 100_000, f"<defs><rect id='a0' width='1' height='1'/>{uses}</defs><use xlink:href='#a11'/>",
        "<path d='M0 0" + " L1 1" * 1_000_000 + "'/>", "<use id='s' xlink:href='#s'/>", "<image xlink:href='file:///etc/passwd'/>",
        "<text font-size='1e30'>x</text>", "<rect width='1e300' height='1e300'/>", "<!ENTITY a 'b'>" * 1000, "<filter id='f'><feGaussianBlur stdDeviation='1e9'/></filter><rect filter='url(#f)' width='9' height='9'/>",
        "<pattern id='p' width='1e-9' height='1e-9'><rect width='1' height='1'/></pattern><rect fill='url(#p)' width='99' height='99'/>",
    )]  # fmt: skip


def _dxfs() -> list[str]:
    line = "0\nLINE\n8\n0\n10\n{}\n20\n{}\n30\n0\n11\n{}\n21\n{}\n31\n0\n"
    ring = [(np.cos(a), np.sin(a), np.cos(a + 0.002), np.sin(a + 0.002)) for a in np.arange(3000) * 0.002]
    bodies = [
        "".join(line.format(*p) for p in ring), "".join(line.format(0, 0, np.cos(k), np.sin(k)) for k in range(3000)),
        "0\nCIRCLE\n8\n0\n10\n0\n20\n0\n30\n0\n40\n1e12\n", "0\nCIRCLE\n8\n0\n10\n0\n20\n0\n30\n0\n40\n-1\n", "0\nARC\n8\n0\n10\n1e300\n20\n0\n30\n0\n40\n5\n50\n0\n51\n1e9\n",
        "0\nSPLINE\n8\n0\n70\n8\n71\n100\n72\n3\n73\n1\n", line.format("nan", "inf", 0, 0), "",
    ]  # fmt: skip
    return [f"0\nSECTION\n2\nENTITIES\n{body}0\nENDSEC\n0\nEOF\n" for body in bodies]


def _pictures(folder: Path) -> dict[str, bytes]:
    """A good picture of each kind, small."""
    rng = np.random.default_rng(3)
    pixels = rng.integers(0, 255, (24, 40, 3), np.uint8)
    found = {}
    for kind in ("png", "jpg", "tif", "webp", "bmp", "gif"):
        Image.fromarray(pixels).save(folder / f"good.{kind}")
        found[kind] = (folder / f"good.{kind}").read_bytes()
    for kind in ("exr", "hdr"):
        environment_image.write_exr(folder / "good.exr", pixels.astype(np.float32) / 255) if kind == "exr" else _write(folder / "good.hdr", pixels)
        found[kind] = (folder / f"good.{kind}").read_bytes()
    return found


def _write(path: Path, pixels: np.ndarray) -> None:
    import OpenImageIO as oiio

    out = oiio.ImageOutput.create(str(path))
    out.open(str(path), oiio.ImageSpec(pixels.shape[1], pixels.shape[0], 3, "float"))
    out.write_image(pixels.astype(np.float32) / 255)
    out.close()


def test_attacks_by_files(tally, tmp_path):
    """330 inputs for the readers of foreign formats, crafted and damaged."""
    for k, svg in enumerate(_svgs()):
        tally.hold(held_by(lambda: read_picture(svg, "a.svg", long_side=64)), f"svg {k}")
        (tmp_path / "a.svg").write_bytes(svg)
        tally.hold(held_by(lambda: read_paths(tmp_path / "a.svg")), f"svg paths {k}")
    for k, dxf in enumerate(_dxfs()):
        (tmp_path / "a.dxf").write_text(dxf)
        tally.hold(held_by(lambda: read_paths(tmp_path / "a.dxf")), f"dxf {k}")
        for seed in range(3):
            (tmp_path / "b.dxf").write_bytes(damaged(dxf.encode(), seed))
            tally.hold(held_by(lambda: read_paths(tmp_path / "b.dxf")), f"dxf {k} damaged {seed}")
    good = _pictures(tmp_path)
    for (kind, blob), seed in itertools.product(good.items(), range(12)):
        broken = damaged(blob, seed)
        (tmp_path / f"b.{kind}").write_bytes(broken)
        tally.hold(held_by(lambda: read_picture(broken, f"b.{kind}")), f"{kind} {seed}")
        if seed < 4:
            tally.hold(held_by(lambda: photograph.read(tmp_path / f"b.{kind}", AssetStore())), f"photograph {kind} {seed}")
            tally.hold(held_by(lambda: environment_image.to_keep(tmp_path / f"b.{kind}")), f"dome {kind} {seed}")
    for seed in range(20):
        (tmp_path / "p.exr").write_bytes(damaged(good["exr"], 100 + seed))
        tally.hold(held_by(lambda: read_planes(tmp_path / "p.exr")), f"planes {seed}")
    cube = b"LUT_3D_SIZE 3\n" + b"".join(b"%.3f %.3f %.3f\n" % (r, g, b) for b in (0, 0.5, 1) for g in (0, 0.5, 1) for r in (0, 0.5, 1))
    cubes = [cube, b"LUT_3D_SIZE 2\n" + b"0 0 0\n" * 3_000_000, b"LUT_3D_SIZE 129\n" + b"1e400 nan inf\n" * 10, b"LUT_3D_SIZE 1000000\n", b"\0" * 1000]
    for k, blob in enumerate([*cubes, *(damaged(cube, seed) for seed in range(15))]):
        tally.hold(held_by(lambda: read_cube(blob, "a.cube")), f"cube {k}")
    _swatch_attacks(tally, tmp_path)
    _film_attacks(tally, tmp_path)
    _note_attacks(tally, tmp_path)
    print(f"{tally.tried} inputs")
    assert tally.tried >= 330


def _swatch_attacks(tally, tmp_path: Path) -> None:
    material = swatches.material("Rust enamel")
    document = edits.put_material(Document(), material)
    folder = tmp_path / "swatches"
    good = library.save_swatch(document, AssetStore(), material.id, folder).read_bytes()
    for seed in range(30):
        (folder / "bad.zip").write_bytes(damaged(good, seed))
        tally.hold(held_by(lambda: library.swatches_in(folder)) and "Rust enamel" in [s.name for s in library.swatches_in(folder)[0]], f"swatch {seed}")
        tally.hold(held_by(lambda: read_materials(folder / "bad.zip", AssetStore())), f"material {seed}")
    for k, about in enumerate((b'{"colour": ["x"]}', b'{"colour": 5}', b'{"tags": 3}', b'{"name": null, "colour": [1e999, 0, 0]}', b"[" * 99_999, b"\xff")):
        with zipfile.ZipFile(folder / "bad.zip", "w") as archive:
            archive.writestr("about.json", about)
            archive.writestr("a.mtlx", "<materialx version='1.39'/>")
        tally.hold(held_by(lambda: library.swatches_in(folder)) and "Rust enamel" in [s.name for s in library.swatches_in(folder)[0]], f"about {k}")


def _film_attacks(tally, tmp_path: Path) -> None:
    from aulmo.deliver.movie import Movie

    movie = Movie(tmp_path / "good.mp4", (32, 24), 25.0)
    for k in range(4):
        movie.add(np.full((24, 32, 3), k * 60, np.uint8))
    movie.close()
    good = (tmp_path / "good.mp4").read_bytes()
    said = b"v=0\no=- 0 0 IN IP4 127.0.0.1\ns=x\nc=IN IP4 127.0.0.1\nt=0 0\nm=video 50000 RTP/AVP 96\na=rtpmap:96 H264/90000\n"
    crafted = [said, b"#EXTM3U\nhttp://127.0.0.1:1/a\n", b"ffconcat version 1.0\nfile /etc/passwd\n", b"", b"RIFF\0\0\0\0AVI " + b"\0" * 99, b"\x1a\x45\xdf\xa3" * 99]
    for k, blob in enumerate([*crafted, *(damaged(good, seed) for seed in range(20))]):
        tally.hold(held_by(lambda: about_blob(blob, "a.mp4")), f"film {k}")


def _note_attacks(tally, tmp_path: Path) -> None:
    ies = b"IESNA:LM-63-2002\nTILT=NONE\n1 1000 1 3 1 1 2 0 0 0\n1 1 10\n0 45 90\n0\n100 50 0\n"
    for seed in range(15):
        tally.hold(held_by(lambda: read_ies(damaged(ies, seed), "a.ies")), f"ies {seed}")
    for k, blob in enumerate((b"", b"{}", b'{"finish": {"id": "a", "layers": [{"id": "l", "name": "n", "grade": {"glow_size": -1e9}}]}}', b"[" * 99_999)):
        (tmp_path / "a.json").write_bytes(blob)
        tally.hold(held_by(lambda: load_preset(tmp_path / "a.json", AssetStore())), f"preset {k}")
    for seed in range(6):
        (tmp_path / "a.aulmolight").write_bytes(damaged((DEMO / "connector.aulmo").read_bytes(), seed))
        tally.hold(held_by(lambda: set_ups.load(Document(), AssetStore(), tmp_path / "a.aulmolight")), f"set-up {seed}")


# names


def test_attacks_by_names(tally, tmp_path):
    """116 names: wherever a file is named after a thing it lies in its folder, apart from all others, and can be made."""
    base = ["A/B", "A:B", "A\\B", "A|B", "A?B", "A*B", 'A"B', "A<B", "A>B", "..", ".", "", " ", "...", "../../evil", "/etc/passwd", "~/evil", "a\0b", "a\nb",
            "a\rb", "-rf", "--out", "CON", "nul", "é", "e\u0301", "ß", "ẞ", "İ", "ı", "\u202egnp.exe", "\u200b", "\ufeff", "\ud800", "名前", "🙂", "a" * 300, "名" * 300,
            "%00", "%2e%2e", "$(id)", "`id`", ";id", "&id", "{shot}", "{{x}}", "%s", "=1+1", "@a", "#a", "a.png", "a.aulmo", ".hidden", "a ", " a", "a."]
    names = base + [f"{a}{b}" for a in ("A", "A/", "A:", "../A", "Ä") for b in ("/", ":", "?", "B/C", "B:C", "B?C", ".", " ", "\t", "1", "1 ", "1.")]
    names = names[:116]
    assert len(names) == 116
    apart = names_apart(names)
    document, _ = one_part(box_mesh())
    document = replace(document, shots=tuple(Shot(f"s{k}", name, "c") for k, name in enumerate(names)))
    files = [file_of(document, shot, tmp_path, RenderSettings()) for shot in document.shots]
    swatch = [file_name(name, None) for name in names]
    for k, name in enumerate(names):
        path = tmp_path / f"{apart[k]}.png"
        path.write_bytes(b"x")  # it can be made, and none before it has the same
        good = path.resolve().parent == tmp_path.resolve() and apart.count(apart[k]) == 1 and files.count(files[k]) == 1
        good &= files[k].resolve().parent == tmp_path.resolve() and swatch.count(swatch[k]) == 1
        try:
            stem = file_stem("{project} {shot}", Named(replace(document, name=name), document.shots[k], {}, (8, 6)))
            good &= "/" not in stem and "\0" not in stem
        except AulmoError:
            pass
        tally.hold(good, repr(name))
    assert len(list(tmp_path.glob("*.png"))) == 116


# files that are taken away, windows, disks


def test_attacks_by_taking_the_file_away(tally, tmp_path):
    """Fifty ways, one after another and two together: Save as gives the whole project, and the recovery copy too."""
    ways = [(one,) for one in SINGLE] + [pair for pair in itertools.permutations(("written over", "moved", "deleted", "emptied", "saved over with less",
                                                                                  "cut in half", "its folder moved"), 2)]  # fmt: skip
    for k, way in enumerate(ways[:50]):
        folder = tmp_path / str(k)
        folder.mkdir()
        shutil.copyfile(DEMO / "wick.aulmo", folder / "a.aulmo")
        document, assets = project_file.load(folder / "a.aulmo")
        for name in way:
            try:
                SINGLE[name](folder / "a.aulmo")
            except OSError:
                pass  # the first has taken it away already
        try:
            project_file.save(document, assets, tmp_path / "rescued.aulmo")
            again, blobs = project_file.load(tmp_path / "rescued.aulmo")
            whole = again == document and all(blobs.get(n) for n in project_file.held_assets(again, blobs))
        except AulmoError:
            whole = False
        tally.hold(whole, way)


def test_attacks_by_two_windows(tally, tmp_path):
    """Whoever saves second is told, whatever the first has done."""
    document, assets = one_part(box_mesh())
    for k in range(12):
        path = tmp_path / f"{k}.aulmo"
        project_file.save(document, assets, path)
        one, other = project_file.load(path), project_file.load(path)
        project_file.save(replace(one[0], name=f"First {k}"), one[1], path)
        try:
            project_file.save(replace(other[0], name="Second"), other[1], path)
            told = False
        except project_file.Changed as error:
            told = bool(error.by and error.at)
        tally.hold(told and project_file.load(path)[0].name == f"First {k}", k)


@pytest.fixture
def small_disk(tmp_path):
    """A file system of two megabytes."""
    where = tmp_path / "disk"
    where.mkdir()
    if subprocess.run(["mount", "-t", "tmpfs", "-o", "size=2m", "tmpfs", str(where)], capture_output=True).returncode:
        pytest.skip("no small file system can be mounted here")
    yield where
    subprocess.run(["umount", "-l", str(where)], check=True)


def test_attacks_by_a_full_disk(tally, small_disk):
    """Saving, frames and pages where there is no room: a sentence, the old file whole, nothing half."""
    document, assets = one_part(box_mesh())
    path = small_disk / "a.aulmo"
    project_file.save(document, assets, path)
    before = path.read_bytes()
    large, blobs = one_part(sphere_mesh(20, 400))
    for k in range(8):
        (small_disk / f"filler{k}").write_bytes(b"x" * (200_000 if k else 1000))
        try:
            project_file.save(large, blobs, path, over=True)
            held = False
        except AulmoError as error:
            held = "No space" in str(error)
        tally.hold(held and path.read_bytes() == before and not list(small_disk.glob(".saving-*")), f"save {k}")


# kills


def _killed(words: list[str], after: float, watch=lambda: True) -> bool:
    """Start a command and kill it; whether it was still at work."""
    process = subprocess.Popen([sys.executable, "-m", "aulmo", *words], stdout=subprocess.DEVNULL, stderr=subprocess.DEVNULL)
    until = time.monotonic() + after
    while time.monotonic() < until and process.poll() is None:
        time.sleep(0.01)
    alive = process.poll() is None
    if alive:
        os.kill(process.pid, signal.SIGKILL)
    process.wait()
    return alive


def sliding(folder: Path) -> Path:
    document, assets = one_part(box_mesh(30.0), Surface(base_color=(0.6, 0.1, 0.1)), floor="plain")
    document = replace(document, frames_per_second=5.0, film=Film(end=1.0, play_end=1.0))
    document, _ = script.add_motion(document, "ball", "slide", length=1.0, distance_mm=40.0, axis="x")
    project_file.save(document, assets, folder / "p.aulmo")
    return folder / "p.aulmo"


def test_attacks_by_kills_while_saving(tally, tmp_path):
    """30 kills of a process that saves on and on: the file is always whole, and nothing stays behind after the next save."""
    from document_saver import saver

    for k in range(30):
        target = tmp_path / "a.aulmo"
        child = saver(target)
        time.sleep(random.Random(k).uniform(0.0, 0.4))
        child.kill()
        child.wait()
        document, assets = project_file.load(target)
        project_file.save(document, assets, target)
        tally.hold(document.parts["ball"].name.startswith("Ball ") and [p.name for p in tmp_path.iterdir()] == ["a.aulmo"], k)


def test_attacks_by_kills_of_a_film(tally, tmp_path):
    """20 kills: no half frame under its name, and the whole equal to the bit."""
    project = sliding(tmp_path)
    more = ["--size", "120x90", "--samples", "300", "--raw"]
    subprocess.run([sys.executable, "-m", "aulmo", "film", str(project), *more, "--out", str(tmp_path / "whole")], check=True, capture_output=True)
    draw = random.Random(11)
    for k in range(20):
        out = tmp_path / "killed"
        if not _killed(["film", str(project), *more, "--out", str(out)], draw.uniform(1.5, 5.0)):
            shutil.rmtree(out)  # it was done: begun anew
        good = all(_readable(p) for p in out.glob("frame-*.png")) if out.exists() else True
        tally.hold(good, k)
    subprocess.run([sys.executable, "-m", "aulmo", "film", str(project), *more, "--out", str(tmp_path / "killed")], check=True, capture_output=True)
    frames = [sorted((tmp_path / n).glob("*.png")) for n in ("whole", "killed")]
    assert len(frames[0]) == 5 and [p.read_bytes() for p in frames[0]] == [p.read_bytes() for p in frames[1]]
    assert not [p for p in (tmp_path / "killed").iterdir() if p.name.startswith((".saving-", ".frame-"))]


def _readable(path: Path) -> bool:
    try:
        with Image.open(path) as image:
            image.load()
        return True
    except OSError:
        return False


def test_attacks_by_kills_of_exports_and_finishing(tally, tmp_path):
    """50 kills: what lies under its name is whole or not there, what was there stays, and the next run is as if nothing had been."""
    project = sliding(tmp_path)
    frames = tmp_path / "frames"
    more = ["--size", "120x90", "--samples", "4", "--raw", "--file-type", "exr", "--out", str(frames)]
    subprocess.run([sys.executable, "-m", "aulmo", "film", str(project), *more], check=True, capture_output=True)
    draw = random.Random(5)
    exports = {"a.glb": ["export"], "a.usdz": ["export"], "a.pdf": ["parts"], "a.csv": ["parts"]}
    for k in range(25):
        name = list(exports)[k % 4]
        out = tmp_path / name
        before = b"what was there before" if k % 2 else None
        if before:
            out.write_bytes(before)
        else:
            out.unlink(missing_ok=True)
        killed = _killed([*exports[name], str(project), "--out", str(out)], draw.uniform(0.3, 3.5))
        now = out.read_bytes() if out.exists() else None
        whole = now is not None and now != before and len(now) > 40
        tally.hold((now == before) if killed and not whole else whole, f"{name} {k}")
    for k in range(25):
        out = tmp_path / "done"
        if not _killed(["finish", str(project), "--frames", str(frames), "--out", str(out)], draw.uniform(0.8, 3.0)) and out.exists():
            shutil.rmtree(out)
        tally.hold(all(_readable(p) for p in out.glob("*.png")) if out.exists() else True, f"finish {k}")
    for out in ("done", "once"):
        subprocess.run([sys.executable, "-m", "aulmo", "finish", str(project), "--frames", str(frames), "--out", str(tmp_path / out)], check=True)
    made = [sorted((tmp_path / n).glob("*.png")) for n in ("done", "once")]
    assert len(made[0]) == 5 and [p.read_bytes() for p in made[0]] == [p.read_bytes() for p in made[1]]


# other machines


def test_attacks_by_strangers_at_the_hub(tally, tmp_path, monkeypatch):
    """Who does not know the secret, says nothing, says nonsense, or knows the secret and wants code run: nothing comes of it."""
    import pickle
    import socket
    import ssl

    from distributed import Client

    from aulmo.deliver import waking
    from aulmo.deliver.machines import doors, hub
    from aulmo.deliver.machines.roster import hub_security
    from aulmo.deliver.machines.secret import door, secret_of

    monkeypatch.setenv("AULMO_HUB_HOST", "127.0.0.1")
    folder = tmp_path / "list"
    folder.mkdir()
    waking.set_rules(folder, waking.Rules(helpers=True))
    waking.wake_hub(folder)
    assert hub.wait_for(folder)
    told = hub.told(folder)
    ends = [told["address"], told["engine"]]
    for where, said in itertools.product(ends, (b"", b"\0" * 64, b"GET / HTTP/1.0\r\n\r\n", os.urandom(4000), b"\x16\x03\x01" + b"\xff" * 500)):
        host, _, port = where.rpartition(":")
        with socket.create_connection((host, int(port)), timeout=5) as way:
            way.sendall(said)
            way.settimeout(doors.PATIENCE + 10)
            closed = False
            try:
                while True:
                    if way.recv(4096) == b"":
                        closed = True
                        break
            except OSError as error:
                closed = isinstance(error, ConnectionResetError)
            tally.hold(closed, (where, said[:8]))
    host, _, port = told["address"].rpartition(":")
    for k, line in enumerate((b"\n", b"{}\n", b'{"name": "x", "public": "rubbish"}\n', b'{"name": 5, "public": 5}\n', b"x" * 100_000 + b"\n", b"")):
        context = door(secret_of(folder), inside=False)
        with socket.create_connection((host, int(port)), timeout=5) as plain, context.wrap_socket(plain) as way:
            way.settimeout(doors.PATIENCE + 10)
            try:
                way.sendall(line)
                answer = way.recv(65536)
            except (OSError, ssl.SSLError):
                answer = b""
            tally.hold(b"certificate" not in answer, k)
    hub.quietly()
    with Client(f"tls://{told['engine']}", security=hub_security(folder), set_as_default=False, timeout=10) as client:
        (tmp_path / "evil.py").write_text("raise SystemExit")
        marker = tmp_path / "ran"
        for attempt in (
            lambda: client.run_on_scheduler(os.mkdir, str(marker)), lambda: client.run(os.mkdir, str(marker)),
            lambda: client.upload_file(str(tmp_path / "evil.py")), lambda: client.submit(os.mkdir, str(marker), pure=False).result(timeout=3),
        ):  # fmt: skip
            try:
                attempt()
            except Exception:  # noqa: BLE001, S110 (in whatever words it is refused)
                pass
            tally.hold(not marker.exists(), attempt)
    for evil in (os.system, subprocess.Popen, eval, __import__):
        try:
            doors.plainly(pickle.dumps(evil))
            tally.hold(False, evil)
        except doors.Refused:
            tally.hold(True, evil)
    tally.hold(hub.told(folder).get("engine") == told["engine"], "still there")
    waking.set_rules(folder, waking.Rules())
