"""Running the reading process: progress, giving up, and what it found. See `read_process`."""

import json
import os
import select
import subprocess
import sys
from pathlib import Path
from typing import NamedTuple, Sequence

from aulmo.document import beside
from aulmo.document.apart import Progress
from aulmo.document.meshes import Mesh, unpack_mesh
from aulmo.document.records import Finesse
from aulmo.document.writing import temporary_folder
from aulmo.errors import AulmoError, BadFile

ASK_EVERY = 0.2  # seconds between two looks at whether the artist gave up


class Cancelled(AulmoError):
    """The artist gave up waiting."""


class Found(NamedTuple):
    """What a reading process left: what it tells of its parts, meshes, exact shapes and pictures as bytes."""

    told: dict
    meshes: list[Mesh]
    shapes: list[bytes]
    images: list[bytes]


def _run(source: Path, out: Path, options: dict, shown: str, progress: Progress) -> dict:
    options = {**options, "anywhere": beside.anywhere}
    words = [sys.executable, "-m", "aulmo.prepare.read_process", str(source), str(out), json.dumps(options)]
    process = subprocess.Popen(words, stdout=subprocess.PIPE, stderr=subprocess.PIPE)
    assert process.stdout is not None and process.stderr is not None
    text, share = "Starting", 0.0
    rest, complaint = b"", bytearray()
    streams = [process.stdout.fileno(), process.stderr.fileno()]
    try:
        while streams:
            ready, _, _ = select.select(streams, [], [], ASK_EVERY)
            for stream in ready:
                piece = os.read(stream, 65536)
                if not piece:
                    streams.remove(stream)
                elif stream == process.stderr.fileno():
                    complaint = (complaint + piece)[-20_000:]
                else:
                    *lines, rest = (rest + piece).split(b"\n")
                    for line in lines:
                        number, _, words_ = line.decode(errors="replace").strip().partition(" ")
                        try:
                            share, text = max(share, float(number)), words_
                        except ValueError:
                            continue  # the CAD kernel prints remarks of its own
            if progress is not None and progress(text, min(1.0, share)) is False:
                raise Cancelled(f"Reading {shown} was given up.")
        code = process.wait()
    finally:
        if process.poll() is None:
            process.kill()
            process.wait()
        process.stdout.close()
        process.stderr.close()
    told = complaint.decode(errors="replace").strip().splitlines()
    if code == 3:
        raise BadFile(f"{shown} could not be read: {told[-1] if told else 'it is damaged'}.")
    if code != 0:
        raise BadFile(f"{shown} could not be read: the file is damaged or not what its name says.")
    return json.loads((out / "index.json").read_text())


def _collected(out: Path, index: dict) -> Found:
    return Found(
        index,
        [unpack_mesh((out / f"{n}.mesh").read_bytes()) for n in range(index["meshes"])],
        [(out / f"{n}.shape").read_bytes() for n in range(index["shapes"])],
        [(out / f"{n}.image").read_bytes() for n in range(index["images"])],
    )


def read_file(path: Path, finesse: Finesse, whole: bool, progress: Progress) -> Found:
    """What a CAD or mesh file holds. Raises BadFile with one sentence, or Cancelled."""
    with temporary_folder("read") as out:
        options = {"chord_mm": finesse.chord_mm, "angle": finesse.angle, "whole": whole}
        return _collected(out, _run(path, out, options, path.name, progress))


def read_shapes(blobs: Sequence[bytes], finesse: Sequence[Finesse], scale: float, progress: Progress) -> Found:
    """Exact shapes kept in the project made larger, or with a finesse for each tessellated anew. Raises BadFile or Cancelled."""
    options: dict = {"scale": scale}
    if finesse:
        options["finesse"] = [(f.chord_mm, f.angle) for f in finesse]
    return _from_kept(blobs, options, progress)


def join_shapes(blobs: Sequence[bytes], matrices: Sequence, progress: Progress) -> Found:
    """One exact shape of several, each turned and moved by a rigid (4, 4) matrix; `told["faces"]` says how many faces each brought. Raises
    BadFile or Cancelled."""
    return _from_kept(blobs, {"scale": 1.0, "places": [m.tolist() for m in matrices]}, progress)


def _from_kept(blobs: Sequence[bytes], options: dict, progress: Progress) -> Found:
    with temporary_folder("read") as out:
        for number, blob in enumerate(blobs):
            (out / f"{number}.kept").write_bytes(blob)
        options = {"kept": len(blobs), **options}
        return _collected(out, _run(out, out, options, "The exact shape", progress))
