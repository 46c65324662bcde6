"""Names of what a record holds, whichever way it was declared.

Records inside the program are `msgspec.Struct`: made and changed often, and declared in a thirtieth of the
time (there are some 170 of them, read at every start). A requirement is made of standard dataclasses, which
check themselves whenever they are made and which the schema library reads.
"""

import dataclasses
from typing import Any

from msgspec import Struct


def field_names(x: Any) -> tuple[str, ...] | None:
    """Names of the fields of a record, in order; None for anything else."""
    if isinstance(x, Struct):
        return x.__struct_fields__
    return tuple(x.__dataclass_fields__) if dataclasses.is_dataclass(x) and not isinstance(x, type) else None
