# What a desk does when something is clicked on. A *desk* is an environment, the one thing here that changes:
#   folder    where it lives
#   record    see open_record()
#   state     what the record comes to
#   worker    see desk_worker()
#   files     the tables of the folder, see desk_sources()
#   job       the sheet that is worked off in a process of its own: list(id, process, began, read, stopped), or NULL
#   curves    by sheet the lines of progress
#   bodies    by sheet what is shown of it
#   parts     by name what the page shows: list(html, version)
#   version   a number that grows with each change of a part

new_desk <- function(folder, frame = parent.frame()) {
  folder <- normalizePath(folder)
  desk <- new.env(parent = emptyenv())
  desk$folder <- folder
  desk$record <- open_record(folder, frame)
  desk$state <- desk$record$state
  desk$worker <- desk_worker(folder)
  withr::defer(close_desk(desk), envir = frame)
  desk$curves <- desk$bodies <- desk$parts <- desk$files <- list()
  desk$version <- 0
  show_table(desk)
  show_record(desk)
  desk
}

close_desk <- function(desk) {
  desk$worker$close()
  if (!is.null(desk$job)) desk$job$process$kill_tree()
}

# An action of the page: list(act, ...). What is wrong with it is said on the page.
desk_act <- function(desk, act) {
  if (!is_text(act$act, 1) || !act$act %in% names(desk_acts)) return(invisible())
  tryCatch(desk_acts[[act$act]](desk, act), error = function(e) desk_says(desk, e, act))
  invisible()
}

# What went wrong, at the setting that it is about or at the page's top.
desk_says <- function(desk, wrong, act = list()) {
  what <- wrong$what %||% conditionMessage(wrong)
  text <- paste(c(what, advice_in_words(wrong$try %||% character())), collapse = " ")
  show_part(desk, "says", list(text = text, key = if (is_text(act$key, 1)) act$key else ""))
}

desk_add <- function(desk, ...) desk$state <- desk$record$add(list(...))

