# make demo    install, build, seed and serve the demo      (RESET=1 starts afresh; HOST, PORT, OAKBEAM_DATA by environment)
# make test    format, lint, types, layering and all tests    (make check, unit, browser: parts of it); CI runs it, and make lines
# make bench   the benchmark table
# make lines   unit and API tests on the newest Python that is here, and which lines they run
# make evidence   the long proofs, whole, and their tables in docs (long)
# make mutants   how many mutants the tests of the core kill
# make wheel   the package as a wheel with the packages that it needs, as locked, in dist/
# make types   renew the client types after a change of the API
# make tables  make the beam model's tables anew (long); make validation renews docs/validation.md
# make coverage  renew docs/coverage.md: a technique for every projection, patient and grid
# make lock    renew the lock files after a change of requirements/*.in
# make screenshots   renew docs/screenshots from the demo

SHELL := /bin/bash
.SHELLFLAGS := -eu -o pipefail -c
.DEFAULT_GOAL := help
export PATH := $(CURDIR)/.venv/bin:$(PATH)
export OAKBEAM_DATA ?= data
export PIP_DISABLE_PIP_VERSION_CHECK := 1
# Where a machine keeps Python from writing what it compiled, every start would compile everything again.
unexport PYTHONDONTWRITEBYTECODE

# --no-deps: the locks are whole; where they were looked through again, a newer release of a package that one names with an
# extra would be taken for it, and refused. Nothing is compiled ahead: only what is imported is, at its first import.
INSTALL := tools/bootstrap.sh packages
# One more than the two cores of a usual machine: servers and browsers that tests start are waited for.
WORKERS ?= 3
# Per cent of the lines of src that the unit and API tests have to run.
FEWEST_LINES := 96
INTERFACE := src/oakbeam/interface/index.html
WEB := $(shell find web/src web/public -type f 2>/dev/null) web/index.html web/vite.config.js web/package.json

.PHONY: help evidence lines check-python check-web mutants interface wheel demo serve seed test check unit browser bench types tables validation coverage lock screenshots format clean

help:
	@sed -n 's/^# make/make/p' Makefile

# What is installed is remembered by stamps, so that a second run starts in seconds.
.venv/bin/pip:
	@tools/bootstrap.sh python
	@tools/bootstrap.sh node

.venv/run.stamp: requirements/run.txt pyproject.toml | .venv/bin/pip
	@echo "installing the Python packages"
	@$(INSTALL) requirements/run.txt
	@.venv/bin/pip install -q --no-deps --no-build-isolation -e .
	@touch $@

.venv/dev.stamp: requirements/dev.txt .venv/run.stamp
	@echo "installing the Python packages for checks"
	@$(INSTALL) requirements/dev.txt
	@touch $@

web/node_modules/.stamp: web/package-lock.json web/package.json web/.npmrc | .venv/bin/pip
	@echo "installing the web packages"
	@cd web && npm ci --silent --no-progress
	@touch $@

$(INTERFACE): $(WEB) web/node_modules/.stamp
	@echo "building the interface"
	@cd web && npm run --silent build -- --logLevel warn
	@touch $@

interface: $(INTERFACE)

