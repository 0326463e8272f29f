# What can be done at a desk: each kind of sheet as data, see sheet_kind(). What is shown as a sheet's code is what is
# run: there is no other way from a click to a result.

#' @include desk-folder.R desk-sheets.R setting.R
NULL

# `calls` and `command` are functions of what sheet_parts() gives: the calls of R that do it in the desk's folder, whose
# last value is shown, and the same as a command, NULL where there is none. `page` makes of the value what is shown, see
# desk-sheets.R. `asks` are the types of its settings; `long` is whether it may take long, so that it waits for its
# turn; `from` is what it begins with, a `"brief"` of its own or the `"model"` of a former sheet; `leaves` gives the
# place of the file that it leaves for the user.
sheet_kind <- function(title, calls, command, page, from = "model", asks = list(), long = FALSE,
                       leaves = function(sheet) NULL) {
  list(
    title = title, calls = calls, command = command, page = page, from = from, asks = asks, long = long, leaves = leaves
  )
}

# A search or comparison of briefs, whose result is kept by write_result().
kept_result_kind <- function(title, call, command, page, asks = list()) {
  sheet_kind(
    title, from = "brief", long = TRUE, page = page, asks = asks, leaves = result_place,
    calls = function(s) {
      list(
        bquote(.(s$brief) <- read_brief(.(s$brief_file))), bquote(.(s$result) <- .(call(s))),
        bquote(write_result(.(s$result), .(s$result_file)))
      )
    },
    command = function(s) shell_line(command(s), "--keep", s$result_file)
  )
}

# ---- what settings of sheets can be ----------------------------------------------------------------------------------

# A setting of the brief, and no other argument of the verb.
type_varied <- function(value, key) {
  value <- type_text()(value, key)
  if (value != "rows" && !is_wiring_setting(value)) setting_path(value)
  value
}

# A file below the desk's folder.
type_inside <- function(value, key) {
  value <- type_text()(value, key)
  if (is_absolute(value) || ".." %in% strsplit(value, "[/\\\\]")[[1]]) {
    fail(sprintf("%s must be a file of the desk's folder, not %s.", quoted(key), describe(value)))
  }
  value
}

# ---- the kinds -------------------------------------------------------------------------------------------------------