desk_acts <- list(
  open = function(desk, act) open_table(desk, source_asked(desk, act)),
  demo = function(desk, act) {
    name <- type_choice(demo_tables)(act$name, "name")
    open_from_elsewhere(desk, system.file("extdata", paste0(name, ".csv"), package = "hylomath", mustWork = TRUE))
  },
  target = function(desk, act) {
    ask_draft(desk, "start", list(desk$state$data, type_text()(act$column, "column")))
  },
  set = function(desk, act) change_draft(desk, "set", act, c("key", "value")),
  column = function(desk, act) change_draft(desk, "column", act, c("column", "of", "value")),
  merge = function(desk, act) {
    act$levels <- as.character(unlist(act$levels))
    change_draft(desk, "merge", act, c("column", "levels"))
  },
  positive = function(desk, act) change_draft(desk, "positive", act, "value"),
  advice = function(desk, act) change_draft(desk, "advice", act, c("note", "of")),
  adopt = function(desk, act) change_draft(desk, "take", act, c("key", "value")),
  "adopt-inputs" = function(desk, act) adopt_found(desk, "inputs", act),
  "adopt-best" = function(desk, act) adopt_found(desk, "best", act),
  "adopt-trial" = function(desk, act) adopt_found(desk, "trial", act, "trial"),
  "adopt-brief" = function(desk, act) adopt_brief(desk, sheet_asked(desk, act)),
  rows = function(desk, act) {
    asked <- list(
      desk$state$data, desk$state$draft, as_one_number(act$page %||% 1), act$sort, identical(act$down, "true"),
      act$where %||% ""
    )
    desk$worker$ask("rows", asked, of = "rows", function(came) {
      if (is.null(came$wrong)) show_part(desk, "rows", came$value$rows) else desk_says(desk, came$wrong)
    })
  },
  train = function(desk, act) begin_sheet(desk, "train"),
  folds = function(desk, act) begin_sheet(desk, "folds"),
  "more-rows" = function(desk, act) begin_sheet(desk, "more_rows"),
  sift = function(desk, act) begin_sheet(desk, "sift"),
  scout = function(desk, act) begin_sheet(desk, "scout", asks = list(budget = as_one_number(act$budget))),
  vary = function(desk, act) {
    values <- trimws(strsplit(act$values %||% "", ",", fixed = TRUE)[[1]])
    if (length(values) < 2) fail("One setting is tried at several values: write them with commas between them.")
    begin_sheet(desk, "vary", asks = list(setting = act$setting, values = values))
  },
  rule = function(desk, act) {
    by <- intersect(c("miss", "threshold"), names(act))[1]
    if (is.na(by)) fail("Say how many rows can be looked at, or what it costs to miss one.")
    rule <- stats::setNames(list(as_one_number(act[[by]]), act$class), c(by, "class"))
    begin_sheet(desk, "rule", act$sheet, rule)
  },
  compare = function(desk, act) {
    pinned <- Filter(function(sheet) sheet$pinned && !sheet$thrown && makes_model(sheet), desk$state$sheets)
    if (length(pinned) < 2) fail("Pin two trainings or more, then compare them.")
    begin_sheet(desk, "compare", vapply(pinned, `[[`, 0, "id"))
  },
  importance = function(desk, act) begin_sheet(desk, "importance", act$sheet),
  effect = function(desk, act) begin_sheet(desk, "effect", root_model(desk, act), list(input = act$input)),
  row = function(desk, act) begin_sheet(desk, "row", act$sheet, list(row = trimws(act$row %||% ""))),
  "try-row" = function(desk, act) {
    row <- sheet_asked(desk, act)$asks$row
    if (is.null(row)) fail("Explain a row first, then try other values for it.")
    columns <- as.character(unlist(act$columns))
    if (length(columns) == 0) fail("Write another value beside one of the row's own.")
    asks <- list(row = row, columns = columns, values = as.character(unlist(act$values)))
    begin_sheet(desk, "try-row", root_model(desk, act), asks)
  },
  list = function(desk, act) {
    asks <- list(table = table_asked(desk, act$table), ending = act$ending, learned = act$learned)
    begin_sheet(desk, "list", act$sheet, drop_nulls(asks))
  },
  report = function(desk, act) begin_sheet(desk, "report", act$sheet),
  form = function(desk, act) begin_sheet(desk, "form", act$sheet),
  subgroups = function(desk, act) begin_sheet(desk, "subgroups", act$sheet, list(column = act$column)),
  watch = function(desk, act) {
    table <- table_asked(desk, act$table)
    if (is.null(table)) fail("Choose a file with newer rows.")
    begin_sheet(desk, "watch", act$sheet, list(table = table))
  },
  stop = function(desk, act) stop_sheet(desk, sheet_asked(desk, act)),
  first = function(desk, act) {
    waiting <- desk$state$sheets[waiting_sheets(desk$state)]
    sheet <- sheet_asked(desk, act)
    desk_add(desk, line = "place", sheet = sheet$id, place = min(vapply(waiting, `[[`, 0, "place")) - 1)
    show_record(desk)
  },
  pin = function(desk, act) mark_sheet(desk, act, pinned = !sheet_asked(desk, act)$pinned),
  name = function(desk, act) mark_sheet(desk, act, name = trimws(act$value %||% "")),
  note = function(desk, act) mark_sheet(desk, act, note = trimws(act$value %||% "")),
  throw = function(desk, act) mark_sheet(desk, act, thrown = TRUE),
  show = function(desk, act) ask_body(desk, sheet_asked(desk, act))
)

sheet_asked <- function(desk, act) {
  number <- type_count(max(1, length(desk$state$sheets)))(act$sheet, "sheet")
  if (number > length(desk$state$sheets)) fail("There is no such sheet.")
  desk$state$sheets[[number]]
}

# The model that a sheet is about.
root_model <- function(desk, act) {
  sheet <- sheet_asked(desk, act)
  if (makes_model(sheet)) sheet$id else sheet$of[1]
}

mark_sheet <- function(desk, act, ...) {
  desk_add(desk, line = "mark", sheet = sheet_asked(desk, act)$id, ...)
  show_record(desk)
}

# ---- the table and the brief -----------------------------------------------------------------------------------------

# A file of the desk's folder, and no other.
file_asked <- function(desk, name) {
  if (!is_text(name, 1) || !nzchar(name)) fail("No file is chosen.")
  file <- file.path(desk$folder, name)
  inside <- startsWith(normalizePath(file, mustWork = FALSE), paste0(desk$folder, .Platform$file.sep))
  if (is_absolute(name) || !inside || !file.exists(file)) fail(sprintf("The folder has no file %s.", describe(name)))
  name
}

table_asked <- function(desk, name) if (!is.null(name) && nzchar(name)) file_asked(desk, name)

# One of the folder's tables by its label, a file, or a query.
source_asked <- function(desk, act) {
  if (!is.null(act$postgres)) return(list(postgres = act$postgres, query = act$query))
  chosen <- Filter(function(one) identical(one$label, act$table), desk$files)
  if (length(chosen)) return(chosen[[1]]$source)
  file <- file_asked(desk, act$table)
  if (is_database_file(file)) list(sqlite = file, query = act$query) else list(file = file)
}

open_table <- function(desk, data) {
  data <- settle_settings(data, brief_schema$data, "data")
  desk$worker$ask("table", list(data), of = "table", function(came) {
    if (!is.null(came$wrong)) return(desk_says(desk, came$wrong))
    desk_add(desk, line = "table", data = data)
    desk$parts$rows <- NULL
    show_brief(desk, came$value)
  })
}

