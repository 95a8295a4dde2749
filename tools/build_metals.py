"""Build `src/aulmo/surface/data/metals.json` from published optical constants.

Needs, only at build time: the public-domain (CC0) optical constants database unpacked from the wheel `pyElli`, and the
packages colour-science, pyyaml and scipy. Usage: build_metals.py DATABASE_FOLDER OUT.json
"""

import json
import sys
from pathlib import Path

import colour
import numpy as np
import yaml

WAVELENGTHS = np.arange(380, 781, 10)
METALS = {
    "Aluminium": ("main/Al/nk/Rakic-LD.yml", "Rakic et al. 1998"),
    "Brass": ("other/alloys/Cu-Zn/nk/Querry-Cu70Zn30.yml", "Querry 1985, Cu 70 Zn 30"),
    "Bronze": ("other/alloys/Cu-Zn/nk/Querry-Cu90Zn10.yml", "Querry 1985, Cu 90 Zn 10"),
    "Chromium": ("main/Cr/nk/Johnson.yml", "Johnson and Christy 1974"),
    "Copper": ("main/Cu/nk/Johnson.yml", "Johnson and Christy 1972"),
    "Gold": ("main/Au/nk/Johnson.yml", "Johnson and Christy 1972"),
    "Iron": ("main/Fe/nk/Johnson.yml", "Johnson and Christy 1974"),
    "Nickel": ("main/Ni/nk/Johnson.yml", "Johnson and Christy 1974"),
    "Silver": ("main/Ag/nk/Johnson.yml", "Johnson and Christy 1972"),
    "Stainless steel": ("other/alloys/stainless steel/nk/Karlsson-austenitic.yml", "Karlsson and Ribbing 1982"),
    "Titanium": ("main/Ti/nk/Johnson.yml", "Johnson and Christy 1974"),
}


def constants(path: Path) -> tuple[list[float], list[float]]:
    """n and k at WAVELENGTHS (nm), linear between the table's entries."""
    data = yaml.safe_load(path.read_text())["DATA"]
    table = next(d for d in data if d["type"] == "tabulated nk")["data"]
    rows = np.array([[float(x) for x in line.split()] for line in table.strip().splitlines()])
    microns = WAVELENGTHS / 1000
    return (
        [round(float(x), 5) for x in np.interp(microns, rows[:, 0], rows[:, 1])],
        [round(float(x), 5) for x in np.interp(microns, rows[:, 0], rows[:, 2])],
    )


def main() -> None:
    """Write the file."""
    folder, out = Path(sys.argv[1]), Path(sys.argv[2])
    shape = colour.SpectralShape(380, 780, 10)
    observer = colour.MSDS_CMFS["CIE 1931 2 Degree Standard Observer"].copy().align(shape).values
    light = colour.SDS_ILLUMINANTS["D65"].copy().align(shape).values
    weights = observer * light[:, None] / np.sum(observer[:, 1] * light)
    metals = {name: dict(zip(("n", "k"), constants(folder / p)), source=source) for name, (p, source) in METALS.items()}
    out.write_text(
        json.dumps(
            {
                "about": "Optical constants in the public domain (CC0 1.0); weights are CIE 1931 2 degree under D65.",
                "wavelengths_nm": WAVELENGTHS.tolist(),
                "xyz_weights": [[round(float(x), 8) for x in row] for row in weights],
                "metals": metals,
            }
        )
    )


main()
