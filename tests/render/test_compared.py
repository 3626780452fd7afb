"""What a change does, in words: two folders, and each line that has to stand there."""

from __future__ import annotations

from pathlib import Path

import pytest

from tests.cli.test_compare import BEFORE, edit, sides
from tests.conftest import Inkov
from tests.render.screens import BOLD, BREACH, DIM, GOOD, HEAD, WORSE, on_screen, styled

__all__ = ["sides"]

PLAN = "claims:\n  - isolate: [10, 20]\n"
Sides = tuple[Path, Path]
UNUSED = "VLAN 10 crosses between {} and {}, and nobody on one side needs it"


def words(sides: Sides, *asked: str) -> list[str]:
    out = on_screen("compare", "old", "new", "-q", *asked, cwd=sides[0].parent)
    return [line.strip() for line in out.splitlines() if line.strip()]


def moved(sides: Sides) -> None:
    """Both of VLAN 10 on fern-1 move into VLAN 20."""
    for number in (1, 3):
        edit(sides[1], "fern-1.sheet", f"[port {number}]\nvlan: 10", f"[port {number}]\nvlan: 20")


def test_two_ports_move(sides: Sides) -> None:
    moved(sides)
    blame = [
        "to blame: fern-1:1: access VLAN 10 -> 20  new/fern-1.sheet:8",
        "to blame: fern-1:3: access VLAN 10 -> 20  new/fern-1.sheet:12",
    ]
    assert words(sides) == [
        "Edits",
        *("fern-1:1 and 1 more: access VLAN 10 -> 20", "new/fern-1.sheet:8"),
        "New findings",
        f"NOTE  surplus-vlans: {UNUSED.format('core-1:3', 'fern-1:8')}",
        "new/core-1.sheet:14",
        f"NOTE  surplus-vlans: {UNUSED.format('core-1:4', 'fern-1:9')}",
        "new/core-1.sheet:18",
        "Who reaches whom",
        "! LOST  core-1:1 (VLAN 10 ferns) <-> fern-1:1, 3 (VLAN 10 ferns)",
        "from core-1:1 > core-1:3 > fern-1:8, stops at fern-1:1: "
        "fern-1:1 (access) passes VLAN 20, not VLAN 10  new/fern-1.sheet:8",
        *blame,
        "- GAINED  core-1:2 and fern-1:2 (VLAN 20 visitors) <-> fern-1:1, 3 (VLAN 20 visitors)",
        "as in core-1:2 > core-1:3 > fern-1:8 > fern-1:1",
        *blame,
        "Refused",
        "reach: 1 row above, marked with !",
        "2 edits on 1 switch; 1 of 2 switches forward as before; reach gained in one place, "
        "lost in one place; findings: 2 new or worse, 0 gone.",
        "Refused: 1 thing that nobody meant.",
    ]


def test_what_is_meant_and_what_is_not_stand_out(sides: Sides) -> None:
    moved(sides)
    (sides[1] / "plan.yaml").write_text(PLAN)
    shown = styled(on_screen("compare", *sides, "-q", colour=True, width=200))
    by = {text: code for code, text in shown}
    assert by["Edits"] == by["Refused"] == by["Who reaches whom"] == HEAD
    assert next(code for text, code in by.items() if text.startswith("! LOST")) == BOLD
    assert not any(text.startswith(("- GAINED", "to blame", "NOTE")) for text in by)
    assert next(code for text, code in by.items() if text.startswith("as in")) == DIM
    assert next(code for text, code in by.items() if text.startswith("2 edits on")) == BOLD
    assert next(code for text, code in by.items() if text.startswith("Refused:")) == BREACH
    fine = styled(on_screen("compare", *sides, "-q", "--lose", "10", colour=True, width=200))
    assert (GOOD, "Not refused.") in fine
    edit(
        sides[1], "core-1.sheet", "native: 99\nallowed: 10,20,99\n[port 4]", "native: 20\n[port 4]"
    )
    worse = styled(on_screen("compare", *sides, "-q", colour=True, width=200))
    assert any(code == BREACH and text.startswith("BREACH") for code, text in worse)
    (sides[1] / "x.json").write_text("{")
    assert any(
        code == WORSE and text.startswith("Not read: ")
        for code, text in styled(on_screen("compare", *sides, "-q", colour=True, width=200))
    )


def test_no_difference(sides: Sides) -> None:
    assert words(sides) == ["No difference on 2 switches.", "Not refused."]


def test_what_held_already_is_counted(sides: Sides) -> None:
    """Both say what was so by default; a third edit is told."""
    edit(sides[1], "fern-1.sheet", "[port 1]\n", "[port 1]\nmode: access\n")
    edit(sides[1], "fern-1.sheet", "[port 2]\n", "[port 2]\nmode: access\n")
    assert "and 2 edits of what held by default already" in words(sides)
    assert "3 edits on 1 switch; 2 of 2" not in " ".join(words(sides))
    edit(sides[1], "fern-1.sheet", "[port 4]\n", "[port 4]\nabout: the pond\n")
    told = words(sides)
    assert "fern-1:4: description not stated -> the pond" in told
    assert told[-2] == (
        "3 edits on 1 switch; 2 of 2 switches forward as before; "
        "nobody reaches more or less than before."
    )


