"""The file format as a JSON schema, with what the records say of their fields: words, units, ranges."""

from typing import Any

import msgspec

from aulmo.document.property_table import RECORDS, TABLE
from aulmo.document.records import Document


def schema() -> dict[str, Any]:
    """The schema of a project's document."""
    made = msgspec.json.schema(Document)
    for record in RECORDS:
        fields = made["$defs"].get(record.__name__, {}).get("properties", {})
        for name, known in TABLE[record].items():
            said = fields[name]
            said["title"] = f"{known.label}, {known.unit}" if known.unit else known.label
            if known.tip:
                said["description"] = known.tip
            if known.kind in ("number", "whole") and said.get("type") in ("number", "integer"):
                said["minimum"], said["maximum"] = known.least, known.most
    return made