# A brief is not left for a table that was dropped, which may be one with newer rows.
open_from_elsewhere <- function(desk, from, name = basename(from), is_asked = TRUE) {
  desk$worker$ask("keep", list(from, name), function(came) {
    if (!is.null(came$wrong)) return(desk_says(desk, came$wrong))
    show_files(desk)
    if (is_database_file(name)) {
      return(desk_says(desk, list(what = sprintf("%s is kept. Choose one of its tables.", came$value$file))))
    }
    # the same table again is no new beginning
    if (identical(desk$state$data, came$value)) return(invisible())
    if (is_asked || is.null(desk$state$draft)) return(open_table(desk, came$value))
    what <- "%s is kept. Choose it for a list or to compare newer rows, or open it as a table of its own."
    desk_says(desk, list(what = sprintf(what, came$value$file)))
  })
}

# A file that was dropped on the page.
take_file_dropped <- function(desk, name, path) {
  name <- gsub("^[.]+|[^[:alnum:]._ -]", "_", basename(name))
  if (grepl(table_endings, name, ignore.case = TRUE)) return(open_from_elsewhere(desk, path, name, FALSE))
  desk_says(desk, list(what = sprintf("%s is no table.", quoted(name)), try = "It is CSV, Excel, Parquet or SQLite."))
}

# What a draft becomes is recorded and shown.
ask_draft <- function(desk, task, arguments, act = list()) {
  desk$worker$ask(task, arguments, function(came) {
    if (!is.null(came$wrong)) return(desk_says(desk, came$wrong, act))
    desk_add(desk, line = "draft", text = came$value$draft)
    show_brief(desk, came$value)
    show_part(desk, "says", list(text = "", key = act$key %||% ""))
  })
}

change_draft <- function(desk, what, act, fields) {
  if (is.null(desk$state$draft)) fail("Choose first which column is to be predicted.")
  change <- c(list(what = what), act[fields])
  # the draft is taken when its turn has come, after the changes before it
  ask_draft(desk, "draft", function() list(desk$state$data, desk$state$draft, change), act)
}

adopt_found <- function(desk, what, act, fields = NULL) {
  sheet <- sheet_asked(desk, act)
  change_draft(desk, what, c(list(file = kind_of(sheet)$leaves(sheet)), act[fields]), c("file", fields))
}

adopt_brief <- function(desk, sheet) {
  root <- desk$state$sheets[[training_of(desk$state, sheet$id)]]
  b <- read_brief(file.path(desk$folder, brief_place(root)), read = FALSE)
  b$data <- desk$state$data
  desk_add(desk, line = "draft", text = brief_yaml(without_interrupt(b)))
  show_table(desk)
}

show_files <- function(desk) {
  desk$worker$ask("sources", list(), of = "sources", function(came) {
    if (!is.null(came$wrong)) return(desk_says(desk, came$wrong))
    desk$files <- came$value
    show_part(desk, "files", as_html(files_part(desk$files)))
    show_record(desk)
  })
}

show_table <- function(desk) {
  show_files(desk)
  if (is.null(desk$state$data)) return(invisible())
  desk$worker$ask("table", list(desk$state$data, desk$state$draft), of = "table", function(came) {
    if (is.null(came$wrong)) show_brief(desk, came$value) else desk_says(desk, came$wrong)
  })
}

show_brief <- function(desk, shown) {
  show_part(desk, "table", shown$table)
  show_part(desk, "brief", shown$brief)
}

# ---- sheets ----------------------------------------------------------------------------------------------------------

begin_sheet <- function(desk, kind, of = integer(), asks = list()) {
  state <- desk$state
  of <- vapply(unlist(of), function(id) as.integer(sheet_asked(desk, list(sheet = id))$id), 0L)
  missing <- Filter(function(id) !has_ended_well(state$sheets[[id]]), of)
  if (length(missing)) fail(sprintf("%s has not ended yet.", sheet_name(state$sheets[[missing[1]]])))
  id <- length(state$sheets) + 1
  line <- list(
    line = "begin", sheet = id, kind = kind, of = of, asks = asks, made = format(Sys.time(), "%Y-%m-%d %H:%M:%S")
  )
  # what it asks for is checked before anything is kept of it
  sheet <- c(list(id = id), desk_line(line))
  if (desk_kinds[[kind]]$from == "brief") keep_draft(desk, sheet)
  do.call(desk_add, c(list(desk), line))
  if (!desk_kinds[[kind]]$long) run_short(desk, id)
  show_record(desk)
}

