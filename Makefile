# Two commands do everything on a fresh machine: make demo, make test.
PYTHON ?= python3
VENV := .venv
BIN := $(VENV)/bin

.PHONY: setup setup-dev demo demo-offscreen test bench fuzz screenshots lock clean

setup: $(VENV)/.ready

$(VENV)/.ready: pyproject.toml constraints.txt tools/setup.sh
	bash tools/setup.sh "$(PYTHON)" "$(VENV)" ""
	touch $@

$(VENV)/.ready-dev: $(VENV)/.ready
	bash tools/setup.sh "$(PYTHON)" "$(VENV)" "[dev]"
	touch $@

setup-dev: $(VENV)/.ready-dev

demo: $(VENV)/.ready
	$(BIN)/silhueta demo

demo-offscreen: $(VENV)/.ready
	QT_QPA_PLATFORM=offscreen $(BIN)/silhueta demo --screenshot out/demo.png
	@echo "The window is in out/demo.png"

test: $(VENV)/.ready-dev
	$(BIN)/ruff check .
	$(BIN)/ruff format --check .
	$(BIN)/mypy
	$(BIN)/lint-imports --no-logo
	QT_QPA_PLATFORM=offscreen $(BIN)/pytest -n auto --maxprocesses 4
	$(BIN)/python -m tools.share

bench: $(VENV)/.ready-dev
	$(BIN)/python -m benchmarks.run

fuzz: $(VENV)/.ready-dev
	$(BIN)/python -m fuzz.harness --seconds 600

screenshots: $(VENV)/.ready-dev
	QT_QPA_PLATFORM=offscreen $(BIN)/python -m tools.screenshots

lock: $(VENV)/.ready-dev
	$(BIN)/pip freeze --exclude-editable > constraints.txt

clean:
	rm -rf $(VENV) out build *.egg-info
