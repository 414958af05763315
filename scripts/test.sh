#!/usr/bin/env bash
# Lint, then every test: core, stand-ins, server, web, browser. The last line counts what pytest ran.
set -euo pipefail
cd "$(dirname "$0")/.."
scripts/lint.sh
(cd web && npm run -s test)
.venv/bin/python scripts/services.py start
trap '.venv/bin/python scripts/services.py stop' EXIT
export MOVELOT_DEVICE_TIMEOUT=1 OMP_NUM_THREADS=1 OPENBLAS_NUM_THREADS=1
.venv/bin/pytest -q --numprocesses 2 --dist loadgroup --no-loadscope-reorder "$@"
