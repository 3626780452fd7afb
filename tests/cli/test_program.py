"""The built program on files in a temporary folder: outputs, exit statuses, and bad input of every
kind.
"""

from __future__ import annotations

import csv
import io
import json
import os
import shutil
import subprocess
import sys
from pathlib import Path

import pytest

from inkov.readers import load
from tests.conftest import DEMO, Inkov, on_terminal

SHEET = "inkov sheet 1\nswitch: {name}\n[vlans]\n10: climate\n[port 1]\nmode: access\nvlan: 10\n"


def write(folder: Path, **files: str) -> None:
    for name, text in files.items():
        (folder / name.replace("__", ".")).write_text(text)


@pytest.fixture
def garden(tmp_path: Path) -> Path:
    return Path(shutil.copytree(DEMO / "garden", tmp_path / "garden"))


# --- what comes out -------------------------------------------------------------------------------


def test_help_is_in_the_practitioners_order_one_whole_line_each(inkov: Inkov) -> None:
    result = inkov("--help")
    lines = result.out.split("Commands:\n")[1].split("\n\n")[0].splitlines()
    commands = [line.split()[0] for line in lines]
    assert (
        " ".join(commands)
        == "overview read vlans ports links trunks tree draw report audit prove verify withstand"
        " compare why follow hears mend convert rules completion demo dialect plan"
    )
    assert (
        result.status == 0
        and "..." not in "".join(lines)
        and all(len(line) <= 80 for line in lines)
    )
    options = result.out.split("Options:\n")[1].split("\n\n")[0].split()
    assert [word for word in options if word.startswith("-")] == ["--version", "-h,", "--help"]
    assert inkov("--version").out.startswith("inkov 0.")


@pytest.mark.parametrize("command", ["read", "vlans", "ports", "links", "trunks", "audit"])
def test_every_listing_in_every_format(inkov: Inkov, garden: Path, command: str) -> None:
    status = 1 if command == "audit" else 0
    table = inkov(command, garden)
    assert table.status == status and table.err == "" and "\x1b" not in table.out
    data = inkov(command, garden, "--format", "json")
    rows = next(iter(data.json.values()))
    rows = rows["files"] if command == "read" else rows
    as_csv = list(csv.reader(io.StringIO(inkov(command, garden, "--format", "csv").out)))
    assert len(as_csv) - 1 == len(rows) > 5 and len({len(row) for row in as_csv}) == 1
    markdown = inkov(command, garden, "--format", "markdown").out.splitlines()
    assert sum(line.startswith("| ") for line in markdown) == len(rows) + 2
    inkov(command, garden, "--format", "json", "--output", "out.json")
    assert (garden.parent / "out.json").read_text() == data.out


def test_the_same_bytes_whatever_the_hash_seed_and_file_order(garden: Path) -> None:
    """All commands in one process for each seed: starting one each takes longer than they do."""
    files = sorted(map(str, garden.iterdir()))
    code = (
        "import sys; from tests.conftest import run_inkov\n"
        "for command in 'read vlans ports links trunks tree audit prove overview'.split():\n"
        "    print(run_inkov(command, *sys.argv[1:], '-f', 'json').out)\n"
    )
    one, other = (
        subprocess.run(
            [sys.executable, "-c", code, *order],
            cwd=Path(__file__).parent.parent.parent,
            env={**os.environ, "PYTHONHASHSEED": seed},
            capture_output=True,
            check=True,
        ).stdout
        for seed, order in (("1", files), ("2", files[::-1]))
    )
    assert one == other and one.count(b"\n}\n\n") == 9


