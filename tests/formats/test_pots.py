"""Pots as CSV and JSON."""

from __future__ import annotations

import json

from hypothesis import given
from hypothesis import strategies as st

from schoon.formats import pots

names = st.text(st.characters(codec="utf-8", categories=("L", "N", "P")), min_size=1, max_size=20)
colours = st.integers(0, 0xFFFFFF).map(lambda v: f"#{v:06x}")


@given(
    st.dictionaries(names, st.fixed_dictionaries({"Day": colours, "Night": colours}), min_size=1, max_size=8)
)
def test_what_is_written_is_read_again(listed: pots.Pots) -> None:
    assert pots.read("p.csv", pots.write_csv(listed, ["Day", "Night"]).encode()) == listed
    assert pots.read("p.json", pots.write_json(listed, ["Day", "Night"]).encode()) == listed


def test_spaces_marks_and_empty_cells_are_taken_as_meant() -> None:
    body = "\ufeffPot, Day ,Night\n  Rain  coat , #ABCDEF,\n\n".encode()
    assert pots.read("P.CSV", body) == {"Rain coat": {"Day": "#abcdef"}}


def test_the_json_is_plain_to_other_programs() -> None:
    data = json.loads(pots.write_json({"Coat": {"Day": "#edb21f"}}, ["Day"]))
    assert data == {"keys": ["Day"], "pots": [{"name": "Coat", "colours": {"Day": "#edb21f"}}]}
