#!/usr/bin/env bash
# All tests, or those that are named, against a PostgreSQL of their own that is stopped afterwards.
set -euo pipefail
cd "$(dirname "$0")/.."
export TECTOGON_VAR=$PWD/var/test
mkdir -p "$TECTOGON_VAR"
scripts/database.sh start
trap 'scripts/database.sh stop' EXIT
export $(scripts/database.sh env)
export DJANGO_SETTINGS_MODULE=tectogon_server.settings PYTHONPATH=$PWD/core:$PWD/server
if [ $# -gt 0 ]; then
  .venv/bin/python -m pytest "$@"
else # one process for each core, with a browser and a site of its own; alone what kills the database
  .venv/bin/python -m pytest core server/tests -n auto --dist worksteal
  .venv/bin/python -m pytest e2e -n 2 --dist loadfile --ignore e2e/test_resilience.py
  .venv/bin/python -m pytest e2e/test_resilience.py
fi