def test_listings_say_what_matters(inkov: Inkov, garden: Path) -> None:
    vlans = {row["vlan"]: row for row in inkov("vlans", garden, "-f", "json").json["vlans"]}
    assert vlans[20]["names"] == ["irrigation", "irigation"] and vlans[70]["absent"] == [
        "aviary-1",
        "barn-1",
        "fern-1",
        "fern-2",
        "gate-1",
        "herbarium-1",
        "lily-1",
        "mill-1",
        "orchard-1",
        "palm-1",
        "pond-1",
    ]
    trunks = inkov("trunks", garden, "-f", "json").json["trunks"]
    joined = [t["translated"] for t in trunks if t["b"] and t["b"]["switch"] == "pond-1"]
    assert joined == [[["90", "40", "both"]]]
    # Of one VLAN: where it crosses, where one end lacks it, where it is another at the far end.
    of_60 = inkov("trunks", garden, "--vlan", "60", "-f", "json").json["trunks"]
    assert {text for t in of_60 for text in (t["shared"], t["needed"], t["missing"])} <= {
        *("60", "none", "")
    }
    said_60 = [
        t for t in trunks if any("60" in e["stated"].split(",") for e in (t["a"], t["b"]) if e)
    ]
    assert len(said_60) > 5
    told = {(t["a"]["switch"], t["a"]["port"]) for t in of_60}
    assert {(t["a"]["switch"], t["a"]["port"]) for t in said_60} <= told
    of_40 = inkov("trunks", garden, "--vlan", "40", "-f", "json").json["trunks"]
    assert [["90", "40", "both"]] in [t["translated"] for t in of_40]
    links = inkov("links", garden, "--switch", "pond-1", "-f", "json").json["links"]
    assert [(link["kind"], link["a"], link["b"]) for link in links] == [
        ("link", "core-1:port-6", "pond-1:port-24"),
        ("outside", "pond-1:port-5", "cafe-ap-1:0"),
    ]
    matrix = inkov(
        "ports", garden, "--matrix", "--switch", "gate-1", "--vlan", "40,50"
    ).out.splitlines()
    ports = ["1", "2", "3", "4", "5", "6", "7", "8", "10", "11", "12", "13", "15", "16", "24"]
    assert matrix[1].split() == ["VLAN", *ports]
    assert [line.split()[0] for line in matrix[3:]] == ["40", "50"]
    assert "".join(matrix[4].split()[1:]) == "UUUUUUUU···UTUT"


def test_colour_only_where_it_is_wanted(tmp_path: Path) -> None:
    (tmp_path / "a.sheet").write_text(SHEET.format(name="a").replace("vlan: 10", "vlan: 20"))
    assert "\x1b[" in on_terminal("audit", tmp_path)
    assert "\x1b[" not in on_terminal("audit", tmp_path, NO_COLOR="1")
    assert "\x1b[" not in on_terminal("audit", tmp_path, "--no-colour")


def test_rules_are_explained(inkov: Inkov) -> None:
    assert "native-default" in inkov("rules").out
    explained = inkov("rules", "native-default").out
    assert all(word in explained for word in ("RISK", "Why", "Cure", "Example"))
    wrong = inkov("rules", "native-defualt")
    assert wrong.status == 2 and "did you mean native-default" in wrong.err


def test_the_demo(inkov: Inkov, tmp_path: Path, monkeypatch: pytest.MonkeyPatch) -> None:
    first = inkov("demo", "tour")
    assert (
        first.status == 0
        and "2 breaches, 9 faults, 18 risks, 10 notes on 13 switches." in first.out
    )
    assert "No findings on 13 switches." in first.out
    lines = first.out.splitlines()
    shown = [number for number, line in enumerate(lines) if line.startswith("$ inkov ")]
    assert len(shown) > 5 and not any(lines[number - 1] for number in shown)
    assert inkov("demo", "tour").out == first.out
    # What is written again, or is not, needs no second tour.
    monkeypatch.setattr("inkov.cli.demo._show", lambda *_: None)
    assert inkov("demo", "tour").status == 0
    (tmp_path / "tour" / "garden" / "mine.txt").write_text("keep me")
    refused = inkov("demo", "tour")
    assert refused.status == 2 and "--force" in refused.err
    assert (tmp_path / "tour" / "garden" / "mine.txt").exists()
    assert inkov("demo", "tour", "--force").status == 0
    assert sorted(p.name for p in tmp_path.iterdir()) == ["tour"]


# --- exit status and wrong usage ------------------------------------------------------------------


