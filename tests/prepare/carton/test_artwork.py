"""Artwork on cartons: where it lies, its plates, what the material makes of them."""

import io

import numpy as np
import pytest
from PIL import Image

import flats
from aulmo import script
from aulmo.document.assets import AssetStore
from aulmo.document.flat import flat_of
from aulmo.document.records import Document
from aulmo.errors import BadFile, BadValue
from aulmo.prepare.carton import artwork, make, plates

POINT = flats.POINT


@pytest.fixture(autouse=True)
def _coarse(monkeypatch):
    monkeypatch.setattr(artwork, "DOTS_PER_MM", 4.0)


@pytest.fixture
def box(tmp_path) -> tuple[Document, AssetStore, str]:
    """A sleeve, 265 x 70 mm flat."""
    assets = AssetStore()
    document, part = script.make_carton(Document(name="Made up"), assets, flats.write_dxf(tmp_path / "box.dxf", flats.sleeve()))
    return document, assets, part


def written_svg(path, lines=False, edge=8.0) -> None:
    """Artwork for the sleeve with a dot at 100, 30 mm and plates; `edge` mm of paper about it."""
    drawn = "".join(f'<path d="M{" L".join(f"{x} {70 - y}" for x, y in line.points)}"/>' for line in flats.sleeve()) if lines else ""
    wide, high = 265 + 2 * edge, 70 + 2 * edge
    path.write_text(
        f'<svg xmlns="http://www.w3.org/2000/svg" width="{wide}mm" height="{high}mm" viewBox="{-edge} {-edge} {wide} {high}">'
        '<g id="art"><rect width="265" height="70" fill="#7a1810"/><circle cx="100" cy="40" r="2" fill="#fff"/></g>'
        '<g id="foil gold"><circle cx="45" cy="35" r="10"/></g><g id="emboss"><rect x="20" y="50" width="30" height="10"/></g>'
        f'<g id="spot varnish"><rect x="130" y="10" width="30" height="10"/></g><g id="dieline" fill="none" stroke="#0a0">{drawn}</g></svg>'
    )


def plate(document: Document, assets: AssetStore, part: str, role: str) -> np.ndarray:
    """The pixels of a plate."""
    held = next(p for p in make.carton_of(document, part).prints if p.role == role)
    return np.asarray(Image.open(io.BytesIO(assets.get(held.plate))))


def middle_mm(mask: np.ndarray) -> np.ndarray:
    """Where a mark on a plate of the sleeve lies, mm from the flat's lower left corner."""
    rows, columns = np.nonzero(mask)
    h, w = mask.shape
    return np.array([(columns.mean() + 0.5) / w * 265, (h - rows.mean() - 0.5) / h * 70])


def test_the_drawing_in_the_artwork_says_where_it_lies(box, tmp_path):
    document, assets, part = box
    written_svg(tmp_path / "art.svg", lines=True)
    printed = script.print_carton(document, assets, part, tmp_path / "art.svg")
    art = plate(printed, assets, part, "print")
    white = (art[..., :3].min(2) > 200) & (art[..., 3] > 128)
    assert np.abs(middle_mm(white) - [100, 30]).max() < 0.13
    assert not (art[..., 1] > art[..., 0].astype(int) + 40).any()  # no green line of the drawing is printed


def test_plates_by_name_become_metal_relief_and_gloss(box, tmp_path):
    document, assets, part = box
    written_svg(tmp_path / "art.svg", lines=True)
    printed = script.print_carton(document, assets, part, tmp_path / "art.svg")
    prints = {p.role: p for p in make.carton_of(printed, part).prints}
    assert set(prints) == {"print", "foil", "emboss", "varnish"} and prints["emboss"].mm == 0.35
    assert np.abs(middle_mm(plate(printed, assets, part, "foil") > 128) - [45, 35]).max() < 0.13
    worn = printed.materials[printed.parts[part].material]
    assert {"base_color", "base_metalness", "specular_roughness", "coat_weight", "height"} <= set(worn.wires)
    higher = artwork.with_height(printed, part, "front-emboss", 0.8)
    node = next(n for n in higher.materials[higher.parts[part].material].nodes if n.id == "print-emboss-high")
    assert node.inputs["in2"] == 0.8
    bare = artwork.drop_print(printed, part, "front")
    assert not bare.materials[bare.parts[part].material].wires and not make.carton_of(bare, part).prints


def test_spot_colours_and_layers_of_a_pdf_are_plates(box, tmp_path):
    from reportlab.lib.colors import CMYKColorSep, HexColor
    from reportlab.pdfgen import canvas

    document, assets, part = box
    page = canvas.Canvas(str(tmp_path / "art.pdf"), pagesize=(271 * POINT, 76 * POINT))
    page.setFillColor(HexColor("#7a1810"))
    page.rect(0, 0, 271 * POINT, 76 * POINT, fill=1, stroke=0)
    page.setFillColor(CMYKColorSep(0, 0.2, 0.8, 0, spotName="Foil gold"))
    page.circle(48 * POINT, 38 * POINT, 10 * POINT, fill=1, stroke=0)
    page.setFillColor(CMYKColorSep(0.1, 0, 0, 0, spotName="Deboss"))
    page.rect(100 * POINT, 20 * POINT, 20 * POINT, 10 * POINT, fill=1, stroke=0)
    page.save()
    found = plates.read_plates(tmp_path / "art.pdf", 4.0)
    box_mm, words = artwork.where(flat_of(make.carton_of(document, part).flat), found, tmp_path / "art.pdf")
    assert "3 mm of bleed" in words and np.allclose(box_mm, (-3, -3, 268, 73), atol=0.01)
    printed = script.print_carton(document, assets, part, tmp_path / "art.pdf")
    assert np.abs(middle_mm(plate(printed, assets, part, "foil") > 128) - [45, 35]).max() < 0.13
    assert np.abs(middle_mm(plate(printed, assets, part, "deboss") > 128) - [107, 22]).max() < 0.13
    art = plate(printed, assets, part, "print")
    assert np.ptp(art[..., 0].astype(int)) < 4  # neither is printed


