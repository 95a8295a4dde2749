"""Variants: what a choice changes and what it leaves, where an edit lands, combinations, tables, names of files."""

import pytest
from msgspec.structs import replace

from aulmo import script
from aulmo.deliver.naming import Named, file_names, file_stem
from aulmo.document import edits, project_file, variants
from aulmo.document.choosing import settled
from aulmo.document.properties import get, put, resolve
from aulmo.document.records import Camera, Decal, Lamp, Material, Shot, Softbox, Surface
from aulmo.document.variant_table import from_table, from_words
from aulmo.errors import BadValue
from shapes import box_mesh, one_part

COLOUR = "materials/m/surface/base_color"
PLACE = "parts/ball/placement/position"


def scene():
    """A part in two colours, at two places."""
    document, _ = one_part(box_mesh(), Surface(base_color=(0.5, 0.1, 0.1)))
    document = edits.put_lamp(document, Lamp("l", "Key"))
    document = script.add_choice(document, "Colour", "Rust", {})
    document = script.add_choice(document, "Colour", "Pine", {COLOUR: (0.1, 0.3, 0.1)})
    document = script.add_choice(document, "Set", "Day", {})
    return script.add_choice(document, "Set", "Night", {"lamps/l/stops": -3.0, "parts/ball/placement/position/z": 7.0})


def ids(document, **named):
    return {variants.axis_of(document, a).id: variants.choice_of(variants.axis_of(document, a), c).id for a, c in named.items()}


def of(document, name):
    return next(c.id for a in document.axes for c in a.choices if c.name == name)


def test_a_choice_shows_what_differs_and_follows_the_base_in_all_else():
    document = scene()
    assert get(resolve(document, {"Colour": "Pine"}), COLOUR) == (0.1, 0.3, 0.1)
    assert get(resolve(document, {}), COLOUR) == (0.5, 0.1, 0.1) == get(resolve(document, {"Colour": ""}), COLOUR)
    both = resolve(document, {"colour": "pine", "Set": "Night"})
    assert (get(both, COLOUR), get(both, "lamps/l/stops"), get(both, PLACE)) == ((0.1, 0.3, 0.1), -3.0, (0.0, 0.0, 7.0))
    moved = put(document, PLACE, (5.0, 0.0, 0.0))  # a change of the base reaches all
    assert get(resolve(moved, {"Set": "Night"}), PLACE) == (5.0, 0.0, 7.0)
    assert resolve(document, {"Colour": "Pine"}).axes == ()


def test_a_later_axis_and_then_the_shot_count_before_and_the_shot_keeps_its_variant():
    document = script.add_choice(scene(), "Set", "Snow", {COLOUR: (0.9, 0.9, 0.9)})
    assert get(resolve(document, {"Colour": "Pine", "Set": "Snow"}), COLOUR) == (0.9, 0.9, 0.9)
    turned = variants.move_axis(document, "Set", -1)
    assert get(resolve(turned, {"Colour": "Pine", "Set": "Snow"}), COLOUR) == (0.1, 0.3, 0.1)
    shot = replace(document.shots[0], overrides={COLOUR: (0.0, 0.0, 1.0)})
    own = edits.put_shot(document, shot)
    assert get(resolve(own, {"shot": shot.id, "Set": "Snow"}), COLOUR) == (0.0, 0.0, 1.0)
    kept = edits.put_shot(document, replace(document.shots[0], picks=ids(document, Colour="Pine")))
    assert get(resolve(kept, {"shot": "s"}), COLOUR) == (0.1, 0.3, 0.1)
    assert get(resolve(kept, {"shot": "s", "Colour": ""}), COLOUR) == (0.5, 0.1, 0.1)
    assert get(resolve(variants.chosen(kept, {"Colour": "Rust"}), {"shot": "s"}), COLOUR) == (0.5, 0.1, 0.1)


def test_keys_count_before_a_choice_and_motions_run_on_what_it_has():
    document = script.add_choice(scene(), "Place", "Right", {PLACE: (50.0, 0.0, 0.0)})
    document, _ = script.add_motion(document, "ball", "slide", length=1.0, distance_mm=10.0, axis="y", axis_of="world", ease="even")
    assert get(resolve(document, {"Place": "Right"}, 0.5), PLACE) == pytest.approx((50.0, 5.0, 0.0))
    keyed = script.add_key(document, PLACE, 0.0, (1.0, 0.0, 0.0))
    assert get(resolve(keyed, {"Place": "Right"}, 0.0), PLACE) == pytest.approx((1.0, 0.0, 0.0))


