"""Feature channels of a rendered picture: what its surfaces are, free of light and of most noise."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass

import numpy as np

from dustpan.core.picture.region import Region

#: Differences beyond which pixels show another surface; of depth as a share of the distance.
OTHER_SURFACE = {"albedo": 0.25, "normal": 0.5, "depth": 0.1}

_NAMES = {"albedo": ("albedo",), "normal": ("normal", "normals", "n"), "depth": ("depth", "z")}
_ORDER = "rgbxyz"  # of the channels of a group


@dataclass(frozen=True, eq=False)
class Features:
    """Feature channels, those that the file has.

    Attributes
    ----------
    albedo : H x W x 3, share of the light that a surface sends back, 0 to 1; or None.
    normal : H x W x 3, -1 to 1; or None.
    depth : H x W x 1, distance in any unit; or None.
    """

    albedo: np.ndarray | None = None
    normal: np.ndarray | None = None
    depth: np.ndarray | None = None

    @classmethod
    def of(cls, layers: Mapping[str, np.ndarray], shape: tuple[int, int]) -> Features | None:
        """Return the feature channels among a picture's other planes, or None when there are none.

        Parameters
        ----------
        layers : planes by name, as "albedo.R", "normal.X", "depth.Z" or "Z".
        shape : height and width of the picture; planes of another size are left out.
        """
        groups: dict[str, dict[str, np.ndarray]] = {}
        for name, plane in layers.items():
            group, _, channel = name.lower().rpartition(".")
            what = next((kind for kind, names in _NAMES.items() if (group or channel) in names), None)
            if what and plane.shape == shape:
                groups.setdefault(what, {})[channel] = plane
        found = {what: _stacked(planes, 1 if what == "depth" else 3) for what, planes in groups.items()}
        return cls(**found) if any(planes is not None for planes in found.values()) else None

    def surface(self, region: Region, *, albedo: float, normal: float, depth: float) -> np.ndarray:
        """Return (k, h, w) channels of a region, scaled so that a difference of 1 is another surface.

        Parameters
        ----------
        albedo, normal : differences that make another surface.
        depth : the same, as a share of the distance.
        """
        x0, y0, x1, y1 = region
        parts: list[np.ndarray] = [np.zeros((0, y1 - y0, x1 - x0), np.float32)]
        for plane, scale in ((self.albedo, albedo), (self.normal, normal)):
            if plane is not None:
                parts.append(plane[y0:y1, x0:x1].transpose(2, 0, 1) / np.float32(scale))
        if self.depth is not None:
            distance = np.maximum(self.depth[y0:y1, x0:x1].transpose(2, 0, 1), 1e-6)
            parts.append(np.log(distance) / np.float32(depth))
        return np.concatenate(parts, dtype=np.float32)

    @property
    def planes(self) -> list[np.ndarray]:
        """The channels that there are."""
        return [plane for plane in (self.albedo, self.normal, self.depth) if plane is not None]


def _stacked(planes: Mapping[str, np.ndarray], count: int) -> np.ndarray | None:
    """Return the channels of a group in their order, without infinite values, or None when some are missing."""
    names = sorted(planes, key=lambda name: (_ORDER.find(name), name))[:count]
    if len(names) < count:
        return None
    return np.nan_to_num(
        np.stack([planes[name] for name in names], axis=-1).astype(np.float32), posinf=1e6, neginf=-1e6
    )
