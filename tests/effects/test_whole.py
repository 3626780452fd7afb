"""What a change does, against the meaning of each sentence about the campus as a whole, and all
pairs of ports that hear each other: on small campuses, from two folders to the program's JSON.
"""

from __future__ import annotations

import random
from collections.abc import Iterator
from itertools import combinations
from pathlib import Path
from typing import Any, NamedTuple

import networkx as nx
import pytest

from inkov.vlanset import VlanSet
from tests.conftest import Inkov, cases
from tests.effects.test_consequences import switch

VIDS = (1, 10, 20)
PORTS = ("01", "10", "10a", "10b", "20", "20a", "20b")
CAMPUSES = cases("CHANGES", 60, least=30)
Told = tuple[str, str, str, bool]
Port = tuple[str, str]


class Link(NamedTuple):
    """A link between two switches, and what is allowed at its ends."""

    ends: tuple[str, str]
    allowed: tuple[frozenset[int], frozenset[int]]

    def passes(self, vid: int) -> bool:
        return all(vid in allowed for allowed in self.allowed)


class Plain(NamedTuple):
    """Switches with the ports of their hosts, named by their VLAN, with a letter behind it if they
    are protected from each other; and links by the number of their ports. With
    `priorities`, all of them different, all switches run one rapid spanning tree; each link costs
    more than all with lower numbers together, so nothing is left to chance.
    """

    hosts: dict[str, frozenset[str]]
    links: dict[int, Link]
    priorities: dict[str, int]

    def graph(self, vid: int | None = None, without: int | str = "") -> nx.MultiGraph[str]:
        """The switches and links, or those links that a VLAN passes, without one of them."""
        graph: nx.MultiGraph[str] = nx.MultiGraph()
        graph.add_nodes_from(name for name in self.hosts if name != without)
        for number, link in self.links.items():
            if number != without and without not in link.ends and (not vid or link.passes(vid)):
                graph.add_edge(*link.ends, number)
        return graph

    def members(self, vid: int) -> list[str]:
        return [name for name in self.hosts if self.ports(name, vid)]

    def ports(self, name: str, vid: int) -> list[str]:
        return [port for port in self.hosts[name] if vid_of(port) == vid]

    def heard(self) -> set[frozenset[Port]]:
        """All pairs of ports that hear each other. Two of a switch that are protected from each
        other do where the VLAN goes in a circle: frames come back by a trunk (FM 3.5, FM 3.6).
        """
        pairs = set[frozenset[Port]]()
        for vid in VIDS:
            graph = self.graph(vid)
            for part in nx.connected_components(graph):
                own = graph.subgraph(part)
                in_circle = own.number_of_edges() >= own.number_of_nodes()
                ports = [(name, port) for name in part for port in self.ports(name, vid)]
                for one, other in combinations(ports, 2):
                    apart = one[0] == other[0] and len(one[1]) == len(other[1]) == 3
                    if in_circle or not apart:
                        pairs.add(frozenset([one, other]))
        return pairs

    def islands(self, vid: int) -> int:
        parts = nx.connected_components(self.graph(vid))
        return sum(not part.isdisjoint(self.members(vid)) for part in parts)

    def needs(self, number: int, vid: int) -> bool:
        """FM 6.4: whether a link is on a way between two members that passes no switch twice, by
        switches that have the VLAN at a link or for hosts; by any, if these do not join them all.
        """
        if number not in self.links:
            return False
        members, graph = self.members(vid), self.graph()
        carrying = {
            end
            for link in self.links.values()
            for end, allowed in zip(link.ends, link.allowed, strict=True)
            if vid in allowed
        }
        within = graph.subgraph(carrying.union(members))
        if all(nx.has_path(within, *pair) for pair in combinations(members, 2)):
            graph = within
        return any(
            number in (key for *_, key in way)
            for pair in combinations(members, 2)
            for way in nx.all_simple_edge_paths(graph, *pair)
        )

    def passes(self, number: int, vid: int) -> bool:
        return number in self.links and self.links[number].passes(vid)

    def joins(self, vid: int, pair: tuple[str, str], without: int | str = "") -> bool:
        """Whether a VLAN gets from one of two switches to the other."""
        return pair[1] in nx.node_connected_component(self.graph(vid, without), pair[0])

    def roots(self) -> str:
        """The switch with the lowest priority of each part of the campus."""
        parts = [part for part in nx.connected_components(self.graph()) if len(part) > 1]
        return ", ".join(sorted(min(part, key=self.priorities.__getitem__) for part in parts))

    def blocked(self, number: int, vid: int) -> bool:
        """Whether a link passes a VLAN that has hosts, but is not on the cheapest way from the root
        to any switch: then the end that is farther from the root discards.
        """
        graph = self.graph()
        part = nx.node_connected_component(graph, self.links[number].ends[0])
        root = min(part, key=self.priorities.__getitem__)
        on_way = {
            min(nx.all_simple_edge_paths(graph, root, name), key=cost)[-1][2]
            for name in part - {root}
        }
        return number not in on_way and self.passes(number, vid) and bool(self.members(vid))


