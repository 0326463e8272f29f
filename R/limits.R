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
#'
#' A service bounds bytes, rows, seconds and waiting requests by arguments of its own, see [serve_model()].
#' @name limits
NULL

limit_defaults <- c(
  columns = 1e5, cells = 1e9, query_cells = 1e7, table_bytes = 2e10, encoded_bytes = 8e9, block_bytes = 3.2e7,
  texts = 1e6, bytes = 2e8, values = 4e6, depth = 200, parameters = 1e8, terms = 5000, layers = 100
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
