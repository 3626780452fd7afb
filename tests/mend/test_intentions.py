"""What a plan says of VLANs is made true: end to end, on every redundant way, with the fewest
edits; and taken away again, so that files are as they were.

The oracle reads the files that were written line by line, and knows nothing of Inkov's model.
"""

from __future__ import annotations

import random
import re
from itertools import combinations, pairwise
from pathlib import Path

import pytest

from inkov.edits.make import of_port
from inkov.forwarding import resolve
from inkov.mend.order import in_order
from inkov.plan import Plan, PlanFile, Practice
from inkov.readers import load
from inkov.vlanset import VlanSet
from inkov.wiring import wire
from tests.conftest import Inkov, cases

Link = tuple[str, str, str, str]  # switch, port, switch, port


def sheet(name: str, ports: list[str], rows: str = "10: climate\n99: nobody\n") -> str:
    trunks = "".join(
        f"[port {port}]\nmode: trunk\nnative: 99\nallowed: 10,99\nspeed: 1000\n\n" for port in ports
    )
    return (
        f"inkov sheet 1\nswitch: {name}\n\n[vlans]\n{rows}\n{trunks}"
        "[port h1..h2]\nvlan: 10\nedge: yes\n\n[tree]\nmode: rstp\n"
    )


def campus(folder: Path, switches: list[str], links: list[Link]) -> None:
    folder.mkdir(exist_ok=True)
    for name in switches:
        ports = [end[1] for link in links for end in (link[:2], link[2:]) if end[0] == name]
        (folder / f"{name}.sheet").write_text(sheet(name, ports))
    rows = "".join(f"{a},{p},{b},{q}\n" for a, p, b, q in links)
    (folder / "cabling.csv").write_text("switch,port,far switch,far port\n" + rows)


def ring(*names: str) -> list[Link]:
    return [(a, "up", b, "down") for a, b in zip(names, (*names[1:], names[0]), strict=True)]


# --- read by hand ---------------------------------------------------------------------------------


def carried(folder: Path, switches: list[str], links: list[Link], vid: str) -> list[int]:
    """The links that let a VLAN through between two switches that have it, by their numbers."""
    has: dict[str, bool] = {}
    lets: dict[tuple[str, str], bool] = {}
    for name in switches:
        section: list[str] = []
        for line in (folder / f"{name}.sheet").read_text().splitlines():
            if line.startswith("["):
                section = line.strip("[]").replace(",", " ").split()
            elif section == ["vlans"] and line.startswith(f"{vid}:"):
                has[name] = True
            elif section[:1] == ["port"] and line.startswith("allowed:"):
                for port in section[1:]:
                    lets[name, port] = vid in line.removeprefix("allowed:").strip().split(",")
    return [
        number
        for number, (a, p, b, q) in enumerate(links)
        if has.get(a) and has.get(b) and lets[a, p] and lets[b, q]
    ]


def part_of(start: str, links: list[Link], without: object) -> set[str]:
    """The switches that hang together with one, without a link (its number) or a switch."""
    seen = {start}
    for _ in links:
        for number, (a, _, b, _) in enumerate(links):
            if number != without and without not in (a, b) and len({a, b} & seen) == 1:
                seen |= {a, b}
    return seen


def withstands(members: list[str], whole: list[Link], carrying: list[int]) -> bool:
    """Whether, whatever link or switch is lost, members hang together as they do on the campus."""
    for without in (None, *range(len(whole)), *{end for link in whole for end in link[::2]}):
        own = [link if n in carrying else ("-", "", "-", "") for n, link in enumerate(whole)]
        for start in members:
            there, here = part_of(start, whole, without), part_of(start, own, without)
            if start != without and (there ^ here) & set(members) - {without}:
                return False
    return True


def fewest(members: list[str], switches: list[str], links: list[Link]) -> int:
    """The fewest edits of any set of switches that have the VLAN, on all links between them: a row
    each, a list at each end.
    """
    others = [name for name in switches if name not in members]
    best = 10**6
    for size in range(len(others) + 1):
        for more in combinations(others, size):
            chosen = {*members, *more}
            inside = [n for n, (a, _, b, _) in enumerate(links) if {a, b} <= chosen]
            if withstands(members, links, inside):
                best = min(best, len(chosen) + 2 * len(inside))
    return best


