# One virtual environment, made once; every target below uses it.
PYTHON ?= python3
VENV   ?= .venv
BIN    := $(VENV)/bin
STAMP  := $(VENV)/.installed

.PHONY: demo test check verify bench screenshots clean

demo: $(STAMP)
	$(BIN)/veridex demo veridex-demo

test: $(STAMP)
	$(BIN)/pytest -n 2 --dist worksteal

check: $(STAMP)
	$(BIN)/ruff check .
	$(BIN)/ruff format --check .
	$(BIN)/mypy
	$(BIN)/lint-imports

verify: $(STAMP)
	$(BIN)/python -m verification

bench: $(STAMP)
	$(BIN)/python -m benchmarks

screenshots: $(STAMP)
	$(BIN)/python docs/screenshots/make.py

$(STAMP): pyproject.toml
	$(PYTHON) -m venv $(VENV) || { echo "The venv module is missing: on Debian, apt install python3-venv"; exit 1; }
	$(BIN)/pip install --quiet --disable-pip-version-check --editable ".[dev]"
	touch $@

clean:
	rm -rf $(VENV) veridex-demo .pytest_cache .mypy_cache .ruff_cache .hypothesis .import_linter_cache