def test_crop_marks_say_where_it_lies(box, tmp_path):
    marks = ""
    for x in (20, 285):
        marks += f'<path d="M{x} 2 L{x} 8"/><path d="M{x} 102 L{x} 108"/>'
    for y in (20, 90):
        marks += f'<path d="M2 {y} L8 {y}"/><path d="M297 {y} L303 {y}"/>'
    (tmp_path / "art.svg").write_text(
        '<svg xmlns="http://www.w3.org/2000/svg" width="305mm" height="110mm" viewBox="0 0 305 110"><rect x="17" y="17" width="271" height="76" '
        f'fill="#123"/><g stroke="#000" stroke-width="0.2">{marks}</g></svg>'
    )
    document, _, part = box
    flat = flat_of(make.carton_of(document, part).flat)
    lies, words = artwork.where(flat, plates.read_plates(tmp_path / "art.svg", 4.0), tmp_path / "art.svg")
    assert "drawing in it" in words and np.allclose(lies, (-20, -20, 285, 90), atol=0.05)


def test_a_picture_is_fitted_and_a_file_named_foil_is_a_plate_beside_it(box, tmp_path):
    document, assets, part = box
    Image.new("RGB", (530, 140), (10, 80, 160)).save(tmp_path / "art.png")
    foil = Image.new("L", (530, 140), 255)
    foil.paste(0, (100, 40, 140, 60))
    foil.save(tmp_path / "art foil silver.png")
    printed = script.print_carton(document, assets, part, tmp_path / "art.png")
    both = script.print_carton(printed, assets, part, tmp_path / "art foil silver.png")
    prints = {p.role: p for p in make.carton_of(both, part).prints}
    assert set(prints) == {"print", "foil"} and prints["foil"].tone[2] > 0.8
    assert np.abs(middle_mm(plate(both, assets, part, "foil") > 128) - [60, 45]).max() < 0.3


def test_the_back_is_printed_as_it_is_seen_from_behind(box, tmp_path):
    document, assets, part = box
    picture = Image.new("RGB", (530, 140), (255, 255, 255))
    picture.paste((0, 0, 0), (10, 10, 30, 30))
    picture.save(tmp_path / "art.png")
    printed = script.print_carton(document, assets, part, tmp_path / "art.png", "back")
    art = plate(printed, assets, part, "print")
    assert middle_mm(art[..., 0] < 80)[0] > 250
    back = next(s for s in printed.parts[part].face_sets if s.id == "back")
    assert "base_color" in printed.materials[back.material].wires and not printed.materials[printed.parts[part].material].wires
    with pytest.raises(BadValue, match="front or the back"):
        script.print_carton(document, assets, part, tmp_path / "art.png", "inside")


def test_a_plate_from_one_colour_and_moving_by_hand(box, tmp_path):
    document, assets, part = box
    written_svg(tmp_path / "plain.svg", edge=0.0)
    printed = script.print_carton(document, assets, part, tmp_path / "plain.svg")
    gilded = artwork.plate_of_colour(printed, assets, part, "front", "deboss", (255, 255, 255))
    assert np.abs(middle_mm(plate(gilded, assets, part, "deboss") > 128) - [100, 30]).max() < 0.2
    with pytest.raises(BadValue, match="nowhere"):
        artwork.plate_of_colour(printed, assets, part, "front", "foil", (0, 255, 0))
    moved = artwork.moved_print(printed, assets, part, "front", (5.0, -3.0))
    art = plate(moved, assets, part, "print")
    assert np.abs(middle_mm((art[..., :3].min(2) > 200) & (art[..., 3] > 128)) - [105, 27]).max() < 0.2
    assert all(p.by_hand for p in make.carton_of(moved, part).prints)


def test_changed_artwork_is_printed_again(box, tmp_path):
    document, assets, part = box
    path = tmp_path / "art.png"
    Image.new("RGB", (530, 140), (10, 80, 160)).save(path)
    printed = script.print_carton(document, assets, part, path)
    old = make.carton_of(printed, part).prints[0].artwork
    assert assets.origins[old] == str(path)
    Image.new("RGB", (530, 140), (200, 80, 20)).save(path)
    fresh = assets.add_file(path.read_bytes(), path)
    from aulmo.document.references import renamed

    changed = renamed(printed, "assets", {old: fresh})
    assert artwork.needs_printing(changed, [fresh])
    again = artwork.printed_again(changed, assets, [fresh])
    assert plate(again, assets, part, "print")[20, 20, 0] == 200


def test_artwork_that_cannot_be_read_is_told(box, tmp_path):
    document, assets, part = box
    (tmp_path / "torn.pdf").write_bytes(b"%PDF-1.4")
    (tmp_path / "torn.png").write_bytes(b"\x89PNG\r\n")
    for name in ("torn.pdf", "torn.png", "gone.svg"):
        with pytest.raises(BadFile):
            script.print_carton(document, assets, part, tmp_path / name)
    with pytest.raises(BadFile, match="no artwork"):
        script.print_carton(document, assets, part, tmp_path / "a.step")
