"""Flat drawings: read, cleaned, their lines told apart."""

from pathlib import Path

import numpy as np
import pytest

import flats
from aulmo.document.flat import Flat
from aulmo.errors import BadFile, BadValue
from aulmo.prepare.carton import drawing
from aulmo.prepare.carton.lay_out import Sheet, lay_out, with_kinds
from aulmo.prepare.carton.strokes import Drawing, Stroke


def laid(lines: list[flats.Drawn]) -> Flat:
    """A flat of lines without colours or layers."""
    return Sheet(Drawing([Stroke(np.array(line.points, float)) for line in lines], "mm", None, []), "made up").flat()


def right_share(lines: list[flats.Drawn], flat: Flat) -> tuple[int, int]:
    """How many lines of a flat are of the kind they were drawn as, and how many there are."""
    import shapely

    creased = shapely.union_all([shapely.LineString(line.points) for line in lines if line.kind == "crease"]).buffer(0.4)
    good = 0
    for line in flat.lines:
        is_crease = creased.contains(shapely.LineString(line.points).interpolate(0.5, normalized=True))
        good += (line.kind == "crease") == is_crease
    return good, len(flat.lines)


def counts(flat: Flat) -> tuple[int, int, int]:
    """Panels, creases and cuts."""
    return len(flat.panels), len(flat.creases), flat.cuts


def test_thirty_drawings_without_colours_or_layers_have_their_lines_told_apart():
    found = [right_share(lines, laid(lines)) for lines in flats.thirty()]
    assert sum(n for _, n in found) > 600
    assert sum(good for good, _ in found) >= 0.95 * sum(n for _, n in found)


def test_a_careless_hand_changes_nothing():
    """Lines in any order and direction, cut in pieces, ends that miss by up to half a mm, some drawn twice."""
    lines = flats.tuck_box(window=12.0)
    chance = np.random.default_rng(5)
    messy = []
    for line in lines:
        points = np.array(line.points)
        if line.kind == "crease":
            way = (points[1] - points[0]) / np.hypot(*(points[1] - points[0]))
            points = points + np.outer([0.3, -0.3], way)  # stops short of what it should meet
        messy.append(flats.Drawn(line.kind, [tuple(p) for p in points[:: chance.choice([1, -1])]]))
    messy.append(messy[3])
    messy = [messy[k] for k in chance.permutation(len(messy))]
    flat = laid(messy)
    assert counts(flat)[:2] == counts(laid(lines))[:2] == (13, 12)
    assert any("did not meet" in one.words and 0.2 < one.size_mm < 0.4 for one in flat.odd) and any("twice" in one.words for one in flat.odd)


@pytest.mark.parametrize("version", ["R12", "R2000", "R2018"])
def test_every_dxf_gives_the_carton(tmp_path, version):
    path = flats.write_dxf(tmp_path / "box.dxf", flats.tuck_box(), version=version)
    assert counts(lay_out(path)) == (13, 12, 28)


def test_dxf_svg_and_pdf_of_one_drawing_give_one_carton(tmp_path):
    lines = flats.tuck_box(window=14.0)
    found = [lay_out(flats.write_dxf(tmp_path / "a.dxf", lines)), lay_out(flats.write_svg(tmp_path / "a.svg", lines)),
             lay_out(flats.write_pdf(tmp_path / "a.pdf", lines))]  # fmt: skip
    assert counts(found[0]) == counts(found[1]) == counts(found[2]) == (13, 12, 29)
    sizes = [np.array(f.box)[2:] - np.array(f.box)[:2] for f in found]
    assert np.abs(sizes[0] - sizes[1]).max() < 0.01 and np.abs(sizes[0] - sizes[2]).max() < 0.01
    assert all(len(f.windows) == 1 for f in found)


def test_names_of_layers_and_spot_colours_count(tmp_path):
    lines = [*flats.tray(), flats.Drawn("perforation", [(60.0, 0.0), (60.0, 80.0)])]
    dxf = lay_out(flats.write_dxf(tmp_path / "a.dxf", lines, layers=True))
    pdf = lay_out(flats.write_pdf(tmp_path / "a.pdf", lines, spots=True))
    for flat in (dxf, pdf):
        assert len(flat.panels) == 10 and [c.kind for c in flat.creases].count("perforation") == 1


def test_units_and_scale_are_told(tmp_path):
    inches = lay_out(flats.write_dxf(tmp_path / "a.dxf", flats.sleeve(), unit=1, scale=1 / 25.4))
    bare = lay_out(flats.write_dxf(tmp_path / "b.dxf", flats.sleeve(), unit=0))
    assert inches.scale == "inch" and abs(inches.box[2] - inches.box[0] - 265) < 0.01
    assert "no unit" in bare.scale and any("says no unit" in one.words for one in bare.odd)


def test_of_several_drawings_the_largest_is_taken_and_a_frame_is_left_out(tmp_path):
    lines = flats.tuck_box()
    beside = [flats.Drawn(line.kind, [(x + 400, y) for x, y in line.points]) for line in flats.sleeve()]
    frame = [flats.Drawn("cut", [(-60.0, -120.0), (900.0, -120.0), (900.0, 300.0), (-60.0, 300.0), (-60.0, -120.0)])]
    path = flats.write_dxf(tmp_path / "a.dxf", [*beside, *lines, *frame])
    first, second = lay_out(path), lay_out(path, 1)
    assert (len(first.panels), len(second.panels)) == (13, 5)
    assert any("holds 2 drawings" in one.words for one in first.odd) and any("frame" in one.words for one in first.odd)
    with pytest.raises(BadValue, match="2 drawings"):
        lay_out(path, 2)


