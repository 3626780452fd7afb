"""Sheets as they are written once they are mended: read back, nothing is found; and what was not to
be changed stands as it stood.
"""

from __future__ import annotations

import json
import random
import re
import shutil
from collections.abc import Callable
from pathlib import Path
from typing import Any

import pytest

from inkov.campus import Campus
from inkov.forwarding import resolve
from inkov.readers import load
from inkov.readers.openconfig.writer import write_openconfig
from inkov.readers.sheets.writer import write_sheet
from inkov.wiring import End, wire
from tests.checks.mistakes import KINDS, Ground
from tests.checks.test_cures import reach_of
from tests.checks.test_mistakes import clean, ground_of
from tests.conftest import DEMO, Inkov, copied, on_terminal, share

WRITABLE = {
    *("allowed-differs", "edge-missing", "edge-on-link", "guard-missing", "native-not-allowed"),
    *("needed-vlan-missing", "surplus-vlans", "vlan-missing-in-transit", "vlan-name-differs"),
    *("vlan-suspended", "protected-uplink", "registration-at-host-port"),
}


@pytest.mark.parametrize(
    ("ground", "form", "least"), share([(1, "sheet", 6), (4, "sheet", 6), (3, "json", 4)], 2)
)
def test_planted_mistakes_are_mended_in_the_files(
    inkov: Inkov, tmp_path: Path, ground: int, form: str, least: int
) -> None:
    """A clean campus as files, with one mistake; the files that change take the others' place."""
    seen: set[str] = set()
    for name, kind in KINDS.items():
        if kind.rule not in WRITABLE:
            continue
        campus, text = clean(ground)
        changed, lines = copied(campus), [text]
        spots = kind.plant(Ground(ground_of(ground), changed, random.Random(name), lines))
        if spots is None:
            continue
        folder = tmp_path / name
        folder.mkdir()
        for device in changed.devices.values():
            own = [one for one in changed.neighbours if one.device == device.name]
            as_json = write_openconfig(device, own)[0] if form == "json" else ""
            (folder / f"{device.name}.{form}").write_text(as_json or write_sheet(device, own))
        (folder / "plan.yaml").write_text("".join(lines))
        found = [one["rule"] for one in inkov("audit", name, "-f", "json").json["findings"]]
        if kind.rule not in found or (form == "sheet" and found != [kind.rule]):
            continue  # the format has another default for something, or cannot say it
        written = inkov("mend", name, "--rule", kind.rule, "--write", f"{name}-mended")
        if form == "json" and "not written" in written.err:
            continue  # no member states it yet
        assert written.status == 0, (name, written.out, written.err)
        for file in (tmp_path / f"{name}-mended").iterdir():
            (folder / file.name).write_text(file.read_text())
        left = [one["rule"] for one in inkov("audit", name, "-f", "json").json["findings"]]
        found = [rule for rule in found if rule != kind.rule]
        assert sorted(left) == sorted(found), (name, left, found)
        seen.add(kind.rule)
    assert len(seen) >= least, seen


def written_as(folder: Path, form: str, campus: Campus, plan: str) -> None:
    """A campus as files of one form, with its tables."""
    folder.mkdir()
    for device in campus.devices.values():
        own = [one for one in campus.neighbours if one.device == device.name]
        as_json = write_openconfig(device, own)[0] if form == "json" else ""
        (folder / f"{device.name}.{form}").write_text(as_json or write_sheet(device, own))
    (folder / "plan.yaml").write_text(plan)
    rows = [f"{c.device},{c.port},{c.far_device},{c.far_port}" for c in campus.cables]
    (folder / "cabling.csv").write_text("\n".join(["switch,port,far switch,far port", *rows]))


def heard_in(folder: Path) -> dict[End, set[tuple[str, str, int, bool]]]:
    campus = load([str(folder)]).campus
    return reach_of(resolve(campus, wire(campus)))


