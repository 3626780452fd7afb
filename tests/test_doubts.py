"""Doubts about what was read: ports that are missing between others, and names like no other."""

from __future__ import annotations

import pytest

from inkov.campus import Device, Port
from inkov.campus.doubts import gaps, odd_names, strange_names
from inkov.campus.platform import STANDARD
from tests.campuses import NOWHERE


def device(names: str) -> Device:
    made = Device("a", NOWHERE, STANDARD)
    made.ports = {name: Port(name, NOWHERE) for name in names.split()}
    return made


@pytest.mark.parametrize(
    ("names", "missing"),
    [
        ("p1 p2 p4", ["p3"]),
        ("p07 p08 p10", ["p09"]),
        ("p7 p8 p10", ["p9"]),
        ("p1 p2 p3", []),
        ("p1 p3", []),  # two are no row
        ("p1 p2 p6", ["p3", "p4", "p5"]),  # as many as there are
        ("p1 p2 p7", []),  # more than there are
        ("p1 p2 p4 q1 q2 q4", ["p3", "q3"]),
        ("p60001 p60002 p60004", ["p60003"]),
        ("p1000001 p1000002 p1000004", []),  # a serial number
    ],
)
def test_ports_between_others_are_missed(names: str, missing: list[str]) -> None:
    assert [name for group in gaps(device(names)) for name in group] == missing


@pytest.mark.parametrize(
    ("names", "strange"),
    [
        ("p1 p2 p3 p4 x9", ["x9"]),
        ("p1 p2 p3 x9", []),  # too few to tell what is usual
        ("p1 p2 p3 p4 x9 x8", []),  # two of a kind
        ("p1 p2 p3 p4 console", []),  # no number
    ],
)
def test_a_name_like_no_other_is_strange(names: str, strange: list[str]) -> None:
    assert [port.name for port in strange_names(device(names))] == strange


def test_a_range_that_became_one_port_is_odd() -> None:
    ranges = device("p1 p2 p3-p5 p7..p9 desk-4")
    assert [port.name for port in odd_names(ranges)] == ["p3-p5", "p7..p9"]


def test_names_that_occur_once_make_no_range() -> None:
    assert odd_names(device("bed1 pond1 bed1-pond1")) == []
