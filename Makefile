# Everything is set up in .venv on the first call; nothing but Python (3.11 or later) is needed.
PYTHON ?= python3
BIN := .venv/bin
READY := .venv/.ready

.PHONY: demo test lint bench clean

demo: $(READY)
	$(BIN)/boreotabula demo demo --story

test: lint
	$(BIN)/python -m compileall -q src  # as an installed program is: it starts faster
	$(BIN)/pytest

lint: $(READY)
	$(BIN)/ruff check .
	$(BIN)/ruff format --check .
	$(BIN)/mypy

bench: $(READY)
	$(BIN)/python bench/run.py
	$(BIN)/python bench/run_again.py

$(READY): pyproject.toml
	$(PYTHON) -m venv .venv
	$(BIN)/python -m pip install --quiet --disable-pip-version-check --editable '.[dev]'
	touch $(READY)

clean:
	rm -rf .venv demo bench/made
