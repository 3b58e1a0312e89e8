"""Damaged files by the thousand: python scripts/fuzz.py [--each 1000] [--seed N] [FORMAT…] (by `make fuzz`).

Every sample is cut off, flipped, spliced, repeated and zeroed at random; each damaged file is inspected and searched
for profiles by the command line in a child process with a time and a memory limit. A crash, a limit reached or exit
status 6 is a fault: its file goes to core/tests/corpus, whose files are tried first, and by the tests of every run.
Without a seed it is that of the day, so that every day tries others.
"""

from __future__ import annotations

import argparse
import contextlib
import io
import multiprocessing
import random
import resource
import sys
import tempfile
from collections import Counter
from concurrent.futures import TimeoutError as TookTooLong
from datetime import date
from pathlib import Path
from typing import Any

BASE = Path(__file__).resolve().parents[1]
sys.path[:0] = [str(BASE / "core"), str(BASE / "demo")]
SECONDS, MEMORY = 30, 4_000_000_000
KEPT = BASE / "core" / "tests" / "corpus"


def damaged(data: bytes, chooser: random.Random) -> bytes:
    """One or more of the ways in which files get damaged."""
    out = bytearray(data)
    for _ in range(chooser.choice((1, 1, 1, 2, 3))):
        if not out:
            break
        at = chooser.randrange(len(out))
        way = chooser.choice(("cut", "flip", "flip", "flip", "splice", "repeat", "block", "zero", "digits", "drop"))
        if way == "cut":
            del out[at:]
        elif way == "flip":
            for _ in range(chooser.choice((1, 1, 3, 20))):
                out[chooser.randrange(len(out))] ^= 1 << chooser.randrange(8)
        elif way == "splice":
            begin = chooser.randrange(len(out))
            out[at:at] = out[begin : begin + chooser.randrange(1, 400)]
        elif way == "repeat":
            out[at : at + 1] = out[at : at + 1] * chooser.choice((2, 50, 3000))
        elif way == "block":
            out[at:at] = out[at : at + chooser.randrange(200, 4000)] * chooser.choice((3, 30, 300))
        elif way == "zero":
            span = chooser.randrange(1, 60)
            out[at : at + span] = bytes(len(out[at : at + span]))
        elif way == "digits":
            places = [i for i in range(at, min(at + 400, len(out))) if 48 <= out[i] <= 57]
            for i in chooser.sample(places, min(len(places), 3)):
                out[i] = chooser.choice(b"0123456789.-eE")
        else:
            del out[at : at + chooser.randrange(1, 200)]
    return bytes(out)


def limit() -> None:
    resource.setrlimit(resource.RLIMIT_AS, (MEMORY, MEMORY))
    resource.setrlimit(resource.RLIMIT_CORE, (0, 0))


def tried(command: str, path: str) -> int:
    """The exit status of a command."""
    from tectogon.cli import main

    with contextlib.redirect_stdout(io.StringIO()), contextlib.redirect_stderr(io.StringIO()):
        return int(main([command, path, "--json"]))


def main() -> int:
    from pebble import ProcessExpired, ProcessPool

    parser = argparse.ArgumentParser()
    parser.add_argument("--each", type=int, default=1000)
    parser.add_argument("--seed", type=int, default=date.today().toordinal())
    parser.add_argument("formats", nargs="*")
    options = parser.parse_args()
    samples: dict[str, list[Path]] = {}
    for path in sorted((BASE / "demo" / "files").iterdir()):
        samples.setdefault(path.suffix[1:], []).append(path)
    KEPT.mkdir(parents=True, exist_ok=True)
    faults = 0
    with (
        tempfile.TemporaryDirectory() as folder,
        ProcessPool(2, initializer=limit, context=multiprocessing.get_context("spawn")) as pool,
    ):

        def asked(target: Path) -> list[Any]:
            """Both commands, each with its own time."""
            return [
                pool.schedule(tried, args=(command, str(target)), timeout=SECONDS)
                for command in ("inspect", "profiles")
            ]

        for ending, paths in samples.items():
            if options.formats and ending not in options.formats:
                continue
            chooser = random.Random(f"{options.seed} {ending}")
            waiting: list[tuple[Path, list[Any]]] = []
            for path in sorted(KEPT.glob(f"*.{ending}")):
                target = Path(folder) / "kept" / path.name
                target.parent.mkdir(exist_ok=True)
                target.write_bytes(path.read_bytes())
                waiting.append((target, asked(target)))
            for n in range(options.each):
                target = Path(folder) / f"{ending}-{options.seed}-{n}.{ending}"
                target.write_bytes(damaged(chooser.choice(paths).read_bytes(), chooser))
                waiting.append((target, asked(target)))
            outcomes: Counter[str] = Counter()
            for target, futures in waiting:
                try:
                    outcome = str(max(future.result() for future in futures))
                except TookTooLong:
                    outcome = "too long"
                except ProcessExpired:
                    outcome = "crash"
                except MemoryError:
                    outcome = "memory"
                except Exception as fault:
                    outcome = f"uncaught {type(fault).__name__}"
                outcomes[outcome] += 1
                if outcome not in ("0", "3", "4"):
                    faults += 1
                    (KEPT / target.name).write_bytes(target.read_bytes())
                target.unlink()
            print(
                f"{ending:5} {len(waiting)} damaged files, seed {options.seed}: "
                + ", ".join(f"{n} × {name}" for name, n in sorted(outcomes.items())),
                flush=True,
            )
    print(f"{faults} faults{f'; the files are in {KEPT}' if faults else ''}")
    return 1 if faults else 0


if __name__ == "__main__":
    sys.exit(main())
