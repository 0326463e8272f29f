# Installs the packages that DESCRIPTION names and this machine lacks: Debian's prebuilt ones where there is apt and the
# right to use it, otherwise from the repositories that R is set up with, into the user's library.
# With the argument `test` also what only tests need; with `style` what R's style and the spelling are checked by, with
# `check` the core's linters; with `document` what makes the help pages; with `bench` the BLAS to measure against; with
# `hard` servers to test against, other compilers, emulators and valgrind.
asked <- commandArgs(TRUE)
needed <- c(test = "Suggests", style = "Config/Needs/check", document = "Config/Needs/document")
needed <- c("Imports", "LinkingTo", "Config/Needs/demo", needed[intersect(asked, names(needed))])
fields <- read.dcf("DESCRIPTION", unname(needed))
wanted <- unique(trimws(gsub("\\(.*?\\)", "", unlist(strsplit(fields, ",")))))
lacking <- function() setdiff(wanted, rownames(utils::installed.packages()))

# Debian's packages that hold no R: each with what shows that it is there.
others <- list(
  test = list(sqlite3 = Sys.which("sqlite3")),
  check = list("clang-format" = Sys.which("clang-format"), "clang-tidy" = Sys.which("clang-tidy")),
  hard = list(
    postgresql = Sys.glob("/usr/lib/postgresql/*/bin/initdb"), "openssh-server" = Sys.which("sshd"),
    "openssh-client" = Sys.which("ssh"), zsh = Sys.which("zsh"), fish = Sys.which("fish"),
    "slurm-wlm" = Sys.which("slurmctld"), munge = Sys.which("munged"),
    clang = Sys.which("clang++"),
    "libclang-rt-14-dev" = Sys.glob("/usr/lib/llvm-*/lib/clang/*/lib/linux/libclang_rt.fuzzer*"),
    chromium = Sys.which("chromium"),
    valgrind = Sys.which("valgrind"), "g++-mingw-w64-x86-64-posix" = Sys.which("x86_64-w64-mingw32-g++-posix"),
    "g++-aarch64-linux-gnu" = Sys.which("aarch64-linux-gnu-g++"), "qemu-user" = Sys.which("qemu-aarch64")
  ),
  bench = list("libopenblas-dev" = Sys.glob("/usr/include/*/openblas*/cblas.h"))
)
others <- unlist(lapply(unname(others[asked]), function(set) names(Filter(function(at) !any(nzchar(at)), set))))

# what drives a browser in tests of the desk
if ("hard" %in% asked && nzchar(Sys.which("npm")) && !dir.exists(".build/node_modules/puppeteer-core")) {
  system2("npm", c("install", "--silent", "--prefix", ".build", "puppeteer-core", "axe-core"), stdout = FALSE)
}

missing <- lacking()
if (length(missing) + length(others) == 0) quit(status = 0)
cat("Installing", paste(c(missing, others), collapse = ", "), "...\n")

as_root <- .Platform$OS.type == "unix" && identical(system("id -u", intern = TRUE), "0")
if (as_root && nzchar(Sys.which("apt-get"))) {
  packages <- c(if (length(missing)) paste0("r-cran-", tolower(missing)), others)
  run <- function(...) system2("apt-get", c(...), env = "DEBIAN_FRONTEND=noninteractive", stdout = FALSE)
  shown <- function(package) suppressWarnings(system2("apt-cache", c("show", package), stdout = TRUE, stderr = FALSE))
  run("update", "-qq")
  known <- vapply(packages, function(p) length(shown(p)) > 0, NA)
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
  # what a dependency's compiler says is kept aside, and shown only when the package can't be installed
  logs <- file.path(".build", "dependencies")
  dir.create(logs, recursive = TRUE, showWarnings = FALSE)
  utils::install.packages(missing, quiet = TRUE, keep_outputs = logs)
}

missing <- lacking()
if (length(missing)) {
  for (log in file.path(logs, paste0(missing, ".out"))) if (file.exists(log)) cat(readLines(log), sep = "\n")
  stop("These packages could not be installed: ", paste(missing, collapse = ", "), call. = FALSE)
}