@pytest.mark.parametrize("seed", share(range(6), 3))
@pytest.mark.parametrize("form", ["sheet", "json"])
def test_several_mistakes_are_mended_from_files_to_files(
    inkov: Inkov, tmp_path: Path, form: str, seed: int
) -> None:
    """One to three mistakes of any kind: what is said to be mended is found no more once the files
    are written, nothing else is found, and nobody is cut off but by what was told.
    """
    rng = random.Random(f"{form} {seed}")
    ground = rng.choice([1, 3])
    campus, text = clean(ground)
    campus, lines = copied(campus), [text]
    for name in rng.sample(sorted(KINDS), rng.randint(1, 3)):
        KINDS[name].plant(Ground(ground_of(ground), campus, random.Random(name), lines))
    written_as(tmp_path / "broken", form, campus, "".join(lines))
    before = inkov("audit", "broken", "-f", "json").json["findings"]
    told = inkov("mend", "broken", "-f", "json").json
    said = inkov("mend", "broken", "--write", "new").err
    shutil.copytree(tmp_path / "broken", tmp_path / "mended")
    if (tmp_path / "new").exists():
        shutil.copytree(tmp_path / "new", tmp_path / "mended", dirs_exist_ok=True)
    after = inkov("audit", "mended", "-f", "json").json["findings"]
    if "not written" in said:
        return  # the format cannot say it, and so somebody does it by hand

    def places(findings: list[dict[str, Any]]) -> set[tuple[str, str, str]]:
        return {(f["rule"], w["switch"], w["port"]) for f in findings for w in f["where"]}

    unmet = {one["finding"]["id"] for one in told["unmet"]}
    assert {one["id"] for one in after} <= unmet or places(after) <= places(before)
    assert not {f["id"] for f in before} - unmet & {f["id"] for f in after}
    moving = ("enabled", "access_vlan", "pvid", "untagged", "mode", "primary", "secondary")
    moved = {(e["switch"], e["name"]) for e in told["edits"] if e["attribute"] in moving}
    then = heard_in(tmp_path / "mended")
    for end, ears in heard_in(tmp_path / "broken").items():
        cut = {ear for ear in ears - then.get(end, set()) if ear[:2] not in moved}
        assert end in moved or not cut or told["lost"], (end, cut)


SHEET = """\
inkov sheet 1
# the palm house
switch: a

[vlans]
10: climate   # everywhere
20: pumps; suspended  # since the flood
99: nobody

[port 1..4]  # the beds
vlan: 10
edge: yes

[port 5..6]
vlan: 20
edge: no

[port 9]
mode: trunk
native: 99   # nobody
allowed: 10,20   # to the fern house
[neighbours]
9: b:9
"""


def test_what_is_not_mended_stays_as_it_is_written(inkov: Inkov, tmp_path: Path) -> None:
    """The row is active again, the list has the native VLAN, and ports 5 and 6 are edge ports."""
    far = "[vlans]\n10: climate\n20: pumps\n99: nobody\n[port 9]\nmode: trunk\nnative: 99\n"
    (tmp_path / "in").mkdir()
    (tmp_path / "in" / "a.sheet").write_text(SHEET)
    (tmp_path / "in" / "b.sheet").write_text(
        f"inkov sheet 1\nswitch: b\n{far}allowed: 10,20,99\n[port 1]\nvlan: 10\n[port 2]\n"
        "vlan: 20\n[neighbours]\n9: a:9\n"
    )
    result = inkov("mend", "in", "--write", "out", "--diff")
    assert result.status == 0, result.out + result.err
    expected = (
        SHEET.replace("20: pumps; suspended  #", "20: pumps; active  #")
        .replace("allowed: 10,20   #", "allowed: 10,20,99   #")
        .replace("[port 5..6]\nvlan: 20\nedge: no\n", "[port 5..6]\nvlan: 20\nedge: yes\n")
    )
    assert (tmp_path / "out" / "a.sheet").read_text() == expected
    assert not (tmp_path / "out" / "b.sheet").exists()
    assert "+allowed: 10,20,99   # to the fern house" in result.out
    # What was written is what the next audit reads.
    (tmp_path / "in" / "a.sheet").write_text(expected)
    assert inkov("mend", "in").out.startswith("There is nothing to change.")


