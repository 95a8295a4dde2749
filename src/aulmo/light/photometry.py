"""Measured lamps: ANSI/IES LM-63 files, and what a lamp's figures mean in radiance.

Reads the 1986, 1991, 1995, 2002 and 2019 forms, photometric types A, B and C. Types A and B are turned into the lamp's own angles:
`vertical` from the direction it points in, `horizontal` round that axis.
"""

import math
import re
from typing import NamedTuple

import numpy as np

from aulmo.errors import BadFile
from aulmo.surface.colour import LUMINANCE, XYZ_D65_TO_ACESCG, from_temperature

ROWS, COLUMNS = 181, 361


class Profile(NamedTuple):
    """A lamp as measured: candela (ROWS, COLUMNS) at every degree from its axis and round it, lumens the file names, watts."""

    candela: np.ndarray
    lumens: float
    watts: float

    @property
    def flux(self) -> float:
        """Lumens that the candela add up to over the sphere."""
        return flux_of(self.candela)


def flux_of(candela: np.ndarray) -> float:
    """Lumens of a (ROWS, COLUMNS) table: the integral of candela over solid angle, exact for values linear between the degrees."""
    theta = np.radians(np.arange(ROWS))
    ring = candela[:, :-1].mean(1)
    # weights of a piecewise linear function times the sine
    weights = np.zeros(ROWS)
    h = theta[1] - theta[0]
    low = (np.sin(theta[:-1]) - np.sin(theta[1:])) / h + np.cos(theta[:-1])
    high = (np.sin(theta[1:]) - np.sin(theta[:-1])) / h - np.cos(theta[1:])
    weights[:-1] += low
    weights[1:] += high
    return float(2 * math.pi * (ring * weights).sum())


def read_ies(blob: bytes, name: str) -> Profile:
    """A measured lamp from an LM-63 file. Raises BadFile with one sentence."""
    text = blob.decode("latin-1", "replace")
    lines = text.replace("\r", "\n").split("\n")
    at = next((k for k, line in enumerate(lines) if line.strip().upper().startswith("TILT")), None)
    if at is None:
        raise BadFile(f"{name} is not a photometric file: it has no TILT line.")
    tilt = lines[at].split("=", 1)[-1].strip().upper()
    try:
        numbers = [float(t) for t in re.split(r"[\s,]+", " ".join(lines[at + 1 :]).strip()) if t]
    except ValueError:
        raise BadFile(f"{name} holds something other than numbers after its TILT line.") from None
    if tilt == "INCLUDE":
        if len(numbers) < 2 or not 0 <= numbers[1] <= 1000:
            raise BadFile(f"{name} breaks off within its tilt table.")
        numbers = numbers[2 + 2 * int(numbers[1]) :]
    if len(numbers) < 13:
        raise BadFile(f"{name} breaks off before its photometric data.")
    lamps, per_lamp, factor, n_v, n_h, kind = numbers[0], numbers[1], numbers[2], numbers[3], numbers[4], numbers[5]
    ballast, watts = numbers[10], numbers[12]
    rest = numbers[13:]
    if not (1 <= n_v <= 2000 and 1 <= n_h <= 2000 and n_v == int(n_v) and n_h == int(n_h)):
        raise BadFile(f"{name} names {n_v:g} by {n_h:g} angles, which cannot be.")
    n_v, n_h = int(n_v), int(n_h)
    if len(rest) < n_v + n_h + n_v * n_h:
        raise BadFile(f"{name} breaks off: {n_v * n_h} candela values are named and {max(0, len(rest) - n_v - n_h)} are there.")
    if kind not in (1, 2, 3):
        raise BadFile(f"{name} is of photometric type {kind:g}; there are 1 (C), 2 (B) and 3 (A).")
    vertical, horizontal = np.array(rest[:n_v]), np.array(rest[n_v : n_v + n_h])
    table = np.array(rest[n_v + n_h : n_v + n_h + n_v * n_h]).reshape(n_h, n_v) * factor * ballast
    if (np.diff(vertical) <= 0).any() or (np.diff(horizontal) <= 0).any() or not np.isfinite(table).all() or (table < 0).any():
        raise BadFile(f"{name} holds angles that do not grow or candela below zero.")
    if table.max() <= 0:
        raise BadFile(f"{name} describes a lamp that gives no light.")
    grid = _type_c(vertical, horizontal, table) if kind == 1 else _type_ab(vertical, horizontal, table, int(kind))
    return Profile(grid.astype(np.float32), lamps * per_lamp if per_lamp > 0 else -1.0, watts)


