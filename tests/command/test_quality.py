"""A size, a noise and a time for stills, films and previews, from the command line."""

import pytest
from msgspec.structs import replace
from PIL import Image

from aulmo.command.main import main
from aulmo.deliver.qualities import quality_of, settings_of, size_for
from aulmo.document import project_file
from aulmo.document.records import Quality, RenderSettings, Surface
from aulmo.errors import BadValue
from shapes import one_part, sphere_mesh


@pytest.fixture
def project(tmp_path):
    """A ball in a shot of 80 x 60, whose film and preview have qualities of their own."""
    document, assets = one_part(sphere_mesh(20, 12), Surface())
    own = replace(
        document.render, stop="samples", samples=4, film=Quality(own=True, scale_percent=50.0, stop="samples", samples=2),
        preview=Quality(own=True, scale_percent=25.0, stop="samples", samples=1),
    )  # fmt: skip
    path = tmp_path / "p.aulmo"
    project_file.save(replace(document, render=own), assets, path)
    return path


@pytest.mark.parametrize(("use", "size", "samples"), [("still", (80, 60), 4), ("film", (40, 30), 2), ("preview", (20, 16), 1)])
def test_a_picture_is_made_in_the_quality_that_is_named(project, tmp_path, capsys, use, size, samples):
    out = tmp_path / f"{use}.png"
    assert main(["render", str(project), "--quality", use, "--out", str(out)]) == 0
    assert Image.open(out).size == size and f"{samples} samples" in capsys.readouterr().out


def test_what_the_command_line_says_goes_before_and_a_number_is_that_of_the_file(project, tmp_path, capsys):
    out = tmp_path / "a.jpg"
    assert main(["render", str(project), "--quality", "60", "--size", "32x24", "--out", str(out)]) == 0
    assert Image.open(out).size == (32, 24) and "4 samples" in capsys.readouterr().out
    assert main(["render", str(project), "--quality", "preview", "--samples", "3", "--size", "16x12", "--out", str(out)]) == 0
    assert "3 samples" in capsys.readouterr().out
    with pytest.raises(SystemExit):
        main(["render", str(project), "--quality", "splendid", "--out", str(out)])


def test_without_its_own_a_quality_is_that_of_stills():
    settings = RenderSettings(stop="time", seconds=7.0)
    assert quality_of(settings, "film").seconds == 7.0 and size_for(settings, "film", (81, 61)) == (81, 61)
    assert settings_of(settings, "preview").stop == "samples"
    with pytest.raises(BadValue, match="no quality called"):
        quality_of(settings, "poster")
