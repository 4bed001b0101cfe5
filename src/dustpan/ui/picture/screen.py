"""From working pixels to the screen: how they are shown, then the screen's own colours."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np
from PyQt6.QtGui import QColorSpace, QImage

from dustpan.core.filters.viewing import light_up, see
from dustpan.core.picture.working import from_working

_SRGB = QColorSpace(QColorSpace.NamedColorSpace.SRgb)


@dataclass(frozen=True)
class Appearance:
    """How pixels are shown; a change of the view alone.

    Attributes
    ----------
    see : one of `viewing.SEE`.
    lamp : stops.
    stretch : asinh lift of pictures whose light is linear and dark, 0 to 1.
    """

    see: str = "all"
    lamp: float = 0.0
    stretch: float = 0.0


def read_profile(block: bytes) -> QColorSpace | None:
    """Return the colour space of an ICC profile, or None when there is none that can be used."""
    sound = len(block) > 128 and block[36:40] == b"acsp"  # every profile has its mark there
    profile = QColorSpace.fromIccProfile(block) if sound else QColorSpace()
    return profile if profile.isValid() else None


@dataclass(frozen=True, eq=False)
class Screen:
    """The colour spaces of a picture and of the monitor.

    Attributes
    ----------
    picture, monitor : None is sRGB.
    """

    picture: QColorSpace | None = None
    monitor: QColorSpace | None = None

    def show(self, working: np.ndarray, appearance: Appearance, *, plain: bool = False) -> QImage:
        """Return working pixels (h x w x 3) as an image for the screen.

        With the plain appearance these are the export's own 8 bits.

        Parameters
        ----------
        plain : it shows a measurement: values go to the screen as they are, without lamp and profiles.
        """
        if not plain and (appearance.lamp or appearance.stretch):
            working = light_up(working, lamp=appearance.lamp, stretch=appearance.stretch)
        working = see(working, what=appearance.see)
        eight_bit = np.ascontiguousarray(from_working(working, dtype=np.uint8))
        height, width = eight_bit.shape[:2]
        image = QImage(eight_bit.tobytes(), width, height, 3 * width, QImage.Format.Format_RGB888)
        image = image.convertToFormat(QImage.Format.Format_RGB32)
        return image if plain or appearance.see == "clipped" else self._in_its_colours(image)

    def _in_its_colours(self, image: QImage) -> QImage:
        source, target = self.picture or _SRGB, self.monitor or _SRGB
        if source != target:
            image.setColorSpace(source)
            image.convertToColorSpace(target)
        return image
