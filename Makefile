# One-word commands. Each sets up what it needs; nothing has to be prepared but Python 3.11 or newer.
PYTHON ?= python3
VENV   := .venv
BIN    := $(VENV)/bin
JOB    ?= larkfold

.PHONY: demo test check bench fuzz docs clean

# Two stamps: the tool alone (demo), and the tool with what its tests need.
$(VENV)/.tool: pyproject.toml
	$(PYTHON) -m venv $(VENV)
	$(BIN)/pip install --quiet --editable .
	@touch $@

$(VENV)/.dev: $(VENV)/.tool
	$(BIN)/pip install --quiet --editable '.[dev]'
	@touch $@

demo: $(VENV)/.tool
	$(BIN)/tinquire demo $(JOB)

test: $(VENV)/.dev
	$(BIN)/pytest -n auto

check: $(VENV)/.dev
	$(BIN)/ruff check src tests benchmarks scripts
	$(BIN)/ruff format --check src tests benchmarks scripts
	$(BIN)/mypy
	$(BIN)/lint-imports
	$(BIN)/python scripts/make_reference.py --check

bench: $(VENV)/.dev
	$(BIN)/python -m benchmarks

# A hundred thousand damaged files and two hundred killed runs; FUZZ=1000 makes fewer, SEED=2 others.
FUZZ ?= 100000
SEED ?= 1
fuzz: $(VENV)/.dev
	$(BIN)/python tests/fuzz/many.py $(FUZZ) $(SEED) fuzz-findings
	$(BIN)/python tests/press/kills.py 200 $(SEED)

docs: $(VENV)/.dev
	$(BIN)/python scripts/make_reference.py

clean:
	rm -rf $(VENV) build dist src/*.egg-info .mypy_cache .ruff_cache .pytest_cache .hypothesis
