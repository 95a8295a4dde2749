"""Where compiled kernels are kept. Import this before Numba.

Numba's own cache does not notice a change in a jitted function of another file, nor in a number that a kernel froze, so the cache folder
carries a hash of every file that kernels are made of, of what those import, of the Numba version and the processor: a stale kernel cannot
be found. A file that no kernel imports may change without compiling anything again.
"""

import functools
import hashlib
import os
import platform
import re
from importlib.metadata import version
from pathlib import Path

import platformdirs

PACKAGE = Path(__file__).parents[2]
_IMPORT = re.compile(r"^[ \t]*(?:from[ \t]+(aulmo[\w.]*)[ \t]+import[ \t]+(\([^)]*\)|[^\n]*)|import[ \t]+(aulmo[\w.]*))", re.M)


def _file_of(module: str, package: Path) -> Path | None:
    path = package.joinpath(*module.split(".")[1:])
    for found in (path.with_suffix(".py"), path / "__init__.py"):
        if found.is_file():
            return found
    return None


def _imports(text: str, package: Path) -> set[Path]:
    """Files of ours that a source imports."""
    found = set()
    for match in _IMPORT.finditer(text):
        module = match[1] or match[3]
        names = re.findall(r"\w+", re.sub(r"#[^\n]*|\bas[ \t]+\w+", "", match[2] or ""))
        for name in [module, *(f"{module}.{name}" for name in names)]:
            path = _file_of(name, package)
            if path is not None:
                found.add(path)
    return found


def kernel_sources(package: Path = PACKAGE) -> list[Path]:
    """The files that compile kernels and, in turn, all of ours that they import; not records of documents, of which kernels know nothing (a
    test holds them to it)."""
    texts = {path: path.read_text() for path in sorted((package / "trace").rglob("*.py"))}
    kernels = [path for path, text in texts.items() if "compile.jit import" in text]
    wanted: set[Path] = set()
    while kernels:
        path = kernels.pop()
        if path not in wanted:
            wanted.add(path)
            kernels.extend(p for p in _imports(texts.get(path) or path.read_text(), package) if p.parent.name != "document")
    return sorted(wanted)


def _processor() -> str:
    try:
        for line in Path("/proc/cpuinfo").read_text().splitlines():
            if line.startswith(("model name", "flags")):
                return line + platform.machine()
    except OSError:
        pass
    return platform.processor()


def digest_of(package: Path = PACKAGE) -> str:
    """A name for the kernels of exactly these sources, this Numba and this processor."""
    digest = hashlib.sha256()
    for source in kernel_sources(package):
        digest.update(str(source.relative_to(package)).encode() + source.read_bytes())
    digest.update(version("numba").encode() + version("llvmlite").encode() + _processor().encode())
    return digest.hexdigest()[:20]


@functools.cache
def cache_folder() -> Path:
    """Folder for the kernels of this build."""
    return Path(platformdirs.user_cache_dir("aulmo")) / "kernels" / digest_of()


def is_warm() -> bool:
    """True when the kernels of this build were compiled on this machine before."""
    folder = cache_folder()
    return folder.is_dir() and any(folder.rglob("*trace_tile*.nbi"))


os.environ["NUMBA_CACHE_DIR"] = str(cache_folder())
