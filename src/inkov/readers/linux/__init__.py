"""Linux systems: the JSON of their tools, units of systemd-networkd, neighbours from lldpd.

Each file tells a part of a system; `inkov.readers.assembly` puts the parts together.
"""