def test_a_window_across_a_crease_is_cut_from_both_panels():
    lines = [line for line in flats.sleeve() if line.points[0] != (90.0, 0.0)]
    ring = flats.circle(90.0, 35.0, 12.0)
    parts = [flats.Drawn("crease", [(90.0, 0.0), (90.0, 23.0)]), flats.Drawn("crease", [(90.0, 47.0), (90.0, 70.0)]), flats.Drawn("cut", ring)]
    flat = laid([*lines, *parts])
    assert len(flat.windows) == 1 and len(flat.windows[0].panels) == 2
    pieces = next(c for c in flat.creases if set(c.panels) == set(flat.windows[0].panels)).pieces
    assert len(pieces) == 2


def test_lines_can_be_changed_and_panels_follow():
    flat = laid(flats.sleeve())
    crease = next(k for k, line in enumerate(flat.lines) if line.kind == "crease" and line.points[0][0] == 125.0)
    kept = {c.id: c.pieces for c in flat.creases}
    gone = with_kinds(flat, {crease: "left"})
    assert (len(gone.panels), len(gone.creases)) == (4, 3)
    assert all(kept[c.id] == c.pieces for c in gone.creases)
    parted = with_kinds(flat, {crease: "cut"})
    assert any("hangs on nothing" in one.words for one in parted.odd)
    back = with_kinds(gone, {k: "crease" for k, line in enumerate(gone.lines) if line.kind == "left"})
    assert (len(back.panels), len(back.creases)) == (5, 4)


def test_rings_and_crossings_are_told():
    square = [flats.Drawn("cut", [(0.0, 0.0), (100.0, 0.0), (100.0, 100.0), (0.0, 100.0), (0.0, 0.0)])]
    strokes = [Stroke(np.array(line.points), "KNIFE") for line in square]
    strokes += [Stroke(np.array([(50.0, 0.0), (50.0, 100.0)]), "CREASE"), Stroke(np.array([(0.0, 50.0), (100.0, 50.0)]), "CREASE")]
    flat = Sheet(Drawing(strokes, "mm", None, []), "made up").flat()
    assert any(one.words == "Creases cross" and one.at == (50.0, 50.0) for one in flat.odd)
    assert [c.loose for c in flat.creases].count(True) == 1 and any("taken for glue" in one.words for one in flat.odd)


def test_what_cannot_be_folded_is_told_in_a_sentence(tmp_path):
    opened = [line for line in flats.sleeve() if line.kind == "cut"][1:]
    with pytest.raises(BadFile, match="no closed panel: its outline is open by [0-9.]+ mm"):
        laid(opened)
    with pytest.raises(BadFile, match="no lines that could be folded"):
        drawing.read_drawing(flats.write_dxf(tmp_path / "none.dxf", []))
    from reportlab.pdfgen import canvas

    page = canvas.Canvas(str(tmp_path / "text.pdf"))
    page.drawString(100, 100, "Odrel")
    page.save()
    with pytest.raises(BadFile, match="needs its drawing as vectors"):
        drawing.read_drawing(tmp_path / "text.pdf")
    (tmp_path / "torn.pdf").write_bytes(b"%PDF-1.4 torn")
    (tmp_path / "torn.svg").write_text("<svg><path d=")
    for name in ("torn.pdf", "torn.svg"):
        with pytest.raises(BadFile, match="damaged"):
            drawing.read_drawing(tmp_path / name)
    with pytest.raises(BadFile, match="no flat drawing"):
        drawing.read_drawing(Path("box.step"))


def test_hatching_by_the_ten_thousand_is_refused_in_a_sentence(tmp_path, monkeypatch):
    monkeypatch.setattr(drawing, "MOST_PIECES", 600)
    hatch = "".join(f"<path d='M0 {k} L100 {k}'/>" for k in range(610))
    path = tmp_path / "hatch.svg"
    path.write_text(f"<svg xmlns='http://www.w3.org/2000/svg' width='100mm' height='100mm' viewBox='0 0 100 100'><g stroke='#000'>{hatch}</g></svg>")
    with pytest.raises(BadFile, match="610 pieces of lines, more than the 600"):
        drawing.read_drawing(path)


def test_lines_of_no_length_are_told():
    strokes = [Stroke(np.array(line.points)) for line in flats.sleeve()]
    from aulmo.prepare.carton.drawing import _sound

    found = _sound(Drawing([*strokes, Stroke(np.array([(3.0, 3.0), (3.0, 3.0)]))], "mm", None, []), "a.dxf")
    assert len(found.strokes) == len(strokes) and found.notes == ["A line has no length and was left out."]


def test_every_drawing_of_a_file_can_be_folded_side_by_side(tmp_path):
    from aulmo.document.assets import AssetStore
    from aulmo.prepare.carton.make import every_carton

    beside = [flats.Drawn(line.kind, [(x + 400, y) for x, y in line.points]) for line in flats.sleeve()]
    assets = AssetStore()
    document, parts = every_carton(assets, flats.write_dxf(tmp_path / "two.dxf", [*flats.tuck_box(), *beside]))
    assert len(parts) == 2 and document.parts[parts[1]].name == "two 2"
    first = assets.box(document.parts[parts[0]].mesh)[1][0]
    second = assets.box(document.parts[parts[1]].mesh)[0][0] + document.parts[parts[1]].placement.position[0]
    assert second - first > 30
