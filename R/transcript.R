#' Transcribe a model into code that runs elsewhere
#'
#' Stand-alone code for the whole path from raw columns to predictions: missing values, scaling, encoding, the network
#' or networks, output, recalibration and decision. It needs nothing of R (but the one in R) and nothing of this
#' package.
#'
#' @param model A model.
#' @param to `"c"`, C99 without allocation and without anything but the C library: `transcript_cell()` reads a cell,
#'   `transcript_predict()` predicts a row; compiled with `-DTRANSCRIPT_MAIN` it is a program that predicts rows of
#'   cells, separated by tabs, from standard input. `"javascript"`, a module for Node and for browsers (there it is
#'   `transcript`): `predict(row)` takes an object of raw columns by name and gives one of predictions. `"r"`, base R
#'   alone: `predict(rows)` takes a data frame and gives one. `"sql"`, one query that reads a table and gives the key
#'   and the predictions of each of its rows; put `create view name as` before it for a view. `"page"`, a page for a
#'   browser with the JavaScript in it: a field for each column, with what training saw of it, and the prediction beside
#'   them.
#' @param table,key,dialect Of SQL: the table's name, the columns that name its rows (the brief's id if it is `NULL`;
#'   without one all that the network takes in), and whose SQL it is: `"standard"`, `"sqlite"` or `"postgres"`.
#' @param check Of SQL: whether the query predicts the made-up rows in place of a table, and gives one row: how many
#'   there are, and how far off the predictions are.
#' @param level The share of new rows that an interval is to hold which is put beside each number, as `low` and `high`:
#'   where there are calibration rows, and intervals have one width, or one ratio (see
#'   [predict()][predict.hylomath_model]). `NULL` for none.
#' @param ... Not used.
#' @return A text. In it stand 50 made-up rows (drawn within what training saw, with missing values, a level that it
#'   never saw, and the ends of what was seen) and the model's predictions for them; `check()` gives how far the code's
#'   own predictions are from these, as a share of what is allowed: 1e-5 of the prediction and the target's deviation
#'   (of probabilities, of 1). `node model.js`, and the program in C with `--check`, run it.
#' @section Errors: What a language can't say is refused by name: in SQL derived dates, in standard SQL what
#'   the standard has no function for, levels by their hash among it.
#' @examples
#' set.seed(1)
#' model <- brief(kilns, target = "outcome") |> wire("4 tanh") |> regimen(epochs = 5) |> quick() |>
#'   train(progress = "none")
#' code <- transcribe(model, to = "r")
#' here <- new.env()
#' eval(parse(text = code), here)
#' here$predict(head(kilns))
#' here$check()
#' @export
transcribe <- function(model, to, table = "rows", key = NULL, dialect = "standard", check = FALSE, level = NULL, ...) {
  UseMethod("transcribe")
}

#' @export
transcribe.hylomath_model <- function(model, to, table = "rows", key = NULL, dialect = "standard", check = FALSE,
                                      level = NULL, ...) {
  check_others(...)
  if (missing(to)) fail("Say what the model is to be transcribed `to`.", "It can be sql, c, javascript or r.")
  type_choice(transcript_targets())(to, "to")
  program <- transcript_program(model)
  if (!is.null(level)) program <- program_with_ends(program, model, level)
  program$check <- checked_rows(model, program)
  if (to == "page") return(form_page(model, responds_itself(transcript_in_javascript(program))))
  if (to != "sql" && check) fail(sprintf("`check` is for SQL; what is written in %s tests itself.", to))
  if (to != "sql") return(transcript_languages()[[to]](program))
  type_choice(sql_dialects)(dialect, "dialect")
  if (!is_text(table, 1)) fail(sprintf("`table` is the name of a table, not %s.", describe(table)))
  if (check) return(sql_check(program, dialect))
  transcript_in_sql(program, dialect, table, key %||% model$brief$columns$id %||% raw_names(program))
}

#' @export
transcribe.default <- function(model, ...) wrong_object("transcribe", "a model", model)

