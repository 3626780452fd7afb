"""The demo campus: a made-up botanic garden with research glasshouses, as it is and repaired."""

from inkov.demo.copy import DemoExists, copy_demo

__all__ = ["DemoExists", "copy_demo"]
