# Stored tables: a folder with a file for each column, for tables that are larger than memory. The columns are mapped,
# not read: R has vectors of them whose values come from disk as they are looked at. Those of texts and flags are gone
# through once, so that no value stands for what isn't there.
#
# `table.json` says what there is: {format, format_version, rows, hash, columns: [{name, type, levels}], left_out}. The
# n-th column's values are in the file `n`, little-endian: doubles for the types `real`, `date` (days since 1970) and
# `time` (seconds, UTC), 32-bit integers for `flag` (0, 1) and `text`, whose values are places among the texts of the
# JSON array in `n.json`. Missing are R's NA, the smallest integer.

is_table_folder <- function(path) dir.exists(path) && file.exists(file.path(path, "table.json"))

is_stored <- function(table) !is.null(attr(table, "stored"))

# The folder that large files of a session are in; the option `hylomath.cache` names another one.
cache_folder <- function() {
  folder <- getOption("hylomath.cache")
  if (is.null(folder) || isFALSE(folder)) tempdir() else path.expand(folder)
}

# A data frame of mapped columns, all of them or the wanted ones. Its attribute `stored` is list(folder, hash) where it
# has all of them.
open_table_folder <- function(folder, columns = NULL) {
  manifest <- table_manifest(folder)
  names <- vapply(manifest$columns, `[[`, "", "name")
  wanted <- if (is.null(columns)) seq_along(names) else which(names %in% columns)
  values <- lapply(wanted, function(i) mapped_column(folder, i, manifest))
  table <- structure(
    stats::setNames(values, names[wanted]), class = "data.frame", row.names = .set_row_names(manifest$rows)
  )
  if (length(wanted) == length(names)) attr(table, "stored") <- list(folder = folder, hash = manifest$hash)
  table
}

table_manifest <- function(folder) {
  broken <- function(...) fail(sprintf("%s is a folder, and no stored table.", quoted(folder)), "Store it again.")
  manifest <- said_by_others(parse_document(read_text(file.path(folder, "table.json")), quoted(folder)), broken)
  if (!is.list(manifest) || !identical(manifest$format, "hylomath table")) broken()
  if (!identical(manifest$format_version, 1L)) {
    fail(sprintf("%s was stored by another version of hylomath.", quoted(folder)), "Store it again.")
  }
  rows <- as_one_number(manifest$rows)
  counted <- isTRUE(rows >= 1 && rows < 2^31 && rows == round(rows))
  typed <- vapply(manifest$columns, function(column) {
    is.list(column) && is_text(column[["name"]], 1) && is_text(column[["type"]], 1) &&
      column[["type"]] %in% names(stored_types)
  }, NA)
  if (!counted || !is_text(manifest$hash, 1) || length(typed) == 0 || !all(typed)) broken()
  manifest$rows <- as.integer(rows)
  manifest
}

# By type how a column lies in its file, and the attributes of its vector.
stored_types <- list(
  real = list(as = "real"), flag = list(as = "flag"), text = list(as = "whole", class = c("hylomath_text", "factor")),
  date = list(as = "real", class = "Date"), time = list(as = "real", class = c("POSIXct", "POSIXt"), tzone = "UTC")
)

bytes_of_stored <- c(real = 8, flag = 4, whole = 4)

mapped_column <- function(folder, i, manifest) {
  type <- stored_types[[manifest$columns[[i]]$type]]
  file <- file.path(folder, i)
  if (!isTRUE(file.size(file) == manifest$rows * bytes_of_stored[[type$as]])) {
    fail_damaged(folder, sprintf("%d has another length", i))
  }
  attributes <- type[setdiff(names(type), "as")]
  if (manifest$columns[[i]]$type == "text") attributes <- c(list(levels = stored_levels(folder, i)), attributes)
  column <- core_mapped_column(path.expand(file), type$as, attributes)
  if (is.null(column)) fail_damaged(folder, sprintf("%d holds what no value stands for", i))
  column
}

stored_levels <- function(folder, i) {
  text <- read_text(file.path(folder, paste0(i, ".json")))
  levels <- tryCatch(unlist(parse_json_text(text)), error = function(e) NULL)
  if (length(levels) == 0 && identical(trimws(text), "[]")) return(character())
  if (!is.character(levels) || anyDuplicated(levels)) {
    fail_damaged(folder, sprintf("%d.json holds no texts", i))
  }
  levels
}

fail_damaged <- function(folder, what) {
  fail(sprintf("The stored table %s is damaged: its file %s.", quoted(folder), what), "Store it again.")
}

# Rows that were taken out of a stored table, as any other table has them.
as_text_columns <- function(table) {
  stored <- vapply(table, inherits, NA, "hylomath_text")
  table[stored] <- lapply(table[stored], as.character)
  table
}

# R keeps what it no longer needs until it wants the room itself. Of vectors along many rows that is too late: the
# core's room isn't R's, and the system's isn't either.
make_room <- function(rows) if (rows > many_rows) invisible(gc(full = TRUE))

many_rows <- 1e6

# So many rows of a table are gone through at a time.
rows_at_a_time <- 2e5

# A function that gives the numbers of the next rows of n, NULL at the end; with `share` what share of them was given.
next_rows_of <- function(n) {
  done <- 0
  function(share = FALSE) {
    if (share) return(done / n)
    if (done >= n) return(NULL)
    rows <- seq(done + 1, min(done + rows_at_a_time, n))
    done <<- done + length(rows)
    rows
  }
}

split_in_blocks <- function(rows) {
  lapply(seq(1, max(1, length(rows)), by = rows_at_a_time), function(from) {
    rows[seq(from, length.out = max(0, min(rows_at_a_time, length(rows) - from + 1)))]
  })
}
