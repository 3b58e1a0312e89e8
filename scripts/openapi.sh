#!/usr/bin/env bash
# The description of the HTTP interface, and the page's types made of it.
set -euo pipefail
cd "$(dirname "$0")/.."
DJANGO_SETTINGS_MODULE=tectogon_server.settings PYTHONPATH=core:server \
  .venv/bin/python server/manage.py export_openapi_schema --indent 1 --output server/openapi.json >/dev/null
cd web && npm run --silent api >/dev/null && npx --no-install prettier --write --log-level warn src/api/schema.ts
