# One virtual environment, made once; every target below uses it.
PYTHON ?= python3
VENV   ?= .venv
BIN    := $(VENV)/bin
STAMP  := $(VENV)/.installed
TOOLS  := $(VENV)/.developing

.PHONY: demo test check docs wheel release verify bench screenshots clean

demo: $(STAMP)
	$(BIN)/veridex demo veridex-demo

test: $(TOOLS)
	$(BIN)/pytest -n 2 --dist worksteal

check: $(TOOLS)
	$(BIN)/ruff check .
	$(BIN)/ruff format --check .
	$(BIN)/mypy
	$(BIN)/lint-imports

docs: $(TOOLS)
	NO_MKDOCS_2_WARNING=1 $(BIN)/mkdocs build --quiet

wheel: $(TOOLS)
	$(BIN)/python -m release

release: $(TOOLS)
	$(BIN)/python -m release --all

verify: $(TOOLS)
	$(BIN)/python -m verification

bench: $(TOOLS)
	$(BIN)/python -m benchmarks

screenshots: $(TOOLS)
	$(BIN)/python docs/screenshots/make.py

# What a user has: the package and what it needs.
$(STAMP): pyproject.toml
	$(PYTHON) -m venv $(VENV) || { echo "The venv module is missing: on Debian, apt install python3-venv"; exit 1; }
	@echo "Installing Veridex and what it needs; this takes a minute."
	$(BIN)/pip install --quiet --disable-pip-version-check --editable .
	touch $@

# What its developers have besides, and everything compiled for this machine.
$(TOOLS): $(STAMP)
	@echo "Installing the tools of its developers."
	$(BIN)/pip install --quiet --disable-pip-version-check --editable ".[dev]"
	$(BIN)/veridex prepare
	touch $@

clean:
	rm -rf $(VENV) veridex-demo dist site .pytest_cache .mypy_cache .ruff_cache .hypothesis .import_linter_cache
