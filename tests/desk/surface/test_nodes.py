"""The nodes bench through the real widgets: built by hand as an artist would, copied, gathered, seen alone, taken back."""

import numpy as np
import pytest
from msgspec.structs import replace
from PySide6.QtCore import QMimeData, QPoint, QPointF, Qt, QUrl
from PySide6.QtGui import QDropEvent
from PySide6.QtTest import QTest
from PySide6.QtWidgets import QLineEdit, QPushButton

from aulmo.desk.widgets.fields import Choice
from aulmo.document import edits
from aulmo.document.records import Node, Stop, Surface
from aulmo.surface import node_edits
from aulmo.trace.scene import SceneBuilder
from desk_tools import settle, surface_page, type_into, worn
from dressing import png

LEFT, NONE, CTRL = Qt.MouseButton.LeftButton, Qt.KeyboardModifier.NoModifier, Qt.KeyboardModifier.ControlModifier


@pytest.fixture
def bench(window, qtbot):
    """The nodes bench, open on the ball."""
    window.session.set_stage("Surface")
    window.session.select(["ball"])
    window.session.face_wanted.emit("Nodes")
    window.middle.setSizes([300, 400])
    made = window.bench.faces["Surface"]
    qtbot.waitUntil(lambda: made.canvas.isVisible() and made.canvas.height() > 100)
    made.canvas.frame_all()
    return made


def screen(canvas, at: QPointF) -> QPoint:
    spot = canvas.to_screen(at)
    return QPoint(round(spot.x()), round(spot.y()))


def output(canvas, card: str) -> QPoint:
    return screen(canvas, canvas.plan().cards[card].output)


def dot(canvas, *target: str) -> QPoint:
    return screen(canvas, next(p for c in canvas.plan().cards.values() for t, _, p in c.inputs if t == target))


def pull(canvas, start: QPoint, end: QPoint) -> None:
    QTest.mousePress(canvas, LEFT, NONE, start)
    for share in (0.3, 0.7, 1.0):
        QTest.mouseMove(canvas, start + (end - start) * share)
    QTest.mouseRelease(canvas, LEFT, NONE, end)


def of_page(page, kind, name: str):
    """A widget of a page that is seen, by its name."""
    QTest.qWait(40)
    return next(w for w in page.inner.findChildren(kind) if w.accessibleName() == name and w.isVisible())


def find(canvas, words: str) -> None:
    assert canvas.finder.isVisible()
    QTest.keyClicks(canvas.finder.entry, words)
    QTest.keyClick(canvas.finder.entry, Qt.Key.Key_Return)
    assert not canvas.finder.isVisible()


def node(window, kind: str) -> Node:
    return next(n for n in worn(window, "ball").nodes if n.kind == kind)


def pictured(bench, qtbot, count: int) -> None:
    qtbot.waitUntil(lambda: len(bench.canvas.pictures) == count and not bench.canvas._busy, timeout=60000)


