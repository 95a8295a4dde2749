"""Films of full spheres: where things lie while the camera travels, and what the file says of itself to those who play it."""

import struct

import numpy as np
import pytest
from msgspec.structs import replace

from aulmo import script
from aulmo.command.main import main
from aulmo.deliver.film import plan, render_film
from aulmo.deliver.movie import read_movie
from aulmo.deliver.sphere_film import Sphere, boxes, marked, said_of, size_of
from aulmo.document import project_file
from aulmo.document.records import Film, RenderSettings
from aulmo.errors import BadFile, BadValue
from shapes import shining_boxes

FEW = RenderSettings(stop="samples", samples=4, denoise=False)


def turning():
    """Two frames of the shining boxes, whose green one is taken from the right of the camera to its left."""
    document, assets = shining_boxes()
    document = replace(document, frames_per_second=2.0, film=Film(end=1.0, play_end=1.0))
    for time, x in ((0.0, 100.0), (0.5, -100.0)):
        document = script.add_key(document, "parts/right/placement/position/x", time, x, "even")
    return document, assets


def green_column(frame: np.ndarray) -> float:
    mask = (frame[..., 1] > 0.3) & (frame[..., 0] < 0.3)
    return float(np.nonzero(mask)[1].mean())


@pytest.mark.parametrize("layout, size", [("", (128, 64)), ("top-bottom", (128, 128)), ("left-right", (256, 64))])
def test_a_film_shows_all_round_at_each_moment_and_says_so(layout, size, tmp_path):
    document, assets = turning()
    sphere = Sphere(layout, 30.0)
    assert size_of(128, sphere) == size
    out = tmp_path / "round.mp4"
    made = render_film(document, assets, plan(document), size, FEW, out, sphere=sphere)
    assert made.made == 2 and said_of(out) == layout
    first, second = (np.asarray(f, float) / 255.0 for f in read_movie(out))
    assert first.shape == (size[1], size[0], 3)
    aside = 128 * np.degrees(np.arcsin(0.5 * 30.0 / 100.0)) / 360 if layout else 0.0  # what is near is further right for the left eye, all round
    for eye in range(2 if layout else 1):
        part = np.s_[64 * eye : 64 * (eye + 1)] if layout == "top-bottom" else np.s_[:, 128 * eye : 128 * (eye + 1)] if layout else np.s_[:]
        by = -aside if eye else aside
        assert green_column(first[part]) == pytest.approx(95.5 + by, abs=0.7)
        assert green_column(second[part]) == pytest.approx(31.5 + by, abs=0.7)


def test_a_file_that_was_marked_plays_wherever_its_moov_lies(tmp_path):
    document, assets = turning()
    out = tmp_path / "plain.mp4"
    render_film(document, assets, plan(document), (64, 32), FEW, out)
    assert said_of(out) is None
    plain, blob = read_movie(out), out.read_bytes()
    for first in ("moov", "mdat"):
        top = {k: blob[s:e] for k, s, _, e in boxes(blob)}
        had = next(s for k, s, _, _ in boxes(blob) if k == b"mdat")
        order = [k for k in top if k not in (b"moov", b"mdat")] + [first.encode(), b"mdat" if first == "moov" else b"moov"]
        moved = _rechunked(top, order, had)
        (tmp_path / "m.mp4").write_bytes(marked(moved, "top-bottom"))
        assert said_of(tmp_path / "m.mp4") == "top-bottom"
        for one, other in zip(plain, read_movie(tmp_path / "m.mp4"), strict=True):
            np.testing.assert_array_equal(one, other)


def _rechunked(top: dict[bytes, bytes], order: list[bytes], had: int) -> bytes:
    """The file with its boxes in another order, its chunks told where they lie then."""
    now = sum(len(top[k]) for k in order[: order.index(b"mdat")])
    moov = bytearray(top[b"moov"])
    at = moov.index(b"stco") + 8
    for k in range(struct.unpack_from(">I", moov, at)[0]):
        place = at + 4 + 4 * k
        struct.pack_into(">I", moov, place, struct.unpack_from(">I", moov, place)[0] + now - had)
    return b"".join(bytes(moov) if k == b"moov" else top[k] for k in order)


def test_what_cannot_be_filmed_is_said_first(tmp_path):
    document, assets = turning()
    for width, sphere in ((30, Sphere()), (8, Sphere()), (64, Sphere("top-bottom", 0.0)), (64, Sphere("top-bottom", float("nan")))):
        with pytest.raises(BadValue):
            size_of(width, sphere)
    with pytest.raises(BadValue, match="should end in .mp4"):
        render_film(document, assets, plan(document), (64, 32), FEW, tmp_path / "a.webm", sphere=Sphere())
    with pytest.raises(BadFile):
        marked(b"nothing of the kind", "")


def test_the_command_line_films_all_round(tmp_path, capsys):
    document, assets = turning()
    project_file.save(document, assets, tmp_path / "p.aulmo")
    told = ["panorama", str(tmp_path / "p.aulmo"), "--width", "32", "--samples", "1", "--beside", "--out", str(tmp_path / "r.mp4")]
    assert main(told) == 0
    assert "2 full spheres, 64 × 16" in capsys.readouterr().out
    assert said_of(tmp_path / "r.mp4") == "left-right"
