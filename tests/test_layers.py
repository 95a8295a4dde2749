"""Imports only go down the layers, and only the desk knows Qt."""

import ast
import subprocess
import sys
from pathlib import Path

import pytest

SOURCE = Path(__file__).parents[1] / "src" / "aulmo"
# what each package may import of Aulmo; `trace.scene`, `tracer`, `live` and `swatch_ball` turn documents into arrays
BELOW = {
    "document": set(),
    "surface": {"document"},
    "light": {"document", "surface"},
    "prepare": {"document", "surface", "light"},
    "trace": {"document", "surface", "light"},
    "deliver": {"document", "surface", "light", "trace", "prepare"},
    "command": {"document", "surface", "light", "trace", "prepare", "deliver", "desk"},
    "desk": {"document", "surface", "light", "trace", "prepare", "deliver", "command"},
}
FILES = sorted(SOURCE.rglob("*.py"))


def imports_of(path: Path) -> set[str]:
    found = set()
    for node in ast.walk(ast.parse(path.read_text())):
        if isinstance(node, ast.Import):
            found |= {n.name for n in node.names}
        elif isinstance(node, ast.ImportFrom) and node.module:
            found.add(node.module)
            found |= {f"{node.module}.{n.name}" for n in node.names}
    return found


@pytest.mark.parametrize("package", sorted(BELOW))
def test_imports_only_go_down(package):
    for path in (SOURCE / package).rglob("*.py"):
        used = {name.split(".")[1] for name in imports_of(path) if name.startswith("aulmo.") and name.split(".")[1] in BELOW}
        assert used <= BELOW[package] | {package}, f"{path.name} reaches up to {used - BELOW[package] - {package}}"


def test_only_the_desk_imports_qt():
    for path in FILES:
        if "desk" not in path.parts:
            assert not any(n.split(".")[0] in ("PySide6", "qtpy", "qtawesome") for n in imports_of(path)), path


def test_kernels_know_nothing_of_documents():
    for name in ("path", "openpbr", "microfacet", "lights", "lens", "sampling", "embree", "draft", "quick_math"):
        used = imports_of(SOURCE / "trace" / f"{name}.py")
        assert not any(n.startswith(("aulmo.document", "aulmo.prepare", "aulmo.light")) for n in used), name


def test_no_module_but_the_desk_reads_the_screen():
    for path in FILES:
        if "desk" not in path.parts:
            assert "DISPLAY" not in path.read_text()


def test_every_public_function_says_what_it_does():
    for path in FILES:
        for node in ast.walk(ast.parse(path.read_text())):
            if isinstance(node, (ast.FunctionDef, ast.ClassDef)) and not node.name.startswith("_") and node.col_offset == 0:
                assert ast.get_docstring(node), f"{path.name}: {node.name} has no docstring"


HEAVY = ("scipy.ndimage", "scipy.sparse", "scipy.spatial", "scipy.stats", "OCP", "trimesh", "PyOpenColorIO", "OpenEXR", "OpenImageIO", "pyoidn")


def test_the_window_starts_without_what_only_some_work_needs():
    code = f"import sys, aulmo.desk.window; print([m for m in {HEAVY!r} if m in sys.modules])"
    done = subprocess.run([sys.executable, "-c", code], capture_output=True, text=True, check=True)
    assert done.stdout.strip() == "[]"