def vid_of(port: str) -> int:
    return int(port[:2])


def cost(way: list[tuple[str, str, int]]) -> int:
    return sum(2 ** (number - 10) for *_, number in way)


def drawn(rng: random.Random) -> Plain:
    names = "abcdef"[: rng.randint(3, 6)]
    hosts = {name: frozenset(port for port in PORTS if rng.random() < 0.2) for name in names}
    links = {n: link_of(rng, names) for n in range(11, 11 + rng.randint(2, 8))}
    return Plain(hosts, links, dict(zip(names, priorities(rng), strict=False)))


def priorities(rng: random.Random) -> list[int]:
    """None for two campuses of five, which have no spanning tree."""
    return rng.sample(range(0, 61440, 4096), 6) if rng.random() < 0.6 else []


def link_of(rng: random.Random, names: str) -> Link:
    one, other = rng.sample(names, 2)
    here, there = (frozenset(vid for vid in VIDS if rng.random() < 0.75) for _ in range(2))
    return Link((one, other), (here, there))


def changed(rng: random.Random, campus: Plain) -> Plain:
    """One to three changes: of hosts, of a link, of what it allows, of who is the root."""
    hosts, links, ranks = dict(campus.hosts), dict(campus.links), dict(campus.priorities)
    for _ in range(rng.randint(1, 3)):
        number, turned = rng.choice([*campus.links]), frozenset([rng.choice(VIDS)])
        what = rng.randrange(5)
        if what == 0:
            hosts[rng.choice([*hosts])] ^= {rng.choice(PORTS)}
        elif what == 4 and ranks:
            one, other = rng.sample([*ranks], 2)
            ranks[one], ranks[other] = ranks[other], ranks[one]
        elif what == 1:
            links[rng.randint(21, 23)] = link_of(rng, "".join(hosts))
        elif what == 2:
            links.pop(number, None)
        elif number in links:
            here, there = links[number].allowed
            there = there | turned if rng.random() < 0.6 else there - turned
            links[number] = links[number]._replace(allowed=(here | turned, there))
    return Plain(hosts, links, ranks)


def written(campus: Plain, folder: Path) -> None:
    """Sheets, and a table of hosts: one at each port that is protected."""
    folder.mkdir(parents=True)
    named = "".join(
        f"{name}-{port},{name},{port}\n"
        for name, ports in campus.hosts.items()
        for port in ports
        if len(port) == 3
    )
    (folder / "hosts.csv").write_text(f"host,switch,port\n{named}")
    for name, own in campus.hosts.items():
        trunks = {}
        for number, link in campus.links.items():
            if name in link.ends:
                at = link.ends.index(name)
                listed = ",".join(map(str, sorted(link.allowed[at]))) or "none"
                trunks[str(number)] = listed, f"{link.ends[1 - at]}:{number}"
        ports = {port: vid_of(port) for port in sorted(own)}
        tree = "".join(f"[port {port}]\nprotected: yes\n" for port in own if len(port) == 3)
        if campus.priorities:
            tree += f"[tree]\nmode: rstp\npriority: {campus.priorities[name]}\n"
            tree += "".join(f"cost of {n}: {2 ** (int(n) - 10)}\n" for n in trunks)
        (folder / f"{name}.sheet").write_text(switch(name, ports, trunks, tree))