@pytest.mark.parametrize(
    ("fail_on", "status"), [("breach", 1), ("fault", 1), ("risk", 1), ("note", 1), ("never", 0)]
)
def test_fail_on(inkov: Inkov, garden: Path, fail_on: str, status: int) -> None:
    assert inkov("audit", garden, "--fail-on", fail_on).status == status


def test_fail_on_looks_at_the_severity(inkov: Inkov, garden: Path) -> None:
    only = ("--only", "link-one-sided", "--only", "allowed-nowhere-defined")
    assert inkov("audit", garden, *only).status == 0
    assert inkov("audit", garden, *only, "--fail-on", "note").status == 1


@pytest.mark.parametrize(
    ("arguments", "says"),
    [
        (["audit"], "Missing argument"),
        (["audti", "garden"], "No such command"),
        (["audit", "graden"], "graden: no such file or folder; did you mean garden?"),
        (
            ["audit", "garden", "--switch", "core1"],
            "no switch 'core1' among the files; did you mean core-1",
        ),
        (["audit", "garden", "--only", "nativ-default"], "did you mean native-default"),
        (
            ["vlans", "garden", "--vlan", "10,5000"],
            "5000 is not a VLAN number (1 to 4094)\n  10,5000\n     ^^^^",
        ),
        (["vlans", "garden", "--format", "xml"], "Invalid value for '--format'"),
        (["vlans", "garden", "--format", "jsn"], "'html'; did you mean json"),
        (["vlans", "garden", "--format", "jsn"], "'--format' / '-f': 'jsn' is not one of"),
        (
            ["audit", "garden", "--output", "no/where.json"],
            "cannot write no/where.json: no such file or directory",
        ),
    ],
)
def test_wrong_usage(inkov: Inkov, garden: Path, arguments: list[str], says: str) -> None:
    result = inkov(*arguments)
    assert result.status == 2 and says in result.err and result.out == ""


# --- bad input: one clear line each, the rest still read ------------------------------------------


def test_an_empty_folder_and_one_with_nothing_readable(inkov: Inkov, tmp_path: Path) -> None:
    (tmp_path / "empty").mkdir()
    result = inkov("audit", "empty")
    assert (result.status, result.err.count("\n")) == (
        2,
        1,
    ) and "no file to read in empty" in result.err
    (tmp_path / "other").mkdir()
    write(tmp_path / "other", readme__txt="hello\n", empty__json="")
    result = inkov("audit", "other")
    assert result.status == 2 and "no switch configuration in other" in result.err


@pytest.mark.parametrize(
    ("name", "text", "says"),
    [
        (
            "cut.json",
            '{"openconfig-interfaces:interfaces": {"interface": [',
            "cut.json:1: the JSON ends in the middle",
        ),
        ("bad.json", "{\n  nonsense\n}", "bad.json:2: not JSON at column 3"),
        (
            "b.sheet",
            "inkov sheet 1\n[port 1]\nvlan: 10\n",
            "b.sheet:1: the sheet does not name its switch",
        ),
        ("zz.sheet", SHEET.format(name="a"), "switch 'a' is already described by in/a.sheet"),
    ],
)
def test_a_file_that_is_lost_costs_no_other(
    inkov: Inkov, tmp_path: Path, name: str, text: str, says: str
) -> None:
    (tmp_path / "in").mkdir()
    (tmp_path / "in" / "a.sheet").write_text(SHEET.format(name="a"))
    (tmp_path / "in" / name).write_text(text)
    result = inkov("vlans", "in")
    assert result.status == 2 and says in result.err and "climate" in result.out
    assert inkov("vlans", "in", "--quiet").err == ""


