# The rules of the house, read from the sources; nothing of the package is run. Prints what breaks a rule and fails, or
# says what stands. `Rscript tools/house.R`, and a test of `make test`.
#
#   no file of R/ uses a name of a file that uses one of its own, directly or around;
#   no name is defined twice, and none that nothing uses;
#   the core includes nothing of R, and its headers form no circle;
#   no line is longer than 120 characters;
#   fread() is called with `file =` alone: what it is given without a name it may take for a command or for data.

is_definition <- function(e) is.call(e) && as.character(e[[1]])[1] %in% c("<-", "=") && !is.call(e[[2]])
defined_name <- function(e) as.character(e[[2]])

# A file's top-level definitions, and every name that it uses.
read_source <- function(path) {
  expressions <- as.list(parse(path, keep.source = FALSE))
  bodies <- lapply(expressions, function(e) if (is_definition(e)) e[[3]] else e)
  list(
    defines = vapply(Filter(is_definition, expressions), defined_name, ""),
    uses = unique(unlist(lapply(bodies, used_names)))
  )
}

# What an expression calls, and the values that it names, but for parts (`x$name`) and variables of its own.
used_names <- function(e) {
  found <- list(called = character(), named = character(), own = character())
  is_empty <- function(x) is.symbol(x) && !nzchar(as.character(x))
  each <- function(inner) for (i in seq_along(inner)) if (!is_empty(inner[[i]])) walk(inner[[i]])
  walk <- function(e) {
    if (is.symbol(e)) found$named <<- c(found$named, as.character(e))
    if (is.pairlist(e)) {
      found$own <<- c(found$own, names(e))
      each(as.list(e))
    }
    if (!is.call(e)) return(invisible())
    head <- e[[1]]
    if (is.symbol(head)) found$called <<- c(found$called, as.character(head)) else walk(head)
    if (is_definition(e) && is.symbol(e[[2]]) || identical(head, quote(`for`))) {
      found$own <<- c(found$own, as.character(e[[2]]))
    }
    inner <- as.list(e)[-1]
    if (identical(head, quote(`$`)) || identical(head, quote(`@`))) inner <- inner[1]
    each(inner)
  }
  walk(e)
  c(found$called, setdiff(found$named, found$own))
}

# For each file the other files whose names it uses.
links_between <- function(sources) {
  defines <- lapply(sources, `[[`, "defines")
  home <- stats::setNames(rep(names(defines), lengths(defines)), unlist(defines))
  lapply(stats::setNames(names(sources), names(sources)), function(file) {
    setdiff(unique(home[intersect(sources[[file]]$uses, names(home))]), file)
  })
}

reached_from <- function(start, links) {
  seen <- character()
  ahead <- links[[start]]
  while (length(ahead)) {
    seen <- c(seen, ahead)
    ahead <- setdiff(unlist(links[ahead]), seen)
  }
  unique(seen)
}

on_a_circle <- function(links) Filter(function(file) file %in% reached_from(file, links), names(links))

exported_names <- function(file) {
  said <- as.list(parse(file, keep.source = FALSE))
  unlist(lapply(said, function(e) {
    words <- sub(".*::", "", vapply(as.list(e)[-1], deparse, ""))
    switch(as.character(e[[1]]), export = words, S3method = paste(words[1:2], collapse = "."))
  }))
}

unused_names <- function(sources, exported) {
  defined <- unlist(lapply(sources, `[[`, "defines"))
  used <- unlist(lapply(sources, `[[`, "uses"))
  setdiff(defined, c(used, exported, ".onLoad", ".onUnload"))
}

long_lines <- function(paths) {
  unlist(lapply(paths, function(path) {
    long <- which(nchar(readLines(path, warn = FALSE)) > 120)
    if (length(long)) sprintf("%s:%d", path, long)
  }))
}

# Places at which fread() is called with something that has no name.
nameless_fread <- function(paths) {
  calls_in <- function(e) {
    if (!is.call(e) && !is.pairlist(e)) return(list())
    own <- if (is.call(e) && any(c("fread", "data.table::fread") %in% deparse(e[[1]])[1])) list(e)
    c(own, unlist(lapply(as.list(e), calls_in), recursive = FALSE))
  }
  Filter(function(path) {
    calls <- unlist(lapply(as.list(parse(path, keep.source = FALSE)), calls_in), recursive = FALSE)
    any(vapply(calls, function(call) !"file" %in% names(call) || any(names(call)[-1] == ""), NA))
  }, paths)
}

# Links between the core's headers and sources by what they include.
core_links <- function(paths) {
  names <- basename(paths)
  links <- lapply(paths, function(path) {
    included <- grep("^#include \"", readLines(path, warn = FALSE), value = TRUE)
    intersect(sub(".*\"(.*)\".*", "\\1", included), names)
  })
  stats::setNames(links, names)
}

includes_r <- function(paths) {
  Filter(function(path) any(grepl("^#include [<\"](R[./_]|Rcpp|Rinternals)", readLines(path, warn = FALSE))), paths)
}

files_of <- function(folder, pattern) list.files(folder, pattern, full.names = TRUE)

broken_rules <- function() {
  r_files <- setdiff(files_of("R", "[.]R$"), "R/RcppExports.R")
  sources <- lapply(stats::setNames(r_files, basename(r_files)), read_source)
  links <- links_between(sources)
  defined <- unlist(lapply(sources, `[[`, "defines"))
  core <- files_of("src/core", "[.](cpp|hpp)$")
  written <- c(
    r_files, core, files_of("src/core/tests", "[.](cpp|hpp)$"),
    setdiff(files_of("src", "[.]cpp$"), "src/RcppExports.cpp"),
    files_of("tools", "[.](R|sh)$"), files_of("bench", "[.](R|cpp)$"), files_of("examples", "[.]R$"),
    files_of("data-raw", "[.]R$"), files_of("tests/testthat", "[.]R$"), "Makefile"
  )
  rules <- list(
    "Files on a circle" = on_a_circle(links),
    "Names defined twice" = unique(defined[duplicated(defined)]),
    "Names that nothing uses" = unused_names(sources, exported_names("NAMESPACE")),
    "Core files that include R" = includes_r(core),
    "Core headers on a circle" = on_a_circle(core_links(core)),
    "Files in which fread() is called without `file =`" = nameless_fread(r_files),
    "Lines over 120 characters" = long_lines(written)
  )
  Filter(length, rules)
}

broken <- broken_rules()
for (rule in names(broken)) cat(rule, ":\n", paste0("  ", broken[[rule]], "\n"), sep = "")
if (length(broken)) quit(status = 1)
cat("The house stands: no circle, no name twice or unused, no long line.\n")
