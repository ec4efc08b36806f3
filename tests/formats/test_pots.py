"""Pots as CSV and JSON."""

from __future__ import annotations

import json

import pytest
from hypothesis import given
from hypothesis import strategies as st

from schoon.errors import Refusal
from schoon.formats import pots

names = st.text(st.characters(codec="utf-8", categories=("L", "N", "P")), min_size=1, max_size=20)
colours = st.integers(0, 0xFFFFFF).map(lambda v: f"#{v:06x}")


tones = st.dictionaries(st.sampled_from(pots.TONES), colours, min_size=1)
described = st.builds(
    pots.Pot,
    colours=st.fixed_dictionaries({"Day": colours, "Night": colours}),
    part=st.just("") | names,
    opacity=st.integers(1, 100),
    count=st.none() | st.integers(0, 9999),
    share=st.none() | st.floats(0, 1),
    tones=st.dictionaries(st.sampled_from(["Day", "Night"]), tones),
)


@given(st.dictionaries(names, described, min_size=1, max_size=8))
def test_what_is_written_is_read_again(listed: pots.Pots) -> None:
    assert pots.read("p.csv", pots.write_csv(listed, ["Day", "Night"]).encode()) == listed
    assert pots.read("p.json", pots.write_json(listed, ["Day", "Night"]).encode()) == listed


def test_spaces_marks_and_empty_cells_are_taken_as_meant() -> None:
    body = "\ufeffPot, Day ,Night\n  Rain  coat , #ABCDEF,\n\n".encode()
    assert pots.read("P.CSV", body) == {"Rain coat": pots.Pot({"Day": "#abcdef"})}


@pytest.mark.parametrize(
    ("column", "value", "word"),
    [
        ("opacity", "0", "opacity"),
        ("count", "many", "count"),
        ("share", "1.5", "share"),
        ("Day / shade", "red", "red"),
    ],
)
def test_what_cannot_be_is_refused_by_row_and_word(column: str, value: str, word: str) -> None:
    body = f"pot,{column},Day\nCoat,{value},#ffffff\n".encode()
    with pytest.raises(Refusal, match=rf"pots\.csv: row 2: .*{word}"):
        pots.read("pots.csv", body)


def test_the_json_is_plain_to_other_programs() -> None:
    data = json.loads(pots.write_json({"Coat": pots.Pot({"Day": "#edb21f"})}, ["Day"]))
    assert data == {"keys": ["Day"], "pots": [{"name": "Coat", "colours": {"Day": "#edb21f"}}]}
