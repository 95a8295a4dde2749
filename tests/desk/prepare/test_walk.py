"""The walk of the manual's Prepare page, from the first drop to the saved project, with a hand in the real window."""

import re

import numpy as np
from PySide6.QtCore import QPoint, Qt
from PySide6.QtTest import QTest

from aulmo.document import edits
from aulmo.document.assets import AssetStore
from aulmo.document.project_file import load
from aulmo.document.properties import resolve
from aulmo.document.records import Document
from aulmo.prepare import arrange
from conftest import ROOT
from desk_tools import drop, hover, key, settle, swatch_mime, type_into

LEFT = Qt.MouseButton.LeftButton


def test_the_cart_is_set_filled_screwed_and_dressed(window, qtbot, tmp_path):
    session, picture = window.session, window.picture
    session.open_document(arrange.first_shot(Document(name="Cart"), AssetStore()), AssetStore(), None)

    def ids(name: str) -> list[str]:
        return [i for i, p in session.document.parts.items() if re.fullmatch(rf"{name}( \d+)?", p.name)]

    def middle(part_id: str) -> np.ndarray:
        return 0.5 * sum(arrange.bounds(session.document, session.assets, [part_id]))

    def look_from(x: float, y: float, z: float, at, lens: float = 60.0) -> None:
        from msgspec.structs import replace

        session.set_view(replace(session.camera, position=(x, y, z), target=tuple(float(v) for v in at), focal_length_mm=lens))
        settle(qtbot, window)

    # the cart, on planks before a wall
    session.set_stage("Prepare")
    window.files.take_files([ROOT / "demo" / "barrow.step"])
    qtbot.waitUntil(lambda: bool(session.document.parts) and not session.tasks, timeout=90000)
    assert 60 <= sum(1 for p in session.document.parts.values() if p.mesh) <= 70
    for kind in ("floor", "wall"):
        window.registry.run(f"piece_{kind}")
        key(window, Qt.Key.Key_Return)
    session.put({f"parts/{ids('Wall')[0]}/placement/position": (0.0, 700.0, 0.0)})

    # a crate stands in its bed, six of them by a rule
    window.registry.run("piece_block")
    key(window, Qt.Key.Key_Return)
    crate = ids("Block")[0]
    session.put({f"parts/{crate}/set_piece/width": 150.0, f"parts/{crate}/set_piece/height": 200.0})
    bed = ids("Bed floor")[0]
    spot = np.array([*(arrange.bounds(session.document, session.assets, [bed])[0][:2] + [120, 120]), 208.0])
    look_from(*(middle(bed) + [-50, -700, 2600]), middle(bed))
    session.select([crate])
    window.registry.run("stand")
    hover(picture, picture.place_on_screen(spot))
    assert "Bed floor" in picture._label[1]
    QTest.mouseClick(picture, LEFT, pos=picture.place_on_screen(spot))
    low = arrange.bounds(session.document, session.assets, [crate])[0]
    assert abs(low[2] - 208) < 0.1 and abs(low[0] + 75 - spot[0]) < 6
    window.bench.show_face("Copies")
    QTest.mouseClick(window.bench.faces["Prepare"].buttons["grid"], LEFT)
    crates = session.selection[0]
    page = window.details.pages["Prepare"].copies
    type_into(page.rows["count"].field, "6")
    type_into(page.rows["columns"].field, "3")
    type_into(page.rows["rows"].field, "2")
    type_into(page.rows["step"].fields[0], "210")
    type_into(page.rows["step"].fields[1], "170")
    assert sum(i.startswith(crates + ":") for i in resolve(session.document).parts) == 6

    # one screw becomes eight round the hub
    screw = ids("Hub screw")[0]
    look_from(*(middle(screw) + [-60, -420, 90]), middle(screw))
    session.select([screw])
    window.registry.run("copies_ring")
    ring = session.selection[0]
    type_into(page.rows["count"].field, "8")
    window.registry.run("copies_centre")
    hub = min(ids("Hub"), key=lambda i: float(np.linalg.norm(middle(i) - middle(screw))))
    flange = middle(hub) + [0, -15, 0]
    rim = picture.place_on_screen(flange + [20, 0, 0])
    for at in (rim + QPoint(dx, dy) for dx in range(-14, 15) for dy in (0, -3, 3)):
        hover(picture, at)
        if picture._label and picture._label[1] == "middle of the circle":
            break
    QTest.mouseClick(picture, LEFT, pos=at)
    assert session.document.parts[ring].copies.axis == "y" and session.tool == ""
    box = arrange.bounds(session.document, session.assets, [ring])
    np.testing.assert_allclose(0.5 * (box[0] + box[1])[[0, 2]], middle(hub)[[0, 2]], atol=0.05)

    # the outside of a wall is taken off as a part, a tyre's tread wears its own rubber
    wall = min(ids("Long wall"), key=lambda i: middle(i)[1])
    look_from(-300, -1900, 600, middle(wall))
    window.bench.show_face("Cut")
    bench = window.bench.faces["Prepare"]
    QTest.mouseClick(bench.pick, LEFT)
    QTest.mouseClick(picture, LEFT, pos=picture.place_on_screen(middle(wall) + [0, -8, 0]))
    assert session.picked[0] == wall
    QTest.mouseClick(bench.split, LEFT)
    outside = session.selection[0]
    assert session.document.parts[outside].shape == session.document.parts[wall].shape and session.document.parts[outside].piece.faces
    tyre = min(ids("Tyre"), key=lambda i: float(np.linalg.norm(middle(i) - middle(hub))))
    session.set_tool("faces")
    look_from(*(middle(tyre) + [-900, -500, 200]), middle(tyre))
    tread = middle(tyre) + [-115, 0, 0]
    QTest.mouseClick(picture, LEFT, pos=picture.place_on_screen(tread))
    assert session.picked[0] == tyre
    QTest.mouseClick(bench.dress, LEFT)
    address = session.subject
    session.set_tool("")
    session.set_stage("Surface")
    drop(picture, swatch_mime("Warm grey rubber"), picture.place_on_screen(tread))
    from aulmo.document.properties import get

    assert session.document.materials[get(session.document, f"{address}/material")].name.startswith("Warm grey rubber")

    # the wheelbase, from hub to hub
    session.set_stage("Prepare")
    hubs = sorted((i for i in ids("Hub cap") if middle(i)[1] < 0), key=lambda i: middle(i)[0])
    look_from(middle(hubs[0])[0] + 275, -2400, 400, (middle(hubs[0])[0] + 275, 0, 115), 50.0)
    session.set_tool("measure")
    tool = picture.tools["measure"]
    for one in hubs:
        tip = middle(one)
        QTest.mouseClick(picture, LEFT, Qt.KeyboardModifier.AltModifier, picture.place_on_screen(tip + [0, -6, 0]))
    numbers = tool.readings[-1].numbers
    assert abs(float(numbers[0].split()[0]) - 550) < 6

    # and it is all there when the project is opened again
    session.save(tmp_path / "cart.aulmo")
    again, assets = load(tmp_path / "cart.aulmo")
    assert again == session.document and len(edits.shown_parts(resolve(again))) == len(edits.shown_parts(session.resolved))
    assert resolve(again).parts[f"{ring}:7"].mesh is not None and assets.has(again.parts[outside].mesh)
