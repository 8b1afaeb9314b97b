# make demo   set up what is needed and open the demo yard
# make test   set up what is needed and run all tests
# make test-tools  exported code in every language
# make test-all  those, and the ones that take minutes
# make hostile  many more hostile files, yards and formulas than make test tries
# make setup  the set-up alone; leaves .venv/bin/oak-sled
.PHONY: demo test test-tools test-all hostile setup lint bench shots wheel

setup:
	@scripts/setup.sh

demo: setup
	@scripts/demo.sh

test: setup
	@env -u DISPLAY -u WAYLAND_DISPLAY .venv/bin/python -m pytest -q -n 2 --dist loadfile --no-loadscope-reorder

# every craft of every demo in every language that crafts leave in; installs compilers from Debian where they are missing
test-tools: setup
	@scripts/setup-tools.sh && env -u DISPLAY -u WAYLAND_DISPLAY .venv/bin/python -m pytest -q -n 2 -m tools

# also the tests that take minutes: every demo drill in plain Python, and the core with every index checked
test-all: test
	@env -u DISPLAY -u WAYLAND_DISPLAY .venv/bin/python -m pytest -q -n 2 -m slow
	@env -u DISPLAY -u WAYLAND_DISPLAY OAK_SLED_CHECKED=1 .venv/bin/python -m pytest -q -n 2 --dist loadfile tests/core

# what is tried at random in make test, forty times as often; takes most of an hour
hostile: setup
	@env -u DISPLAY -u WAYLAND_DISPLAY OAK_SLED_HOSTILE=40 .venv/bin/python -m pytest -q -n 2 --timeout 3600 tests/core/test_from_outside.py tests/core/test_random_inputs.py tests/core/test_formulas.py

lint: setup
	@.venv/bin/ruff check src tests scripts && .venv/bin/ruff format --check src tests scripts

# a wheel that carries the compiled kernel
wheel: setup
	@.venv/bin/python scripts/ship_kernel.py && .venv/bin/python -m pip wheel --quiet --no-deps --no-build-isolation -w dist . && ls dist; rm -rf src/oak_sled/core/compiler/shipped

bench: setup
	@scripts/on-virtual-display.sh .venv/bin/oak-sled bench

shots: setup
	@scripts/on-virtual-display.sh .venv/bin/oak-sled shots docs/screenshots