transcript_languages <- function() {
  list(sql = transcript_in_sql, c = transcript_in_c, javascript = transcript_in_javascript, r = transcript_in_r)
}

# The derived columns as functions of a row's cells, behind the arithmetic that they are made of.
derived_steps <- function(program, how, runtime, open, close) {
  if (length(program$derived) == 0) return(paste0(open, close))
  steps <- vapply(program$derived, function(derived) how$step(node_text(derived$node, how)), "")
  paste0(transcript_runtime(runtime), "\n\n", open, "\n  ", paste(steps, collapse = ",\n  "), "\n", close)
}

# What the other languages follow as data needs no trees.
without_nodes <- function(program) {
  if (length(program$derived)) program$derived <- lapply(program$derived, `[`, c("name", "text", "type"))
  program
}

transcript_targets <- function() c(names(transcript_languages()), "page")

transcript_in_javascript <- function(program) {
  how <- list(
    nothing = "null", missing = c("null", "null"), flags = c("true", "false"),
    numbers = function(text) sub("Inf", "Infinity", text, fixed = TRUE), texts = quoted_texts,
    array = function(values, atomic) {
      paste0("[", if (atomic) in_lines(values) else paste(values, collapse = ",\n"), "]")
    },
    # __proto__ as a plain key would be no key
    object = function(names, values) {
      keys <- ifelse(names == "__proto__", "[\"__proto__\"]", quoted_texts(names))
      paste0("{ ", paste0(keys, ": ", values, collapse = ", "), " }")
    }
  )
  by_row <- function(table) unname(lapply(seq_len(nrow(table)), function(i) lapply(as.list(table), `[`, i)))
  program$check[c("rows", "predictions")] <- lapply(program$check[c("rows", "predictions")], by_row)
  paste0(
    transcript_head(program, "//", "the language"), "\n\n\"use strict\";\n\nconst program = ",
    program_text(without_nodes(program), how), ";\n\n", js_derived(program), ";\n\n",
    transcript_runtime("javascript.js"), "\n"
  )
}

transcript_in_r <- function(program) {
  how <- list(
    nothing = "NULL", missing = c("NA_character_", "NA"), flags = c("TRUE", "FALSE"), numbers = identity,
    texts = r_texts,
    array = function(values, atomic) {
      if (!atomic) return(paste0("list(", paste(values, collapse = ",\n"), ")"))
      paste0("c(", in_lines(values), ")")
    },
    object = function(names, values) {
      # in a locale without its letters R would change the name of an argument, but not a text
      if (any(grepl("[^ -~]", names))) {
        return(sprintf("structure(list(%s), names = c(%s))", toString(values), in_lines(r_texts(names))))
      }
      named <- ifelse(make.names(names) == names, names, r_texts(names))
      paste0("list(", paste0(named, " = ", values, collapse = ", "), ")")
    }
  )
  checked <- c("rows", "predictions")
  program$check[checked] <- lapply(program$check[checked], function(t) lapply(as.list(t), I))
  paste0(
    transcript_head(program, "#", "base R"), "\n\nprogram <- ", program_text(without_nodes(program), how),
    "\n\n", r_derived(program), "\n\n", transcript_runtime("base.R"), "\n"
  )
}

# Texts as JSON writes them, without the escape that R does not know, and in ASCII: so they are the same in every
# locale, and R accepts those that change the direction of writing.
r_texts <- function(x) vapply(gsub("<\\/", "</", quoted_texts(x), fixed = TRUE), in_ascii, "", USE.NAMES = FALSE)

in_ascii <- function(text) {
  codes <- utf8ToInt(text)
  if (all(codes < 128)) return(text)
  escaped <- sprintf(ifelse(codes < 65536, "\\u%04x", "\\U%08x"), codes)
  paste(ifelse(codes < 128, intToUtf8(codes, multiple = TRUE), escaped), collapse = "")
}