@pytest.mark.parametrize(
    ("old", "new", "says"),
    [
        ('"native-vlan": 90', '"native-vlan": 4095', "core-1.json:122: 4095 is not a VLAN number"),
        ('"native-vlan": 90', '"native-vlan": "x"', "wrong type: expected `int | null`, got `str`"),
        ('"name": "port-9"', '"name": "port-8"', "port port-8 is named twice"),
        ("image archive", "image \udcff archive", "byte 0xff is not UTF-8"),
    ],
)
def test_a_bad_value_costs_its_entry_only(
    inkov: Inkov, garden: Path, old: str, new: str, says: str
) -> None:
    core = garden / "core-1.json"
    core.write_bytes(core.read_text().replace(old, new).encode("utf-8", "surrogateescape"))
    result = inkov("ports", garden, "--switch", "core-1")
    assert result.status == 1 and says in result.err and "port-13" in result.out
    assert "statement-unusable" in inkov("audit", garden, "--fail-on", "never").out


def test_json_of_something_else(inkov: Inkov, garden: Path) -> None:
    (garden / "menu.json").write_text('{"soup": 1}')
    result = inkov("audit", garden, "--only", "vlan-name-differs")
    assert "1 file not read" in result.out
    assert "nothing that is read here (it holds: soup)" in inkov("read", garden).out
    named = inkov("vlans", garden / "menu.json", garden / "gate-1.sheet")
    assert named.status == 2 and "it holds: soup" in named.err and "tills" in named.out


ANSWERS = (
    *("audit", "convert", "draw -o a.svg", "follow a:1 a:2", "hears a:1", "links", "mend"),
    *("overview", "ports", "prove", "tree", "trunks", "vlans", "why a:1 a:2", "withstand"),
)


NO_PLACE = ("mend", "overview", "prove", "why a:1 a:2")  # who tell of it with all else they tell


@pytest.mark.parametrize("command", ANSWERS)
def test_no_answer_is_silent_about_what_was_not_understood(
    command: str, inkov: Inkov, tmp_path: Path
) -> None:
    """A line of a port that nobody knows: whatever is told may be otherwise by it."""
    (tmp_path / "moor.toml").write_text(
        'dialect = "moor"\nfiles = ["*.txt"]\n[port]\nopens = ["berth {ports}"]\n'
        '[port.says]\n"lies {vid}" = "mode = access; vlan = {vid}"\n'
    )
    (tmp_path / "a.txt").write_text("berth 1\n lies 10\nberth 2\n lies 10\n hums 11\n")
    told = inkov(*command.split(), "moor.toml", "a.txt", *(["out"] if command == "convert" else []))
    assert "not understood" in told.out + told.err, told.out + told.err
    # Who names the file can go there.
    assert "a.txt:5" in told.out + told.err or command in NO_PLACE


def test_what_is_not_understood_is_listed_and_strict_fails_on_it(
    inkov: Inkov, garden: Path
) -> None:
    assert inkov("read", garden, "--strict").status == 0
    assert "everything was understood" in inkov("read", garden, "--unmatched").out
    core = garden / "core-1.json"
    core.write_text(
        core.read_text().replace('"access-vlan": 10', '"access-vlan": 10, "second-tag": true', 1)
    )
    (garden / "fern-2.walk").write_text(
        ".1.3.6.1.2.1.1.5.0 = STRING: fern-2\n.1.3.6.1.2.1.17.7.9.9.1 = INTEGER: 3\n"
    )
    listed = inkov("read", garden, "--unmatched", "--strict")
    assert (
        listed.status == 1
        and "second-tag (1 value)" in listed.out
        and "qBridgeMIB.9 (1 object)" in listed.out
    )
    assert "`inkov read --unmatched` lists them" in inkov("audit", garden).out


def test_a_file_that_is_too_large_is_not_opened(inkov: Inkov, garden: Path) -> None:
    with (garden / "huge.json").open("wb") as file:
        file.truncate(200_000_000)
    result = inkov("vlans", garden)
    assert (
        result.status == 2
        and "200 MB, 67 MB are read at most" in result.err
        and "climate" in result.out
    )


def test_links_that_lead_in_circles(inkov: Inkov, garden: Path) -> None:
    (garden / "loop").symlink_to(garden)
    (garden / "ring.json").symlink_to(garden / "ring.json")
    result = inkov("read", garden)
    assert (
        result.status == 2
        and "ring.json: cannot be read: too many levels of symbolic links" in result.err
    )
    assert "a link to a folder, not followed" in result.out and "core-1" in result.out


