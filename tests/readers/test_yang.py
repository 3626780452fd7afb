"""Every OpenConfig file of ours is valid by the OpenConfig YANG modules, as yanglint sees it.

The modules come from the source package `ydk-models-openconfig`, which `.ci/run` fetches; nothing
of it is part of the program. That edition has three known slips, mended in a copy before use:
patterns with the anchors ^ and $, which XSD patterns (RFC 7950, 9.4.5) take literally; `when`
statements that look for `type` and `interface-mode` beside themselves, where they never stand.
"""

from __future__ import annotations

import json
import os
import re
import shutil
import subprocess
import tarfile
from pathlib import Path

import pytest

from tests.conftest import DEMO, need

PACKAGE = "ydk-models-openconfig"
MODULES = (
    "interfaces",
    "if-ethernet",
    "if-aggregate",
    "vlan",
    "if-ip",
    "network-instance",
    "system",
    "lldp",
    "lacp",
    "acl",
)


@pytest.fixture(scope="module")
def yang(tmp_path_factory: pytest.TempPathFactory) -> Path:
    found = sorted(Path(os.environ.get("INKOV_YANG", ".venv/yang")).glob(f"{PACKAGE}-*.tar.gz"))
    need(bool(found), f"the source package {PACKAGE}")
    need(shutil.which("yanglint") is not None, "yanglint (Debian: libyang2-tools)")
    folder = tmp_path_factory.mktemp("yang")
    with tarfile.open(found[-1]) as package:
        for member in package.getmembers():
            if member.name.endswith(".yang") and member.isfile():
                file = package.extractfile(member)
                assert file is not None
                (folder / Path(member.name).name).write_text(_mended(file.read().decode()))
    return folder


def _mended(text: str) -> str:
    if not re.search(
        r"^module openconfig-(?:vlan|vlan-types|if-aggregate|inet-types) ", text, re.MULTILINE
    ):
        return text
    text = re.sub(
        r"""when "(?:oc-if:type|interface-mode) = '[\w:]+'"\s*(?:;|\{[^}]*\})""", "", text
    )
    return re.sub(
        r"pattern\s+(?:'[^']*'\s*\+?\s*)+",
        lambda m: m[0].replace("'^", "'", 1)[::-1].replace("'$", "'", 1)[::-1],
        text,
    )


def validate(file: Path, yang: Path, tmp_path: Path) -> str:
    """What yanglint says against a file; empty if it is valid.

    Its configuration must be complete in itself (`-t config`: mandatory nodes, references, `when`);
    the whole file, neighbours included, must be what a device may answer (`-t get`: state need not
    be complete).
    """
    tree = json.loads(file.read_text())
    tree.pop("openconfig-lldp:lldp", None)  # neighbours are state
    configuration = tmp_path / "config.json"
    configuration.write_text(json.dumps(tree))
    return _yanglint("config", configuration, yang) or _yanglint("get", file, yang)


def _yanglint(kind: str, file: Path, yang: Path) -> str:
    types = sorted([*yang.glob("*-types.yang"), yang / "iana-if-type.yang"])
    modules = [yang / f"openconfig-{name}.yang" for name in MODULES]
    done = subprocess.run(
        ["yanglint", "-p", yang, "-t", kind, "-f", "json", *types, *modules, file],
        capture_output=True,
        text=True,
    )
    errors = [line for line in done.stderr.splitlines() if "err :" in line]
    return "\n".join(errors) or ("" if done.returncode == 0 else f"status {done.returncode}")


@pytest.mark.parametrize(
    "file", sorted(DEMO.glob("*/*.json")), ids=lambda f: f"{f.parent.name}/{f.name}"
)
def test_our_files_are_valid(file: Path, yang: Path, tmp_path: Path) -> None:
    assert validate(file, yang, tmp_path) == ""


def test_the_oracle_can_say_no(yang: Path, tmp_path: Path) -> None:
    text = (DEMO / "garden" / "fern-1.json").read_text()
    broken = tmp_path / "broken.json"
    broken.write_text(text.replace('"access-vlan": 10', '"access-vlan": 4095', 1))
    assert "4095" in validate(broken, yang, tmp_path)
    broken.write_text(text.replace('"port-id":', '"port-number":', 1))
    assert "port-number" in validate(broken, yang, tmp_path)