js_derived <- function(program) {
  derived_steps(program, list(
    cell = function(place) sprintf("c[%d]", as.integer(place) - 1L), missing = "null", text = quoted_texts,
    number = function(x) sub("Inf", "Infinity", format_number(x), fixed = TRUE),
    call = function(op, arguments) sprintf("op.%s(%s)", op, paste(arguments, collapse = ", ")),
    step = function(text) paste("(c) =>", text)
  ), "arithmetic.js", "const derived = [", "]")
}

r_derived <- function(program) {
  derived_steps(program, list(
    cell = function(place) sprintf("c[[%d]]", as.integer(place)), missing = "NA", text = r_texts,
    number = format_number,
    call = function(op, arguments) sprintf("op$%s(%s)", op, paste(arguments, collapse = ", ")),
    step = function(text) paste("function(c)", text)
  ), "arithmetic.R", "derived <- list(", ")")
}

# ---- made-up rows ----------------------------------------------------------------------------------------------------

# Made-up rows for a transcript to prove itself by: drawn within what training saw, with missing values, a new level,
# extremes.

most_made_up <- 50

made_up_rows <- function(model, program) {
  plans <- model$predictor$preparation$columns
  names(plans) <- prepared_columns(model$predictor$preparation)
  derived <- names(model$predictor$preparation$rules$derived)
  draw <- function(column) uniform(most_made_up, training_seed(model), "made-up rows", column)
  columns <- lapply(seq_along(program$columns), function(i) {
    column <- program$columns[[i]]
    u <- draw(2 * i)
    if (i == program$exposure) return(0.5 + u)
    plan <- if (!column$name %in% derived) plans[[column$name]]
    if (is.null(plan)) made_up_of_type(column$type, u) else made_up_column(plan, u, draw(2 * i + 1))
  })
  names(columns) <- raw_names(program)
  as.data.frame(columns, optional = TRUE, stringsAsFactors = FALSE)
}

# Of a column of which no more is known.
made_up_of_type <- function(type, u) {
  switch(type,
    text = paste("made up", 1 + floor(3 * u)), date = as.Date("2020-01-01") + floor(u * 2000),
    time = as.POSIXct("2020-01-01", tz = "UTC") + floor(u * 2e8), flag = round(u), signif(10 * u, 4)
  )
}

# `u` draws values, `other` missing values and what is unusual. The first two rows are the ends of what was seen.
made_up_column <- function(plan, u, other) {
  x <- switch(plan$encoding,
    number = {
      inside <- plan$seen_low + u * (plan$seen_high - plan$seen_low)
      if (plan$kind == "flag") inside <- round(inside)
      c(plan$seen_low, plan$seen_high, signif(inside, 6)[-(1:2)])
    },
    date = made_up_of_type(plan_type(plan), u),
    {
      levels <- c(plan$levels, plan$rare, "never seen")
      levels[1 + floor(u * length(levels))]
    }
  )
  x[other < 0.06] <- NA
  x
}

# The rows as lists of cells, dates as texts, and the model's predictions for them.
checked_rows <- function(model, program) {
  rows <- rows_with_predictions(model, made_up_rows(model, program))
  predictions <- given_predictions(model$predictor, rows)
  bounds <- program$ends$bounds
  scale <- list(unit = if (isTRUE(program$ends$ratio)) "log" else "plain")
  for (i in seq_along(bounds)) {
    predictions <- cbind(predictions, as.data.frame(conformal_ends(scale, predictions, i, bounds[i])))
  }
  names(predictions) <- program$predictions
  dated <- vapply(rows, is_moment, NA)
  rows[dated] <- lapply(rows[dated], moment_text)
  list(rows = rows, predictions = predictions, spread = allowed_spread(model$predictor))
}

# Those of which every derived column is a number.
rows_with_predictions <- function(model, rows) {
  can <- function(rows) {
    tryCatch(is.data.frame(given_predictions(model$predictor, rows)), hylomath_error = function(e) FALSE)
  }
  if (can(rows)) return(rows)
  kept <- vapply(seq_len(nrow(rows)), function(i) can(rows[i, , drop = FALSE]), NA)
  if (!any(kept)) fail("No made-up row has a prediction: a derived column is not a number in any of them.")
  rows <- rows[kept, , drop = FALSE]
  rownames(rows) <- NULL
  rows
}

