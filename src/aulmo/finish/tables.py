"""Grades as tables of colours (.cube) for other programs: what depends on a pixel alone can be told in one."""

import numpy as np

from aulmo.document.finish_records import Finish, Grade
from aulmo.document.property_table import TABLE
from aulmo.errors import BadValue
from aulmo.finish.grading import after_tones, before_tones, by_pixel, lifted, luminance, stops_of
from aulmo.trace.plate import light_of
from aulmo.trace.view import show

SIZE = 33


def by_colour(rgb: np.ndarray, grade: Grade) -> np.ndarray:
    """What a grade does to light by its colour alone; tones without regard for what lies about them."""
    rgb = by_pixel(rgb, before_tones(grade))
    lift = lifted(stops_of(luminance(rgb)), grade.highlights, grade.shadows, grade.whites, grade.blacks, grade.middle)
    return by_pixel(rgb * np.exp2(lift)[..., None].astype(np.float32), after_tones(grade))


def left_out(finish: Finish) -> list[str]:
    """What of a finish no table can hold, in words."""
    found = []
    live = [layer for layer in finish.layers if layer.on]
    if any(layer.kind not in ("grade", "render") for layer in live):
        found.append("layers that are no grades")
    if any(layer.masks for layer in live):
        found.append("masks")
    neutral = Grade()
    grades = [layer.grade for layer in live if layer.kind == "grade"]
    beyond = [name for name, known in TABLE[Grade].items() if known.row.looks_about]
    named = [name for name in beyond if any(getattr(grade, name) != getattr(neutral, name) for grade in grades)]
    return found + [name.replace("_", " ") for name in named]


def cube_of(finish: Finish, view: str, title: str = "Aulmo") -> bytes:
    """A .cube of the whole grades of a finish, for display values as a view gives them. Raises BadValue where there is none."""
    grades = [x for x in finish.layers if x.on and x.kind == "grade" and not x.masks]
    if not grades:
        raise BadValue("There is no grade of the whole picture that a table could hold.")
    axis = np.linspace(0, 1, SIZE, dtype=np.float32)
    blue, green, red = np.meshgrid(axis, axis, axis, indexing="ij")  # red changes fastest in the file
    display = np.stack([red, green, blue], -1).reshape(SIZE * SIZE, SIZE, 3)
    light = light_of(display, view)
    for layer in grades:
        made = by_colour(light, layer.grade)
        light = (light + (made - light) * np.float32(layer.opacity)).astype(np.float32)
    shown = np.clip(show(np.ascontiguousarray(light), 1.0, view, exact=True), 0, 1).reshape(-1, 3)
    head = f'TITLE "{title.replace(chr(34), "")}"\nLUT_3D_SIZE {SIZE}\n'
    return (head + "\n".join(f"{r:.6f} {g:.6f} {b:.6f}" for r, g, b in shown) + "\n").encode()
