"""Edits share what they do not change, and keep the tree whole."""

import numpy as np
import pytest
from hypothesis import given, settings, strategies as st

from aulmo.document import edits
from aulmo.document.history import History
from aulmo.document.placement import from_matrix, to_matrix, world_matrices
from aulmo.document.project_file import check_links
from aulmo.document.records import Camera, Document, Material, Node, Part, Placement, Shot
from aulmo.errors import BadValue


def tree() -> Document:
    """Root with a group of two and a loose part."""
    parts = [
        Part(id="root", name="Wick", children=("group", "c")),
        Part(id="group", name="Tank", parent="root", children=("a", "b")),
        Part(id="a", name="Shell", parent="group", mesh="x.mesh", material="red"),
        Part(id="b", name="Ring", parent="group", mesh="y.mesh", material="red"),
        Part(id="c", name="Globe", parent="root", mesh="z.mesh", material="glass"),
    ]
    document = edits.add_parts(Document(), parts, ["root"])
    for name in ("red", "glass"):
        document = edits.put_material(document, Material(id=name, name=name.title()))
    return document


def test_an_edit_shares_what_it_does_not_change():
    old = tree()
    new = edits.change_part(old, "a", name="Skin")
    assert new.parts["b"] is old.parts["b"]
    assert new.materials is old.materials
    assert old.parts["a"].name == "Shell"


def test_leaves_of_a_group_are_its_parts_once():
    assert edits.leaves(tree(), ["root", "a"]) == ["a", "b", "c"]


def test_path_names_run_from_the_root():
    assert edits.part_path(tree(), "a") == "Wick/Tank/Shell"


def test_hiding_a_group_hides_what_is_in_it():
    hidden = edits.change_part(tree(), "group", visible=False)
    assert not edits.is_shown(hidden, "a")
    assert edits.is_shown(hidden, "c")


def test_deleting_a_group_takes_everything_below_and_nothing_else():
    left = edits.delete_parts(tree(), ["group"])
    assert set(left.parts) == {"root", "c"}
    assert left.parts["root"].children == ("c",)
    check_links(left, "test")


def test_a_locked_part_is_neither_deleted_nor_moved():
    locked = edits.change_part(tree(), "c", locked=True)
    assert "c" in edits.delete_parts(locked, ["c"]).parts
    assert edits.place_parts(locked, {"c": Placement((5, 0, 0))}).parts["c"].placement == Placement()


def test_grouping_keeps_order_and_links():
    grouped, group = edits.group_parts(tree(), ["b"], "Rings")
    assert grouped.parts["group"].children == ("a", group)
    assert grouped.parts["b"].parent == group
    check_links(grouped, "test")


def test_parts_of_different_parents_cannot_be_grouped():
    with pytest.raises(BadValue, match="same parent"):
        edits.group_parts(tree(), ["a", "c"], "X")


def test_a_change_to_a_shared_material_reaches_all_and_a_unique_copy_does_not():
    document = tree()
    assert edits.users_of(document, "red") == ["a", "b"]
    unique, copy = edits.make_unique(document, ["a"])
    changed = edits.change_surface(unique, copy, specular_roughness=0.9)
    assert changed.materials["red"].surface.specular_roughness == 0.3
    assert changed.parts["b"].material == "red"
    assert changed.materials[copy].name == "Red 2"


def test_a_node_is_changed_in_its_own_material_alone():
    node = Node("n", "noise", {"size_mm": 3.0}, axis="z")
    document = edits.put_material(Document(), Material(id="m", name="M", nodes=(node, Node("k", "constant"))))
    changed = edits.change_node(document, "m", "n", size_mm=8.0, axis="x").materials["m"]
    assert changed.nodes[0] == Node("n", "noise", {"size_mm": 8.0}, axis="x") and changed.nodes[1] is document.materials["m"].nodes[1]
    assert document.materials["m"].nodes[0] is node
    with pytest.raises(BadValue, match="no node named q"):
        edits.change_node(document, "m", "q", size_mm=1.0)


