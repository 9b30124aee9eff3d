# Two commands do all the set-up: `make demo` and `make test`. Nothing else is needed but Python 3.11+.
PYTHON ?= python3
BIN := .venv/bin
# What is compiled is kept: without it every command that a test starts compiles all of it.
unexport PYTHONDONTWRITEBYTECODE
STAMP := .venv/.ready

.PHONY: setup demo test test-windows check examples screenshots bench bench-check bench-classify bench-real torture fuzz mutants lock clean-demo

setup: $(STAMP)

$(STAMP): requirements.lock pyproject.toml
	@$(PYTHON) -c 'import sys; sys.exit(sys.version_info < (3, 11))' || { echo "Python 3.11 or newer is needed (set PYTHON=...)"; exit 1; }
	@$(PYTHON) -c 'import ensurepip, venv' 2>/dev/null || { echo "Python's venv module is missing: install the package python3-venv"; exit 1; }
	$(PYTHON) -m venv .venv
	$(BIN)/python -m pip install --quiet --disable-pip-version-check --require-hashes -r requirements.lock
	$(BIN)/python -m pip install --quiet --disable-pip-version-check --no-deps --no-build-isolation -e .
	$(BIN)/python -m compileall -q src
	@touch $(STAMP)

demo: setup
	$(BIN)/left-intact demo --dir build/pier-room

test: setup
	@command -v tmux >/dev/null || sh tools/need.sh tmux
	$(BIN)/python -m pytest

# The core's tests with a Windows Python under a compatibility layer; a line where that cannot be had.
test-windows: setup
	sh tools/test_windows.sh

check: setup
	$(BIN)/ruff check src tests bench tools
	$(BIN)/ruff format --check src tests bench tools
	$(BIN)/mypy
	$(BIN)/lint-imports

# Every figure of the demo, in docs/examples/.
examples: setup
	$(BIN)/python tools/examples.py

screenshots: setup
	@sh tools/need.sh xvfb xdotool kitty fonts-hack fonts-dejavu-core
	$(BIN)/python tools/screenshots.py

bench: setup
	$(BIN)/python bench/first_paint.py
	$(BIN)/python bench/update.py
	$(BIN)/python bench/screen.py
	$(BIN)/python bench/news.py

# Whether the speed still stands, by processor time beside general tools: less than three minutes.
bench-check: setup
	@sh tools/need.sh rsync b3sum
	$(BIN)/python bench/check.py

# Faults at every system call, kills, and power that fails: half an hour, and a table; then every case of every test. MINUTES and SEED
# may be said, and ALONE=1 leaves the tests out. strace is named where it is missing.
MINUTES ?= 26
SEED ?= 1
torture: setup
	@sh tools/need.sh strace || true
	$(BIN)/python -m tests.torture --minutes $(MINUTES) --seed $(SEED)
	$(if $(ALONE),,LEFT_INTACT_LAWS=many $(BIN)/python -m pytest)

# Bytes of any kind for every decoder and feed, 20,000 of each; a hundred of each run in `make test`.
fuzz: setup
	LEFT_INTACT_LAWS=many $(BIN)/python -m pytest tests/hostile -q -o addopts="-n 2 --dist worksteal" -k "bytes or links_lead"

# One small change to the heart at a time, and whether a test notices.
mutants: setup
	$(BIN)/python tools/mutants.py cover
	-$(BIN)/python tools/mutants.py sound
	$(BIN)/python tools/mutants.py 400

# How well files are sorted, on the labelled corpus; the figure goes to build/.
bench-classify: setup
	@mkdir -p build
	$(BIN)/python bench/classify.py --figure build/reliability.svg

# How well files of real releases are told, with a person's traces over them. Fetches packages once (1 GB).
bench-real: setup
	$(BIN)/python bench/real_trees.py --held-out
	$(BIN)/python bench/finding.py

# Pins every dependency with its digests. Run it when pyproject.toml changes.
lock: setup
	$(PYTHON) -m venv build/lock
	build/lock/bin/python -m pip install --quiet pip-tools
	build/lock/bin/pip-compile --quiet --extra dev --generate-hashes --no-emit-index-url --no-emit-trusted-host --no-emit-find-links --strip-extras --no-header -o requirements.lock pyproject.toml
