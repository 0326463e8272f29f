#' Write and read a brief
#'
#' A brief file is YAML with the keys that the R verbs use. Keys that are
#' left out have their defaults; kinds, task and seeds that are left out are settled when the table is read. Words are
#' never taken for anything else: a class called `no` or `010` stays one. Written and read again, a brief is identical
#' without the table.
#'
#' @section Data: `data` names one source: `file` (CSV and its kin, also `.gz`; Parquet; Excel, with `sheet`), where
#'   `separator`, `decimal` and `encoding` (`UTF-8` or `Latin-1`) are guessed unless they are given; `sqlite` (a file)
#'   with a `query`; or `postgres` (the name of a database) with a `query`, whose host, port, user and password come
#'   from the environment variables PGHOST, PGPORT, PGUSER and PGPASSWORD and never from the brief.
#' @param b A brief.
#' @param file A path.
#' @param text The YAML itself, in place of a file.
#' @param read Whether to read the table that `data` names, if it can be found.
#' @return `write_brief()` returns `b` invisibly; `read_brief()` a brief. With `read`, the brief carries the table
#'   that its `data` names, as far as the analysis looks at it; a relative path counts from the brief's folder.
#' @section Errors: Unknown keys are errors that name the nearest known one; values of the wrong type name their key.
#' @examples
#' file <- tempfile(fileext = ".yml")
#' brief(kilns, target = "outcome") |> wire("16 tanh") |> write_brief(file)
#' cat(readLines(file), sep = "\n")
#' read_brief(file)
#' @export
write_brief <- function(b, file) {
  write_whole(charToRaw(brief_yaml(b)), file)
  invisible(b)
}

#' @rdname write_brief
#' @export
read_brief <- function(file, text = NULL, read = TRUE) {
  if (is.null(text)) {
    check_file(file)
    check_no_table(file)
    text <- read_text(file)
  }
  said <- settle_settings(parse_yaml(text, if (missing(file)) "The brief" else file), brief_schema)
  b <- complete_brief(said)
  folder <- if (missing(file)) "." else dirname(file)
  # a file that is elsewhere may be given later; a database is asked
  if (read && !is.null(b$data) && source_is_there(b$data, folder)) read_brief_table(b, folder) else b
}

# A table in a brief's place is a first step too far.
check_no_table <- function(file) {
  if (!grepl("[.](csv|tsv|txt|parquet|xlsx?)([.]gz)?$", file, ignore.case = TRUE)) return()
  fail(
    sprintf("%s is a table; a brief, which says what is to be learned from it, comes first.", quoted(file)),
    sprintf(
      "Start one: hylomath brief %s --target COLUMN -o %s, or in R brief(\"%s\", target = ).", file,
      sub("[.][^/]*$", ".yml", basename(file)), file
    )
  )
}

# The brief with the table that its `data` names, as far as the analysis looks at it, and the columns `beside`.
read_brief_table <- function(b, folder, beside = NULL) {
  read <- read_source(b$data, folder, unlist(b$columns$kinds), except = unwanted_columns(b, beside))
  there <- attr(read, "columns")
  unknown <- setdiff(named_columns(b), there)
  if (length(unknown)) {
    fail(
      sprintf("The brief names the column %s, which its table doesn't have.", quoted(unknown[1])),
      suggestion(unknown[1], there)
    )
  }
  attr(read, "columns") <- NULL
  with_table(b, read)
}

brief_yaml <- function(b) {
  said <- brief_settings(b)
  with_values <- function(x) x[lengths(x) > 0]
  for (section in c("prepare", "regimen")) said[[section]] <- with_values(said[[section]])
  if (length(said$target) > 1) said$target <- as.list(said$target)
  said <- with_values(said)
  said$columns <- with_values(said$columns)
  yaml::as.yaml(rapply(said, yaml_scalars, how = "replace"), indent.mapping.sequence = TRUE)
}

# Numbers as the shortest text that reads back exactly; texts are left to the writer, which quotes the dangerous ones.
# A single class or dropped column is still written as a list.
yaml_scalars <- function(x) {
  if (is.numeric(x)) structure(format_each(x), class = "verbatim") else x
}

# Before anything is made of it: nothing that a brief has is as large, as deep, or stands for something said before.
check_yaml_size <- function(text, name) {
  text <- paste(text, collapse = "\n")
  if (nchar(text, "bytes") > 2e7) fail(sprintf("%s is too large to be a brief: it has more than 20 MB.", name))
  bytes <- charToRaw(text)
  opens <- bytes %in% charToRaw("[{")
  if (any(opens) && max(cumsum(opens - bytes %in% charToRaw("]}"))) > limit_of("depth")) {
    fail(sprintf("%s is nested too deep.", name), "Files of hylomath are smaller; see ?limits.")
  }
  node <- "(?m)(?:^\\s*|[:,\\[{-]\\s*)%s[[:alnum:]_]"
  there <- function(sign) lengths(regmatches(text, gregexpr(sprintf(node, sign), text, perl = TRUE, useBytes = TRUE)))
  if (there("&") > 0 && there("[*]") > 0) {
    what <- "%s has anchors and aliases (`&name`, `*name`), which a brief can't have."
    fail(sprintf(what, name), "Write out what they mean.")
  }
}

