"""Finishes on the way out: films and ranges finished as they are rendered, frames in EXR finished after, all shots by one command."""

import json

import numpy as np
import pytest
from msgspec.structs import replace
from PIL import Image

from aulmo import script
from aulmo.command.main import main
from aulmo.deliver import developing, finished
from aulmo.deliver.film import plan, render_film
from aulmo.deliver.finished import finish_frames
from aulmo.deliver.stills import Still, render_stills
from aulmo.document import project_file
from aulmo.document.finish_records import Balance, Grade, Layer, Mask
from aulmo.document.records import Environment, Floor, Lamp, RenderSettings, Surface
from aulmo.errors import BadValue
from aulmo.finish.edits import finish_of, put_finish
from aulmo.trace.tracer import render
from shapes import box_mesh, one_part

SIZE = (48, 36)


@pytest.fixture
def project():
    """A box in a lamp that comes on in a film of four frames, and a second shot."""
    document, assets = one_part(box_mesh(40), Surface(base_color=(0.6, 0.2, 0.1)))
    first = replace(document.shots[0], width=SIZE[0], height=SIZE[1])
    document = replace(
        document, shots=(first, replace(first, id="two", name="Second")), floor=Floor(kind="plain"), frames_per_second=4.0,
        film=replace(document.film, end=1.0, play_end=1.0), environment=Environment(kind="colour", colour=(0.03, 0.03, 0.03)),
        lamps={"k": Lamp("k", "Key", position=(-200.0, -300.0, 300.0), power=3000.0, group="Key")},
        render=RenderSettings(stop="samples", samples=4, denoise=False),
    )  # fmt: skip
    shot = document.shots[0]
    grade = Layer("g", "Look", grade=Grade(saturation=-1.0), masks=(Mask("m", "part", names=("Ball",)),))
    document = put_finish(document, shot, replace(finish_of(document, shot), id="f", layers=(grade,), balance={"Key": Balance()}))
    for time, stops in ((0.0, -12.0), (0.75, 0.0)):
        document = script.add_key(document, "finishes/f/balance/Key/stops", time, stops)
    return document, assets


def mean_of(path) -> float:
    with Image.open(path) as image:
        return float(np.asarray(image.convert("RGB")).mean())


def test_lights_come_on_in_a_film_and_another_finish_makes_its_frames_anew(project, tmp_path):
    document, assets = project
    planned = plan(document, shot=document.shots[0])
    made = render_film(document, assets, planned, SIZE, document.render, tmp_path / "film")
    assert made.made == 4
    means = [mean_of(tmp_path / "film" / f"frame-{k:05d}.png") for k in range(4)]
    assert all(a < b for a, b in zip(means, means[1:])) and means[0] < 0.6 * means[3]
    assert render_film(document, assets, planned, SIZE, document.render, tmp_path / "film").kept == 4
    brighter = replace(document, keys={}, finishes={"f": replace(document.finishes["f"], balance={"Key": Balance(stops=1.0)})})
    again = render_film(brighter, assets, planned, SIZE, document.render, tmp_path / "film")
    assert again.made == 4 and mean_of(tmp_path / "film" / "frame-00000.png") > means[3]
    plain = render_film(brighter, assets, planned, SIZE, replace(document.render, finished=False), tmp_path / "plain")
    assert plain.made == 4 and mean_of(tmp_path / "plain" / "frame-00000.png") == pytest.approx(means[3], rel=0.2)


def test_frames_in_exr_are_finished_after_and_go_on_where_they_stopped(project, tmp_path, monkeypatch):
    document, assets = project
    planned = plan(document, shot=document.shots[0])
    settings = replace(document.render, passes=("groups", "mattes"))
    render_film(document, assets, planned, SIZE, settings, tmp_path / "light", "exr32")
    direct = render_film(document, assets, planned, SIZE, document.render, tmp_path / "direct")
    assert direct.made == 4
    real, count = finished.finished_of, [0]

    def stops(*args, **more):
        count[0] += 1
        if count[0] == 3:
            raise KeyboardInterrupt
        return real(*args, **more)

    monkeypatch.setattr(finished, "finished_of", stops)
    with pytest.raises(KeyboardInterrupt):
        finish_frames(document, assets, tmp_path / "light", tmp_path / "out")
    monkeypatch.setattr(finished, "finished_of", real)
    told = []
    made = finish_frames(document, assets, tmp_path / "light", tmp_path / "out", None, lambda done, of: told.append((done, of)))
    assert (made.made, made.kept) == (2, 2) and told[-1] == (4, 4)
    for k in range(4):
        with Image.open(tmp_path / "direct" / f"frame-{k:05d}.png") as one, Image.open(tmp_path / "out" / f"frame-{k:05d}.png") as two:
            a, b = (np.asarray(i.convert("RGB")).astype(int) for i in (one, two))
            assert np.abs(a - b).max() <= 1, k
    assert finish_frames(document, assets, tmp_path / "light", tmp_path / "out").kept == 4
    movie = finish_frames(document, assets, tmp_path / "light", tmp_path / "film.mp4")
    assert movie.made == 4 and (tmp_path / "film.mp4").stat().st_size > 500 and not (tmp_path / "film.mp4.frames").exists()
    with pytest.raises(BadValue, match="no numbered frames"):
        finish_frames(document, assets, tmp_path / "out", tmp_path / "x")


