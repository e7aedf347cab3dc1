import pytest
from hypothesis import given
from hypothesis import strategies as st

from silhueta.core.errors import UnitsError
from silhueta.core.units import format_area, format_length, parse_area, parse_length


@pytest.mark.parametrize(
    ("text", "mm"),
    [
        ("86.5", 86.5),
        ("86,5", 86.5),
        ("86.5 mm", 86.5),
        (" 86.5mm ", 86.5),
        (".5", 0.5),
        ("12 cm", 120.0),
        ("1.4 m", 1400.0),
        ("2 ft", 609.6),
        ("3.4 in", 86.36),
        ("3.4in", 86.36),
        ('3 3/8"', 85.725),
        ("3-3/8 in", 85.725),
        ("3 - 3/8 inch", 85.725),
        ("3/8 in", 9.525),
        ("7in", 177.8),
        ("1 INCH", 25.4),
    ],
)
def test_lengths_as_people_type_them(text, mm):
    assert parse_length(text) == pytest.approx(mm, rel=1e-12)


def test_a_bare_number_takes_the_unit_on_screen():
    assert parse_length("2", "in") == pytest.approx(50.8)
    assert parse_length("2 mm", "in") == 2.0


@pytest.mark.parametrize(
    ("text", "says"),
    [
        ("abc", "not a length"),
        ("", "not a length"),
        ("12 furlongs", "not a length"),
        ("1e400", "not a length"),
        ("nan", "not a length"),
        ("-5 mm", "negative"),
        ("−5", "negative"),
        ("0", "zero"),
        ("0.0 in", "zero"),
        ("3/0 in", "divides by zero"),
        ("5000 m", "kilometre"),
    ],
)
def test_nonsense_lengths_say_what_is_wrong(text, says):
    with pytest.raises(UnitsError, match=says):
        parse_length(text)


@given(st.text(max_size=60))
def test_any_text_is_a_length_above_zero_or_is_refused(text):
    try:
        assert 0 < parse_length(text) <= 1e6
    except UnitsError as error:
        assert "\n" not in str(error).strip() or "\n" in text


@given(st.floats(0.01, 9e5))
def test_what_is_shown_can_be_typed_again(mm):
    assert parse_length(format_length(mm, "mm").replace(",", "")) == pytest.approx(mm, abs=0.0051)


@pytest.mark.parametrize(
    ("text", "mm2"), [("2mm2", 2.0), ("2 mm²", 2.0), ("2", 2.0), ("0", 0.0), ("0.01 in2", 6.4516)]
)
def test_areas(text, mm2):
    assert parse_area(text) == pytest.approx(mm2)


@pytest.mark.parametrize("text", ["-1", "x", "2 mm", "2 mm3"])
def test_nonsense_areas_are_refused(text):
    with pytest.raises(UnitsError):
        parse_area(text)


def test_shown_lengths_name_their_unit_and_never_a_minus_zero():
    assert format_length(25.4, "in") == "1.000 in"
    assert format_length(1234.567) == "1,234.57 mm"
    assert format_length(-0.001) == "0.00 mm"


@given(st.floats(1e-3, 1e6), st.sampled_from(["mm", "in"]))
def test_an_area_field_reads_what_it_shows(mm2, unit):
    shown = format_area(mm2, unit)
    assert parse_area(shown, unit) == pytest.approx(mm2, rel=6e-3)
    assert parse_area(shown.split()[0], unit) == pytest.approx(mm2, rel=6e-3)


def test_areas_are_said_to_three_digits_in_the_unit_on_screen():
    assert format_area(1290.32, "in") == "2 in²"
    assert format_area(0.6452, "in") == "0.001 in²"
    assert format_area(1234.0) == "1230 mm²"
    assert format_area(0.0) == "0 mm²"
    assert format_area(12.5, "mm", 0) == "12 mm²"
