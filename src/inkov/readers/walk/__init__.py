"""SNMP walks: `text` finds the objects (`rows`) in a text, by their `order` if need be; `device`
makes a switch of them.
"""

from inkov.readers.walk.device import read
from inkov.readers.walk.text import recognise

__all__ = ["read", "recognise"]
