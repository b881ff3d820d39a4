# Two commands do everything: `make demo` shows the main job, `make test` runs all checks.

PYTHON ?= python3
VENV := .venv
BIN := $(VENV)/bin
OUT ?= demo-out

.PHONY: schema findings recall blind blind-history bench bench-pages bench-scale docs demo test test-all lint types browser java page check-page demo-data screenshots clean

demo: $(VENV)/.installed
	$(BIN)/nachsicht demo $(OUT)

# Clusters are tested in a process of their own: browsers keep an event loop in theirs. All other
# files of tests are shared among as many processes as there are cores.
BESIDE := -n auto --dist loadfile
test: lint types check-page docs browser java
	$(BIN)/pytest tests/engines
	$(BIN)/pytest $(BESIDE) -m "not slow" --ignore=tests/engines

test-all: lint types check-page docs browser java
	$(BIN)/pytest tests/engines
	$(BIN)/pytest $(BESIDE) --ignore=tests/engines

lint: $(VENV)/.dev
	$(BIN)/ruff check .
	$(BIN)/ruff format --check .

types: $(VENV)/.dev
	$(BIN)/mypy
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

# The list of all findings, from their catalogue.
findings: $(VENV)/.dev
	$(BIN)/python -m nachsicht.output.findings_reference > docs/findings.md

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

$(VENV)/bin/python:
	$(PYTHON) -m venv $(VENV)

# What Cython compiles; a change of it is built again.
COMPILED := setup.py $(wildcard src/nachsicht/kernels/compiled/*.p[yx][xd] src/nachsicht/kernels/compiled/*.h)

$(VENV)/.installed: $(VENV)/bin/python pyproject.toml $(COMPILED)
	$(BIN)/pip install --quiet --editable .
	@touch $@

$(VENV)/.dev: $(VENV)/bin/python pyproject.toml $(COMPILED)
	$(BIN)/pip install --quiet --editable '.[dev]'
	@touch $@ $(VENV)/.installed
