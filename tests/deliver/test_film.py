"""Films out of a project: what is seen when, frames that are missing only, going on after a stop, files that another reader opens."""

import json
import os
from collections import namedtuple

import numpy as np
import pytest
from msgspec.structs import replace
from PIL import Image

from aulmo import script
from aulmo.command.main import main
from aulmo.deliver import film as films, movie
from aulmo.deliver.film import plan, render_film
from aulmo.deliver.movie import Movie, read_movie
from aulmo.document import edits, project_file
from aulmo.document.moments import Moments
from aulmo.document.properties import put
from aulmo.document.records import Film, RenderSettings, Shot, Surface
from aulmo.errors import BadValue, CannotWrite
from aulmo.motion.reel import put_cut
from shapes import box_mesh, one_part

SIZE, FEW = (32, 24), RenderSettings(stop="samples", samples=2, denoise=False)


def sliding(**more):
    """A box that slides across a film of a second at eight frames, and two shots of it."""
    document, assets = one_part(box_mesh(30.0), Surface(base_color=(0.6, 0.1, 0.1)), floor="plain")
    document = put(document, "floor/height", -15.0)
    side = replace(document.cameras["c"], id="side", name="Side", position=(200.0, 0.0, 0.0))
    document = edits.put_shot(edits.put_camera(document, side), Shot("t", "Shot 2", "side"))
    document = replace(document, frames_per_second=8.0, film=Film(end=1.0, play_end=1.0), **more)
    document, _ = script.add_motion(document, "ball", "slide", length=1.0, distance_mm=40.0, axis="x", ease="even")
    return document, assets


def test_a_cut_and_a_dissolve_are_seen_when_they_are_told():
    document, _ = sliding()
    document, _ = put_cut(document, "s", 0.0)
    document, _ = put_cut(document, "t", 0.5, dissolve=0.25)
    seen = {f.number: [(s.shot.name, s.share) for s in f.seen] for f in plan(document)}
    assert seen[3] == [("Shot 1", 1.0)] and seen[4] == [("Shot 1", 1.0)]
    assert seen[5] == [("Shot 1", 0.5), ("Shot 2", 0.5)] and seen[6] == [("Shot 2", 1.0)]
    assert [f.number for f in plan(document, 0.25, 0.5)] == [2, 3]
    assert [f.number for f in plan(document, numbers=(3, 3))] == [3]


def test_frames_that_are_there_are_not_made_again_and_only_what_changed_is(tmp_path):
    document, assets = sliding()
    made = render_film(document, assets, plan(document), SIZE, FEW, tmp_path / "out")
    assert (made.made, made.kept, made.stopped) == (8, 0, False)
    pixels = [np.asarray(Image.open(f)).astype(int) for f in sorted((tmp_path / "out").glob("*.png"))]
    assert len(pixels) == 8 and np.abs(pixels[0] - pixels[7]).max() > 20
    (tmp_path / "out" / "frame-00003.png").unlink()
    again = render_film(document, assets, plan(document), SIZE, FEW, tmp_path / "out")
    assert (again.made, again.kept) == (1, 7)
    # a cut to the other shot from the sixth frame on: these alone are made anew
    cut, _ = put_cut(put_cut(document, "s", 0.0)[0], "t", 0.75)
    changed = render_film(cut, assets, plan(cut), SIZE, FEW, tmp_path / "out")
    assert (changed.made, changed.kept) == (2, 6)


def test_a_film_that_was_stopped_goes_on_at_its_frame_and_is_the_same(tmp_path):
    document, assets = sliding()
    asked = []

    def stop(p, picture) -> bool:
        asked.append(p.number)
        return picture is None or p.number < 2

    made = render_film(document, assets, plan(document), SIZE, FEW, tmp_path / "a", progress=stop)
    assert made.stopped and made.made == 3 and not list((tmp_path / "a").glob(".frame*"))
    render_film(document, assets, plan(document), SIZE, FEW, tmp_path / "a")
    render_film(document, assets, plan(document), SIZE, FEW, tmp_path / "b")
    for k in range(8):
        one, other = (np.asarray(Image.open(tmp_path / n / f"frame-{k:05d}.png")) for n in "ab")
        assert (one == other).all()


def test_frames_that_show_the_very_same_are_traced_once(tmp_path, monkeypatch):
    document, assets = sliding()
    document = replace(document, motions={i: replace(m, length=0.25) for i, m in document.motions.items()})
    traced = []
    real = films.tracer.render
    monkeypatch.setattr(films.tracer, "render", lambda *words: traced.append(words[8]) or real(*words))
    made = render_film(document, assets, plan(document), SIZE, FEW, tmp_path / "out")
    assert made.made == 8 and traced == pytest.approx([0.0, 0.125, 0.25])