# The brief of a sheet, in the folder of briefs, from which its table lies elsewhere.
keep_draft <- function(desk, sheet) {
  if (is.null(desk$state$draft)) fail("Choose first which column is to be predicted.")
  b <- read_brief(text = desk$state$draft, read = FALSE)
  own <- intersect(c("file", "sqlite"), names(b$data))
  if (length(own) && !is_absolute(b$data[[own]])) b$data[[own]] <- file.path("..", b$data[[own]])
  write_brief(b, file.path(desk$folder, brief_place(sheet)))
}

run_short <- function(desk, id) {
  began <- proc.time()[["elapsed"]]
  desk$worker$ask("run", list(desk$state, id), function(came) {
    end_sheet(desk, id, came, proc.time()[["elapsed"]] - began)
  })
}

end_sheet <- function(desk, id, came, seconds) {
  ended <- came$value
  how <- if (!is.null(came$wrong)) "failed" else ended$how %||% "done"
  says <- as.character(c(came$wrong$what, advice_in_words(came$wrong$try %||% character())))
  desk_add(desk, line = "end", sheet = id, how = how, says = says, seconds = round(seconds, 1))
  if (!is.null(ended$page)) desk$bodies[[as.character(id)]] <- ended$page
  show_record(desk)
}

# The body of a sheet, drawn by the worker where it isn't there.
ask_body <- function(desk, sheet) {
  id <- as.character(sheet$id)
  if (!is.null(desk$bodies[[id]]) || !has_ended_well(sheet)) return(invisible())
  desk$worker$ask("sheet", list(desk$state, sheet$id), of = paste("sheet", id), function(came) {
    desk$bodies[[id]] <- if (is.null(came$wrong)) came$value$page else as_html(element("p", came$wrong$what))
    show_sheet(desk, desk$state$sheets[[sheet$id]])
  })
}

stop_sheet <- function(desk, sheet) {
  if (identical(desk$job$id, sheet$id)) {
    desk$job$stopped <- TRUE
    desk$job$process$interrupt()
  } else if (is.null(sheet$end)) {
    desk_add(desk, line = "mark", sheet = sheet$id, thrown = TRUE)
  }
  show_record(desk)
}

# ---- time ------------------------------------------------------------------------------------------------------------

# Takes up what the processes have done; called several times a second. A fault of one sheet does not end the desk.
desk_tick <- function(desk) {
  tryCatch(take_up(desk), error = function(e) desk_says(desk, e))
}

take_up <- function(desk) {
  desk$worker$tick()
  job <- desk$job
  if (!is.null(job)) {
    read_progress(desk)
    if (!job$process$is_alive()) {
      desk$job <- NULL
      end_sheet(desk, job$id, job_outcome(job), proc.time()[["elapsed"]] - job$began)
      unlink(file.path(desk$folder, job_place(list(id = job$id), "progress")))
      desk$curves[[as.character(job$id)]] <- NULL
    }
  }
  if (is.null(desk$job)) begin_job(desk)
  invisible()
}

begin_job <- function(desk) {
  waiting <- Filter(function(id) kind_of(desk$state$sheets[[id]])$long, waiting_sheets(desk$state))
  if (length(waiting) == 0) return(invisible())
  id <- waiting[1]
  process <- callr::r_bg(
    desk_job, list(desk$folder, desk$state, id), supervise = TRUE, stderr = NULL, stdout = NULL, package = TRUE
  )
  desk$job <- list(id = id, process = process, began = proc.time()[["elapsed"]], read = 0, stopped = FALSE)
  desk$curves[[as.character(id)]] <- character()
  show_record(desk)
}

job_outcome <- function(job) {
  tryCatch(list(value = job$process$get_result()), error = function(e) {
    own <- e$parent %||% e
    if (inherits(own, "hylomath_error")) return(list(wrong = list(what = own$what, try = own$try)))
    what <- if (job$stopped) "It was stopped before there was anything to keep." else conditionMessage(own)
    list(wrong = list(what = what))
  })
}

# The lines of progress that were written since the last time.
read_progress <- function(desk) {
  job <- desk$job
  file <- file.path(desk$folder, job_place(list(id = job$id), "progress"))
  size <- file.size(file)
  if (is.na(size) || size <= job$read) return(invisible())
  connection <- file(file, "rb")
  on.exit(close(connection))
  seek(connection, job$read)
  bytes <- readBin(connection, "raw", size - job$read)
  last <- utils::tail(which(bytes == as.raw(0x0a)), 1)
  if (length(last) == 0) return(invisible())
  lines <- strsplit(rawToChar(bytes[seq_len(last)]), "\n", fixed = TRUE)[[1]]
  desk$job$read <- job$read + last
  id <- as.character(job$id)
  desk$curves[[id]] <- c(desk$curves[[id]], lines)
}
