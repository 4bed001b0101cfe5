# One environment in .venv; every target sets up what is missing.
PYTHON ?= python3
BIN := .venv/bin
STAMP := .venv/.setup-done

.PHONY: setup demo test lint bench screenshots clean

setup: $(STAMP)

$(STAMP): pyproject.toml requirements.lock scripts/setup.sh
	bash scripts/setup.sh $(PYTHON)
	@touch $@

demo: setup
	$(BIN)/dustpan demo

# Bytecode is written even where that is turned off: tests start the program again and again.
test: setup
	PYTHONDONTWRITEBYTECODE= QT_QPA_PLATFORM=offscreen OPENBLAS_NUM_THREADS=1 OMP_NUM_THREADS=1 $(BIN)/python -m pytest

lint: setup
	$(BIN)/ruff check src tests benchmarks scenes scripts training
	$(BIN)/ruff format --check src tests benchmarks scenes scripts training
	$(BIN)/mypy
	$(BIN)/lint-imports

bench: setup
	$(BIN)/python -m benchmarks

screenshots: setup
	xvfb-run -a -s "-screen 0 1280x800x24" $(BIN)/python scripts/screenshots.py docs/screenshots

clean:
	rm -rf .venv demo-out
