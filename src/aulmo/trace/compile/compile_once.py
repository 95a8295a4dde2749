"""Compiles a kernel once, with all it calls, instead of each piece by itself and again within every piece that calls it.

Numba optimises every function it meets as a library of its own, makes machine code of it, and then optimises it again inside each caller;
in a path tracer whose pieces are ten deep, most of that work is thrown away. Here a function compiled on behalf of another stays as it
was lowered; only the one that was asked for from Python is optimised, with everything it needs, and made machine code of. A piece
that is later called from Python by itself, as tests do, is then compiled as a whole of its own.
"""

import threading
from contextlib import contextmanager

from aulmo.trace.compile import kernel_cache, less_work  # (must come before numba)

from numba.core import caching, codegen, dispatcher, sigutils
from numba.core.compiler_lock import global_compiler_lock
from numba.core.runtime import rtsys

_compiling = threading.local()


def _depth() -> int:
    return getattr(_compiling, "depth", 0)


class _Library(codegen.JITCodeLibrary):
    """A library that stays a mere ingredient when it is compiled on behalf of another."""

    ingredient = False

    def finalize(self) -> None:
        self.ingredient = _depth() > 1
        if self.ingredient:
            self._raise_if_finalized()
            self._finalize_dynamic_globals()
            self._finalized = True
            return
        self._linking_libraries = _with_ingredients(self._linking_libraries)
        super().finalize()


def _with_ingredients(libraries: list) -> list:
    """These libraries and, for those that are ingredients, what they call in turn. Callers come before what they call: the linker takes
    only what somebody has asked for already."""
    seen: set = set()
    called_first: list = []

    def visit(library) -> None:
        if library not in seen:
            seen.add(library)
            if getattr(library, "ingredient", False):
                for below in library._linking_libraries:
                    visit(below)
            called_first.append(library)

    for library in libraries:
        visit(library)
    return called_first[::-1]


def _is_ingredient(result) -> bool:
    return getattr(result.library, "ingredient", False)


@contextmanager
def _deeper():
    _compiling.depth = _depth() + 1
    try:
        yield
    finally:
        _compiling.depth -= 1


def _replace(owner, name: str, wrap) -> None:
    setattr(owner, name, wrap(getattr(owner, name)))


def _without_wrappers(customize):
    def flags_for(self, flags):
        flags = customize(self, flags)
        if _depth() > 1:
            flags.no_cpython_wrapper = flags.no_cfunc_wrapper = True
        return flags

    return flags_for


def _counted(compile_core):
    def compile_one(self, args, return_type):
        with _deeper():
            return compile_core(self, args, return_type)

    return compile_one


def _whole_when_called(compile_signature):
    def compile_for(self, sig):
        with global_compiler_lock:
            if _depth() == 0:
                args, _ = sigutils.normalize_signature(sig)
                known = self.overloads.get(tuple(args))
                if known is not None and _is_ingredient(known):
                    del self.overloads[tuple(args)]
            return compile_signature(self, sig)

    return compile_for


def _kept(add_overload):
    def add(self, result):
        if _is_ingredient(result):  # nothing that Python could call
            self.overloads[tuple(result.signature.args)] = result
        else:
            add_overload(self, result)

    return add


def _worth_keeping(check_cachable):
    def check(self, result):
        return not _is_ingredient(result) and check_cachable(self, result)

    return check


def _without_preparing(load_overload):
    """A kernel that is kept is brought from the disk without first preparing all that compiling asks for, which takes longer than the kernel."""

    def load(self, sig, target_context):
        rtsys.initialize(target_context)
        with self._guard_against_spurious_io_errors():
            return self._load_overload(sig, target_context)

    return load


def _where_defined(set_env):
    def set_it(self, name, env):
        if self._engine.is_symbol_defined(name):
            set_env(self, name, env)

    return set_it


def _by_its_place(locator: type):
    """Where a kernel of ours is kept: by what it is made of, wherever that lies, so that a second checkout, or an update at another path, finds
    what fits, and a change compiles what it concerns."""

    def subpath(_cls, py_file):
        return kernel_cache.folder_of(py_file).name

    return subpath


def install() -> None:
    """Let Numba compile in this way from now on."""
    if codegen.JITCPUCodegen._library_class is _Library:
        return
    codegen.JITCPUCodegen._library_class = _Library
    less_work.install()
    _replace(dispatcher._FunctionCompiler, "_customize_flags", _without_wrappers)
    _replace(dispatcher._FunctionCompiler, "_compile_core", _counted)
    _replace(dispatcher.Dispatcher, "compile", _whole_when_called)
    _replace(caching.Cache, "load_overload", _without_preparing)
    _replace(dispatcher.Dispatcher, "add_overload", _kept)
    _replace(caching.CompileResultCacheImpl, "check_cachable", _worth_keeping)
    _replace(codegen.JITCPUCodegen, "set_env", _where_defined)
    caching.UserProvidedCacheLocator.get_suitable_cache_subpath = classmethod(_by_its_place(caching.UserProvidedCacheLocator))
