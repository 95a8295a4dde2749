"""What all records stand on: their base, triples, and the names by which one points at another."""

from typing import Annotated

import msgspec

Triple = tuple[float, float, float]
Pair = tuple[float, float]
# What a property's value can be; whole numbers may be written as numbers
Value = float | bool | str | Triple | None


def _refers(kind: str, unless: str = "") -> msgspec.Meta:
    return msgspec.Meta(extra={"refers_to": kind, "unless": unless})


# Names that point at something else: what a project must hold is found by these alone (see `properties.references`)
AssetName = Annotated[str, _refers("assets")]
EnvironmentName = Annotated[str, _refers("assets", unless="shipped")]
PartId = Annotated[str, _refers("parts")]
MaterialId = Annotated[str, _refers("materials")]
CameraId = Annotated[str, _refers("cameras")]
PathId = Annotated[str, _refers("paths")]
DecalId = Annotated[str, _refers("decals")]
ColourId = Annotated[str, _refers("colours")]


def within(least: float, most: float) -> msgspec.Meta:
    """The range of a number, where `property_table` has none for it: in a list, or in what no field shows. Whatever is read keeps to it; a test
    sees to it that no number is without a range."""
    return msgspec.Meta(ge=least, le=most)


FAR = 1e8  # mm: farther away there is nothing
Place = Annotated[float, within(-FAR, FAR)]  # in mm, or in pixels of a photograph
Point = tuple[Place, Place, Place]
Mark = tuple[Place, Place]
Share = Annotated[float, within(-1000.0, 1000.0)]  # of a picture's side, of a way, of a tone
Shares = tuple[Share, Share]
Second = Annotated[float, within(-1e6, 1e6)]
FaceNumber = Annotated[int, within(0, 10_000_000)]


class Record(msgspec.Struct, frozen=True, omit_defaults=True, forbid_unknown_fields=True, gc=False):
    """Base of all records. They never change and so can form no cycles: looking for garbage passes over them, however many there are."""


class Follow(Record):
    """What of a record follows a colour of the project: the address `at` within it."""

    at: str
    colour: ColourId