@pytest.mark.parametrize("number", [12, 13, 15])
def test_many_edits_are_counted(sides: Sides, number: int) -> None:
    rows = "".join(f"{1000 + at}: v{at}\n" for at in range(number))
    edit(sides[1], "core-1.sheet", "99: nobody\n", f"99: nobody\n{rows}")
    told = words(sides)
    assert sum(line.startswith("core-1 VLAN 10") for line in told) == 12
    edits = told[: next(n for n, line in enumerate(told) if " findings" in line)]
    more = [line for line in edits if line.startswith("... and")]
    assert more == [f"... and {number - 12} more; -f json has all"] * (number > 12)


def test_a_finding_is_gone_and_a_claim_holds(inkov: Inkov, sides: Sides) -> None:
    plan = PLAN
    for side in sides:
        (side / "plan.yaml").write_text(plan)
    edit(
        sides[0], "core-1.sheet", "native: 99\nallowed: 10,20,99\n[port 4]", "native: 10\n[port 4]"
    )
    edit(
        sides[0], "fern-1.sheet", "native: 99\nallowed: 10,20,99\n[port 9]", "native: 20\n[port 9]"
    )
    told = words(sides)
    assert "isolate 10, 20: broken -> holds" in told
    assert "Findings gone" in told and "New findings" not in told
    assert "1 claim with another verdict." in told[-2] and "findings: 0 new or worse, " in told[-2]
    back = on_screen("compare", "new", "old", "-q", cwd=sides[0].parent).splitlines()
    at = back.index("  isolate 10, 20: holds -> broken")
    assert back[at + 1].startswith("    ") and back[at + 2].strip().startswith("old/plan.yaml:2")
    rows = inkov("compare", *sides, "-q", "-f", "csv").out
    assert '\nclaim,"isolate 10, 20",broken -> holds,' in rows and "\nfinding gone," in rows
    for side in sides:  # it was made only before
        (side / "plan.yaml").unlink()
    (sides[0] / "plan.yaml").write_text(plan)
    assert "isolate 10, 20: broken -> not made" in words(sides)


def test_what_only_hostile_hosts_do_comes_last(sides: Sides) -> None:
    """Of what is refused first, and of the rest. Port 2 becomes a trunk for whoever asks; port 3
    moves from VLAN 10 into 20; VLAN 20 reaches nobody of VLAN 10 by that.
    """
    edit(sides[1], "fern-1.sheet", "[port 2]\nvlan: 20", "[port 2]\nvlan: 20\nnegotiation: passive")
    edit(sides[1], "fern-1.sheet", "[port 3]\nvlan: 10", "[port 3]\nvlan: 20")
    told = [line for line in words(sides) if "GAINED " in line or "LOST " in line]
    assert told == [
        "! LOST  fern-1:3 (VLAN 10 ferns) <-> core-1:1 and fern-1:1 (VLAN 10 ferns)",
        "! GAINED  fern-1:2 (VLAN 20 visitors) <-> VLAN 10 ferns (all 2), if hostile",
        "- GAINED  fern-1:3 (VLAN 20 visitors) <-> core-1:2 and fern-1:2 (VLAN 20 visitors)",
    ]


def test_another_kind_of_source(inkov: Inkov, sides: Sides) -> None:
    """The same switch as a document: its edits are counted, not told."""
    assert inkov("convert", sides[0] / "fern-1.sheet", sides[1] / "o", "--to", "openconfig")
    (sides[1] / "fern-1.sheet").unlink()
    [line] = [line for line in words(sides) if line.startswith("fern-1: ")]
    assert line.endswith("edits by another kind of source; it forwards as before")


def test_a_switch_has_another_name(sides: Sides) -> None:
    text = (sides[1] / "fern-1.sheet").read_text().replace("switch: fern-1", "switch: moss-1")
    (sides[1] / "fern-1.sheet").write_text(text)
    assert words(sides)[0].startswith("fern-1 is called moss-1 now")


def test_a_comment_for_a_review(inkov: Inkov, sides: Sides) -> None:
    moved(sides)
    # Besides the two, that a file is not read.
    (sides[1] / "b@d|.json").write_text("{")
    lines = inkov("compare", *sides, "-q", "-f", "markdown").out.splitlines()
    assert lines[0].startswith("**Refused: ") and "2 edits on 1 switch" in lines[0]
    assert [line for line in lines if line.startswith("- not read: ")] == [
        f"- not read: {str(sides[1]).replace('_', chr(92) + '_')}/b&#64;d\\|.json"
    ]
    heads = [line for line in lines if line.startswith("<details>")]
    assert "<details><summary>Edits (2)</summary>" in heads
    assert "<details><summary>Findings new (3)</summary>" in heads
    rows = dict(line.split(" | ")[:2] for line in lines if line.startswith("| "))
    assert rows.keys() == {"|", "| ---", "| gained", "| lost"}
    assert rows["| gained"].endswith("fern-1:1, 3 (VLAN 20 visitors)")
    assert rows["| lost"].endswith("fern-1:1, 3 (VLAN 10 ferns)")


assert BEFORE  # the files that the two sides begin with