def meant(old: Plain, new: Plain) -> set[Told]:
    """All sentences; each for the VLANs of which it is true."""
    vids_of: dict[tuple[str, str, str, bool], set[int]] = {}
    for vid in VIDS:
        for about, name, says, worse in (
            *_of_islands(old, new, vid),
            *_of_links(old, new, vid),
            *_of_spares(old, new, vid),
            *_of_switches(old, new, vid),
            *(_of_trees(old, new, vid) if old.priorities else ()),
        ):
            vids_of.setdefault((about, name, says, worse), set()).add(vid)
    told = set[Told]()
    for (about, name, says, worse), vids in vids_of.items():
        words = f"VLAN{'s' * (len(vids) > 1)} {VlanSet.from_vids(vids)}"
        told.add((about, name, says.format(words), worse))
    return told | set(_of_new_links(old, new))


def _of_islands(old: Plain, new: Plain, vid: int) -> Iterator[Told]:
    was, now = old.islands(vid), new.islands(vid)
    if was and now and was != now:
        says = f"{{}}: in {now} island{'s' * (now > 1)} instead of {was}"
        yield "islands", "", says, now > was
    elif was and not now:
        yield "islands", "", "{}: not used any more", False
    elif now and not was:
        more = f": in {now} islands" if now > 1 else ""
        yield "islands", "", f"{{}}: used now, and not before{more}", now > 1


def _of_links(old: Plain, new: Plain, vid: int) -> Iterator[Told]:
    for number in old.links.keys() & new.links.keys():
        if old.links[number].ends != new.links[number].ends:
            continue
        was, now = (side.passes(number, vid) for side in (old, new))
        needed, lacked = new.needs(number, vid), old.needs(number, vid) and not was
        if now and not was:
            says = "carries {} now" + ("" if needed else ", which nobody needs there")
        elif was and not now:
            says = "carries {} no more, and " + ("should" if needed else "need not")
        elif needed and not now and not lacked:
            says = "should carry {} now, and does not"
        else:
            continue
        yield "link", named(new, number), says, needed and not now


def _of_new_links(old: Plain, new: Plain) -> Iterator[Told]:
    for side, other, says in (
        (new, old, "is new, and carries {}"),
        (old, new, "is there no more; it carried {}"),
    ):
        for number, link in side.links.items():
            if number not in other.links or other.links[number].ends != link.ends:
                vids = VlanSet.from_vids({vid for vid in VIDS if link.passes(vid)})
                words = f"VLAN{'s' * (len(vids) > 1)} {vids}" if vids else "no VLAN"
                yield "link", named(side, number), says.format(words), False


def named(campus: Plain, number: int) -> str:
    return " - ".join(f"{end}:{number}" for end in sorted(campus.links[number].ends))


def _of_spares(old: Plain, new: Plain, vid: int) -> Iterator[Told]:
    """What passed a link had another way, and has none now; somebody needs it."""
    for number, link in new.links.items():
        if number in old.links and old.links[number].ends == link.ends:
            both = old.passes(number, vid) and new.passes(number, vid)
            ways = [side.joins(vid, link.ends, without=number) for side in (old, new)]
            if both and new.needs(number, vid) and ways == [True, False]:
                says = "is the only way left of {}: there was a spare"
                yield "spare", named(new, number), says, True


def _of_switches(old: Plain, new: Plain, vid: int) -> Iterator[Told]:
    """Two members had a way past a switch, and have none now but by it."""
    for name in new.hosts:
        if any(
            name not in pair
            and old.joins(vid, pair, without=name)
            and new.joins(vid, pair)
            and not new.joins(vid, pair, without=name)
            for pair in combinations(sorted({*old.members(vid)} & {*new.members(vid)}), 2)
        ):
            says = "is the only way left between members of {}: there was one past it"
            yield "switch", name, says, True