def test_a_full_disk_in_the_middle_keeps_what_is_there_and_goes_on_later(tmp_path, monkeypatch):
    document, assets = sliding()
    usage = namedtuple("usage", "free")
    free = iter([1 << 40] * 3 + [1 << 10])
    monkeypatch.setattr(films.shutil, "disk_usage", lambda path: usage(next(free)))
    with pytest.raises(CannotWrite, match="full"):
        render_film(document, assets, plan(document), SIZE, FEW, tmp_path / "out")
    assert len(list((tmp_path / "out").glob("*.png"))) == 3
    monkeypatch.undo()
    made = render_film(document, assets, plan(document), SIZE, FEW, tmp_path / "out")
    assert (made.made, made.kept) == (5, 3)


@pytest.mark.parametrize(("name", "coder"), [("a.mp4", "h264"), ("a.webm", "vp9")])
def test_a_movie_is_opened_by_another_reader(tmp_path, name, coder):
    import av

    document, assets = sliding()
    render_film(document, assets, plan(document, 0.0, 0.5), SIZE, FEW, tmp_path / name)
    with av.open(str(tmp_path / name)) as held:
        stream = held.streams.video[0]
        assert stream.codec_context.name.startswith(coder) and float(stream.average_rate) == 8.0
        assert (stream.width, stream.height) == SIZE
    assert len(read_movie(tmp_path / name)) == 4
    assert sorted(p.name for p in tmp_path.iterdir()) == [name]


def test_colours_survive_the_movie_and_odd_sides_are_filled(tmp_path):
    colours = np.array([[0.1, 0.2, 0.7], [0.8, 0.5, 0.1], [1, 1, 1], [0, 0, 0]], np.float32)
    picture = np.repeat(np.repeat(colours[None], 33, 0), 16, 1)[:, :63]
    made = Movie(tmp_path / "a.mp4", (63, 33), 25.0)
    for _ in range(3):
        made.add(picture)
    made.close()
    found = read_movie(tmp_path / "a.mp4")[1]
    assert found.shape == (34, 64, 3)
    for k, colour in enumerate(colours):
        assert found[16, 16 * k + 7] == pytest.approx(255 * colour, abs=5)


def test_a_movie_given_up_leaves_nothing_and_a_missing_coder_says_so(tmp_path, monkeypatch):
    made = Movie(tmp_path / "a.mp4", (32, 24), 25.0)
    made.add(np.zeros((24, 32, 3), np.float32))
    made.give_up()
    assert not list(tmp_path.iterdir())
    monkeypatch.setitem(movie.CODERS, ".mp4", (("no such coder", {}),))
    document, assets = sliding()
    with pytest.raises(BadValue, match="nothing that writes H.264"):
        render_film(document, assets, plan(document), SIZE, FEW, tmp_path / "a.mp4")
    assert not list(tmp_path.iterdir())


def test_the_floor_stays_where_it_is_while_parts_move():
    from aulmo.trace.scene import SceneBuilder
    from aulmo.trace.tracer import exposure_of

    document, assets = sliding()
    document = put(document, "floor/kind", "cove")
    builder = SceneBuilder(assets)
    places = []
    for time in (0.0, 0.5, 1.0):
        scene = builder.build(exposure_of(document, document.shots[0], time))
        places.append(np.array(scene.arrays.matrices)[1])
        assert np.array(scene.arrays.matrices)[0][0, 3] == pytest.approx(40 * time)
    assert (places[0] == places[1]).all() and (places[0] == places[2]).all()


def test_light_that_goes_with_the_product_is_an_orbit_the_other_way_round():
    from tracing import trace

    def seen(target: str, degrees: float, carries: str):
        document, assets = one_part(box_mesh(30.0), Surface(base_color=(0.6, 0.3, 0.1), specular_roughness=0.4))
        document = put(document, "environment/kind", "gradient")
        document, _ = script.add_softbox(document, azimuth=60.0, elevation=20.0, stops=3.0)
        document = edits.put_lamp(document, script.replace(_lamp(), position=(80.0, -60.0, 70.0)))
        document, _ = script.add_motion(document, target, "turntable", length=1.0, degrees=degrees, carries=carries)
        frozen = replace(document, film=replace(document.film))
        moment = Moments(frozen, {"shot": "s"}, 1.0, "c")
        fixed = replace(moment.first, keys={}, motions={})
        frame, _ = trace(fixed, assets, (48, 36), 256)
        return frame.rgb

    still = seen("ball", 35.0, "set")
    product, orbit = seen("ball", 35.0, "product"), seen("c", -35.0, "set")
    together, other = seen("ball", 35.0, "set"), seen("c", -35.0, "camera")
    off = lambda a, b: float(np.abs(a - b).mean() / b.mean())  # noqa: E731
    assert off(product, orbit) < 0.03 and off(together, other) < 0.03
    assert off(product, still) > 0.1


