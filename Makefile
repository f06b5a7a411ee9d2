# Everything a fresh Debian machine needs is done by these targets; each is quick the second time.
PORT ?= 8000
DATA ?= ./var
export PORT DATA
# Compiled files are kept, even where the surroundings say they should not be: every command would compile all it loads anew.
export PYTHONDONTWRITEBYTECODE :=
ifdef SEED
export SEED
endif
ifdef EXAMPLE
export EXAMPLE
endif
PYTHON ?= python3
BIN := .venv/bin
STAMPS := .stamps
# What is installed is compiled where it is first used: to compile all of it takes longer than everything else here.
# Where targets are made side by side, packages are put in by one at a time: those of the machine, and those of Python.
PIP := flock $(STAMPS)/pip.lock $(BIN)/pip
APT := flock $(STAMPS)/apt.lock
WEB_SOURCES := $(shell find web/src -type f 2>/dev/null) web/index.html web/vite.config.ts

.PHONY: install docs wheel demo directory serve ready test test-web quick seed lint lint-python lint-web bench soak schema clean

install: $(STAMPS)/python $(STAMPS)/build

$(STAMPS)/python: requirements.lock pyproject.toml
	@mkdir -p $(STAMPS)
	@test -x $(BIN)/python || $(PYTHON) -m venv .venv || (apt-get update && apt-get install -y python3-venv && $(PYTHON) -m venv .venv)
	$(PIP) install --quiet --no-compile --requirement requirements.lock
	$(PIP) install --quiet --no-compile --no-deps --no-build-isolation --editable .
	@touch $@

$(STAMPS)/npm: web/package-lock.json web/package.json
	@mkdir -p $(STAMPS)
	@# Not npm ci: it refuses a lock file made where the packages of other platforms could not be had. The lock file decides either way.
	cd web && npm install --no-save --no-audit --no-fund --loglevel=error
	@touch $@

$(STAMPS)/bundled: $(STAMPS)/npm $(WEB_SOURCES)
	cd web && npm run --silent build
	@touch $@

$(STAMPS)/build: $(STAMPS)/python $(STAMPS)/bundled
	@$(BIN)/python -m whitenoise.compress --quiet web/dist
	@touch $@

$(STAMPS)/browser:
	@mkdir -p $(STAMPS)
	@(command -v chromium && command -v chromedriver) >/dev/null || $(APT) sh -c 'apt-get update && apt-get install -y --no-install-recommends chromium chromium-driver'
	@touch $@

# The tests start a PostgreSQL server of their own, in a folder and on a socket of their own; only its programs are needed.
$(STAMPS)/postgres:
	@mkdir -p $(STAMPS)
	@ls /usr/lib/postgresql/*/bin/initdb >/dev/null 2>&1 || $(APT) sh -c 'apt-get update && apt-get install -y --no-install-recommends postgresql'
	@touch $@

# SQL clients that the tests come in with: drivers of Debian for ODBC and Java.
$(STAMPS)/clients:
	@mkdir -p $(STAMPS)
	@(command -v psql && command -v isql && command -v java && ls /usr/lib/*/odbc/psqlodbcw.so /usr/share/java/postgresql.jar) >/dev/null 2>&1 || $(APT) sh -c 'apt-get update && apt-get install -y --no-install-recommends postgresql-client unixodbc odbc-postgresql libpostgresql-jdbc-java default-jdk-headless'
	@touch $@

# An engine that speaks Spark Connect, and its client: for the tests, and where a source is one.
$(STAMPS)/spark: requirements-spark.lock $(STAMPS)/python
	$(PIP) install --quiet --no-compile --requirement requirements-spark.lock
	@touch $@

