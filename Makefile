# Two commands do everything: `make demo` shows the main job, `make test` runs the light checks
# (`make test-all`: all of them).

PYTHON ?= python3
VENV := .venv
BIN := $(VENV)/bin
OUT ?= demo-out

.PHONY: announce coverage lint-all types-all wheels versions bare-machine cross-compile emulated schema findings recall blind blind-history bench bench-pages bench-scale docs demo test test-all lint types browser java page check-page demo-data screenshots clean light-tests

demo: $(VENV)/.installed
	$(BIN)/nachsicht demo $(OUT)

# Files of tests are shared among as many processes as there are cores.
BESIDE := -n auto --dist loadfile
# Light: what Python and a compiler are enough for, in some minutes.
LIGHT := -m "not slow" --ignore=tests/browser --ignore=tests/engines
# Types are checked beside the tests: that takes one core alone.
test: lint
	+$(MAKE) --no-print-directory -j2 types light-tests

light-tests: $(VENV)/.test
	$(BIN)/pytest $(BESIDE) $(LIGHT)

# All checks. Clusters are tested in a process of their own: browsers keep an event loop in theirs.
test-all: announce lint-all types-all check-page docs browser java
	$(BIN)/pytest tests/engines
	$(BIN)/pytest $(BESIDE) --ignore=tests/engines

announce:
	@echo "All checks need more than Python and a compiler. Installed, where they are missing:"
	@echo "  in $(VENV): Dask, Spark, PostgreSQL, Delta Lake, Iceberg, Jupyter's kernel, Sphinx (about 2 GB)"
	@echo "  by apt-get, as root: Chromium, Firefox, Java"
	@echo "  by npm, in ui/node_modules: what builds the page"
	@echo "The light ones: make test"

# What of the library the light tests run through; a share below the floor in pyproject.toml fails.
coverage: $(VENV)/.test
	$(BIN)/pytest $(BESIDE) $(LIGHT) --cov=nachsicht --cov-report=term:skip-covered

lint: $(VENV)/.test
	$(BIN)/ruff check .
	$(BIN)/ruff format --check .

types: $(VENV)/.test
	$(BIN)/mypy

lint-all types-all: $(VENV)/.dev
lint-all: lint
types-all: types
	$(BIN)/mypy benchmarks

# The browser that the page is tested in. Where it cannot be had, its tests say so and are skipped.
browser:
	@sh tests/browser/install.sh

# What Spark runs on.
java:
	@sh tests/engines/install.sh

# The page's script and style, built from ui/ into the package.
page:
	cd ui && npm ci --no-progress && npm run build && npm run schema

# Builds the page anew, beside, and fails where the committed bundle differs.
check-page:
	@sh ui/check.sh

# Makes the demo's files again from their seed.
demo-data: $(VENV)/.dev
	$(BIN)/python -m nachsicht.demo.generator src/nachsicht/demo/data

# The JSON Schema of documents, from the types that write them.
schema: $(VENV)/.dev
	$(BIN)/python -m nachsicht.model.codec > src/nachsicht/model/document.schema.json

# The lists of all findings and of all that can be read, from their registries.
findings: $(VENV)/.dev
	$(BIN)/python -m nachsicht.output.findings_reference > docs/findings.md
	$(BIN)/python -m nachsicht.output.sources_reference > docs/sources.md

# How much of the damage done on purpose is called by its name: a table by cause and strength.
recall: $(VENV)/.dev
	$(BIN)/python -W ignore -m tests.damage.recall

# How much damage that nobody planted is explained: drawn by seeds over real tables. Seeds 0 to 99 are
# to work with (SEEDS=3 MISSES=--misses); from 1000 on only to report. A seed takes some minutes.
SEEDS ?= 0
blind: $(VENV)/.dev
	$(BIN)/python -W ignore -m tests.damage.blind.kit --seeds $(SEEDS) $(MISSES) $(EVERY) $(if $(PAGE),--page $(PAGE))

# Histories with known trouble: how often it is named. Seeds as above; about a minute a seed.
LENGTHS ?= 8,24,60
blind-history: $(VENV)/.dev
	$(BIN)/python -W ignore -m tests.damage.histories --seeds $(SEEDS) --lengths $(LENGTHS) $(MISSES)

# Side by side with pandas, Polars and DuckDB; writes docs/benchmarks.md. Takes some minutes.
bench: $(VENV)/.dev
	$(BIN)/pip install --quiet duckdb
	$(BIN)/python -m compileall -q src
	$(BIN)/python benchmarks/run.py $(BENCH)

# A hundred million rows in little memory, and the engines side by side. Takes a quarter of an hour.
SCALE ?= bench-scale
bench-scale: $(VENV)/.dev
	$(BIN)/pip install --quiet duckdb
	cd benchmarks && ../$(BIN)/python scale.py $(abspath $(SCALE))
	cd benchmarks && ../$(BIN)/python large_rows_by_key.py $(abspath $(SCALE))

# How large pages are and how fast they answer in a browser.
bench-pages: $(VENV)/.dev browser
	cd benchmarks && ../$(BIN)/python pages.py

# The documentation, as HTML in docs/_build; a dead link or name is an error.
docs: $(VENV)/.dev
	$(BIN)/sphinx-build -W --keep-going -q docs docs/_build

screenshots: $(VENV)/.dev browser
	$(BIN)/python docs/screenshots/make.py

clean:
	rm -rf $(VENV) $(OUT) build dist ui/node_modules src/nachsicht/kernels/compiled/*.so

# The wheels and the source distribution, in dist/, each tried in an empty environment.
wheels: $(VENV)/.wheels
	$(BIN)/python tests/packaging/wheels.py

# The light tests with every Python there is, and with the oldest and newest dependencies.
# VERSIONS chooses: "3.11.*oldest".
versions: $(VENV)/.wheels
	$(BIN)/python tests/packaging/versions.py $(if $(VERSIONS),"$(VERSIONS)")

# The wheel on a machine without compiler and network; as root, after `make wheels`.
bare-machine: $(VENV)/.wheels
	PYTHON=$(BIN)/python sh tests/packaging/bare_machine.sh

# The kernels compiled for other systems and processors, as far as to object files.
cross-compile: $(VENV)/.wheels
	$(BIN)/python tests/packaging/cross_compile.py $(if $(TARGET),"$(TARGET)")

# The kernels' answers on another processor, under emulation, are those given here.
ARCH ?= s390x
emulated: $(VENV)/.wheels $(VENV)/.installed
	PYTHON=$(BIN)/python sh tests/packaging/emulated.sh $(ARCH)

$(VENV)/bin/python:
	$(PYTHON) -m venv $(VENV)
	$(BIN)/pip install --quiet --upgrade "pip>=25.1"

# What Cython compiles; a change of it is built again.
COMPILED := setup.py $(wildcard src/nachsicht/kernels/compiled/*.p[yx][xd] src/nachsicht/kernels/compiled/*.h)

$(VENV)/.installed: $(VENV)/bin/python pyproject.toml $(COMPILED)
	$(BIN)/pip install --quiet --editable .
	@touch $@

$(VENV)/.test: $(VENV)/bin/python pyproject.toml $(COMPILED)
	$(BIN)/pip install --quiet --editable . --group lint --group test
	@touch $@ $(VENV)/.installed

$(VENV)/.dev: $(VENV)/bin/python pyproject.toml $(COMPILED)
	$(BIN)/pip install --quiet --editable . --group dev
	@touch $@ $(VENV)/.installed $(VENV)/.test

$(VENV)/.wheels: $(VENV)/bin/python pyproject.toml
	$(BIN)/pip install --quiet --group wheels
	@touch $@
