"""What a filter leaves of packets between subnets, against each single packet of small subnets."""

from __future__ import annotations

import json
from ipaddress import IPv4Address, IPv6Address, ip_network
from pathlib import Path
from typing import Any

import pytest
from hypothesis import given
from hypothesis import strategies as st

from inkov.campus import FilterEntry, Origin, Subnet
from inkov.forwarding.routers import Fate, judge
from tests.conftest import Inkov

PREFIXES = st.builds(
    lambda at, length: ip_network((f"10.0.0.{at}", length), strict=False),
    st.integers(0, 31),
    st.integers(27, 32),
)
ENTRIES = st.lists(
    st.tuples(
        st.booleans(),
        st.none() | PREFIXES,
        st.none() | PREFIXES,
        st.integers(0, 9).map(lambda n: n == 0),
    ),
    max_size=5,
)


def fate(
    entries: list[FilterEntry],
    source: IPv4Address | IPv6Address,
    destination: IPv4Address | IPv6Address,
    fine: bool,
) -> bool:
    """Whether one packet passes; `fine` if it is of the kind that finer entries speak of."""
    for entry in entries:
        ends = ((entry.source, source), (entry.destination, destination))
        if all(net is None or address in net for net, address in ends) and (
            fine or not entry.finer
        ):
            return entry.accepts
    return True


@given(ENTRIES, PREFIXES, PREFIXES)
def test_subnets_are_judged_as_their_packets_are(
    said: list[tuple[bool, Subnet | None, Subnet | None, bool]],
    source: Subnet,
    destination: Subnet,
) -> None:
    entries = [
        FilterEntry(n, accepts, a, b, finer, Origin())
        for n, (accepts, a, b, finer) in enumerate(said)
    ]
    verdict = judge(entries, source, destination)
    fates = {
        fate(entries, a, b, fine) for a in source for b in destination for fine in (False, True)
    }
    if verdict == Fate.PASSES:
        assert fates == {True}
    elif verdict == Fate.STOPPED:
        assert fates == {False}
    else:  # it may be less than it can be shown to be, and is never taken for stopped
        assert verdict == Fate.IN_PART


# --- from the file on -----------------------------------------------------------------------------


def router(entry: dict[str, Any], kind: str = "ACL_IPV4") -> dict[str, Any]:
    """A router between VLAN 10 and VLAN 20, with a filter of one entry for what VLAN 10 sends."""

    def access(name: str, vid: int) -> dict[str, Any]:
        vlan = {"config": {"interface-mode": "ACCESS", "access-vlan": vid}}
        return {"name": name, "ethernet": {"switched-vlan": vlan}}

    def gateway(vid: int) -> dict[str, Any]:
        own = {"ip": f"10.0.{vid}.1", "config": {"ip": f"10.0.{vid}.1", "prefix-length": 24}}
        ipv4 = {"addresses": {"address": [own]}}
        routed = {"config": {"vlan": vid}, "ipv4": ipv4}
        return {"name": f"irb-{vid}", "config": {"type": "l3ipvlan"}, "routed-vlan": routed}

    acl = {
        "acl-sets": {
            "acl-set": [
                {
                    "name": "fence",
                    "type": kind,
                    "acl-entries": {"acl-entry": [{"sequence-id": 10, **entry}]},
                }
            ]
        },
        "interfaces": {
            "interface": [
                {
                    "id": "irb-10",
                    "ingress-acl-sets": {"ingress-acl-set": [{"set-name": "fence", "type": kind}]},
                }
            ]
        },
    }
    return {
        "openconfig-system:system": {"config": {"hostname": "core-1"}},
        "openconfig-interfaces:interfaces": {
            "interface": [access("port-1", 10), access("port-2", 20), gateway(10), gateway(20)]
        },
        "openconfig-vlan:vlans": {"vlan": [{"vlan-id": 10}, {"vlan-id": 20}]},
        "openconfig-acl:acl": acl,
    }


def ip(**config: str) -> dict[str, Any]:
    return {"ipv4": {"config": {name.replace("_", "-"): value for name, value in config.items()}}}


def action(word: str) -> dict[str, Any]:
    return {"actions": {"config": {"forwarding-action": word}}}


def reported(family: str, leaf: str, value: str) -> dict[str, Any]:
    """An entry that drops what comes from VLAN 10, with one more leaf that is only reported."""
    config = {"source-address": "10.0.10.0/24"}
    return {family: {"config": config, "state": {leaf: value}}} | action("DROP")


