# Two commands do everything on a fresh machine: `make demo` and `make test`.
PYTHON ?= python3
VENV := .venv
BIN := $(VENV)/bin

.PHONY: demo test check lint dist catalogue docs screenshots bench emitters truth fuzz guided soak lock clean

demo: $(VENV)/.app
	@$(BIN)/gray-kettle demo

test: $(VENV)/.dev
	@tools/need tmux qpdf /usr/sbin/sshd:openssh-server ssh:openssh-client /usr/sbin/mosquitto:mosquitto openssl
	@$(MAKE) --no-print-directory lint
	@$(BIN)/pytest --numprocesses 2 --dist loadfile

# About a minute: format, lint, types, layers and the fast tests. `make test` runs everything.
check: lint
	@$(BIN)/pytest --numprocesses 2 --dist loadfile -m "not slow"

# Source distribution and wheel, in dist/.
dist: $(VENV)/.dev
	@rm -rf dist
	@$(BIN)/python -m build --outdir dist .

lint: $(VENV)/.dev
	@$(BIN)/ruff check src tests benchmarks
	@$(BIN)/ruff format --check --quiet src tests benchmarks
	@$(BIN)/mypy
	@$(BIN)/lint-imports --no-cache > .lint-imports.txt || (cat .lint-imports.txt; exit 1)
	@rm -f .lint-imports.txt

# The documentation as a site, in site/; a broken link ends it.
docs: $(VENV)/.dev
	@NO_MKDOCS_2_WARNING=1 $(BIN)/mkdocs build --quiet

# The texts of the report for translators.
catalogue: $(VENV)/.dev
	@mkdir -p src/gray_kettle/locale
	@$(BIN)/pybabel --quiet extract --omit-header --no-location --sort-output -k N_ -k _ -k ngettext:1,2 \
		-o src/gray_kettle/locale/gray-kettle.pot src/gray_kettle/export/report

# Pictures of the main views from the demo case, as they are linked from the README.
screenshots: $(VENV)/.app
	@tools/need Xvfb:xvfb xterm xdotool import:imagemagick pdftoppm:poppler-utils fc-list:fontconfig
	@tools/screenshots

bench: $(VENV)/.dev
	@$(BIN)/python -m benchmarks

# How well emitters are detected, on simulated scenes that no limit was set on; writes docs/emitters-*.
emitters: $(VENV)/.dev
	@$(BIN)/python -m benchmarks.emitters

# Expected throughput and plans beside a simulation of channel access, slot by slot; writes docs/truth.md..
truth: $(VENV)/.dev
	@$(BIN)/python -m benchmarks.truth

# Damaged inputs through the whole program, for MINUTES.
MINUTES ?= 10
fuzz: $(VENV)/.dev
	@$(BIN)/python -m tests.fuzz --minutes $(MINUTES)

# Inputs guided by coverage of the decoders, for MINUTES; needs an interpreter that atheris has a wheel for.
guided: $(VENV)/.dev
	@$(BIN)/pip install --quiet --disable-pip-version-check "atheris>=3.0"
	@$(BIN)/python -m tests.guided_fuzz --minutes $(MINUTES)

# Stops, kills, flips and commands on damaged cases, then property tests with many more examples, for MINUTES.
soak: $(VENV)/.dev
	@$(BIN)/python -m tests.soak --minutes $(MINUTES) 2> /dev/null
	@$(BIN)/python -m tests.fuzz --minutes $(MINUTES)
	@GRAY_KETTLE_TEST_PROFILE=soak $(BIN)/pytest --numprocesses 2 --dist loadfile -m "not slow"

$(VENV)/bin/python:
	@tools/make_venv $(PYTHON) $(VENV)

$(VENV)/.app: requirements.lock pyproject.toml | $(VENV)/bin/python
	@$(BIN)/pip install --quiet --disable-pip-version-check -r requirements.lock
	@$(BIN)/pip install --quiet --disable-pip-version-check --no-deps -e .
	@touch $@

$(VENV)/.dev: requirements-dev.lock pyproject.toml | $(VENV)/bin/python
	@$(BIN)/pip install --quiet --disable-pip-version-check -r requirements-dev.lock
	@$(BIN)/pip install --quiet --disable-pip-version-check --no-deps -e .
	@touch $@ $(VENV)/.app

# After a change of the dependencies in pyproject.toml.
lock: $(VENV)/.dev
	@$(BIN)/pip install --quiet uv
	@$(BIN)/uv pip compile --quiet --universal --python-version 3.11 --no-header --no-annotate \
		--extra dev pyproject.toml -o requirements-dev.lock
	@$(BIN)/uv pip compile --quiet --universal --python-version 3.11 --no-header --no-annotate \
		-c requirements-dev.lock pyproject.toml -o requirements.lock

clean:
	rm -rf $(VENV) dist .pytest_cache .mypy_cache .ruff_cache .hypothesis
