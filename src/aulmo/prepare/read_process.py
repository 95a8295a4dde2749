"""The reading process: `python -m aulmo.prepare.read_process INPUT OUT OPTIONS`, options as JSON.

A hostile file can kill the CAD kernel; here it only kills this process. Progress goes to stdout as "share text"; the result is a
folder of blobs with an index; the last line of stderr is the sentence of a failure.
"""

import ctypes
import json
import os
import resource
import signal
import sys
import time
from pathlib import Path

CAD = (".step", ".stp", ".iges", ".igs", ".brep", ".brp")
MESH = (".obj", ".stl", ".ply", ".gltf", ".glb", ".3mf", ".usd", ".usda", ".usdc", ".usdz")
SECONDS, SECONDS_A_MB = 900, 60  # of work that a file may take, and more the larger it is; the artist may give up before
_WHEN_PARENT_DIES = 1  # PR_SET_PDEATHSIG of prctl(2)


_said = [-1.0]  # when something was said last


def _say(text: str, share: float) -> None:
    now = time.monotonic()
    if now - _said[0] > 0.05 or share >= 0.95:  # a file of a hundred thousand parts has no time for each
        _said[0] = now
        print(f"{share:.3f} {text}", flush=True)


def _end_with_the_parent() -> None:
    """Be killed with whoever started this: nobody is left to read the result."""
    parent = os.getppid()
    ctypes.CDLL(None, use_errno=True).prctl(_WHEN_PARENT_DIES, signal.SIGKILL, 0, 0, 0)
    if os.getppid() != parent:  # it went in between
        os._exit(1)


def _kept_shapes(folder: Path, options: dict) -> dict:
    """Shapes of a project, larger or with other triangles."""
    from aulmo.errors import BadFile
    from aulmo.prepare import cad_mesh

    shapes = [cad_mesh.from_blob((folder / f"{n}.kept").read_bytes()) for n in range(options["kept"])]
    if "places" in options:
        counts = [len(cad_mesh.faces_of(shape)) for shape in shapes]
        joined = cad_mesh.compound([cad_mesh.placed(shape, place) for shape, place in zip(shapes, options["places"])])
        return {"nodes": [], "meshes": [], "shapes": [cad_mesh.to_blob(joined)], "notes": [], "faces": counts}
    if options["scale"] != 1.0:
        shapes = [cad_mesh.scaled(shape, options["scale"]) for shape in shapes]
    meshes: list = []
    if "finesse" in options:
        total, ready = len(shapes), 0
        meshes = [None] * total
        for chord_mm, angle in sorted({tuple(f) for f in options["finesse"]}):
            alike = [k for k, f in enumerate(options["finesse"]) if tuple(f) == (chord_mm, angle)]

            def told(count: int, ready: int = ready) -> None:
                _say(f"Tessellating part {ready + count} of {total}", (ready + count) / total)

            for k, mesh in zip(alike, cad_mesh.tessellate([shapes[k] for k in alike], chord_mm, angle, told)):
                meshes[k] = mesh
            ready += len(alike)
        if any(mesh is None for mesh in meshes):
            raise BadFile("the exact shape has no surface")
    return {"nodes": [], "meshes": meshes, "shapes": [cad_mesh.to_blob(s) for s in shapes] if options["scale"] != 1.0 else [], "notes": []}


def _read(source: Path, options: dict) -> dict:
    if "kept" in options:
        return _kept_shapes(source, options)
    kind = source.suffix.lower()
    if kind in CAD:
        from aulmo.prepare import cad_reader

        return cad_reader.read(source, options["chord_mm"], options["angle"], _say, options["whole"])
    from aulmo.prepare import mesh_reader

    return mesh_reader.read(source, _say)


def main() -> int:
    """Read one file. Exit code 0, or 3 with a sentence on stderr."""
    source, out, options = Path(sys.argv[1]), Path(sys.argv[2]), json.loads(sys.argv[3])
    _end_with_the_parent()
    resource.setrlimit(resource.RLIMIT_CORE, (0, 0))
    resource.setrlimit(resource.RLIMIT_AS, (20 << 30, 20 << 30))
    spent = SECONDS + (source.stat().st_size / 1e6 * SECONDS_A_MB if source.is_file() else 0.0)
    resource.setrlimit(resource.RLIMIT_CPU, (int(spent), int(spent) + 5))
    from aulmo.document import apart, beside
    from aulmo.document.meshes import pack_mesh
    from aulmo.errors import BadFile

    apart.inside, beside.anywhere = True, bool(options.get("anywhere"))
    try:
        result = _read(source, options)
    except BadFile as error:
        print(error, file=sys.stderr)
        return 3
    except MemoryError:
        print("it needs more memory than there is", file=sys.stderr)
        return 3
    except Exception as error:
        print(f"{type(error).__name__}: {error}", file=sys.stderr)
        return 4
    _say("Handing over", 0.95)
    for number, made in enumerate(result["meshes"]):
        (out / f"{number}.mesh").write_bytes(pack_mesh(made))
    for kind in ("shape", "image"):
        for number, blob in enumerate(result.get(f"{kind}s", ())):
            (out / f"{number}.{kind}").write_bytes(blob)
    index = {
        **{key: value for key, value in result.items() if key not in ("meshes", "shapes", "images")},
        "meshes": len(result["meshes"]), "shapes": len(result["shapes"]), "images": len(result.get("images", ())),
    }  # fmt: skip
    (out / "index.json").write_text(json.dumps(index))
    _say("Done", 1.0)
    return 0


if __name__ == "__main__":
    sys.exit(main())
