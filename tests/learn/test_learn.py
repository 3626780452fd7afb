"""`inkov dialect learn`: from texts in languages that are drawn at random, and sheets of two of the
switches, to a dialect that reads all of them; and never a port read wrongly without a word.
"""

from __future__ import annotations

import json
import os
import random
import re
import subprocess
import sys
import tomllib
from pathlib import Path

import pytest

from inkov.campus import Device
from inkov.learn import learn, paired
from inkov.learn.rehearsal import View, views
from inkov.readers.dialects import compile_dialect, read_text
from inkov.readers.walk.device import read as read_walk
from tests.conftest import DEMO, Inkov, cases, run_inkov
from tests.learn.languages import Does, Language, Switch, sheet, switches, walk

LANGUAGES = cases("LANGUAGES", 4)
SEEN = 2  # switches of which there is another source


def meant(does: Does) -> tuple[bool, int, int]:
    if not does.on:
        return False, 0, 0
    return True, does.untagged and 1 << does.untagged, sum(1 << vid for vid in does.tagged)


def is_right(read: View | None, does: Does) -> bool:
    if read is None:
        return not does.on
    return (read.on, read.untagged, read.tagged) == meant(does)


def told_by_agent(switch: Switch, language: Language) -> Device:
    """What an SNMP walk of a switch tells."""
    [device] = read_walk("x.walk", walk(switch, language).encode(), account=False).part.devices
    return device


def lesson(
    seed: int, *, answered: bool = False
) -> tuple[str, list[Switch], list[tuple[str, bytes]], list[str], Language]:
    rng = random.Random(seed)
    language = Language(rng)
    campus = switches(rng, 6, kinds=bool(language.kinds))
    texts = [(f"{switch.name}.txt", language.text(switch).encode()) for switch in campus]
    others = [told_by_agent(one, language) for one in campus[:SEEN]]
    ask = language.answer if answered else None
    learnt = learn(paired(texts, others), texts, "learnt", ask)
    return learnt.dialect, campus, texts, learnt.questions, language


def test_random_languages_are_learnt_from_two_switches() -> None:
    whole = ports = right = 0
    for seed in range(LANGUAGES):
        text, campus, texts, questions, language = lesson(seed)
        dialect = compile_dialect("learnt.toml", text.encode())
        wrong = 0
        for switch, (file, data) in zip(campus, texts, strict=True):
            reading = read_text(dialect, file, data)
            read = views(reading.part.devices[0])
            called = {language.called(number): does for number, does in switch.ports.items()}
            amiss = [name for name, does in called.items() if not is_right(read.get(name), does)]
            # What is read wrongly is said: a line of the text is not understood; or it is asked
            # what ports are of which nothing is said.
            said = reading.ledger.unmatched or "nothing is said" in " ".join(questions)
            assert not amiss or said, (seed, file, amiss, text)
            wrong += len(amiss)
            ports += len(switch.ports)
        right += sum(len(switch.ports) for switch in campus) - wrong
        whole += not wrong
    assert whole >= LANGUAGES * 0.85 and right >= ports * 0.95, (whole, right, ports)


def test_with_answers_nearly_every_port_is_right() -> None:
    ports = right = 0
    for seed in range(1000, 1000 + LANGUAGES):
        text, campus, texts, _, language = lesson(seed, answered=True)
        dialect = compile_dialect("learnt.toml", text.encode())
        for switch, (file, data) in zip(campus, texts, strict=True):
            read = views(read_text(dialect, file, data).part.devices[0])
            ports += len(switch.ports)
            right += sum(
                is_right(read.get(language.called(number)), does)
                for number, does in switch.ports.items()
            )
    assert right >= ports * 0.99, (right, ports)


