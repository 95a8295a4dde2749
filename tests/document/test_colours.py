"""The project's colours, and what follows them."""

import numpy as np
import pytest
from msgspec.structs import replace

from aulmo import script
from aulmo.document import colours, edits, project_file, variants
from aulmo.document.properties import get, put, put_many, resolve
from aulmo.document.records import Decal, Key, Lamp, Softbox
from aulmo.errors import BadValue
from aulmo.surface.colour import difference, from_hex, from_lab, to_lab
from shapes import box_mesh, one_part

RED, BLUE = (0.4, 0.03, 0.02), (0.02, 0.05, 0.3)


def followed():
    """A document whose material, decal, lamp, softbox and backdrop follow one colour."""
    document, assets = one_part(box_mesh())
    material = document.parts["ball"].material
    document = edits.put_lamp(document, Lamp(id="l", name="Key"))
    box = Softbox("b", "Window")
    document = replace(document, environment=replace(document.environment, softboxes=(box,)),
        decals={"d": Decal(id="d", name="Badge", parts=("ball",))})
    document, colour = script.add_colour(document, "Odrel red", RED)
    addresses = [f"materials/{material}/surface/base_color", "decals/d/colour", "lamps/l/colour", "environment/softboxes/b/colour", "backdrop/top"]
    return put_many(document, {a: f"colour:{colour}" for a in addresses}), assets, colour, addresses


def test_changed_once_it_changes_everywhere(tmp_path):
    document, assets, colour, addresses = followed()
    assert all(get(document, a) == RED for a in addresses) and set(colours.followers(document, colour)) == set(addresses)
    blue = put(document, f"colours/{colour}/rgb", BLUE)
    assert all(get(blue, a) == BLUE for a in addresses)
    project_file.save(blue, assets, tmp_path / "p.aulmo")
    again, _ = project_file.load(tmp_path / "p.aulmo")
    assert all(get(put(again, f"colours/{colour}/rgb", RED), a) == RED for a in addresses)


def test_what_gets_a_colour_of_its_own_follows_no_longer():
    document, _, colour, addresses = followed()
    own = put(document, addresses[0], (0.2, 0.2, 0.2))
    assert colours.followed_at(own, addresses[0]) is None and colours.followed_at(own, addresses[1]).name == "Odrel red"
    assert get(put(own, f"colours/{colour}/rgb", BLUE), addresses[0]) == (0.2, 0.2, 0.2)
    one = put(document, f"{addresses[0]}/x", 0.9)  # one of its numbers is enough
    assert colours.followed_at(one, addresses[0]) is None
    assert colours.followers(put(document, addresses[0], f"colour:{colour}"), colour).keys() == set(addresses)


def test_a_choice_and_keys_change_what_follows_too():
    document, _, colour, addresses = followed()
    document, axis = variants.add_axis(document, "Colour")
    document, _ = variants.add_choice(document, axis, "Blue", {f"colours/{colour}/rgb": BLUE, addresses[1]: (0.5, 0.5, 0.5)})
    blue = resolve(document, {"Colour": "Blue"})
    assert get(blue, addresses[0]) == BLUE and get(blue, addresses[1]) == (0.5, 0.5, 0.5) and get(resolve(document), addresses[0]) == RED
    keyed = replace(document, keys={f"colours/{colour}/rgb": (Key(0.0, RED), Key(1.0, BLUE))})
    np.testing.assert_allclose(get(resolve(keyed, None, 0.5), addresses[0]), (np.array(RED) + BLUE) / 2, atol=0.03)


def test_a_copied_material_follows_and_a_colour_that_goes_leaves_its_value():
    document, _, colour, addresses = followed()
    material = document.materials[addresses[0].split("/")[1]]
    document = edits.put_material(document, replace(material, id="copy", name="Copy"))
    assert get(put(document, f"colours/{colour}/rgb", BLUE), "materials/copy/surface/base_color") == BLUE
    gone = colours.delete_colour(document, colour)
    assert not gone.colours and not colours.followers(gone) and get(gone, addresses[0]) == RED and gone.lamps["l"].follows == ()


def test_what_cannot_be_followed_is_told():
    document, _, colour, addresses = followed()
    for address, value, words in (
        (addresses[0], "colour:nobody", "no such colour"), ("parts/ball/opacity", f"colour:{colour}", "cannot follow"), (f"colours/{colour}/rgb",
            "red", "three numbers"),
        ("environment/colour", f"colour:{colour}", "cannot follow"),
    ):  # fmt: skip
        with pytest.raises(BadValue, match=words):
            put(document, address, value)
    with pytest.raises(BadValue, match="needs a name"):
        script.add_colour(document, "  ", RED)
    with pytest.raises(BadValue):
        script.add_colour(document, "Half", (0.1, 0.2))
    assert script.add_colour(document, "Odrel red", BLUE)[0].colours.keys() > document.colours.keys()


def test_lab_goes_there_and_back_and_differences_are_the_published_ones():
    """Pairs of Sharma, Wu & Dalal 2005, table 1."""
    for one, other, far in (
        ((50.0, 2.6772, -79.7751), (50.0, 0.0, -82.7485), 2.0425), ((50.0, -0.001, 2.49), (50.0, 0.0011, -2.49), 4.7461), ((50.0, 2.5, 0.0),
            (56.0, -27.0, -3.0), 31.9030),
        ((60.2574, -34.0099, 36.2677), (60.4626, -34.1751, 39.4387), 1.2644), ((2.0776, 0.0795, -1.135), (0.9033, -0.0636, -0.5514), 0.9082),
    ):  # fmt: skip
        assert difference(one, other) == pytest.approx(far, abs=1e-4) == difference(other, one)
    np.testing.assert_allclose(to_lab((1.0, 1.0, 1.0)), (100, 0, 0), atol=1e-6)
    np.testing.assert_allclose(to_lab(from_lab((42.0, 55.0, 31.0))), (42, 55, 31), atol=1e-9)
    assert to_lab(from_hex("#777777"))[0] == pytest.approx(50.0, abs=0.5)
    with pytest.raises(BadValue):
        from_lab((120, 0, 0))
