# What lies where in a desk's folder, and what sheets are called there.
#
# A *sheet* is list(id, kind, of, asks, made, pinned, thrown, place, name, note, end):
#   kind     one of desk_kinds
#   of       the sheets that it was made from
#   asks     its settings, see desk_kinds
#   made     when it was begun
#   place    what decides which of the waiting ones comes next; the lowest does
#   name, note    what the user says of it, or NULL
#   end      list(how, says, seconds), how it ended, or NULL while it waits or runs

desk_folders <- c("tables", "briefs", "models", "results", "lists", "reports", "jobs")

demo_tables <- c("kilns", "recovery", "crossings")

# Names of files that are looked for as tables, and those of them that are databases.
table_endings <- "[.](csv|tsv|txt|parquet|xlsx?|sqlite3?|db)([.]gz)?$"
is_database_file <- function(name) grepl("[.](sqlite3?|db)$", name, ignore.case = TRUE)

# What a sheet's values are called in the script.
sheet_symbols <- function(sheet) {
  lapply(c(brief = "b%d", model = "m%d", result = "found%d", list = "list%d"), function(name) {
    as.name(sprintf(name, as.integer(sheet$id)))
  })
}

brief_place <- function(sheet) sprintf("briefs/%d.yml", as.integer(sheet$id))
model_place <- function(sheet) sprintf("models/%d.hylo", as.integer(sheet$id))
result_place <- function(sheet) sprintf("results/%d.found", as.integer(sheet$id))
search_place <- function(sheet) sprintf("results/%d.scout", as.integer(sheet$id))
report_place <- function(sheet) sprintf("reports/%d.html", as.integer(sheet$id))
list_place <- function(sheet) sprintf("lists/%d.%s", as.integer(sheet$id), sheet$asks$ending %||% "xlsx")

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