def test_some_ports_of_a_section_get_one_of_their_own(inkov: Inkov, tmp_path: Path) -> None:
    """Behind port 4 is another switch, so it is no edge port; "bed 9" and "bed 10" are."""
    (tmp_path / "in").mkdir()
    text = (
        "inkov sheet 1\nswitch: a\n[vlans]\n10: climate\n{0}\n[neighbours]\n4: b:1\n\n"
        '[port "bed 9".."bed 10"]\n{1}'
    )
    (tmp_path / "in" / "plan.yaml").write_text("practice:\n  edge: true\n")
    said = "  vlan: 10   # for now\n  edge: "
    before = text.format(f"[port 1..8, 08..11]  # beds\n{said}no\n", "edge: no\nvlan: 10\n")
    (tmp_path / "in" / "a.sheet").write_text(before)
    (tmp_path / "in" / "b.sheet").write_text(
        "inkov sheet 1\nswitch: b\n[vlans]\n10: climate\n[port 1]\nvlan: 10\nedge: no\n"
        "[port 2]\nvlan: 10\nedge: yes\n"
    )
    inkov("mend", "in", "--rule", "edge-missing", "--write", "out")
    assert (tmp_path / "out" / "a.sheet").read_text() == text.format(
        f"[port 4]  # beds\n{said}no\n[port 1..3, 5..8, 08..11]\n{said}yes\n",
        "edge: yes\nvlan: 10\n",
    )


def test_a_file_that_is_not_utf_8_is_not_written(inkov: Inkov, tmp_path: Path) -> None:
    (tmp_path / "in").mkdir()
    text = SHEET.replace("palm house", "Gärten").replace("edge: no", "edge: yes")
    (tmp_path / "in" / "a.sheet").write_bytes(text.encode("latin-1"))
    result = inkov("mend", "in", "--rule", "vlan-suspended", "--write", "out")
    assert result.status == 1
    assert "not written: a: in/a.sheet is not UTF-8 (save it as UTF-8)" in result.err


def test_a_diff_shows_no_secrets_and_moves_no_cursor(inkov: Inkov, tmp_path: Path) -> None:
    around = "# password: hunter2\nallowed: 10,20   # \x1b[31mred\n# community hunter2"
    (tmp_path / "in").mkdir()
    text = SHEET.replace("allowed: 10,20   # to the fern house", around)
    (tmp_path / "in" / "a.sheet").write_text(text)
    for form in ("table", "json"):
        result = inkov("mend", "in", "--rule", "native-not-allowed", "--diff", "-f", form)
        assert "allowed: 10,20,99   # " in result.out
        assert "hunter2" not in result.out and "\x1b" not in result.out
    shown = on_terminal("mend", tmp_path / "in", "--rule", "native-not-allowed", "--diff")
    assert "# \\x1b[31mred" in shown and "\x1b" not in shown
    inkov("mend", "in", "--rule", "native-not-allowed", "--write", "out")
    written = (tmp_path / "out" / "a.sheet").read_text()
    assert written == text.replace("allowed: 10,20 ", "allowed: 10,20,99 ")


def pair(folder: Path, layout: Callable[[str], str]) -> None:
    """orchard-1 and palm-1 of the demo: both let VLAN 60 through between them, and orchard-1 has
    nobody in it. palm-1 is laid out in another way.
    """
    (folder / "in").mkdir()
    for name in ("orchard-1.sheet", "palm-1.json"):
        text = (DEMO / "garden" / name).read_text()
        text = layout(text) if name.endswith(".json") else text
        (folder / "in" / name).write_bytes(text.encode())


@pytest.mark.parametrize(
    "layout",
    [
        lambda text: "\ufeff" + text.replace("\n", "\r\n"),
        lambda text: json.dumps(json.loads(text), indent="\t"),
        lambda text: json.dumps(json.loads(text)),
    ],
)
def test_json_stays_laid_out_as_it_was(
    inkov: Inkov, tmp_path: Path, layout: Callable[[str], str]
) -> None:
    pair(tmp_path, layout)
    result = inkov("mend", "in", "--rule", "surplus-vlans", "--write", "out")
    assert (result.status, "2 files written" in result.err) == (0, True), result.err
    document = json.loads((DEMO / "garden" / "palm-1.json").read_text())
    for one in document["openconfig-interfaces:interfaces"]["interface"]:
        if one["name"] == "port-23":  # the port to orchard-1
            ethernet = one["openconfig-if-ethernet:ethernet"]
            ethernet["openconfig-vlan:switched-vlan"]["config"]["trunk-vlans"].remove(60)
    expected = layout(json.dumps(document, indent=2) + "\n")
    assert (tmp_path / "out" / "palm-1.json").read_bytes() == expected.encode()


MIXED = (
    "inkov sheet 1\r\nswitch: a\n[vlans]\r\n10: climate\n99: nobody\r\n[port 1]\nvlan: 10\r\n"
    "[port 8]\nmode: trunk\r\nnative: 99\r\nallowed: 99\n[neighbours]\n8: b:8\r\n"
)