def test_stills_are_finished_with_their_light_kept_beside(project, tmp_path):
    document, assets = project
    document = replace(document, keys={})
    shot = document.shots[0]
    out, light = tmp_path / "a.png", tmp_path / "light.exr"
    keep = tmp_path / "keep"
    keep.mkdir()
    wanted = [Still({}, shot.id, out)]
    run = lambda d: render_stills(d, assets, wanted, SIZE, d.render, "png", None, keep, negative=lambda k: light)  # noqa: E731
    assert run(document).made == 1 and light.exists()
    with Image.open(out) as image:
        pixels = np.asarray(image.convert("RGB")).astype(float)
    assert np.abs(pixels - 255 * script.finish_array(document, assets, shot.name, light)).mean() < 1.5
    assert run(document).kept == 1
    regraded = script.add_grade(document, shot.name, exposure=-1.0)
    assert run(regraded).made == 1 and mean_of(out) < pixels.mean() - 5
    names = json.loads((keep / "made.json").read_text())
    assert "a.png" in json.dumps(names)
    # an EXR holds the light as it was rendered
    exr = [Still({}, shot.id, tmp_path / "a.exr")]
    render_stills(document, assets, exr, SIZE, document.render, "exr32")
    again = render(document, assets, shot, SIZE, document.render)
    from aulmo.finish.planes import read_planes

    np.testing.assert_allclose(read_planes(tmp_path / "a.exr").rgb, again.rgb / again.white, rtol=1e-5, atol=1e-6)


def test_a_finish_asks_for_its_passes_and_nothing_is_asked_without(project):
    document, _ = project
    shot, other = document.shots
    wanted = developing.settings_for(document, shot, document.render, "png")
    assert wanted.passes == ("groups", "mattes") and wanted.denoise_groups
    none = developing.settings_for(document, other, replace(document.render, negative=False), "png")
    assert none.passes == () and developing.finish_key(document, other, none, "png") == ""
    assert developing.settings_for(document, shot, document.render, "exr").passes == ()
    kept = developing.settings_for(document, other, replace(document.render, passes=("surface",)), "png")
    assert kept.passes == ("surface",), "kept beside the picture"
    later = replace(document, finishes={"f": replace(document.finishes["f"], layers=(), balance={"Key": Balance()})})
    later = script.add_key(replace(later, keys={}), "finishes/f/balance/Key/stops", 0.0, 0.0)  # nothing is done at first, and then it is
    assert "groups" in developing.settings_for(later, shot, document.render, "png").passes
    early, late = (developing.finish_key(document, shot, document.render, "png", t) for t in (0.0, 0.5))
    assert early != late and early == developing.finish_key(document, shot, document.render, "png", 0.0)


def test_the_command_finishes_all_shots_and_frames(project, tmp_path, capsys):
    document, assets = project
    document = replace(document, name="Box", keys={}, shots=tuple(replace(s, finish="f") for s in document.shots))
    project_file.save(document, assets, tmp_path / "p.aulmo")
    (tmp_path / "out").mkdir()
    assert main(["finish", str(tmp_path / "p.aulmo"), "--all", "--out", str(tmp_path / "out")]) == 0
    names = sorted(p.name for p in (tmp_path / "out").iterdir())
    assert names == sorted(f"Box {s.name}.png" for s in document.shots)
    assert main(["finish", str(tmp_path / "p.aulmo"), "--all", "--out", str(tmp_path / "gone")]) == 2
    assert "no folder" in capsys.readouterr().err
    film = ["film", str(tmp_path / "p.aulmo"), "--shot", document.shots[0].name, "--file-type", "exr", "--out", str(tmp_path / "light")]
    assert main(film) == 0
    assert main(["finish", str(tmp_path / "p.aulmo"), "--frames", str(tmp_path / "light"), "--out", str(tmp_path / "frames")]) == 0
    assert "4 frames finished" in capsys.readouterr().out and len(list((tmp_path / "frames").glob("*.png"))) == 4
    one = ["render", str(tmp_path / "p.aulmo"), "--shot", document.shots[0].name, "--out"]
    assert main([*one, str(tmp_path / "a.png")]) == 0 and main([*one, str(tmp_path / "b.png"), "--unfinished"]) == 0
    with Image.open(tmp_path / "a.png") as a, Image.open(tmp_path / "b.png") as b:
        spread = lambda i: float(np.ptp(np.asarray(i.convert("RGB")).astype(int), axis=-1).mean())  # noqa: E731
        assert spread(a) < spread(b)
