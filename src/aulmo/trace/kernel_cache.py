"""Where compiled kernels are kept. Import this before Numba.

Numba's own cache does not notice a change in a jitted function of another file, so the cache folder carries a
hash of every kernel source, the Numba version and the processor: a stale kernel cannot be found.
"""

import hashlib
import os
import platform
from importlib.metadata import version
from pathlib import Path

import platformdirs


def _processor() -> str:
    try:
        for line in Path("/proc/cpuinfo").read_text().splitlines():
            if line.startswith(("model name", "flags")):
                return line + platform.machine()
    except OSError:
        pass
    return platform.processor()


def cache_folder() -> Path:
    """Folder for the kernels of exactly this source, this Numba and this processor."""
    digest = hashlib.sha256()
    for source in sorted(Path(__file__).parent.glob("*.py")):
        digest.update(source.read_bytes())
    digest.update(version("numba").encode() + version("llvmlite").encode() + _processor().encode())
    return Path(platformdirs.user_cache_dir("aulmo")) / "kernels" / digest.hexdigest()[:20]


def is_warm() -> bool:
    """True when the kernels of this build were compiled on this machine before."""
    folder = cache_folder()
    return folder.is_dir() and any(folder.rglob("*trace_tile*.nbi"))


os.environ["NUMBA_CACHE_DIR"] = str(cache_folder())