def test_line_ends_stay_as_they_are_each_by_itself(inkov: Inkov, tmp_path: Path) -> None:
    """Files that several people edited have both kinds: only the line of the cure differs."""
    (tmp_path / "in").mkdir()
    far = MIXED.replace("switch: a", "switch: b").replace("8: b:8", "8: a:8")
    (tmp_path / "in" / "a.sheet").write_bytes(MIXED.encode())
    (tmp_path / "in" / "b.sheet").write_bytes(far.replace("allowed: 99", "allowed: 10,99").encode())
    assert inkov("mend", "in", "--write", "out").status == 0
    expected = MIXED.replace("allowed: 99\n", "allowed: 10,99\n")
    assert (tmp_path / "out" / "a.sheet").read_bytes() == expected.encode()


def test_half_of_a_cure_is_not_written_where_it_does_harm(inkov: Inkov, tmp_path: Path) -> None:
    """orchard-1 would not let VLAN 60 through any more, and palm-1 still would."""
    pair(tmp_path, lambda text: text.replace(": ", " : "))
    result = inkov("mend", "in", "--rule", "surplus-vlans", "--write", "out")
    assert result.status == 1 and not (tmp_path / "out").exists()
    assert "not written: palm-1: its layout would not stay as it is" in result.err
    assert "do harm without the others: it makes another finding: palm-1:port-23" in result.err


def test_a_claim_without_a_change_is_said_beside_a_diff(inkov: Inkov, tmp_path: Path) -> None:
    (tmp_path / "a.sheet").write_text(SHEET.replace("suspended", "active"))
    (tmp_path / "plan.yaml").write_text("claims:\n  - join: ['a:1', 'a:5']\n")
    result = inkov("mend", ".", "--claim", "1", "--diff")
    assert (result.status, result.out) == (1, "")
    assert "nothing to change for join a:1, a:5: its members are in several VLANs" in result.err


def test_what_was_read_is_not_written_over(inkov: Inkov, tmp_path: Path) -> None:
    (tmp_path / "a.sheet").write_text(SHEET)
    result = inkov("mend", ".", "--write", ".")
    assert result.status == 2 and "one of the files that are read" in result.err
    assert (tmp_path / "a.sheet").read_text() == SHEET


def test_what_is_no_sheet_is_said(inkov: Inkov, tmp_path: Path) -> None:
    result = inkov("mend", str(DEMO / "garden"), "--fail-on", "fault", "--write", "out")
    # What a sheet lacks stands in its order, with the name that it has elsewhere.
    sheet = (DEMO / "garden" / "herbarium-1.sheet").read_text()
    more = sheet.replace("60: cameras\n", "60: cameras\n70: cold-store\n", 1)
    assert (tmp_path / "out" / "herbarium-1.sheet").read_text() == more
    # The port plan has p3 of barn-1 in VLAN 20, and its text in the range of the cameras.
    lines = (tmp_path / "out" / "barn-1.txt").read_text().splitlines()
    bare = [line.rpartition("= ")[2] for line in lines if " bare = " in line]
    assert bare == ["p1..p2,p3", "p4", "p9"]
    assert result.status == 1 and "7 files written" in result.err
    # A host of the plan is a line of the plan, which nobody but its author writes.
    (tmp_path / "in").mkdir()
    (tmp_path / "in" / "a.sheet").write_text(SHEET + "[gateway 10]\naddress: 10.10.0.1/24\n")
    (tmp_path / "in" / "plan.yaml").write_text(
        "hosts:\n  h: {at: 'a:1', address: 10.10.0.5/24, gateway: 10.10.0.9}\n"
    )
    result = inkov("mend", "in", "--rule", "host-gateway-wrong", "--write", "out2")
    assert result.status == 1 and "not written: h: in/plan.yaml is not written" in result.err


def test_a_switch_with_packet_filters_is_written(inkov: Inkov, tmp_path: Path) -> None:
    """core-1 of the garden binds a filter to a gateway elsewhere in its document."""
    shutil.copytree(DEMO / "garden", tmp_path / "in")
    with (tmp_path / "in" / "plan.yaml").open("a") as file:
        file.write("vlans:\n  61: {name: seedlings, on: [core-1, gate-1]}\n")
    result = inkov("mend", "in", "--as-planned", "--write", "out")
    # What else is not as planned is mended: the port plan, native VLANs, a spare port.
    assert (result.status, "6 files written" in result.err) == (0, True), result.err
    for name in sorted(path.name for path in (tmp_path / "out").iterdir()):
        (tmp_path / "in" / name).write_text((tmp_path / "out" / name).read_text())
    assert inkov("mend", "in", "--as-planned").out.startswith("VLAN 61 (seedlings) is as planned.")


