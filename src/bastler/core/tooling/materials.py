"""The table of workpiece materials (``data/materials.toml``)."""

from __future__ import annotations

import tomllib
from collections.abc import Mapping
from functools import cache

from msgspec import Struct

from bastler.core.data import DATA


class Material(Struct, frozen=True):
    """A workpiece material.

    ``kc11`` N/mm² and ``mc``: specific cutting force (Kienzle); ``density`` kg/dm³; ``vc_*`` m/min by
    tool material; ``fz_mill``, ``f_drill``: feed per tooth or rev as a share of the tool diameter.
    """

    id: str
    name: str
    group: str
    kc11: float
    mc: float
    density: float
    vc_mill: Mapping[str, float]
    vc_drill: Mapping[str, float]
    fz_mill: float
    f_drill: float


@cache
def materials() -> Mapping[str, Material]:
    """All shipped materials by id."""
    text = (DATA / "materials.toml").read_text("utf-8")
    return {key: Material(id=key, **row) for key, row in tomllib.loads(text).items()}