def _of_trees(old: Plain, new: Plain, vid: int) -> Iterator[Told]:
    was, now = old.roots(), new.roots()
    if was and now and was != now and old.members(vid) and new.members(vid):
        yield "tree", "", f"{{}}: the root of the spanning tree is {now}, it was {was}", False
    for number in old.links.keys() & new.links.keys():
        if old.links[number].ends == new.links[number].ends:
            turned = old.blocked(number, vid), new.blocked(number, vid)
            if turned[0] != turned[1]:
                words = "for {} now" if turned[1] else "for {} any more"
                says = f"is{'' if turned[1] else ' not'} blocked by the spanning tree {words}"
                yield "tree", named(new, number), says, False


def pairs_of(rows: list[dict[str, Any]]) -> set[frozenset[Port]]:
    """Who hears whom by some rows, both ways; each side tells its hosts."""
    pairs = set[frozenset[Port]]()
    for row in rows:
        sides = []
        for side in (row["from"], row["to"]):
            ports = [tuple(port.split(":")) for port in side["ports"]]
            vids = {vid_of(port) for _, port in ports}
            assert side["vlan"] == ",".join(map(str, sorted(vids)))
            assert side["count"] == len(ports) == len(set(ports))
            assert {*side["hosts"]} == {f"{a}-{port}" for a, port in ports if len(port) == 3}
            sides.append(ports)
        assert row["both_ways"] and row["layer"] == 2 and not row["crosses_segments"]
        pairs |= {frozenset([one, other]) for one in sides[0] for other in sides[1] if one != other}
    return pairs


def test_what_a_change_does_to_small_campuses(inkov: Inkov, tmp_path: Path) -> None:
    seen: dict[str, int] = {}
    for number in range(CAMPUSES):
        rng = random.Random(f"whole {number}")
        old = drawn(rng)
        new = changed(rng, old)
        folders = tmp_path / str(number) / "old", tmp_path / str(number) / "new"
        for side, folder in zip((old, new), folders, strict=True):
            written(side, folder)
        found = inkov("compare", *folders, "-f", "json", "-q").json
        told = {
            (one["about"], one["name"] or "", one["says"], one["worse"])
            for one in found["consequences"]
        }
        expected = meant(old, new)
        assert told == expected, (number, told ^ expected)
        heard = old.heard(), new.heard()
        for key, pairs in (("gained", heard[1] - heard[0]), ("lost", heard[0] - heard[1])):
            rows = [row for row in found[key] if row["level"] == "honest"]
            assert pairs_of(rows) == pairs, (number, key)
            if pairs:
                expected.add((key, "", "", False))
        for about, *_ in expected:
            seen[about] = seen.get(about, 0) + 1
    assert len(seen) == 7 and min(seen.values()) > 2, seen


@pytest.mark.parametrize("plain", [True, False])
def test_two_cables_change_places(inkov: Inkov, tmp_path: Path, plain: bool) -> None:
    """All ports do what they did; only who is at the other end is somebody else. Each pair shares
    VLAN 10, or 10 is joined with 20 by native VLANs.
    """
    before, after = [("a", "b"), ("c", "d")], [("a", "d"), ("c", "b")]
    natives = {name: "none" if plain else 10 if name in "ac" else 20 for name in "abcd"}
    for side, cables in (("old", before), ("new", after)):
        (tmp_path / side).mkdir()
        far = dict([*cables, *(pair[::-1] for pair in cables)])
        for name in "abcd":
            own = 10 if plain or name in "ac" else 20
            text = switch(name, {f"{own}": own}, {"8": (f"{own}", f"{far[name]}:8")})
            text = text.replace("native: none", f"native: {natives[name]}")
            (tmp_path / side / f"{name}.sheet").write_text(text)
    found = inkov("compare", tmp_path / "old", tmp_path / "new", "-f", "json", "-q").json
    for key, cables in (("lost", before), ("gained", after)):
        ports = {name: f"{name}:{10 if plain or name in 'ac' else 20}" for name in "abcd"}
        pairs = {frozenset(ports[name] for name in pair) for pair in cables}
        assert names_of([row for row in found[key] if row["level"] == "honest"]) == pairs, key