def test_a_folder_without_permission(garden: Path, monkeypatch: pytest.MonkeyPatch) -> None:
    (garden / "closed").mkdir()
    scandir = os.scandir

    def refuse(path: str) -> object:  # in the process itself: for root no folder is closed
        if str(path).endswith("closed"):
            raise PermissionError(13, "Permission denied", path)
        return scandir(path)

    monkeypatch.setattr(os, "scandir", refuse)
    loaded = load([str(garden)])
    [problem] = loaded.campus.problems
    assert problem.lost and problem.origin.file.endswith("closed")
    assert (
        problem.says == "cannot be listed: permission denied" and len(loaded.campus.devices) == 13
    )


def test_no_regular_file(inkov: Inkov, garden: Path) -> None:
    os.mkfifo(garden / "pipe.json")
    result = inkov("read", garden)
    assert result.status == 0 and "no regular file, not read" in result.out


def test_control_characters_never_reach_the_screen(inkov: Inkov, tmp_path: Path) -> None:
    text = SHEET.format(name='"a\\u001b[31m"').replace("climate", '"x\\u0007\\u202ey|`"')
    write(tmp_path, a__sheet=text + '[port 2]\nabout: "=1+1"\n')
    for form in ("table", "json", "csv", "markdown", "html"):
        out = inkov("vlans", "a.sheet", "-f", form).out + inkov("ports", "a.sheet", "-f", form).out
        assert not set(out) & {"\x1b", "\x07", "\u202e"} or (
            form == "json" and "\x1b" not in out and "\x07" not in out
        )


def test_a_device_in_halves_is_joined(inkov: Inkov, garden: Path, tmp_path: Path) -> None:
    whole = json.loads((garden / "core-1.json").read_text())
    half = tmp_path / "split" / "core-1"
    half.mkdir(parents=True)
    for key, value in whole.items():
        (half / f"{key.rpartition(':')[2]}.json").write_text(json.dumps({key: value}, indent=2))
    for name in ("gate-1.sheet", "palm-1.json"):
        shutil.copy(garden / name, tmp_path / "split" / name)
    links = inkov("links", "split", "-f", "json").json["links"]
    assert [(link["a"], link["b"]) for link in links if link["kind"] == "link"] == [
        ("core-1:port-1", "gate-1:24"),
        ("core-1:port-2", "palm-1:port-24"),
    ]
    files = inkov("read", "split", "-f", "json").json["read"]["files"]
    assert {name for f in files if "split/core-1/" in f["file"] for name in f["devices"]} == {
        "core-1"
    }
    assert "a part of core-1" in files[0]["remark"]
    (half / "system.json").unlink()
    assert "named 'core-1' after the folder" in inkov("read", "split", "-f", "json").out
    assert "core-1" in inkov("ports", "split", "--switch", "core-1").out


def test_a_closed_pipe_and_an_interrupt_end_quietly(garden: Path) -> None:
    piped = subprocess.run(
        f"{sys.executable} -m inkov ports {garden} -f json | head -c 10",
        shell=True,
        capture_output=True,
        text=True,
    )
    assert piped.stderr == "" and len(piped.stdout) == 10
    # The signal comes while the result is being written beside the output file.
    code = (
        "import os, signal; from inkov.cli.app import main; "
        # Whoever runs the tests in the background ignores interrupts, and so would the child.
        "signal.signal(signal.SIGINT, signal.default_int_handler); "
        "os.chmod = lambda *_: signal.raise_signal(signal.SIGINT); main()"
    )
    arguments = ["vlans", str(garden), "--output", str(garden / "out.txt")]
    stopped = subprocess.run(
        [sys.executable, "-c", code, *arguments], capture_output=True, text=True
    )
    assert (stopped.returncode, stopped.stderr) == (130, "inkov: interrupted\n")
    assert not [
        p.name for p in garden.iterdir() if p.name == "out.txt" or p.name.startswith(".inkov")
    ]


