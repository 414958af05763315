#!/usr/bin/env bash
# Lint, then every test: web, core, stand-ins, server, browser. With "quick" only those of core, of the server without
# stand-ins, and of the front end.
set -euo pipefail
cd "$(dirname "$0")/.."
export MOVELOT_DEVICE_TIMEOUT=2 OMP_NUM_THREADS=1 OPENBLAS_NUM_THREADS=1
# Dozens of processes start: the code is compiled by the first of them and not by each, whatever this shell says.
export PYTHONDONTWRITEBYTECODE=
if [ "${1:-}" = quick ]; then
  .venv/bin/python scripts/services.py start
  trap '.venv/bin/python scripts/services.py stop' EXIT
  (cd web && npm run -s test) & web=$!
  .venv/bin/pytest -q --numprocesses 2 --dist worksteal core/tests server/worlds/tests server/tests --without-standins
  wait "$web"
  exit
fi
run="${MOVELOT_RUN:-$PWD/.run}"
mkdir -p "$run"
# What reads the code takes one core, most of the time.
(cd web && npm run -s test) >"$run/web.log" 2>&1 & web=$!
scripts/lint.sh
wait "$web" || failed=$?
cat "$run/web.log"
[ -z "${failed:-}" ]
.venv/bin/python scripts/services.py start
trap '.venv/bin/python scripts/services.py stop' EXIT
# Two workers share these; the browser has the machine to itself. They are shared out by number: the operations that
# requests are made up for have one name in common, and by name (loadfile) all but one would be left out.
.venv/bin/pytest -q --numprocesses 2 --dist worksteal core/tests standins/tests server/worlds/tests server/tests
# The browser waits half of its time, so two runs of it share the cores, each with MariaDB and Redis of its own: one
# test kills these. What is not named here runs in the second.
first=(e2e/test_journeys.py e2e/test_attach_journeys.py e2e/test_iscsi_journeys.py e2e/test_policies.py)
(
  export MOVELOT_RUN="$run/beside"
  export MOVELOT_DB_PORT=$((${MOVELOT_DB_PORT:-13306} + 1)) MOVELOT_REDIS_PORT=$((${MOVELOT_REDIS_PORT:-16379} + 1))
  export MOVELOT_TEST_PORT=$((${MOVELOT_TEST_PORT:-19440} + 200))
  .venv/bin/python scripts/services.py start
  trap '.venv/bin/python scripts/services.py stop' EXIT
  .venv/bin/pytest -q "${first[@]}"
) >"$run/beside.log" 2>&1 & beside=$!
.venv/bin/pytest -q e2e "${first[@]/#/--ignore=}" || second=$?
wait "$beside" || failed=$?
cat "$run/beside.log"
exit $((${second:-0} + ${failed:-0}))