def test_what_is_learnt_reads_the_files_through_the_program(inkov: Inkov, tmp_path: Path) -> None:
    """Texts and walks in, the ports of the program out; sheets of the same switches say what must
    come. The first of these languages begins its statements with words that mean nothing: the
    dialect learnt of it once claimed no file."""
    for seed in (7001, 7002):
        rng = random.Random(seed)
        language = Language(rng)
        assert language.lead or seed != 7001
        folders = [tmp_path / f"{seed}-{name}" for name in ("texts", "walks", "sheets")]
        for folder in folders:
            folder.mkdir()
        texts, walks, sheets = folders
        for number, switch in enumerate(switches(rng, 4, kinds=bool(language.kinds))):
            (texts / f"{switch.name}.txt").write_text(language.text(switch))
            (sheets / f"{switch.name}.sheet").write_text(sheet(switch, language))
            if number < SEEN:
                (walks / f"{switch.name}.walk").write_text(walk(switch, language))
        dialect = texts / "learnt.toml"
        learnt = inkov("dialect", "learn", texts, "--from", walks, "-o", dialect)
        assert dialect.exists(), learnt.err
        read, meant_to_be = (live_ports(inkov, folder) for folder in (texts, sheets))
        assert meant_to_be
        differing = {name for name, _ in read.items() ^ meant_to_be.items()}
        unmatched = inkov("read", texts, "--unmatched").out
        assert all(f"{switch}.txt" in unmatched for switch, _ in differing), differing


def live_ports(inkov: Inkov, folder: Path) -> dict[tuple[str, str], tuple[object, object]]:
    """What the ports that are on do with tags, by switch and port."""
    found = json.loads(inkov("ports", folder, "-f", "json", "-q").out)["ports"]
    return {
        (port["switch"], port["port"]): (port["untagged"], port["tagged"])
        for port in found
        if port["state"] == "on"
    }


def test_the_garden_is_learnt_from_a_walk(inkov: Inkov, tmp_path: Path) -> None:
    """From the text and the walk of one switch to a dialect by which every port agrees, and in
    which no secret stands.
    """
    (tmp_path / "texts").mkdir()
    text = (DEMO / "repaired" / "fern-2.txt").read_text()
    (tmp_path / "texts" / "fern-2.txt").write_text(text)
    walk = DEMO / "repaired" / "walks" / "fern-2.walk"
    learnt = inkov("dialect", "learn", "texts", "--from", walk, "-o", "learnt.toml")
    assert "24 of 24 ports of fern-2 are read as they are" in learnt.err
    # One list adds to the other, and nothing tells whether two lists of the first kind would; and
    # each port of the switch is described.
    assert learnt.status == 1 and learnt.err.count("question:") == 2
    assert "what is a port of which nothing is said?" in learnt.err
    assert '"spans {vids}" (fern-2.txt:44)' in learnt.err
    dialect = (tmp_path / "learnt.toml").read_text()
    assert "rosemary" not in dialect
    assert '"sows {vlan}" = "mode = access; vlan = {vlan}"' in dialect
    assert '"spans also {vids}" = "mode = trunk; allowed + {vids}"' in dialect
    checked = inkov("dialect", "check", "learnt.toml", "texts", "--against", walk)
    assert "fern-2: 24 of 24 ports agree; 6 of 6 VLANs agree" in checked.out
    again = inkov("dialect", "learn", "texts", "--from", walk, "-o", "learnt.toml")
    assert again.status == 2 and "--force" in again.err


def test_evidence_of_another_time_is_said(inkov: Inkov, tmp_path: Path) -> None:
    """The garden's port 11 is in another VLAN than the walk of its repaired twin says."""
    (tmp_path / "fern-2.txt").write_text((DEMO / "garden" / "fern-2.txt").read_text())
    walk = DEMO / "repaired" / "walks" / "fern-2.walk"
    learnt = inkov("dialect", "learn", "fern-2.txt", "--from", walk)
    assert "23 of 24 ports of fern-2 are read as they are" in learnt.err
    assert "not read as the other source has it: fern-2.txt: port 11" in learnt.err