def test_a_heat_tint_is_built_from_nothing_with_the_hand(window, bench, qtbot):
    """Double-click to find a gradient, give it numbers and stops, pull its wire to nothing for the heat tint, and that to Colour: the picture has
    it."""
    canvas, details = bench.canvas, window.details
    QTest.mouseDClick(canvas, LEFT, NONE, QPoint(60, 60))
    find(canvas, "gradient")
    made = node(window, "gradient")
    assert canvas.chosen == (made.id,) and details.page() is details.subjects["nodes"]
    page = details.subjects["nodes"]
    assert page.title.text() == "Gradient" and "Aulmo's own" in page.kind_text.text()
    choice = of_page(page, Choice, "Gives")
    choice.setCurrentIndex(1)
    choice.activated.emit(1)
    assert node(window, "gradient").choices["gives"] == "number"
    QTest.qWait(40)
    next(b for b in page.inner.findChildren(QPushButton) if b.text() == "Add a stop" and b.isVisible()).click()
    assert [s.at for s in node(window, "gradient").stops] == [0.0, 1.0]
    type_into(page._stops[0][1], "0")
    type_into(page._stops[1][1], "70")
    assert [s.colour[0] for s in node(window, "gradient").stops] == [0.0, 70.0]
    # the wire to nothing finds what fits; the heat tint takes the number as its oxide
    pull(canvas, output(canvas, made.id), QPoint(24, canvas.height() - 14))
    find(canvas, "heat")
    tint = node(window, "heattint")
    assert tint.inputs["thickness"] == f"@{made.id}"
    canvas.frame_all()
    pull(canvas, output(canvas, tint.id), dot(canvas, "surface", "base_color"))
    assert worn(window, "ball").wires == {"base_color": tint.id}
    assert [window.session.history.undo() for _ in range(2)] == ["Led Heat tint", "Added heat tint"]
    window.session.redo()
    window.session.redo()
    assert worn(window, "ball").wires == {"base_color": tint.id}
    pictured(bench, qtbot, 2)
    low, high = canvas.pictures[made.id].lowest, canvas.pictures[made.id].highest
    assert low < 3 and high > 67
    # and in the renderer's arrays the row of the ball is led
    scene = SceneBuilder(window.session.assets).build(window.session.document)
    assert scene.arrays.programs[:, 0:2].max() > 0
    # the led row in Details says by what, and goes there
    page = surface_page(window)
    window.session.select(["ball"])
    assert page.leads["base_color"].link.text() == "← Heat tint" and page.rows["base_color"].widget.isHidden()
    page.leads["base_color"].link.click()
    assert canvas.chosen == (tint.id,)


def put(window, nodes, wires) -> None:
    material = replace(worn(window, "ball"), nodes=tuple(nodes), wires=wires)
    window.session.apply("Nodes for the test", edits.put_material(window.session.document, material))


CHAIN = (Node("a", "noise"), Node("b", "range", {"in": "@a", "outhigh": 0.5}), Node("c", "multiply", {"in1": "@b", "in2": 2.0}))


def test_a_wire_that_would_run_in_a_circle_is_refused_with_a_sentence(window, bench, qtbot):
    put(window, CHAIN, {"specular_roughness": "c"})
    bench.canvas.frame_all()
    troubles = []
    window.session.trouble.connect(troubles.append)
    before = window.session.document
    pull(bench.canvas, output(bench.canvas, "c"), dot(bench.canvas, "node", "b", "in"))
    assert window.session.document is before and troubles == ["That would lead Range in a circle."]


def test_deleting_closes_the_wire_and_duplicating_keeps_what_led(window, bench):
    put(window, CHAIN, {"specular_roughness": "c"})
    canvas = bench.canvas
    canvas.choose(("b",))
    window.registry.run("delete")
    material = worn(window, "ball")
    assert [n.id for n in material.nodes] == ["a", "c"] and material.nodes[1].inputs["in1"] == "@a"
    canvas.choose(("c",))
    window.registry.run("duplicate")
    copy = worn(window, "ball").nodes[-1]
    assert copy.kind == "multiply" and copy.inputs == {"in1": "@a", "in2": 2.0} and canvas.chosen == (copy.id,)


def test_nodes_are_copied_into_another_material(window, bench):
    put(window, CHAIN, {})
    bench.canvas.choose(("a", "b"))
    window.registry.run("copy")
    window.session.select(["left"])
    bench.canvas.setFocus()
    window.registry.run("paste")
    there = worn(window, "left").nodes
    assert [n.kind for n in there] == ["noise", "range"] and there[1].inputs["in"] == f"@{there[0].id}" and worn(window, "ball").nodes[0].id == "a"


