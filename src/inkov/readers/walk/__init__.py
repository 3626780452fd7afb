"""SNMP walks: `text` finds the objects in a text, `device` makes a switch of them."""

from inkov.readers.walk.device import read
from inkov.readers.walk.text import recognise

__all__ = ["read", "recognise"]
