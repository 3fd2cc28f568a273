# `make demo` and `make test` set up all that they need on a fresh machine.
PYTHON ?= python3
BIN := .venv/bin

.PHONY: demo test lint bench quiet proof clean

.venv/ready: pyproject.toml
	$(PYTHON) -m venv .venv
	$(BIN)/pip install --quiet --disable-pip-version-check --editable '.[develop]'
	touch $@

demo: .venv/ready
	$(BIN)/nogging demo

test: .venv/ready
	$(BIN)/python -m pytest --numprocesses 3

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

clean:
	rm -rf .venv build dist src/*.egg-info
