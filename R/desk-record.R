# The record of what was done at a desk, and the state that it comes to.
#
# Everything lives in an open folder: tables, briefs, models, lists and reports in folders of their own, the script, and
# record.jsonl, which gets a line for each thing that happens. What the desk shows is what these lines come to, and
# nothing else is kept: a folder that is opened again stands as it was left.
#
# A *state* is list(data, draft, sheets):
#   data     where the table comes from, as `data:` of a brief says it, from the folder's point of view; NULL
#   draft    the brief that is being written, as text, or NULL
#   sheets   what was done, in the order in which it was begun; the number of each is its place

#' @include desk-kinds.R setting.R
NULL

desk_record <- list(
  format = "hylomath-desk", version = 1L, what = "record of a desk", texts = "made",
  hint = "Name another folder, or an empty one.", again = "Name another folder for a new desk."
)

# The lines that a record can have, by their word: what each holds, checked as settings are.
desk_lines <- local({
  number <- type_count()
  flag <- function(value, key) if (is_flag(value)) value else fail(sprintf("%s is TRUE or FALSE.", quoted(key)))
  # checked by desk_line(), which knows of what kind the sheet is
  later <- function(value, key) value
  list(
    table = list(data = later),
    draft = list(text = type_text()),
    begin = list(
      sheet = number, kind = type_choice(names(desk_kinds)), of = later, asks = later, made = type_text()
    ),
    end = list(
      sheet = number, how = type_choice(c("done", "stopped", "failed")), says = type_texts(), seconds = type_number(0)
    ),
    mark = list(sheet = number, name = type_text(), note = type_text(), pinned = flag, thrown = flag),
    place = list(sheet = number, place = type_number())
  )
})

empty_state <- function() list(data = NULL, draft = NULL, sheets = list())

# A line as the state takes it; it fails for what is none.
desk_line <- function(line) {
  word <- type_choice(names(desk_lines))(line$line, "line")
  said <- settle_settings(line[setdiff(names(line), "line")], desk_lines[[word]])
  if (word == "table") said$data <- settle_settings(as.list(said$data), brief_schema$data, "data")
  if (word == "begin") {
    said$of <- as.integer(unlist(said$of))
    said$asks <- settle_settings(as.list(said$asks), desk_kinds[[said$kind]]$asks)
  }
  c(list(line = word), said)
}

# The state after one more line.
state_after <- function(state, line) {
  sheet <- line$sheet
  if (line$line == "begin") {
    if (sheet != length(state$sheets) + 1 || any(line$of < 1 | line$of >= sheet)) fail("Its sheets have no order.")
    own <- list(
      id = sheet, kind = line$kind, of = line$of, asks = line$asks, made = line$made, pinned = FALSE, thrown = FALSE,
      place = sheet
    )
    state$sheets[[sheet]] <- own
    return(state)
  }
  if (!is.null(sheet) && sheet > length(state$sheets)) fail("It names a sheet that was never begun.")
  switch(line$line,
    table = state[c("data", "draft")] <- list(line$data, NULL),
    draft = state$draft <- line$text,
    end = state$sheets[[sheet]]$end <- line[c("how", "says", "seconds")],
    mark = {
      marks <- line[setdiff(names(line), c("line", "sheet"))]
      state$sheets[[sheet]][names(marks)] <- marks
    },
    place = state$sheets[[sheet]]$place <- line$place
  )
  state
}

# The record of a folder, which this process alone writes to until `frame` ends: list(state, add); `add(line)` writes a
# line and gives the state that it leads to.
open_record <- function(folder, frame = parent.frame()) {
  for (name in desk_folders) dir.create(file.path(folder, name), recursive = TRUE, showWarnings = FALSE)
  file <- file.path(folder, "record.jsonl")
  header <- list(
    format = desk_record$format, format_version = desk_record$version, made = format(Sys.time(), "%Y-%m-%d %H:%M:%S")
  )
  growing <- growing_file(file, header, frame)
  state <- if (file.exists(file)) read_state(file, mend = TRUE) else empty_state()
  list(
    state = state,
    add = function(line) {
      after <- state_after(state, desk_line(line))
      growing$add(line)
      state <<- after
      state
    }
  )
}

read_state <- function(file, mend = FALSE) {
  kept <- read_json_lines(file, desk_record, mend)
  state <- empty_state()
  each_line(kept$lines, file, desk_record, function(line) {
    state <<- state_after(state, desk_line(value_from(line)))
    TRUE
  })
  state
}

# ---- sheets ----------------------------------------------------------------------------------------------------------

# Those that wait for their turn, in their order; the first of them may be at work.
waiting_sheets <- function(state) {
  open <- Filter(function(sheet) is.null(sheet$end) && !sheet$thrown, state$sheets)
  vapply(open, `[[`, 0, "id")[order(vapply(open, `[[`, 0, "place"))]
}

# Those that are shown, the newest first, and pinned ones before the others.
shown_sheets <- function(state) {
  shown <- Filter(function(sheet) !sheet$thrown, state$sheets)
  ids <- vapply(shown, `[[`, 0, "id")
  ids[order(-vapply(shown, `[[`, NA, "pinned"), -ids)]
}

# ---- the script ------------------------------------------------------------------------------------------------------

# All that was done and not thrown away, as R code or as commands that are run in the folder and give the same bits.
desk_script <- function(state, as = c("r", "commands")) {
  as <- match.arg(as)
  ended <- Filter(function(sheet) has_ended_well(sheet) && !sheet$thrown, state$sheets)
  # what was thrown away is done all the same where something else rests on it
  needed <- unique(unlist(lapply(ended, function(sheet) c(sheet_roots(state, sheet$id), sheet$id))))
  lines <- lapply(sort(as.integer(needed)), function(id) {
    sheet <- state$sheets[[id]]
    code <- if (as == "r") sheet_code(state, sheet) else sheet_command(state, sheet)
    if (length(code)) c("", sprintf("# %s", gsub("[\r\n]+", " ", sheet_name(sheet))), code)
  })
  c(
    "# Run this in the folder where it lies.", if (as == "r") c("library(hylomath)") else "set -e", unlist(lines)
  )
}
