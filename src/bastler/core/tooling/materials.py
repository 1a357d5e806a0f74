"""The table of workpiece materials (``data/materials.toml``)."""

from __future__ import annotations

from collections.abc import Mapping
from functools import lru_cache
from pathlib import Path

from msgspec import Struct, convert

from bastler.core.data import DATA, own_files, table


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
    source: str = "cutting force: tables after Kienzle; speeds and feeds: middle of the usual ranges"


def materials() -> Mapping[str, Material]:
    """All materials by id, the shipped ones first; a file of the user's that can't be read is left out."""
    return _materials(own_files("materials"))


@lru_cache(maxsize=4)
def _materials(own: tuple[tuple[str, int], ...]) -> Mapping[str, Material]:
    """Read anew when one of the user's files has changed, in whatever process."""
    found = {key: Material(id=key, **row) for key, row in table(DATA / "materials.toml").items()}
    for name, _ in own:
        try:
            found |= {key: convert({"id": key, **row}, Material) for key, row in table(Path(name)).items()}
        except (OSError, ValueError, TypeError):
            continue
    return found
