#!/usr/bin/env bash
# All tests, against a PostgreSQL of their own that is stopped afterwards.
set -euo pipefail
cd "$(dirname "$0")/.."
export TECTOGON_VAR=$PWD/var/test
mkdir -p "$TECTOGON_VAR"
scripts/database.sh start
trap 'scripts/database.sh stop' EXIT
export $(scripts/database.sh env)
export DJANGO_SETTINGS_MODULE=tectogon_server.settings PYTHONPATH=$PWD/core:$PWD/server
.venv/bin/python -m pytest "$@"
