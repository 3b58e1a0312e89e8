"""What is kept survives: a backup restored elsewhere opens every part, there on machines that share no disk; and a
database of the first version is brought up to date with all that was in it."""

from __future__ import annotations

import hashlib
import json
import os
import subprocess
from collections.abc import Iterator
from pathlib import Path
from typing import Any

import psycopg
import pytest
import serve
from running_site import BASE, LIMITS, Site

FIRST = BASE / "core" / "tests" / "first_version"


def sql(env: dict[str, str], database: str, *statements: str) -> list[Any]:
    out = []
    with psycopg.connect(
        host="127.0.0.1", port=env["TECTOGON_DB_PORT"], user="tectogon", password=env["TECTOGON_DB_PASSWORD"],
        dbname=database, autocommit=True,
    ) as connection:  # fmt: skip
        for statement in statements:
            cursor = connection.execute(statement)  # type: ignore[arg-type]
            out += cursor.fetchall() if cursor.description else []
    return out


def backup(env: dict[str, str], verb: str, file: Path, database: str) -> subprocess.CompletedProcess[str]:
    return subprocess.run(
        [str(BASE / "scripts" / "backup.sh"), verb, str(file)], env={**env, "TECTOGON_DB_NAME": database},
        capture_output=True, text=True, check=False,
    )  # fmt: skip


def computed(site: Site) -> dict[str, Any]:
    """Every part with its card, its revisions and what comes of it, computed anew."""
    client = site.client()
    out = {}
    for part in client.call("GET", "/api/parts"):
        opened = client.call("GET", f"/api/parts/{part['id']}")
        report = client.run(part["id"], seconds=120)["report"]
        revisions = client.call("GET", f"/api/parts/{part['id']}/revisions")
        out[part["id"]] = (part["name"], opened["card"], revisions, report["figures"], report["drawing"])
    return out


@pytest.fixture
def restored(site: Site, tmp_path: Path) -> Iterator[Site]:
    other = Site(tmp_path)
    other.database = f"{site.database}_restored"
    other.env["TECTOGON_DB_NAME"] = other.database
    other.port = serve.free_port(site.port + 40)
    other.url = f"http://localhost:{other.port}"
    gone = f"DROP DATABASE IF EXISTS {other.database} WITH (FORCE)"
    sql(site.env, "postgres", gone, f"CREATE DATABASE {other.database}")
    yield other
    other.stop()
    sql(site.env, "postgres", gone)


def test_a_backup_restored_elsewhere_is_the_same_in_every_part(site: Site, restored: Site, tmp_path: Path) -> None:
    file = tmp_path / "backup"
    assert backup(site.env, "dump", file, site.database).returncode == 0
    over = backup(site.env, "restore", file, site.database)
    assert over.returncode == 1 and "not empty" in over.stderr
    back = backup(site.env, "restore", file, restored.database)
    assert back.returncode == 0, back.stderr
    serve.manage(restored.env, "migrate", "-v", "0")
    restored.env |= {"TECTOGON_RESULTS_APART": "1", "TECTOGON_WORKERS": "2"}
    for name in ("web", "worker 1", "worker 2"):  # each with a disk of its own: they share the database alone
        restored.env = {**restored.env, "TECTOGON_RESULTS": str(tmp_path / name)}
        restored.start(name)
    before, after = computed(site), computed(restored)
    assert len(before) >= 15 and after == before
    reports = [len(list((tmp_path / name).glob("*.report"))) for name in ("web", "worker 1", "worker 2")]
    assert reports[0] >= 15 and min(reports[1:]) > 0, "both workers did some, and all of it came to the web process"
    files = (
        "SELECT s.sha256, string_agg(c.data, ''::bytea ORDER BY c.number) FROM parts_source s JOIN parts_sourcechunk c"
    )
    files += " ON c.source_id = s.id GROUP BY s.id, s.sha256"
    kept = sql(site.env, restored.database, files)
    assert kept and all(hashlib.sha256(data).hexdigest() == sha for sha, data in kept)
    sections = "SELECT number, issue, facts FROM parts_librarysection ORDER BY number, issue"
    assert sql(site.env, restored.database, sections) == sql(site.env, site.database, sections)


