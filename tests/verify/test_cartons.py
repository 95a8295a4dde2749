"""Artwork on cartons, measured in a render."""

import numpy as np
import pytest

import flats
from aulmo import script
from aulmo.document import edits
from aulmo.document.assets import AssetStore
from aulmo.document.flat import flat_of
from aulmo.document.made import carton as folding
from aulmo.document.records import Camera, Document, Shot
from aulmo.prepare.carton import make

pytestmark = pytest.mark.long

MARKS = ((135.0, 15.0), (170.0, 35.0), (205.0, 55.0))  # on the front of the sleeve, mm from the flat's corner
FAR, FOCAL, WIDE, HIGH = 3000.0, 600.0, 1800, 1400


def test_artwork_lies_within_a_tenth_of_a_mm_of_where_it_was_drawn(tmp_path):
    from scipy import ndimage

    assets = AssetStore()
    document, part = script.make_carton(Document(name="Made up"), assets, flats.write_dxf(tmp_path / "a.dxf", flats.sleeve()), 0.4)
    marks = "".join(f'<circle cx="{x}" cy="{70 - y}" r="1.5" fill="#fff"/>' for x, y in MARKS)
    sheet = '<svg xmlns="http://www.w3.org/2000/svg" width="265mm" height="70mm" viewBox="0 0 265 70"><rect width="265" height="70" fill="#000"/>'
    (tmp_path / "a.svg").write_text(f"{sheet}{marks}</svg>")
    document = script.print_carton(document, assets, part, tmp_path / "a.svg")
    carton = make.carton_of(document, part)
    place = folding.folded_of_name(document.parts[part].mesh).panels[carton.front]
    ring = np.array(flat_of(carton.flat).panels[carton.front].rings[0])
    middle = (place @ [*ring.mean(0), 0.0, 1.0])[:3]
    x, z = float(middle[0]), float(middle[2])
    camera = Camera("c", "Square on", (x, -FAR, z), (x, 0.0, z), focal_length_mm=FOCAL)
    document = edits.put_shot(edits.put_camera(document, camera), Shot("s", "Square on", "c", WIDE, HIGH))
    green = script.render_array(document, assets, "Square on", size=(WIDE, HIGH), samples=16)[..., 1]
    per_pixel = 36.0 / FOCAL * (FAR - 0.2) / WIDE
    found, count = ndimage.label(green > 0.5 * green.max())
    offs = []
    for k in range(1, count + 1):
        if not 300 < (found == k).sum() < 1500:
            continue
        row, column = ndimage.center_of_mass(found == k)
        at = np.array([(column + 0.5 - WIDE / 2) * per_pixel, (HIGH / 2 - row - 0.5) * per_pixel])
        wanted = [(place @ [*mark, 0.0, 1.0])[[0, 2]] - [x, z] for mark in MARKS]
        offs.append(min(float(np.hypot(*(at - w))) for w in wanted))
    assert len(offs) == 3 and max(offs) <= 0.1, offs
