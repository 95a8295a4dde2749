"""Foreign files are read in a process of their own: what ends it, fills it or hangs it is a sentence here."""

import os
import pickle
from pathlib import Path

import numpy as np
import pytest

from aulmo.document import apart as apart_
from aulmo.document.apart import here, packed, unpacked
from aulmo.errors import BadFile, BadValue
from aulmo.finish.grading import _grains, read_cube
from aulmo.prepare.path_files import read_paths
from aulmo.surface.picture import read_picture
from hostile import attacked


@pytest.fixture(autouse=True)
def _with_the_tests_own_modules(monkeypatch):
    monkeypatch.setenv("PYTHONPATH", str(Path(__file__).parents[1]))


@pytest.mark.parametrize(
    ("how", "words"),
    [
        ("dies", "damaged or not what"), ("hangs", "within 4 seconds"), ("fills", "more memory"), ("deep", "nested deeper"),
        ("told", "^a.svg is wrong.$"),
    ],
)  # fmt: skip
def test_what_a_file_does_to_its_reader_is_a_sentence_and_the_next_file_is_read(how, words):
    with pytest.raises(BadFile, match=words):
        attacked("a.svg", how)
    found = attacked("a.svg", "good")
    assert found["pid"] != os.getpid() and found["large"][-1] == 399_999
    found["large"][0] = 7.0  # ours to change
    assert here(attacked)("a.svg", "good")["pid"] == os.getpid()


def test_nothing_that_could_run_is_taken_back():
    class Evil:
        def __reduce__(self):
            return (os.system, ("true",))

    assert unpacked(packed({"a": [1, (2.5, "x")], "b": np.ones(3)}, None))["a"] == [1, (2.5, "x")]
    with pytest.raises(pickle.UnpicklingError, match="no plain data"):
        unpacked(packed(Evil(), None))


def test_it_ends_with_the_program_and_leaves_nothing():
    read_picture(b"<svg xmlns='http://www.w3.org/2000/svg' width='9' height='9'/>", "a.svg", long_side=9)
    reader = apart_._readers["reader"][0]
    process, folder = reader._process, reader._folder.name
    reader.end()
    assert process.poll() is not None and not os.path.exists(folder)


def test_a_small_picture_does_not_wait_for_a_large_one():
    """Two are read at once by two processes."""
    drawing = b"<svg xmlns='http://www.w3.org/2000/svg' width='9' height='9'/>"
    read_picture(drawing, "a.svg", long_side=9)
    first = apart_._readers["reader"][0]
    with first.lock:  # at work for somebody else
        assert read_picture(drawing, "a.svg", long_side=9).codes.shape == (9, 9, 4)
    assert len(apart_._readers["reader"]) >= 2


HEAD = "<svg xmlns='http://www.w3.org/2000/svg' xmlns:xlink='http://www.w3.org/1999/xlink' viewBox='0 0 9 9'>"


@pytest.mark.parametrize(
    "svg",
    [
        HEAD + "<g>" * 100_000 + "<rect width='9' height='9'/>" + "</g>" * 100_000 + "</svg>",
        HEAD + "<defs><rect id='a0' width='1' height='1'/>"
        + "".join(f"<g id='a{k}'>" + f"<use xlink:href='#a{k - 1}'/>" * 10 + "</g>" for k in range(1, 5)) + "</defs><use xlink:href='#a4'/></svg>",
    ],
    ids=["nested", "uses of uses"],
)  # fmt: skip
def test_a_drawing_that_was_made_to_hurt_is_read_or_told(svg):
    try:
        assert read_picture(svg.encode(), "bomb.svg", long_side=32).codes.size
    except BadFile as error:
        assert str(error).startswith("bomb.svg") and "\n" not in str(error)


def dxf(lines) -> str:
    rows = "".join(f"0\nLINE\n8\n0\n10\n{a}\n20\n{b}\n30\n0\n11\n{c}\n21\n{d}\n31\n0\n" for a, b, c, d in lines)
    return f"0\nSECTION\n2\nENTITIES\n{rows}0\nENDSEC\n0\nEOF\n"


def test_thousands_of_loose_lines_are_chained_and_a_circle_without_measure_is_told(tmp_path):
    angles = np.linspace(0, 2 * np.pi, 3001)
    around = np.stack([100 * np.cos(angles), 100 * np.sin(angles)], 1)
    pieces = [(*around[k], *around[k + 1]) for k in range(3000)]
    np.random.default_rng(3).shuffle(pieces)
    (tmp_path / "ring.dxf").write_text(dxf(pieces))
    (ring,) = read_paths(tmp_path / "ring.dxf")
    assert ring.closed and len(ring.points) == 3000
    (tmp_path / "vast.dxf").write_text("0\nSECTION\n2\nENTITIES\n0\nCIRCLE\n8\n0\n10\n0\n20\n0\n30\n0\n40\n1e12\n0\nENDSEC\n0\nEOF\n")
    with pytest.raises(BadFile, match="longer than anything"):
        read_paths(tmp_path / "vast.dxf")


def test_tables_and_grains_keep_to_a_measure():
    endless = b"LUT_3D_SIZE 2\n" + b"0 0 0\n" * 100_000
    with pytest.raises(BadValue, match="more colours than it tells of"):
        read_cube(endless, "a.cube")
    assert _grains(4096, 1, 0.005, 1).shape == (4096, 1)  # a strip wanted 70,000,000 rows of grains