@pytest.mark.parametrize(
    ("entry", "kind", "verdict", "says"),
    [
        (action("DROP"), "ACL_IPV4", "holds", ""),
        (action("openconfig-acl:REJECT"), "openconfig-acl:ACL_IPV4", "holds", ""),
        (ip(source_address="10.0.10.0/24") | action("DROP"), "ACL_IPV4", "holds", ""),
        # A prefix with host bits is the prefix; one that takes the subnet in only in part is not.
        (ip(source_address="10.0.10.77/24") | action("DROP"), "ACL_IPV4", "holds", ""),
        (ip(source_address="10.0.10.77/25") | action("DROP"), "ACL_IPV4", "broken", ""),
        (ip(source_address="10.0.11.0/24") | action("DROP"), "ACL_IPV4", "broken", ""),
        (ip(destination_address="10.0.20.0/23") | action("DROP"), "ACL_IPV4", "holds", ""),
        (ip(destination_address="10.0.21.0/24") | action("DROP"), "ACL_IPV4", "broken", ""),
        (ip(protocol="IP_TCP") | action("DROP"), "ACL_IPV4", "broken", ""),
        (action("ACCEPT"), "ACL_IPV4", "broken", ""),
        # What is only reported fills gaps: a prefix that makes an entry narrower, an action.
        (reported("ipv4", "destination-address", "10.0.21.0/24"), "ACL_IPV4", "broken", ""),
        (reported("ipv4", "destination-address", "10.0.20.0/24"), "ACL_IPV4", "holds", ""),
        ({"actions": {"state": {"forwarding-action": "DROP"}}}, "ACL_IPV4", "holds", ""),
        # What stops one family of addresses lets the other pass.
        (action("DROP"), "ACL_IPV6", "broken", ""),
        ({"ipv6": {"config": {}}} | action("DROP"), "ACL_MIXED", "broken", ""),
        (action("DROP"), "ACL_MIXED", "holds", ""),
        # What is not read stops nothing, and is said.
        (
            ip(source_address="the ferns") | action("DROP"),
            "ACL_IPV4",
            "broken",
            "'the ferns' is not a prefix; it may fit any address",
        ),
        (
            ip(destination_address="10.0.20.0/33") | action("DROP"),
            "ACL_IPV4",
            "broken",
            "'10.0.20.0/33' is not a prefix; it may fit any address",
        ),
        (action("DROPP"), "ACL_IPV4", "broken", "the action 'DROPP' is none of"),
        ({}, "ACL_IPV4", "broken", "the action '' is none of"),
    ],
)
def test_a_filter_stops_what_it_surely_stops(
    inkov: Inkov, tmp_path: Path, entry: dict[str, Any], kind: str, verdict: str, says: str
) -> None:
    (tmp_path / "core-1.json").write_text(json.dumps(router(entry, kind)))
    claim = "{isolate: vlan 10, from: vlan 20, one-way: yes, layer: 3}"
    (tmp_path / "plan.yaml").write_text(f"claims:\n  - {claim}\n")
    proved = inkov("prove", "core-1.json", "--plan", "plan.yaml", "-f", "json")
    (proof,) = proved.json["claims"]
    assert proof["verdict"] == verdict, proof
    read = inkov("read", "core-1.json")
    assert (says in read.out + read.err) if says else read.status == 0


@pytest.mark.parametrize(
    ("lines", "verdict"),
    [
        ("20: reject from any to any\n", "holds"),
        # An entry that is not read may have let packets pass, before or behind what stops all.
        ("10: accept from 10.0.10.5/24 to any\n20: reject from any to any\n", "broken"),
        ("20: reject from any to any\n10: accept from a friend\n", "broken"),
        ("20: reject from any to any\nsomething: accept from any to any\n", "broken"),
        # Of two with one number either may come first.
        ("20: reject from any to any\n20: accept from any to any\n", "broken"),
        ("20: accept from any to any\n20: reject from any to any\n", "broken"),
    ],
)
def test_an_entry_of_a_sheet_that_is_not_read(
    inkov: Inkov, tmp_path: Path, lines: str, verdict: str
) -> None:
    (tmp_path / "a.sheet").write_text(
        "inkov sheet 1\nswitch: a\n[vlans]\n10: x\n20: y\n[port 1]\nvlan: 10\n[port 2]\nvlan:"
        f" 20\n[filter fence]\n{lines}[gateway 10]\naddress: 10.0.10.1/24\nfilter in:"
        " fence\n[gateway 20]\naddress: 10.0.20.1/24\n"
    )
    claim = "{isolate: vlan 10, from: vlan 20, one-way: yes, layer: 3}"
    (tmp_path / "plan.yaml").write_text(f"claims:\n  - {claim}\n")
    proved = inkov("prove", "a.sheet", "--plan", "plan.yaml", "-f", "json")
    assert [proof["verdict"] for proof in proved.json["claims"]] == [verdict]


