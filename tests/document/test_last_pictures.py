"""How shots were seen last is kept with a project, small and dated."""

import io
import time
from zipfile import ZipFile

import numpy as np
from msgspec.structs import replace
from PIL import Image

from aulmo.document import project_file
from aulmo.document.last_pictures import LARGEST, LARGEST_TOGETHER, LONGEST, LastPictures
from aulmo.document.records import Shot
from shapes import one_part, sphere_mesh


def noise(seed: int, size=(900, 1400)) -> np.ndarray:
    return np.random.default_rng(seed).integers(0, 256, (*size, 3), dtype=np.uint8)


def with_shots(count: int):
    document, assets = one_part(sphere_mesh(20))
    return replace(document, shots=tuple(Shot(f"s{k}", f"Shot {k}", camera="c") for k in range(count))), assets


def test_a_project_opens_on_what_it_showed_last(tmp_path):
    document, assets = with_shots(2)
    red = np.zeros((300, 400, 3), np.uint8)
    red[..., 0] = 200
    assets.last_pictures.note("s1", red)
    path = tmp_path / "p.aulmo"
    project_file.save(document, assets, path)
    _document, again = project_file.load(path)
    seen = again.last_pictures.of("s1")
    assert again.last_pictures.of("s0") is None and abs(seen.at - time.time()) < 60
    image = np.asarray(Image.open(io.BytesIO(seen.jpeg)))
    assert image.shape == (300, 400, 3) and abs(int(image[150, 200, 0]) - 200) < 8
    assert project_file.read_thumbnail(path) == seen.jpeg
    project_file.save(_document, again, path)  # and keeps it when nothing was shown
    assert project_file.load(path)[1].last_pictures.of("s1") == seen


def test_pictures_stay_small_and_the_newest_are_kept(tmp_path):
    document, assets = with_shots(9)
    for k in range(9):
        assets.last_pictures.note(f"s{k}", noise(k))
        time.sleep(0.002)
    project_file.save(document, assets, tmp_path / "p.aulmo")
    with ZipFile(tmp_path / "p.aulmo") as archive:
        pictures = [m for m in archive.infolist() if m.filename.startswith("pictures/") and m.filename.endswith(".jpg")]
    assert pictures and sum(p.file_size for p in pictures) <= LARGEST_TOGETHER and max(p.file_size for p in pictures) <= LARGEST
    kept = project_file.load(tmp_path / "p.aulmo")[1].last_pictures
    assert kept.of("s8") is not None and kept.of("s0") is None
    assert max(Image.open(io.BytesIO(kept.of("s8").jpeg)).size) <= LONGEST


def test_a_picture_does_not_make_a_project_another_one(tmp_path):
    document, assets = with_shots(1)
    path = tmp_path / "p.aulmo"
    project_file.save(document, assets, path)
    before = project_file.stamp_of(path)
    assets.last_pictures.note("s0", noise(1, (60, 80)))
    project_file.save(document, assets, path)
    assert project_file.stamp_of(path) == before


def test_damaged_pictures_are_left_out():
    for listed in (b"rubbish", b'[{"shot": "s", "file": "../../etc/passwd"}]', b'[{"shot": "s", "file": "pictures/9.jpg"}]'):
        file = io.BytesIO()
        with ZipFile(file, "w") as archive:
            archive.writestr("pictures/pictures.json", listed)
        seen = LastPictures()
        seen.read(ZipFile(file))
        assert seen.of("s") is None
