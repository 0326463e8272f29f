#' Limits
#'
#' What is read is bounded, so that a broken or hostile file costs little. Who means it raises a limit by its option,
#' such as `options(hylomath.most_columns = 1e6)`, or for the command by an environment variable of that name in
#' capitals, such as `HYLOMATH_MOST_COLUMNS=1e6`.
#'
#' | option | default | what it bounds |
#' | --- | --- | --- |
#' | `hylomath.most_columns` | 100,000 | columns of a table |
#' | `hylomath.most_cells` | 1,000,000,000 | cells of a Parquet file; a text file has fewer cells than bytes |
#' | `hylomath.most_query_cells` | 10,000,000 | cells of a query to SQLite, or ten a byte of its file if that is more |
#' | `hylomath.most_table_bytes` | 20,000,000,000 | bytes of a table of text, once it is decompressed |
#' | `hylomath.most_encoded_bytes` | 8,000,000,000 | encoded rows that are kept in memory; more lie on disk |
#' | `hylomath.most_block_bytes` | 32,000,000 | bytes of text that [store_table()] has in memory at a time |
#' | `hylomath.most_texts` | 1,000,000 | different texts of a column of a stored table |
#' | `hylomath.most_bytes` | 200,000,000 | bytes of a model, a brief or a kept result, once they are decompressed |
#' | `hylomath.most_values` | 4,000,000 | single values of such a document; numbers in a row are kept as one |
#' | `hylomath.most_depth` | 200 | how deep its values lie within one another |
#' | `hylomath.most_parameters` | 100,000,000 | weights and biases of a network |
#' | `hylomath.most_terms` | 5,000 | terms of an expression, beside constants that are looked up in |
#' | `hylomath.most_layers` | 100 | layers of a network |
#' | `hylomath.most_desk_bytes` | 2,000,000,000 | bytes of a file that is dropped on a desk |
#'
#' A service bounds bytes, rows, seconds and waiting requests by arguments of its own, see [serve_model()].
#' @name limits
NULL

limit_defaults <- c(
  columns = 1e5, cells = 1e9, query_cells = 1e7, table_bytes = 2e10, encoded_bytes = 8e9, block_bytes = 3.2e7,
  texts = 1e6, bytes = 2e8, values = 4e6, depth = 200, parameters = 1e8, terms = 5000, layers = 100,
  desk_bytes = 2e9
)

limit_of <- function(what) {
  name <- paste0("hylomath.most_", what)
  said <- Sys.getenv(toupper(gsub(".", "_", name, fixed = TRUE)), NA)
  value <- getOption(name) %||% if (is.na(said)) limit_defaults[[what]] else said
  type_limit()(value, name)
}

# `holder` begins the sentence: "`big.csv` has".
check_limit <- function(count, what, holder) {
  most <- limit_of(what)
  if (count <= most) return(invisible())
  unit <- sub("^.*_", "", what)
  fail(
    sprintf("%s %s %s; the limit is %s.", holder, format_count(count), unit, format_count(most)),
    sprintf("If that is meant, raise it: options(hylomath.most_%s = ...), see ?limits.", what)
  )
}

# ---- threads ---------------------------------------------------------------------------------------------------------

# How many threads the core is given: the option `hylomath.threads`, else all cores. No result depends on it.

# Counting cores starts a process, so they are counted once.
core_count <- local({
  counted <- NULL
  function() {
    if (is.null(counted)) counted <<- max(1L, parallel::detectCores(), na.rm = TRUE)
    counted
  }
})

# More threads than this many times the cores only stand in each other's way.
most_threads_a_core <- 4

thread_count <- function() {
  asked <- getOption("hylomath.threads") %||% core_count()
  if (!is.numeric(asked) || length(asked) != 1 || is.na(asked) || asked < 1 || asked != round(asked)) {
    fail(
      sprintf("The option `hylomath.threads` must be a whole number from 1, not %s.", describe(asked)),
      "Set it back: options(hylomath.threads = NULL) takes all cores."
    )
  }
  as.integer(min(asked, most_threads_a_core * core_count()))
}
