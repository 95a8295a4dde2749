"""Where compiled kernels are kept. Import this before Numba.

Numba's own cache does not notice a change in a jitted function of another file, nor in a number that a kernel froze, so kernels are kept in a
folder for each file, named by a hash of that file and of what it imports in turn: a stale kernel cannot be found, and a change compiles only
what it concerns. Of `units.py` counts what is declared of the units that a file imports from it, not how those are made: a unit's callers are
compiled apart from it. Records of documents do not count, of which kernels know nothing (a test holds them to it).
"""

import ast
import functools
import hashlib
import os
import platform
import re
import shutil
from importlib.metadata import version
from pathlib import Path

import platformdirs

PACKAGE = Path(__file__).parents[2]
DECLARATIONS = "trace/compile/units.py"
KEPT_OF_EACH = 8  # versions of a file whose kernels are kept
_HAS_KERNELS = re.compile(r"compile\.(jit|entry) import")
_IMPORT = re.compile(r"^[ \t]*(?:from[ \t]+([\w.]+)[ \t]+import[ \t]+(\([^)]*\)|[^\n]*)|import[ \t]+([\w.]+))", re.M)


@functools.cache
def _file_of(module: str, package: Path, beside: Path) -> Path | None:
    """The file of a module of ours; of a helper that lies beside what imports it, or in a folder above."""
    first, *rest = module.split(".")
    if first == "aulmo":
        path = package.joinpath(*rest)
        return next((found for found in (path.with_suffix(".py"), path / "__init__.py") if found.is_file()), None)
    if beside.is_relative_to(package) or rest:
        return None
    return next((folder / f"{first}.py" for folder in (beside, *list(beside.parents)[:2]) if (folder / f"{first}.py").is_file()), None)


@functools.cache
def _imported(path: Path, text: str, package: Path) -> dict[Path, set[str]]:
    """Files that a source imports, and the names it takes from each."""
    found: dict[Path, set[str]] = {}
    for match in _IMPORT.finditer(text):
        module = match[1] or match[3]
        names = re.findall(r"\w+", re.sub(r"#[^\n]*|\bas[ \t]+\w+", "", match[2] or ""))
        for name in [module, *(f"{module}.{name}" for name in names)]:
            file = _file_of(name, package, path.parent)
            if file is not None and file.parent.name != "document":
                found.setdefault(file, set()).update(names if name == module else ())
    return found


@functools.cache
def _text(path: Path) -> str:
    return path.read_text()


@functools.cache
def _declared(path: Path) -> tuple[str, dict[str, str]]:
    """What `units.py` says besides declaring units, and each unit's declaration."""
    source = _text(path)
    units, rest = {}, []
    for statement in ast.parse(source).body:
        part = ast.get_source_segment(source, statement) or ""
        value = statement.value if isinstance(statement, ast.Assign) else None
        if isinstance(value, ast.Call) and isinstance(value.func, ast.Name) and value.func.id == "Unit":
            units[statement.targets[0].id] = part  # type: ignore[union-attr, attr-defined]
        elif not isinstance(statement, ast.Expr):
            rest.append(part)
    return "\n".join(rest), units


@functools.cache
def made_of(path: Path, package: Path = PACKAGE) -> frozenset[tuple[Path, frozenset[str]]]:
    """A file and those that it imports in turn, each with the units that are taken from it."""
    declarations = package / DECLARATIONS
    seen: set[Path] = set()
    taken: set[str] = set()
    waiting = [path]
    while waiting:
        one = waiting.pop()
        if one in seen:
            continue
        seen.add(one)
        for file, names in _imported(one, _text(one), package).items():
            if file == declarations:
                taken |= {*names, *re.findall(r"\bunits\.(\w+)", _text(one))} & _declared(declarations)[1].keys()
            waiting.append(file)
    return frozenset((p, frozenset(taken) if p == declarations else frozenset()) for p in seen)


@functools.cache
def _processor() -> str:
    try:
        for line in Path("/proc/cpuinfo").read_text().splitlines():
            if line.startswith(("model name", "flags")):
                return line + platform.machine()
    except OSError:
        pass
    return platform.processor()


@functools.cache
def digest_of(path: Path, package: Path = PACKAGE) -> str:
    """A name for what a file's kernels are made of."""
    digest = hashlib.sha256()
    for source, units in sorted(made_of(path, package)):
        digest.update(str(source.relative_to(package)).encode() if source.is_relative_to(package) else source.name.encode())
        if source == package / DECLARATIONS:
            rest, declared = _declared(source)
            digest.update("\n".join([rest, *(declared[name] for name in sorted(units))]).encode())
        else:
            digest.update(_text(source).encode())
    return digest.hexdigest()[:20]


@functools.cache
def cache_folder() -> Path:
    """Folder for the kernels of this Numba and this processor."""
    machine = hashlib.sha256((version("numba") + version("llvmlite") + _processor()).encode()).hexdigest()[:12]
    return Path(platformdirs.user_cache_dir("aulmo")) / "kernels" / machine


@functools.cache
def folder_of(file: str | Path) -> Path:
    """Where the kernels of a source file are kept."""
    path = Path(file).resolve()
    name = "_".join(path.relative_to(PACKAGE).with_suffix("").parts) if path.is_relative_to(PACKAGE) else path.stem
    return cache_folder() / f"{name}-{digest_of(path)}"


def kernel_files(package: Path = PACKAGE) -> list[Path]:
    """The files that hold kernels."""
    return [path for path in sorted((package / "trace").rglob("*.py")) if _HAS_KERNELS.search(_text(path))]


@functools.cache
def build() -> str:
    """A name for all kernels as they are now, on this processor."""
    return hashlib.sha256("".join([cache_folder().name, *(digest_of(path) for path in kernel_files())]).encode()).hexdigest()[:20]


def _whole() -> Path:
    return cache_folder() / f"whole-{build()}"


def is_warm() -> bool:
    """True when all kernels of this build were compiled on this machine before."""
    return _whole().exists()


def note_warm() -> None:
    """Note that all kernels of this build have been compiled, and let go of those of old versions."""
    _whole().touch()
    versions: dict[str, list[Path]] = {}
    for folder in cache_folder().glob("*-*"):
        versions.setdefault(folder.name.rsplit("-", 1)[0], []).append(folder)
    for folders in versions.values():
        for old in sorted(folders, key=lambda p: p.stat().st_mtime)[:-KEPT_OF_EACH]:
            shutil.rmtree(old, ignore_errors=True)
            old.unlink(missing_ok=True)


os.environ["NUMBA_CACHE_DIR"] = str(cache_folder())
