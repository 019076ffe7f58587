# Everything a developer or a new user runs. `make demo` and `make test` set up what is missing first.
PORT ?= 8642
DATA ?= data/demo
PY := .venv/bin/python
SHELL := /bin/bash

.PHONY: setup setup-test demo test kills fuzz soak advisories lint format dist bench shots docs scores calibration truth web-types clean

setup: .venv/.ready web/dist/index.html

.venv/.ready: requirements.lock pyproject.toml
	@python3 -c 'import sys; assert sys.version_info >= (3, 11), "Python 3.11 or later is needed"'
	test -x $(PY) || python3 -m venv .venv
	.venv/bin/pip install -q --require-hashes -r requirements.lock
	.venv/bin/pip install -q --no-deps -e .
	.venv/bin/python -m compileall -q src
	@touch $@

web/node_modules/.ready: web/package.json web/package-lock.json
	cd web && npm ci --silent
	@touch $@

web/dist/index.html: web/node_modules/.ready $(shell find web/src web/public -type f 2>/dev/null) web/index.html web/vite.config.ts
	cd web && npx vite build --logLevel warn
	@touch $@

setup-test: setup .venv/.ready-test
	@test -x /usr/bin/chromium || (apt-get update -qq && apt-get install -y -qq chromium)
	@ls -d /usr/lib/postgresql/*/bin >/dev/null 2>&1 && test -x "$$(ls -d /usr/lib/postgresql/*/bin | tail -1)/initdb" || (apt-get update -qq && apt-get install -y -qq postgresql postgresql-contrib)

.venv/.ready-test: .venv/.ready requirements-dev.lock
	.venv/bin/pip install -q --require-hashes -r requirements-dev.lock
	@touch $@

demo: setup
	exec .venv/bin/hardy-gauge demo --port $(PORT) --data $(DATA)

test: setup-test
	cd web && npx vitest run
	.venv/bin/pytest -n 3 --dist loadgroup --no-loadscope-reorder --durations=80 --durations-min=8

# the long runs of what `make test` does in small; SEED, KILLS, KILLS_OF_SERVE, KILLS_OF_TRIALS and EXAMPLES cut them into pieces
kills: setup-test
	KILLS=$${KILLS:-800} KILLS_OF_SERVE=$${KILLS_OF_SERVE:-100} KILLS_OF_TRIALS=$${KILLS_OF_TRIALS:-100} .venv/bin/pytest -n 2 --dist loadgroup tests/faults tests/load/test_lab_server.py

# fifty browsers for an hour on the demo, while its 22 servers are recorded
soak: setup-test
	SOAK_S=$${SOAK_S:-3600} BROWSERS=$${BROWSERS:-50} .venv/bin/pytest -s tests/faults/test_soak.py

# a million cases: every route by role, every reader by Hypothesis, and by Atheris where code was not reached yet
fuzz: setup-test .venv/.ready-fuzz
	for role in administrator engineer viewer nobody; do AS=$$role EXAMPLES=$${EXAMPLES:-700} .venv/bin/pytest -q -o timeout=36000 tests/api/test_schema.py || exit 1; done
	EXAMPLES_OF_READERS=$${EXAMPLES_OF_READERS:-10000} .venv/bin/pytest -q -n 2 -o timeout=36000 tests/fuzz
	for name in $$($(PY) -m tests.fuzz.coverage list); do $(PY) -m tests.fuzz.coverage $$name -runs=$${RUNS:-200000} -max_total_time=$${SECONDS_EACH:-300} -seed=$${SEED:-1} || exit 1; done

.venv/.ready-fuzz: .venv/.ready-test requirements-fuzz.lock
	.venv/bin/pip install -q --require-hashes -r requirements-fuzz.lock
	@touch $@

# known advisories of what is locked, asked of the registries' own services; run it where those can be reached
advisories: web/node_modules/.ready
	python3 -m venv build/advisories
	build/advisories/bin/pip install -q pip-audit
	build/advisories/bin/pip-audit --strict --disable-pip --require-hashes -r requirements.lock
	cd web && npm audit --omit=dev

lint: setup-test
	.venv/bin/ruff check src tests benchmarks tools
	.venv/bin/ruff format --check src tests benchmarks tools
	.venv/bin/mypy
	.venv/bin/lint-imports
	.venv/bin/hardy-gauge check src/hardy_gauge/load/samples/library.sql --dialect sqlite
	.venv/bin/hardy-gauge check src/hardy_gauge/load/samples/library.postgresql.sql --dialect postgres
	$(MAKE) --no-print-directory web-types
	cd web && npm run --silent lint

format:
	.venv/bin/ruff check --fix src tests benchmarks tools
	.venv/bin/ruff format src tests benchmarks tools
	cd web && npm run --silent format

web-types: setup
	$(PY) -m tools.openapi
	cd web && npx openapi-typescript ../build/openapi.json -o src/api/schema.d.ts >/dev/null

# BENCHMARKS names some of them, as in BENCHMARKS="ledger imports"
bench: setup-test
	$(PY) -m benchmarks.run $(BENCHMARKS)

dist: setup-test
	$(PY) -m tools.dist

# how well causes are named on drawn scenarios; the nightly size is ROUNDS=8 PAIRS=60 QUIET=100 (half an hour on two cores)
scores: setup-test
	$(PY) -m tools.scores

# how well the effects that advice states hold when it is tried
calibration: setup-test
	$(PY) -m tools.calibration

# the simulation's facts, scores and real servers at full length
truth: setup-test
	FULL=1 .venv/bin/pytest -q -n 2 --dist loadgroup -o timeout=3600 tests/practice tests/truth

docs: setup
	$(PY) -m tools.docs

shots: setup-test
	$(PY) -m tools.shots

clean:
	rm -rf .venv web/node_modules web/dist build
