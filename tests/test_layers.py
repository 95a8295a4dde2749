"""Imports only go down the layers, and only the desk knows Qt."""

import ast
import functools
import subprocess
import sys
from pathlib import Path

import pytest

from aulmo.trace.compile.kernel_cache import kernel_files, made_of

SOURCE = Path(__file__).parents[1] / "src" / "aulmo"
# what each package may import of Aulmo; what is not listed may import nothing, and nobody may import it
BELOW = {
    "errors": set(),
    "document": {"errors"},
    "surface": {"errors", "document"},
    "light": {"errors", "document", "surface"},
    "prepare": {"errors", "document", "surface", "light"},
    "shelf": {"errors", "document", "surface", "light", "frame", "trace", "prepare", "finish"},
    "frame": {"errors", "document", "surface", "light"},
    "motion": {"errors", "document"},
    "trace": {"errors", "document", "surface", "light", "frame"},
    "finish": {"errors", "document", "surface", "light", "frame", "trace"},
    "deliver": {"errors", "document", "surface", "light", "frame", "trace", "prepare", "motion", "finish"},
    "desk": {"errors", "document", "surface", "light", "frame", "trace", "prepare", "motion", "finish", "shelf", "deliver"},
    "command": {"errors", "document", "surface", "light", "frame", "trace", "prepare", "motion", "finish", "shelf", "deliver", "desk"},
    "script": {"errors", "document", "surface", "light", "frame", "trace", "prepare", "motion", "finish", "shelf", "deliver", "command"},
    "__main__": {"command"},
}
# within the renderer: kernels in rooms, the rest on top of them
ROOMS = {"compile", "shape", "pattern", "material", "lamp", "path"}
# within the window: what the rooms of all stages stand on, and that no stage knows another
STANDS_ON = {"shell", "widgets", "picture", "shelf"}
FILES = sorted(SOURCE.rglob("*.py"))


@functools.cache
def parsed(path: Path) -> ast.Module:
    return ast.parse(path.read_text())


@functools.cache
def imports_of(path: Path) -> set[str]:
    found = set()
    for node in ast.walk(parsed(path)):
        if isinstance(node, ast.Import):
            found |= {n.name for n in node.names}
        elif isinstance(node, ast.ImportFrom) and node.module:
            found.add(node.module)
            found |= {f"{node.module}.{n.name}" for n in node.names}
    return found


def package_of(path: Path) -> str:
    first = path.relative_to(SOURCE).parts[0]
    return first.removesuffix(".py")


@pytest.mark.parametrize("path", FILES, ids=lambda path: str(path.relative_to(SOURCE)))
def test_imports_only_go_down(path):
    package = package_of(path)
    allowed = BELOW.get(package, set()) | {package}
    used = {name.split(".")[1] for name in imports_of(path) if name.startswith("aulmo.")}
    used = {name for name in used if name != "__version__"}
    assert used <= allowed, f"{path.name} reaches up to {used - allowed}"


@pytest.mark.parametrize("room", sorted(p.name for p in (SOURCE / "trace").iterdir() if p.is_dir() and p.name != "__pycache__"))
def test_the_rooms_of_the_renderer_know_only_rooms(room):
    for path in (SOURCE / "trace" / room).glob("*.py"):
        used = {name.split(".")[2] for name in imports_of(path) if name.startswith("aulmo.trace.")}
        allowed = {"compile"} if room == "compile" else ROOMS
        assert room in ROOMS and used <= allowed, f"{path.name} reaches {used - allowed}"


def test_no_stage_of_the_window_knows_another_and_the_shell_knows_none_by_name():
    rooms = {p.name for p in (SOURCE / "desk").iterdir() if (p / "__init__.py").exists()}
    stages = rooms - STANDS_ON
    for path in (SOURCE / "desk").rglob("*.py"):
        here = path.relative_to(SOURCE / "desk").parts[0]
        used = {name.split(".")[2] for name in imports_of(path) if name.startswith("aulmo.desk.") and len(name.split(".")) > 2} & rooms
        if here == "stages.py":  # the one list
            continue
        assert not (used & stages) - {here}, f"{path} knows the stage {used & stages - {here}}"
        if here == "widgets":
            assert used <= {"widgets", "shell"}


