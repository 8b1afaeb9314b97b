# make demo   set up what is needed and open the demo yard
# make test   set up what is needed and run all tests
# make setup  the set-up alone; leaves .venv/bin/oak-sled
.PHONY: demo test setup lint bench shots

setup:
	@scripts/setup.sh

demo: setup
	@scripts/demo.sh

test: setup
	@env -u DISPLAY -u WAYLAND_DISPLAY .venv/bin/python -m pytest -q -n 2 --dist loadfile

lint: setup
	@.venv/bin/ruff check src tests scripts && .venv/bin/ruff format --check src tests

bench: setup
	@scripts/on-virtual-display.sh .venv/bin/oak-sled bench

shots: setup
	@scripts/on-virtual-display.sh .venv/bin/oak-sled shots docs/screenshots
