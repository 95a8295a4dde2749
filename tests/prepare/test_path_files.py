"""Paths from drawings."""

import pytest

from aulmo.document.made.paths import length
from aulmo.errors import BadFile
from aulmo.prepare.path_files import read_paths

SVG = '<svg xmlns="http://www.w3.org/2000/svg" width="100mm" height="50mm" viewBox="0 0 100 50"><g transform="translate(10 0)">{}</g></svg>'


def test_lines_of_an_svg_come_in_millimetres_with_their_curves(tmp_path):
    file = tmp_path / "way.svg"
    file.write_text(SVG.format('<path d="M0 0 L80 0 L80 40"/><circle cx="40" cy="20" r="10"/><polyline points="0,0 3,4"/>'))
    found = read_paths(file)
    assert [p.closed for p in found] == [False, True, False] and [p.name for p in found] == ["way 1", "way 2", "way 3"]
    assert [length(p) for p in found] == pytest.approx([120, 62.83, 5], rel=2e-3)
    assert found[0].points[0] == pytest.approx((10, 0, 0), abs=1e-3) and found[0].points[2] == pytest.approx((90, -40, 0), abs=1e-3)


@pytest.mark.parametrize("unit, mm", [(4, 1.0), (6, 1000.0), (1, 25.4)])
def test_lines_of_a_dxf_follow_its_unit_and_chain_where_ends_meet(tmp_path, unit, mm):
    import ezdxf

    drawing = ezdxf.new()
    space = drawing.modelspace()
    space.add_line((10, 0), (10, 5))
    space.add_line((0, 0), (10, 0))
    space.add_circle((0, 0), 3)
    drawing.header["$INSUNITS"] = unit
    drawing.saveas(tmp_path / "way.dxf")
    found = read_paths(tmp_path / "way.dxf")
    assert sorted(length(p) / mm for p in found) == pytest.approx([15, 18.85], rel=2e-3)
    assert [len(p.points) for p in found if not p.closed] == [3]


@pytest.mark.parametrize(
    "name, content", [("a.svg", b"junk"), ("a.dxf", b"junk"), ("a.svg", b""), ("a.svg", SVG.format("").encode()), ("a.txt", b"x")]
)
def test_what_holds_no_lines_is_told(tmp_path, name, content):
    (tmp_path / name).write_bytes(content)
    with pytest.raises(BadFile, match=name):
        read_paths(tmp_path / name)