def _mirrored(horizontal: np.ndarray, table: np.ndarray) -> tuple[np.ndarray, np.ndarray]:
    """Type C planes over the full turn from what the file gives: one plane, a quarter, a half or all."""
    last = horizontal[-1]
    if len(horizontal) == 1:
        return np.array([0.0, 360.0]), np.repeat(table, 2, 0)
    if horizontal[0] == 0.0 and last == 90.0:
        horizontal = np.concatenate([horizontal, 180.0 - horizontal[-2::-1]])
        table = np.concatenate([table, table[-2::-1]])
        last = 180.0
    elif horizontal[0] == 90.0 and last == 270.0:
        horizontal = np.concatenate([horizontal, 540.0 - horizontal[-2::-1]]) - 0.0
        table = np.concatenate([table, table[-2::-1]])
        return horizontal, table
    if horizontal[0] == 0.0 and last == 180.0:
        horizontal = np.concatenate([horizontal, 360.0 - horizontal[-2::-1]])
        table = np.concatenate([table, table[-2::-1]])
        last = 360.0
    if last < 360.0:  # closed round
        horizontal = np.concatenate([horizontal, [horizontal[0] + 360.0]])
        table = np.concatenate([table, table[:1]])
    return horizontal, table


def _bilinear(vertical, horizontal, table, v, h) -> np.ndarray:
    """Candela at angles; zero beyond the vertical angles that were measured."""
    i = np.clip(np.searchsorted(vertical, v, "right") - 1, 0, max(0, len(vertical) - 2))
    j = np.clip(np.searchsorted(horizontal, h, "right") - 1, 0, max(0, len(horizontal) - 2))
    i1, j1 = np.minimum(i + 1, len(vertical) - 1), np.minimum(j + 1, len(horizontal) - 1)
    f = np.clip((v - vertical[i]) / np.maximum(1e-9, vertical[i1] - vertical[i]), 0, 1)
    g = np.clip((h - horizontal[j]) / np.maximum(1e-9, horizontal[j1] - horizontal[j]), 0, 1)
    value = (1 - g) * ((1 - f) * table[j, i] + f * table[j, i1]) + g * ((1 - f) * table[j1, i] + f * table[j1, i1])
    return np.where((v < vertical[0] - 1e-6) | (v > vertical[-1] + 1e-6), 0.0, value)


def _type_c(vertical, horizontal, table) -> np.ndarray:
    v, h = np.meshgrid(np.arange(ROWS, dtype=float), np.arange(COLUMNS, dtype=float), indexing="ij")
    horizontal, table = _mirrored(horizontal, table)
    h = (h - horizontal[0]) % 360.0 + horizontal[0]
    return _bilinear(vertical, horizontal, table, v, h)


def _type_ab(vertical, horizontal, table, kind: int) -> np.ndarray:
    """Types A (3) and B (2): angles from the aim, about a vertical (A) or a horizontal (B) axis, one side mirrored when only one is given."""
    theta, phi = np.meshgrid(np.radians(np.arange(ROWS)), np.radians(np.arange(COLUMNS)), indexing="ij")
    forward, across, up = np.cos(theta), np.sin(theta) * np.cos(phi), np.sin(theta) * np.sin(phi)
    if kind == 3:
        v, h = np.degrees(np.arcsin(np.clip(up, -1, 1))), np.degrees(np.arctan2(across, forward))
    else:
        h, v = np.degrees(np.arcsin(np.clip(across, -1, 1))), np.degrees(np.arctan2(up, forward))
    if horizontal[0] >= 0.0:
        h = np.abs(h)
    if vertical[0] >= 0.0:
        v = np.abs(v)
    inside = (h >= horizontal[0] - 1e-6) & (h <= horizontal[-1] + 1e-6)
    return np.where(inside, _bilinear(vertical, horizontal, table, v, h), 0.0)


def tint(kelvin: float, colour: tuple) -> np.ndarray:
    """(3,) ACEScg of luminance one for light of a colour temperature, seen through a filter of a colour (which dims it).

    Below 4000 K the light of a glowing body; above 5000 K daylight (CIE 15, D series), as which 6500 K is white; between, from one to the
    other.
    """
    glowing = np.array(from_temperature(kelvin))
    if kelvin <= 4000.0:
        return glowing * np.array(colour)
    t = 1000.0 / kelvin
    if kelvin <= 7000.0:
        x = -4.6070 * t**3 + 2.9678 * t**2 + 0.09911 * t + 0.244063
    else:
        x = -2.0064 * t**3 + 1.9018 * t**2 + 0.24748 * t + 0.237040
    y = -3.0 * x * x + 2.870 * x - 0.275
    day = np.maximum(XYZ_D65_TO_ACESCG @ np.array([x / y, 1.0, (1 - x - y) / y]), 0.0)
    day /= LUMINANCE @ day
    share = min(1.0, (kelvin - 4000.0) / 1000.0)
    return (glowing + share * (day - glowing)) * np.array(colour)
