# Formats whose readers are other packages' (Parquet, Excel) are read in a process apart, with bounds of memory and
# time: a file that is damaged or made to harm ends that process and not this one.

# Memory in bytes, that of R itself in it, and seconds of the processor that reading may take: more than a table of this
# size needs.
reading_room <- function(file) list(memory = 1e9 + 60 * file.size(file), seconds = 20 + file.size(file) / 5e5)

# What `reader(file, ...)` gives, or an error about the file. `reader` uses functions of other packages alone.
read_apart <- function(file, reader, ...) {
  room <- reading_room(file)
  environment(reader) <- globalenv()
  path <- normalizePath(file, mustWork = FALSE)
  work <- function(reader, path, more, room, confine) {
    get(confine, asNamespace("hylomath"))(room$memory, room$seconds)
    refused <- function(condition) list(refused = conditionMessage(condition))
    tryCatch(list(value = do.call(reader, c(list(path), more))), error = refused, warning = refused)
  }
  environment(work) <- globalenv()
  came <- tryCatch(
    callr::r(
      work, list(reader, path, list(...), room, "core_confine"), timeout = room$seconds + 20, spinner = FALSE,
      env = c(callr::rcmd_safe_env(), R_PROFILE_USER = nullfile())
    ),
    error = function(e) {
      fail(
        sprintf("%s can't be read: the process that reads it ended.", quoted(file)),
        "It is damaged, or needs far more memory or time than other files of its size."
      )
    }
  )
  if (is.null(came$refused)) return(came$value)
  if (is_out_of_memory(simpleError(came$refused)) || grepl("bad_alloc", came$refused, fixed = TRUE)) {
    fail(
      sprintf("%s can't be read: it asks for far more memory than other files of its size.", quoted(file)),
      "It is probably damaged."
    )
  }
  fail(sprintf("%s can't be read as a table: %s", quoted(file), first_sentence(simpleError(came$refused))))
}

# list(names, rows), of what can be read without the table itself.
parquet_columns <- function(file) {
  rlang::check_installed("nanoparquet", "to read Parquet files")
  read_apart(file, function(file) {
    schema <- nanoparquet::read_parquet_schema(file)
    list(names = schema$name[is.na(schema$num_children)], rows = nanoparquet::read_parquet_info(file)$num_rows)
  })
}

# The wanted columns that are there; all of them where `columns` is NULL.
read_parquet_table <- function(file, columns) {
  read_apart(file, function(file, columns) {
    schema <- nanoparquet::read_parquet_schema(file)
    if (!is.null(columns)) columns <- intersect(schema$name[is.na(schema$num_children)], columns)
    as.data.frame(nanoparquet::read_parquet(file, col_select = columns))
  }, columns = columns)
}

excel_sheets <- function(file) {
  rlang::check_installed("readxl", "to read Excel files")
  read_apart(file, function(file) readxl::excel_sheets(file))
}

# Without rows where `rows` is 0.
read_excel_table <- function(file, sheet, rows = Inf) {
  rlang::check_installed("readxl", "to read Excel files")
  table <- read_apart(file, function(file, sheet, rows) {
    as.data.frame(readxl::read_excel(
      file, sheet = sheet, n_max = rows, na = c("", "NA"), guess_max = 1e6, progress = FALSE, .name_repair = "minimal"
    ))
  }, sheet = sheet, rows = rows)
  # a workbook knows times alone: those at midnight throughout are dates
  at_midnight <- vapply(table, function(x) inherits(x, "POSIXct") && all(as.numeric(x) %% 86400 == 0, na.rm = TRUE), NA)
  change_columns(table, at_midnight & lengths(table) > 0, as.Date)
}