def test_a_word_that_only_begins_like_a_port_is_none(inkov: Inkov, tmp_path: Path) -> None:
    """Beds and vines are ports; how deep the bedding is, some number tells, and at times one that
    a bed has as well.
    """
    depths = {"bed 1": 3, "bed 2": 30, "bed 3": 1, "bed 4": 45, "vine 1": 2, "vine 2": 60}
    vids = {"bed 1": 10, "bed 2": 20, "bed 3": 20, "bed 4": 10, "vine 1": 20, "vine 2": 10}
    text = "name shed\nplot 10\nplot 20\n" + "".join(
        f"{port}\n  bedding {depths[port]}\n  sows {vids[port]}\n" for port in depths
    )
    rows = "[vlans]\n10: ferns\n20: beds\n"
    ports = "".join(f'[port "{port}"]\nvlan: {vid}\n' for port, vid in vids.items())
    (tmp_path / "shed.txt").write_text(text)
    (tmp_path / "other.sheet").write_text(f"inkov sheet 1\nswitch: shed\n{rows}{ports}")
    learnt = inkov("dialect", "learn", "shed.txt", "--from", "other.sheet", "-o", "learnt.toml")
    assert "6 of 6 ports of shed are read as they are" in learnt.err, learnt.err
    dialect = tomllib.loads((tmp_path / "learnt.toml").read_text())
    assert dialect["lists"]["port-kinds"] == ["bed", "vine"]
    assert '"bedding {number}" = ""' in (tmp_path / "learnt.toml").read_text()


@pytest.mark.parametrize(
    ("texts", "source", "says"),
    [
        ("empty", "walk", "no text to describe in empty"),
        ("fern-2.txt", "other.sheet", "none of the texts is of a switch of the other source"),
        ("fern-2.txt", "nowhere", "nowhere: no such file"),
        ("fern-2.txt", "empty", "--from: no file to read in empty"),
    ],
)
def test_what_nothing_can_be_learnt_from(
    texts: str, source: str, says: str, inkov: Inkov, tmp_path: Path
) -> None:
    (tmp_path / "empty").mkdir()
    (tmp_path / "fern-2.txt").write_text((DEMO / "repaired" / "fern-2.txt").read_text())
    (tmp_path / "walk").write_text((DEMO / "repaired" / "walks" / "fern-2.walk").read_text())
    (tmp_path / "other.sheet").write_text("inkov sheet 1\nswitch: south\n[port 1]\nvlan: 1\n")
    learnt = inkov("dialect", "learn", texts, "--from", source)
    assert (learnt.status, learnt.out) == (2, "") and says in learnt.err, learnt.err


def test_learning_is_the_same_whatever_the_seed_of_hashes() -> None:
    text = str(DEMO / "repaired" / "fern-2.txt")
    walk = str(DEMO / "repaired" / "walks" / "fern-2.walk")
    first, second = (
        run_inkov("dialect", "learn", text, "--from", walk, PYTHONHASHSEED=seed)
        for seed in ("1", "2")
    )
    assert first.out == second.out and first.err == second.err


def test_no_secret_gets_into_what_is_learnt(inkov: Inkov, tmp_path: Path) -> None:
    (tmp_path / "texts").mkdir()
    (tmp_path / "texts" / "north.txt").write_text(
        "kemos north\npassword swordfish\npassword hunter9 swordfish\nkeeper key swordfish 3\n"
        "berth 1\n  in 10\n  secret swordfish\nberth 2\n  in 10\n  psk swordfish 7\n"
        "berth 1\n  password hunter9\nsecret swordfish\n  berths 1\n"
    )
    (tmp_path / "n.sheet").write_text(
        "inkov sheet 1\nswitch: north\n[vlans]\n10: ferns\n[port 1..2]\nvlan: 10\n"
    )
    learnt = inkov("dialect", "learn", "texts", "--from", "n.sheet")
    assert '"in {vid}" = "mode = access; vlan = {vid}"' in learnt.out
    assert "swordfish" not in learnt.out + learnt.err and "hunter" not in learnt.out + learnt.err


def on_a_terminal(words: list[str], typed: str) -> tuple[int, str]:
    """What `dialect learn` returns, and says on the error output, to somebody who types, and leaves
    all further questions open.
    """
    import pty

    leader, follower = pty.openpty()
    with subprocess.Popen(
        [sys.executable, "-m", "inkov", "dialect", "learn", *words, "--ask"],
        stdin=follower,
        stdout=subprocess.DEVNULL,
        stderr=subprocess.PIPE,
        text=True,
    ) as running:
        os.write(leader, (typed + "\n" * 20).encode())
        assert running.stderr is not None
        told = running.stderr.read()
    os.close(leader)
    os.close(follower)
    return running.returncode, told


