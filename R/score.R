#' Score a table of any size
#'
#' Puts a model's predictions beside the rows of a file or of a database's query, block by block: what is held in memory
#' at a time doesn't grow with the table. Order and cells of the rows stay as they are.
#'
#' @section Files: Text files (CSV and its kin, also `.gz`) are read and written in blocks; each row is written as it
#'   stands, in the separator and decimal mark of its file, with the predictions behind it. Parquet and Excel files are
#'   read whole. What is written is text, or Parquet where `into` ends so. A file is written whole or not at all. `"-"`
#'   stands for standard input and standard output.
#' @section Databases: The rows of `query` are taken in the order of the column `key`, which must be unique and without
#'   missing values, and their predictions put into `table`, which is made if it isn't there: the key, the predictions,
#'   and `network`, the network's identity. Each block is one transaction. A scoring that was broken off goes on behind
#'   the last key that is in `table`, so that no row is predicted twice and none is left out; a table that holds the
#'   predictions of another network is refused. Host, port, user and password of PostgreSQL come from the environment,
#'   see [read_brief()].
#' @param model A model.
#' @param from The rows: a path, `"-"`, or a database with a query, `list(sqlite = path, query = )` or
#'   `list(postgres = name, query = )`.
#' @param into Where the predictions go: a path, `"-"`, or for rows of a database a table of it, `list(table = name)`;
#'   or `NULL` to try the whole and write nothing.
#' @param type,level,bad_cells,shares,flags,identity,prefix See [predict()][predict.hylomath_model] and
#'   [augment()][augment.hylomath_model].
#' @param key The column that names each row of a query.
#' @param block So many rows (of a database), or so many bytes (of a text file, 16 MB if it is `NULL`), are taken at a
#'   time.
#' @param progress See [train()]; events are `"scored"`, with `rows` done and, where it is known, the `share` of all.
#' @return A list, invisibly: `rows` predicted, `columns` added, `bad_cells` that were taken for missing, by column, and
#'   `unusual`, how the rows differ from those of training (`columns` as in [unusual_rows()], and in how many `rows`).
#' @section Errors: Those of [predict()][predict.hylomath_model], with the row where they are found; in a file that is
#'   written nothing is then left.
#' @examples
#' set.seed(1)
#' model <- brief(kilns, target = "outcome") |> quick() |> regimen(epochs = 5) |> train(progress = "none")
#' new <- tempfile(fileext = ".csv")
#' write.csv(head(kilns, 100), new, row.names = FALSE)
#' scored <- tempfile(fileext = ".csv")
#' score_table(model, new, scored, flags = TRUE)
#' readLines(scored, 3)
#' @export
score_table <- function(model, from, into, type = "auto", level = 0.9, bad_cells = "refuse", shares = NULL,
                        flags = FALSE, identity = FALSE, prefix = "", key = NULL, block = NULL, progress = "auto") {
  check_model(model)
  type_choice(ways_with_bad_cells)(bad_cells, "bad_cells")
  how <- list(
    type = type, level = level, bad_cells = bad_cells, shares = shares, flags = flags, identity = identity,
    prefix = prefix
  )
  if (!is.null(block)) type_number(1, 1e9, whole = TRUE)(block, "block")
  report <- reporter(progress)
  if (is.list(from)) return(invisible(score_database(model, from, into, how, key, block %||% 50000, report)))
  if (!is_text(from, 1)) fail(sprintf("`from` is a path or a database's query, not %s.", describe(from)))
  if (!is.null(key)) fail("`key` is for databases; rows of a file keep their order.")
  invisible(score_file(model, from, into, how, block %||% 2^24, report))
}
