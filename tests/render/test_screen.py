"""Tables as they stand on a screen: each written here as a reader would draw it."""

from __future__ import annotations

import re

import pytest

from inkov.render.grid import Column, Grid, to_csv, to_markdown
from inkov.render.terminal import Screen, grid_text

NARROW, FILE = Screen(30, colour=False), Screen(None, colour=False)
ESCAPE = re.compile(r"\x1b\[[0-9;]*m")


def beds(*, grouped: bool = False) -> Grid:
    """A table of beds: the number stands to the right."""
    grid = Grid(
        [Column("Bed", whole=True), Column("Plants", right=True), Column("Of")], grouped=grouped
    )
    grid.add("north", "12", "ferns", marked=(1,))
    grid.add("north", "7", "moss")
    grid.add("by the pond", "3", "reed", marked=(0, 2))
    grid.notes.append("The pond is full.")
    return grid


TABLE = """\
Bed          Plants  Of
──────────────────────────
north            12  ferns
north             7  moss
by the pond       3  reed
The pond is full.
"""
GROUPS = """\
north
Plants  Of
─────────────
    12  ferns
     7  moss

by the pond
Plants  Of
─────────────
     3  reed
The pond is full.
"""


@pytest.mark.parametrize("width", [None, 26, 27, 200])
@pytest.mark.parametrize(("grouped", "text"), [(False, TABLE), (True, GROUPS)])
def test_a_table_that_fits_is_as_in_a_file(width: int | None, grouped: bool, text: str) -> None:
    assert grid_text(beds(grouped=grouped), Screen(width, colour=False)) == text


def test_colours_are_added_to_the_same_text() -> None:
    """Heads are bold, marked cells magenta, notes dim; without these codes nothing is different."""
    drawn = grid_text(beds(), Screen(40, colour=True))
    plain = "\n".join(line.rstrip() for line in ESCAPE.sub("", drawn).split("\n"))
    assert plain == TABLE
    marked = re.findall(r"\x1b\[1;35m([^\x1b]*)\x1b", drawn)
    assert [text.strip() for text in marked] == ["12", "by the pond", "reed"]
    assert re.findall(r"\x1b\[2m([^\x1b]*)\x1b", drawn) == ["The pond is full."]
    assert {text.strip() for text in re.findall(r"\x1b\[1m([^\x1b]*)\x1b", drawn)} - {""} == {
        *("Bed", "Plants", "Of")
    }
    groups = grid_text(beds(grouped=True), Screen(40, colour=True))
    assert re.findall(r"\x1b\[1;4m([^\x1b]*)\x1b", groups) == ["north", "by the pond"]
    assert re.findall(r"\x1b\[1;35m *([^\x1b]*?) *\x1b", groups) == ["12", "reed"]


def test_what_is_spare_is_left_out_and_said() -> None:
    """The last of the spare columns goes first, and only as many as have to."""
    columns = [Column("Bed"), Column("Since", spare=True), Column("Of"), Column("Note", spare=True)]
    grid = Grid(columns)
    grid.add("north", "2019", "ferns", "shade")
    assert grid_text(grid, Screen(26, colour=False)).splitlines()[2] == "north  2019   ferns  shade"
    assert grid_text(grid, Screen(25, colour=False)).splitlines() == [
        *("Bed    Since  Of", "───────────────────", "north  2019   ferns"),
        *("Left out at this width:", "Note"),
    ]
    assert grid_text(grid, Screen(18, colour=False)).splitlines()[0] == "Bed    Of"
    assert "Since" in "".join(grid_text(grid, Screen(18, colour=False)).splitlines()[3:])


def test_a_table_too_wide_is_folded_between_numbers() -> None:
    """A cell that stays whole keeps its width; a list breaks behind a comma."""
    grid = Grid([Column("Port", whole=True), Column("VLANs")])
    grid.add("bed north 1", "10,20,30-39,100,200")
    grid.add("1", "10")
    text = grid_text(grid, Screen(26, colour=False))
    first, *others = text.splitlines()[2:]
    assert first.startswith("bed north 1  10, 20,")
    assert others[-1].split() == ["1", "10"]
    assert all(len(line) <= 26 for line in text.splitlines())
    listed = " ".join(line[13:].strip() for line in (first, *others[:-1]))
    assert listed.split(", ") == ["10", "20", "30-39", "100", "200"]


def links() -> Grid:
    columns = [
        *(Column("One end", whole=True), Column("Other end", whole=True)),
        *(Column("Mode"), Column("Allowed"), Column("Missing")),
    ]
    grid = Grid(columns, blocks=True)
    grid.add("a:1", "b:1", "trunk", "10,20", "", marked=(3,))
    grid.add("a:2", "c:1", "", "10", "a word that goes on and on")
    grid.notes.append("Two links.")
    return grid


