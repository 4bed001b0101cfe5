"""What is asked for of a run, the same for every picture."""

from __future__ import annotations

from dataclasses import dataclass, replace
from pathlib import Path

from dustpan.batch.export import Also
from dustpan.core.document.remedy import Remedy
from dustpan.core.document.viewing import Viewing
from dustpan.core.noise.fixed import suited_remedy
from dustpan.core.picture.region import Region, Size
from dustpan.core.picture.source import Source
from dustpan.core.render.finishing import Finish


@dataclass(frozen=True)
class Order:
    """What was asked for, the same for every input; without a remedy a route is proposed for each.

    Attributes
    ----------
    visible : noise that proposals may leave, in units of what can just be seen; else what the remedy was made with.
    size : width and height that outputs are reduced to fit within; else what the remedy wishes.
    viewing : what their last sharpening is for; else what the remedy wishes.
    lift : whether a proposed route may lift dark pictures.
    bare : places that are known to be empty, in px of every picture, where the noise is measured; else those that the
        remedy names.
    shelf : remedies of which a picture gets the one that suits its camera and ISO, in place of `remedy`.
    also : other files that are written of each picture.
    with_original : whether outputs with pages hold the picture as it came as a second one.
    """

    remedy: Remedy | None
    format: str | None
    quality: int
    overwrite: bool
    sources: tuple[Path, ...]
    visible: float | None = None
    size: Size | None = None
    viewing: Viewing | None = None
    lift: bool = False
    bare: tuple[Region, ...] = ()
    shelf: tuple[Remedy, ...] = ()
    also: tuple[Also, ...] = ()
    with_original: bool = False

    def suiting(self, source: Source) -> Order:
        """Return the order for one picture."""
        if not self.shelf:
            return self
        facts = source.metadata
        return replace(self, remedy=suited_remedy(self.shelf, facts.camera, facts.iso), shelf=())

    @property
    def finish(self) -> Finish:
        """The size and viewing asked for, else those that the remedy wishes."""
        wished = Finish(self.remedy.output_size, self.remedy.viewing) if self.remedy else Finish()
        return Finish(self.size or wished.size, self.viewing or wished.viewing)

    @property
    def may_stay(self) -> float:
        """The noise that may stay, as asked for, else as the remedy was made with."""
        made_on = self.remedy.made_on if self.remedy else {}
        return float(made_on.get("visible", 1.0)) if self.visible is None else self.visible
