# Two commands do everything on a Debian machine with Python 3.11 or newer, git and make:
#   make demo     the interface on a made-up site
#   make test     all tests
# Each installs what it needs by itself.

PYTHON ?= python3
BIN := .venv/bin

# Where it is set, each of the hundreds of programs that the tests start would compile the whole of it anew.
unexport PYTHONDONTWRITEBYTECODE

.PHONY: setup dev demo test kernel-test check screenshots benchmark tools clean

setup: .venv/.installed
dev: .venv/.installed-dev

# What the program itself needs; `make demo` needs no more.
.venv/.installed: requirements.lock pyproject.toml hatch_build.py src/ordolex/core/match/forward.c
	@$(PYTHON) -c 'import sys; sys.exit(sys.version_info < (3, 11))' || \
		{ echo "Ordolex needs Python 3.11 or newer; this is $$($(PYTHON) --version)"; exit 1; }
	@echo "Setting up .venv here, once: Python packages, about 250 MB, about half a minute"
	@[ -x $(BIN)/pip ] || $(PYTHON) -m venv .venv >/dev/null 2>&1 || { rm -rf .venv; scripts/need python3-venv && $(PYTHON) -m venv .venv; }
	@$(BIN)/pip install --quiet --disable-pip-version-check -r requirements.lock
	@$(BIN)/pip install --quiet --disable-pip-version-check --no-build-isolation --no-deps -e .
	@touch $@
	@echo "Set up: .venv/bin/ordolex is the program"

# What is needed besides to test and to check.
.venv/.installed-dev: .venv/.installed requirements-dev.lock
	@echo "Adding what tests and checks need, once: about 100 MB more"
	@$(BIN)/pip install --quiet --disable-pip-version-check -r requirements-dev.lock
	@touch $@

demo: setup
	$(BIN)/ordolex demo

# tmux drives the real program in the tests, and mosquitto is the broker of some; without them those tests are skipped.
tools:
	@scripts/need tmux mosquitto openssl poppler-utils qpdf || true

test: dev tools
	$(BIN)/pytest

# Needs Debian's kernel and QEMU, and says so where they are missing: scripts/need installs them if it may.
kernel-test: dev
	@scripts/need qemu-system-x86 linux-image-amd64 busybox-static cpio kmod || true
	$(BIN)/pytest tests/kernel -n 0 -s -rs

check: dev
	$(BIN)/ruff format --check src tests benchmarks scripts
	$(BIN)/ruff check src tests benchmarks scripts
	$(BIN)/mypy
	$(BIN)/lint-imports

screenshots: setup
	@scripts/need xvfb xterm xdotool imagemagick fonts-dejavu-core
	$(BIN)/python scripts/screenshots.py docs/screenshots

benchmark: setup
	cd benchmarks && ../$(BIN)/python recording.py && ../$(BIN)/python interface.py

clean:
	rm -rf .venv .pytest_cache .mypy_cache .ruff_cache .hypothesis
