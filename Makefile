# make demo    installs what is missing, builds, and runs the whole example
# make test    the core's tests, the package's tests and the examples
# make test-quick    what is fast of it, for the moment before a commit
# make check   the rules of the house, the linters, the spelling and R CMD check
# make sanitize, make sanitize-bindings   the core's tests, and what R hands to it, under the sanitizers
# make test-hard   the tests that need a database server, an SSH server or a queue
# make test-arm   the core's tests for 64-bit ARM processors, emulated
# make check-hard    what needs minutes, servers or other compilers: sanitizers, fuzzers, faults, long runs, portability
# make site    guide, reference and documents as static pages
# make document, make data   regenerate what is generated
# make bench   the measurements

BUILD   := .build
LIBRARY := $(BUILD)/library
RUN     := R_LIBS="$(CURDIR)/$(LIBRARY):$$R_LIBS" Rscript
CORE    := $(wildcard src/core/*.cpp)
TESTS   := $(wildcard src/core/tests/*.cpp)
HEADERS := $(wildcard src/core/*.hpp src/core/tests/*.hpp)
# the tests are linked with the objects that the package is made of; a variant has objects of its own
OBJECTS := $(patsubst src/core/%.cpp,$(BUILD)/core$(VARIANT)/%.o,$(if $(VARIANT),$(CORE)) $(TESTS)) \
  $(if $(VARIANT),,$(CORE:.cpp=.o))
SOURCES := DESCRIPTION NAMESPACE \
  $(shell find R src inst data man -type f -not -name '*.o' -not -name '*.so' -not -path 'src/core/tests/*')
CXX     := $(shell R CMD config CXX17)
# where the tests' framework stands, asked for once the packages are there
CATCH    = $$(Rscript -e 'cat(system.file("include/testthat/vendor", package = "testthat"))')
CXXFLAGS = -std=c++17 -O2 -Wall -Wextra -pthread $(SANITIZE)

UNDEFINED := -fsanitize=address,undefined -fno-sanitize-recover=undefined

.PHONY: demo test test-quick test-hard core-tests test-core test-arm sbom check-hard fuzz fuzz-core faults long-runs \
  guests valgrind portable sanitize sanitize-bindings sanitized-library install setup document data site bench check \
  check-house check-core check-package clean

demo: install
	@./hylomath demo

test: install core-tests
	@$(RUN) tools/run-tests.R

test-quick: install core-tests
	@$(RUN) tools/run-tests.R quick

# what needs a database server or minutes of it
test-hard: install $(BUILD)/ready-for-hard-use
	@$(RUN) tools/run-tests.R hard

core-tests: $(BUILD)/ready-for-tests
	@$(MAKE) --no-print-directory -j2 $(BUILD)/core-tests

test-core: $(BUILD)/core-tests$(VARIANT)
	@$(EMULATOR) $(BUILD)/core-tests$(VARIANT) $(CASES)

# the core's tests under the sanitizers, each with objects of its own
sanitize:
	@$(MAKE) --no-print-directory test-core VARIANT=-address SANITIZE="-g $(UNDEFINED)"
	@$(MAKE) --no-print-directory test-core VARIANT=-thread SANITIZE="-g -fsanitize=thread"

# the package built with the sanitizers, and what crosses between R and the core tried on it; R itself leaks by design
SANITIZED := train|stored|predict|score|prep|safe|numerical-trouble|weights
# under TSan no other process can be begun, and memory has to lie where it always does
THREADED := train|numerical-trouble|regimen|ensemble|folds|predict
RHOME     = $$(R RHOME)
TESTED    = library(testthat); test_dir('tests/testthat', filter = '^($(1))$$', package = 'hylomath', \
  load_package = 'installed', reporter = 'check', stop_on_failure = TRUE)

sanitize-bindings: install $(BUILD)/ready-for-hard-use
	@$(MAKE) --no-print-directory sanitized-library VARIANT=-address SANITIZE="$(UNDEFINED)"
	@R_LIBS="$(CURDIR)/$(BUILD)/library-address:$(CURDIR)/$(LIBRARY)" \
	  LD_PRELOAD=$$($(CXX) -print-file-name=libasan.so):$$($(CXX) -print-file-name=libubsan.so) \
	  ASAN_OPTIONS=detect_leaks=0:abort_on_error=1 NOT_CRAN=true Rscript -e "$(call TESTED,$(SANITIZED))"
	@$(MAKE) --no-print-directory sanitized-library VARIANT=-thread SANITIZE="-fsanitize=thread"
	@echo "$(call TESTED,$(THREADED))" > $(BUILD)/threaded.R
	@R_LIBS="$(CURDIR)/$(BUILD)/library-thread:$(CURDIR)/$(LIBRARY)" NOT_CRAN=true R_HOME="$(RHOME)" \
	  LD_LIBRARY_PATH="$(RHOME)/lib" TSAN_OPTIONS=halt_on_error=1 setarch $$(uname -m) -R \
	  env LD_PRELOAD=$$($(CXX) -print-file-name=libtsan.so) $(RHOME)/bin/exec/R --no-echo --no-restore \
	  --file=$(BUILD)/threaded.R

sanitized-library:
	@mkdir -p $(BUILD)/library$(VARIANT)
	@echo 'CXX17FLAGS = -g -O1 -fno-omit-frame-pointer $(SANITIZE)' > $(BUILD)/Makevars$(VARIANT)
	@cd $(BUILD) && rm -f hylomath_*.tar.gz && R CMD build --no-build-vignettes .. > build$(VARIANT).log 2>&1 \
	  && R_MAKEVARS_USER="$(CURDIR)/$(BUILD)/Makevars$(VARIANT)" MAKE="$(MAKE) -j2" \
	  R CMD INSTALL --library=library$(VARIANT) --no-test-load hylomath_*.tar.gz > install$(VARIANT).log 2>&1 \
	  || { tail -20 install$(VARIANT).log; exit 1; }

# with Debian's g++-aarch64-linux-gnu and qemu-user; CASES names some of the tests
test-arm:
	@$(MAKE) --no-print-directory test-core VARIANT=-arm CXX=aarch64-linux-gnu-g++ SANITIZE="-static -Wno-psabi" \
	  EMULATOR=qemu-aarch64

# what the package is made of, as a CycloneDX document
sbom: install
	@$(RUN) tools/sbom.R

# ---- hard use: each prints its counts and fails where something was found --------------------------------------------

check-hard: sanitize sanitize-bindings valgrind portable fuzz-core test-hard fuzz faults long-runs guests

$(BUILD)/ready-for-hard-use: $(BUILD)/ready-for-tests
	@Rscript tools/setup.R hard
	@touch $@

# mutated files of all kinds, and requests; SHARE=0.01 for a hundredth of them
SHARE ?= 1
fuzz: install $(BUILD)/ready-for-tests
	@$(RUN) hard/fuzz.R $(SHARE)

# what reaches the core from outside, by libFuzzer, from the corpus that former runs have found
RUNS ?= 1000000
fuzz-core: $(BUILD)/ready-for-hard-use
	@clang++ -std=c++17 -O1 -g -fsanitize=fuzzer,address,undefined -fno-sanitize-recover=undefined -pthread -Isrc/core \
	  hard/fuzz_core.cpp $(CORE) -o $(BUILD)/fuzz-core
	@mkdir -p $(BUILD)/corpus && tar -C $(BUILD)/corpus -xzf hard/corpus.tar.gz
	@$(BUILD)/fuzz-core -runs=$(RUNS) -max_len=1200 -rss_limit_mb=1024 -timeout=20 -print_final_stats=1 \
	  -artifact_prefix=$(BUILD)/ $(BUILD)/corpus > $(BUILD)/fuzz-core.log 2>&1 \
	  || { tail -20 $(BUILD)/fuzz-core.log; exit 1; }
	@grep "stat::number_of_executed_units" $(BUILD)/fuzz-core.log

KILLS ?= 300
faults: install $(BUILD)/ready-for-tests
	@$(RUN) hard/faults.R $(KILLS)

long-runs: install
	@$(RUN) hard/long-runs.R $(SHARE)

# honest and hostile guests of the service; SECONDS=60 for a minute of them
SECONDS ?= 3600
guests: install
	@$(RUN) hard/guests.R $(SECONDS)

valgrind: $(BUILD)/ready-for-hard-use
	@$(MAKE) --no-print-directory test-core VARIANT=-valgrind SANITIZE="-g -O1" \
	  EMULATOR="valgrind --quiet --error-exitcode=9 --leak-check=full"

# the core under another compiler, as a program of another system (compiled and linked), and of another processor
portable: $(BUILD)/ready-for-hard-use
	@$(MAKE) --no-print-directory test-core VARIANT=-clang CXX=clang++ SANITIZE="-Werror"
	@$(MAKE) --no-print-directory $(BUILD)/core-tests-windows VARIANT=-windows CXX=x86_64-w64-mingw32-g++-posix \
	  SANITIZE="-static -Werror -Wno-attributes -Wno-psabi"
	@echo "The core and its tests are compiled and linked for Windows."
	@$(MAKE) --no-print-directory test-arm

install: $(BUILD)/installed
setup: $(BUILD)/ready

$(BUILD)/ready: DESCRIPTION tools/setup.R
	@mkdir -p $(LIBRARY)
	@Rscript tools/setup.R
	@touch $@

$(BUILD)/ready-for-tests: $(BUILD)/ready
	@Rscript tools/setup.R test
	@touch $@

$(BUILD)/installed: $(BUILD)/ready $(SOURCES)
	@echo "Building hylomath (about a minute the first time) ..."
	@# R's own make knows no headers: when one has changed, everything is compiled anew
	@[ -e $@ ] && [ -z "$$(find src -name '*.h*' -newer $@)" ] || find src -name '*.o' -delete
	@MAKE="$(MAKE) -j2" R CMD INSTALL --library=$(LIBRARY) --no-test-load . > $(BUILD)/install.log 2>&1 \
	  || { cat $(BUILD)/install.log; exit 1; }
	@touch $@

$(BUILD)/core-tests$(VARIANT): $(OBJECTS)
	@$(CXX) $(CXXFLAGS) $^ -o $@

$(CORE:.cpp=.o): $(BUILD)/installed ;

$(BUILD)/core$(VARIANT)/%.o: src/core/%.cpp $(HEADERS) | $(BUILD)/ready-for-tests
	@mkdir -p $(dir $@)
	@$(CXX) $(CXXFLAGS) -Isrc/core -isystem $(CATCH) -c $< -o $@

document:
	@Rscript tools/setup.R document
	@Rscript -e 'Rcpp::compileAttributes(".")'
	@$(MAKE) --no-print-directory install
	@$(RUN) tools/document.R

data:
	@Rscript data-raw/make-data.R

# guide, reference and documents as static pages in .build/site
site: install $(BUILD)/ready-for-tests
	@$(RUN) tools/site.R

# single-threaded on both sides, whatever BLAS R finds; the step is measured against the one that OPENBLAS links
OPENBLAS ?= -I/usr/include/$(shell $(CXX) -dumpmachine)/openblas-pthread -lopenblas

bench: install $(BUILD)/bench-step
	@$(BUILD)/bench-step
	@OPENBLAS_NUM_THREADS=1 $(RUN) bench/training.R
	@$(RUN) bench/small-tables.R
	@$(RUN) bench/generators.R
	@$(RUN) bench/ensemble.R
	@$(RUN) bench/reading.R
	@$(RUN) bench/appraising.R
	@$(RUN) bench/coverage.R
	@$(RUN) bench/calming.R
	@$(RUN) bench/evidence.R
	@$(RUN) bench/sifting.R
	@$(RUN) bench/folds.R
	@$(RUN) bench/distilling.R
	@$(RUN) bench/scouting.R
	@$(RUN) bench/scoring.R
	@$(RUN) bench/kills.R
	@$(RUN) bench/watching.R
	@$(RUN) bench/serving.R
	@$(RUN) bench/transcripts.R
	@$(RUN) bench/shuffling.R
	@$(RUN) bench/larger.R

$(BUILD)/bench-step: bench/step.cpp $(CORE:.cpp=.o)
	@Rscript tools/setup.R bench
	@$(CXX) $(CXXFLAGS) -Isrc/core $^ $(OPENBLAS) -o $@

$(BUILD)/ready-for-style: $(BUILD)/ready-for-tests
	@Rscript tools/setup.R style
	@touch $@

$(BUILD)/ready-for-checks: $(BUILD)/ready-for-style
	@Rscript tools/setup.R check
	@touch $@

check: check-house check-core check-package

CHECK       = --no-manual
BUILD_FLAGS =
check-package: install $(BUILD)/ready-for-style
	@cd $(BUILD) && rm -f hylomath_*.tar.gz && MAKEFLAGS=-j2 R CMD build $(BUILD_FLAGS) .. \
	  && MAKEFLAGS=-j2 _R_CHECK_FORCE_SUGGESTS_=false R CMD check $(CHECK) hylomath_*.tar.gz

# the rules of the house, R's style and the spelling of what users read
check-house: install $(BUILD)/ready-for-style
	@Rscript tools/house.R
	@$(RUN) tools/lint.R
	@Rscript tools/spelling.R

# the core's layout and what its compiler doesn't say
CHECKED := $(filter-out src/RcppExports.cpp,$(wildcard src/*.cpp src/core/*.?pp src/core/tests/*.?pp))
check-core: $(BUILD)/ready-for-checks
	@clang-format --dry-run -Werror $(CHECKED) bench/step.cpp
	@clang-tidy --quiet $(CORE) -- -std=c++17 -Isrc/core 2> $(BUILD)/clang-tidy.log \
	  || { cat $(BUILD)/clang-tidy.log; exit 1; }

clean:
	@rm -rf $(BUILD)
