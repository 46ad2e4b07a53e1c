"""Irvane: develop raw photographs and judge the result."""

__version__ = "0.1.0"