def test_a_group_shows_its_named_inputs_and_comes_apart_again(window, bench):
    put(window, CHAIN, {"specular_roughness": "c"})
    canvas = bench.canvas
    canvas.choose(("b", "c"))
    bench.gather()
    material = worn(window, "ball")
    group = material.groups[0]
    assert group.inputs == {"b/in": "In"} and set(canvas.plan().cards) == {"a", group.id, "surface"}
    assert {w.target for w in canvas.plan().wires} == {("node", "b", "in"), ("surface", "specular_roughness")}
    page = window.details.subjects["nodes"]
    assert page.title.text() == "Group"
    field = of_page(page, QLineEdit, "Name of In")
    type_into(field, "Wear")
    assert worn(window, "ball").groups[0].inputs == {"b/in": "Wear"}
    card = canvas.plan().cards[group.id].rect
    QTest.mouseDClick(canvas, LEFT, NONE, screen(canvas, QPointF(card.right() - 20, card.bottom() - 8)))
    assert worn(window, "ball").groups == () and set(canvas.plan().cards) == {"a", "b", "c", "surface"}


def test_a_box_selects_and_a_drag_moves_all_that_are_chosen_as_one_step(window, bench):
    put(window, CHAIN, {"specular_roughness": "c"})
    canvas = bench.canvas
    bench.tidy()
    a, b = canvas.plan().cards["a"].rect, canvas.plan().cards["b"].rect
    whole = a.united(b).adjusted(-12, -12, 6, 12)
    pull(canvas, screen(canvas, whole.topLeft()), screen(canvas, whole.bottomRight()))
    assert set(canvas.chosen) == {"a", "b"}
    before = window.session.document
    spot = screen(canvas, QPointF(b.left() + 90, b.bottom() - 6))
    pull(canvas, spot, spot + QPoint(0, 40))
    places = {n.id: n.place for n in worn(window, "ball").nodes}
    by = 40 / canvas.zoom
    assert places["a"][1] == pytest.approx(a.top() + by, abs=1.5) and places["b"][1] == pytest.approx(b.top() + by, abs=1.5)
    window.session.undo()
    assert window.session.document is before


def test_tidying_up_stands_what_leads_left_of_what_it_leads(window, bench):
    put(window, [replace(n, place=(0.0, 0.0)) for n in CHAIN], {"specular_roughness": "c"})
    bench.tidy()
    cards = bench.canvas.plan().cards
    order = [cards[name].rect for name in ("a", "b", "c", "surface")]
    assert all(one.right() < other.left() for one, other in zip(order, order[1:]))


def test_a_wire_is_taken_off_by_pulling_it_away_and_led_elsewhere(window, bench):
    put(window, CHAIN, {"specular_roughness": "c"})
    canvas = bench.canvas
    bench.tidy()
    pull(canvas, dot(canvas, "surface", "specular_roughness"), dot(canvas, "surface", "base_metalness"))
    assert worn(window, "ball").wires == {"base_metalness": "c"}
    low = canvas.plan().bounds().bottom()
    pull(canvas, dot(canvas, "surface", "base_metalness"), screen(canvas, QPointF(-30.0, low + 8)))
    assert worn(window, "ball").wires == {}


def test_a_picture_dropped_on_the_bench_is_a_node_and_both_views_agree(window, bench, tmp_path, qtbot):
    path = tmp_path / "label.png"
    path.write_bytes(png(np.full((4, 4, 3), 0.5)))
    mime = QMimeData()
    mime.setUrls([QUrl.fromLocalFile(str(path))])
    canvas = bench.canvas
    canvas.dropEvent(QDropEvent(QPointF(40, 60), Qt.DropAction.CopyAction, mime, LEFT, NONE))
    made = node(window, "image")
    assert made.file == "label.png" and made.image and made.lay
    pull(canvas, output(canvas, made.id), dot(canvas, "surface", "base_color"))
    assert worn(window, "ball").wires == {"base_color": made.id}
    page = surface_page(window)
    window.session.select(["ball"])
    assert not page.pictures.isHidden() and (made.lay, "width_mm") in page.pictures.rows
    missing = replace(worn(window, "ball"), nodes=(replace(made, image=None),))
    window.session.apply("Lost", edits.put_material(window.session.document, missing))
    qtbot.waitUntil(lambda: made.id in canvas.pictures and "missing" in canvas.pictures[made.id].fault, timeout=30000)


