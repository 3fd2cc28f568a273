# `make demo` and `make test` set up all that they need on a fresh machine.
PYTHON ?= python3
BIN := .venv/bin

# What a developer runs between two thoughts: two minutes; all else runs in CI.
QUICK := tests/cases $(addprefix tests/test_,$(addsuffix .py,cli dialog files judging kinds packages predicates routing))

.PHONY: demo test quick lint bench quiet proof site release lowest clean

.venv/ready: pyproject.toml
	$(PYTHON) -m venv .venv
	$(BIN)/pip install --quiet --disable-pip-version-check --editable '.[develop]'
	touch $@

demo: .venv/ready
	$(BIN)/nogging demo

# What is compiled once is not compiled again by each of the many programs that the tests start; and then nothing more is
# written: of a test whose disk is full, half of it would be left.
test: .venv/ready
	PYTHONDONTWRITEBYTECODE= $(BIN)/python -m compileall -q src
	PYTHONDONTWRITEBYTECODE= $(BIN)/python -m pytest --collect-only -qq >/dev/null
	PYTHONDONTWRITEBYTECODE=1 $(BIN)/python -m pytest --numprocesses 4

quick: lint
	$(BIN)/python -m pytest --numprocesses 3 $(QUICK) -k 'not demo and not examples and not containment'

lint: .venv/ready
	$(BIN)/ruff check .
	$(BIN)/ruff format --check .
	$(BIN)/mypy
	$(BIN)/lint-imports --no-cache

bench: .venv/ready
	$(BIN)/pip install --quiet --disable-pip-version-check --editable '.[bench]'
	$(BIN)/python -m bench

quiet: .venv/ready
	$(BIN)/python -m tests.real.quiet terminal 60
	$(BIN)/python -m tests.real.quiet fabric 60

proof: .venv/ready
	$(BIN)/python -m tests.real.machine build/machine

site: .venv/ready
	$(BIN)/python docs/site.py

# What is released, checked, and tried in an empty environment of each Python that is here.
release: .venv/ready
	rm -rf dist build/release
	$(BIN)/python -m build --no-isolation --outdir dist
	$(BIN)/twine check --strict dist/*
	for python in python3.11 python3.12 python3.13; do \
	    $$python -c '' 2>/dev/null || { echo "$$python is not here"; continue; }; \
	    $$python -m venv build/release/$$python && \
	    build/release/$$python/bin/pip install --quiet --disable-pip-version-check dist/*.whl && \
	    build/release/$$python/bin/nogging demo --to build/release/$$python/demo || exit 1; \
	done

# With the lowest versions of all that it needs.
lowest: .venv/ready
	rm -rf build/lowest
	$(BIN)/pip install --quiet --disable-pip-version-check uv
	$(BIN)/uv venv --quiet build/lowest
	$(BIN)/uv pip install --quiet --python build/lowest/bin/python --resolution lowest-direct .
	build/lowest/bin/nogging demo --to build/lowest/demo

clean:
	rm -rf .venv build dist src/*.egg-info