def entry(word: str, number: int | None, holder: str = "") -> dict[str, Any]:
    """An entry for all packets, its number stated by itself or in a container."""
    own = {} if number is None else {"sequence-id": number}
    return ({holder: own} if holder else own) | action(word)


@pytest.mark.parametrize(
    ("entries", "verdict", "says"),
    [
        ([entry("DROP", 10), entry("ACCEPT", 20)], "holds", ""),
        ([entry("ACCEPT", 20), entry("DROP", 0)], "holds", ""),
        ([entry("DROP", 20), entry("ACCEPT", 10)], "broken", ""),
        ([entry("ACCEPT", 20, "state"), entry("DROP", 10, "config")], "holds", ""),
        ([entry("DROP", None)], "holds", ""),  # there is nothing that it could stand behind
        # It may stand behind the one that accepts.
        ([entry("DROP", None), entry("ACCEPT", 10)], "broken", "sequence-id is not stated"),
        ([entry("DROP", 10), entry("ACCEPT", 10)], "broken", "sequence-id 10 is stated twice"),
        ([entry("DROP", None), entry("DROP", 10)], "holds", "sequence-id is not stated"),
    ],
)
def test_entries_stand_in_the_order_of_their_numbers(
    inkov: Inkov, tmp_path: Path, entries: list[dict[str, Any]], verdict: str, says: str
) -> None:
    whole = router({})
    [fence] = whole["openconfig-acl:acl"]["acl-sets"]["acl-set"]
    fence["acl-entries"]["acl-entry"] = entries
    (tmp_path / "core-1.json").write_text(json.dumps(whole))
    claim = "{isolate: vlan 10, from: vlan 20, one-way: yes, layer: 3}"
    (tmp_path / "plan.yaml").write_text(f"claims:\n  - {claim}\n")
    proved = inkov("prove", "core-1.json", "--plan", "plan.yaml", "-f", "json")
    assert [proof["verdict"] for proof in proved.json["claims"]] == [verdict]
    read = inkov("read", "core-1.json")
    assert (says in read.err and read.status == 1) if says else read.status == 0


def test_a_set_that_is_there_twice_stops_nothing_surely(inkov: Inkov, tmp_path: Path) -> None:
    whole = router(entry("DROP", 10))
    sets = whole["openconfig-acl:acl"]["acl-sets"]["acl-set"]
    other = {**sets[0], "acl-entries": {"acl-entry": [entry("ACCEPT", 10)]}}
    claim = "{isolate: vlan 10, from: vlan 20, one-way: yes, layer: 3}"
    (tmp_path / "plan.yaml").write_text(f"claims:\n  - {claim}\n")
    for several in ([sets[0], other], [other, sets[0]]):
        whole["openconfig-acl:acl"]["acl-sets"]["acl-set"] = several
        (tmp_path / "core-1.json").write_text(json.dumps(whole))
        proved = inkov("prove", "core-1.json", "--plan", "plan.yaml", "-f", "json")
        assert proved.json["claims"][0]["verdict"] == "broken"
        assert "the set fence (ipv4) is there twice" in inkov("read", "core-1.json").err


@pytest.mark.parametrize("filtered", [False, True])
def test_a_filter_at_a_port_that_switches_may_stop_more(
    filtered: bool, inkov: Inkov, tmp_path: Path
) -> None:
    """FM 5.7: it is not followed. Nobody reaches more for it, so what is apart surely is."""
    ports = "[port 1,2]\nmode: access\nvlan: 10\n" + "filter in: keep\n" * filtered
    (tmp_path / "b.sheet").write_text(
        "inkov sheet 1\nswitch: b\n[vlans]\n10: ferns\n20: beds\n[port 3]\nmode: access\nvlan: 20\n"
        f"{ports}[filter keep]\n10: reject from any to any\n"
    )
    (tmp_path / "plan.yaml").write_text(
        "segments:\n  ferns: {vlans: [10]}\n  beds: {vlans: [20]}\n"
        "claims:\n  - isolate: [ferns, beds]\n  - reach: [b:1, b:2]\n"
    )
    claims = inkov("prove", ".", "--strict", "-f", "json", "-q").json["claims"]
    assert [claim["verdict"] for claim in claims] == [
        "holds",
        "undecided" if filtered else "holds",
    ]
    assert ("is not followed" in claims[1]["because"]) is filtered
