# make demo and make test each work on a fresh clone with nothing but Python 3.11+ and make.
PYTHON ?= python3
VENV := .venv
BIN := $(VENV)/bin
export PYTHONHASHSEED ?= random

.PHONY: demo test reality fuzz mutants bench curves shots docs clean

demo: $(VENV)/.installed
	$(BIN)/inkov demo inkov-demo

test: $(VENV)/.tested
	$(BIN)/ruff check src tests bench
	$(BIN)/ruff format --check src tests bench
	$(BIN)/mypy
	PYTHONPATH=src $(BIN)/lint-imports --no-logo
	$(BIN)/python docs/generate.py --check
	$(BIN)/pytest -n auto

# The oracles for longer: thousands of random campuses in the simulator, in a real switch, and as
# files; hundreds of walks whose texts would write into the configuration; a hundred thousand forged
# certificates; a hundred command languages to be learnt.
reality: $(VENV)/.tested
	INKOV_WHOLE=1 INKOV_CAMPUSES=20000 INKOV_REALITY=3000 INKOV_FILES=5000 INKOV_WALKS=60 INKOV_IDLE=2000 \
		INKOV_LANGUAGES=100 INKOV_LAGOONS=5000 INKOV_FORGERIES=100000 INKOV_CHANGES=2000 \
		INKOV_TREES=20000 INKOV_TREES_REALITY=300 INKOV_LOSSES=500 INKOV_TREES_NOW=500 INKOV_TICKETS=1000 \
		INKOV_DRAWINGS=2000 \
		$(BIN)/pytest -n auto tests/forwarding tests/mend \
		tests/readers/test_walk_texts.py tests/readers/test_dialect_groups.py \
		tests/proofs/test_forger.py tests/proofs/test_alike.py tests/learn tests/effects tests/drawing

# Mutants of valid files, for five minutes; then plans, certificates, baselines, dialects and names
# of files, through the whole program.
fuzz: $(VENV)/.tested
	$(BIN)/python -m tests.readers.fuzz 300
	INKOV_ATTACKS=20000 $(BIN)/pytest -q tests/cli/test_hostile.py -k ends_by_itself

# Small changes of the code that some test has to notice; those that none does are listed.
mutants: $(VENV)/.tested
	$(BIN)/python -m tests.mutants

bench: $(VENV)/.tested
	$(BIN)/python -m bench

# How time and memory grow with inputs made to hurt.
curves: $(VENV)/.tested
	$(BIN)/python -m bench.curves

docs: $(VENV)/.installed
	$(BIN)/python docs/generate.py

shots: $(VENV)/.installed
	$(BIN)/python docs/shots.py

$(VENV)/bin/python:
	$(PYTHON) -m venv $(VENV)

$(VENV)/.installed: $(VENV)/bin/python pyproject.toml
	$(BIN)/python -m pip install --quiet --disable-pip-version-check --editable .
	@touch $@

$(VENV)/.tested: $(VENV)/bin/python pyproject.toml
	$(BIN)/python -m pip install --quiet --disable-pip-version-check --editable '.[test]'
	@touch $@ $(VENV)/.installed

clean:
	rm -rf $(VENV) inkov-demo .pytest_cache .mypy_cache .ruff_cache .hypothesis .import_linter_cache
