# Two commands do everything: `make demo` and `make test`.
PYTHON ?= python3
PORT ?= 8000
EXAMPLES ?= 1000
COUNT ?= 200
export OPENBLAS_NUM_THREADS ?= 1
unexport PYTHONDONTWRITEBYTECODE  # without what it forbids to keep, every command would compile everything anew
RUN := .venv/bin/python
MANAGE := $(RUN) manage.py
PIP := .venv/bin/pip install --quiet --disable-pip-version-check --only-binary :all: --require-hashes --no-compile
SERVE := $(RUN) -m evarlo.serving --port $(PORT)

.PHONY: help demo demo-reset start serve backup restore backup-key take-out bring-in test test-fast test-postgres seasons fuzz coverage lint lint-scripts types css screenshots bench bench-exactness storm load clean

help:
	@echo "make demo         set up and start Evarlo with the sample world"
	@echo "make demo-reset   the same, with the sample world made afresh"
	@echo "make start        set up and start a place of your own; the first start asks in the browser for its manager"
	@echo "make serve        the same for a small network: others reach it by this machine's name or number"
	@echo "make backup       copy the place while it is used, check the copy, let go of old ones"
	@echo "make restore      put a copy back, FILE=… (KEY=… where it is locked); without a file it lists them"
	@echo "make backup-key   make a key that locks the copies, FILE=… is where the half that opens goes"
	@echo "make take-out     write the place as an open data package, FILE=…"
	@echo "make bring-in     bring in a package, FILE=… ; it says first what that would do"
	@echo "make test         set up and run every test, the browser's too"
	@echo "make test-postgres  the same tests with records in PostgreSQL (Debian's, started for them)"
	@echo "make test-fast    the tests without the browser"
	@echo "make fuzz         the property tests with fresh examples, EXAMPLES=1000 of each"
	@echo "make seasons      COUNT=200 new random seasons beside the fixed ones, against an independent calculation"
	@echo "make coverage     which lines no test runs"
	@echo "make lint types   style and types"
	@echo "make css          rebuild stylesheet, scripts, fonts and icons (needs Node)"
	@echo "make screenshots  take the pictures of docs/screenshots from the sample world"
	@echo "make bench        how fast the core is, as ratios and growth"
	@echo "make storm        everybody at once and everything going wrong, the server dying; afterwards each record has to be there once"
	@echo "make load         fifty who read and eight who write without a pause: how many a second, and how long they wait"
	@echo "make bench-exactness  whether intervals, tests and verdicts keep what they promise (some minutes)"

.venv/run: requirements.txt
	@$(PYTHON) -c 'import sys; sys.exit(0 if sys.version_info >= (3, 11) else "Evarlo needs Python 3.11 or newer.")'
	@test -x .venv/bin/python || $(PYTHON) -m venv .venv
	@echo "Installing what Evarlo needs …"
	@$(PIP) -r requirements.txt
	@touch $@

.venv/dev: requirements-dev.txt .venv/run
	@echo "Installing what the tests need …"
	@$(PIP) -r requirements-dev.txt
	@touch $@

# The sample world and a real place never share a folder, whatever the environment says of the latter.
DEMO := EVARLO_DATA=$${EVARLO_DEMO_DATA-data/demo}
demo: .venv/run
	@$(DEMO) $(MANAGE) upgrade
	@$(DEMO) $(MANAGE) load_demo
	@echo "The sample world is at http://127.0.0.1:$(PORT)/ (Ctrl-C stops it)"
	@$(DEMO) EVARLO_SCALE=$${EVARLO_SCALE-simulated} $(SERVE)

demo-reset: .venv/run
	@rm -f data/demo/evarlo.sqlite3 data/demo/evarlo.sqlite3-wal data/demo/evarlo.sqlite3-shm data/demo/acknowledged.log data/demo/lost.log data/demo/audit.end
	@$(MAKE) --no-print-directory demo

start: .venv/run
	@$(MANAGE) upgrade
	@$(MANAGE) open_place --address http://127.0.0.1:$(PORT)
	@$(SERVE)

