#!/usr/bin/env bash
# The packages of the lock files against what is known of faults in them. Says so where nobody can be asked.
set -uo pipefail
cd "$(dirname "$0")/.."
status=0
if [ ! -x var/audit/bin/pip-audit ]; then
  python3 -m venv var/audit && timeout 120 var/audit/bin/pip install -q pip-audit >/dev/null 2>&1
fi
told=$(timeout 120 var/audit/bin/pip-audit -r requirements.lock --no-deps --disable-pip 2>&1)
if grep -q "No known vulnerabilities\|GHSA\|PYSEC\|CVE" <<<"$told" && ! grep -q "could not be audited: django " <<<"$told"; then
  grep -E "GHSA|PYSEC|CVE" <<<"$told" && status=1
else
  echo "audit: no answer about Python packages from this index; nothing is known of them." >&2
fi
told=$(cd web && timeout 60 npm audit --omit=dev --audit-level=high 2>&1)
if grep -q "found 0 vulnerabilities" <<<"$told"; then :; elif grep -q "severity" <<<"$told"; then
  echo "$told"
  status=1
else
  echo "audit: no answer about front-end packages from this registry; nothing is known of them." >&2
fi
exit $status
