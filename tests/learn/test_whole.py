"""Whole dialects that are learnt or begun, each line written from what the texts mean."""

from __future__ import annotations

from pathlib import Path

import pytest

from tests.conftest import Inkov

SAID_BY_NONE = """\
inkov: question: what is a port of which nothing is said? No port of the other source tells; \
it is taken to be on, untagged in VLAN 1 ([defaults])
"""
DEFAULTS = """\
[defaults]
mode = "access"
vlan = "1"
native = "none"
allowed = "none"
pvid = "none"
untagged = "none"
"""

# Ports in blocks by indentation; comments, a description, a block and a line about other things.
GROVE = """\
grove north
// of the north gate
lamp bright
store
  shelf oak
plot 10
  called ferns
plot 20
  called beds
gate 1
  label "lamp by the door"
  sows 10
gate 2
  label "pump"
  sows 20
  watch lamp
gate 3
  sealed
  gilded
gate 4
  label "to the south"
  spans 10, 20
  plain 10
"""
GROVE_SHEET = """\
inkov sheet 1
switch: north
[vlans]
10: ferns
20: beds
[port 1]
about: lamp by the door
vlan: 10
[port 2]
about: pump
vlan: 20
[port 3]
state: off
[port 4]
about: to the south
mode: trunk
allowed: 10,20
native: 10
"""
# The trunk's list replaces what was said before, or adds to it: it is the first of its port. What
# is gilded may be off or a trunk for that: it is off anyway.
GROVE_DIALECT = f"""\
# Learnt from north.txt: 4 of 4 ports agree.
# `inkov dialect check` with --against shows what does not.
dialect = "my-switches"
recognise = ["grove {{name}}"]

[text]
shape = "indented"
comment = ["//"]

[lists]
separators = [","]
ranges = ["-"]

{DEFAULTS}
[device]
ignored = ["lamp {{words}}", "store"]
[device.says]
"grove {{name}}" = "name = {{name}}"

[vlan]
opens = ["plot {{vid}}"]
[vlan.says]
"called {{name}}" = "name = {{name}}"

[port]
opens = ["gate {{ports}}"]
ignored = ["watch {{words}}"]
[port.says]
"label {{text}}" = "about = {{text}}"
"sows {{vid}}" = "mode = access; vlan = {{vid}}"  # 2 lines; agrees with 2 ports, contradicted by \
none; as well: `vlan = {{vid}}`
"sealed" = "state = off"  # 1 line; agrees with 1 port, contradicted by none
# "gilded" = ""  # what does it do? Where it stands, it changes nothing that can be seen
"spans {{vids}}" = "mode = trunk; allowed = {{vids}}"  # 1 line; agrees with 1 port, contradicted \
by none; as well: `mode = trunk; allowed + {{vids}}`
"plain {{vid}}" = "native = {{vid}}"  # 1 line; agrees with 1 port, contradicted by none; as well: \
`mode = trunk; native = {{vid}}`
"""
GROVE_SAYS = f"""\
inkov: 4 of 4 ports of north are read as they are
inkov: question: "gilded" (north.txt:19): what does it do? Where it stands, it changes nothing \
that can be seen
inkov: question: "spans {{vids}}" (north.txt:22): `mode = trunk; allowed = {{vids}}`, \
or `mode = trunk; allowed + {{vids}}`?
{SAID_BY_NONE}"""

# Blocks in braces, VLANs by their names in quotes, settings that ports take over, a gateway.
MERE = """\
mere lake;
pool 10 {
  called "ferns";
}
pool 20 {
  called "beds";
}
sort visitor {
  lies "beds";
}
sort keeper {
  lies "ferns";
}
berth 1 {
  as visitor;
}
berth 2 - 3 {
  as keeper;
}
berth 4 {
  as keeper;
  rests;
}
well "ferns" {
  pours 192.0.2.1/24;
}
"""
MERE_SHEET = """\
inkov sheet 1
switch: lake
[vlans]
10: ferns
20: beds
[port 1]
vlan: 20
[port 2,3]
vlan: 10
[port 4]
vlan: 10
state: off
"""
MERE_DIALECT = f"""\
# Learnt from north.txt: 4 of 4 ports agree.
# `inkov dialect check` with --against shows what does not.
dialect = "my-switches"
recognise = ["mere {{name}}"]

[text]
shape = "braced"
statement-end = ";"

[lists]
separators = [","]
ranges = ["-"]

{DEFAULTS}
[device]
[device.says]
"mere {{name}}" = "name = {{name}}"

[vlan]
opens = ["pool {{vid}}"]
[vlan.says]
"called {{name}}" = "name = {{name}}"

[profile]
opens = ["sort {{name}}"]
like = "port"

[port]
opens = ["berth {{ports}}"]
[port.says]
"lies {{vlan}}" = "mode = access; vlan = {{vlan}}"  # 2 lines; agrees with 4 ports, contradicted \
by none; as well: `vlan = {{vlan}}`
"as {{name}}" = "takes + {{name}}"  # 3 lines; agrees with 4 ports, contradicted by none; as well: \
`takes = {{name}}`
"rests" = "state = off"  # 1 line; agrees with 1 port, contradicted by none

[gateway]
opens = ["well {{vlan}}"]
[gateway.says]
"pours {{address}}" = "address = {{address}}"
"""
MERE_SAYS = f"""\
inkov: 4 of 4 ports of lake are read as they are
inkov: question: "as {{name}}" (north.txt:15): `takes + {{name}}`, or `takes = {{name}}`?
{SAID_BY_NONE}"""

