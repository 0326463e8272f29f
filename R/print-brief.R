#' @export
print.hylomath_brief <- function(x, ...) {
  write_lines(format(x))
  invisible(x)
}

#' @export
format.hylomath_brief <- function(x, ...) {
  c(
    cli::style_bold(sprintf("A brief: predict %s", x$target)),
    indented("task", brief_task_text(x)),
    indented("table", if (is.null(x$table)) "none yet" else sprintf("%s, %s", counted(nrow(x$table), "row"), counted(ncol(x$table), "column"))),
    if (length(x$columns$kinds)) brief_columns_text(x) else indented("columns", "kinds are guessed when the table is read"),
    brief_derive_text(x),
    indented("prepare", settings_text(x$prepare[lengths(x$prepare) > 0])),
    indented("hold out", settings_text(x$hold_out)),
    brief_parts_text(x),
    indented("wiring", x$wiring),
    indented("regimen", settings_text(x$regimen))
  )
}

brief_task_text <- function(b) {
  if (is.null(b$task)) return("guessed when the table is read")
  if (b$task == "count") return("count (Poisson likelihood, answers are means)")
  if (b$task == "regression") return("regression (squared error)")
  classes <- enumerate(b$classes)
  text <- sprintf("classification, %d classes: %s", length(b$classes), classes)
  if (is.null(b$positive)) text else sprintf("%s; positive is %s", text, b$positive)
}

# Columns by what is done with them, so that a wrong guess is seen at once.
brief_columns_text <- function(b) {
  kinds <- unlist(b$columns$kinds)
  inputs <- brief_inputs(b)
  roles <- unlist(b$columns[intersect(column_roles, names(b$columns))])
  by_kind <- split(inputs, factor(kinds[inputs], column_kinds), drop = TRUE)
  unused <- setdiff(names(kinds), c(inputs, b$target, roles, b$columns$drop, b$hold_out$parts))
  c(
    indented("inputs", sprintf("%d columns", length(inputs))),
    unlist(lapply(names(by_kind), function(kind) indented(paste0("  ", kind), enumerate(by_kind[[kind]], limit = 30)))),
    unlist(lapply(names(roles), function(role) indented(role, roles[[role]]))),
    if (length(b$columns$drop)) indented("dropped", enumerate(b$columns$drop, limit = 30)),
    if (length(unused)) indented("not used", enumerate(sprintf("%s (%s)", unused, kinds[unused]), limit = 30))
  )
}

brief_derive_text <- function(b) {
  c(
    if (length(b$derive)) indented("derived", paste0(names(b$derive), " = ", unlist(b$derive), collapse = "; ")),
    if (!is.null(b$keep_rows)) indented("keep rows", b$keep_rows)
  )
}

# The parts that the settings come to, or why they come to none.
brief_parts_text <- function(b) {
  if (is.null(b$table)) return(NULL)
  indented("parts", tryCatch(parts_text(parts_of(b)), hylomath_error = function(e) paste("none yet:", e$what)))
}

parts_text <- function(parts) paste(format_each_count(parts$rows), parts$part, collapse = ", ")

format_each_count <- function(x) vapply(x, format_count, "")

settings_text <- function(settings) {
  if (length(settings) == 0) return("as usual")
  paste(names(settings), vapply(settings, setting_text, ""), collapse = ", ")
}

setting_text <- function(x) {
  if (is.list(x)) return(paste0("(", paste(names(x), vapply(x, setting_text, ""), collapse = ", "), ")"))
  if (is.numeric(x)) format_number(x) else paste(x, collapse = " ")
}

# "  label      text", wrapped to the console with the text under itself.
indented <- function(label, text) {
  lines <- strwrap(text, max(30, cli::console_width() - 15))
  paste0("  ", formatC(c(label, rep("", length(lines) - 1)), width = -11), lines)
}
