"""Values that are neither numbers nor choices: read, refused and written back."""

from __future__ import annotations

import base64
import json
from dataclasses import dataclass

import pytest
from hypothesis import given
from hypothesis import strategies as st

from dustpan.core.document.copying import read_text, write_steps
from dustpan.core.document.forms import AREAS, PICTURE, POINTS, SEEDS, STROKES, TEXT, Embedded, Stroke
from dustpan.core.document.params import Params, param
from dustpan.core.document.remedy import Remedy
from dustpan.core.document.remedy_format import read_remedy, write_remedy
from dustpan.core.document.route import Route, new_step
from dustpan.core.errors import RemedyError
from dustpan.core.steps.quiet.noise_params import NoiseParams

PNG = b"\x89PNG\r\n\x1a\n" + bytes(20)
PLACE = st.floats(0, 1)
PRESSED = st.tuples(PLACE, PLACE, PLACE)
DRAWN = st.builds(
    Stroke,
    st.lists(PRESSED, min_size=1, max_size=5).map(tuple),
    size=PLACE,
    softness=PLACE,
    opacity=PLACE,
    mode=st.sampled_from(("add", "erase")),
)


@given(st.lists(DRAWN, max_size=4))
def test_strokes_come_back_from_json_as_they_were(strokes):
    plain = json.loads(json.dumps(STROKES.plain(tuple(strokes))))
    assert STROKES.fault(plain) is None
    assert STROKES.tidy(plain) == tuple(strokes) == STROKES.tidy(tuple(strokes))


@given(DRAWN, DRAWN)
def test_a_stroke_is_named_by_all_that_it_is(one, other):
    same = (one.points, one.size, one.softness, one.opacity, one.mode) == (
        other.points,
        other.size,
        other.softness,
        other.opacity,
        other.mode,
    )
    assert (one == other) is same and (repr(one) == repr(other)) is same
    left, top, right, bottom = one.bounds
    assert all(left <= x <= right and top <= y <= bottom for x, y, _ in one.points)


@given(st.lists(st.tuples(PLACE, PLACE, st.booleans()), max_size=5), st.lists(st.tuples(PLACE, PLACE), max_size=5))
def test_places_and_clicks_come_back_from_json_as_they_were(seeds, points):
    for form, value in ((SEEDS, tuple(seeds)), (POINTS, tuple(points))):
        plain = json.loads(json.dumps(form.plain(value)))
        assert form.fault(plain) is None and form.tidy(plain) == value


def test_a_click_without_a_word_belongs_and_a_point_without_pressure_is_full():
    assert SEEDS.tidy([[0.1, 0.2]]) == ((0.1, 0.2, True),)
    stroke = STROKES.tidy([{"points": [[0.1, 0.2]]}])[0]
    assert stroke.points == ((0.1, 0.2, 1.0),) and stroke.mode == "add"


def test_a_picture_travels_in_base_64_and_nothing_is_a_picture_too():
    text = base64.b64encode(PNG).decode()
    assert PICTURE.fault(text) is None and PICTURE.tidy(text) == Embedded(PNG)
    assert PICTURE.plain(Embedded(PNG)) == text and PICTURE.tidy("") == Embedded()
    assert Embedded(PNG).key != Embedded().key and hash(Embedded(PNG)) == hash(Embedded(PNG))


WRONG = {
    "a number for places": (POINTS, 3),
    "a place past the picture": (POINTS, [[0.5, 1.5]]),
    "a switch for a place": (POINTS, [[True, 0.5]]),
    "an area without width": (AREAS, [[0.5, 0.1, 0.5, 0.9]]),
    "an area of three sides": (AREAS, [[0.1, 0.1, 0.5]]),
    "an area past the picture": (AREAS, [[0.1, 0.1, 1.5, 0.4]]),
    "a stroke that is a word": (STROKES, ["line"]),
    "an unknown entry": (STROKES, [{"points": [[0, 0]], "colour": "red"}]),
    "a stroke far outside": (STROKES, [{"points": [[7, 0]]}]),
    "too many numbers": (STROKES, [{"points": [[0, 0, 1, 1]]}]),
    "a click that is a number": (SEEDS, [[0.5, 0.5, 1]]),
    "text for a picture": (PICTURE, "not base 64"),
    "another kind of file": (PICTURE, base64.b64encode(b"GIF89a").decode()),
    "a number for text": (TEXT, 5),
    "a very long text": (TEXT, "x" * 201),
}


@pytest.mark.parametrize("what", WRONG)
def test_what_is_wrong_is_told(what):
    form, value = WRONG[what]
    assert "expected" in form.fault(value) or "unknown entry" in form.fault(value)


@dataclass(frozen=True)
class Painted(Params):
    """Settings that only this test knows."""

    strokes: tuple[Stroke, ...] = param("Strokes", (), "Painted.", form=STROKES)
    amount: float = param("Amount", 0.5, "How much.", low=0.0, high=1.0)


def test_places_of_one_picture_are_not_carried_to_others():
    params = NoiseParams(luminance=40.0, bare=((0.1, 0.2, 0.3, 0.4),))
    route = Route((new_step("noise", "noise", params),))
    remedy = Remedy(route, made_on={"picture": "one"})
    read = read_remedy(write_remedy(remedy), where="here")
    assert read.route_for("one") == route and Remedy(route).route_for("two") == route
    assert read.route_for("two").steps[0].params == NoiseParams(luminance=40.0)
    assert read_text(write_steps(*route)).steps[0].params == NoiseParams(luminance=40.0)


def test_settings_with_forms_are_checked_with_all_others():
    with pytest.raises(RemedyError) as told:
        Painted.from_json({"strokes": [{"points": []}], "amount": 3, "size": 1}, where="here")
    assert all(word in str(told.value) for word in ("stroke 1", "'amount' is 3", "unknown parameter 'size'"))
    stroke = {"size": 0.1, "softness": 0.0, "opacity": 1.0, "mode": "erase", "points": [[0.25, 0.5]]}
    params = Painted.from_json({"strokes": [stroke]}, where="here")
    assert params.to_json() == {"strokes": [stroke]} and Painted().to_json() == {}
