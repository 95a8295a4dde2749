"""Films of full spheres, for one eye or two: how a frame's camera stands, how large the frames are, and what an MP4 file says of itself.

The boxes are those of the published descriptions of spherical video: the first (an XML text beside the track) and the second (`st3d` and `sv3d` in
the entry of the samples), inside of ISO/IEC 14496-12 files.
"""

import struct
from pathlib import Path
from typing import NamedTuple

from msgspec.structs import replace

from aulmo import __version__
from aulmo.deliver.panorama import Layout, check_eyes, level
from aulmo.document.properties import resolve
from aulmo.document.records import Document, Shot
from aulmo.document.writing import write_atomically
from aulmo.errors import BadFile, BadValue

UUID = bytes.fromhex("ffcc82638a55f4938814587a02521fdd")
_XML = (
    '<?xml version="1.0"?><rdf:SphericalVideo xmlns:rdf="http://www.w3.org/1999/02/22-rdf-syntax-ns#" '
    'xmlns:GSpherical="http://ns.google.com/videos/1.0/spherical/"><GSpherical:Spherical>true</GSpherical:Spherical>'
    "<GSpherical:Stitched>true</GSpherical:Stitched><GSpherical:StitchingSoftware>Aulmo {version}</GSpherical:StitchingSoftware>"
    "<GSpherical:ProjectionType>equirectangular</GSpherical:ProjectionType>{stereo}</rdf:SphericalVideo>"
)
_WITHIN = {b"moov", b"trak", b"mdia", b"minf", b"stbl"}


class Sphere(NamedTuple):
    """How a sphere is filmed: how its two eyes lie in the picture ("" for one), and how far they are from each other, mm."""

    layout: Layout = ""
    eyes_mm: float = 64.0


