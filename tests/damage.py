"""Reads damaged copies of a good file one after another: `python damage.py KIND GOOD FIRST LAST FOLDER`. What became of each goes to FOLDER/told.

A file that takes too long is ended by the alarm, and this process with it.
"""

import json
import signal
import sys
from pathlib import Path

import numpy as np

from aulmo.errors import BadFile

SLOW = 20  # seconds for one file
CAD = ("step", "igs", "brep")


def damaged(blob: bytes, seed: int) -> bytes:
    """A copy with bytes changed, taken out, doubled or cut off."""
    rng = np.random.default_rng(seed)
    out = bytearray(blob)
    for _ in range(int(2 ** rng.integers(0, 6))):
        at, kind = int(rng.integers(len(out))), rng.integers(6)
        if kind < 3:
            out[at] = int(rng.integers(256)) if kind else out[at] ^ (1 << int(rng.integers(8)))
        elif kind == 3:
            del out[at : at + int(rng.integers(1, 40))]
        elif kind == 4:
            other = int(rng.integers(len(out)))
            out[at:at] = out[other : other + int(rng.integers(1, 60))]
        elif rng.random() < 0.2:
            del out[at:]
        else:
            word = [b"999999999", b"-1", b"nan", b"1e400", b"0", b"", b"\xff\xff\xff\xff"][int(rng.integers(7))]
            out[at : at + int(rng.integers(1, 9))] = word
        if not out:
            out = bytearray(b" ")
    return bytes(out)


def read_one(kind: str, path: Path) -> str:
    """How a file is read: "read", "told", or what went wrong."""
    from aulmo.prepare import cad_reader, mesh_reader

    try:
        if kind in CAD:
            cad_reader.read(path, 0.5, 30.0, lambda text, share: None)
        else:
            mesh_reader.read(path, lambda text, share: None)
    except BadFile as error:
        sentence = str(error)
        return "told" if sentence and "\n" not in sentence else f"a bad sentence: {sentence!r}"
    except MemoryError:
        return "told"
    except Exception as error:
        return f"{type(error).__name__}: {error}"
    return "read"


def main() -> None:
    """Read a range of seeds."""
    kind, good, folder = sys.argv[1], Path(sys.argv[2]), Path(sys.argv[5])
    blob = good.read_bytes()
    path = folder / f"bad.{kind.split('.')[-1]}"
    with open(folder / "told", "a") as told:
        for seed in range(int(sys.argv[3]), int(sys.argv[4])):
            path.write_bytes(damaged(blob, seed))
            print(json.dumps([seed, "ended"]), file=told, flush=True)
            signal.alarm(SLOW)
            words = read_one(kind, path)
            signal.alarm(0)
            print(json.dumps([seed, words]), file=told, flush=True)


if __name__ == "__main__":
    main()