# Statements on lines of their own; another text, of which there is no other source.
HALL = """\
hall west
room 10 ferns
room 20 beds
set door 1 in 10
set door 2 in 20
set door 3-4 closed
set door 5 tags 10, 20
set door 5 plain 10
"""
HALL_SHEET = """\
inkov sheet 1
switch: west
[vlans]
10: ferns
20: beds
[port 1]
vlan: 10
[port 2]
vlan: 20
[port 3,4]
state: off
[port 5]
mode: trunk
allowed: 10,20
native: 10
"""
HALL_EAST = """\
hall east
room 10 ferns
room 30 stage
set door 7 in 30
set door 8 keeps 30
set door 8 dimmed
set door 9 tags 10, 30
"""
# What only the east says stays open; a word between numbers might make a list. Nothing that agrees
# as well would change how the east is read.
HALL_DIALECT = f"""\
# Learnt from north.txt: 5 of 5 ports agree.
# `inkov dialect check` with --against shows what does not.
dialect = "my-switches"
recognise = ["hall {{name}}"]

[text]
shape = "flat"

[lists]
separators = [","]
ranges = ["-"]

{DEFAULTS}
[device]
[device.says]
"hall {{name}}" = "name = {{name}}"
"room {{vid}} {{name}}" = "on vlan {{vid}}: name = {{name}}"
"set door {{ports}} in {{vid}}" = "on ports {{ports}}: mode = access; vlan = {{vid}}"  # 2 lines; \
agrees with 2 ports, contradicted by none; as well: `vlan = {{vid}}`
"set door {{ports}} closed" = "on ports {{ports}}: state = off"  # 1 line; agrees with 2 ports, \
contradicted by none
"set door {{ports}} tags {{vids}}" = "on ports {{ports}}: mode = trunk; allowed = {{vids}}"  # 1 \
line; agrees with 1 port, contradicted by none; as well: `mode = trunk; allowed + {{vids}}`
"set door {{ports}} plain {{vid}}" = "on ports {{ports}}: native = {{vid}}"  # 1 line; agrees with \
1 port, contradicted by none; as well: `mode = trunk; native = {{vid}}`
# "set door {{ports}} dimmed" = ""  # what does it do? No other source tells
"""
HALL_SAYS = """\
inkov: 5 of 5 ports of west are read as they are
inkov: question: what is 'keeps' between numbers (east.txt:5)? A range, or a list? Name it under \
[lists]
inkov: question: "set door {ports} dimmed" (east.txt:6): what does it do? No switch of the other \
source has it
"""


@pytest.mark.parametrize(
    ("texts", "sheet", "dialect", "says"),
    [
        ([GROVE], GROVE_SHEET, GROVE_DIALECT, GROVE_SAYS),
        ([MERE], MERE_SHEET, MERE_DIALECT, MERE_SAYS),
        ([HALL, HALL_EAST], HALL_SHEET, HALL_DIALECT, HALL_SAYS),
    ],
)
def test_a_whole_dialect_is_learnt(
    texts: list[str], sheet: str, dialect: str, says: str, inkov: Inkov, tmp_path: Path
) -> None:
    for name, text in zip(("north", "east"), texts, strict=False):
        (tmp_path / f"{name}.txt").write_text(text)
    (tmp_path / "other.sheet").write_text(sheet)
    learnt = inkov(
        "dialect", "learn", "north.txt", *["east.txt"] * (len(texts) > 1), "--from", "other.sheet"
    )
    assert learnt.out == dialect
    assert (learnt.status, learnt.err) == (1, says)