def random_campus(rng: random.Random) -> tuple[list[str], list[Link]]:
    switches = [f"s{number}" for number in range(rng.randint(3, 5))]
    pairs = [(rng.choice(switches[:n]), switches[n]) for n in range(1, len(switches))]
    every = list(combinations(switches, 2))
    pairs += rng.sample(every, rng.randint(1, len(every) // 2 + 1))
    ports = dict.fromkeys(switches, 0)

    def port(name: str) -> str:
        ports[name] += 1
        return str(ports[name])

    return switches, [(a, port(a), b, port(b)) for a, b in pairs]


@pytest.mark.parametrize("seed", range(cases("WAYS", 60)))
def test_on_every_redundant_way_with_the_fewest_edits(
    inkov: Inkov, tmp_path: Path, seed: int
) -> None:
    rng = random.Random(seed)
    switches, links = random_campus(rng)
    members = rng.sample(switches, rng.randint(2, min(3, len(switches))))
    campus(tmp_path / "in", switches, links)
    (tmp_path / "in" / "plan.yaml").write_text(
        f"vlans:\n  61: {{name: seedlings, on: [{', '.join(members)}]}}\n"
    )
    result = inkov("mend", "in", "--as-planned", "--write", "out", "-f", "json")
    assert (result.status, result.json["unmet"]) == (0, []), result.err
    before = {file.name: file.read_text() for file in (tmp_path / "in").iterdir()}
    for file in (tmp_path / "out").iterdir():
        (tmp_path / "in" / file.name).write_text(file.read_text())
    assert withstands(members, links, carried(tmp_path / "in", switches, links, "61"))
    assert len(result.json["edits"]) == fewest(members, switches, links)
    rules = [one["rule"] for one in inkov("audit", "in", "-f", "json").json["findings"]]
    assert not {"surplus-vlans", "spare-link-lacks-vlan", "allowed-differs"} & set(rules)
    # And away again: not a trace is left.
    (tmp_path / "in" / "plan.yaml").write_text("vlans:\n  61: {on: []}\n")
    gone = inkov("mend", "in", "--as-planned", "--write", "out2")
    assert gone.status == 0, gone.err
    for file in (tmp_path / "out2").iterdir():
        assert file.read_text() == before[file.name]


@pytest.mark.parametrize("seed", range(cases("WAYS", 60) // 3))
def test_on_the_way_nobody_loses_what_he_keeps(inkov: Inkov, tmp_path: Path, seed: int) -> None:
    """A VLAN moves from some switches to others, step by step: after each step those who are in it
    before and afterwards hear each other.
    """
    rng = random.Random(seed)
    switches, links = random_campus(rng)
    campus(tmp_path / "in", switches, links)
    keep = rng.sample(switches, 2)
    for more in (rng.sample(switches, 1), rng.sample(switches, 1)):
        names = ", ".join(dict.fromkeys([*keep, *more]))
        (tmp_path / "in" / "plan.yaml").write_text(f"vlans:\n  61: {{on: [{names}]}}\n")
        told = inkov("mend", "in", "--as-planned", "--commands", "-f", "json").json
        written = inkov("mend", "in", "--as-planned", "--write", "out")
        assert written.status == 0, written.err
        has = {name: "61:" in (tmp_path / "in" / f"{name}.sheet").read_text() for name in switches}
        inside = carried(tmp_path / "in", switches, links, "61")
        lets = {end: n in inside for n, link in enumerate(links) for end in (link[:2], link[2:])}
        for step in told["steps"] if all(has[name] for name in keep) else ():
            assert step["cuts"] == []
            for edit in step["edits"]:
                if edit["kind"] == "vlan":
                    has[edit["switch"]] = edit["after"] is not None
                else:
                    lets[edit["switch"], edit["name"]] = "61" in edit["after"].split(",")
            now = [
                link
                for link in links
                if has[link[0]] and has[link[2]] and lets[link[:2]] and lets[link[2:]]
            ]
            assert set(keep) <= part_of(keep[0], now, None), (step, names)
        for file in (tmp_path / "out").iterdir() if (tmp_path / "out").exists() else ():
            (tmp_path / "in" / file.name).write_text(file.read_text())


@pytest.mark.parametrize(("router", "order"), [("a", ["e", "a"]), ("e", ["a", "e"])])
@pytest.mark.parametrize("managed", [True, False])
def test_the_far_end_comes_first(four: Path, router: str, order: list[str], managed: bool) -> None:
    """VLAN 10 is to be tagged on the link of a and e, at both ends. One of them routes, so the
    other is the far end: behind the router as it would be then, nobody could reach it. In between
    hosts of VLAN 10 are cut off, and whoever is managed in it; and that is said.
    """
    for number, name in enumerate("abcde", 1):
        text = (four / f"{name}.sheet").read_text()
        plain = text.replace(
            "[port x]\nmode: trunk\nnative: 99", "[port x]\nmode: trunk\nnative: 10"
        )
        own = f"[gateway 10]\naddress: 10.10.0.{number}/24\n"
        more = "[gateway 99]\naddress: 10.99.0.1/24\n" if name == router else ""
        (four / f"{name}.sheet").write_text(plain + own * (managed or name == router) + more)
    loaded = load([str(four)])
    devices = loaded.campus.devices
    edits = [of_port(name, devices[name].ports["x"], "native_vlan", 99) for name in "ae"]
    fabric = resolve(loaded.campus, wire(loaded.campus))
    plan = Plan(PlanFile(practice=Practice(management=10 if managed else None)))
    steps = in_order(fabric, plan, edits)
    assert [step.switch for step in steps] == order
    assert any("VLAN 10" in says and "e" in says for says in steps[0].cuts)
    assert [says for says in steps[0].cuts if "managed" in says] == (
        ["e cannot be managed"] if managed else []
    )
    assert steps[1].cuts == []


def test_the_far_end_is_the_one_behind_the_other(four: Path) -> None:
    """e routes, and b is behind a: by the names, a would be the first."""
    with (four / "e.sheet").open("a") as file:
        file.write("[gateway 10]\naddress: 10.10.0.1/24\n")
    loaded = load([str(four)])
    devices = loaded.campus.devices
    edits = [
        of_port(name, devices[name].ports[port], "native_vlan", 10)
        for name, port in (("a", "up"), ("b", "down"))
    ]
    fabric = resolve(loaded.campus, wire(loaded.campus))
    assert [step.switch for step in in_order(fabric, Plan(), edits)] == ["b", "a"]


def test_who_was_not_managed_before_is_not_cut_off(four: Path) -> None:
    """VLAN 10 does not get to e: its address there is reached in the end, and not on the way."""
    for number, name in enumerate("abcde", 1):
        text = (four / f"{name}.sheet").read_text()
        head, port, rest = text.partition("[port x]\n")
        rest = rest.replace("allowed: 10,99", "allowed: 99", 1)
        own = f"[gateway 10]\naddress: 10.10.0.{number}/24\n"
        (four / f"{name}.sheet").write_text(head + port + rest + own)
    loaded = load([str(four)])
    devices = loaded.campus.devices
    wider = VlanSet.of(10, 99)
    edits = [of_port(name, devices[name].ports["x"], "allowed", wider) for name in "ae"]
    fabric = resolve(loaded.campus, wire(loaded.campus))
    steps = in_order(fabric, Plan(PlanFile(practice=Practice(management=10))), edits)
    assert [step.switch for step in steps] == ["a", "e"]
    assert [step.cuts for step in steps] == [[], []]


# --- by example -----------------------------------------------------------------------------------


def planned(inkov: Inkov, plan: str, folder: str = "in") -> tuple[int, dict[str, str], list[str]]:
    """(status, change -> what, what is not met) of making a plan true."""
    Path(folder, "plan.yaml").write_text(plan)
    result = inkov("mend", folder, "--as-planned", "-f", "json")
    edits = {
        f"{e['switch']} {e['kind']} {e['name']} {e['attribute'] or ''}".strip(): str(e["after"])
        for e in result.json["edits"]
    }
    return result.status, edits, [one["says"] for one in result.json["unmet"]]


@pytest.fixture
def four(tmp_path: Path, monkeypatch: pytest.MonkeyPatch) -> Path:
    """A ring of four, and one more behind the first."""
    monkeypatch.chdir(tmp_path)
    campus(
        tmp_path / "in",
        ["a", "b", "c", "d", "e"],
        [*ring("a", "b", "c", "d"), ("a", "x", "e", "x")],
    )
    return tmp_path / "in"


def test_ports_and_a_gateway(inkov: Inkov, four: Path) -> None:
    """e hangs on a alone: nobody needs the ring."""
    status, edits, unmet = planned(
        inkov,
        "vlans:\n  61: {name: seedlings, on: ['e:h1..h2'], gateways: {a: 10.61.0.1/24}}\n",
    )
    assert (status, unmet) == (0, [])
    assert edits == {
        "a vlan 61": "seedlings",
        "e vlan 61": "seedlings",
        "a gateway VLAN 61": "addresses 10.61.0.1/24",
        "a port x allowed": "10,61,99",
        "e port x allowed": "10,61,99",
        "e port h1 access_vlan": "61",
        "e port h2 access_vlan": "61",
    }


def test_a_port_that_is_shut_is_put_into_it_and_stays_shut(inkov: Inkov, four: Path) -> None:
    text = (four / "b.sheet").read_text()
    (four / "b.sheet").write_text(text.replace("[port h1..h2]", "[port h1..h2]\nstate: off"))
    plan = "vlans:\n  61: {name: seedlings, on: ['b:h1']}\n"
    status, edits, unmet = planned(inkov, plan)
    assert (status, unmet) == (0, [])
    assert edits == {"b vlan 61": "seedlings", "b port h1 access_vlan": "61"}


def test_a_gateway_moves(inkov: Inkov, four: Path) -> None:
    """Its VLAN has a member at e; the gateway moves from a to c, by both ways of the ring."""
    planned(inkov, "vlans:\n  61: {on: ['e:h1'], gateways: {a: 10.61.0.1/24}}\n")
    inkov("mend", "in", "--as-planned", "--write", "out")
    for file in Path("out").iterdir():
        (four / file.name).write_text(file.read_text())
    status, edits, unmet = planned(
        inkov, "vlans:\n  61: {on: ['e:h1'], gateways: {c: 10.61.0.1/24}}\n"
    )
    assert (status, unmet) == (0, [])
    assert edits["a gateway VLAN 61"] == "None"
    inkov("mend", "in", "--as-planned", "--write", "out2")
    moved = [(Path("out2") / f"{name}.sheet").read_text().count("[gateway 61]") for name in "ac"]
    assert moved == [0, 1] and "10.61.0.1" not in (Path("out2") / "a.sheet").read_text()
    assert edits["c gateway VLAN 61"] == "addresses 10.61.0.1/24"
    assert {edits[f"{name} port {port} allowed"] for name in "bcd" for port in ("up", "down")} == {
        "10,61,99"
    }


def test_a_router_on_a_cable(inkov: Inkov, four: Path) -> None:
    """r has a sub-interface for VLAN 10 on its port to c: VLAN 61 gets another one beside it."""
    (four / "r.sheet").write_text(
        "inkov sheet 1\nswitch: r\n[port w]\nmode: routed\n"
        "[sub w.10]\nof: w\ntag: 10\nmode: routed\naddress: 10.10.0.1/24\n"
    )
    text = (four / "c.sheet").read_text()
    (four / "c.sheet").write_text(
        text.replace("[tree]", "[port r]\nmode: trunk\nnative: none\nallowed: 10\n\n[tree]")
    )
    with (four / "cabling.csv").open("a") as file:
        file.write("c,r,r,w\n")
    status, edits, unmet = planned(
        inkov, "vlans:\n  61: {name: seedlings, on: [c], gateways: {r: 10.61.0.1/24}}\n"
    )
    assert (status, unmet) == (0, [])
    assert edits.keys() == {"c vlan 61", "c port r allowed", "r port w.61"}
    inkov("mend", "in", "--as-planned", "--write", "out")
    written = (Path("out") / "r.sheet").read_text().partition("[sub w.61]\n")[2]
    assert sorted(written.split("\n")) == sorted(
        ["of: w", "tag: 61", "mode: routed", "address: 10.61.0.1/24", ""]
    )


@pytest.mark.parametrize(
    ("plan", "says"),
    [
        ("vlans:\n  61: {on: [z]}\n", "no switch is called z"),
        (
            "vlans:\n  61: {on: [a], gateways: {z: 10.61.0.1/24}}\n",
            "no switch is called z",
        ),
        ("vlans:\n  61: {on: ['a:h9']}\n", "a has no port h9"),
        ("vlans:\n  61: {on: ['a:h1..h4']}\n", "a has no port h4"),
        ("vlans:\n  61: {on: ['a:up']}\n", "a:up leads to another switch"),
        (
            "vlans:\n  10: {on: []}\n",
            "a:h1, a:h2, b:h1, b:h2 and 6 more are in it: say in `on` of another VLAN where that"
            " belongs",
        ),
        (
            "vlans:\n  61: {on: [a], gateways: {a: 10.61.0.1/24}}\n"
            "  62: {on: [b], gateways: {b: 10.61.0.1/24}}\n",
            "10.61.0.1 is the address of a VLAN 61, b VLAN 62",
        ),
        (
            "vlans:\n  61: {on: ['a:h1']}\n  62: {on: ['a:h1..h2']}\n",
            "the plan has a:h1 in VLAN 61 and in VLAN 62",
        ),
        (
            "vlans:\n  61: {on: ['a:h1'], gateways: {a: 10.61.0.1/24}}\n"
            "  10: {name: climate, gateways: {a: 10.10.0.1/24}}\n"
            "claims:\n  - {isolate: vlan 61, from: climate, layer: 3}\n",
            "its edits do harm: the claim isolate vlan 61 from climate would not hold",
        ),
    ],
)
def test_what_cannot_be_met_is_said(inkov: Inkov, four: Path, plan: str, says: str) -> None:
    status, _, unmet = planned(inkov, plan)
    assert status == 1 and any(says in one for one in unmet)


@pytest.mark.parametrize("nobody", ["mode: routed\naddress: 10.9.0.1/24", "vlan: 30"])
def test_who_is_cut_off_by_a_vlan_that_goes_is_told(
    inkov: Inkov, tmp_path: Path, monkeypatch: pytest.MonkeyPatch, nobody: str
) -> None:
    """VLAN 99 between two routers is to go. Somebody behind one reaches VLAN 20 behind the other by
    it, whether he is in a VLAN or at a routed port, which is in none.
    """
    monkeypatch.chdir(tmp_path)
    Path("in").mkdir()
    for name, vid, port in (("r", 30, nobody), ("t", 20, "vlan: 20")):
        Path(f"in/{name}.sheet").write_text(
            f"inkov sheet 1\nswitch: {name}\n[vlans]\n{vid}: beds\n99: between\n[port 1]\n"
            f"mode: trunk\nnative: none\nallowed: 99\n[port 2]\n{port}\n[gateway 99]\n"
            f"address: 10.99.0.{vid}/24\n[gateway {vid}]\naddress: 10.{vid}.0.1/24\n"
        )
    Path("in/cabling.csv").write_text("switch,port,far switch,far port\nr,1,t,1\n")
    Path("in/hosts.csv").write_text("host,switch,port,address\nfogger,r,2,10.9.0.5/24\n")
    status, edits, [says] = planned(inkov, "vlans:\n  99: {on: []}\n")
    assert (status, edits) == (1, {}) and says.startswith("its edits do harm: ")
    assert "VLAN 20" in says and says.endswith(", by routers would be cut off")


def changed(folder: Path, name: str, before: str, after: str) -> None:
    text = (folder / f"{name}.sheet").read_text()
    assert before in text
    (folder / f"{name}.sheet").write_text(text.replace(before, after, 1))


def test_where_no_link_is_up_no_vlan_gets(inkov: Inkov, four: Path) -> None:
    """e hangs by one link, and that is shut: nobody guesses that it should be up."""
    changed(four, "e", "[port x]\n", "[port x]\nstate: off\n")
    status, edits, [says] = planned(inkov, "vlans:\n  61: {name: moss, on: [a, e]}\n")
    assert (status, edits) == (1, {}) and says == "no link that is up leads to e"


def test_a_sub_interface_gets_the_address_of_the_plan(inkov: Inkov, four: Path) -> None:
    """r has one in VLAN 10 already, on a port to c."""
    (four / "r.sheet").write_text(
        "inkov sheet 1\nswitch: r\n[port w]\nmode: routed\n"
        "[sub w.10]\nof: w\ntag: 10\nmode: routed\naddress: 10.10.0.1/24\n"
    )
    changed(four, "c", "[tree]", "[port r]\nmode: trunk\nnative: none\nallowed: 10\n\n[tree]")
    with (four / "cabling.csv").open("a") as file:
        file.write("c,r,r,w\n")
    plan = "vlans:\n  10: {name: climate, gateways: {r: 10.10.0.254/24}}\n"
    status, edits, unmet = planned(inkov, plan)
    assert (status, unmet) == (0, []) and edits.keys() == {"r port w.10 addresses"}
    inkov("mend", "in", "--as-planned", "--write", "out")
    before = (four / "r.sheet").read_text()
    assert (Path("out") / "r.sheet").read_text() == before.replace("10.10.0.1/", "10.10.0.254/")


def test_a_gateway_gets_its_address_and_is_turned_on(inkov: Inkov, four: Path) -> None:
    """That of the other family stays."""
    with (four / "a.sheet").open("a") as file:
        file.write("[gateway 10]\naddress: 10.10.0.1/24, 2001:db8::1/64\nstate: off\n")
    plan = "vlans:\n  10: {name: climate, gateways: {a: 10.10.0.9/24}}\n"
    status, edits, unmet = planned(inkov, plan)
    assert (status, unmet) == (0, []) and edits.pop("a gateway VLAN 10 enabled") == "True"
    [(what, addresses)] = edits.items()
    assert what == "a gateway VLAN 10 addresses"
    assert set(re.findall("[0-9a-f.:]+/[0-9]+", addresses)) == {"10.10.0.9/24", "2001:db8::1/64"}
    before = (four / "a.sheet").read_text()
    assert inkov("mend", "in", "--as-planned", "--write", "out").status == 0
    written = (Path("out") / "a.sheet").read_text()
    head, section = written.split("[gateway 10]\n")
    assert head == before.partition("[gateway 10]")[0] and "state: off" not in section
    assert set(re.findall("[0-9a-f.:]+/[0-9]+", section)) == {"10.10.0.9/24", "2001:db8::1/64"}


def test_a_general_port_is_put_into_it(inkov: Inkov, four: Path) -> None:
    """It is in one VLAN by its PVID, untagged; a port that tags is not for one VLAN."""
    port = "[port h1]\nmode: general\npvid: 10\nuntagged: 10\n[port h2]\nmode: general\ntagged: 10"
    changed(four, "e", "[port h1..h2]\nvlan: 10", port)
    plan = "vlans:\n  61: {name: seedlings, on: ['e:h1']}\n"
    status, edits, unmet = planned(inkov, plan)
    assert (status, unmet) == (0, [])
    assert edits == {
        "e vlan 61": "seedlings",
        "e port h1 pvid": "61",
        "e port h1 untagged": "61",
    }
    status, edits, [says] = planned(inkov, plan.replace("h1", "h2"))
    assert status == 1 and "e:h2 is no port for one VLAN: it is general" in says


def test_whom_a_vlan_leaves_goes_where_nobody_is(inkov: Inkov, four: Path) -> None:
    """Ports of a VLAN that is to be nowhere: they get the unused VLAN, and are shut; voice frames
    go nowhere, lists are without it, and what decides nothing in the port's mode goes.
    """
    changed(four, "e", "10: climate\n", "10: climate\n61: seedlings\n98: unused\n")
    changed(
        four,
        "e",
        "[port h1..h2]\nvlan: 10",
        "[port h1]\nvlan: 61\n[port h2]\nvlan: 10\nvoice: 61\nnative: 61\nallowed: 10,61",
    )
    plan = (
        "vlans:\n  61: {on: []}\n  98: {name: unused}\npractice: {unused: {vlan: 98, shut: yes}}\n"
    )
    status, edits, unmet = planned(inkov, plan)
    assert (status, unmet) == (0, []), unmet
    assert edits == {
        "e vlan 61": "None",
        "e port h1 access_vlan": "98",
        "e port h1 enabled": "False",
        "e port h2 voice_vlan": "None",
        "e port h2 native_vlan": "1",  # as it is where nothing is stated
        "e port h2 allowed": "10",
    }


@pytest.mark.parametrize(
    ("gateways", "edits", "unmet", "found"),
    [
        ("{r: 10.0.10.1/24}", {}, [], None),
        ("{r: 10.0.10.9/24}", {"r port u addresses": "10.0.10.9/24"}, [], "is 10.0.10.1/24, not"),
        ("{}", {}, ["r:u routes it: unplug it, or take its address away"], "r routes it"),
        ("{a: 10.0.10.2/24}", {}, ["r:u routes it: unplug it, or take its address away"], "r rou"),
    ],
)
def test_a_router_by_a_routed_port_is_a_gateway_that_a_plan_may_name(
    inkov: Inkov,
    four: Path,
    gateways: str,
    edits: dict[str, str],
    unmet: list[str],
    found: str | None,
) -> None:
    with (four / "c.sheet").open("a") as file:
        file.write("[port r]\nvlan: 10\n")
    (four / "r.sheet").write_text(
        "inkov sheet 1\nswitch: r\n[port u]\nmode: routed\naddress: 10.0.10.1/24\n"
        "[neighbours]\nu: c:r\n"
    )
    plan = f"vlans:\n  10: {{name: climate, gateways: {gateways}}}\n"
    _, planned_edits, says = planned(inkov, plan)
    assert {k: re.findall("[0-9.]+/[0-9]+", v)[0] for k, v in planned_edits.items()} == edits
    assert says == unmet
    told = [one["says"] for one in inkov("audit", "in", "-f", "json").json["findings"]]
    placed = [text for text in told if text.startswith("the plan has VLAN 10 elsewhere: ")]
    assert len(placed) == (found is not None) and all(str(found) in text for text in placed)


def test_the_second_of_two_links_between_two_switches_is_mended(inkov: Inkov, four: Path) -> None:
    """The first one passes the VLAN already; the spare beside it has to as well."""
    two: list[Link] = [("a", "up", "b", "down"), ("a", "up2", "b", "down2")]
    for file in four.glob("*.sheet"):
        file.unlink()
    campus(four, ["a", "b"], two)
    for name, port in (("a", "up2"), ("b", "down2")):
        changed(four, name, f"[port {port}]\nmode: trunk\nnative: 99\nallowed: 10,99", "")
        with (four / f"{name}.sheet").open("a") as sheet_:
            sheet_.write(f"[port {port}]\nmode: trunk\nnative: 99\nallowed: 99\n")
    status, edits, unmet = planned(inkov, "vlans:\n  10: {name: climate, on: [a, b]}\n")
    assert (status, unmet) == (0, [])
    assert edits == {"a port up2 allowed": "10,99", "b port down2 allowed": "10,99"}


def test_a_goal_that_is_missed_is_that_of_its_own_vlan(inkov: Inkov, four: Path) -> None:
    """f has no table to put VLAN 62 into; 61 is met all the same."""
    (four / "f.sheet").write_text("inkov sheet 1\nswitch: f\n[port 1]\nvlan: 10\n")
    status, edits, unmet = planned(inkov, "vlans:\n  61: {on: [d]}\n  62: {on: [f]}\n")
    assert (status, unmet) == (1, ["the plan has VLAN 62, and no switch does"])
    assert edits == {"d vlan 61": ""}
    answer = inkov("mend", "in", "--as-planned", "-f", "json").json
    assert [(one["vlan"], one["says"]) for one in answer["unmet"]] == [(62, unmet[0])]


def test_a_vlan_without_a_gateway_leaves_the_others_theirs(inkov: Inkov, four: Path) -> None:
    """r keeps the sub-interface of VLAN 10, and the port without a tag."""
    subs = "".join(
        f"[sub w.{tag}]\nof: w\nmode: routed\n{own}address: 10.{tag}.0.1/24\n"
        for tag, own in ((10, "tag: 10\n"), (61, "tag: 61\n"), (62, ""))
    )
    (four / "r.sheet").write_text(f"inkov sheet 1\nswitch: r\n[port w]\nmode: routed\n{subs}")
    changed(four, "c", "10: climate\n", "10: climate\n61: seedlings\n")
    changed(four, "c", "[tree]", "[port r]\nmode: trunk\nnative: none\nallowed: 10,61\n\n[tree]")
    with (four / "cabling.csv").open("a") as file:
        file.write("c,r,r,w\n")
    plan = "vlans:\n  61: {name: seedlings, on: [c], gateways: {}}\n"
    status, edits, unmet = planned(inkov, plan)
    assert (status, unmet) == (0, []) and edits["r port w.61"] == "None"
    assert not {"r port w.10", "r port w.62"} & edits.keys()


def test_how_a_router_gets_one_more_is_not_guessed(inkov: Inkov, four: Path) -> None:
    """It has sub-interfaces on two ports."""
    subs = "".join(
        f"[port {port}]\nmode: routed\n[sub {port}.{tag}]\nof: {port}\ntag: {tag}\nmode: routed\n"
        f"address: 10.{tag}.0.1/24\n"
        for port, tag in (("w", 10), ("x", 20))
    )
    (four / "r.sheet").write_text(f"inkov sheet 1\nswitch: r\n{subs}")
    plan = "vlans:\n  61: {name: seedlings, on: [c], gateways: {r: 10.61.0.1/24}}\n"
    status, _, unmet = planned(inkov, plan)
    assert status == 1 and any("how is r to route VLAN 61? give it the" in one for one in unmet)


def test_a_list_that_gets_and_loses_gets_first(inkov: Inkov, four: Path) -> None:
    """VLAN 61 goes and 64 comes on the same links: no list ever lacks what it has in the end, nor
    loses anything before all others have got theirs.
    """
    for name in "abcd":
        text = (four / f"{name}.sheet").read_text().replace("10,99", "10,61,99")
        (four / f"{name}.sheet").write_text(text.replace("\n99:", "\n61: ferns\n99:"))
    (four / "plan.yaml").write_text("vlans:\n  61: {on: []}\n  64: {name: moss, on: [a, b]}\n")
    told = inkov("mend", "in", "--as-planned", "--commands", "-f", "json").json
    lists: dict[tuple[str, str], list[tuple[str, str]]] = {}
    for step in told["steps"]:
        for edit in step["edits"]:
            if edit["attribute"] == "allowed":
                at = lists.setdefault((edit["switch"], edit["name"]), [])
                at.append((edit["before"], edit["after"]))
    both = [("10,61,99", "10,61,64,99"), ("10,61,64,99", "10,64,99")]
    ends = {(name, port) for name in "abcd" for port in ("up", "down")}
    assert {end: changes for end, changes in lists.items() if changes != both} == {
        ("a", "x"): [("10,61,99", "10,99")]
    }
    assert lists.keys() == ends | {("a", "x")}
    got = [
        "64" in edit["after"].split(",") and "61" in edit["after"].split(",")
        for step in told["steps"]
        for edit in step["edits"]
        if edit["attribute"] == "allowed"
    ]
    assert got == sorted(got, reverse=True)
    assert all(step["cuts"] == [] and step["tried"] for step in told["steps"])


def test_of_many_steps_the_end_of_each_stage_is_tried(inkov: Inkov, tmp_path: Path) -> None:
    """32 switches in a row get a row each, and then their lists: 64 steps."""
    names = [f"s{number}" for number in range(32)]
    links = [(a, "up", b, "down") for a, b in pairwise(names)]
    campus(tmp_path / "in", names, links)
    (tmp_path / "in" / "plan.yaml").write_text("vlans:\n  61: {name: moss, on: [s0, s31]}\n")
    told = inkov("mend", "in", "--as-planned", "--commands", "-f", "json").json["steps"]
    assert [step["edits"][0]["kind"] for step in told] == ["vlan"] * 32 + ["port"] * 32
    assert [number for number, step in enumerate(told) if step["tried"]] == [31, 63]
    assert "Tried after each stage" in inkov("mend", "in", "--as-planned", "--commands").out
