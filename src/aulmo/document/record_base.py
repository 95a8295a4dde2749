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


class Record(msgspec.Struct, frozen=True, omit_defaults=True, forbid_unknown_fields=True, gc=False):
    """Base of all records. They never change and so can form no cycles: looking for garbage passes over them, however many there are."""
