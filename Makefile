# Two commands do everything on a fresh machine: `make demo` and `make test`.
SHELL := /bin/bash
.SHELLFLAGS := -o pipefail -ec
.ONESHELL:

# One target folder for all clones; the dependencies are built once.
export CARGO_TARGET_DIR ?= $(HOME)/.cache/mangle/target
VENV := $(HOME)/.cache/mangle/venv
export MANGLE_PYTHON := $(VENV)/bin/python
# Snapshots are those of this clone, wherever the test that looks for them was compiled.
export INSTA_WORKSPACE_ROOT := $(CURDIR)
# The same packages are chosen for building and testing: cargo then switches on the
# same features and builds nothing twice.
OURS := --workspace --exclude mangle-speed
ROOT := $(shell [ "$$(id -u)" = 0 ] || echo sudo)
PACKAGES := chromium chromium-driver poppler-utils qpdf curl openssl python3-venv cups-ipp-utils cups-daemon

.PHONY: demo test dev web speed shots types format tools long compare compare-functions

demo: web
	cargo build $(OURS) --bin mangle
	"$$CARGO_TARGET_DIR/debug/mangle" demo

# Everything that CI checks. The last lines are the test runner's, summed up.
test: tools web
	cd web && npm run --silent types && git diff --exit-code -- src/api/schema.ts
	npm run --silent check
	cd ..
	cargo fmt --check
	cargo clippy --workspace --all-targets --quiet -- -D warnings
	cargo build $(OURS) --bin mangle
	cargo test $(OURS) --doc
	cargo test $(OURS) --lib --bins --tests --no-fail-fast 2>&1 | tee "$$CARGO_TARGET_DIR/test.log" || failed=1
	awk '/^test result:/ { passed += $$4; failed += $$6 } END { print passed " passed, " failed " failed" }' "$$CARGO_TARGET_DIR/test.log"
	exit $${failed:-0}

# The front end with live reload on port 7601, beside `make demo`.
dev: web/node_modules/.done
	cd web && npm run dev

web: web/node_modules/.done
	cd web && npm run --silent build

web/node_modules/.done: web/package-lock.json
	cd web && npm ci --no-audit --no-fund
	touch node_modules/.done

# Debian packages and the Python libraries that look at our files independently.
tools:
	for tool in chromium chromedriver pdftotext qpdf curl openssl ipptool /usr/sbin/cupsd; do
	  command -v $$tool > /dev/null || { $(ROOT) apt-get update -qq && $(ROOT) apt-get install -y -qq $(PACKAGES); break; }
	done
	if ! $(MANGLE_PYTHON) -c 'import aiosmtpd, babel, docx, pyhanko, zxingcpp, PIL' 2> /dev/null; then
	  python3 -m venv $(VENV) && $(VENV)/bin/pip install --quiet aiosmtpd==1.4.6 babel==2.19.0 pyHanko==0.38.0 python-docx==1.2.0 zxing-cpp==2.3.0 pillow==11.3.0
	fi

# Compares the pages of the corpus, or of the DOCX named in DOCX=, with those of an
# office renderer where one is installed, and writes down how far they differ.
compare:
	cargo build $(OURS) --bin mangle
	test -x $(VENV)-pages/bin/python || { python3 -m venv $(VENV)-pages && $(VENV)-pages/bin/pip install --quiet pdfminer.six==20250506 pillow==11.3.0; }
	$(VENV)-pages/bin/python crates/mangle/checks/pages.py "$$CARGO_TARGET_DIR/debug/mangle" $(if $(DOCX),/dev/stdout,docs/fidelity.md) $(DOCX)

# Compares the functions with an independent calculator, writes down where they differ and
# keeps its answers for the tests.
compare-functions:
	cargo build $(OURS) --bin mangle
	test -x $(VENV)-functions/bin/python || { python3 -m venv $(VENV)-functions && $(VENV)-functions/bin/pip install --quiet formulas==1.3.4; }
	$(VENV)-functions/bin/python crates/mangle/checks/functions.py "$$CARGO_TARGET_DIR/debug/mangle" docs/functions-compared.md crates/core/tests/functions.jsonl 2> /dev/null

# The laws that hold for any input, each for a minute; and 200 kills of the running program.
long: tools
	cargo build $(OURS) --bin mangle
	MANGLE_LONG=60 cargo test $(OURS) --test hostile --test documents hostile any_
	MANGLE_KILLS=200 cargo test $(OURS) --test faults -- --include-ignored

# Measures in the release build.
speed:
	cargo bench -p mangle-speed

# Takes the pictures in docs/screenshots anew.
shots: tools web
	cargo build $(OURS) --bin mangle
	MANGLE_SHOTS=1 cargo test $(OURS) --test journey --test template --test forms --test crm --test documents --test signing

# The API's description and the front end's types of it.
types: web/node_modules/.done
	cargo build $(OURS) --bin mangle
	"$$CARGO_TARGET_DIR/debug/mangle" openapi > docs/openapi.json
	cd web && npm run --silent types

format: web/node_modules/.done
	cargo fmt
	cd web && npm run --silent format