def test_only_the_desk_imports_qt():
    for path in FILES:
        if package_of(path) != "desk":
            assert not any(n.split(".")[0] in ("PySide6", "qtpy", "qtawesome") for n in imports_of(path)), path


def test_kernels_know_nothing_of_documents():
    """Which is why a change to the records compiles nothing again. What is kept by its content is no document's."""
    for path in {source for file in kernel_files() for source, _units in made_of(file)}:
        if path.is_relative_to(SOURCE / "trace"):
            used = imports_of(path)
            allowed = ("aulmo.document", "aulmo.document.meshes", "aulmo.document.meshes.Mesh")
            allowed += ("aulmo.document.by_content", "aulmo.document.by_content.by_content")
            assert not [n for n in used if n.startswith(("aulmo.document", "aulmo.prepare", "aulmo.light")) and n not in allowed], path


def test_no_module_but_the_desk_reads_the_screen():
    for path in FILES:
        if package_of(path) != "desk":
            assert "DISPLAY" not in path.read_text()


def test_every_public_function_says_what_it_does():
    for path in FILES:
        for node in ast.walk(parsed(path)):
            if isinstance(node, (ast.FunctionDef, ast.ClassDef)) and not node.name.startswith("_") and node.col_offset == 0:
                assert ast.get_docstring(node), f"{path.name}: {node.name} has no docstring"


HEAVY = ("scipy.ndimage", "scipy.sparse", "scipy.spatial", "scipy.stats", "OCP", "trimesh", "PyOpenColorIO", "OpenEXR", "OpenImageIO", "pyoidn")


def test_the_window_starts_without_what_only_some_work_needs():
    code = f"import sys, aulmo.desk.shell.window; print([m for m in {HEAVY!r} if m in sys.modules])"
    done = subprocess.run([sys.executable, "-c", code], capture_output=True, text=True, check=True)
    assert done.stdout.strip() == "[]"


def circles_among(imports: dict[str, set[str]]) -> list[set[str]]:
    """The sets of more than one module that reach one another (Tarjan 1972)."""
    numbers: dict[str, int] = {}
    lowest: dict[str, int] = {}
    open_: list[str] = []
    found = []

    def visit(module: str) -> None:
        numbers[module] = lowest[module] = len(numbers)
        open_.append(module)
        for other in sorted(imports[module]):
            if other not in numbers:
                visit(other)
                lowest[module] = min(lowest[module], lowest[other])
            elif other in open_:
                lowest[module] = min(lowest[module], numbers[other])
        if lowest[module] == numbers[module]:
            circle = set(open_[open_.index(module) :])
            del open_[open_.index(module) :]
            if len(circle) > 1:
                found.append(circle)

    for module in sorted(imports):
        if module not in numbers:
            visit(module)
    return found


def test_no_files_import_one_another_in_a_circle():
    """Imports within functions count: they hide a circle, they do not undo it."""
    modules = {".".join(("aulmo", *p.relative_to(SOURCE).with_suffix("").parts)).removesuffix(".__init__"): p for p in FILES}
    used = {module: (imports_of(path) & modules.keys()) - {module} for module, path in modules.items()}
    for module, path in modules.items():  # a package that is named on the way to a module of it is not what is meant
        named = imports_of(path)
        used[module] = {u for u in used[module] if not any(n.startswith(u + ".") for n in named & modules.keys())}
    circles = circles_among(used)
    assert [sorted(c) for c in circles] == []


def test_a_circle_is_found():
    assert circles_among({"a": {"b"}, "b": {"c"}, "c": {"a"}, "d": {"a"}}) == [{"a", "b", "c"}]
    assert circles_among({"a": {"b"}, "b": set(), "c": {"b"}}) == []