# For the people of one house. On any wider network put a proxy that speaks TLS in front: see deploy/.
serve: .venv/run
	@$(MANAGE) upgrade
	@$(MANAGE) open_place --address http://$$(hostname):$(PORT)
	@numbers=$$(hostname -I 2>/dev/null); echo "Others reach it at" $$(for n in $$(hostname) $$numbers; do echo "http://$$n:$(PORT)/"; done); \
	EVARLO_HOSTS=$${EVARLO_HOSTS-localhost,127.0.0.1,$$(hostname),$$(echo $$numbers | tr ' ' ',')} $(SERVE) --host 0.0.0.0

backup: .venv/run
	@$(MANAGE) back_up

restore: .venv/run
	@$(MANAGE) restore $(FILE) $(if $(KEY),--key $(KEY))

backup-key: .venv/run
	@$(MANAGE) backup_key $(FILE)

take-out: .venv/run
	@$(MANAGE) take_out $(FILE)

bring-in: .venv/run
	@$(MANAGE) bring_in $(FILE)

test: .venv/dev
	@bin/ensure-chromium
	@$(MANAGE) test --parallel 4 --timing trialcore evarlo

test-postgres: .venv/dev
	@bin/ensure-chromium
	@bin/with-postgres $(MANAGE) test --noinput --parallel 4 --timing trialcore evarlo

test-fast: .venv/dev
	@$(MANAGE) test --parallel 2 --exclude-tag browser trialcore evarlo

seasons: .venv/dev
	@EVARLO_SEASONS=$(COUNT) $(MANAGE) test evarlo.testing.tests.test_seasons

fuzz: .venv/dev
	@EVARLO_EXAMPLES=fuzz EXAMPLES=$(EXAMPLES) $(MANAGE) test --parallel 2 --exclude-tag browser trialcore evarlo

coverage: .venv/dev
	@.venv/bin/coverage run manage.py test --exclude-tag browser trialcore evarlo
	@.venv/bin/coverage report --skip-covered --show-missing

lint: .venv/dev
	@.venv/bin/ruff check . && .venv/bin/ruff format --check .
	@git ls-files "*.html" | xargs .venv/bin/djade --check --target-version 5.2
	@if command -v npm >/dev/null; then $(MAKE) --no-print-directory lint-scripts; else echo "No Node here: scripts are not linted."; fi

SCRIPTS := evarlo/ui/static/ui/js frontend/tests frontend/build.mjs frontend/eslint.config.mjs
lint-scripts: frontend/node_modules
	@frontend/node_modules/.bin/eslint -c frontend/eslint.config.mjs $(SCRIPTS)
	@frontend/node_modules/.bin/prettier --config frontend/.prettierrc.json --log-level warn --check $(SCRIPTS) frontend/evarlo.css frontend/styles

frontend/node_modules: frontend/package-lock.json
	@cd frontend && npm ci --ignore-scripts --no-audit --no-fund --silent && touch node_modules

types: .venv/dev
	@.venv/bin/mypy trialcore evarlo bench docs

css:
	@cd frontend && npm ci --ignore-scripts --no-audit --no-fund --silent && node build.mjs

screenshots: .venv/dev
	@bin/ensure-chromium
	@$(RUN) docs/take_screenshots.py

storm: .venv/dev
	@$(RUN) -m bench.soak 20 200
	@$(RUN) -m bench.storm

load: .venv/dev
	@$(RUN) -m bench.load

bench: .venv/dev
	@$(RUN) -m bench
	@$(RUN) -m bench.planning
	@$(RUN) -m bench.raising
	@$(RUN) -m bench.walking
	@$(RUN) -m bench.picking
	@$(RUN) -m bench.station
	@bin/ensure-chromium
	@$(RUN) -m bench.paint

bench-exactness: .venv/dev
	@$(RUN) -m bench.exactness
	@$(RUN) -m bench.kinds
	@$(RUN) -m bench.coverage
	@$(RUN) -m bench.honest
	@$(RUN) -m bench.programmes
	@$(RUN) -m bench.worlds

clean:
	@rm -rf .venv build *.egg-info .mypy_cache .ruff_cache .hypothesis staticfiles
