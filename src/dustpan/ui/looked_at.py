"""How a picture was looked at (zoom, place, proofs) as plain values, and back."""

from __future__ import annotations

from collections.abc import Callable, Mapping
from typing import Any

from PyQt6.QtCore import QPointF

from dustpan.core.document.forms import is_number
from dustpan.ui.judging.proofs import MOST, Proof, Proofs
from dustpan.ui.picture.canvas import STOPS, Canvas
from dustpan.ui.picture.compare import Compare


class LookedAt:
    """Tell and restore how the open picture is looked at."""

    def __init__(self, canvas: Canvas, proofs: Proofs, compare: Compare):
        self.canvas, self.proofs, self.compare = canvas, proofs, compare

    def keep(self) -> Callable[[], None]:
        """Return what looks at another picture as at this one: zoom, place (in parts of its sides) and comparison."""
        canvas, now = self.canvas, self.compare.now
        zoom, fitted, centre, size = canvas.zoom, canvas.fitted, canvas.centre, canvas.size_px

        def look_again() -> None:
            width, height = canvas.size_px
            self.compare.set(mode=now.mode, horizontal=now.horizontal, gain=now.gain, appearance=now.appearance)
            if not fitted and all(size):
                canvas.look_at(QPointF(centre.x() / size[0] * width, centre.y() / size[1] * height), zoom)

        return look_again

    def values(self) -> dict[str, Any]:
        """Return zoom, the picture's place in the middle, and the proofs, as JSON holds them."""
        centre = self.canvas.centre
        return {
            "fitted": self.canvas.fitted,
            "zoom": self.canvas.zoom,
            "centre": [centre.x(), centre.y()],
            "proofs": [[proof.name, proof.x, proof.y, proof.zoom] for proof in self.proofs.items],
        }

    def restore(self, view: Mapping[str, Any]) -> None:
        """Look at the picture as it was; values that are none are left out."""
        place = [view.get("zoom"), *_listed(view.get("centre"))]
        if not view.get("fitted", True) and len(place) == 3 and all(is_number(value) for value in place):
            zoom, x, y = (float(value) for value in place)
            self.canvas.look_at(QPointF(x, y), min(max(zoom, STOPS[0]), STOPS[-1]))
        width, height = self.canvas.size_px
        proofs = [Proof(*item) for item in _listed(view.get("proofs"))[:MOST] if _is_proof(item)]
        found = [proof for proof in proofs if proof.x <= width and proof.y <= height]
        if found:
            self.proofs.restore(found)


def _listed(value: Any) -> list[Any]:
    return value if isinstance(value, list) else []


def _is_proof(item: Any) -> bool:
    if not (isinstance(item, list) and len(item) == 4 and isinstance(item[0], str) and item[3] in (1, 2)):
        return False
    return all(is_number(side) and side >= 0 for side in item[1:3])