def test_a_group_is_dressed_leaf_by_leaf():
    document = edits.assign_material(tree(), ["group"], "glass")
    assert {document.parts[i].material for i in ("a", "b", "c")} == {"glass"}
    assert document.parts["group"].material is None
    assert set(edits.drop_unused_materials(document).materials) == {"glass"}


def test_a_camera_in_use_is_not_deleted():
    document = edits.put_camera(tree(), Camera(id="k", name="K"))
    document = edits.put_shot(document, Shot(id="s", name="Hero", camera="k"))
    with pytest.raises(BadValue, match="Hero"):
        edits.delete_camera(document, "k")


def test_an_unknown_shot_is_named_with_those_there_are():
    document = edits.put_shot(edits.put_camera(tree(), Camera(id="k", name="K")), Shot(id="s", name="Hero", camera="k"))
    assert edits.find_shot(document, None).name == "Hero"
    with pytest.raises(BadValue, match="Hero"):
        edits.find_shot(document, "Heroine")


def test_a_duplicated_group_is_whole_named_freely_and_beside_the_first():
    document, copies = edits.duplicate_parts(tree(), ["group"])
    copy = document.parts[copies[0]]
    assert copy.name == "Tank 2" and copy.parent == "root"
    assert document.parts["root"].children == ("group", "c", copies[0])
    inner = [document.parts[i] for i in copy.children]
    assert [p.name for p in inner] == ["Shell", "Ring"] and [p.mesh for p in inner] == ["x.mesh", "y.mesh"]
    assert {p.parent for p in inner} == {copies[0]} and not {p.id for p in inner} & {"a", "b"}
    assert tree().parts.keys() < document.parts.keys()


def test_free_names_count_up():
    assert edits.free_name("Screw", ["Screw", "Screw 2"]) == "Screw 3"
    assert edits.free_name("Knob", ["Screw"]) == "Knob"


numbers = st.floats(-300, 300, allow_nan=False)


@given(st.tuples(numbers, numbers, numbers), st.tuples(numbers, numbers, numbers), st.tuples(*[st.floats(0.1, 10)] * 3), st.booleans())
@settings(max_examples=60, deadline=None)
def test_a_placement_survives_the_way_through_a_matrix(position, turn, scale, mirrored):
    if mirrored:
        scale = (-scale[0], scale[1], scale[2])
    matrix = to_matrix(Placement(position, turn, scale))
    np.testing.assert_allclose(to_matrix(from_matrix(matrix)), matrix, atol=1e-5)


def test_world_places_multiply_down_the_tree():
    document = edits.place_parts(tree(), {"root": Placement(turn=(0, 0, 90)), "group": Placement(position=(10, 0, 0))})
    np.testing.assert_allclose(world_matrices(document)["a"][:3, 3], [0, 10, 0], atol=1e-12)


def test_undo_and_redo_walk_the_same_documents():
    first = tree()
    history = History(first)
    seen = []
    history.listeners.append(lambda old, new: seen.append((old, new)))
    second = edits.change_part(first, "a", name="Skin")
    third = edits.change_part(second, "a", name="Hide")
    history.apply("Renamed to Skin", second)
    history.apply("Renamed to Hide", third)
    assert history.undo() == "Renamed to Hide"
    assert history.document is second
    assert history.undo() == "Renamed to Skin"
    assert history.document is first
    assert history.undo() == ""
    assert history.redo() == "Renamed to Skin"
    assert history.document is second
    assert seen[-1] == (first, second)
    history.apply("Other", first)
    assert history.redo() == ""


def test_the_steps_of_a_drag_are_one_step():
    document = tree()
    history = History(document)
    for k in range(5):
        history.apply("Moved", edits.place_parts(document, {"a": Placement((k + 1.0, 0, 0))}), "drag 1")
    history.end_merge()
    history.apply("Moved", edits.place_parts(document, {"a": Placement((9.0, 0, 0))}), "drag 2")
    history.undo()
    assert history.document.parts["a"].placement.position[0] == 5.0
    history.undo()
    assert history.document is document