desk_kinds <- list(
  train = sheet_kind(
    "Training", from = "brief", long = TRUE, page = sheet_of_model, leaves = model_place,
    calls = function(s) {
      list(
        bquote(.(s$brief) <- read_brief(.(s$brief_file))), bquote(.(s$model) <- train(.(s$brief))),
        bquote(write_model(.(s$model), .(s$model_file)))
      )
    },
    command = function(s) shell_line("train", s$brief_file, "-o", s$model_file)
  ),
  rule = sheet_kind(
    "Rule", page = sheet_of_rule, leaves = model_place,
    asks = list(threshold = type_number(0, 1), miss = type_number(0, open_low = TRUE), class = type_text()),
    calls = function(s) {
      decided <- as.call(c(list(quote(decide), s$of), s$asks))
      list(bquote(.(s$model) <- .(decided)), bquote(write_model(.(s$model), .(s$model_file))))
    },
    command = function(s) {
      by <- intersect(c("threshold", "miss"), names(s$asks))
      rule <- c(paste0("--", by), format_number(s$asks[[by]]))
      shell_line("decide", s$of_file, rule, "--class", s$asks$class, "-o", s$model_file)
    }
  ),
  compare = sheet_kind(
    "Comparison", page = sheet_of_report,
    calls = function(s) list(as.call(c(list(quote(lineup)), s$all_of))),
    command = function(s) shell_line("lineup", s$all_files)
  ),
  importance = sheet_kind(
    "Importance", long = TRUE, page = sheet_of_importance,
    calls = function(s) list(bquote(importance(.(s$of), .(s$table)))),
    command = function(s) on_table(s, "importance")
  ),
  effect = sheet_kind(
    "Effect", asks = list(input = type_text()), page = sheet_of_effect,
    calls = function(s) list(bquote(effect_of(.(s$of), .(s$table), .(s$asks$input)))),
    command = function(s) on_table(s, "effect", "--input", s$asks$input)
  ),
  row = sheet_kind(
    "One row", asks = list(row = type_text()), page = sheet_of_row,
    calls = function(s) list(bquote(contributions(.(s$of), .(s$table), .(s$asks$row)))),
    command = function(s) on_table(s, "contributions", "--row", s$asks$row)
  ),
  "try-row" = sheet_kind(
    "Row tried", page = sheet_of_tried_row,
    asks = list(row = type_text(), columns = type_texts(), values = type_texts()),
    calls = function(s) {
      values <- as.call(c(list(quote(list)), stats::setNames(as.list(s$asks$values), s$asks$columns)))
      list(bquote(try_row(.(s$of), .(s$table), .(s$asks$row), .(values))))
    },
    command = function(s) {
      on_table(s, "try-row", paste0(s$asks$columns, "=", s$asks$values), "--row", s$asks$row)
    }
  ),
  subgroups = sheet_kind(
    "Subgroups", asks = list(column = type_text()), page = sheet_of_appraisal,
    calls = function(s) list(bquote(appraise(.(s$of), .(s$rows), rows = "test", by = .(s$asks$column)))),
    command = function(s) on_table(s, "appraise", "--rows", "test", "--by", s$asks$column)
  ),
  vary = kept_result_kind(
    "One setting", asks = list(setting = type_varied, values = type_texts()), page = sheet_of_variation,
    call = function(s) {
      values <- list(utils::type.convert(s$asks$values, as.is = TRUE))
      as.call(c(list(quote(vary), s$brief), stats::setNames(values, s$asks$setting)))
    },
    command = function(s) {
      c("vary", s$brief_file, sprintf("%s=%s", s$asks$setting, paste(s$asks$values, collapse = ",")))
    }
  ),
  folds = kept_result_kind(
    "Folds", page = sheet_of_report, call = function(s) bquote(folds(.(s$brief))),
    command = function(s) c("folds", s$brief_file)
  ),
  more_rows = kept_result_kind(
    "More rows", page = sheet_of_report, call = function(s) bquote(more_rows(.(s$brief))),
    command = function(s) c("more-rows", s$brief_file)
  ),
  sift = kept_result_kind(
    "Fewer inputs", page = sheet_of_sifting, call = function(s) bquote(sift(.(s$brief))),
    command = function(s) c("sift", s$brief_file)
  ),
  scout = sheet_kind(
    "Search", from = "brief", long = TRUE, page = sheet_of_search, leaves = search_place,
    asks = list(budget = type_count(1000, from = 2)),
    calls = function(s) {
      list(
        bquote(.(s$brief) <- read_brief(.(s$brief_file))),
        bquote(.(s$result) <- scout(.(s$brief), budget = .(s$asks$budget), file = .(s$search_file)))
      )
    },
    command = function(s) {
      shell_line("scout", s$brief_file, "--budget", format_number(s$asks$budget), "--keep", s$search_file)
    }
  ),
  list = sheet_kind(
    "List", page = sheet_of_list, leaves = list_place,
    asks = list(
      table = type_inside, ending = type_choice(c("xlsx", "csv")),
      learned = type_choice(c("marked", "left out", "as others"))
    ),
    calls = function(s) {
      rows <- if (is.null(s$asks$table)) s$rows else bquote(read_rows(.(s$asks$table), .(s$of)))
      left_out <- identical(s$asks$learned, "left out")
      # of those that stay every one of the first has its reasons
      listed <- bquote(augment(
        .(s$of), .(rows), ranked = TRUE, digits = 3, learned = .(marks_learned(s)), reasons = 3,
        reasons_for = .(if (left_out) 1000 else 200)
      ))
      if (left_out) listed <- bquote(subset(.(listed), !learned %in% TRUE))
      list(bquote(.(s$list) <- .(listed)), bquote(write_rows(.(s$list), .(s$list_file))))
    },
    command = function(s) {
      table <- s$asks$table %||% s$table_file
      if (is.null(table) || identical(s$asks$learned, "left out")) return(NULL)
      mark <- if (marks_learned(s)) "--mark-learned"
      shell_line("predict", s$of_file, table, "-o", s$list_file, "--ranked", "--digits", "3", mark, "--reasons", "3")
    }
  ),
  form = sheet_kind(
    "Form", page = sheet_of_form, leaves = report_place,
    calls = function(s) list(bquote(writeLines(transcribe(.(s$of), "page"), .(s$report_file), useBytes = TRUE))),
    command = function(s) shell_line("transcribe", s$of_file, "--to", "page", "-o", s$report_file)
  ),
  report = sheet_kind(
    "Report", long = TRUE, page = sheet_of_file, leaves = report_place,
    calls = function(s) list(bquote(write_report(.(s$of), .(s$report_file), .(s$table)))),
    command = function(s) on_table(s, "report", "-o", s$report_file)
  ),
  watch = sheet_kind(
    "Newer rows", long = TRUE, asks = list(table = type_inside), page = sheet_of_report,
    calls = function(s) list(bquote(watch_model(.(s$of), read_rows(.(s$asks$table), .(s$of))))),
    # 3 and 4 say what it found
    command = function(s) paste(shell_line("watch", s$of_file, s$asks$table), "|| [ $? -ge 3 ]")
  )
)

