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
    number = function(x) sub("Inf", "Infinity", numbers_text(x), fixed = TRUE),
    call = function(op, arguments) sprintf("op.%s(%s)", op, paste(arguments, collapse = ", ")),
    step = function(text) paste("(c) =>", text)
  ), "arithmetic.js", "const derived = [", "]")
}

r_derived <- function(program) {
  derived_steps(program, list(
    cell = function(place) sprintf("c[[%d]]", as.integer(place)), missing = "NA", text = r_texts,
    number = numbers_text,
    call = function(op, arguments) sprintf("op$%s(%s)", op, paste(arguments, collapse = ", ")),
    step = function(text) paste("function(c)", text)
  ), "arithmetic.R", "derived <- list(", ")")
}
