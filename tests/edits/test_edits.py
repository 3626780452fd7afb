"""Edits: what makes one campus of another, and nothing else."""

from __future__ import annotations

import random
from pathlib import Path
from typing import Any

import pytest
from msgspec import Struct
from msgspec.structs import replace

from inkov.campus import Basis, Campus, Fact, Origin
from inkov.edits import Edit, Kind, apply, difference, renames, vids_of
from inkov.edits.make import row_gone
from inkov.edits.things import numbered
from inkov.readers import load
from inkov.vlanset import VlanSet
from tests.campuses import random_campus
from tests.conftest import campus_of, cases
from tests.edits.changes import changed
from tests.proofs.test_packets import with_gateways
from tests.written import in_files

ABOUT_FILES = ("origin", "overridden", "problems", "unmatched")


def meaning(value: Any) -> Any:
    """A campus without places, in an order of its own."""
    if isinstance(value, Fact):
        return meaning(value.value)
    if isinstance(value, Struct) and not isinstance(value, Origin):
        names = [name for name in value.__struct_fields__ if name not in ABOUT_FILES]
        return {name: meaning(getattr(value, name)) for name in names}
    if isinstance(value, dict):
        return {key: meaning(one) for key, one in sorted(value.items(), key=str)}
    if isinstance(value, Origin):
        return None
    if isinstance(value, list):
        return sorted((meaning(one) for one in value), key=str)
    return [meaning(one) for one in value] if isinstance(value, tuple) else value


CAMPUSES = cases("EDITS", 60)


def test_applying_the_difference_gives_the_new_campus(tmp_path: Path) -> None:
    edits = 0
    for number in range(CAMPUSES):
        rng = random.Random(f"edits {number}")
        old = with_gateways(rng, random_campus(rng, 5))
        new = changed(rng, old, 4) if number % 3 else with_gateways(rng, random_campus(rng, 5))
        if number % 2:
            read: list[Campus] = []
            for campus in (old, new):
                in_files(rng, campus, tmp_path)
                read.append(load([str(tmp_path)]).campus)
            old, new = read
        before = meaning(old)
        found = difference(old, new)
        assert meaning(apply(old, found)) == meaning(new), number
        assert difference(apply(old, found), new) == []
        assert meaning(old) == before  # it was left as it was
        backwards = difference(new, old)
        assert meaning(apply(new, backwards)) == before, number
        assert len(found) == len(backwards)
        edits += len(found)
    assert edits > CAMPUSES * 50 / 3, edits


def test_a_switch_without_a_table_gets_one_with_its_first_row() -> None:
    """Without a table nobody knows which VLANs there are; an empty one says that there are none."""
    table, port = "[vlans]\n10: ferns\n", "[port 1]\nvlan: 10\n"
    old, new = (campus_of(f"switch: a\n{text}{port}") for text in ("", table))
    assert old.devices["a"].vlans is None
    made = apply(old, difference(old, new)).devices["a"].vlans
    assert made is not None and [row.vid for row in made.values()] == [10]
    none = apply(new, row_gone(new.devices["a"], 10))
    assert none.devices["a"].vlans == {}


def told(edits: list[Edit]) -> list[tuple[str, str, str, str]]:
    return [(edit.switch, edit.kind, edit.name, edit.attribute) for edit in edits]


SHEET = """
    switch: {name}
    [vlans]
    20: ferns
    {more}
    [port 1]
    vlan: {vlan}
    [port 2]
    mode: trunk
    allowed: 20
    [port 3]
    vlan: 20
    [port 4]
    vlan: 20
"""


def sheet(name: str = "fern-1", vlan: int = 20, more: str = "") -> str:
    return SHEET.format(name=name, vlan=vlan, more=more)


def test_lines_that_move_and_comments_are_no_edit() -> None:
    assert difference(campus_of(sheet()), campus_of(sheet(more="\n    # of the old house"))) == []


def test_an_edit_names_both_places() -> None:
    [edit] = difference(campus_of(sheet()), campus_of(sheet(vlan=1, more="# moved")))
    assert told([edit]) == [("fern-1", Kind.PORT, "1", "access_vlan")]
    before, after = edit.where
    assert before is not None and after is not None
    assert (before.line, after.line) == (8, 8)
    assert (edit.before.value, edit.after.value) == (20, 1)


def test_what_is_not_stated_any_more_is_left_to_the_platform() -> None:
    shorter = sheet().replace("    mode: trunk\n    allowed: 20\n", "    mode: trunk\n")
    [edit] = difference(campus_of(sheet()), campus_of(shorter))
    assert told([edit]) == [("fern-1", Kind.PORT, "2", "allowed")]
    assert edit.by_default and edit.after is None and edit.becomes is not None
    assert str(edit.becomes.value) == "all"
    assert "without a list" in edit.becomes.origin.says


