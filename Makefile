# make demo   sets up, builds, and opens the demo scene       make test   sets up, builds, and runs every test
.PHONY: build demo test shots bench bars sanitize fuzz format setup node demo-assets manual

build: setup
	@cmake --preset release >build-configure.log 2>&1 || { cat build-configure.log; rm -f build-configure.log; exit 1; }
	@rm -f build-configure.log
	@cmake --build --preset release

setup:
	@scripts/install-packages

# The reference glTF validator, for tests only. Without a network the tests that want it say that they were skipped.
node:
	@[ -d node_modules/gltf-validator ] || npm install --silent --no-audit --no-fund --no-package-lock || echo "npm could not install the glTF validator; its tests will be skipped"

# The application alone: a newcomer waits for no test and no benchmark.
demo: setup
	@cmake --preset release >build-configure.log 2>&1 || { cat build-configure.log; rm -f build-configure.log; exit 1; }
	@rm -f build-configure.log
	@cmake --build --preset release --target nutatio
	@scripts/start build/release/bin/nutatio demo/lake-landing.nutatio

test: build node
	@ctest --test-dir build/release --output-on-failure -j 2

shots: build
	@cmake --build --preset release --target nutatio-shots
	@scripts/on-a-screen build/release/bin/nutatio-shots demo/lake-landing.nutatio docs/screenshots

bench: build
	@cmake --build --preset release --target nutatio-benchmarks nutatio-solver-table nutatio-reed-bed
	@build/release/bin/nutatio-benchmarks --benchmark_out=build/bench.json --benchmark_out_format=json
	@build/release/bin/nutatio-solver-table
	@build/release/bin/nutatio-reed-bed
	@scripts/cost build/release/bin/nutatio-solver-table

# What was asked against what came of it: Overlap, Steady, Sway, gauges; then all kinds at their defaults on characters that code
# makes, and on those that nobody here made, where they are.
bars: build
	@cmake --build --preset release --target nutatio-bars nutatio-character-bars
	@build/release/bin/nutatio-bars
	@build/release/bin/nutatio-character-bars --zoo 28 $(wildcard ../shared/characters /usr/share/assimp/models/glTF2 /usr/share/assimp/models/BVH)

sanitize: build
	@cmake --preset sanitize >/dev/null
	@cmake --build --preset sanitize
	@ctest --test-dir build/sanitize --output-on-failure -j 2

# Coverage-guided fuzzing of the readers by clang's libFuzzer: make fuzz SECONDS=600 for ten minutes each.
SECONDS ?= 60
fuzz: setup
	@scripts/install-packages clang libclang-rt-14-dev
	@cmake --preset fuzz >/dev/null
	@cmake --build --preset fuzz
	@scripts/fuzz $(SECONDS)

format:
	@git ls-files '*.h' '*.cpp' | xargs clang-format -i

# The demo world's files, made anew from code.
demo-assets: build
	@build/release/bin/nutatio-demo-build demo/assets
	@scripts/demo-scene

# The pages of the manual that the settings tables write.
manual: build
	@for k in $$(ls -d core/layers/*/ | xargs -n1 basename); do build/release/bin/nutatio-cli describe $$k --markdown > docs/layers/$$k.md; done
