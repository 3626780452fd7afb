"""Two states of a campus: what is the same in both is read once, and gives what reading it twice
gives.
"""

from __future__ import annotations

import json
import random
import shutil
from pathlib import Path

from inkov.edits import difference
from inkov.readers import Loaded, load
from tests.campuses import random_campus
from tests.conftest import DEMO, cases
from tests.edits.changes import changed
from tests.edits.test_edits import meaning
from tests.written import in_files


def account(loaded: Loaded) -> object:
    """All that reading gave, but for the places."""
    return (
        meaning(loaded.campus),
        [text for _, text in loaded.campus.unmatched],
        [(problem.says, problem.cure, problem.lost) for problem in loaded.campus.problems],
        [
            (one.file, one.format, one.devices, one.remark, one.understood, one.not_understood)
            for one in loaded.reports
        ],
    )


def both(old: Path, new: Path) -> tuple[Loaded, Loaded]:
    """Both states, as `compare` reads them; held against reading each by itself."""
    after = load([str(new)], keep=True)
    before = load([str(old)], before=after.readings)
    apart = load([str(old)]), load([str(new)])
    assert account(before) == account(apart[0])
    assert account(after) == account(apart[1])  # reading the other has left it alone
    edits = difference(before.campus, after.campus, before.taken_over)
    assert meaning(edits) == meaning(difference(apart[0].campus, apart[1].campus))
    return before, after


CAMPUSES = cases("AGAIN", 60, least=40)


def test_reading_again_gives_what_reading_twice_gives(tmp_path: Path) -> None:
    taken_over = 0
    for number in range(CAMPUSES):
        rng = random.Random(f"again {number}")
        campus = random_campus(rng, 5)
        for name, one in (("old", campus), ("new", changed(rng, campus, 2))):
            (tmp_path / name).mkdir(exist_ok=True)
            in_files(random.Random(number), one, tmp_path / name)
        taken_over += len(both(tmp_path / "old", tmp_path / "new")[0].taken_over)
    assert taken_over > CAMPUSES, taken_over


def test_the_garden_before_and_after_its_repair() -> None:
    before, _ = both(DEMO / "garden", DEMO / "repaired")
    assert before.taken_over


SHEET = "inkov sheet 1\nswitch: {name}\n[vlans]\n10: ferns\n[port 1]\nvlan: 10\n"


def test_places_of_a_file_that_is_the_same_are_named_by_the_new_one(tmp_path: Path) -> None:
    for side in ("old", "new"):
        (tmp_path / side).mkdir()
        for name in ("fern-1", "moss-1"):
            (tmp_path / side / f"{name}.sheet").write_text(SHEET.format(name=name))
    (tmp_path / "old" / "moss-1.sheet").write_text(SHEET.format(name="moss-1") + "[port 2]\n")
    before, _ = both(tmp_path / "old", tmp_path / "new")
    assert before.taken_over == {"fern-1"}
    places = {
        name: str(Path(device.ports["1"].origin.file).relative_to(tmp_path))
        for name, device in before.campus.devices.items()
    }
    assert places == {"fern-1": "new/fern-1.sheet", "moss-1": "old/moss-1.sheet"}


def interfaces(vlan: int) -> dict[str, object]:
    switched = {
        "ethernet": {
            "openconfig-vlan:switched-vlan": {
                "config": {"interface-mode": "ACCESS", "access-vlan": vlan}
            }
        }
    }
    port = {"name": "port-1", "config": {"name": "port-1"}}
    return {
        "openconfig-interfaces:interfaces": {
            "interface": [{**port, **{f"openconfig-if-{k}:{k}": v for k, v in switched.items()}}]
        }
    }


def test_a_file_that_says_no_name_is_named_after_its_own(tmp_path: Path) -> None:
    for side, name in (("old", "fern-1"), ("new", "moss-1")):
        (tmp_path / side).mkdir()
        (tmp_path / side / f"{name}.json").write_text(json.dumps(interfaces(10)))
    before, after = both(tmp_path / "old", tmp_path / "new")
    assert (list(before.campus.devices), list(after.campus.devices)) == (["fern-1"], ["moss-1"])


def test_halves_of_a_device_are_put_together_on_each_side_by_itself(tmp_path: Path) -> None:
    neighbours: dict[str, object] = {"openconfig-lldp:lldp": {"interfaces": {"interface": []}}}
    system: dict[str, object] = {"openconfig-system:system": {"config": {"hostname": "fern-1"}}}
    for side in ("old", "new"):
        (tmp_path / side).mkdir()
        (tmp_path / side / "ports.json").write_text(json.dumps(interfaces(10)))
    (tmp_path / "old" / "rest.json").write_text(json.dumps({**neighbours, **system}))
    (tmp_path / "new" / "rest.json").write_text(json.dumps({**neighbours, **system}))
    before, after = both(tmp_path / "old", tmp_path / "new")
    assert list(before.campus.devices) == list(after.campus.devices) == ["fern-1"]
    # With another whole switch beside them, the same two files are no halves any more.
    (tmp_path / "new" / "moss-1.json").write_text(json.dumps(interfaces(20) | neighbours))
    before, after = both(tmp_path / "old", tmp_path / "new")
    assert list(before.campus.devices) == ["fern-1"]
    assert list(before.campus.devices["fern-1"].ports) == ["port-1"]
    assert len(after.campus.devices) == 3


def test_of_two_halves_the_one_that_differs_is_not_overlooked(tmp_path: Path) -> None:
    """The half with the name and the ports is the same; the table beside it is another one."""
    system: dict[str, object] = {"openconfig-system:system": {"config": {"hostname": "fern-1"}}}
    for side, name in (("old", "ferns"), ("new", "mosses")):
        (tmp_path / side).mkdir()
        (tmp_path / side / "ports.json").write_text(json.dumps(interfaces(10) | system))
        rows = {"vlan": [{"vlan-id": 10, "config": {"vlan-id": 10, "name": name}}]}
        instance = {"network-instance": [{"name": "default", "vlans": rows}]}
        table = {"openconfig-network-instance:network-instances": instance}
        (tmp_path / side / "table.json").write_text(json.dumps(table))
    before, after = both(tmp_path / "old", tmp_path / "new")
    names = [
        loaded.campus.devices["fern-1"].row(10).name.value  # type: ignore[union-attr]
        for loaded in (before, after)
    ]
    assert names == ["ferns", "mosses"]


def test_another_dialect_reads_the_same_text_anew(tmp_path: Path) -> None:
    languages = DEMO / "languages"
    for side in ("old", "new"):
        shutil.copytree(languages, tmp_path / side)
    before, _ = both(tmp_path / "old", tmp_path / "new")
    assert {"boathouse-1", "jetty-1"} <= before.taken_over
    dialect = tmp_path / "old" / "harbour.toml"
    dialect.write_text(dialect.read_text().replace("vlan = 1\n", "vlan = 7\n", 1))
    before, after = both(tmp_path / "old", tmp_path / "new")
    assert not before.taken_over
    assert meaning(before.campus) != meaning(after.campus)
