"""Where compiled kernels are kept, and what makes them stale."""

import shutil
from pathlib import Path

from numba.core import caching

from aulmo.trace.compile import jit, kernel_cache  # noqa: F401  (which lets Numba keep kernels so)

TILE, NODES, LOBES, DRAFT = "trace/path/tile.py", "trace/pattern/nodes/sums.py", "trace/material/openpbr.py", "trace/draft.py"


def checkout(tmp_path: Path) -> Path:
    copy = tmp_path / "aulmo"
    shutil.copytree(kernel_cache.PACKAGE, copy, ignore=shutil.ignore_patterns("__pycache__", "data", "thumbnails", "fonts"))
    return copy


def digests(package: Path) -> dict[str, str]:
    """Of every file with kernels, what its kernels are made of."""
    for remembered in (kernel_cache._imported, kernel_cache._text, kernel_cache._declared, kernel_cache.made_of, kernel_cache.digest_of):
        remembered.cache_clear()
    return {str(p.relative_to(package)): kernel_cache.digest_of(p, package) for p in kernel_cache.kernel_files(package)}


def changed_by(package: Path, name: str, old: str = "", new: str = "\nONE_MORE = 1\n") -> set[str]:
    """The files whose kernels are stale after an edit, which is then taken back."""
    before, text = digests(package), (package / name).read_text()
    assert old in text
    (package / name).write_text(text.replace(old, new, 1) if old else text + new)
    after = digests(package)
    (package / name).write_text(text)
    assert digests(package) == before
    return {file for file in before if after[file] != before[file]}


def test_kernels_are_found_by_what_they_are_made_of_wherever_the_checkout_lies(tmp_path):
    copy = checkout(tmp_path)
    assert digests(copy) == digests(kernel_cache.PACKAGE)
    here = caching.UserProvidedCacheLocator.get_suitable_cache_subpath(str(kernel_cache.PACKAGE / TILE))
    assert here == kernel_cache.folder_of(kernel_cache.PACKAGE / TILE).name and here.startswith("trace_path_tile-")


def test_an_edit_compiles_what_it_concerns_and_nothing_else(tmp_path):
    copy = checkout(tmp_path)
    nodes = changed_by(copy, NODES)
    assert NODES in nodes and not nodes & {TILE, DRAFT, LOBES, "trace/path/vertex.py", "trace/pattern/relief.py"}
    lobes = changed_by(copy, LOBES)
    assert {LOBES, "trace/path/vertex.py"} <= lobes and not lobes & {NODES, DRAFT, TILE, "trace/pattern/decal_hit.py"}
    draft = changed_by(copy, DRAFT)
    assert draft == {DRAFT}
    for everything in ("trace/compile/arrays.py", "trace/compile/jit.py"):
        assert {TILE, DRAFT, NODES, LOBES} <= changed_by(copy, everything)
    assert {TILE, NODES} <= changed_by(copy, "surface/program.py")
    assert not changed_by(copy, "trace/scene.py") and not changed_by(copy, "document/records.py")


def test_of_the_declarations_only_those_count_that_a_file_uses(tmp_path):
    copy = checkout(tmp_path)
    one_more = changed_by(copy, "trace/compile/units.py", new='\none_more = Unit("one_more", "path.lens", NUMBER, NUMBER)\n')
    assert not one_more
    other = changed_by(copy, "trace/compile/units.py", '"path.photo", FOUR, PICTURE', '"path.photo", FOUR, NUMBER, PICTURE')
    assert {"trace/path/photo.py", "trace/path/gather.py", DRAFT} <= other and NODES not in other
