// The core's own tests: built and run without R by `make test-core`.
#define CATCH_CONFIG_MAIN
#define CATCH_CONFIG_NO_POSIX_SIGNALS
#include <catch.h>
