"""A grey picture as a mask."""

from __future__ import annotations

from dataclasses import dataclass
from functools import lru_cache

import cv2
import numpy as np

from dustpan.core.document.forms import NOTHING, PICTURE, Embedded
from dustpan.core.document.params import Params, param
from dustpan.core.filters.planes import sample_plane
from dustpan.core.where.part_kind import DrawnKind, pull


@dataclass(frozen=True)
class ImageParams(Params):
    """Settings of a picture used as a mask."""

    picture: Embedded = param(
        "Picture",
        NOTHING,
        "White is covered, black is not; it is stretched over the picture.",
        form=PICTURE,
        widget="picture",
    )
    pull: float = pull()


class Image(DrawnKind):
    """Cover what is white in a grey picture."""

    kind = "image"
    order = 40
    label = "Picture"
    help = "A grey picture, stretched over this one: white is covered."
    params_type = ImageParams

    def draw(self, region, params, size):
        """Return the picture's values, linear between its pixels; nothing where there is no picture."""
        plane = _plane(params.picture)
        extent = (region[0] / size[0], region[1] / size[1], region[2] / size[0], region[3] / size[1])
        return sample_plane(plane, extent, (region[3] - region[1], region[2] - region[0])).astype(np.float32)


@lru_cache(maxsize=8)
def _plane(picture: Embedded) -> np.ndarray:
    stored = cv2.imdecode(np.frombuffer(picture.data, np.uint8), cv2.IMREAD_UNCHANGED) if picture.data else None
    if stored is None:
        return np.zeros((1, 1), np.float32)
    plane = stored if stored.ndim == 2 else stored[..., :3].mean(axis=2)
    return (plane / (65535 if stored.dtype == np.uint16 else 255)).astype(np.float32)


KIND = Image()