@pytest.mark.parametrize(
    ("name", "content", "says"),
    [
        ("empty.json", "", "empty"),
        ("blank.txt", "  \n\n", "empty"),
        ("page.txt", "<html><title>401</title></html>", "a web page"),
        ("null.json", "null", "not a format that is read"),
        ("cut.json", '{"interfaces": {"interface": [', "the JSON ends in the middle"),
        ("box.txt", "hello", "not a format that is read, and no dialect knows it"),
        ("zeros.bin", "\x00\x01", "not a format that is read"),
        (
            "error.json",
            '{"ietf-restconf:errors": {"error": [{"error-tag": "access-denied"}]}}',
            "an error that the device answered, no configuration: access-denied",
        ),
        (
            "error.xml",
            "<rpc-reply><rpc-error><error-message>no such user</error-message></rpc-error>"
            "</rpc-reply>",
            "an error that the device answered, no configuration: no such user",
        ),
        ("push.json", '{"notification": {"update": []}}', "a gNMI notification"),
        ("idle.sheet", "inkov sheet 1\nswitch: idle\n", "idle has no ports"),
    ],
)
def test_a_file_that_is_no_configuration_is_a_problem_of_the_run(
    name: str, content: str, says: str, inkov: Inkov, tmp_path: Path
) -> None:
    folder = tmp_path / "c"
    folder.mkdir()
    (folder / "gate-1.sheet").write_text(
        "inkov sheet 1\nswitch: gate-1\n[vlans]\n10: a\n[port 1]\nvlan: 10\n"
    )
    (folder / "notes.md").write_text("Read me.\n")
    (folder / ".gitignore").write_text("*.bak\n")
    # Reports of earlier runs lie beside configurations, and are none.
    inkov("prove", "c", "--certificate", "c/certificate.json")
    for form in ("json", "sarif", "junit"):
        assert inkov("audit", "c", "-f", form, "-o", f"c/report.{form}").status == 0
    assert inkov("read", "c").status == 0
    strict = inkov("prove", "c", "--strict", "-f", "json").json["claims"]
    assert {verdict["verdict"] for verdict in strict} == {"holds"}
    (folder / name).write_text(content)
    worst = 1 if name == "idle.sheet" else 2
    ran = inkov("read", "c")
    assert ran.status == worst and f"c/{name}" in ran.err and says in ran.err
    assert "notes.md" not in ran.err
    assert inkov("read", "c", "--strict").status == worst
    for form in ("json", "sarif", "junit", "markdown", "table"):
        audit = inkov("audit", "c", "-f", form, "--fail-on", "risk")
        assert audit.status == worst and name in audit.out, form
    strict = inkov("prove", "c", "--strict", "-f", "json").json["claims"]
    assert {verdict["verdict"] for verdict in strict} == {"undecided"}


def test_switches_that_the_plan_expects(inkov: Inkov, tmp_path: Path) -> None:
    sheet = "inkov sheet 1\nswitch: {}\n[vlans]\n10: a\n[port 1]\nvlan: 10\n"
    for name in ("core-1", "edit-1", "edit-2"):
        (tmp_path / f"{name}.sheet").write_text(sheet.format(name))
    for expected, missing in (
        ("3", []),
        ("[core-1, edit-*]", []),
        ("{switches: [edit-2], number: 3}", []),
        ("4", ["there are 3 switches of 4"]),
        ("[core-1, core-2, moor-*, 5]", ["core-2", "moor-*", "there are 3 switches of 5"]),
    ):
        (tmp_path / "plan.yaml").write_text(f"expected: {expected}\nvlans: {{10: a}}\n")
        found = inkov("audit", ".", "-f", "json", "--only", "switch-missing").json["findings"]
        assert [f["severity"] for f in found] == ["fault"] * len(missing), expected
        assert all(any(word in f["says"] for f in found) for word in missing)
        strict = inkov("prove", ".", "--strict", "-f", "json").json["claims"]
        (leaks,) = (verdict for verdict in strict if "leaks" in verdict["claim"])
        assert leaks["verdict"] == ("undecided" if missing else "holds")
