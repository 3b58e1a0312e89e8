"""The site in production mode, as docs/OPERATE.md sets it up."""

from __future__ import annotations

import os
import subprocess

import serve
from running_site import BASE


def test_it_runs_as_the_page_on_operating_says() -> None:
    env = {k: v for k, v in os.environ.items() if not k.startswith("TECTOGON_")}
    done = subprocess.run(
        [serve.PYTHON, str(BASE / "scripts" / "production.py")], env=env, capture_output=True, text=True, timeout=240,
        check=False,
    )  # fmt: skip
    assert done.returncode == 0 and "FAILED" not in done.stdout, done.stdout + done.stderr[-3000:]
    assert done.stdout.count("  ok   ") >= 20