def test_an_edit_lands_in_the_choice_in_hand_and_the_base_stays():
    document = scene()
    pine, night = of(document, "Pine"), of(document, "Night")
    taken = settled(document, put(document, PLACE, (9.0, 0.0, 0.0)), [pine], pine)
    assert taken.landed == {pine: (PLACE,)} and not taken.for_all
    assert get(taken.document, PLACE) == (0.0, 0.0, 0.0)
    assert get(resolve(taken.document, {"Colour": "Pine"}), PLACE) == (9.0, 0.0, 0.0)
    # nothing in hand: what a seen choice has of its own changes there, all else in the base
    new = put(put(document, COLOUR, (0.2, 0.2, 0.9)), PLACE, (3.0, 0.0, 0.0))
    taken = settled(document, new, [pine], "")
    assert taken.landed == {pine: (COLOUR,)} and taken.for_all
    assert get(taken.document, COLOUR) == (0.5, 0.1, 0.1) and get(taken.document, PLACE) == (3.0, 0.0, 0.0)
    # one number that a choice has, and the hand moves all three
    taken = settled(document, put(document, PLACE, (1.0, 2.0, 3.0)), [night], "")
    assert get(resolve(taken.document, {"Set": "Night"}), PLACE) == (1.0, 2.0, 3.0) and get(taken.document, PLACE) == (0.0, 0.0, 0.0)
    # an edit of the document as it is seen leaves what it did not touch
    seen = variants.chosen(document, {"Colour": "Pine"})
    taken = settled(document, put(replace(seen, shots=document.shots), "lamps/l/stops", 1.0), [pine], "")
    assert get(taken.document, COLOUR) == (0.5, 0.1, 0.1) and get(taken.document, "lamps/l/stops") == 1.0


def test_what_comes_or_goes_with_a_choice_in_hand_is_there_in_it_alone():
    document = scene()
    pine = of(document, "Pine")
    new = edits.put_lamp(document, Lamp("rim", "Rim"))
    new = replace(new, decals={"d": Decal("d", "Plate", parts=("ball",))}, materials={**new.materials, "own": Material("own", "Own")})
    new = replace(new, environment=replace(new.environment, softboxes=(Softbox("b", "Box"),)))
    taken = settled(document, new, [pine], pine).document
    base, own = resolve(taken, {}), resolve(taken, {"Colour": "Pine"})
    assert not base.lamps["rim"].on and own.lamps["rim"].on and base.lamps["l"].on
    assert not base.decals["d"].visible and own.decals["d"].visible
    assert not base.environment.softboxes[0].on and own.environment.softboxes[0].on
    assert taken.materials["own"].made_for == pine
    without = settled(taken, edits.delete_parts(taken, ["ball"]), [pine], pine).document
    assert resolve(without, {}).parts["ball"].visible and not resolve(without, {"Colour": "Pine"}).parts["ball"].visible
    gone = variants.remove_choice(taken, pine)
    assert "own" not in gone.materials and [c.name for c in gone.axes[0].choices] == ["Rust"]


def test_what_a_choice_has_goes_back_or_into_the_base():
    document = scene()
    pine = of(document, "Pine")
    assert get(resolve(variants.take_back(document, pine, [COLOUR]), {"Colour": "Pine"}), COLOUR) == (0.5, 0.1, 0.1)
    based = variants.to_base(document, pine, [COLOUR])
    assert get(based, COLOUR) == (0.1, 0.3, 0.1) and not variants.find_choice(based, pine)[1].overrides
    found = variants.differences(document, ids(document, Colour="Pine"), ids(document, Set="Night"))
    assert found[0] == (COLOUR, (0.1, 0.3, 0.1), (0.5, 0.1, 0.1)) and {a for a, _, _ in found} == {
        COLOUR, "lamps/l/stops", "parts/ball/placement/position/z"
    }  # fmt: skip


def test_combinations_leave_out_what_is_not_offered():
    document = scene()
    assert [tuple(row.values()) for row in variants.every(document, ["Colour", "Set"])] == [
        ("Rust", "Day"), ("Rust", "Night"), ("Pine", "Day"), ("Pine", "Night")
    ]  # fmt: skip
    picks = ids(document, Colour="Pine", Set="Night")
    refused = variants.refuse(document, picks)
    assert len(variants.every(refused, ["Colour", "Set"])) == 3 and variants.is_refused(refused, {"Colour": "Pine", "Set": "Night"})
    assert len(variants.every(variants.refuse(refused, picks, False), ["Colour", "Set"])) == 4
    assert not variants.remove_choice(refused, of(refused, "Night")).refused
    with pytest.raises(BadValue, match="two axes"):
        variants.refuse(document, ids(document, Colour="Pine"))


def test_axes_and_choices_are_renamed_copied_and_put_in_order():
    document = scene()
    pine = of(document, "Pine")
    document, copy = variants.duplicate_choice(document, pine)
    document = variants.move_choice(variants.rename_choice(document, copy, "Fir"), copy, -5)
    assert [c.name for c in document.axes[0].choices] == ["Fir", "Rust", "Pine"]
    assert get(resolve(document, {"Colour": "Fir"}), COLOUR) == (0.1, 0.3, 0.1)
    document = variants.rename_axis(document, "Colour", "Paint")
    assert get(resolve(document, {"Paint": "Fir"}), COLOUR) == (0.1, 0.3, 0.1)
    assert not variants.remove_axis(document, "Set").axes[1:]