def size_of(width: int, sphere: Sphere) -> tuple[int, int]:
    """Pixels of a film whose spheres are so many round. Raises BadValue."""
    check_eyes(width, sphere.layout, sphere.eyes_mm)
    if width < 16 or width % 4:
        raise BadValue("A film of full spheres is 16 pixels round or more, and as many as can be divided by four.")
    return {"top-bottom": (width, width), "left-right": (2 * width, width // 2)}.get(sphere.layout, (width, width // 2))


def width_of(size: tuple[int, int], sphere: Sphere) -> int:
    """How many pixels the spheres of a film of some size are round."""
    return size[0] // 2 if sphere.layout == "left-right" else size[0]


def standing(document: Document, shot: Shot, time: float) -> tuple[Document, Shot]:
    """The project and the shot at a time: the shot's camera stands where it is then, upright and still, and sees all round."""
    seen = resolve(document, {"shot": shot.id} if shot in document.shots else None, time)
    camera = replace(level(seen.cameras[shot.camera]), motion_blur=False)
    address = f"cameras/{camera.id}"
    own = replace(shot, overrides={a: v for a, v in shot.overrides.items() if not a.startswith(f"{address}/")})
    return replace(
        document, cameras={**document.cameras, camera.id: camera}, shots=tuple(own if s.id == shot.id else s for s in document.shots),
        keys={a: k for a, k in document.keys.items() if not a.startswith(f"{address}/")},
        motions={i: m for i, m in document.motions.items() if address not in m.wears},
    ), own  # fmt: skip


# what the file says of itself


def _box(kind: bytes, body: bytes) -> bytes:
    return struct.pack(">I4s", 8 + len(body), kind) + body


def _xml(layout: Layout) -> bytes:
    stereo = f"<GSpherical:StereoMode>{layout}</GSpherical:StereoMode>" if layout else ""
    return _box(b"uuid", UUID + _XML.format(version=__version__, stereo=stereo).encode())


def _second(layout: Layout) -> bytes:
    mode = {"": 0, "top-bottom": 1, "left-right": 2}[layout]
    st3d = _box(b"st3d", struct.pack(">IB", 0, mode))
    head = _box(b"svhd", struct.pack(">I", 0) + f"Aulmo {__version__}".encode() + b"\0")
    proj = _box(b"proj", _box(b"prhd", struct.pack(">Iiii", 0, 0, 0, 0)) + _box(b"equi", struct.pack(">IIIII", 0, 0, 0, 0, 0)))
    return st3d + _box(b"sv3d", head + proj)


def boxes(blob: bytes, start: int = 0, end: int | None = None) -> list[tuple[bytes, int, int, int]]:
    """The boxes within a span of a file: kind, where each begins, where its body begins, where it ends. Raises BadFile."""
    end = len(blob) if end is None else end
    found = []
    while start + 8 <= end:
        size, kind = struct.unpack(">I4s", blob[start : start + 8])
        body = start + 8
        if size == 1:
            size, body = struct.unpack(">Q", blob[start + 8 : start + 16])[0], start + 16
        size = end - start if size == 0 else size
        if size < 8 or start + size > end:
            raise BadFile("This is no whole MP4 file.")
        found.append((kind, start, body, start + size))
        start += size
    return found


def _with(blob: bytes, at: int, end: int, layout: Layout, shift: int) -> bytes:
    """The boxes of a span, those on the way to the video's samples with what is said of spheres, chunk offsets `shift` later."""
    made = b""
    for kind, start, body, stop in boxes(blob, at, end):
        inside = blob[body:stop]
        if kind in _WITHIN:
            inside = _with(blob, body, stop, layout, shift)
            if kind == b"trak" and b"vmhd" in inside:
                inside += _xml(layout)
            made += _box(kind, inside)
        elif kind == b"stsd" and any(k in (b"avc1", b"avc3") for k, *_ in boxes(blob, body + 8, stop)):
            entries = b"".join(
                _box(k, blob[b:e] + _second(layout)) if k in (b"avc1", b"avc3") else blob[s:e] for k, s, b, e in boxes(blob, body + 8, stop)
            )
            made += _box(kind, inside[:8] + entries)
        elif kind in (b"stco", b"co64") and shift:
            word, size = (">I", 4) if kind == b"stco" else (">Q", 8)
            count = struct.unpack(">I", inside[4:8])[0]
            moved = [struct.pack(word, struct.unpack(word, inside[8 + size * k : 8 + size * (k + 1)])[0] + shift) for k in range(count)]
            made += _box(kind, inside[:8] + b"".join(moved))
        else:
            made += blob[start:stop]
    return made


def marked(blob: bytes, layout: Layout) -> bytes:
    """An MP4 file that says that its pictures are full spheres, and how the eyes lie in them. Raises BadFile."""
    top = boxes(blob)
    moov = next((b for b in top if b[0] == b"moov"), None)
    data = next((b for b in top if b[0] == b"mdat"), None)
    if moov is None or data is None:
        raise BadFile("This is no whole MP4 file.")
    more = len(_with(blob, moov[1], moov[3], layout, 0)) - (moov[3] - moov[1])
    made = _with(blob, moov[1], moov[3], layout, more if moov[1] < data[1] else 0)
    return blob[: moov[1]] + made + blob[moov[3] :]


def mark(path: Path, layout: Layout) -> None:
    """Let a film's file say so. Raises BadFile or CannotWrite; the file is as it was then."""
    blob = marked(path.read_bytes(), layout)
    write_atomically(path, lambda file: file.write(blob))


def said_of(path: Path) -> str | None:
    """What an MP4 file says of its pictures: the layout of its eyes where they are spheres, None where it says nothing."""
    blob = path.read_bytes()
    moov = next((b for b in boxes(blob) if b[0] == b"moov"), None)
    at = blob.find(b"st3d", moov[2], moov[3]) if moov is not None else -1
    if at < 0 or moov is None or blob.find(b"sv3d", moov[2], moov[3]) < 0:
        return None
    return {0: "", 1: "top-bottom", 2: "left-right"}.get(blob[at + 8])
