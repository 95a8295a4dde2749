"""Finding things in words."""

import pytest

from aulmo.shelf import own
from aulmo.shelf.things import Thing
from aulmo.shelf.words import alike, colour_words, found, read

QUERIES = [
    ("rough black plastic", "Tyre rubber", "Gloss black plastic"), ("rough black plastic", "Black rubber", "Matt grey plastic"),
    ("red", "Rust enamel", "Pine enamel"), ("warm metal", "Satin brass", "Bright chrome"), ("see-through", "Clear glass", "Frosted glass"),
    ("transparent", "Acrylic", "Slate"), ("ior 1.46", "Olive oil", "Diamond"), ("mirror metal", "Mirror steel", "Cast iron"), ("brick",
        "Red brick wall", "Asphalt"),
    ("road", "Asphalt", "Red brick wall"), ("rubbers", "Black rubber", "Clear glass"), ("matte", "Primer", "Soot lacquer"), ("satin brass",
        "Satin brass", "Copper"),
    ("dome sun", "Meadow, noon", "White tent"), ("outdoors dome", "Overcast", "Loft"), ("low-key light set", "Rim only", "High key"), ("umbrella",
        "Silver umbrella", "Octabox"),
    ("prop lit", "Table lamp", "Crate"), ("grit", "Fine grit", "Rust"), ("0.4 mm board", "Folding boxboard", "Rigid board"), ("grey",
        "Matt grey plastic", "Rust enamel"),
    ("gray concrete", "Smooth concrete", "Clear glass"), ("car paint metallic", "Car paint, lake flake", "Car paint, chalk white"),
        ("blue see-through", "Cobalt glass", "Ruby glass"),
    ("glowing", "Warm lamp", "Slate"), ("leather seat", "Black car leather", "Denim"), ("#a32a1a", "Rust enamel", "Tarn blue"),
        ("textured rubber", "Ribbed grip rubber", "Clear glass"),
    ("sun 58", "Meadow, noon", "Meadow, morning"), ("7 boxes", "Jewellery", "Table top"),
]  # fmt: skip


@pytest.mark.parametrize(("text", "there", "not_there"), QUERIES)
def test_words_find_what_is_meant(text, there, not_there):
    names = [t.name for t in found(own.things(), text)]
    assert there in names and not_there not in names


def test_several_words_narrow_and_none_finds_all():
    things = own.things()
    assert len(found(things, "")) == len(things)
    assert 0 < len(found(things, "black rubber")) < len(found(things, "black"))
    assert found(things, "quite impossible words") == []


def test_what_begins_with_the_word_comes_first():
    assert found(own.things(), "crate")[0].name == "Crate"
    assert found(own.things(), "meadow")[0].name.startswith("Meadow")


def test_lengths_have_units_and_sizes_are_near():
    shelf = [Thing("Shelf unit", "prop", "/a", numbers={"width": 2000.0, "depth": 300.0}), Thing("Stool", "prop", "/b", numbers={"width": 400.0})]
    assert [t.name for t in found(shelf, "2 m")] == ["Shelf unit"] == [t.name for t in found(shelf, "200cm")]
    assert [t.name for t in found(shelf, "40 cm prop")] == ["Stool"]
    assert read("2,5 m").numbers == (("mm", 2500.0),)


def test_what_uses_it_is_found_too():
    things = [Thing("One", "swatch", "/one"), Thing("Other", "swatch", "/other")]
    used = {"/one": "Tank shell, Hood"}
    assert [t.name for t in found(things, "tank", used)] == ["One"]
    assert [t.name for t in found(things, "used", used)] == ["One"] and [t.name for t in found(things, "unused", used)] == ["Other"]


def test_colours_have_the_names_that_people_give_them():
    for lab, names in (((50.0, 60.0, 45.0), {"red", "warm"}), ((20.0, 0.0, 0.0), {"black"}), ((92.0, 0.0, 2.0), {"white"}), ((45.0, 5.0, -40.0),
        {"blue", "cool"})):
        assert names <= colour_words(lab)
    assert "red" not in colour_words((50.0, -40.0, 30.0))


def test_like_this_one_brings_what_looks_like_it():
    things = own.things()
    brass = next(t for t in things if t.name == "Satin brass")
    near = [t.name for t in alike(things, brass)][:5]
    assert "Turned brass" in near and "Satin brass" not in near
    assert not {"Slate", "Water", "Red velvet"} & set(near)
