"""The figures of a report in words, as the strip shows them."""

from __future__ import annotations

from dataclasses import dataclass

from dustpan.core.judge.harms.texture import FLATTENED
from dustpan.core.judge.report import Report
from dustpan.core.noise.model import DOUBTFUL
from dustpan.core.steps.finding import percent
from dustpan.ui.translation import tr

_SILENT = 0.05  # levels of noise, under which no share of it is given


@dataclass(frozen=True)
class Reading:
    """One line: its name, the figure, a word for it, whether it is harm, and what it means."""

    name: str
    figure: str
    word: str
    harm: bool
    tip: str


def readings_of(report: Report) -> list[Reading]:
    """Return the lines for a report; a figure that the picture doesn't have gives none."""
    found = report.figures
    kept, halo, shift = found["texture_kept"], found["halo"], found["shadow_shift"]
    lines = [
        _noise_left(*report.noise, report.doubt),
        None if kept is None else _texture(kept, FLATTENED.size_in(found) is not None),
        None if halo is None else _halo(halo),
        None if shift is None else _shadows(shift),
        _newly_lost((found["clipped_black"] or 0.0) + (found["clipped_white"] or 0.0)),
    ]
    return [line for line in lines if line is not None]


def _noise_left(before: float, after: float, doubt: float) -> Reading:
    share = percent(after / before) if before > _SILENT else ""
    unsure = doubt > DOUBTFUL and before > _SILENT
    tip = tr(
        "Luminance noise after the route and before it (in the route's own light), in 8-bit levels, averaged over"
        " the whole picture. Under about 1.5 it can't be seen in a print."
    )
    if unsure:
        tip += tr(" This picture has few bare places to measure it in: it may be off by {share}.", share=percent(doubt))
    return Reading(
        tr("Noise left"),
        tr("{after} of {before}", after=_levels(after), before=("≈ " if unsure else "") + _levels(before)),
        share,
        False,
        tip,
    )


def _levels(noise: float) -> str:
    return f"{noise:.1f}" if noise < 99.95 else f"{noise:.0f}"


def _texture(kept: float, flattened: bool) -> Reading:
    word = "flattened" if flattened else "raised" if kept > 1.03 else "kept" if kept > 0.93 else "softer"
    tip = tr(
        "How much of the picture's own fine slopes is still there; 100 % is untouched. Worry under 80 %, or under 80 %"
        " of what stands out of strong noise at all."
    )
    return Reading(tr("Texture"), percent(kept), tr(word), flattened, tip)


def _halo(rim: float) -> Reading:
    word = "none" if rim < 0.01 else "slight" if rim < 0.05 else "visible" if rim < 0.12 else "strong"
    tip = tr("How far the strongest edges overshoot, as a part of their step, where it is worst. Worry from 5 %.")
    return Reading(tr("Halo"), percent(rim), tr(word), rim >= 0.05, tip)


def _shadows(shift: float) -> Reading:
    word = "steady" if abs(shift) < 1 else "darker" if shift < 0 else "lighter"
    tip = tr(
        "Change of lightness in the darks, beside what the Tone steps do. Taking white specks away makes them darker."
    )
    size = f"{shift:+.1f}" if abs(shift) >= 0.05 else "0.0"
    return Reading(tr("Shadows"), f"{size} L*", tr(word), False, tip)


def _newly_lost(lost: float) -> Reading:
    word = "none" if lost < 0.0005 else "little" if lost < 0.002 else "clipped"
    tip = tr("Share of pixels driven to black or white by the route. Worry from 0.2 %.")
    return Reading(tr("Newly lost"), percent(lost), tr(word), lost >= 0.002, tip)