def test_what_was_the_default_already_changes_nothing() -> None:
    stated = sheet().replace("vlan: 20\n    [port 2]", "vlan: 20\n    state: on\n    [port 2]")
    [edit] = difference(campus_of(sheet()), campus_of(stated))
    assert told([edit]) == [("fern-1", Kind.PORT, "1", "enabled")] and edit.idle


def test_a_switch_with_another_name_is_the_same_switch() -> None:
    old, new = campus_of(sheet("fern-1")), campus_of(sheet("fern-9"))
    assert renames(old, new) == {"fern-1": ("fern-9", False)}
    # Two that look alike may be either.
    assert renames(campus_of(sheet("a"), sheet("b")), campus_of(sheet("c"))) == {}
    assert renames(campus_of(sheet("a")), campus_of(sheet("a"), sheet("c"))) == {}
    # So little is the same of any two.
    few = "switch: {}\n[port 1]\nvlan: 10\n[port 2]\nvlan: 10\n"
    assert renames(campus_of(few.format("a")), campus_of(few.format("b"))) == {}
    enough = few + "[vlans]\n10: climate\n20: pumps\n"
    assert renames(campus_of(enough.format("a")), campus_of(enough.format("b"))) == {
        "a": ("b", False)
    }


def test_another_make_brings_its_own_defaults(tmp_path: Path) -> None:
    """The same port without a word about its list: one make passes all VLANs, the other is told
    otherwise by its dialect.
    """
    (tmp_path / "rill.toml").write_text(
        'dialect = "rill"\nrecognise = ["rill of {name}"]\n'
        '[text]\nshape = "indented"\n'
        '[defaults]\nallowed = "1"\n'
        '[port]\nopens = ["gate {ports}"]\n'
        '[device.says]\n"rill of {name}" = "name = {name}"\n'
        '[port.says]\n"wide" = "mode = trunk"\n'
    )
    (tmp_path / "a.txt").write_text("rill of fern-1\ngate 2\n  wide\n")
    told_so = load([str(tmp_path)])
    assert not told_so.campus.problems, told_so.campus.problems
    sheet_of = campus_of("switch: fern-1\n[port 2]\nmode: trunk\n")
    edits = difference(sheet_of, told_so.campus)
    [edit] = [edit for edit in edits if edit.attribute == "allowed"]
    assert edit.by_default and edit.before is None
    assert (str(edit.was and edit.was.value), str(edit.becomes and edit.becomes.value)) == (
        "all",
        "1",
    )


@pytest.mark.parametrize(
    ("says", "decides"),
    [("", False), ("negotiation: passive", True), ("negotiation: silent", False)],
)
def test_a_default_that_no_port_can_come_to_is_no_edit(says: str, *, decides: bool) -> None:
    """Two makes mean different things by no list: it matters for a trunk, and for a port that may
    become one.
    """
    old, new = (campus_of(f"switch: a\n[port 1]\nvlan: 20\n{says}\n") for _ in range(2))
    rill = Origin("rill.toml", 4, basis=Basis.DEFAULT, says="a gate that says nothing")
    [device] = new.devices.values()
    unstated = {**device.platform.unstated, "allowed": Fact(VlanSet.of(1), rill)}
    device.platform = replace(device.platform, unstated=unstated)
    lists = [edit for edit in difference(old, new) if edit.attribute == "allowed"]
    assert [edit.by_default for edit in lists] == [True] * decides


def test_the_vlans_that_an_edit_is_about() -> None:
    old = campus_of(sheet())
    cases = {
        sheet(more="30: ponds"): "30",
        sheet(vlan=30): "20,30",
        sheet().replace("allowed: 20", "allowed: 20,30-32"): "30-32",
        sheet() + "    [gateway 20]\n    address: 10.0.20.1/24\n": "20",
        sheet().replace("mode: trunk", "mode: general"): None,
    }
    for text, vlans in cases.items():
        [edit] = [one for one in difference(old, campus_of(text)) if not one.by_default]
        found = vids_of(edit)
        assert (None if found is None else str(found)) == vlans, (edit, found)


def test_a_table_that_comes_or_goes_is_one_edit() -> None:
    without = campus_of(sheet().replace("[vlans]\n    20: ferns\n", ""))
    for old, new in ((campus_of(sheet()), without), (without, campus_of(sheet()))):
        assert told(difference(old, new)) == [("fern-1", Kind.SWITCH, "fern-1", "vlans")]
        assert meaning(apply(old, difference(old, new))) == meaning(new)


def test_things_that_share_a_name_are_numbered() -> None:
    named = numbered([("fern", 1), ("pond", 2), ("fern", 3), ("fern", 4)])
    assert named == {"fern": 1, "pond": 2, "fern #2": 3, "fern #3": 4}
