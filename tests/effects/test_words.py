"""Groups, effects and stories in words, and which effects are one story."""

from __future__ import annotations

from typing import Any

import pytest

from inkov.edits import Edit, Kind
from inkov.effects.effect import Effect
from inkov.effects.groups import Group, Row
from inkov.effects.stories import stories
from inkov.effects.words import group_in_words, pair_in_words, story_in_words
from inkov.levels import Layer, Level
from inkov.vlanset import VlanSet

NAMES = {10: "ferns", 20: "beds"}


def group(*ports: str, vlans: str = "10", **more: Any) -> Group:
    own: dict[str, Any] = {
        "segments": [],
        "everyone": False,
        "count": len(ports),
        "switches": list(dict.fromkeys(port.partition(":")[0] for port in ports)),
        "ports": list(ports),
        "hosts": [],
    } | more
    return Group(vlans=VlanSet.parse(vlans) if vlans else VlanSet(), **own)


MANY = [f"{switch}:{port}" for switch in "abcde" for port in (1, 2)]


@pytest.mark.parametrize(
    ("ports", "everyone", "listed"), [(100, True, True), (101, True, False), (101, False, True)]
)
def test_many_ports_are_listed_unless_their_vlans_say_it_all(
    ports: int, everyone: bool, listed: bool
) -> None:
    own = group(*(f"a:{number}" for number in range(ports)), everyone=everyone)
    assert own.listed is listed


@pytest.mark.parametrize(
    ("own", "says"),
    [
        (group(), "nobody"),
        (group("a:1"), "a:1 (VLAN 10 ferns)"),
        (group("a:1", "a:2", "b:7"), "a:1, 2 and b:7 (VLAN 10 ferns)"),
        (group("a:1", vlans="30"), "a:1 (VLAN 30)"),
        (group("a:1", vlans=""), "a:1 (no VLAN)"),
        (group("a:1", vlans="10,20"), "a:1 (VLANs 10,20)"),
        (group("a:1", segments=["tills"]), "a:1 (VLAN 10 ferns, tills)"),
        (group("a:1", segments=["ferns"]), "a:1 (VLAN 10 ferns)"),
        (group("a:1", vlans="10,20", segments=["tills"]), "a:1 (tills: VLANs 10,20)"),
        (group("a:1", vlans="10,20", segments=["tills", "shop"]), "a:1 (VLANs 10,20)"),
        (group("a:1", everyone=True), "VLAN 10 ferns (a:1)"),
        (group("a:1", "a:2", everyone=True), "VLAN 10 ferns (all 2)"),
        (group("a:1", "a:2", hosts=["lamp", "mist"]), "lamp, mist (VLAN 10 ferns)"),
        (group("a:1", "a:2", hosts=["lamp"]), "a:1, 2 (VLAN 10 ferns)"),
        (group(*MANY[:5]), "a:1, 2 and b:1, 2 and c:1 (VLAN 10 ferns)"),
        (group(*MANY[:6]), "6 ports of VLAN 10 ferns on a, b, c"),
        (group(*MANY[:7]), "7 ports of VLAN 10 ferns on a, b, c and 1 more"),
        (group(*MANY[:6], hosts=list("uvwxyz")), "6 ports of VLAN 10 ferns on a, b, c"),
        (
            group("a:1", vlans=",".join(str(vid) for vid in range(100, 140, 2))),
            "a:1 (VLANs 100,102,104,106,108,110,112,114,116,118 and more, 20 in all)",
        ),
    ],
)
def test_a_group_in_words(own: Group, says: str) -> None:
    assert group_in_words(own, lambda vid: NAMES.get(vid, "")) == says


EDIT = Edit("a", Kind.PORT, "1", "allowed", None, None)


def effect(one: Group, other: Group | None = None, **more: Any) -> Effect:
    """An effect on two groups, or within one."""
    flags: dict[str, Any] = {
        "layer": Layer.FRAMES,
        "in_part": False,
        "both_ways": True,
        "within": other is None,
    }
    row = Row(sources=[], targets=[], **{key: more.pop(key, flags[key]) for key in flags})
    own: dict[str, Any] = {
        "gained": True,
        "level": Level.HONEST,
        "crosses": False,
        "blame": [EDIT],
    } | more
    return Effect(row=row, sources=one, targets=one if other is None else other, **own)


@pytest.mark.parametrize(
    ("own", "says"),
    [
        (effect(group("a:1"), group("b:1")), "a:1 (VLAN 10) <-> b:1 (VLAN 10)"),
        (effect(group("a:1"), group("b:1"), both_ways=False), "a:1 (VLAN 10) -> b:1 (VLAN 10)"),
        (effect(group("a:1", "b:1")), "a:1 and b:1 (VLAN 10) among themselves"),
        (
            effect(group("a:1"), group("b:1", vlans="20"), layer=Layer.PACKETS),
            "a:1 (VLAN 10) <-> b:1 (VLAN 20), by routers",
        ),
        (
            effect(group("a:1"), group("b:1"), layer=Layer.PACKETS, in_part=True),
            "a:1 (VLAN 10) <-> b:1 (VLAN 10), by routers, the whole of it",
        ),
        (
            effect(group("a:1"), group("b:1"), level=Level.HOSTILE),
            "a:1 (VLAN 10) <-> b:1 (VLAN 10), if hostile",
        ),
    ],
)
def test_who_reaches_whom_in_words(own: Effect, says: str) -> None:
    assert pair_in_words(own) == says


def alike(vid: int, **more: Any) -> Effect:
    """The same in another VLAN."""
    return effect(group("a:1", vlans=str(vid)), group("b:1", vlans=str(vid)), **more)


def test_the_same_in_several_vlans_is_one_story() -> None:
    told = stories([alike(10), alike(20), alike(31), alike(30)])
    assert [len(story) for story in told] == [4]
    assert story_in_words(told[0]) == (
        "a:1 (VLAN 10) <-> b:1 (VLAN 10); and so in VLANs 10,20,30-31, each by itself"
    )
    assert story_in_words([alike(10)]) == "a:1 (VLAN 10) <-> b:1 (VLAN 10)"


@pytest.mark.parametrize(
    "other",
    [
        alike(20, gained=False),
        alike(20, level=Level.HOSTILE),
        alike(20, layer=Layer.PACKETS),
        alike(20, both_ways=False),
        alike(20, within=True),
        alike(20, crosses=True),
        alike(20, settled=False),
        alike(20, follows=True),
        alike(20, blame=[]),
        alike(20, blame=[Edit("b", Kind.PORT, "1", "allowed", None, None)]),
        effect(group("a:1", vlans="10,20"), group("b:1", vlans="10,20")),  # it joins several
        effect(group("a:1"), group("b:1", vlans="20")),  # and so does this
        effect(group("c:1", vlans="20"), group("b:1", "b:2", vlans="20")),  # elsewhere
    ],
)
def test_what_is_otherwise_is_another_story(other: Effect) -> None:
    assert [len(story) for story in stories([alike(10), other])] == [1, 1]


def test_by_routers_one_side_is_alike_and_the_other_has_each_vlan() -> None:
    """Many VLANs lose the same shop: a story. Which side has the one VLAN does not matter."""
    shop = group("c:1", "c:2", vlans="50,60")
    for turned in (False, True):
        rows = []
        for vid in (10, 20):
            sides = group("a:1", vlans=str(vid)), shop
            rows.append(effect(*(sides[::-1] if turned else sides), layer=Layer.PACKETS))
        [story] = stories(rows)
        assert story_in_words(story).endswith("; and so in VLANs 10,20, each by itself")
