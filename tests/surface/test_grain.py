"""The grain of the shelf: every swatch's nodes hang together, and leave the colour to the artist."""

import numpy as np
import pytest

from aulmo.document.assets import AssetStore
from aulmo.surface import swatches
from aulmo.surface.compiling import compile_program, height_program
from aulmo.surface.grain import GRAIN
from aulmo.surface.program import MULTIPLIED
from aulmo.trace.pattern.programs import ProgramBook


def test_every_grain_belongs_to_a_swatch():
    assert set(GRAIN) <= set(swatches.names())


@pytest.mark.parametrize("name", GRAIN)
def test_every_grain_is_a_sound_program(name):
    material = swatches.material(name)
    assert material.wires and material.nodes
    book = ProgramBook(AssetStore())
    program = compile_program(material, book)
    assert len(program.ops) + len(program.height) + len(program.coat_height) > 0
    assert np.isfinite(program.ops).all() and np.isfinite(program.height).all()
    if "displacement" in material.wires:
        assert len(height_program(material, book))


def test_wood_and_cloth_leave_their_colour_to_choose():
    for name in ("Oiled ash", "Dark walnut", "Varnished beech", "Canvas", "Wool felt", "Slate"):
        assert set(swatches.material(name).wires) - {"height"} <= set(MULTIPLIED), name


def test_two_materials_of_one_swatch_do_not_share_their_wires():
    one, other = swatches.material("Canvas"), swatches.material("Canvas")
    one.wires["height"] = "cloth"
    assert other.wires["height"] == "relief"
