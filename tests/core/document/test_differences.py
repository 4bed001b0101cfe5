"""What two routes differ in."""

from __future__ import annotations

from dataclasses import replace

import pytest

from dustpan.core.document.differences import differences
from dustpan.core.document.route import Part, Route, Where, new_step
from dustpan.core.steps import kinds
from dustpan.core.where import part_kinds

MEASURED, SHARPEN = new_step("noise", "n"), new_step("sharpen", "s")
NOISE = replace(MEASURED, params=replace(MEASURED.params, auto=False))
ROUTE = Route((NOISE, SHARPEN))
DARKS = Where((Part("b", "brightness", part_kinds()["brightness"].params_type()),))


def noise(**values) -> Route:
    return Route((replace(NOISE, params=replace(NOISE.params, **values)), SHARPEN))


@pytest.mark.parametrize(
    "other, words",
    [
        (ROUTE, []),
        (Route((NOISE,)), ["without Sharpen"]),
        (Route((*ROUTE, new_step("exposure", "e"))), ["with Exposure"]),
        (Route((SHARPEN, NOISE)), ["in another order"]),
        (noise(luminance=85.0), ["Noise: luminance 60 → 85 %"]),
        (noise(guided=False, engine="thorough"), ["Noise: guided by surfaces off, engine thorough"]),
        (noise(over_tone=(1.0, 0.5, 1.0, 1.0, 1.0)), ["Noise: other luminance over tone"]),
        (noise(auto=True, colour=3.0), ["Noise: as measured"]),
        (
            Route((replace(NOISE, on=False, mix=0.5, blend="luminance_only"), SHARPEN)),
            ["Noise: off, mix 100 → 50 %, blend luminance only"],
        ),
        (Route((replace(NOISE, where=DARKS), SHARPEN)), ["Noise: another where"]),
    ],
)  # fmt: skip
def test_routes_are_told_apart_in_words(other, words):
    assert differences(ROUTE, other) == words


def test_what_follows_the_measurement_has_no_values_of_its_own():
    measured = Route((MEASURED, SHARPEN))
    assert differences(measured, noise(auto=True, luminance=20.0, engine="thorough")) == ["Noise: engine thorough"]
    assert differences(measured, noise(luminance=20.0)) == ["Noise: luminance 20 %"]
    assert differences(measured, ROUTE) == ["Noise: by hand"]


def test_every_number_and_switch_of_every_step_has_words():
    for name in kinds():
        step = new_step(name, "x")
        if hasattr(step.params, "auto"):
            step = replace(step, params=replace(step.params, auto=False))
        for key, described in type(step.params).described().items():
            value = getattr(step.params, key)
            if key == "auto" or described.form or not isinstance(value, bool | int | float):
                continue
            ends = (False, True) if isinstance(value, bool) else described.range
            other = replace(step, params=replace(step.params, **{key: ends[value == ends[0]]}))
            [words] = differences(Route((step,)), Route((other,)))
            assert words.startswith(f"{step.title}: ") and described.label.lower() in words.lower()