def test_answers_are_taken_and_written_down(tmp_path: Path) -> None:
    """On a terminal: a second list adds to the first, and ports of which nothing is said are off.
    What is no answer is asked again.
    """
    text = DEMO / "repaired" / "fern-2.txt"
    walk = DEMO / "repaired" / "walks" / "fern-2.walk"
    words = [str(text), "--from", str(walk), "-o", str(tmp_path / "learnt.toml")]
    status, told = on_a_terminal(words, "9\n3\n\n")
    assert "one of the numbers from 1 to 4" in told, told
    learnt = (tmp_path / "learnt.toml").read_text()
    assert '"spans {vids}" = "mode = trunk; allowed + {vids}"  # by your answer' in learnt
    # The second question was left open.
    assert told.count("question:") == 1 and status == 1, told


def test_what_changes_nothing_that_can_be_seen_is_answered(tmp_path: Path) -> None:
    """Berth 2 is shut anyway. Stowed, it may be off for that, or a trunk, or pass whatever it may:
    all that could be so is offered, and what is chosen counts.
    """
    text = "moor north\nberth 1\n  lies 10\nberth 2\n  shut\n  stowed\n"
    (tmp_path / "north.txt").write_text(text)
    sheet = "inkov sheet 1\nswitch: north\n[port 1]\nvlan: 10\n[port 2]\nstate: off\n"
    (tmp_path / "n.sheet").write_text(sheet)
    out = tmp_path / "learnt.toml"
    words = [str(tmp_path / "north.txt"), "--from", str(tmp_path / "n.sheet"), "-o", str(out)]
    _, told = on_a_terminal(words, "2\n\n")
    asked = told.partition('"stowed" (north.txt:6): what does it do?')[2]
    offered = re.findall(r"^inkov: +(\d+)  (.*)$", asked.partition("nothing is said")[0], re.M)
    assert offered == [
        ("1", "nothing"),
        ("2", "state = off"),
        ("3", "mode = trunk"),
        ("4", "native = none"),
        ("5", "allowed = all"),
    ]
    assert '"stowed" = "state = off"  # by your answer' in out.read_text()


def test_what_only_another_text_says_is_answered(tmp_path: Path) -> None:
    """The other source has north, and `rests` is said in the south alone."""
    (tmp_path / "texts").mkdir()
    north = "moor north\nplot 10\nplot 20\nberth 1\n  lies 10\nberth 2\n  lies 20\n"
    (tmp_path / "texts" / "north.txt").write_text(north)
    south = "moor south\nplot 10\nplot 20\nberth 1\n  rests 10\nberth 2\n  rests 20\n"
    (tmp_path / "texts" / "south.txt").write_text(south)
    (tmp_path / "n.sheet").write_text(
        "inkov sheet 1\nswitch: north\n[vlans]\n10: a\n20: b\n"
        "[port 1]\nvlan: 10\n[port 2]\nvlan: 20\n"
    )
    words = [str(tmp_path / "texts"), "--from", str(tmp_path / "n.sheet")]
    out = tmp_path / "learnt.toml"
    status, told = on_a_terminal([*words, "-o", str(out)], "\n\n\n")
    assert status == 1 and '"rests {vid}" (south.txt:5): what does it do?' in told
    assert '\n# "rests {vid}" = ""' in out.read_text()
    # What is offered has a number.
    [number] = re.findall(r"^inkov: +(\d+)  mode = access; vlan = \{vid\}$", told, re.MULTILINE)
    status, told = on_a_terminal([*words, "-o", str(out), "--force"], f"1\n{number}\n")
    said = '"rests {vid}" = "mode = access; vlan = {vid}"  # by your answer'
    assert said in out.read_text() and status == 0 and "question" not in told


