"""Files read in this process: what a reading process gives, without the seconds that starting one takes."""

import contextlib
import tempfile
from pathlib import Path

import pytest

from aulmo.document.meshes import pack_mesh, unpack_mesh
from aulmo.errors import BadFile
from aulmo.prepare import cad_reader, mesh_reader, read_process
from aulmo.prepare.read_process import CAD
from aulmo.prepare.reading import Found


def read_file(path: Path, finesse, whole: bool, progress) -> Found:
    """As `reading.read_file`."""
    say = lambda text, share: progress and progress(text, share)  # noqa: E731
    try:
        if path.suffix.lower() in CAD:
            result = cad_reader.read(path, finesse.chord_mm, finesse.angle, say, whole)
        else:
            result = mesh_reader.read(path, say)
    except BadFile as error:
        raise BadFile(f"{path.name} could not be read: {error}.") from error
    meshes = [unpack_mesh(pack_mesh(mesh)) for mesh in result["meshes"]]
    return Found(result, meshes, list(result["shapes"]), list(result.get("images", ())))


@contextlib.contextmanager
def in_this_process():
    """While this lasts, files and exact shapes are read here."""
    with pytest.MonkeyPatch.context() as patch:
        patch.setattr("aulmo.prepare.import_file.read_file", read_file)
        patch.setattr("aulmo.prepare.reading._from_kept", from_kept)
        yield


def from_kept(blobs, options: dict, progress) -> Found:
    """As `reading._from_kept`."""
    with tempfile.TemporaryDirectory() as folder:
        for number, blob in enumerate(blobs):
            (Path(folder) / f"{number}.kept").write_bytes(blob)
        result = read_process._kept_shapes(Path(folder), {"kept": len(blobs), **options})
    return Found(result, result["meshes"], list(result["shapes"]), [])