@pytest.mark.parametrize(("vid", "newline"), [(61, "\n"), (61, "\r\n"), (7, "\n")])
def test_xml_is_written_line_by_line(inkov: Inkov, tmp_path: Path, vid: int, newline: str) -> None:
    """A VLAN comes with its row, its place in the list of the uplink, and a gateway; and goes."""
    (tmp_path / "in").mkdir()
    for name in ("core-1.json", "lily-1.xml"):
        text = (DEMO / "repaired" / name).read_text().replace("\n", newline)
        (tmp_path / "in" / name).write_bytes(text.encode())
    before = (tmp_path / "in" / "lily-1.xml").read_bytes().decode()
    plan = tmp_path / "in" / "plan.yaml"
    plan.write_text(
        f"vlans:\n  {vid}: {{name: see & sow, on: [lily-1, core-1], "
        f"gateways: {{lily-1: 10.{vid}.0.1/24}}}}\n"
    )
    assert inkov("mend", "in", "--as-planned", "--write", "out").status == 0
    written = (tmp_path / "out" / "lily-1.xml").read_bytes().decode()
    more = [line for line in written.split(newline) if line not in before.split(newline)]
    assert {line.strip() for line in more} == {
        *(f"<trunk-vlans>{vid}</trunk-vlans>", f"<vlan-id>{vid}</vlan-id>"),
        *("<name>see &amp; sow</name>", f"<name>vlan-{vid}</name>", f"<vlan>{vid}</vlan>"),
        f"<ip>10.{vid}.0.1</ip>",
    }
    for leaf in ("vlan-id", "trunk-vlans"):  # tables and lists are ascending
        listed = [int(number) for number in re.findall(f"<{leaf}>(.*)</{leaf}>", written)]
        assert listed == sorted(listed) and vid in listed
    table = re.findall('"vlan-id": *([0-9]+)', (tmp_path / "out" / "core-1.json").read_text())
    assert str(vid) in table and table == sorted(table, key=int)
    for name in ("core-1.json", "lily-1.xml"):
        (tmp_path / "in" / name).write_bytes((tmp_path / "out" / name).read_bytes())
    plan.write_text(f"vlans:\n  {vid}: {{on: []}}\n")
    assert inkov("mend", "in", "--as-planned", "--write", "out2").status == 0
    assert (tmp_path / "out2" / "lily-1.xml").read_bytes().decode() == before


def test_a_leaf_of_xml_gets_another_value(inkov: Inkov, tmp_path: Path) -> None:
    """The first port is planned for another VLAN: the line that says its VLAN, and no other."""
    (tmp_path / "in").mkdir()
    before = (DEMO / "repaired" / "lily-1.xml").read_text()
    (tmp_path / "in" / "lily-1.xml").write_text(before)
    port = re.findall("<name>(.*)</name>", before)[0]
    (tmp_path / "in" / "ports.csv").write_text(f"switch,port,vlan\nlily-1,{port},60\n")
    assert inkov("mend", "in", "--rule", "port-against-plan", "--write", "out").status == 0
    written = (tmp_path / "out" / "lily-1.xml").read_text()
    own = "<access-vlan>{}</access-vlan>"
    assert written == before.replace(own.format(10), own.format(60), 1)


TABBED = "host\tswitch\tport\taddress\tgateway\ng\ta\t2\t10.10.0.6/24\t10.10.0.1\n"


