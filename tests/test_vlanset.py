"""VID sets against Python's own sets, and the list grammar."""

from __future__ import annotations

import pytest
from hypothesis import given
from hypothesis import strategies as st

from inkov.vlanset import VlanListError, VlanSet

VIDS = st.integers(1, 4094)
RANGES = st.lists(st.tuples(VIDS, st.integers(0, 300)), max_size=8).map(
    lambda runs: {v for low, n in runs for v in range(low, min(low + n, 4094) + 1)}
)
SETS = st.one_of(st.sets(VIDS, max_size=40), RANGES, RANGES.map(lambda s: set(range(1, 4095)) - s))


@given(SETS, SETS)
def test_behaves_like_a_set(a: set[int], b: set[int]) -> None:
    x, y = VlanSet.from_vids(a), VlanSet.from_vids(b)
    assert (set(x | y), set(x & y), set(x - y), set(x ^ y)) == (a | b, a & b, a - b, a ^ b)
    assert set(~x) == set(range(1, 4095)) - a
    assert (len(x), bool(x), x == y, x <= y) == (len(a), bool(a), a == b, a <= b)
    assert list(x) == sorted(a)
    assert hash(x) == hash(VlanSet.from_vids(sorted(a, reverse=True)))
    assert all((vid in x) == (vid in a) for vid in (0, 1, 2, 4094, 4095, -1, *list(b)[:5]))


@given(SETS)
def test_what_is_printed_reads_back(vids: set[int]) -> None:
    assert set(VlanSet.parse(str(VlanSet.from_vids(vids)))) == vids


def test_of_sayings_of_one_length_the_list_is_printed() -> None:
    """15 characters, as `all but 1,3,100` has."""
    assert str(VlanSet.all() - VlanSet.of(1, 3, 100)) == "2,4-99,101-4094"


@given(SETS)
def test_the_shorter_saying_is_printed(vids: set[int]) -> None:
    said = str(VlanSet.from_vids(vids))
    other = str(VlanSet.from_vids(set(range(1, 4095)) - vids))
    plain = other.removeprefix("all but ")
    if said.startswith("all but "):
        assert len(said) < len(
            ",".join(f"{a}-{b}" if a != b else f"{a}" for a, b in VlanSet.from_vids(vids).ranges())
        )
    elif said not in ("all", "none") and not other.startswith("all but "):
        assert len(said) <= len(f"all but {plain}")


@pytest.mark.parametrize(
    ("text", "vids"),
    [
        ("10", {10}),
        ("10,20-22", {10, 20, 21, 22}),
        (" 10 , 20 - 22 ", {10, 20, 21, 22}),
        ("5-5", {5}),
        ("0010", {10}),
        ("none", set()),
        ("NONE", set()),
        ("All But 2-4094", {1}),
        ("all", set(range(1, 4095))),
        ("20-30,25-27,20", set(range(20, 31))),
    ],
)
def test_reads(text: str, vids: set[int]) -> None:
    assert set(VlanSet.parse(text)) == vids


@pytest.mark.parametrize(
    ("text", "marked", "reason"),
    [
        ("0", "0", "not a VLAN number"),
        ("10,4095", "4095", "not a VLAN number"),
        ("5000", "5000", "not a VLAN number"),
        ("1-99999999999999999999", "99999999999999999999", "not a VLAN number"),
        ("20-10", "20-10", "runs backwards"),
        ("1,,2", ",", "missing"),
        ("1,2,", "", "missing"),
        ("", "", "missing"),
        ("all but", "", "missing"),
        ("all but none", "none", "not a VLAN number or a range"),
        ("all 10", "10", "nothing may follow"),
        ("10;20", "10;20", "not a VLAN number or a range"),
        ("-5", "-5", "not a VLAN number or a range"),
        ("10-", "10-", "not a VLAN number or a range"),
        ("1٣", "1٣", "not a VLAN number or a range"),
        ("１０", "１０", "not a VLAN number or a range"),
        ("10\n20", "10\n20", "not a VLAN number or a range"),
        ("10,x y,20", "x y", "not a VLAN number or a range"),
    ],
)
def test_marks_the_fault(text: str, marked: str, reason: str) -> None:
    with pytest.raises(VlanListError, match=reason) as caught:
        VlanSet.parse(text)
    error = caught.value
    assert text[error.start : error.end] == marked
    *_, shown, mark = str(error).split("\n")
    assert len(shown) - 2 == len(text)
    assert (mark.index("^") - 2, mark.count("^")) == (error.start, error.end - error.start)


@given(st.text(alphabet="0123456789,-abutlnoe \t٣", max_size=30))
def test_no_text_makes_it_fail_otherwise(text: str) -> None:
    try:
        assert all(1 <= vid <= 4094 for vid in VlanSet.parse(text))
    except VlanListError as error:
        assert 0 <= error.start < error.end <= len(text) + 1


def test_is_immutable_and_bounded() -> None:
    with pytest.raises(AttributeError):
        VlanSet.of(1).bits = 4
    for bits in (1, 1 << 4095, -1):
        with pytest.raises(ValueError, match="1 to 4094"):
            VlanSet(bits)
    with pytest.raises(ValueError, match="4095"):
        VlanSet.of(4095)
    with pytest.raises(ValueError, match="range"):
        VlanSet.from_range(3, 2)
    assert set(VlanSet.from_range(4093, 4094)) == {4093, 4094}


def test_a_list_longer_than_any_is_refused_unread() -> None:
    with pytest.raises(VlanListError, match="a list of 70000 characters is none of VLANs"):
        VlanSet.parse("10," * 23_333 + "1")
    assert VlanSet.parse(",".join(map(str, range(1, 4095)))) == VlanSet.all()
    assert VlanSet.parse("1," * 32_767 + "11") == VlanSet.of(1, 11)  # 65,536 characters