moment_text <- function(x) format(x, if (inherits(x, "Date")) "%Y-%m-%d" else "%Y-%m-%d %H:%M:%S")

# What a prediction may be off by is 1e-5 of it and of this: the target's deviation, of probabilities 1. The core's
# single precision is off by about 1e-7, which a steep curve of a recalibration makes more of.
allowed_spread <- function(predictor) {
  if (!has_classes(predictor$target)) return(max(predictor$preparation$target$scale))
  steepest <- vapply(predictor$recalibration$map$curves %||% list(), function(curve) {
    if (length(curve$score) < 2) 1 else max(diff(curve$level) / diff(curve$score), 1)
  }, 0)
  max(1, steepest / 100)
}

# ---- the check of SQL ------------------------------------------------------------------------------------------------

# A query by which a transcript in SQL proves itself.

# The query over the made-up rows: how many there are, and how far the predictions are from the model's, as a share of
# what is allowed; below 1 all is well.
sql_check <- function(program, dialect) {
  out <- sql_writer(dialect)
  predictions <- program$check$predictions
  told <- columns_named("told", ncol(predictions))
  from <- sprintf("(\n%s\n) as made_up", sql_made_up(program, dialect, told))
  sql_query(out, program, from, told)
  numbers <- vapply(predictions, is.numeric, NA)
  values <- if (is.null(program$classes)) columns_named("a", length(predictions)) else {
    c("a0", columns_named("a", length(predictions) - 1))
  }
  keys <- columns_named("k", length(told))
  apart <- ifelse(
    numbers, sprintf("abs(%s - %s) / (1e-5 * (abs(%s) + %s))", values, keys, keys, sql_number(program$check$spread)),
    sprintf("case when %s = %s then 0e0 else 2e0 end", values, keys)
  )
  off <- sprintf(
    "case when %s is null and %s is null then 0e0 when %s is null or %s is null then 2e0 else %s end", values, keys,
    values, keys, apart
  )
  out$stage(c(off = sql_greatest(out, off)), note = "How far each prediction is off.")
  columns <- c("count(*) as \"rows\"", "max(off) as \"off\"")
  paste0(sql_head(program, dialect, "of made-up rows"), "\n", out$query(columns), ";\n")
}

sql_made_up <- function(program, dialect, told) {
  rows <- program$check$rows[raw_names(program)]
  as_type <- function(x, type) sprintf("cast(%s as %s)", ifelse(is.na(x), "null", x), type)
  moment <- function(type) if (dialect == "sqlite") "text" else type
  cells <- Map(function(x, column) {
    switch(column$type,
      number = , flag = as_type(sql_number(as.numeric(x)), "double precision"),
      text = as_type(sql_text(as.character(x)), sql_type(dialect)),
      date = as_type(sql_text(as.character(x)), moment("date")),
      as_type(sql_text(as.character(x)), moment("timestamp"))
    )
  }, rows, program$columns)
  cells <- Map(function(text, x) ifelse(is.na(x), sub("\\((.*) as ([a-z0-9() ]+)\\)$", "(null as \\2)", text), text),
    cells, rows)
  predictions <- lapply(program$check$predictions, function(x) {
    if (is.numeric(x)) as_type(ifelse(is.na(x), NA, sql_number(x)), "double precision") else {
      as_type(ifelse(is.na(x), NA, sql_text(x)), sql_type(dialect))
    }
  })
  all <- c(cells, predictions)
  names <- sql_name(c(names(rows), told))
  lines <- vapply(seq_len(nrow(rows)), function(i) {
    values <- vapply(all, `[`, "", i)
    paste("  select", paste(if (i == 1) paste(values, "as", names) else values, collapse = ", "))
  }, "")
  paste(lines, collapse = " union all\n")
}
