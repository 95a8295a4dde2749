"""Where compiled kernels are kept."""

from numba.core import caching

from aulmo.trace.compile import compile_once, kernel_cache


def test_a_kernel_has_its_place_within_the_package_wherever_the_checkout_lies(tmp_path, monkeypatch):
    locator = caching.UserProvidedCacheLocator
    here = locator.get_suitable_cache_subpath(str(kernel_cache.PACKAGE / "trace" / "path" / "tile.py"))
    assert here == "trace_path"
    monkeypatch.setattr(kernel_cache, "PACKAGE", tmp_path)
    subpath = compile_once._by_its_place(locator)
    assert subpath(locator, str(tmp_path / "trace" / "path" / "tile.py")) == here  # another checkout finds what the first has compiled
    assert "trace_path" not in subpath(locator, "/elsewhere/trace/path/tile.py")