@pytest.mark.parametrize(
    ("text", "expected"),
    [
        (
            "host,switch,port,address,gateway\nh,a,1,10.10.0.5/24,10.10.0.9\n",
            "host,switch,port,address,gateway\nh,a,1,10.10.0.5/24,10.10.0.1\n",
        ),
        # Quotes, spaces, other marks, line ends, a cell that the row lacks.
        (
            '\ufeffGateway;Host;Switch;Port;Address\r\n"10.10.0.9" ;"h";a;1; 10.10.0.5/24 \r\n',
            '\ufeffGateway;Host;Switch;Port;Address\r\n"10.10.0.1" ;"h";a;1; 10.10.0.5/24 \r\n',
        ),
        (
            f"{TABBED}h\ta\t1\t10.10.0.5/24",
            f"{TABBED}h\ta\t1\t10.10.0.5/24\t10.10.0.1",
        ),
    ],
)
def test_a_table_of_hosts_gets_another_cell(
    inkov: Inkov, tmp_path: Path, text: str, expected: str
) -> None:
    """The host's gateway is to be the one of its VLAN."""
    (tmp_path / "in").mkdir()
    (tmp_path / "in" / "a.sheet").write_text(
        "inkov sheet 1\nswitch: a\n[vlans]\n10: climate\n[port 1..2]\nvlan: 10\n"
        "[gateway 10]\naddress: 10.10.0.1/24\n"
    )
    (tmp_path / "in" / "hosts.csv").write_bytes(text.encode())
    rules = [f["rule"] for f in inkov("audit", "in", "-f", "json").json["findings"]]
    [rule] = {"host-gateway-wrong", "host-without-gateway"} & set(rules)
    result = inkov("mend", "in", "--rule", rule, "--write", "out")
    assert result.status == 0, result.err
    assert (tmp_path / "out" / "hosts.csv").read_bytes() == expected.encode()


@pytest.mark.parametrize(
    ("form", "says", "other"),
    [
        ('"shy" = "protected = yes"', "shy", "shy"),
        ('"shy {yes}" = "protected = {yes}"', "shy on", "shy on"),
        ('"shy {yes}" = "protected = {yes}"', "shy yes", "shy off"),
    ],
)
def test_texts_of_other_switches_show_how_a_thing_is_written(
    inkov: Inkov, tmp_path: Path, form: str, says: str, other: str
) -> None:
    (tmp_path / "in").mkdir()
    (tmp_path / "in" / "plots.toml").write_text(
        'dialect = "plots"\nfiles = ["*.txt"]\n[text]\nshape = "indented"\n'
        '[device.says]\n"box {name}" = "name = {name}"\n[port]\nopens = ["pot {ports}"]\n'
        f'[port.says]\n"grow {{vid}}" = "mode = access; vlan = {{vid}}"\n{form}\n'
    )
    (tmp_path / "in" / "one.txt").write_text("box one\npot 1\n   grow 10\n")
    (tmp_path / "in" / "ports.csv").write_text("switch,port,vlan,protected\none,1,10,yes\n")
    planned = ("mend", "in", "--rule", "port-against-plan")
    assert "no line of the texts shows how that is written" in inkov(*planned, "--diff").err
    (tmp_path / "in" / "two.txt").write_text(f"box two\npot 1\n  grow 20\n  {other}\n")
    lines = inkov(*planned, "--diff").out.splitlines()
    assert lines[3:] == [" box one", " pot 1", "    grow 10", f"+   {says}"]
    [step] = inkov(*planned, "--commands", "-f", "json").json["steps"]
    assert step["enter"] == ["  pot 1", f"+    {says}"]


def test_a_flat_text_gets_a_gateway_as_others_are_written(inkov: Inkov, tmp_path: Path) -> None:
    (tmp_path / "in").mkdir()
    (tmp_path / "in" / "plots.toml").write_text(
        'dialect = "plots"\nfiles = ["*.txt"]\n[text]\nshape = "flat"\n[device.says]\n'
        '"box {name}" = "name = {name}"\n'
        '"plot {vid} named {name}" = "on vlan {vid}: name = {name}"\n'
        '"well {vid} at {address}" = "on gateway {vid}: address = {address}"\n'
        '"pot {port} grow {vid}" = "on port {port}: mode = access; vlan = {vid}"\n'
    )
    plots = "plot 10 named ferns\nplot 20 named moss\n"
    wells, pots = "well 10 at 10.0.10.1/24\n", "pot 1 grow 10\npot 2 grow 20\n"
    (tmp_path / "in" / "core.txt").write_text(f"box core\n{plots}{wells}{pots}")
    plan = "vlans:\n  20: {gateways: {core: 10.0.20.1/24}}\n"
    (tmp_path / "in" / "plan.yaml").write_text(plan)
    assert inkov("mend", "in", "--as-planned", "--write", "out").status == 0
    wells += "well 20 at 10.0.20.1/24\n"
    assert (tmp_path / "out" / "core.txt").read_text() == f"box core\n{plots}{wells}{pots}"
