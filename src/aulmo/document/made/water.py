"""A water surface stirred by wind."""

import math

import numpy as np

from aulmo.document.made.solids import grid
from aulmo.document.meshes import Mesh

GRAVITY = 9.81  # m/s2
STEEPEST = 1.0 / 14.0  # height of the highest waves over their length, half of where they break (Michell 1893)
POINTS_PER_WAVE, MOST_POINTS = 24, 640
FINEST = 12  # the shortest waves are this many times shorter than the longest


def water(width: float, depth: float, wind: float, wave: float, seed: int) -> Mesh:
    """Waves running with the wind along +x, their middle at z = 0; `wave` is the length of the longest in mm, `wind` in m/s.

    A sum of waves with random phases after the spectrum of Phillips 1958, "The equilibrium range in the spectrum of wind-generated waves"
    (J. Fluid Mech. 4), as high as a full sea under that wind (Pierson and Moskowitz 1964: 0.21 v^2/g) unless that would be steeper than waves
    of this length can be. Crests are sharpened by Gerstner's motion (1809).
    """
    columns = int(min(MOST_POINTS, max(48, POINTS_PER_WAVE * width / wave)))
    rows = int(min(MOST_POINTS, max(48, POINTS_PER_WAVE * depth / wave)))
    x, y = np.linspace(-width / 2, width / 2, columns), np.linspace(-depth / 2, depth / 2, rows)
    rest = np.stack(np.meshgrid(x, y, indexing="ij"), -1)
    points = np.concatenate([rest, np.zeros((columns, rows, 1))], -1)
    slope = np.zeros((columns, rows, 2))
    height = min(210.0 * wind * wind / GRAVITY, STEEPEST * wave)
    if height > 0:
        random = np.random.default_rng(seed)
        n = 72
        length = wave / FINEST ** random.random(n)
        angle = np.clip(random.normal(0.0, 0.55, n), -1.4, 1.4)
        k = 2 * math.pi / length
        strength = length**1.5 * np.cos(angle)  # k^-4 spread over even steps of log k: amplitude as k^-3/2
        amplitude = strength * (height / 4) / math.sqrt(0.5 * float((strength**2).sum()))  # a significant height is four deviations
        phase = random.uniform(0, 2 * math.pi, n)
        for a, q, t, p in zip(amplitude, k, angle, phase):
            way = np.array([math.cos(t), math.sin(t)])
            at = q * (rest @ way) + p
            points[..., 2] += a * np.cos(at)
            points[..., :2] -= 0.7 * a * np.sin(at)[..., None] * way
            slope -= (a * q * np.sin(at))[..., None] * way
    normals = np.concatenate([-slope, np.ones((columns, rows, 1))], -1)
    normals /= np.linalg.norm(normals, axis=-1, keepdims=True)
    return grid(points, normals, 0)