def test_a_port_is_protected_from_one_and_from_the_trunk(inkov: Inkov, tmp_path: Path) -> None:
    """The trunk is protected, and so is 10a: it was heard by 10b alone, and 10b by b as well."""
    for side, ports in (("old", "10a,8"), ("new", "10a,10b,8")):
        (tmp_path / side).mkdir()
        more = f"[port {ports}]\nprotected: yes\n"
        sheets = switch("a", {"10a": 10, "10b": 10}, {"8": ("10", "b:8")}, more)
        (tmp_path / side / "a.sheet").write_text(sheets)
        (tmp_path / side / "b.sheet").write_text(switch("b", {"10": 10}, {"8": ("10", "a:8")}))
        (tmp_path / side / "hosts.csv").write_text("host,switch,port\na-10a,a,10a\na-10b,a,10b\n")
    found = inkov("compare", tmp_path / "old", tmp_path / "new", "-f", "json", "-q").json
    lost = pairs_of([row for row in found["lost"] if row["level"] == "honest"])
    ends = ("a", "10a"), ("b", "10")
    assert lost == {frozenset([("a", "10b"), end]) for end in ends} and not found["gained"]


def test_a_port_that_hears_another_vlan_than_it_sends_is_protected(
    inkov: Inkov, tmp_path: Path
) -> None:
    """What a:1 sends is in VLAN 10; it hears 20 of a:2, which is protected, until it is as well."""
    own = "[port 1]\nmode: general\npvid: 10\nuntagged: 20\naccept: untagged\n"
    text = switch("a", {"2": 20, "3": 10}, {}, own)
    for side, ports in (("old", "2"), ("new", "1,2")):
        (tmp_path / side).mkdir()
        (tmp_path / side / "a.sheet").write_text(f"{text}[port {ports}]\nprotected: yes\n")
    found = inkov("compare", tmp_path / "old", tmp_path / "new", "-f", "json", "-q").json
    rows = [(row["from"]["ports"], row["to"]["ports"], row["both_ways"]) for row in found["lost"]]
    assert rows == [(["a:2"], ["a:1"], False)] and not found["gained"]


def test_who_sends_with_a_tag_is_named_with_it(inkov: Inkov, tmp_path: Path) -> None:
    """On a trunk with anybody behind it; a sub-interface has its tag in its name."""
    ports = "[port 8]\nmode: trunk\nnative: none\nallowed: {}\n[port 9]\nmode: routed\n"
    ports += "[sub 9.10]\nof: 9\ntag: 10\nvlan: 10\n"
    for side, allowed in (("old", "20"), ("new", "10,20")):
        (tmp_path / side).mkdir()
        text = switch("a", {"1": 10}, {}, ports.format(allowed))
        (tmp_path / side / "a.sheet").write_text(text)
    found = inkov("compare", tmp_path / "old", tmp_path / "new", "-l", "honest", "-f", "json", "-q")
    pairs = {frozenset([one, "a:8 tagged 10"]) for one in ("a:1", "a:9.10")}
    assert names_of(found.json["gained"]) == pairs


def names_of(rows: list[dict[str, Any]]) -> set[frozenset[str]]:
    """Who reaches whom by some rows, as they are named."""
    return {
        frozenset([one, other])
        for row in rows
        for one in row["from"]["ports"]
        for other in row["to"]["ports"]
    }


def test_two_alike_on_two_wires_hear_what_is_there(inkov: Inkov, tmp_path: Path) -> None:
    """a has two trunks that are set alike; on their wires are the lamp and the pump. What the new
    port of b sends leaves b:7, and by a:8, not by a:7 where it came from; and c:8 neither.
    """
    trunks = {"7": ("10", "b:7"), "8": ("10", "c:8")}
    for side, ports in (("old", {}), ("new", {"1": 10})):
        (tmp_path / side).mkdir()
        for name, text in (
            ("a", switch("a", {}, trunks)),
            ("b", switch("b", ports, {"7": ("10", "a:7")})),
            ("c", switch("c", {"1": 10}, {"8": ("10", "a:8")})),
        ):
            (tmp_path / side / f"{name}.sheet").write_text(text)
        hosts = "host,switch,port,vlan\nlamp,a,7,10\npump,a,8,10\n"
        (tmp_path / side / "hosts.csv").write_text(hosts)
    found = inkov("compare", tmp_path / "old", tmp_path / "new", "-l", "honest", "-f", "json", "-q")
    pairs = {frozenset([one, "b:1"]) for one in ("b:7 tagged 10", "a:8 tagged 10", "c:1")}
    assert names_of(found.json["gained"]) == pairs and not found.json["lost"]


