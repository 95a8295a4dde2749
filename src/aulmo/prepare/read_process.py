"""The reading process: `python -m aulmo.prepare.read_process INPUT OUT CHORD ANGLE`.

A hostile file can kill the CAD kernel; here it only kills this process. Progress goes to stdout as "share text"; the result is a
folder of blobs with an index; the last line of stderr is the sentence of a failure.
"""

import ctypes
import json
import os
import resource
import signal
import sys
from pathlib import Path

CAD = (".step", ".stp", ".iges", ".igs", ".brep", ".brp")
_WHEN_PARENT_DIES = 1  # PR_SET_PDEATHSIG of prctl(2)
MESH = (".obj", ".stl", ".ply", ".gltf", ".glb")


def _say(text: str, share: float) -> None:
    print(f"{share:.3f} {text}", flush=True)


def _end_with_the_parent() -> None:
    """Be killed with whoever started this: nobody is left to read the result."""
    parent = os.getppid()
    ctypes.CDLL(None, use_errno=True).prctl(_WHEN_PARENT_DIES, signal.SIGKILL, 0, 0, 0)
    if os.getppid() != parent:  # it went in between
        os._exit(1)


def main() -> int:
    """Read one file. Exit code 0, or 3 with a sentence on stderr."""
    source, out, chord, angle = Path(sys.argv[1]), Path(sys.argv[2]), float(sys.argv[3]), float(sys.argv[4])
    _end_with_the_parent()
    resource.setrlimit(resource.RLIMIT_CORE, (0, 0))
    resource.setrlimit(resource.RLIMIT_AS, (20 << 30, 20 << 30))
    from aulmo.document.assets import pack_mesh
    from aulmo.errors import BadFile

    try:
        if source.suffix == ".shape":
            from aulmo.prepare import cad_reader

            mesh = cad_reader.tessellate(cad_reader.from_file(source), chord, angle)
            if mesh is None:
                raise BadFile("the exact shape has no surface")
            result: dict = {"nodes": [], "meshes": [mesh], "shapes": [], "notes": []}
        elif source.suffix.lower() in CAD:
            from aulmo.prepare import cad_reader

            result = cad_reader.read(source, chord, angle, _say)
        else:
            from aulmo.prepare import mesh_reader

            result = mesh_reader.read(source, _say)
    except BadFile as error:
        print(error, file=sys.stderr)
        return 3
    except MemoryError:
        print("it needs more memory than there is", file=sys.stderr)
        return 3
    except Exception as error:
        print(f"{type(error).__name__}: {error}", file=sys.stderr)
        return 4
    for number, made in enumerate(result["meshes"]):
        (out / f"{number}.mesh").write_bytes(pack_mesh(made))
    for number, shape in enumerate(result["shapes"]):
        (out / f"{number}.shape").write_bytes(shape)
    index = {"nodes": result["nodes"], "meshes": len(result["meshes"]), "shapes": len(result["shapes"]), "notes": result["notes"]}
    (out / "index.json").write_text(json.dumps(index))
    _say("Done", 1.0)
    return 0


if __name__ == "__main__":
    sys.exit(main())