# Scalars come back as the text that stands in the file; the brief's schema says what they mean. Otherwise YAML 1.1
# would turn a class `no` into FALSE, `010` into 8 and `12:30` into 750.
parse_yaml <- function(text, name) {
  check_yaml_size(text, name)
  as_written <- c(
    "bool#yes", "bool#no", "int", "int#hex", "int#oct", "int#base60", "float", "float#fix", "float#exp", "float#base60",
    "float#inf", "float#neginf", "float#nan", "null", "timestamp", "timestamp#ymd", "timestamp#iso8601"
  )
  handlers <- stats::setNames(rep(list(function(x) x), length(as_written)), as_written)
  broken <- function(e) {
    hint <- "Look at the line it names: indentation and quotes are the usual reasons."
    fail(sprintf("%s is not YAML: %s", name, conditionMessage(e)), hint)
  }
  load <- function(text) yaml::yaml.load(text, handlers = handlers, eval.expr = FALSE)
  parsed <- tryCatch(load_long_yaml(text, load), error = broken, warning = broken)
  if (!is.list(parsed)) fail(sprintf("%s is not a brief: it holds no keys.", name))
  parsed
}

# What `load`, the YAML parser, makes of a text. It compares each key of a map with all keys before it, which takes
# minutes for a table of 50,000 columns. So a map of many plain lines is taken out, read in pieces and put back.
load_long_yaml <- function(text, load, most_keys = 500) {
  lines <- unlist(strsplit(text, "\n", fixed = TRUE))
  if (length(lines) <= most_keys) return(load(text))
  word <- "(?:[[:alnum:]_][^:#]*|\"[^\"\\\\]*\"|'[^']*')"
  plain <- grepl(sprintf("^ +%s: +%s$", word, word), lines, perl = TRUE)
  indent <- attr(regexpr("^ *", lines), "match.length")
  runs <- rle(paste(plain, indent))
  last <- cumsum(runs$lengths)
  first <- last - runs$lengths + 1
  # the whole of a map: below a key alone, and before a line further to the left
  whole <- plain[first] & runs$lengths > most_keys & grepl("^ *[^ #-].*:$", lines[pmax(first - 1, 1)]) &
    indent[first] > c(0, indent)[first] & indent[first] > c(indent, 0)[last + 1]
  if (!any(whole)) return(load(text))
  marks <- paste0("taken-out-", rlang::hash(text), "-", which(whole))
  maps <- lapply(which(whole), function(i) {
    rows <- seq(first[i], last[i])
    pieces <- split(lines[rows], (seq_along(rows) - 1) %/% most_keys)
    map <- unlist(lapply(unname(pieces), function(piece) load(paste(piece, collapse = "\n"))), recursive = FALSE)
    again <- anyDuplicated(names(map))
    if (again) stop(sprintf("Duplicate map key: '%s'", names(map)[again]))  # nolint: caught
    map
  })
  taken <- unlist(Map(seq, first[whole], last[whole]))
  lines[first[whole]] <- paste0(strrep(" ", indent[first[whole]]), marks)
  parsed <- load(paste(lines[-setdiff(taken, first[whole])], collapse = "\n"))
  put_back <- function(node) {
    if (is.list(node)) return(lapply(node, put_back))
    if (is_text(node, 1) && node %in% marks) maps[[match(node, marks)]] else node
  }
  put_back(parsed)
}

# ---- a brief as code -------------------------------------------------------------------------------------------------

#' A brief as an R script
#'
#' A script that runs as it stands, rebuilds the brief, reads the table that it names and trains: with the seeds that
#' stand in the brief it gives the same networks bit for bit.
#'
#' @param b A brief, or a model, whose brief is meant.
#' @param ... Not used.
#' @return A text. Where the brief names no table, the script says where to put one.
#' @section Errors: An object that is neither a brief nor a model.
#' @examples
#' code <- as_code(brief(kilns, target = "outcome") |> hold_out(seed = 1) |> regimen(seed = 2))
#' cat(code)
#' @export
as_code <- function(b, ...) UseMethod("as_code")

#' @export
as_code.hylomath_brief <- function(b, ...) {
  check_others(...)
  yaml <- brief_yaml(b)
  # a raw text ends where its dashes say, of which there are more than in the brief
  dashes <- max(0, attr(gregexpr("-+", yaml)[[1]], "match.length")) + 1
  fence <- strrep("-", dashes)
  table <- if (is.null(b$data)) "\n# the brief names no table: give the data frame that it was made for\ntable <- data"
  paste0(
    "library(hylomath)\n", table, "\nb <- read_brief(text = r\"", fence, "(", yaml, ")", fence, "\")\n\n",
    if (is.null(b$data)) "model <- train(b, data = table)\n" else "model <- train(b)\n"
  )
}

#' @export
as_code.hylomath_model <- function(b, ...) as_code(b$brief)

#' @export
as_code.default <- function(b, ...) wrong_object("as_code", "a brief or a model", b)
