# Tables that leave for a file.

write_table <- function(table, file) {
  if (file_kind(file) == "parquet") {
    rlang::check_installed("nanoparquet", "to write Parquet files")
    return(replace_whole(file, function(part) nanoparquet::write_parquet(table, part)))
  }
  if (file_kind(file) == "excel") return(write_spreadsheet(table, file))
  rlang::check_installed("data.table", "to write CSV files")
  table <- with_exact_numbers(cells_to_write(table))
  replace_whole(file, function(part) data.table::fwrite(table, part, dateTimeAs = "ISO"))
}

# With the shortest digits that are read as the same bits: fifteen, as fwrite() has them, are too few for some numbers.
with_exact_numbers <- function(table) {
  inexact <- vapply(table, function(x) is.double(x) && !is.object(x) && any(x != signif(x, 15), na.rm = TRUE), NA)
  table[inexact] <- lapply(table[inexact], function(x) ifelse(is.na(x), NA, core_shortest_texts(x)))
  table
}

# What a sheet holds.
most_sheet_rows <- 1048575

write_spreadsheet <- function(table, file) {
  check_spreadsheet(file)
  if (nrow(table) > most_sheet_rows) {
    what <- "An Excel sheet holds %s rows; there are %s."
    what <- sprintf(what, format_count(most_sheet_rows), format_count(nrow(table)))
    fail(what, "Write a file that ends in .csv or .parquet.")
  }
  # Excel's own types: texts that begin like formulas stay texts
  replace_whole(file, function(part) writexl::write_xlsx(table, part, format_headers = FALSE))
}

check_spreadsheet <- function(file) {
  if (grepl("[.]xls$", file, ignore.case = TRUE)) {
    hint <- "Give it the ending .xlsx, .csv or .parquet."
    fail(sprintf("%s would be a file of Excel before 2007.", quoted(file)), hint)
  }
  rlang::check_installed("writexl", "to write Excel files")
}

csv_bytes <- function(table, header, dialect = list(separator = ",", decimal = ".")) {
  path <- tempfile(fileext = ".csv")
  on.exit(unlink(path))
  data.table::fwrite(
    cells_to_write(table), path, col.names = header, sep = dialect$separator, dec = dialect$decimal, dateTimeAs = "ISO",
    nThread = thread_count()
  )
  readBin(path, "raw", file.size(path))
}

#' Cells that a spreadsheet takes for formulas
#'
#' A spreadsheet runs a text that begins with `=`, `+`, `-`, `@`, a tab or a carriage return as a formula when it opens
#' a CSV file, and whoever gave a row its name or level can make it do so. hylomath writes cells as they are, because a
#' table that is read again has to be the same table. A file that is meant for a spreadsheet is written with
#' `options(hylomath.spreadsheet = TRUE)`, or the command's `--spreadsheet`: such texts, names of columns among them,
#' then have an apostrophe before them, by which a spreadsheet shows them as they are. Numbers stay numbers, negative
#' ones and those with a decimal comma too.
#'
#' @section Where it holds: Every CSV file or text that a verb writes, the cells that [score_table()] copies among
#'   them; not Parquet files, databases, JSON and pages, which no spreadsheet takes for formulas.
#' @examples
#' model <- brief(kilns[1:300, ], target = "outcome") |> quick() |> regimen(epochs = 2) |> train(progress = "none")
#' rows <- transform(kilns[1:2, ], remarks = c("=1+1", "sound"))
#' from <- tempfile(fileext = ".csv")
#' into <- tempfile(fileext = ".csv")
#' utils::write.csv(rows, from, row.names = FALSE)
#' options(hylomath.spreadsheet = TRUE)
#' score_table(model, from, into)
#' utils::read.csv(into)$remarks
#' options(hylomath.spreadsheet = NULL)
#' @name spreadsheets
NULL

for_spreadsheet <- function() isTRUE(getOption("hylomath.spreadsheet"))

cells_to_write <- function(table) {
  if (!for_spreadsheet()) return(table)
  is_text <- vapply(table, function(column) is.character(column) || is.factor(column), NA)
  table[is_text] <- lapply(table[is_text], function(column) no_formula(as.character(column)))
  names(table) <- no_formula(names(table))
  table
}

# The texts with an apostrophe before those that are formulas and no numbers.
no_formula <- function(texts) {
  suspect <- grepl("^[=+@\t\r-]", texts)
  if (!any(suspect)) return(texts)
  suspect[suspect] <- !grepl("^[+-]?([0-9]+[.,]?[0-9]*|[.,][0-9]+)([eE][+-]?[0-9]+)?$", texts[suspect])
  ifelse(suspect, paste0("'", texts), texts)
}