# A directory server and the client library for it, which is built: for the tests, for `make directory`, and where people come from a directory.
$(STAMPS)/directory: requirements-ldap.lock $(STAMPS)/python
	@(test -x /usr/sbin/slapd && test -f /usr/include/ldap.h && test -f /usr/include/sasl/sasl.h) || $(APT) sh -c 'apt-get update && DEBIAN_FRONTEND=noninteractive apt-get install -y --no-install-recommends slapd libldap2-dev libsasl2-dev'
	$(PIP) install --quiet --no-compile --requirement requirements-ldap.lock
	@touch $@

# A provider of OpenID Connect that the tests sign in by.
$(STAMPS)/provider: tests/origins/provider/package-lock.json
	cd tests/origins/provider && npm install --no-save --no-audit --no-fund --loglevel=error
	@touch $@

# A directory with made-up people, to be connected to the demo under Settings, Directories.
directory: install $(STAMPS)/directory
	@exec $(BIN)/python -m demo.directory

# The manual as a small site, in build/manual; nothing of it is fetched from elsewhere when it is read. The server shows it under /manual/.
docs: $(STAMPS)/manual
	@echo build/manual/index.html

$(STAMPS)/manual: $(STAMPS)/python requirements-docs.lock mkdocs.yml packaging/manual_hook.py $(wildcard docs/*.md docs/screenshots/*)
	$(PIP) install --quiet --no-compile --requirement requirements-docs.lock
	$(BIN)/mkdocs build --strict --quiet
	@touch $@

# One wheel that carries the built interface.
wheel: install $(STAMPS)/manual
	@rm -rf moorland/interface moorland/manual build/*.whl && cp -r web/dist moorland/interface && cp -r build/manual moorland/manual
	@$(BIN)/pip wheel --quiet --no-deps --no-build-isolation --wheel-dir build . ; done=$$?; rm -rf moorland/interface moorland/manual build/lib build/bdist.*; exit $$done
	@ls build/*.whl

demo: install $(STAMPS)/manual
	@exec $(BIN)/moorland demo

serve: install $(STAMPS)/manual
	@exec $(BIN)/moorland serve

# The OpenAPI document and the types made from it; lint fails where they are out of date.
schema: $(STAMPS)/python $(STAMPS)/npm
	@$(BIN)/python -m moorland.server.openapi docs/openapi.json
	@cd web && npm run --silent types
	@$(BIN)/python -m moorland.core.bundle.json_schema docs/bundle.schema.json

lint: lint-python lint-web

lint-python: $(STAMPS)/python
	$(BIN)/ruff check .
	$(BIN)/ruff format --check .
	$(BIN)/mypy
	$(BIN)/lint-imports

# Types are not read from packages that are being put in.
ifneq ($(filter ready,$(MAKECMDGOALS)),)
lint-python: $(STAMPS)/spark $(STAMPS)/directory
endif

lint-web: $(STAMPS)/npm
	cd web && npm run --silent check && npm run --silent lint

test-web: $(STAMPS)/npm
	cd web && npm run --silent test

ready: install $(STAMPS)/browser $(STAMPS)/postgres $(STAMPS)/clients $(STAMPS)/spark $(STAMPS)/directory $(STAMPS)/provider

# What does not wait for each other is set up, and looked at, side by side.
test:
	@$(MAKE) --no-print-directory -j3 --output-sync=target ready lint-python lint-web test-web
	$(BIN)/pytest

# While you work: lint, and the tests that matter for what changed since SINCE; fewer generated examples, and no browser.
quick: $(STAMPS)/python $(STAMPS)/npm lint
	@.ci/quick $(SINCE)

# One generated example again, as the failure printed it: TEST and SEED, or TEST and EXAMPLE.
seed: $(STAMPS)/python
	$(BIN)/pytest -n0 -p no:cacheprovider '$(TEST)'

bench: install $(STAMPS)/browser $(STAMPS)/postgres
	$(BIN)/python -m benchmarks.run

# Viewers, an administrator, imports and kills for MINUTES (10 unless given).
soak: install
	$(BIN)/python -m benchmarks.soak

clean:
	rm -rf .venv web/node_modules web/dist $(STAMPS)
