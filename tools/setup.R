# Installs the packages that DESCRIPTION names and this machine lacks: Debian's prebuilt ones where there is apt and the
# right to use it, otherwise from the repositories that R is set up with, into the user's library.
# With the argument `test` also what only tests need, and a PostgreSQL server to test against; with `bench` the BLAS to
# measure against.
for_tests <- "test" %in% commandArgs(TRUE)
for_bench <- "bench" %in% commandArgs(TRUE)
fields <- read.dcf("DESCRIPTION", c("Imports", "LinkingTo", if (for_tests) "Suggests" else "Config/Needs/demo"))
wanted <- unique(trimws(gsub("\\(.*?\\)", "", unlist(strsplit(fields, ",")))))
lacking <- function() setdiff(wanted, rownames(utils::installed.packages()))

missing <- lacking()
others <- c(if (for_bench && length(Sys.glob("/usr/include/*/openblas*/cblas.h")) == 0) "libopenblas-dev", if (for_tests && length(Sys.glob("/usr/lib/postgresql/*/bin/initdb")) == 0) "postgresql")
if (length(missing) == 0 && is.null(others)) quit(status = 0)
cat("Installing", paste(c(missing, others), collapse = ", "), "...\n")

as_root <- .Platform$OS.type == "unix" && identical(system("id -u", intern = TRUE), "0")
if (as_root && nzchar(Sys.which("apt-get"))) {
  packages <- c(if (length(missing)) paste0("r-cran-", tolower(missing)), others)
  run <- function(...) system2("apt-get", c(...), env = "DEBIAN_FRONTEND=noninteractive", stdout = FALSE)
  run("update", "-qq")
  known <- vapply(packages, function(p) length(suppressWarnings(system2("apt-cache", c("show", p), stdout = TRUE, stderr = FALSE))) > 0, NA)
  if (any(known)) run("install", "-y", "-qq", "--no-install-recommends", packages[known])
}

missing <- lacking()
if (length(missing)) {
  library_path <- Sys.getenv("R_LIBS_USER")
  if (file.access(.libPaths()[1], 2) != 0) {
    dir.create(library_path, recursive = TRUE, showWarnings = FALSE)
    .libPaths(c(library_path, .libPaths()))
  }
  repositories <- getOption("repos")
  if (identical(unname(repositories["CRAN"]), "@CRAN@")) utils::chooseCRANmirror(ind = 1)
  utils::install.packages(missing)
}

missing <- lacking()
if (length(missing)) stop("These packages could not be installed: ", paste(missing, collapse = ", "), call. = FALSE)
