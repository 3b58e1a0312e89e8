#!/usr/bin/env bash
# PostgreSQL on loopback with a data directory of its own: start | stop | kill | env | drop
# As root, which PostgreSQL refuses, it runs as the user postgres.
set -euo pipefail
cd "$(dirname "$0")/.."
bin=/usr/lib/postgresql/15/bin
var=${TECTOGON_VAR:-$PWD/var}
mkdir -p "$var"
var=$(cd "$var" && pwd)

place=$var/database
run=()
if [ "$(id -u)" = 0 ]; then
  run=(runuser -u postgres --)
  mkdir -p "$place"
  if ! runuser -u postgres -- test -x "$place"; then # the checkout lies where postgres may not look
    place=/var/tmp/tectogon-$(printf %s "$var" | sha256sum | cut -c1-12)
    mkdir -p "$place"
  fi
  chown postgres "$place"
fi
mkdir -p "$place"
data=$place/data
port_file=$var/database-port
secret=$var/database-password

running() { "${run[@]}" "$bin/pg_ctl" -D "$data" status >/dev/null 2>&1; }
free_port() { python3 -c 'import socket; s=socket.socket(); s.bind(("127.0.0.1", 0)); print(s.getsockname()[1])'; }
is_free() { python3 -c 'import socket,sys; s=socket.socket(); s.setsockopt(socket.SOL_SOCKET, socket.SO_REUSEADDR, 1); s.bind(("127.0.0.1", int(sys.argv[1])))' "$1" 2>/dev/null; }

start() {
  if [ ! -s "$secret" ]; then (umask 077 && python3 -c 'import secrets; print(secrets.token_hex(16))' >"$secret"); fi
  if [ ! -f "$data/PG_VERSION" ]; then
    pw=$place/pw
    cp "$secret" "$pw"
    [ "$(id -u)" = 0 ] && chown postgres "$pw"
    "${run[@]}" "$bin/initdb" -D "$data" -U tectogon -E UTF8 --locale=C.UTF-8 --auth=scram-sha-256 --pwfile="$pw" >/dev/null
    rm -f "$pw"
  fi
  if ! running; then
    port=$(cat "$port_file" 2>/dev/null || true)
    if [ -z "$port" ] || ! is_free "$port"; then port=$(free_port); fi
    echo "$port" >"$port_file"
    "${run[@]}" "$bin/pg_ctl" -D "$data" -w -t 60 -l "$place/log" -o "-p $port -c listen_addresses=127.0.0.1 -c unix_socket_directories=$place -c max_connections=100 -c recovery_init_sync_method=syncfs" start >/dev/null
  fi
  PGPASSWORD=$(cat "$secret") "$bin/psql" -qAt -h 127.0.0.1 -p "$(cat "$port_file")" -U tectogon -d postgres -c "SELECT 1 FROM pg_database WHERE datname='tectogon'" | grep -q 1 ||
    PGPASSWORD=$(cat "$secret") "$bin/createdb" -h 127.0.0.1 -p "$(cat "$port_file")" -U tectogon tectogon
}

case ${1:-start} in
start) start ;;
stop) if running; then "${run[@]}" "$bin/pg_ctl" -D "$data" -m fast -w stop >/dev/null; fi ;;
kill) if running; then "${run[@]}" "$bin/pg_ctl" -D "$data" -m immediate -w stop >/dev/null; fi ;;
env) echo "TECTOGON_DB_PORT=$(cat "$port_file") TECTOGON_DB_PASSWORD=$(cat "$secret") TECTOGON_VAR=$var" ;;
esac