@pytest.mark.parametrize(
    ("run", "words"),
    [
        (lambda d: resolve(d, {"Trim": "Brass"}), "no choice named Trim; there is shot, Colour, Set"),
        (lambda d: resolve(d, {"Colour": "Blue"}), "no Colour named Blue; there is Rust, Pine"),
        (lambda d: script.add_choice(d, "Shot", "A", {}), "already"),
        (lambda d: script.add_choice(d, "Colour", "A=B", {}), "cannot have"),
        (lambda d: script.add_choice(d, "Colour", "Blue", {"materials/m/surface/no_such": 1.0}), "no property"),
        (lambda d: script.add_choice(d, "Colour", "Blue", {COLOUR: "red"}), "three numbers"),
        (lambda d: variants.rename_choice(d, of(d, "Pine"), "rust"), "already"),
        (lambda d: variants.rename_axis(d, "Set", "  "), "needs a name"),
        (lambda d: variants.every(d, ["Colour", "colour"]), "named twice"),
        (lambda d: variants.every(variants.add_axis(d, "Trim")[0], ["Trim"]), "no choices yet"),
        (lambda d: from_words(d, "Pine"), "write it as Colour=Pine"),
        (lambda d: from_table(d, "Colour,Set\nPine,Noon\n"), "Line 2 of the table: There is no Set named Noon"),
        (lambda d: from_table(d, "Colour"), "a line for each variant"),
        (lambda d: from_table(d, "Colour;Colour\nPine;Rust"), "twice"),
    ],
)
def test_what_makes_no_sense_is_one_sentence(run, words):
    with pytest.raises(BadValue, match=words) as caught:
        run(scene())
    assert "\n" not in str(caught.value)


def test_ten_thousand_cells_are_the_most():
    document = scene()
    for axis in ("A", "B"):
        document, axis_id = variants.add_axis(document, axis)
        for k in range(100):
            document, _ = variants.add_choice(document, axis_id, f"{axis}{k}")
    assert len(variants.every(document, ["A", "B"])) == 10_000
    with pytest.raises(BadValue, match="more than 10,000"):
        variants.every(document, ["A", "B", "Colour"])


def test_a_table_lists_variants():
    document = scene()
    rows = from_table(document, "\ufeffcolour; Set ;Shot\nPine;night;Shot 1\n;;\nRust;;\n")
    assert rows == [{"Colour": "Pine", "Set": "Night", "shot": "s"}, {"Colour": "Rust"}]
    assert from_words(document, "Colour=pine, Set=Base") == {"Colour": "Pine", "Set": ""}


def test_names_of_files_come_from_a_pattern():
    document = replace(script.add_choice(scene(), "Colour", "Black/Red: 2", {}), name="Wick")
    shot = document.shots[0]
    named = Named(document, shot, {"Colour": "Black/Red: 2"}, (64, 48), 1.5, 7, "2026-01-02")
    assert file_stem("{project} {Colour} {size} {time} {number}", named) == "Wick Black-Red- 2 64x48 1.50 007"
    assert file_stem("{project} {shot} {variant}", named._replace(choices={})) == "Wick Shot 1"
    assert file_names("{set}", [named], ".png") == ["Base.png"] and file_names("{date}.PNG", [named], ".png") == ["2026-01-02.PNG"]
    with pytest.raises(BadValue, match="means nothing here"):
        file_stem("{colr}", named)
    with pytest.raises(BadValue, match="files, not folders"):
        file_stem("{project}/{shot}", named)
    with pytest.raises(BadValue, match=r"the same name, Wick.png. Add \{Colour\}"):
        file_names("{project}", [named, named._replace(choices={"Colour": "Pine"})], ".png")
    with pytest.raises(BadValue, match="not closed"):
        file_stem("{project", named)


def test_variants_are_saved_and_what_they_name_is_kept(tmp_path):
    document = scene()
    own = Material("own", "Own", made_for=of(document, "Pine"))
    document = variants.put_override(edits.put_material(document, own), of(document, "Pine"), {"parts/ball/material": "own"})
    document = edits.put_shot(edits.put_camera(document, Camera("top", "Top")), Shot("t", "Top", "top", picks=ids(document, Set="Night")))
    _, assets = one_part(box_mesh())
    project_file.save(document, assets, tmp_path / "a.aulmo")
    again, _ = project_file.load(tmp_path / "a.aulmo")
    assert again.axes == document.axes and again.shots == document.shots
    assert resolve(again, {"Colour": "Pine"}).parts["ball"].material == "own"
    without = edits.without_keys(replace(again, lamps={}))
    assert "lamps/l/stops" not in variants.find_choice(without, of(without, "Night"))[1].overrides
