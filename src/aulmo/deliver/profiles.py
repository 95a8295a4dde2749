"""Colour profiles (ICC.1:2010, version 4.3: matrix and curves) for the files that pictures are written to, and display values in their colours."""

import functools
import struct
from typing import NamedTuple

import numpy as np

from aulmo.surface.colour import decode_srgb, encode_srgb

D50 = np.array([0.9642, 1.0, 0.8249])  # the white of a profile's connection space
BRADFORD = np.array([[0.8951, 0.2664, -0.1614], [-0.7502, 1.7135, 0.0367], [0.0389, -0.0685, 1.0296]])


class Space(NamedTuple):
    """A colour space: its name, chromaticities of red, green, blue and white (CIE 1931 x, y), and whether its numbers are light itself."""

    name: str
    red: tuple[float, float]
    green: tuple[float, float]
    blue: tuple[float, float]
    white: tuple[float, float]
    linear: bool = False


SPACES = {
    "sRGB": Space("sRGB", (0.64, 0.33), (0.30, 0.60), (0.15, 0.06), (0.3127, 0.3290)),  # IEC 61966-2-1
    "Display P3": Space("Display P3", (0.680, 0.320), (0.265, 0.690), (0.150, 0.060), (0.3127, 0.3290)),  # SMPTE EG 432-1, with the curve of sRGB
    "ACEScg": Space("ACEScg", (0.713, 0.293), (0.165, 0.830), (0.128, 0.044), (0.32168, 0.33767), True),  # S-2014-004
}


def _xyz(point: tuple[float, float]) -> np.ndarray:
    x, y = point
    return np.array([x / y, 1.0, (1 - x - y) / y])


def to_xyz(space: Space) -> np.ndarray:
    """(3, 3) from the light of a space to CIE XYZ under its own white (SMPTE RP 177)."""
    primaries = np.stack([_xyz(p) for p in (space.red, space.green, space.blue)], 1)
    return primaries * np.linalg.solve(primaries, _xyz(space.white))


def adapted(white: np.ndarray, other: np.ndarray) -> np.ndarray:
    """(3, 3) of XYZ from under one white to under another (Bradford)."""
    return np.linalg.inv(BRADFORD) @ np.diag((BRADFORD @ other) / (BRADFORD @ white)) @ BRADFORD


def in_space(display: np.ndarray, name: str) -> np.ndarray:
    """(..., 3) display values of sRGB as those of another space that is encoded with the same curve; all of sRGB's colours lie within it."""
    if name == "sRGB":
        return display
    matrix = np.linalg.inv(to_xyz(SPACES[name])) @ to_xyz(SPACES["sRGB"])
    return np.asarray(encode_srgb(np.clip(decode_srgb(display) @ matrix.T, 0, 1)), np.float32)


def _fixed(values: np.ndarray) -> bytes:
    return b"".join(struct.pack(">i", round(float(v) * 65536)) for v in np.asarray(values).ravel())


def _text(words: str) -> bytes:
    told = words.encode("utf-16-be")
    return b"mluc" + struct.pack(">IIIHHII", 0, 1, 12, 0x656E, 0x5553, len(told), 28) + told


@functools.cache
def profile(name: str) -> bytes:
    """The ICC profile of a space."""
    space = SPACES[name]
    chad = adapted(_xyz(space.white), D50)
    matrix = chad @ to_xyz(space)
    xyz = lambda value: b"XYZ " + bytes(4) + _fixed(value)  # noqa: E731
    if space.linear:
        curve = b"curv" + struct.pack(">II", 0, 0)
    else:  # the curve of sRGB as the standard's function of type 3: (a x + b)^g above d, c x below
        curve = b"para" + struct.pack(">IHH", 0, 3, 0) + _fixed(np.array([2.4, 1 / 1.055, 0.055 / 1.055, 1 / 12.92, 0.04045]))
    tags = {
        b"desc": _text(space.name), b"cprt": _text("No copyright, use freely"), b"wtpt": xyz(D50), b"chad": b"sf32" + bytes(4) + _fixed(chad),
        b"rXYZ": xyz(matrix[:, 0]), b"gXYZ": xyz(matrix[:, 1]), b"bXYZ": xyz(matrix[:, 2]), b"rTRC": curve, b"gTRC": curve, b"bTRC": curve,
    }  # fmt: skip
    table, body, places = struct.pack(">I", len(tags)), b"", {}
    start = 128 + 4 + 12 * len(tags)
    for tag, data in tags.items():
        if data not in places:
            places[data] = start + len(body)
            body += data + bytes(-len(data) % 4)
        table += tag + struct.pack(">II", places[data], len(data))
    whole = 128 + len(table) + len(body)
    head = struct.pack(">I4sI4s4s4s", whole, b"none", 0x04300000, b"mntr", b"RGB ", b"XYZ ") + struct.pack(">6H", 2026, 1, 1, 0, 0, 0) + b"acsp"
    head += bytes(4 + 4 + 4 + 4 + 8 + 4) + _fixed(D50) + b"none" + bytes(16) + bytes(28)
    return head + table + body
