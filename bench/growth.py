"""Whether anything grows: five hundred previews of a large drawing in one child; three hundred made-up cards whose
earlier values change."""

from __future__ import annotations

import json
import os
import subprocess
import sys
import tempfile
from pathlib import Path

BASE = Path(__file__).resolve().parents[1]
PREVIEWS, CURVES, BUDGET = 150, 48_000, 4_000_000_000

_CHILD = """
import json, sys
from pathlib import Path
sys.path[:0] = ["core", "server"]
from tectogon_server.computing import functions, remote
path, folder, previews, budget = Path(sys.argv[1]), Path(sys.argv[2]), int(sys.argv[3]), int(sys.argv[4])
from make_room import make_room
remote.start(5_000_000_000)
steps = [
    {"number": 10, "kind": "read", "params": {"source": "a"}},
    {"number": 20, "kind": "move", "params": {"about": "origin", "x": 0}},
]
memory, disk = [], []
def size(path):
    try:
        return path.stat().st_size
    except FileNotFoundError:  # what is being written takes its name while we look
        return 0
for n in range(previews):
    steps[1]["params"]["x"] = n / 10
    card = {"version": 2, "steps": steps, "sources": {"a": "0" * 64}}
    remote.named("run", card, {"a": str(path)}, str(folder), "workshop 1", str(folder / "progress"))
    memory.append(functions._resident())
    disk.append(sum(size(p) for p in folder.iterdir()))
    if n % 10 == 9:  # as often as housekeeping looks, at a second a preview
        make_room(folder, int(0.8 * budget))
print(json.dumps({"memory": memory, "disk": disk}))
"""


def previews(count: int = PREVIEWS) -> dict[str, list[int]]:
    """Resident bytes of the child and bytes on disk after each of `count` previews, each of another drawing of 48,000
    curves."""
    from make_inputs import short_lines_dxf

    with tempfile.TemporaryDirectory() as folder:
        (Path(folder) / "make_room.py").write_text(
            "import os\ndef make_room(folder, budget):\n"
            "    found = sorted((p.stat().st_mtime, p.stat().st_size, p) for p in folder.iterdir()\n"
            "                   if not p.name.startswith('tmp-'))\n"
            "    total = sum(size for _, size, _ in found)\n"
            "    for _, size, path in found:\n"
            "        if total <= (0.8 * budget if total > budget else budget): break\n"
            "        path.unlink(); total -= size\n"
        )
        results = Path(folder) / "results"
        results.mkdir()
        words = [sys.executable, "-c", _CHILD, str(short_lines_dxf(CURVES)), str(results), str(count), str(BUDGET)]
        done = subprocess.run(
            words, capture_output=True, text=True, check=True, cwd=BASE, env={**os.environ, "PYTHONPATH": folder}
        )
        found: dict[str, list[int]] = json.loads(done.stdout.splitlines()[-1])
        return found


def wrong_picks(cards: int) -> int:
    """How many of so many made-up cards have a pick that means another thing after one of ten changes of earlier
    values."""
    import ezdxf
    from test_identity import Job

    wrong = 0
    with tempfile.TemporaryDirectory() as folder:

        def drawing(draw: object, name: str) -> Path:
            document = ezdxf.new("R2010", units=4)
            draw(document.modelspace(), document)  # type: ignore[operator]
            document.saveas(Path(folder) / name)
            return Path(folder) / name

        for seed in range(cards):
            job = Job(seed, drawing)
            faults = bool(job.wrong(job.run()))
            for _ in range(10):
                job.edit()
                faults = faults or bool(job.wrong(job.run()))
            wrong += faults
    return wrong
