"""Contours that tests cut: random closed ones of lines and arcs, open ones, and islands to stand in them."""

from __future__ import annotations

import math

from bastler.core.cycles.base import Pick
from bastler.core.job.document import ContourRecord, ElementRecord


def random_contour(pick: Pick, name: str, at: tuple[float, float], size: float) -> ContourRecord:
    """A closed contour round ``at``, about ``size`` mm across: lines with corners, and arcs that bulge either way."""
    count = int(pick.choice(("3", "4", "5", "6", "8")))
    turn = pick.number(0.0, 1.0)
    points = []
    for k in range(count):
        a, r = math.tau * (k + turn) / count, size / 2 * pick.number(0.55, 1.0)
        points.append((round(at[0] + r * math.cos(a), 3), round(at[1] + r * math.sin(a), 3)))
    elements = []
    for x, y in points[1:] + points[:1]:
        facts = {"x": str(x), "y": str(y)}
        if pick.choice(("line", "line", "arc")) == "arc":
            facts |= {"sweep": str(pick.number(15, 100))}
            elements.append(
                ElementRecord(type="arc", dir="cw" if pick.choice(("cw", "ccw")) == "cw" else "ccw", facts=facts)
            )
        else:
            elements.append(ElementRecord(type="line", facts=facts))
    start = {"start_x": str(points[0][0]), "start_y": str(points[0][1])}
    return ContourRecord(id=f"~{name}", name=name, values=start, elements=tuple(elements))


def open_contour(pick: Pick, at: tuple[float, float]) -> ContourRecord:
    """An open chain of a few lines and arcs across a place."""
    points = [
        (round(at[0] + x + pick.number(-3, 3), 3), round(at[1] + pick.number(-15, 15), 3)) for x in (-30, -10, 10, 30)
    ]
    elements = [ElementRecord(type="line", facts={"x": str(x), "y": str(y)}) for x, y in points[1:]]
    values = {"start_x": str(points[0][0]), "start_y": str(points[0][1]), "closed": "no"}
    return ContourRecord(id="~open", name="open", values=values, elements=tuple(elements))


def circle(name: str, x: float, y: float, diameter: float) -> ContourRecord:
    values = {"shape": "circle", "centre_x": str(x), "centre_y": str(y), "diameter": str(diameter)}
    return ContourRecord(id=f"~{name}", name=name, values=values)


def rectangle(
    name: str, x: float, y: float, length: float, width: float, angle: float = 0.0, corner: str = "1.5"
) -> ContourRecord:
    values = {
        "shape": "rectangle", "centre_x": str(x), "centre_y": str(y), "length": str(length), "width": str(width),
        "corner": corner, "angle": str(angle),
    }  # fmt: skip
    return ContourRecord(id=f"~{name}", name=name, values=values)


def job_contours(pick: Pick, about: tuple[float, float] = (0.0, 40.0), share: float = 1.0) -> tuple[ContourRecord, ...]:
    """An outline, a smooth one, and islands about the middle of a 110 x 80 block whose zero is in front of it; or elsewhere, the large ones a ``share`` of that size."""
    middle = (about[0] + pick.number(-8, 8), about[1] + pick.number(-7, 7))
    return (
        random_contour(pick, "outline", middle, share * pick.number(40, 75)),
        open_contour(pick, middle),
        rectangle(
            "smooth", *middle, share * pick.number(30, 80), share * pick.number(20, 60), pick.number(-90, 90), "6"
        ),
        circle("island round", middle[0] + pick.number(-8, 8), middle[1] + pick.number(-8, 8), pick.number(4, 14)),
        rectangle(
            "island flat",
            middle[0] + pick.number(-12, 12),
            middle[1],
            pick.number(8, 16),
            pick.number(5, 10),
            pick.number(-90, 90),
        ),
    )


class Middling:
    """Picks the middle and the first."""

    def number(self, low: float, high: float) -> float:
        return round((low + high) / 2, 3)

    def choice(self, options: tuple[str, ...]) -> str:
        return options[0]


HALF = ContourRecord(
    id="~half",
    name="half",
    values={"start_x": "0", "start_y": "20", "closed": "no"},
    elements=(ElementRecord(type="line", facts={"x": "30"}),),
)
"""One that lacks facts."""
CONTOURS = (*job_contours(Middling()), HALF)
