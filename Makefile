# Everything a person runs. Each target sets up what it needs and skips what is there.
PY := .venv/bin/python
SETUP := python3 scripts/setup.py

.PHONY: demo demo-reset start units standins test test-quick explore lint bench soak screenshots pictures setup schema

setup:
	@$(SETUP)
demo: setup
	@$(PY) scripts/stack.py demo
demo-reset: setup
	@$(PY) scripts/stack.py demo-reset
start: setup
	@$(PY) scripts/stack.py start
# Units of systemd for an installation that starts at boot (docs/operations.md).
units: setup
	@$(PY) scripts/stack.py units
standins: setup
	@$(PY) scripts/stack.py standins
lint: setup
	@scripts/lint.sh
test: setup
	@scripts/test.sh
# The inner loop: what needs neither stand-ins nor a browser.
test-quick: setup
	@scripts/test.sh quick
# Core on cases that no run has seen yet; what fails there becomes a test.
explore: setup
	@$(PY) scripts/services.py start
	@MOVELOT_CASES=explore .venv/bin/pytest -q core/tests
bench: setup
	@$(PY) scripts/services.py start
	@PYTHONPATH=core:server:standins:. $(PY) -m bench
# Lots of every kind under kills and faults, compared with calm ones; not in CI. MINUTES and SEED may be set.
soak: setup
	@$(PY) scripts/services.py start
	@PYTHONPATH=core:server:standins:. $(PY) -m soak $(or $(MINUTES),15) $(or $(SEED),$$RANDOM) $(and $(WHOLE),whole)
screenshots: setup
	@$(PY) scripts/services.py start
	@MOVELOT_SCREENSHOTS=docs/screenshots .venv/bin/pytest -q e2e/screenshots.py
# What the main views are compared with; look at them before they are committed. ANSWERS=1 records the answers anew.
pictures: setup
	@$(PY) scripts/services.py start
	@MOVELOT_PICTURES=1 MOVELOT_ANSWERS=$(ANSWERS) .venv/bin/pytest -q e2e/test_pictures.py
# Without setup: that would build a front end which waits for this very schema.
schema:
	@$(PY) server/manage.py spectacular --file server/openapi.yaml --validate
	@$(PY) server/manage.py shell --no-imports -v 0 -c "import json; from movelot.policies.documents import json_schema; \
	  print(json.dumps(json_schema(), indent=2, ensure_ascii=False))" > docs/policies.schema.json
	@cd web && npm run -s schema
