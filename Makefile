# Everything a checkout needs: `make demo` opens the window on the demo data, `make test` runs every check.
.DEFAULT_GOAL := help
VENV := .venv
# The newest Python that is known to work, or the one named: make test PYTHON=python3.12
PYTHON ?= $(firstword $(foreach p,python3.13 python3.12 python3.11 python3,$(if $(shell $(p) -c 'import sys; print(int((3,11) <= sys.version_info < (3,14)))' 2>/dev/null | grep 1),$(p))))
READY := $(VENV)/.ready
TEST_READY := $(VENV)/.ready-test
NEEDS_NO_DRIVE := accumulator fitting memory oil sump recording report platform test_architecture.py test_plain_text.py test_units.py

TESTS := OPENBLAS_NUM_THREADS=1 $(VENV)/bin/pytest -n 2 --dist worksteal

.PHONY: help demo test quick screenshots bench demo-data format clean

help:
	@echo "make demo         open the window on the demo data"
	@echo "make test         style, types, import order and tests"
	@echo "make quick        style, and the tests that need no drive and no window (half a minute)"
	@echo "make screenshots  draw every main view into docs/screenshots"
	@echo "make bench        measure speed and verdicts (minutes)"
	@echo "make demo-data    make the demo logs anew"

$(READY): requirements.lock pyproject.toml
	@test -n "$(PYTHON)" || { echo "Basso needs Python 3.11, 3.12 or 3.13: sudo apt install python3 python3-venv"; exit 2; }
	@$(PYTHON) -c 'import sys; sys.exit(not (3, 11) <= sys.version_info < (3, 14))' 2>/dev/null || { echo "$(PYTHON) does not run here, or is not Python 3.11, 3.12 or 3.13"; exit 2; }
	@$(PYTHON) -c 'import ensurepip' 2>/dev/null || { echo "Python's venv module is missing: sudo apt install python3-venv"; exit 2; }
	@# Tests draw to memory: they need no library of a display.
	@$(if $(filter demo,$(MAKECMDGOALS)),,QT_QPA_PLATFORM=offscreen) $(PYTHON) src/basso/platform/qt_libraries.py
	@echo "Setting up $(VENV) with $$($(PYTHON) --version) …"
	@$(PYTHON) -m venv --clear $(VENV)
	@$(VENV)/bin/python -m pip install --quiet --disable-pip-version-check -r requirements.lock
	@$(VENV)/bin/python -m pip install --quiet --disable-pip-version-check --no-build-isolation --no-deps -e .
	@# As bytecode too: what reads binary logs starts as a process of its own and may write none.
	@$(VENV)/bin/python -m compileall -q src
	@touch $(READY)

# What checks need on top of what runs.
$(TEST_READY): $(READY) requirements-dev.lock
	@$(VENV)/bin/python -m pip install --quiet --disable-pip-version-check -r requirements-dev.lock
	@touch $(TEST_READY)

demo: $(READY)
	@$(VENV)/bin/basso open --demo

test: $(TEST_READY)
	$(VENV)/bin/ruff check .
	$(VENV)/bin/ruff format --check .
	$(VENV)/bin/lint-imports --no-logo
	# Two workers fill two cores: threads of the linear algebra under them only wait for each other. The types are
	# checked meanwhile, in the gaps in which windows wait. What fails runs again, to say with which values: to write
	# that into every assertion beforehand takes 10 s a worker.
	@$(VENV)/bin/python -m compileall -q src
	@echo "mypy, pytest"; $(VENV)/bin/mypy & types=$$!; \
	$(TESTS) --assert=plain --durations=15 --durations-min=3; tests=$$?; \
	test $$tests -eq 0 || $(TESTS) --lf; \
	wait $$types || { echo "mypy failed: see above"; exit 1; }; exit $$tests

quick: $(TEST_READY)
	$(VENV)/bin/ruff check .
	OPENBLAS_NUM_THREADS=1 $(VENV)/bin/pytest -q -n 2 $(NEEDS_NO_DRIVE:%=tests/%)

screenshots: $(READY)
	@$(VENV)/bin/basso open --screenshots docs/screenshots

bench: $(TEST_READY)
	$(VENV)/bin/python -m benchmarks.verdicts
	$(VENV)/bin/python -m benchmarks.speed

demo-data: $(READY)
	$(VENV)/bin/python -m basso.standin.demo
	$(VENV)/bin/python -m basso.car.demo

format: $(TEST_READY)
	$(VENV)/bin/ruff check --fix .
	$(VENV)/bin/ruff format .

clean:
	rm -rf $(VENV) .pytest_cache .mypy_cache .ruff_cache .hypothesis
