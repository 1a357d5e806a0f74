# make demo: set up and open the demo job.  make test: set up and run everything that must hold.
PYTHON ?= $(shell command -v python3.11 || command -v python3)
BIN := .venv/bin

# make install: Bastler among this user's applications; make uninstall takes it out again.
.PHONY: setup demo install uninstall wheel test bench soak screenshots clean

setup: .venv/ready

.venv/ready: requirements.lock pyproject.toml scripts/system-packages
	scripts/system-packages
	$(PYTHON) -c 'import sys; sys.exit("Bastler needs Python 3.11 or newer" if sys.version_info < (3, 11) else 0)'
	$(PYTHON) -m venv .venv
	$(BIN)/pip install --quiet --disable-pip-version-check --no-deps -r requirements.lock
	$(BIN)/pip install --quiet --disable-pip-version-check --no-deps --no-build-isolation --editable .
	find src -name '*.nb[ic]' -delete # kernels compiled from sources that may be gone
	$(BIN)/python -m compileall -q src
	touch $@

demo: setup
	$(BIN)/bastler examples/pressure-plate.bastler

install: setup
	scripts/desktop install

uninstall:
	scripts/desktop uninstall

wheel: setup
	$(BIN)/pip wheel --quiet --disable-pip-version-check --no-deps --no-build-isolation --wheel-dir dist .

test: setup
	scripts/system-packages tests
	$(BIN)/ruff check --quiet .
	$(BIN)/ruff format --quiet --check .
	$(BIN)/mypy --no-error-summary
	$(BIN)/lint-imports --no-logo > /dev/null || $(BIN)/lint-imports --no-logo
	$(BIN)/python -m pytest

bench: setup
	$(BIN)/python -m benchmarks

# make soak: everything; python -m benchmarks.soak damage: damaged jobs and programs alone.
soak: setup
	$(BIN)/python -m benchmarks.soak

screenshots: setup
	$(BIN)/bastler screenshots docs/screenshots
	QT_QPA_PLATFORM=offscreen $(BIN)/python -c "from pathlib import Path; from bastler.ui.screenshots import sample_pictures; sample_pictures(Path('src/bastler/ui/theme/samples'))"

clean:
	rm -rf .venv build dist src/*.egg-info