def test_a_database_of_the_first_version_is_brought_up_to_date(site: Site) -> None:
    name = f"{site.database}_first"
    env = {**site.env, **LIMITS, "TECTOGON_DB_NAME": name}
    sql(site.env, "postgres", f"DROP DATABASE IF EXISTS {name} WITH (FORCE)", f"CREATE DATABASE {name}")
    for app, state in (("auth", ""), ("sessions", ""), ("accounts", "0001"), ("parts", "0001"), ("computing", "0001")):
        serve.manage(env, "migrate", "-v", "0", app, *([state] if state else []))
    card = json.loads((FIRST / "mast-shoe.json").read_text())
    drawing = (BASE / "demo" / "files" / next(iter(card["sources"]))).read_bytes()
    sha = hashlib.sha256(drawing).hexdigest()
    card["sources"] = dict.fromkeys(card["sources"], sha)
    told = json.dumps({k: v for k, v in card.items() if k != "name"}).replace("'", "''")
    of = "SELECT column_name FROM information_schema.columns WHERE table_name="
    tables = ("parts_part", "parts_revision", "parts_source")
    columns = {table: [r[0] for r in sql(env, name, f"{of}'{table}'")] for table in tables}
    assert "data" in columns["parts_source"] and "desk" not in columns["parts_part"], "this is how it was"
    sql(
        env,
        name,
        "INSERT INTO auth_user (id, username, password, is_superuser, is_staff, is_active, first_name, last_name,"
        " email, date_joined) VALUES (7, 'old', '', false, false, true, 'Old', 'Hand', '', now())",
        "INSERT INTO accounts_workshop (id, name) VALUES (3, 'First')",
        "INSERT INTO accounts_membership (id, role, user_id, workshop_id) VALUES (1, 'owner', 7, 3)",
        _row(
            "parts_source",
            columns["parts_source"],
            {"id": "5", "sha256": f"'{sha}'", "size": str(len(drawing)), "data": f"decode('{drawing.hex()}', 'hex')",
             "workshop_id": "3"},
        ),
        _row("parts_part", columns["parts_part"], {"id": "9", "name": "'Mast shoe'", "workshop_id": "3"}),
        _row("parts_revision", columns["parts_revision"],
             {"id": "11", "number": "1", "card": f"'{told}'", "part_id": "9", "workshop_id": "3", "author_id": "7"}),
        "UPDATE parts_part SET head_id = 11",
    )  # fmt: skip
    serve.manage(env, "migrate", "-v", "0")
    look = """
import hashlib
from tectogon.route.card import card_from
from tectogon_server.parts.actions.keep_source import chunks_of_source
from tectogon_server.parts.models import Part, Source
part, source = Part.objects.get(name="Mast shoe"), Source.objects.get()
assert hashlib.sha256(b"".join(chunks_of_source(source))).hexdigest() == source.sha256
card = card_from(part.head.card)
print(part.workshop.name, part.head.author.username, len(card.steps), list(card.sources.values()) == [source.sha256])
"""
    done = subprocess.run(
        [serve.PYTHON, str(BASE / "server" / "manage.py"), "shell", "-v", "0", "-c", look], env={**os.environ, **env},
        capture_output=True, text=True, check=False,
    )  # fmt: skip
    assert done.stdout.split() == ["First", "old", str(len(card["steps"])), "True"], done.stdout + done.stderr
    sql(site.env, "postgres", f"DROP DATABASE {name} WITH (FORCE)")


def _row(table: str, columns: list[str], given: dict[str, str]) -> str:
    """An insert that fills whatever else the table wants with something empty."""
    now = dict.fromkeys(("made", "added", "created", "changed"), "now()")
    empty = {**now, "change": "''", "figures": "'{}'", "gauges": "'[]'", "computed_key": "''"}
    values = {c: given.get(c) or empty[c] for c in columns if c in given or c in empty}
    return f"INSERT INTO {table} ({', '.join(values)}) VALUES ({', '.join(values.values())})"
