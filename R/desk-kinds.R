# What can be done at a desk. Each kind of sheet is list(title, long, asks, calls, command, page):
#   title     its name
#   long      whether it may take long, so that it waits for its turn
#   asks      the types of its settings
#   calls     of a sheet and the state, the calls of R that do it, run in the desk's folder; the last value is shown
#   command   the same as commands of the shell
#   page      what is shown of the value, as elements; see desk-sheets.R
# What is shown as the sheet's code is what is run: there is no other way from a click to a result.

desk_kinds <- function() {
  list(
    train = list(
      title = "Training", long = TRUE, asks = list(), page = sheet_of_model,
      calls = function(sheet, state) {
        made <- sheet_symbols(sheet)
        list(
          bquote(.(made$brief) <- read_brief(.(brief_place(sheet)))),
          bquote(.(made$model) <- train(.(made$brief))),
          bquote(write_model(.(made$model), .(model_place(sheet))))
        )
      },
      command = function(sheet, state) shell_line("hylomath", "train", brief_place(sheet), "-o", model_place(sheet))
    ),
    rule = list(
      title = "Rule", long = FALSE, page = sheet_of_rule,
      asks = list(
        threshold = type_number(0, 1), recall = type_number(0, 1, open_low = TRUE), class = type_text()
      ),
      calls = function(sheet, state) {
        made <- sheet_symbols(sheet)
        decided <- as.call(c(
          list(quote(decide), sheet_symbols(state$sheets[[sheet$of]])$model), sheet$asks
        ))
        list(
          bquote(.(made$model) <- .(decided)), bquote(write_model(.(made$model), .(model_place(sheet))))
        )
      },
      command = function(sheet, state) {
        option <- function(name, value) c(paste0("--", name), format_word(value))
        options <- unlist(Map(option, names(sheet$asks), sheet$asks))
        from <- model_place(state$sheets[[sheet$of]])
        do.call(shell_line, as.list(c("hylomath", "decide", from, options, "-o", model_place(sheet))))
      }
    ),
    compare = list(
      title = "Comparison", long = FALSE, asks = list(), page = sheet_of_report,
      calls = function(sheet, state) {
        models <- lapply(sheet$of, function(id) sheet_symbols(state$sheets[[id]])$model)
        names(models) <- make.unique(vapply(sheet$of, function(id) sheet_name(state$sheets[[id]]), ""))
        list(as.call(c(list(quote(lineup)), models)))
      },
      command = function(sheet, state) {
        models <- vapply(sheet$of, function(id) model_place(state$sheets[[id]]), "")
        do.call(shell_line, as.list(c("hylomath", "lineup", models)))
      }
    ),
    importance = list(
      title = "Importance", long = TRUE, asks = list(), page = sheet_of_importance,
      calls = function(sheet, state) {
        list(bquote(importance(.(sheet_symbols(state$sheets[[sheet$of]])$model), .(sheet_table(sheet, state)))))
      },
      command = function(sheet, state) explain_command("importance", sheet, state)
    ),
    effect = list(
      title = "Effect", long = FALSE, asks = list(input = type_text()), page = sheet_of_effect,
      calls = function(sheet, state) {
        model <- sheet_symbols(state$sheets[[sheet$of]])$model
        list(bquote(effect_of(.(model), .(sheet_table(sheet, state)), .(sheet$asks$input))))
      },
      command = function(sheet, state) explain_command("effect", sheet, state, sheet$asks$input)
    ),
    row = list(
      title = "One row", long = FALSE, asks = list(row = type_text()), page = sheet_of_row,
      calls = function(sheet, state) {
        model <- sheet_symbols(state$sheets[[sheet$of]])$model
        list(bquote(contributions(.(model), .(sheet_table(sheet, state)), .(sheet$asks$row))))
      },
      command = function(sheet, state) {
        explain_command("contributions", sheet, state, "--row", sheet$asks$row)
      }
    ),
    vary = list(
      title = "One setting", long = TRUE, page = sheet_of_variation,
      asks = list(setting = type_varied, values = type_texts()),
      calls = function(sheet, state) {
        values <- utils::type.convert(sheet$asks$values, as.is = TRUE)
        made <- sheet_symbols(sheet)
        varied <- as.call(c(list(quote(vary), made$brief), stats::setNames(list(values), sheet$asks$setting)))
        list(
          bquote(.(made$brief) <- read_brief(.(brief_place(sheet)))), bquote(.(made$result) <- .(varied)),
          bquote(write_result(.(made$result), .(result_place(sheet))))
        )
      },
      command = function(sheet, state) {
        setting <- sprintf("%s=%s", sheet$asks$setting, paste(sheet$asks$values, collapse = ","))
        shell_line("hylomath", "vary", brief_place(sheet), setting, "--keep", result_place(sheet))
      }
    ),
    folds = list(
      title = "Folds", long = TRUE, asks = list(), page = sheet_of_report,
      calls = function(sheet, state) {
        made <- sheet_symbols(sheet)
        list(
          bquote(.(made$brief) <- read_brief(.(brief_place(sheet)))), bquote(.(made$result) <- folds(.(made$brief))),
          bquote(write_result(.(made$result), .(result_place(sheet))))
        )
      },
      command = function(sheet, state) {
        shell_line("hylomath", "folds", brief_place(sheet), "--keep", result_place(sheet))
      }
    ),
    sift = list(
      title = "Fewer inputs", long = TRUE, asks = list(), page = sheet_of_sifting,
      calls = function(sheet, state) {
        made <- sheet_symbols(sheet)
        list(
          bquote(.(made$brief) <- read_brief(.(brief_place(sheet)))), bquote(.(made$result) <- sift(.(made$brief))),
          bquote(write_result(.(made$result), .(result_place(sheet))))
        )
      },
      command = function(sheet, state) {
        shell_line("hylomath", "sift", brief_place(sheet), "--keep", result_place(sheet))
      }
    ),
    scout = list(
      title = "Search", long = TRUE, asks = list(budget = type_count(1000, from = 2)), page = sheet_of_search,
      calls = function(sheet, state) {
        made <- sheet_symbols(sheet)
        list(
          bquote(.(made$brief) <- read_brief(.(brief_place(sheet)))),
          bquote(.(made$result) <- scout(.(made$brief), budget = .(sheet$asks$budget), file = .(result_place(sheet))))
        )
      },
      command = function(sheet, state) {
        budget <- format_number(sheet$asks$budget)
        shell_line("hylomath", "scout", brief_place(sheet), "--budget", budget, "--keep", result_place(sheet))
      }
    ),
    subgroups = list(
      title = "Subgroups", long = FALSE, asks = list(column = type_text()), page = sheet_of_appraisal,
      calls = function(sheet, state) {
        model <- sheet_symbols(state$sheets[[sheet$of]])$model
        list(bquote(appraise(.(model), .(sheet_rows(sheet, state)), rows = "test", by = .(sheet$asks$column))))
      },
      command = function(sheet, state) {
        explain_command("appraise", sheet, state, "--rows", "test", "--by", sheet$asks$column)
      }
    ),
    form = list(
      title = "Form", long = FALSE, asks = list(), page = sheet_of_form,
      calls = function(sheet, state) {
        model <- sheet_symbols(state$sheets[[sheet$of]])$model
        list(bquote(writeLines(transcribe(.(model), "page"), .(report_place(sheet)), useBytes = TRUE)))
      },
      command = function(sheet, state) {
        shell_line(
          "hylomath", "transcribe", model_place(state$sheets[[sheet$of]]), "--to", "page", "-o", report_place(sheet)
        )
      }
    ),
    list = list(
      title = "List", long = FALSE, page = sheet_of_list,
      asks = list(
        table = type_inside, ending = type_choice(c("xlsx", "csv")),
        learned = type_choice(c("marked", "left out", "as others"))
      ),
      calls = function(sheet, state) {
        made <- sheet_symbols(sheet)
        model <- sheet_symbols(state$sheets[[sheet$of]])$model
        table <- sheet$asks$table
        rows <- if (is.null(table)) sheet_rows(sheet, state) else bquote(read_rows(.(table), .(model)))
        learned <- sheet$asks$learned %||% "marked"
        listed <- if (learned == "as others") bquote(augment(.(model), .(rows), ranked = TRUE, digits = 3)) else {
          bquote(augment(.(model), .(rows), ranked = TRUE, digits = 3, learned = TRUE))
        }
        if (learned == "left out") listed <- bquote(subset(.(listed), !learned %in% TRUE))
        list(
          bquote(.(made$list) <- .(listed)), bquote(write_rows(.(made$list), .(list_place(sheet)))), made$list
        )
      },
      command = function(sheet, state) {
        table <- sheet$asks$table %||% data_place(sheet, state)
        if (is.null(table) || identical(sheet$asks$learned, "left out")) return("# in R only: see script.R")
        mark <- if (!identical(sheet$asks$learned, "as others")) "--mark-learned"
        do.call(shell_line, as.list(c(
          "hylomath", "predict", model_place(state$sheets[[sheet$of]]), table, "-o", list_place(sheet), "--ranked",
          "--digits", "3", mark
        )))
      }
    ),
    report = list(
      title = "Report", long = TRUE, asks = list(), page = sheet_of_file,
      calls = function(sheet, state) {
        model <- sheet_symbols(state$sheets[[sheet$of]])$model
        list(bquote(write_report(.(model), .(report_place(sheet)), .(sheet_table(sheet, state)))))
      },
      command = function(sheet, state) {
        explain_command("report", sheet, state, "-o", report_place(sheet))
      }
    ),
    watch = list(
      title = "Newer rows", long = TRUE, asks = list(table = type_inside), page = sheet_of_report,
      calls = function(sheet, state) {
        model <- sheet_symbols(state$sheets[[sheet$of]])$model
        list(bquote(watch_model(.(model), read_rows(.(sheet$asks$table), .(model)))))
      },
      command = function(sheet, state) {
        shell_line("hylomath", "watch", model_place(state$sheets[[sheet$of]]), sheet$asks$table)
      }
    )
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

# ---- words -----------------------------------------------------------------------------------------------------------

explain_command <- function(verb, sheet, state, ...) {
  table <- data_place(sheet, state)
  if (is.null(table)) return("# the table is a query's: see script.R")
  shell_line("hylomath", verb, model_place(state$sheets[[sheet$of]]), table, ...)
}

shell_line <- function(...) {
  words <- c(...)
  plain <- grepl("^[A-Za-z0-9_./=:,+-]+$", words)
  words[!plain] <- shQuote(words[!plain], "sh")
  paste(words, collapse = " ")
}

format_word <- function(value) if (is.numeric(value)) format_number(value) else value

sheet_name <- function(sheet) {
  if (!is.null(sheet$name) && nzchar(sheet$name)) return(sheet$name)
  sprintf("%s %d", desk_kinds()[[sheet$kind]]$title, as.integer(sheet$id))
}
