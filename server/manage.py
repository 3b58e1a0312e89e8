#!/usr/bin/env python
"""Django's command line for Tectogon."""

import os
import sys

from django.core.management import execute_from_command_line

if __name__ == "__main__":
    os.environ.setdefault("DJANGO_SETTINGS_MODULE", "tectogon_server.settings")
    if sys.argv[1:2] == ["work"]:
        from tectogon_server.computing import remote

        remote.prepare()
    execute_from_command_line(sys.argv)
