# Wind Pin: the few things people type. CMake does the work.
BUILD ?= build
PREFIX ?= /usr/local
GENERATOR ?= Ninja
CONFIGURE = cmake -S . -B $(BUILD) -G $(GENERATOR) -DCMAKE_INSTALL_PREFIX=$(PREFIX) \
	-DCMAKE_BUILD_TYPE=Release

.PHONY: all demo check check-long check-linux check-firmware firmware single prove bench format install packages clean screenshots deb check-deb dist

all: packages
	@$(CONFIGURE) > $(BUILD).log 2>&1 || { cat $(BUILD).log; exit 1; }
	@cmake --build $(BUILD)

# Installs what is missing, builds, and runs the honey pump and the honey drum.
demo: all
	@$(BUILD)/windpin demo -o windpin-demo

# The same, and passes all tests: two at work, and one more, as many wait for a clock or a process.
check: all
	@$(BUILD)/windpin demo -o $(BUILD)/demo > $(BUILD)/demo.txt
	@ctest --test-dir $(BUILD) --output-on-failure -j3

# All tests, the long campaigns in full length: some hours.
check-long: all
	@WPIN_TICKS=20000000 WPIN_RIGS=5000 WPIN_BENCHES=200 WPIN_DRUMS=1000 WPIN_MOMENTS=200 WPIN_PLANS=100 WPIN_RESPONSES=10000 WPIN_CUTS=9500 WPIN_KILLS=500 WPIN_ENDS=50 WPIN_FRAMES=1000000 WPIN_PAYLOADS=20000 WPIN_LINES=1000000 WPIN_DRIVES=2000 WPIN_EVERYTHING=815000 ctest --test-dir $(BUILD) --output-on-failure -j2
	@tools/install-packages lint
	@tools/fuzz --long

# Real pins, in a kernel of their own with simulated ones; the kernel is built once, some minutes.
check-linux: all
	@tools/kernel > /dev/null
	@WPIN_ENDS=$${WPIN_ENDS:-8} tools/linux-test $(BUILD)/tests/test_pins
	@tools/linux-test --in-time $(BUILD)/tests/test_pins

# Firmware of a rig and its plan, by default the pump's, for each controller: build/firmware/*.elf.
RIG ?= demo/honey-pump.yaml
PLAN ?= demo/honey-pump.plan
firmware: all
	@tools/install-packages cross
	@WINDPIN=$(BUILD)/windpin tools/firmware $(BUILD)/firmware run_plan $(RIG) $(PLAN)

# The same, run on emulated controllers beside the tool's own rehearsal.
check-firmware: packages
	@tools/install-packages cross
	@$(MAKE) --silent all
	@ctest --test-dir $(BUILD) --output-on-failure -R '^firmware$$'

# The whole core as two files to drop into a project: build/single/windpin.h and windpin.c.
single:
	@mkdir -p $(BUILD)
	@tools/single $(BUILD)/single
	@wc -l $(BUILD)/single/windpin.h $(BUILD)/single/windpin.c

# Proves the core free of faults of memory and arithmetic; see docs/proof.md. Half an hour.
prove: packages
	@tools/install-packages prove
	@tools/prove

# Measures speed, size and accuracy; writes nothing but its table.
bench: packages
	@tools/install-packages bench
	@tools/bench

format:
	@git ls-files --cached --others --exclude-standard '*.c' '*.h' | xargs clang-format -i

install: all
	@cmake --install $(BUILD)

# Debian packages of what is committed (build/deb), looked at by lintian; installed and removed in a bare system (as root).
deb: packages
	@tools/install-packages deb
	@tools/deb $(BUILD)/deb

check-deb: deb
	@tools/deb-test $(BUILD)/deb

# A source archive of what is committed, the same bytes each time.
dist:
	@tools/dist $(BUILD)/dist

# Draws the pictures in docs/screenshots anew.
screenshots: all
	@tools/install-packages pictures
	@tools/screenshots $(BUILD)

packages:
	@tools/install-packages build

clean:
	@rm -rf build build-* build.log windpin-demo
