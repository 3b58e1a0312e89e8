"""The command `tectogon`: batch work without a server. main.py has its words, each of the others some of its work."""

from tectogon.cli.main import main

__all__ = ["main"]