def test_texts_of_another_language_are_left_out_and_named(inkov: Inkov, tmp_path: Path) -> None:
    (tmp_path / "texts").mkdir()
    for name in ("fern-2", "barn-1"):
        text = (DEMO / "repaired" / f"{name}.txt").read_text()
        (tmp_path / "texts" / f"{name}.txt").write_text(text)
    walk = DEMO / "repaired" / "walks" / "fern-2.walk"
    learnt = inkov("dialect", "learn", "texts", "--from", walk)
    says = "left out, in another language as it seems: texts/barn-1.txt"
    assert says in learnt.err and "rill" not in learnt.out + learnt.err.replace(says, "")
    assert "24 of 24 ports of fern-2" in learnt.err
    # Without another source the language of most texts is taken.
    (tmp_path / "texts" / "fern-3.txt").write_text((DEMO / "garden" / "fern-2.txt").read_text())
    begun = inkov("dialect", "new", "texts")
    assert says in begun.err and "rill" not in begun.out and "bench" in begun.out


def test_another_source_without_ports_is_none(inkov: Inkov, tmp_path: Path) -> None:
    (tmp_path / "north.txt").write_text("moor north\nberth 1\n  lies 10\n")
    (tmp_path / "n.sheet").write_text("inkov sheet 1\nswitch: north\n[vlans]\n10: ferns\n")
    learnt = inkov("dialect", "learn", "north.txt", "--from", "n.sheet")
    assert learnt.status == 2 and "the other source tells of no port" in learnt.err


def test_what_names_nothing_is_ignored_only_as_long_as_it_names_nothing(
    inkov: Inkov, tmp_path: Path
) -> None:
    """`lamp on` has no meaning here. What `lamp 10 at berth 2` has, nobody knows."""
    (tmp_path / "texts").mkdir()
    north = "moor north\nlamp on\nberth 1\n  lies 10\nberth 2\n  lies 20\n"
    (tmp_path / "texts" / "north.txt").write_text(north)
    south = north.replace("north", "south").replace("lamp on", "lamp on\nlamp 10 at berth 2")
    (tmp_path / "texts" / "south.txt").write_text(south)
    (tmp_path / "n.sheet").write_text(
        "inkov sheet 1\nswitch: north\n[vlans]\n10: a\n20: b\n[port 1]\nvlan: 10\n"
        "[port 2]\nvlan: 20\n"
    )
    learnt = inkov("dialect", "learn", "texts", "--from", "n.sheet", "-o", "texts/moor.toml")
    assert "(south.txt:3): what does it do? No switch of the other source has it" in learnt.err
    left = inkov("read", "texts", "--unmatched").out
    assert "south.txt:3" in left and "lamp 10 at berth 2" in left, left


NESTED = """\
moor {}
pool 10
  called ferns
pool 20
  called beds
row upper
  berth 1
    lies {}
  berth 2
    lies 20
row lower
  berth 3
    lies 10
  berth 4
    lies 20
"""
NESTED_SHEET = (
    "inkov sheet 1\nswitch: {}\n[vlans]\n10: ferns\n20: beds\n[port 1]\nvlan: {}\n"
    "[port 3]\nvlan: 10\n[port 2,4]\nvlan: 20\n"
)


def test_ports_within_other_blocks_are_learnt_there(inkov: Inkov, tmp_path: Path) -> None:
    """What is learnt of one switch reads another one's ports, two blocks deep, and its name."""
    for name, vid in (("north", 10), ("south", 20)):
        (tmp_path / f"{name[:1]}1.txt").write_text(NESTED.format(name, vid))
        (tmp_path / f"{name[:1]}.sheet").write_text(NESTED_SHEET.format(name, vid))
    learnt = inkov("dialect", "learn", "n1.txt", "--from", "n.sheet", "-o", "moor.toml")
    assert "4 of 4 ports of north are read as they are" in learnt.err
    checked = inkov("dialect", "check", "moor.toml", "s1.txt", "--against", "s.sheet")
    assert "south: 4 of 4 ports agree; 2 of 2 VLANs agree" in checked.out, checked.out


