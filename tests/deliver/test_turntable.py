"""A turntable for the web: its pictures, its page, that it goes on where it stopped, and what it says when it cannot."""

import json

import numpy as np
import pytest
from PIL import Image

from aulmo import script
from aulmo.command.main import main
from aulmo.deliver.turntable import Turntable, make_turntable, product_of, raised
from aulmo.document import edits, project_file
from aulmo.document.records import Camera, Part, RenderSettings, SetPiece, Surface
from aulmo.errors import BadValue
from shapes import box_mesh, one_part

FEW, SIZE = RenderSettings(stop="samples", samples=2, denoise=False), (40, 30)


def scene():
    """A box that is not as deep as it is wide, in two colours."""
    document, assets = one_part(box_mesh(), Surface(base_color=(0.7, 0.1, 0.1)), floor="plain")
    document = edits.change_part(document, "ball", placement=document.parts["ball"].placement.__class__(scale=(1.6, 0.5, 1.0)))
    document = script.add_choice(document, "Colour", "Red", {})
    return script.add_choice(document, "Colour", "Pine", {"materials/m/surface/base_color": (0.02, 0.4, 0.05)}), assets


def shown(path):
    with Image.open(path) as image:
        return np.asarray(image.convert("RGB")).astype(int)


def test_pictures_go_all_round_from_each_height_for_each_variant(tmp_path):
    document, assets = scene()
    what = Turntable(4, (0.0, 40.0), kind="png", background="#202020", title="A <box>")
    made = make_turntable(document, assets, None, [{"Colour": "Red"}, {"Colour": "Pine"}], what, SIZE, FEW, tmp_path / "out")
    assert made.made == 16 and not made.stopped
    names = sorted(p.name for p in (tmp_path / "out" / "pictures").iterdir())
    assert len(names) == 16 and names[0] == "Pine-1-000.png"
    turn = [shown(tmp_path / "out" / "pictures" / f"Red-1-{k:03d}.png") for k in range(4)]
    assert np.abs(turn[0] - turn[1]).mean() > 2  # a quarter on, the short side is seen
    assert np.abs(turn[0] - turn[2]).mean() < 0.6 * np.abs(turn[0] - turn[1]).mean()  # half on, the box is the same again
    assert np.abs(turn[0] - shown(tmp_path / "out" / "pictures" / "Red-2-000.png")).mean() > 2
    red, green = (shown(tmp_path / "out" / "pictures" / f"{n}-1-000.png").reshape(-1, 3) for n in ("Red", "Pine"))
    assert (red[:, 0] - red[:, 1]).max() > 60 and (green[:, 1] - green[:, 0]).max() > 40
    page = (tmp_path / "out" / "index.html").read_text()
    assert "://" not in page and "<title>A &lt;box&gt;</title>" in page and "background: #202020; color: #f2f2f2" in page
    about = json.loads(page.split("const about = ")[1].split(";\n")[0])
    assert about["rows"] == [40.0, 0.0] and about["row"] == 1 and about["axes"] == [{"name": "Colour", "choices": ["Red", "Pine"]}]
    for variant in about["variants"]:
        assert all((tmp_path / "out" / name).exists() for row in variant["files"] for name in row)
    assert about["variants"][1]["files"][1][0] == "pictures/Pine-1-000.png"
    with Image.open(tmp_path / "out" / "strip.jpg") as strip:
        assert strip.size == (4 * 320, 240)


def test_it_goes_on_where_it_stopped_and_makes_only_what_has_changed(tmp_path):
    document, assets = scene()
    what = Turntable(4)
    stopped = make_turntable(document, assets, None, [{}], what, SIZE, FEW, tmp_path, lambda done, of, seconds, left: done < 2)
    assert stopped.stopped and stopped.made == 2 and not (tmp_path / "index.html").exists()
    rest = make_turntable(document, assets, None, [{}], what, SIZE, FEW, tmp_path)
    assert (rest.made, rest.kept) == (2, 2) and (tmp_path / "index.html").exists()
    assert make_turntable(document, assets, None, [{}], what, SIZE, FEW, tmp_path).made == 0
    (tmp_path / "pictures" / "product-1-002.jpg").unlink()
    assert make_turntable(document, assets, None, [{}], what, SIZE, FEW, tmp_path).made == 1
    repainted = edits.change_surface(document, "m", base_color=(0.0, 0.0, 0.9))
    assert make_turntable(repainted, assets, None, [{}], what, SIZE, FEW, tmp_path).made == 4


def test_the_set_stands_still_and_the_camera_is_carried_up_about_the_product():
    document, assets = scene()
    wall = Part("wall", "Wall", set_piece=SetPiece("wall"), mesh=document.parts["ball"].mesh)
    document = edits.change_part(document, "ball", name="Box")
    with_set = type(document)(**{f: getattr(document, f) for f in document.__struct_fields__} | {
        "parts": {**document.parts, "wall": wall}, "roots": (*document.roots, "wall")
    })  # fmt: skip
    assert product_of(with_set) == ["ball"]
    camera = raised(Camera("c", "C", position=(0.0, -100.0, 0.0), target=(0.0, 0.0, 0.0)), np.zeros(3), 30.0)
    np.testing.assert_allclose(camera.position, (0.0, -100 * np.cos(np.radians(30)), 50.0), atol=1e-9)
    steep = raised(Camera("c", "C", position=(0.0, -100.0, 0.0), target=(0.0, 0.0, 0.0)), np.zeros(3), 120.0)
    assert np.degrees(np.arcsin(steep.position[2] / 100)) == pytest.approx(86.0)


@pytest.mark.parametrize(
    ("what", "words"),
    [
        (Turntable(1), "between 2 and 360"), (Turntable(8, ()), "Heights are degrees"), (Turntable(8, (95.0,)), "Heights are degrees"),
        (Turntable(8, light="moon"), "set, the product or the camera"), (Turntable(8, kind="exr"), "jpg, png or webp"),
        (Turntable(360, tuple(float(k) for k in range(60))), "more than 20,000"),
    ],
)  # fmt: skip
def test_what_makes_no_sense_is_one_sentence(tmp_path, what, words):
    document, assets = scene()
    with pytest.raises(BadValue, match=words):
        make_turntable(document, assets, None, [{}], what, SIZE, FEW, tmp_path / "out")
    assert not (tmp_path / "out").exists()


def test_from_the_command_line(tmp_path, capsys):
    document, assets = scene()
    project_file.save(document, assets, tmp_path / "p.aulmo")
    words = ["turntable", str(tmp_path / "p.aulmo"), "--frames", "3", "--size", "32x24", "--samples", "1", "--out", str(tmp_path / "out")]
    assert main([*words, "--every", "Colour"]) == 0
    assert "6 pictures; 6 made" in capsys.readouterr().out and (tmp_path / "out" / "index.html").exists()
    for more, told in ((["--heights", "high"], "0,25,50"), (["--background", "red"], "no colour"), (["--every", "Trim"], "no choice named Trim")):
        assert main([*words[:-1], str(tmp_path / "other"), *more]) == 2
        assert told in capsys.readouterr().err
