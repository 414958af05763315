#!/usr/bin/env bash
# Lint, then every test: web, core, stand-ins, server, browser. With "quick" only those of core, of the server without
# stand-ins, and of the front end.
set -euo pipefail
cd "$(dirname "$0")/.."
export MOVELOT_DEVICE_TIMEOUT=1 OMP_NUM_THREADS=1 OPENBLAS_NUM_THREADS=1
if [ "${1:-}" = quick ]; then
  .venv/bin/python scripts/services.py start
  trap '.venv/bin/python scripts/services.py stop' EXIT
  (cd web && npm run -s test) & web=$!
  .venv/bin/pytest -q --numprocesses 2 --dist worksteal core/tests server/worlds/tests server/tests --without-standins
  wait "$web"
  exit
fi
scripts/lint.sh
(cd web && npm run -s test)
.venv/bin/python scripts/services.py start
trap '.venv/bin/python scripts/services.py stop' EXIT
# Two workers share these; the browser has the machine to itself. They are shared out by number: the operations that
# requests are made up for have one name in common, and by name (loadfile) all but one would be left out.
.venv/bin/pytest -q --numprocesses 2 --dist worksteal core/tests standins/tests server/worlds/tests server/tests
.venv/bin/pytest -q e2e