# The wheel holds the built interface. Beside it lie the packages of the lock, so that what is installed is what was measured, and
# the bills of materials: of what an installation of just these has, and of what is bundled into the interface.
wheel: .venv/run.stamp $(INTERFACE)
	@rm -rf mutants dist build && mkdir -p dist/wheelhouse
	@.venv/bin/pip wheel -q --no-deps --no-build-isolation -w dist .
	@.venv/bin/pip download -q --no-deps --require-hashes -r requirements/run.txt -d dist/wheelhouse
	@cp requirements/run.txt dist/requirements.txt
	@python3 -m venv --without-pip build/clean && python3 -m venv --without-pip build/bill
	@.venv/bin/pip --python build/clean install -q --no-index --find-links dist/wheelhouse --require-hashes -r dist/requirements.txt
	@.venv/bin/pip --python build/clean install -q --no-index --no-deps dist/*.whl
	@.venv/bin/pip --python build/bill install -q --no-deps --require-hashes -r requirements/bill.txt
	@build/bill/bin/cyclonedx-py environment --output-reproducible -o dist/bill-python.cdx.json build/clean/bin/python
	@sed -i "s|file://[^\"]*/||" dist/bill-python.cdx.json
	@cd web && npm sbom --silent --omit dev --sbom-format cyclonedx > ../dist/bill-interface.cdx.json
	@rm -rf build && cd dist && sha256sum *.whl *.json requirements.txt wheelhouse/* > SHA256SUMS && ls *.whl *.json

demo: .venv/run.stamp $(INTERFACE) seed serve

seed: .venv/run.stamp
ifdef RESET
	@rm -f "$(OAKBEAM_DATA)"/oakbeam.db "$(OAKBEAM_DATA)"/oakbeam.db-wal "$(OAKBEAM_DATA)"/oakbeam.db-shm
endif
	@oakbeam seed

serve: .venv/run.stamp $(INTERFACE)
	@exec oakbeam serve

# What waits on one core each goes side by side: installing, linters and types of the two languages, the interface's build.
test:
	@$(MAKE) --no-print-directory -j2 check $(INTERFACE)
	@$(MAKE) --no-print-directory unit browser

check: check-python check-web

check-python: .venv/dev.stamp
	ruff format --check .
	ruff check .
	mypy
	PYTHONPATH=src lint-imports | tail -5

check-web: web/node_modules/.stamp
	cd web && npm run --silent format:check
	cd web && npm run --silent lint
	cd web && npm run --silent typecheck
	cd web && cp src/api/schema.d.ts node_modules/.schema.kept && npm run --silent types >/dev/null \
	  && { diff -q src/api/schema.d.ts node_modules/.schema.kept || { cp node_modules/.schema.kept src/api/schema.d.ts; echo "client types drifted: make types"; exit 1; }; }
	cd web && npm run --silent test

unit: .venv/dev.stamp $(INTERFACE)
	@tools/bootstrap.sh dicom
	pytest --ignore tests/browser -n $(WORKERS) --dist loadscope

browser: .venv/dev.stamp $(INTERFACE)
	@tools/bootstrap.sh browser
	pytest tests/browser -n $(WORKERS)

# The unit and API tests on the newest Python that is here, which counts at next to no cost the lines that they run.
lines: .venv/dev.stamp $(INTERFACE)
	@tools/bootstrap.sh dicom
	@tools/bootstrap.sh newest
	@.venv-newest/bin/python --version
	PATH="$(CURDIR)/.venv-newest/bin:$$PATH" COVERAGE_CORE=sysmon pytest --ignore tests/browser -n $(WORKERS) --dist loadscope \
	  --cov --cov-report=term:skip-covered --cov-fail-under=$(FEWEST_LINES)

# The long proofs, whole, with their tables in docs; `make test` runs a small slice of each.
evidence: .venv/dev.stamp lines
	python -m tools.proofs
	python -m tools.hidden_room
	python -m tools.log_evidence
	python -m tools.coverage
	python -m tools.typical_doses
	$(MAKE) mutants

mutants: .venv/dev.stamp
	rm -rf mutants
	mutmut run >/dev/null
	python -m tools.mutants

bench: .venv/dev.stamp $(INTERFACE)
	python -m tools.bench
	python -m tools.crowds

types: .venv/run.stamp web/node_modules/.stamp
	oakbeam openapi > web/openapi.json
	cd web && npm run --silent types >/dev/null

tables: .venv/dev.stamp
	python -m tools.tables

validation: .venv/dev.stamp
	python -m tools.validation

coverage: .venv/dev.stamp
	python -m tools.coverage

screenshots: .venv/dev.stamp $(INTERFACE)
	@tools/bootstrap.sh browser
	python -m tools.screenshots

format: .venv/dev.stamp web/node_modules/.stamp
	ruff format .
	ruff check --fix .
	cd web && npm run --silent format >/dev/null

# --no-emit-index-url and --no-header keep the name of the registry and the machine's paths out of the locks.
lock: .venv/run.stamp
	cd requirements && for name in run dev node uv bill; do ../.venv/bin/uv pip compile -q --universal --python-version 3.11 \
	  --generate-hashes --no-emit-index-url --no-header $$name.in -o $$name.txt; done
	cd web && npm install --silent && npm ci --dry-run --silent

clean:
	rm -rf .venv .venv-newest dist build web/node_modules src/oakbeam/interface .mypy_cache .ruff_cache .pytest_cache .hypothesis