def test_a_colour_led_to_a_number_says_how_it_is_read_and_can_be_read_otherwise(window, bench):
    put(window, [Node("c", "constant", {"value": (0.8, 0.2, 0.1)}), Node("m", "multiply", {"in1": "@c", "in2": 1.0})], {"specular_roughness": "c"})
    assert node_edits.conversion("colour", "number", "") == "luminance"
    bench.canvas.choose(("m",))
    made = node_edits.connected(worn(window, "ball"), "c:red", ("surface", "specular_roughness"))
    window.session.apply("By red", edits.put_material(window.session.document, made))
    from aulmo.surface.columns import ALPHA_X
    from aulmo.surface.compiling import compile_program
    from aulmo.trace.material.material_rows import material_row
    from aulmo.trace.pattern.program_run import run

    for reads, rough in (("c:red", 0.8), ("c", 0.2722287 * 0.8 + 0.6740818 * 0.2 + 0.0536895 * 0.1)):
        program = compile_program(node_edits.connected(made, reads, ("surface", "specular_roughness")), None)
        row = material_row(Surface(), False).numbers.copy()
        run(program.ops, 0, len(program.ops), np.zeros((1, 40)), np.zeros((1, 60)), np.zeros((140, 4)), row, 0.0, 0.0, 0.0, 0.0, 0.0, 1.0, 1.0, 0.0)
        assert row[ALPHA_X] == pytest.approx(rough**2, abs=1e-6)


def test_e_held_shows_the_node_alone_on_the_part_and_let_go_shows_the_surface(window, bench, qtbot):
    stops = (Stop(0.0, (0.0, 0.0, 1.0)), Stop(1.0, (1.0, 0.0, 0.0)))
    put(window, [Node("g", "gradient", stops=stops)], {})
    settle(qtbot, window)
    canvas = bench.canvas
    before = window.session.document
    card = canvas.plan().cards["g"].rect
    QTest.mouseMove(canvas, screen(canvas, card.center()))
    QTest.keyPress(canvas, Qt.Key.Key_E)
    assert window.session.node_alone == (worn(window, "ball").id, "g") and window.session.document is before
    shown = window.session.shown
    qtbot.waitUntil(
        lambda: window.picture.draft is not None and window.picture.draft.document is shown if hasattr(window.picture.draft, "document") else True
    )
    alone = shown.materials[worn(window, "ball").id]
    assert alone.wires == {"emission_color": "g"} and alone.surface.base_weight == 0.0 and alone.surface.specular_weight == 0.0
    QTest.keyRelease(canvas, Qt.Key.Key_E)
    assert window.session.node_alone == ("", "") and window.session.shown is window.session.resolved


def test_a_layer_is_put_over_the_surface_and_shown_by_the_chosen_node(window, bench):
    put(window, CHAIN, {})
    bench.canvas.choose(("c",))
    bench.add_layer()
    layer = worn(window, "ball").layers[0]
    assert layer.mask == "@c" and ("mask", layer.id) in {w.target for w in bench.canvas.plan().wires}
    bench.canvas.choose((layer.id,))
    page = window.details.subjects["nodes"]
    type_into(page.rows["specular_roughness"].field, "0.11")
    assert worn(window, "ball").layers[0].surface.specular_roughness == pytest.approx(0.11)
    window.registry.run("delete")
    assert worn(window, "ball").layers == ()


def test_the_kind_of_a_material_says_what_comes_first_and_nothing_is_missing(window):
    page = surface_page(window)
    for kind, first in (("Glass & liquid", "Clear"), ("Metal", "Body"), ("Glow", "Glow")):
        material = replace(worn(window, "ball"), kind=kind)
        window.session.apply("Kind", edits.put_material(window.session.document, material))
        window.session.select(["ball"])
        shown = sorted(page.sections, key=lambda s: page.body.indexOf(s))
        assert shown[0].heading.text() == first and len(shown) == 9
        assert shown[0].body.isVisibleTo(shown[0]) and not shown[-1].body.isVisibleTo(shown[-1])
