#!/usr/bin/env bash
# Backups of all that can't be computed again: people, parts with every revision, files, sections.
# dump FILE | restore FILE      the database is named by TECTOGON_DB_HOST, _PORT, _NAME, _USER, _PASSWORD
set -euo pipefail
bin=$(ls -d /usr/lib/postgresql/*/bin 2>/dev/null | sort -V | tail -1)
export PGHOST=${TECTOGON_DB_HOST:-127.0.0.1} PGPORT=${TECTOGON_DB_PORT:-5432} PGUSER=${TECTOGON_DB_USER:-tectogon}
export PGDATABASE=${TECTOGON_DB_NAME:-tectogon} PGPASSWORD=${TECTOGON_DB_PASSWORD:-}
file=${2:?say which file}

case ${1:-} in
dump) # computations, tickets and sessions are of the day
  part=$file.part
  trap 'rm -f "$part"' EXIT
  "$bin/pg_dump" --format=custom --no-owner --no-privileges \
    --exclude-table-data=computing_handover --exclude-table-data=computing_computation \
    --exclude-table-data='procrastinate_*' --exclude-table-data=django_session --exclude-table-data=accounts_ownsession \
    --file="$part"
  "$bin/pg_restore" --list "$part" >/dev/null # it can be read
  mv "$part" "$file"
  ;;
restore)
  if [ "$("$bin/psql" -qAtc "SELECT count(*) FROM pg_tables WHERE schemaname = 'public'")" != 0 ]; then
    echo "The database $PGDATABASE is not empty; restore into a new one, or nothing of it would be safe." >&2
    exit 1
  fi
  "$bin/pg_restore" --no-owner --no-privileges --exit-on-error --single-transaction --dbname="$PGDATABASE" "$file"
  ;;
*)
  echo "usage: scripts/backup.sh dump FILE | restore FILE" >&2
  exit 2
  ;;
esac
