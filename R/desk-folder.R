# What lies where in a desk's folder, and what sheets are called there.
#
# A *sheet* is list(id, kind, of, asks, made, pinned, thrown, place, name, note, end):
#   kind     one of desk_kinds()
#   of       the sheets that it was made from
#   asks     its settings, see desk_kinds()
#   made     when it was begun
#   place    what decides which of the waiting ones comes next; the lowest does
#   name, note    what the user says of it, or NULL
#   end      list(how, says, seconds), how it ended, or NULL while it waits or runs

desk_folders <- c("tables", "briefs", "models", "results", "lists", "reports", "jobs")

demo_tables <- function() c("kilns", "recovery", "crossings")

# What a sheet's values are called in the script.
sheet_symbols <- function(sheet) {
  lapply(c(brief = "b%d", model = "m%d", result = "found%d", list = "list%d"), function(name) {
    as.name(sprintf(name, as.integer(sheet$id)))
  })
}

brief_place <- function(sheet) sprintf("briefs/%d.yml", as.integer(sheet$id))
model_place <- function(sheet) sprintf("models/%d.hylo", as.integer(sheet$id))
result_place <- function(sheet) {
  sprintf(if (sheet$kind == "scout") "results/%d.scout" else "results/%d.found", as.integer(sheet$id))
}
report_place <- function(sheet) sprintf("reports/%d.html", as.integer(sheet$id))
list_place <- function(sheet) sprintf("lists/%d.%s", as.integer(sheet$id), sheet$asks$ending %||% "xlsx")

# The file that a sheet leaves for the user, or NULL.
sheet_file <- function(sheet) {
  switch(sheet$kind,
    train = , rule = model_place(sheet), list = list_place(sheet), report = , form = report_place(sheet),
    vary = , folds = , sift = , scout = result_place(sheet)
  )
}

# The kinds that leave a model.
makes_model <- function(sheet) sheet$kind %in% c("train", "rule")

# The kinds that begin with a brief of their own.
takes_brief <- function(kind) kind %in% c("train", "vary", "folds", "sift", "scout")

# The table that a sheet's model was trained on, as an expression.
sheet_table <- function(sheet, state) {
  root <- state$sheets[[training_of(state, sheet$id)]]
  bquote(.(sheet_symbols(root)$brief)$table)
}

# The file of that table with all its columns; NULL for a query, and for a file that has to be read in its own way.
data_place <- function(sheet, state) if (identical(names(state$data), "file")) state$data$file

# That table with all its columns where it is a file, as an expression.
sheet_rows <- function(sheet, state) {
  table <- data_place(sheet, state)
  if (is.null(table)) return(sheet_table(sheet, state))
  bquote(read_rows(.(table), .(sheet_symbols(state$sheets[[sheet$of]])$model)))
}

job_place <- function(sheet, ending) sprintf("jobs/%d.%s", as.integer(sheet$id), ending)

# Whether a sheet ended with something to show.
has_ended_well <- function(sheet) !is.null(sheet$end) && sheet$end$how != "failed"

# The sheet that was trained, on which a sheet of a model rests.
training_of <- function(state, id) {
  sheet <- state$sheets[[id]]
  if (length(sheet$of) == 0) id else training_of(state, sheet$of[1])
}

# All sheets that a sheet rests on.
sheet_roots <- function(state, id) {
  of <- state$sheets[[id]]$of
  c(unlist(lapply(of, sheet_roots, state = state)), of)
}
