# Two commands do everything on a fresh machine: make demo, make test.
unexport PYTHONDONTWRITEBYTECODE # every test that starts the program would compile all of it again
PYTHON ?= python3
VENV := .venv
BIN := $(VENV)/bin
WORKSPACE ?= workspace
PORT ?= 8420
UI_SOURCES := $(shell find ui/src -type f) ui/index.html ui/vite.config.ts ui/package-lock.json
STATIC := src/skarlo/web/static/index.html

.PHONY: demo demo-reset test setup build lint lint-python lint-ui types chromium screenshots coverage-study search-study same tables mutants clean

demo: setup build ## set up, build, make the sample world, serve it
	@$(BIN)/skarlo demo --workspace $(WORKSPACE) --port $(PORT)

demo-reset: setup build ## the sample world as at first, then serve it
	rm -rf $(WORKSPACE)
	@$(MAKE) --no-print-directory demo

test: ## all checks and tests, browser tests included
	@$(MAKE) --no-print-directory -j 2 --output-sync=target build lint chromium
	$(BIN)/python -m pytest -n 2 --dist loadgroup

setup: $(VENV)/ready ui/node_modules/ready

build: $(STATIC)

$(VENV)/ready: requirements.lock pyproject.toml
	@echo "setting up Python …"
	@test -x $(BIN)/python || $(PYTHON) -m venv $(VENV)
	@# compiled as it is imported: most of what is installed never is
	@$(BIN)/python -m pip install --quiet --disable-pip-version-check --no-compile --no-deps -r requirements.lock
	@$(BIN)/python -m pip install --quiet --disable-pip-version-check --no-deps --no-build-isolation -e .
	@$(BIN)/python -c "import matplotlib.font_manager" 2> /dev/null # its list of fonts is made once, here and not while someone waits
	@touch $@

ui/node_modules/ready: ui/package-lock.json
	@echo "setting up the front end …"
	@# not npm ci: it refuses a lock file made where a registry lacks other systems' binaries
	@cd ui && npm install --no-save --no-audit --no-fund --loglevel=error
	@touch $@

$(STATIC): ui/node_modules/ready $(UI_SOURCES)
	@echo "building the front end …"
	@cd ui && npx vite build --logLevel error

lint: lint-python lint-ui

lint-python: $(VENV)/ready
	$(BIN)/ruff check .
	$(BIN)/ruff format --check .
	$(BIN)/mypy
	$(BIN)/lint-imports --no-cache
	$(BIN)/skarlo openapi | diff -q - ui/openapi.json || (echo "ui/openapi.json is not current: make types" && false)

lint-ui: ui/node_modules/ready
	cd ui && npx openapi-typescript openapi.json --default-non-nullable false -o node_modules/schema.d.ts > /dev/null && diff -q node_modules/schema.d.ts src/api/schema.d.ts || (echo "ui/src/api is not current: make types" && false)
	cd ui && npm run --silent check
	cd ui && npm run --silent test -- --reporter=dot

types: setup ## the OpenAPI document and the types made from it
	$(BIN)/skarlo openapi > ui/openapi.json
	cd ui && npm run --silent types
	@mkdir -p docs/schemas
	for which in results study; do $(BIN)/skarlo schema $$which > docs/schemas/$$which.schema.json; done

chromium: ## Debian's Chromium, where it may be installed
	@command -v chromium > /dev/null || (echo "installing Chromium …" && apt-get update -qq && apt-get install -y -qq --no-install-recommends chromium fonts-liberation > /dev/null) || (echo "Chromium is needed for the browser tests: install Debian's package chromium" && false)

coverage-study: setup ## how often the intervals hold the truth; slow, writes its tables into docs/methods.md
	$(BIN)/python benchmarks/coverage_study.py

search-study: setup ## how often the search for the worst slices keeps its promise; slow, its table goes into docs/methods.md
	$(BIN)/python benchmarks/search.py --study 200

tables: setup ## the tables of docs/methods.md that say each metric
	$(BIN)/python docs/tables.py

same: setup ## what moved in the results since a commit, to the last bit: make same BASE=…
	$(BIN)/python benchmarks/same.py $(BASE)

mutants: setup ## faults put in by hand, each of which the tests must notice
	$(BIN)/python benchmarks/mutants.py

screenshots: setup build chromium ## docs/screenshots, from the sample world
	$(BIN)/python docs/screenshots/take.py

clean:
	rm -rf $(VENV) ui/node_modules src/skarlo/web/static
