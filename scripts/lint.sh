#!/usr/bin/env bash
# All that reads the code without running it.
set -euo pipefail
cd "$(dirname "$0")/.."
export PYTHONPATH=core:server:standins:scripts
.venv/bin/ruff check .
.venv/bin/ruff format --check .
.venv/bin/mypy core/movelot_core standins/movelot_standins
.venv/bin/mypy --config-file server/mypy.ini server/movelot
.venv/bin/lint-imports
.venv/bin/python scripts/sizes.py
(cd web && npm run -s lint)
.venv/bin/python scripts/first_load.py
if [ -x ../shared/tools/termcheck ]; then ../shared/tools/termcheck; fi
