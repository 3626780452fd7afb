"""What a filter leaves of packets between subnets, against each single packet of small subnets."""

from __future__ import annotations

from ipaddress import IPv4Address, IPv6Address, ip_network

from hypothesis import given
from hypothesis import strategies as st

from inkov.campus import FilterEntry, Origin, Subnet
from inkov.forwarding.routers import Fate, judge

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
