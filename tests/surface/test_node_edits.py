"""Editing a material's nodes without a window: wires closed where they fit, copies, groups, layouts, and what flows along wires."""

import pytest
from hypothesis import given, settings, strategies as st

from aulmo.document.node_table import KINDS
from aulmo.document.records import Lay, Material, Node, Surface, SurfaceLayer
from aulmo.errors import BadValue
from aulmo.surface import node_edits
from aulmo.surface.node_flow import ordered

CHAIN = (
    Node("a", "noise"), Node("b", "range", {"in": "@a"}), Node("c", "multiply", {"in1": "@b", "in2": (1.0, 0.5, 0.2)}),
    Node("d", "luminance", {"in": "@c"}),
)  # fmt: skip


def material(nodes=CHAIN, wires=None, **more) -> Material:
    return Material("m", "M", nodes=nodes, wires=wires if wires is not None else {"base_color": "c", "specular_roughness": "d"}, **more)


def test_a_deleted_node_is_closed_where_what_led_it_fits():
    without = node_edits.deleted(material(), ["b"])
    assert [n.id for n in without.nodes] == ["a", "c", "d"] and without.nodes[1].inputs["in1"] == "@a"
    # a colour cannot take the place of what it led through a luminance into a number unless it is read as one: it is, by its luminance
    assert node_edits.deleted(material(), ["d"]).wires == {"base_color": "c", "specular_roughness": "c"}
    # nothing led it: what it led has its own value again
    assert node_edits.deleted(material(), ["a"]).nodes[0].inputs == {}
    assert node_edits.deleted(material(), ["a", "b", "c", "d"]) == material((), {})


def test_layers_are_deleted_and_masks_that_lose_their_node_show_all():
    layered = material(layers=(SurfaceLayer("l", mask="@d", wires={"base_color": "c"}),))
    assert node_edits.deleted(layered, ["l"]).layers == ()
    gone = node_edits.deleted(layered, ["a", "b", "c", "d"]).layers[0]
    assert gone.mask == 1.0 and gone.wires == {}


def test_a_circle_and_a_fixed_number_are_refused_with_a_sentence():
    with pytest.raises(BadValue, match="in a circle"):
        node_edits.connected(material(), "d", ("node", "b", "in"))
    with pytest.raises(BadValue, match="fixed number"):
        node_edits.connected(material(), "d", ("node", "a", "size_mm"))
    with pytest.raises(BadValue, match="cannot be led"):
        node_edits.connected(material(), "d", ("surface", "loudness"))


def test_pasting_keeps_wires_among_the_copies_and_takes_lays_along():
    laid = material((Node("i", "image", lay="lay", file="x.png"), Node("j", "invert", {"in": "@i:red"})), {}, lays=(Lay("lay", width_mm=7.0),))
    clip = node_edits.copied(laid, ["i", "j"])
    target = material((Node("i", "noise"),), {}, lays=(Lay("lay", width_mm=3.0),))
    made, names = node_edits.pasted(target, clip)
    new = {n.id: n for n in made.nodes if n.id in names}
    picture = next(n for n in new.values() if n.kind == "image")
    other = next(n for n in new.values() if n.kind == "invert")
    assert other.inputs["in"] == f"@{picture.id}:red" and picture.id != "i"
    assert {one.id: one.width_mm for one in made.lays}[picture.lay] == 7.0 and len(made.lays) == 2


def test_a_group_names_what_is_led_from_outside_and_opens_again():
    made, name = node_edits.gathered(material(), ["b", "c"], "Wear")
    assert made.groups[0].inputs == {"b/in": "In"} and {n.group for n in made.nodes} == {"", name}
    assert node_edits.opened(made, name).groups == () and {n.group for n in node_edits.opened(made, name).nodes} == {""}
    with pytest.raises(BadValue, match="two nodes or more"):
        node_edits.gathered(material(), ["b"])


def test_what_happens_along_a_wire_is_said():
    said = node_edits.conversion
    assert said("colour", "number", "") == "luminance" and said("colour", "number", "green") == "green" and said("direction", "number", "") == "x"
    assert said("colour", "direction", "", True) == "normal map" and said("number", "number", "") == "" and said("colour", "colour", "") == ""


def test_a_node_alone_glows_with_what_it_gives():
    alone = node_edits.alone(material(surface=Surface(coat_weight=1.0)), "b", 300.0)
    assert alone.wires == {"emission_color": "b"} and alone.surface.coat_weight == 0.0 and alone.surface.emission_luminance == 300.0
    assert node_edits.alone(material(), "gone", 300.0) == material()


@given(st.lists(st.tuples(st.integers(0, 11), st.integers(0, 11)), max_size=30))
@settings(max_examples=60, deadline=None)
def test_however_wires_are_pulled_there_is_never_a_circle_and_cards_never_overlap(pulls):
    held = material(tuple(Node(f"n{k}", "add") for k in range(12)), {"base_color": "n0"})
    for source, target in pulls:
        try:
            held = node_edits.connected(held, f"n{source}", ("node", f"n{target}", "in1" if source % 2 else "in2"))
        except BadValue:
            continue
    assert len(ordered(held, [n.id for n in held.nodes])) == 12
    places = node_edits.tidied_places(held)
    assert len({(round(x), round(y)) for x, y in places.values()}) == 12
    for target, reference in node_edits.leads(held).items():
        if target[0] == "node":
            assert places[node_edits.source_of(reference)[0]][0] < places[target[1]][0]


@pytest.mark.parametrize("kind", KINDS)
def test_every_kind_can_be_added_and_says_what_fits_it(kind):
    made, name = node_edits.added(material((), {}), kind, (0.0, 0.0))
    assert made.nodes[-1].kind == kind and node_edits.card_height(made, name) >= node_edits.CARD_HEIGHT
    entry = node_edits.main_input(kind, "number")
    assert (entry is None) == (not any(i.led for i in KINDS[kind].inputs))
    assert kind in node_edits.fitting(None, False)