def test_hostile_hosts_use_the_sub_interfaces_of_their_own_port(
    inkov: Inkov, tmp_path: Path
) -> None:
    """The ports 6 and 9 are set alike, and have sub-interfaces for tags of their own."""
    ports = "[port 6,9]\nvlan: 20\n"
    for sub, tag in (("6.30", 30), ("9.10", 10)):
        ports += f"[sub {sub}]\nof: {sub[0]}\ntag: {tag}\nvlan: {tag}\n"
    for side, own in (("old", {}), ("new", {"1": 10})):
        (tmp_path / side).mkdir()
        (tmp_path / side / "a.sheet").write_text(switch("a", own, {}, ports))
    found = inkov("compare", tmp_path / "old", tmp_path / "new", "-f", "json", "-q").json
    for level, name in (("honest", "a:9.10"), ("hostile", "a:9")):
        rows = [row for row in found["gained"] if row["level"] == level]
        assert names_of(rows) == {frozenset([name, "a:1"])}, level


@pytest.mark.parametrize("moved", [False, True])
def test_who_moves_a_border_does_not_hide_what_crosses_it(
    inkov: Inkov, tmp_path: Path, moved: bool
) -> None:
    """VLANs 10 and 20 are joined by a native VLAN. By the plan after the change, or the one before
    it, they are one segment.
    """
    apart = "segments:\n  ferns: {vlans: [10]}\n  beds: {vlans: [20]}\n"
    one = "segments:\n  garden: {vlans: [10, 20]}\n"
    for side, native, plan in (("old", 10, (apart, one)), ("new", 20, (one, apart))):
        (tmp_path / side).mkdir()
        for name, far, vid, own in (("a", "b", 10, 10), ("b", "a", 20, native)):
            text = switch(name, {"1": vid}, {"8": ("10,20", f"{far}:8")})
            text = text.replace("native: none", f"native: {own}")
            (tmp_path / side / f"{name}.sheet").write_text(text)
        (tmp_path / side / "plan.yaml").write_text(plan[moved])
    found = inkov("compare", tmp_path / "old", tmp_path / "new", "-l", "honest", "-f", "json", "-q")
    [row] = found.json["gained"]
    assert row["crosses_segments"] is True and found.json["refused"] is True


@pytest.mark.parametrize(
    ("stated", "gains", "alike"),
    [("about: the fogger", [], 1), ("negotiation: passive", ["a:1"], 1), ("vlan: 20", [], 0)],
)
def test_what_an_edit_of_one_port_does(
    inkov: Inkov, tmp_path: Path, stated: str, gains: list[str], alike: int
) -> None:
    """The port 1 gets a name; or is a trunk for hosts that ask, and forwards as before for those
    that do not; or is in another VLAN.
    """
    for side, own in (("old", ""), ("new", f"{stated}\n")):
        (tmp_path / side).mkdir()
        text = switch("a", {"2": 20}, {}, f"[port 1]\nmode: access\n{own}")
        vlan = "" if stated in own and "vlan" in own else "vlan: 10\n"
        (tmp_path / side / "a.sheet").write_text(text.replace("access\n", f"access\n{vlan}"))
    found = inkov("compare", tmp_path / "old", tmp_path / "new", "-f", "json", "-q").json
    assert found["switches"]["forward_as_before"] == alike
    rows = [row for row in found["gained"] if row["level"] == "hostile"]
    assert [one for row in rows for one in row["from"]["ports"]] == gains
