"""Which words of texts name profiles: sets of settings that ports take over."""

from __future__ import annotations

from collections.abc import Iterable, Sequence

from inkov.learn.marks import SURE, numbers_in, ports_in, runs_in, share_of
from inkov.learn.rows import Known, Row, is_numeric
from inkov.readers.dialects.lists import Lists

__all__ = ["find_profiles"]


def find_profiles(rows: Sequence[Row], lists: Lists, known: Sequence[Known]) -> None:
    """Find the words that name profiles: a head of the text that is about neither ports nor VLANs
    opens one if statements below ports end in the word that the head ends in, or if what stands
    below it lists ports, and VLANs besides.
    """
    names = {name for switch in known for name in switch.names}
    heads: dict[tuple[str, ...], list[Row]] = {}
    ending: dict[str, list[Row]] = {}
    below: dict[int, list[Row]] = {}
    for row in rows:
        *lead, word = row.words
        if row.parent is not None:
            # Their words but the last say what kind of thing is named.
            below.setdefault(id(row.parent), []).append(row)
        # Words only: with numbers or marks it is about something else.
        if not lead or any(not part.isalpha() for part in lead):
            continue
        # Ports and VLANs are no profiles.
        port = known[row.switch].ports.find(word) is not None
        if port or word[:1].isdigit() or word.strip('"') in names:
            continue
        if row.opens and row.parent is None:
            heads.setdefault(tuple(lead), []).append(row)
        elif row.parent is not None and not row.opens:
            # What it names may be a profile.
            ending.setdefault(word, []).append(row)
    for several in heads.values():
        own = {id(row) for row in several}
        naming = [
            row
            for word in {row.words[-1]: None for row in several}
            for row in ending.get(word, ())
            # Said below a port, or below the profile itself.
            if id(row.parent) in own or any(map(is_numeric, row.parent.words if row.parent else ()))
        ]
        # What lists both can only be settings for these ports.
        if naming or any(_lists_both(below.get(id(row), ()), lists, known) for row in several):
            for row in (*several, *naming):
                row.profile = len(row.words) - 1


def _lists_both(rows: Iterable[Row], lists: Lists, known: Sequence[Known]) -> bool:
    """Whether some statements list ports of their switch, and others VLANs."""
    ports = vlans = False
    for row in rows:
        own = known[row.switch]
        vlans = vlans or any(word.strip('"') in own.names for word in row.words)
        items = {*lists.kinds, *lists.port_names}
        for run in runs_in(row.words, {*lists.separators, *lists.ranges}, items):
            as_ports = share_of(ports_in(lists, run), own.ports.find) >= SURE
            as_vlans = share_of(numbers_in(lists, run), own.has_vlan) >= SURE
            # A list that may be either tells nothing.
            ports = ports or (as_ports and not as_vlans)
            vlans = vlans or (as_vlans and not as_ports)
    return ports and vlans