def test_a_dialect_to_begin_with_names_switches_and_vlans(inkov: Inkov, tmp_path: Path) -> None:
    """The name of a switch stands behind the same words in each text, once and another one in
    each; that of a VLAN below its number. What stands twice, or is a number, is no name.
    """
    (tmp_path / "texts").mkdir()
    for number, name in enumerate(("moor-1", "moor-2", "west"), 1):
        text = f"edition 2.{number}\nkeeper {'ann' if number < 3 else 'bo'}\nshed x{number}\n"
        text += f"shed y{number}\nlantern\nmoor {name}\n"
        text += "pool 10\n  called ferns\npool 20\n  called beds\n"
        (tmp_path / "texts" / f"t{number}.txt").write_text(text)
    begun = inkov("dialect", "new", "texts").out
    assert '"moor {name}" = "name = {name}"' in begun
    assert '"called {name}" = "name = {name}"' in begun
    assert begun.count('= "name = {name}"') == 2
    # Two texts are enough to tell.
    for number in (1, 2):
        (tmp_path / f"t{number}.txt").write_text(
            (tmp_path / "texts" / f"t{number}.txt").read_text()
        )
    two = inkov("dialect", "new", "t1.txt", "t2.txt").out
    assert '"moor {name}" = "name = {name}"' in two
    # Called as the file is, the word of the file goes first.
    for number in (1, 2, 3):
        path = tmp_path / "texts" / f"t{number}.txt"
        path.write_text(path.read_text().replace("shed x", "hut t"))
    begun = inkov("dialect", "new", "texts").out
    assert '"hut {name}" = "name = {name}"' in begun and '"moor {name}" =' not in begun


@pytest.mark.parametrize(
    ("named", "is_name"),
    [
        (("ferns", "beds", ""), True),
        (("ferns", "", ""), False),
        (("ferns", "ferns", "ferns"), False),
    ],
)
def test_what_most_vlans_have_below_them_is_their_name(
    inkov: Inkov, tmp_path: Path, named: tuple[str, ...], is_name: bool
) -> None:
    text = "moor north\n"
    for vid, name in zip((10, 20, 30), named, strict=True):
        text += f"pool {vid}\n" + (f"  called {name}\n" if name else "")
    (tmp_path / "t.txt").write_text(text)
    begun = inkov("dialect", "new", "t.txt").out
    assert ('"called {name}" = "name = {name}"' in begun) is is_name, begun


@pytest.mark.parametrize("members", [False, True])
def test_numbers_may_be_those_of_ports_and_of_vlans(
    inkov: Inkov, tmp_path: Path, members: bool
) -> None:
    """48 ports, and VLANs 10 to 40, which are told at the ports, or by lists of ports at the VLANs.
    Another switch has a statement that no source tells of, about VLANs all the same.
    """
    vlan_of = {port: 10 * (1 + port % 4) for port in range(1, 49)}
    beds, berths, sheet = "", "", "inkov sheet 1\nswitch: north\n[vlans]\n"
    for vid in (10, 20, 30, 40):
        own = ",".join(str(port) for port in vlan_of if vlan_of[port] == vid)
        beds += f"bed {vid}\n  called v{vid}\n" + f"  holds {own}\n" * members
        sheet += f"{vid}: v{vid}\n"
    for port, vid in vlan_of.items():
        berths += f"berth {port}\n" + (f"  lies {vid}\n" if not members else "  faces west\n")
        sheet += f"[port {port}]\nvlan: {vid}\n"
    (tmp_path / "texts").mkdir()
    odd = "" if members else "  lies 99 gently\n"
    (tmp_path / "texts" / "north.txt").write_text(f"moor north\n{beds}{berths}{odd}")
    more = f"moor south\n{beds}berth 50\n  lies 99 slowly\n"
    (tmp_path / "texts" / "south.txt").write_text(more)
    (tmp_path / "n.sheet").write_text(sheet)
    learnt = inkov("dialect", "learn", "texts", "--from", "n.sheet", "-o", "moor.toml")
    assert "48 of 48 ports of north are read as they are" in learnt.err, learnt.err
    # That 99 is a VLAN is told by the words before it, where these are known.
    assert f"lies {'{number}' if members else '{vid}'} slowly" in learnt.err, learnt.err
    alone = inkov("dialect", "learn", "texts/north.txt", "--from", "n.sheet").out
    assert "lies {vid} gently" in alone or members
    read = inkov("ports", "texts/north.txt", "moor.toml", "-q", "-f", "json").json["ports"]
    assert {int(row["port"]): row["arrives"] for row in read} == vlan_of


