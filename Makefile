.PHONY: demo demo-fresh dist test fuzz bench build types screenshots lint
PYTHON ?= python3
VENV := .venv/bin

demo: build
	$(VENV)/patient-courier demo

demo-fresh: build
	$(VENV)/patient-courier demo --fresh

test: build .stamps/browser .stamps/servers
	$(VENV)/ruff format --check .
	$(VENV)/ruff check .
	$(VENV)/lint-imports
	$(VENV)/mypy patient_courier
	$(VENV)/mypy --follow-imports=silent --strict tests/*.py tests/post/far_side.py
	cd ui && npm run --silent lint
	cd ui && npm run --silent test
	$(VENV)/pytest -n 3 --dist loadfile --no-loadscope-reorder --durations=20

# Many more requests made up from the API's description than the tests make, and every property with new examples.
fuzz: build
	FUZZ_EXAMPLES=200 PROPERTIES=new $(VENV)/pytest tests/web/test_schemathesis.py
	PROPERTIES=new $(VENV)/pytest -n 2 --dist loadfile tests/core tests/store tests/outside tests/post tests/intake

bench: build
	$(VENV)/python -m benchmarks.run $(ONLY)

screenshots: build .stamps/browser
	$(VENV)/python docs/make_screenshots.py

lint: .stamps/python
	$(VENV)/ruff format .
	$(VENV)/ruff check --fix .

# The whole installation as one wheel, and the versions it was tested with; a wheel takes whatever lies in build/, so that goes first.
dist: build
	rm -rf build dist
	$(VENV)/pip wheel --quiet --disable-pip-version-check --no-deps --no-build-isolation --wheel-dir dist .
	grep -v '^-e' requirements.lock > dist/constraints.txt
	rm -rf build

# The API is typed once: OpenAPI from the routes, TypeScript from OpenAPI.
types: .stamps/python .stamps/node
	$(VENV)/patient-courier openapi > ui/openapi.json
	cd ui && npm run --silent types

build: .stamps/python .stamps/ui

.stamps/python: requirements.lock pyproject.toml
	@mkdir -p .stamps
	test -x $(VENV)/python || $(PYTHON) -m venv .venv
	$(VENV)/pip install --quiet --disable-pip-version-check --requirement requirements.lock
	$(VENV)/pip install --quiet --disable-pip-version-check --no-deps --no-build-isolation --editable .
	@touch $@

.stamps/node: ui/package-lock.json
	@mkdir -p .stamps
	cd ui && npm ci --silent --no-audit --no-fund
	@touch $@

.stamps/ui: .stamps/node $(shell find ui/src ui/index.html ui/vite.config.ts ui/tsconfig.json -type f 2>/dev/null)
	cd ui && npm run --silent build
	@touch $@

# The browser tests need a Chromium; as root we can fetch Debian's, otherwise we say what is missing.
.stamps/browser:
	@mkdir -p .stamps
	@if command -v chromium >/dev/null; then :; \
	elif [ "$$(id -u)" = 0 ] && command -v apt-get >/dev/null; then apt-get update -qq && apt-get install -y -qq chromium; \
	else echo "The browser tests need Chromium at /usr/bin/chromium. Install it, e.g.: sudo apt-get install chromium"; exit 1; fi
	@touch $@

# A real mail server, a real IMAP server and another reader of encrypted copies, for the tests of these.
SERVERS := postfix dovecot-imapd dovecot-lmtpd age nginx-light
.stamps/servers:
	@mkdir -p .stamps
	@if command -v postfix >/dev/null && command -v dovecot >/dev/null && command -v age >/dev/null && command -v nginx >/dev/null && test -e /usr/lib/dovecot/lmtp; then :; \
	elif [ "$$(id -u)" = 0 ] && command -v apt-get >/dev/null; then apt-get update -qq && DEBIAN_FRONTEND=noninteractive apt-get install -y -qq --no-install-recommends $(SERVERS); \
	else echo "The tests of mail and copies need root and $(SERVERS). Install them, e.g.: sudo apt-get install $(SERVERS)"; exit 1; fi
	@touch $@
