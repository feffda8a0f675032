# Everything is set up in .venv on the first call; nothing but Python (3.11 or later) is needed.
PYTHON ?= python3
ENV ?= .venv
BIN := $(ENV)/bin
PIP := $(BIN)/python -m pip install --quiet --disable-pip-version-check
VENV := $(BIN)/python
INSTALLED := $(ENV)/.installed
READY := $(ENV)/.ready
DOCS := $(ENV)/.docs

.PHONY: demo test lint docs bench clean

demo: $(INSTALLED)
	$(BIN)/boreotabula demo demo --story

test: lint
	$(BIN)/python -m compileall -q src  # as an installed program is: it starts faster
	$(BIN)/pytest

lint: $(READY)
	$(BIN)/ruff check .
	$(BIN)/ruff format --check .
	$(BIN)/mypy

docs: $(DOCS)
	NO_MKDOCS_2_WARNING=1 $(BIN)/mkdocs build --strict --quiet

bench: $(READY)
	$(BIN)/python bench/run.py
	$(BIN)/python bench/run_again.py

$(VENV):
	$(PYTHON) -m venv $(ENV)

$(INSTALLED): pyproject.toml | $(VENV)
	$(PIP) --editable '.[charts]'
	touch $(INSTALLED)

$(READY): pyproject.toml | $(VENV)
	$(PIP) --editable '.[dev]'
	touch $(INSTALLED) $(READY)

$(DOCS): pyproject.toml | $(VENV)
	$(PIP) --editable '.[docs]'
	touch $(INSTALLED) $(DOCS)

clean:
	rm -rf .venv .venv-* demo site bench/made