marks_learned <- function(s) !identical(s$asks$learned, "as others")

# A subcommand that takes a model and the table of its training; NULL where that is no file.
on_table <- function(s, verb, ...) {
  if (!is.null(s$table_file)) shell_line(verb, s$of_file, s$table_file, ...)
}

shell_line <- function(...) {
  words <- c("hylomath", ...)
  plain <- grepl("^[A-Za-z0-9_./=:,+-]+$", words)
  words[!plain] <- shQuote(words[!plain], "sh")
  paste(words, collapse = " ")
}

# ---- of a sheet ------------------------------------------------------------------------------------------------------

kind_of <- function(sheet) desk_kinds[[sheet$kind]]

makes_model <- function(sheet) identical(kind_of(sheet)$leaves, model_place)

sheet_name <- function(sheet) {
  if (!is.null(sheet$name) && nzchar(sheet$name)) return(sheet$name)
  sprintf("%s %d", kind_of(sheet)$title, as.integer(sheet$id))
}

# What code and commands of a sheet are made of: its settings (`asks`); the names that its own `brief`, `model`,
# `result` and `list` have in the script, and their files; `of`, the model that it was made from, and its file, and
# `all_of`, if there are several; the `table` that this was trained on and its `rows` with all columns, as expressions;
# and `table_file`, NULL for a query, and for a file that has to be read in its own way.
sheet_parts <- function(sheet, state) {
  from <- state$sheets[sheet$of]
  all_of <- lapply(from, function(one) sheet_symbols(one)$model)
  names(all_of) <- make.unique(vapply(from, sheet_name, ""))
  table_file <- if (identical(names(state$data), "file")) state$data$file
  table <- bquote(.(sheet_symbols(state$sheets[[training_of(state, sheet$id)]])$brief)$table)
  of <- if (length(from)) all_of[[1]]
  c(sheet_symbols(sheet), list(
    asks = sheet$asks, brief_file = brief_place(sheet), model_file = model_place(sheet),
    result_file = result_place(sheet), search_file = search_place(sheet), list_file = list_place(sheet),
    report_file = report_place(sheet), of = of, of_file = if (length(from)) model_place(from[[1]]), all_of = all_of,
    all_files = vapply(from, model_place, ""), table = table, table_file = table_file,
    rows = if (is.null(table_file)) table else bquote(read_rows(.(table_file), .(of)))
  ))
}

sheet_calls <- function(state, sheet) kind_of(sheet)$calls(sheet_parts(sheet, state))

sheet_code <- function(state, sheet) {
  # numbers in full: what is run again has to be the same
  control <- c("keepNA", "keepInteger", "niceNames", "digits17")
  unlist(lapply(sheet_calls(state, sheet), deparse, width.cutoff = 100, control = control))
}

sheet_command <- function(state, sheet) {
  kind_of(sheet)$command(sheet_parts(sheet, state)) %||% "# in R only: see script.R"
}
