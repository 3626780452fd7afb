"""A VLAN-centred language whose ports stand in a table in columns, made up for these tests."""

from __future__ import annotations

from pathlib import Path

import pytest

from tests.conftest import DEMO, Inkov

HARBOUR = (DEMO / "languages" / "harbour.toml").read_text()
QUAY = """\
harbour quay
basin 10
  title fish
basin 2000
  title nets

Berth    Label                Water  Also
-------  ------------------  ------  ---------
1        quay lamp               10
2-4                            2000
5        the long, windy one         10,
                                     2000
LAST ROW
end of list
"""
LAST = "LAST ROW\n"


def test_a_table_in_columns_is_read_cell_by_cell(inkov: Inkov, tmp_path: Path) -> None:
    """Empty cells, numbers at the right of their column, a list over two lines."""
    (tmp_path / "harbour.toml").write_text(HARBOUR)
    rows = "6           between-the-two      10\n"
    # A label of one letter too many: two spaces still tell that another cell begins.
    rows += "7        nineteen-characters  10\n"
    text = QUAY.replace(LAST, rows)
    (tmp_path / "quay.txt").write_text(text)
    result = inkov("ports", ".", "-f", "json", "-q")
    told = {
        row["port"]: (row["untagged"], row["tagged"], row["about"], row["origin"]["line"])
        for row in result.json["ports"]
    }
    assert told == {
        "1": ("10", "none", "quay lamp", 9),
        "2": ("2000", "none", "", 10),
        "3": ("2000", "none", "", 10),
        "4": ("2000", "none", "", 10),
        "5": ("none", "10,2000", "the long, windy one", 11),
        "6": ("10", "none", "between-the-two", 13),
        "7": ("10", "none", "nineteen-characters", 14),
    }


@pytest.mark.parametrize(
    "row",
    [
        "6                        12345678  30\n",  # stands out of Label, and out of Water
        "6        a label that is much too long 10\n",  # `too` begins below Label, ends below Water
        "6                              10 20\n",  # two numbers below Water
        "6 and 7                        10\n",  # whatever this row is about
    ],
)
def test_what_is_not_surely_in_a_column_is_not_understood(
    row: str, inkov: Inkov, tmp_path: Path
) -> None:
    (tmp_path / "harbour.toml").write_text(HARBOUR)
    (tmp_path / "quay.txt").write_text(QUAY.replace(LAST, row))
    unmatched = inkov("read", ".", "--unmatched", "-f", "json").json["unmatched"]
    assert {one["origin"]["line"] for one in unmatched} == {13}
    ports = [one["port"] for one in inkov("ports", ".", "-f", "json", "-q").json["ports"]]
    assert ports == ["1", "2", "3", "4", "5"]


def test_a_row_that_goes_on_unsurely_is_not_understood_at_all(inkov: Inkov, tmp_path: Path) -> None:
    """What stands below Water and Also may belong to either, and so nobody knows what the row says
    in the end: neither line counts as understood.
    """
    (tmp_path / "harbour.toml").write_text(HARBOUR)
    text = QUAY.replace(f"{' ' * 37}2000\n", f"{' ' * 31}123456789\n").replace(LAST, "")
    (tmp_path / "quay.txt").write_text(text)
    unmatched = inkov("read", ".", "--unmatched", "-f", "json").json["unmatched"]
    assert {one["origin"]["line"] for one in unmatched} == {11, 12}
    ports = [one["port"] for one in inkov("ports", ".", "-f", "json", "-q").json["ports"]]
    assert ports == ["1", "2", "3", "4"]


def test_a_table_may_have_two_columns(inkov: Inkov, tmp_path: Path) -> None:
    tables = 'dialect = "pier"\nfiles = ["*.txt"]\n[text]\ntables = [["Berth", "Water"]]\n'
    tables += '[device.says]\n"Berth {ports} Water {vid}" = "on ports {ports}: vlan = {vid}"\n'
    (tmp_path / "pier.toml").write_text(tables)
    (tmp_path / "a.txt").write_text("Berth  Water\n1         10\n2         20\n")
    ports = inkov("ports", ".", "-f", "json", "-q").json["ports"]
    assert {row["port"]: row["untagged"] for row in ports} == {"1": "10", "2": "20"}


def test_tables_are_for_indented_texts(inkov: Inkov, tmp_path: Path) -> None:
    (tmp_path / "harbour.toml").write_text(HARBOUR.replace("[text]\n", '[text]\nshape = "flat"\n'))
    checked = inkov("dialect", "check", "harbour.toml")
    assert checked.status == 2 and "only indented texts can hold tables" in checked.err


def test_a_second_table_may_follow_the_first_at_once(inkov: Inkov, tmp_path: Path) -> None:
    """Its head ends the row above, which is none of its own."""
    (tmp_path / "harbour.toml").write_text(HARBOUR)
    head = "Berth  Label  Water  Also\n-----  -----  -----  ----\n"
    tables = f"{head}1      a         10\n{head}2      b         20\n"
    text = f"harbour quay\nbasin 10\nbasin 20\n\n{tables}"
    (tmp_path / "quay.txt").write_text(text)
    rows = inkov("ports", ".", "-f", "json", "-q").json["ports"]
    assert [(row["port"], row["untagged"], row["about"]) for row in rows] == [
        ("1", "10", "a"),
        ("2", "20", "b"),
    ]
