# Two commands do all: `make demo` and `make test`. Both install what is missing first, also as root, and are quick when run again.
SHELL := /bin/bash
PY := .venv/bin/python
NODE_PATH := $(CURDIR)/var/node/bin
export PATH := $(NODE_PATH):$(PATH)

.PHONY: demo test checks checks-python checks-web words bench soak audit fuzz shots setup clean

setup:
	@scripts/setup.sh

demo: setup
	@exec $(PY) scripts/serve.py --demo

test: setup checks
	@scripts/test.sh

checks: setup
	@$(MAKE) --no-print-directory -j2 -O checks-python checks-web

checks-python:
	.venv/bin/ruff check core server demo e2e bench scripts
	.venv/bin/ruff format --check -q core server demo e2e bench scripts
	PYTHONPATH=core:server .venv/bin/lint-imports --no-cache
	PYTHONPATH=core:server .venv/bin/mypy
	$(PY) scripts/words.py --check
	@if [ -x ../shared/tools/wordcheck ]; then ../shared/tools/wordcheck; fi

checks-web:
	cd web && npx --no-install tsc --noEmit && npx --no-install eslint src && npx --no-install prettier --check --log-level warn src && npx --no-install vitest run

words: setup
	@$(PY) scripts/words.py

bench: setup
	@$(PY) bench/run.py

soak: setup
	@$(PY) scripts/soak.py

audit: setup
	@scripts/audit.sh

fuzz: setup
	@$(PY) scripts/fuzz.py
	HYPOTHESIS_PROFILE=explore scripts/test.sh core/tests
	NASTY=all scripts/test.sh server/tests/test_nasty_values.py

shots: setup
	@$(PY) scripts/shots.py

clean:
	rm -rf var/results var/test