def _lamp():
    from aulmo.document.records import Lamp

    return Lamp("l", "Lamp", kind="sphere", width=20.0, power=200.0)


def test_the_command_makes_goes_on_with_and_refuses(tmp_path, capsys):
    document, assets = sliding()
    project_file.save(document, assets, tmp_path / "p.aulmo")
    words = ["film", str(tmp_path / "p.aulmo"), "--size", "32x24", "--samples", "1", "--raw"]
    assert main([*words, "--frames", "0-2", "--out", str(tmp_path / "out")]) == 0
    assert "3 frames" in capsys.readouterr().out
    assert main([*words, "--from", "0", "--to", "0.5", "--out", str(tmp_path / "out")]) == 0
    assert "1 made" in capsys.readouterr().out
    assert set(json.loads((tmp_path / "out" / "film.json").read_text())["frames"]) == {"0", "1", "2", "3"}
    assert main([*words, "--frames", "1-1", "--file-type", "exr", "--out", str(tmp_path / "exr")]) == 0
    assert (tmp_path / "exr" / "frame-00001.exr").exists()
    for more, told in (
        (["--frames", "5-2"], "FIRST-LAST"), (["--frames", "a"], "no span"), (["--from", "1", "--to", "1"], "ends before"),
        (["--rate", "0"], "frames a second"), (["--out", str(tmp_path / "a.avi")], ".mp4"), (["--out", str(tmp_path / "no" / "a.mp4")], "no folder"),
    ):  # fmt: skip
        capsys.readouterr()
        assert main([*words, "--out", str(tmp_path / "x"), *more]) == 2
        assert told in capsys.readouterr().err


def test_a_still_is_any_moment_of_the_film(tmp_path):
    document, assets = sliding()
    project_file.save(document, assets, tmp_path / "p.aulmo")
    words = ["render", str(tmp_path / "p.aulmo"), "--size", "32x24", "--samples", "2", "--shot", "Shot 1"]
    assert main([*words, "--out", str(tmp_path / "a.png")]) == 0
    assert main([*words, "--at", "1", "--out", str(tmp_path / "b.png")]) == 0
    one, other = (np.asarray(Image.open(tmp_path / n)).astype(int) for n in ("a.png", "b.png"))
    assert np.abs(one - other).max() > 20


@pytest.mark.skipif(os.geteuid() == 0, reason="root may write anywhere")
def test_a_folder_that_cannot_be_written_to_says_so(tmp_path):
    document, assets = sliding()
    tmp_path.chmod(0o500)
    with pytest.raises(CannotWrite):
        render_film(document, assets, plan(document), SIZE, FEW, tmp_path / "out")


@pytest.mark.parametrize("ending", ["gif", "webp"])
def test_a_film_for_mails_plays_in_a_loop_at_its_pace(tmp_path, ending):
    from PIL import Image

    from aulmo.deliver.movie import begin

    out = begin(tmp_path / f"a.{ending}", (40, 30), 24.0)
    for k in range(6):
        picture = np.full((30, 40, 3), 40, np.uint8)
        picture[:, 5 * k : 5 * k + 8] = (220, 40, 30)
        out.add(picture)
    assert sum(out.times()) == 250 and not list(tmp_path.iterdir())
    out.close()
    with Image.open(tmp_path / f"a.{ending}") as image:
        assert image.n_frames == 6 and image.info["loop"] == 0
        seen = []
        for k in range(6):
            image.seek(k)
            seen.append(np.asarray(image.convert("RGB")).astype(int))
        assert abs(int(seen[3][15, 18, 0]) - 220) < 25 and abs(int(seen[3][15, 2, 0]) - 40) < 25
    with pytest.raises(BadValue, match="one size"):
        begin(tmp_path / f"b.{ending}", (40, 30), 24.0).add(np.zeros((10, 10, 3), np.uint8))