def test_texts_are_descriptions_only_where_ports_have_them(inkov: Inkov, tmp_path: Path) -> None:
    """`label` ends in what the other source calls a port; `motto` stands below none, and `sign`
    goes on behind its text, which then is one word.
    """
    text, ports = 'moor north\nmotto "row 1 of 10"\n', ""
    for port in (1, 2, 3):
        about = f"row {port} of {port}0"
        text += f'berth {port}\n  lies {port}0\n  sign "{about}" small\n  label "{about}"\n'
        ports += f"[port {port}]\nvlan: {port}0\nabout: {about}\n"
    (tmp_path / "north.txt").write_text(text)
    (tmp_path / "n.sheet").write_text(f"inkov sheet 1\nswitch: north\n{ports}")
    learnt = inkov("dialect", "learn", "north.txt", "--from", "n.sheet").out
    assert '"label {text}" = "about = {text}"' in learnt and learnt.count("about =") == 1
    assert 'ignored = ["sign {word} small"]' in learnt and "motto {text}" in learnt


def test_what_names_nothing_is_proposed_behind_a_mark(inkov: Inkov, tmp_path: Path) -> None:
    """With the mark off, its lines are without meaning; before that they are not understood."""
    (tmp_path / "texts").mkdir()
    for number in (1, 2):
        text = f"shed moor-{number}\nlamp bright\nbench 1\n  vlan 10\n"
        (tmp_path / "texts" / f"t{number}.txt").write_text(text)
    begun = inkov("dialect", "new", "texts").out
    mark = (
        "# Nothing here names a port, a VLAN or a gateway. Look through it, and take the\n"
        '# mark off:\n# ignored = ["lamp {words}"]\n'
    )
    assert begun.count(mark) == 1
    counts = []
    for text in (begun, begun.replace("# ignored =", "ignored =")):
        dialect = compile_dialect("begun.toml", text.encode())
        ledger = read_text(dialect, "t1.txt", (tmp_path / "texts" / "t1.txt").read_bytes()).ledger
        counts.append((ledger.passed, len(ledger.unmatched)))
    assert counts[1] == (counts[0][0] + 1, counts[0][1] - 1)


def test_tables_notes_and_old_dialects_are_no_texts_to_describe(
    inkov: Inkov, tmp_path: Path
) -> None:
    """What stands beside the texts does not change what is begun; nor is the copy of a dialect
    under another name one that reads them.
    """
    (tmp_path / "texts").mkdir()
    for name, vid in (("north", 10), ("south", 20)):
        (tmp_path / "texts" / f"{name}.txt").write_text(NESTED.format(name, vid))
    begun = inkov("dialect", "new", "texts")
    assert '"moor {name}"' in begun.out
    (tmp_path / "texts" / "notes.toml").write_text("[notes]\nbeds = 3\n")
    (tmp_path / "texts" / "colours.csv").write_text("bed,colour\n1,red\n2,blue\n")
    (tmp_path / "texts" / "moor.toml.old").write_text(
        'dialect = "moor"\nfiles = ["*.txt"]\n[device]\nignored = ["moor {words}"]\n'
    )
    (tmp_path / "texts" / "hostname").write_text("north\n")
    (tmp_path / "texts" / "plan.png").write_bytes(b"\x89PNG\r\n\x1a\n\x00\x00\x00\rIHDR")
    others = ("notes.toml", "colours.csv", "hostname", "plan.png")
    names = [f"texts/{name}" for name in ("north.txt", "south.txt", *others)]
    again = inkov("dialect", "new", *names)
    assert (again.out, again.err) == (begun.out, begun.err)
    (tmp_path / "texts" / "west.sheet").write_text("inkov sheet 1\nswitch: west\n[port 1]\n")
    read = inkov("read", "texts", "-f", "csv", "-q").out
    assert "not a format that is read" in next(r for r in read.splitlines() if "north.txt" in r)
