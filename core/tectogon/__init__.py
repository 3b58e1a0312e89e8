"""Tectogon: flat linework becomes dimensioned solid parts. Pure computation; no web, no database."""

__version__ = "0.1.0"