def test_a_row_stands_below_its_name_where_there_is_no_room() -> None:
    assert grid_text(links(), NARROW) == (
        "a:1  b:1\n"
        "    Mode     trunk\n"
        "    Allowed  10, 20\n"
        "a:2  c:1\n"
        "    Allowed  10\n"
        "    Missing  a word that goes\n"
        "             on and on\n"
        "Two links.\n"
    )
    drawn = grid_text(links(), Screen(30, colour=True))
    assert re.findall(r"\x1b\[1;35m([^\x1b]*)\x1b", drawn)
    dim = [text.strip() for text in re.findall(r"\x1b\[2m([^\x1b]*)\x1b", drawn)]
    assert [text for text in dim if text] == ["Mode", "Allowed", "Allowed", "Missing", "Two links."]
    # There is room for the table at its natural width.
    assert grid_text(links(), Screen(99, colour=False)) == grid_text(links(), FILE)


def test_a_block_is_named_by_its_first_cell_where_that_is_the_name() -> None:
    grid = Grid([Column("Claim", whole=True), Column("Says")], blocks=True)
    grid.add("visitors", "they reach nobody of the staff at all")
    assert grid_text(grid, Screen(30, colour=False)).splitlines() == [
        "visitors",
        "    Says  they reach nobody of",
        "          the staff at all",
    ]


@pytest.mark.parametrize("grouped", [False, True])
def test_a_table_without_room_for_its_words_is_told_row_by_row(grouped: bool) -> None:
    """Nothing is left out of it, and lists break between their numbers, but for those of names."""
    columns = [Column("VLANs"), Column("Bed"), Column("Since", spare=True), Column("Untagged")]
    grid = Grid([Column("Group")] * grouped + columns, grouped=grouped)
    for name in ("1,2,3", "4,5"):
        grid.add(*["west"] * grouped, name, "glasshouse", "2019", "10,20,30", marked=(3 + grouped,))
    block = "{}\n    Bed       glasshouse\n    Since     2019\n    Untagged  10, 20, 30\n".format
    head = "west\n" * grouped
    assert grid_text(grid, Screen(24, colour=False)) == head + block("1,2,3") + block("4,5")
    drawn = grid_text(grid, Screen(24, colour=True))
    assert re.findall(r"\x1b\[1;35m([^\x1b]*)\x1b", drawn) == ["10, 20, 30"] * 2
    # With room for the words there is a table: the spare column is left out of it.
    told = grid_text(grid, Screen(30, colour=False)).splitlines()
    assert told[grouped].split() == ["VLANs", "Bed", "Untagged"]
    assert told[-1] == "Left out at this width: Since"


def test_the_folder_of_all_paths_is_told_once() -> None:
    grid = Grid([Column("File", whole=True, paths=True), Column("Read", right=True)])
    for name in ("north/a.sheet", "b.sheet"):
        grid.add(f"/campus/of/{name}", "7")
    assert grid_text(grid, Screen(20, colour=False)).splitlines() == [
        "File           Read",
        "───────────────────",
        "north/a.sheet     7",
        "b.sheet           7",
        "All files are in",
        "/campus/of",
    ]
    # Where there is room, and where they have nothing in common, they stand as they are.
    assert "/campus/of/b.sheet" in grid_text(grid, Screen(40, colour=False))
    grid.add("c.sheet", "7")
    assert "/campus/of/b.sheet" in grid_text(grid, Screen(20, colour=False))


def pieces(columns: int) -> Grid:
    heads = [Column("Bed"), *(Column(f"P{number}", whole=True) for number in range(columns))]
    grid = Grid(heads, in_pieces=True)
    grid.add("north", *(f"{number:02}" for number in range(columns)))
    return grid


@pytest.mark.parametrize(
    ("width", "told"),
    [
        (None, [[0, 1, 2, 3, 4]]),
        (25, [[0, 1, 2, 3, 4]]),  # 5, and five times two of a gap and two of a column
        (24, [[0, 1, 2, 3], [4]]),
        (13, [[0, 1], [2, 3], [4]]),
        (12, [[0], [1], [2], [3], [4]]),
        (6, [[0], [1], [2], [3], [4]]),  # never none
    ],
)
def test_a_table_in_pieces(width: int | None, told: list[list[int]]) -> None:
    """As many columns as there is room for, each time beside the first one."""
    text = grid_text(pieces(5), Screen(width, colour=False))
    heads = [line.split() for line in text.splitlines() if line.startswith("Bed")]
    assert heads == [["Bed", *(f"P{number}" for number in piece)] for piece in told]
    if width is None or width >= 9:
        expected = []
        for piece in told:
            expected += [
                "Bed" + "".join(f"    P{n}" if not at else f"  P{n}" for at, n in enumerate(piece)),
                "─" * (5 + 4 * len(piece)),
                "north" + "".join(f"  {n:02}" for n in piece),
                "",
            ]
        assert text.splitlines() == expected[:-1]


def test_tables_in_other_forms() -> None:
    grid = Grid([Column("Bed"), Column("Plants", right=True)])
    grid.add("a|b", "=1+1")
    grid.add("-", "12")
    grid.notes.append("a *note*")
    assert to_csv(grid) == "bed,plants\na|b,'=1+1\n-,12\n"
    assert to_markdown(grid) == (
        "| Bed | Plants |\n| --- | ---: |\n| a\\|b | =1+1 |\n| - | 12 |\n\na \\*note\\*\n"
    )
