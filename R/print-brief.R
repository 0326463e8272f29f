#' @export
print.hylomath_brief <- function(x, ...) {
  write_lines(format(x))
  invisible(x)
}

#' @export
format.hylomath_brief <- function(x, ...) {
  c(
    cli::style_bold(sprintf("A brief: predict %s", enumerate(x$target))),
    indented("task", brief_task_text(x)),
    indented("table", if (is.null(x$table)) "none yet" else sprintf("%s, %s", counted(nrow(x$table), "row"), counted(ncol(x$table), "column"))),
    if (length(x$columns$kinds)) brief_columns_text(x) else indented("columns", "kinds are guessed when the table is read"),
    brief_derive_text(x),
    indented("prepare", settings_text(shown_preparation(x$prepare))),
    indented("hold out", settings_text(x$hold_out)),
    brief_parts_text(x),
    indented("wiring", x$wiring),
    indented("regimen", regimen_text(x))
  )
}

brief_task_text <- function(b) {
  if (is.null(b$task)) return("guessed when the table is read")
  loss <- settled_loss(b)
  if (b$task == "count") return("count (Poisson likelihood, answers are means)")
  if (b$task == "regression") {
    what <- switch(loss$kind,
      squared = "squared error", absolute = "absolute error, answers are medians", huber = sprintf("Huber's loss with its knee at %s", format_number(loss$knee)),
      quantile = sprintf("quantiles %s", enumerate(format_each(loss$at))), gamma = "gamma likelihood, answers are means"
    )
    return(sprintf("regression (%s%s)", what, if (loss$output == "identity" || loss$kind == "gamma") "" else paste(",", loss$output, "output")))
  }
  ordered <- loss$kind == "ordinal"
  text <- sprintf("classification, %d %sclasses: %s", length(b$classes), if (ordered) "ordered " else "", if (ordered) paste(b$classes, collapse = " < ") else enumerate(b$classes))
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

# What only some categories have a use for is shown where one is set.
shown_preparation <- function(settings) {
  kinds <- c(settings$categories, unlist(lapply(settings$only, `[[`, "categories")))
  if (!"hash" %in% kinds) settings$buckets <- NULL
  if (!"embedding" %in% kinds) settings$embedding_width <- NULL
  settings[lengths(settings) > 0]
}

# What is in force for the brief's table, with what the rule chose marked as such, and without what is switched off.
regimen_text <- function(b) {
  open <- names(b$regimen)[vapply(b$regimen, identical, NA, "auto")]
  settled <- if (is.null(b$table)) b$regimen else tryCatch(
    utils::modifyList(regimen_in_force(b), list(loss = if ("loss" %in% open) settled_loss(b)$kind else b$regimen$loss)),
    hylomath_error = function(e) b$regimen
  )
  off <- list(output = "auto", schedule = "constant", l1 = 0, clip_norm = 0, max_norm = 0, input_noise = 0, class_weights = "none", restarts = 1, keep = "best")
  shown <- settled[!vapply(names(settled), function(name) identical(settled[[name]], off[[name]]) || length(settled[[name]]) == 0, NA)]
  if (!identical(settled$method, "auto")) shown <- shown[!vapply(shown, identical, NA, "auto")]  # what the method has no use for
  chosen <- names(shown) %in% open & !vapply(shown, identical, NA, "auto")
  paste(paste0(names(shown), " ", vapply(shown, setting_text, ""), ifelse(chosen, " (auto)", "")), collapse = ", ")
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
  if (is.numeric(x)) paste(format_each(x), collapse = " ") else paste(x, collapse = " ")
}

# "  label      text", wrapped to the console with the text under itself.
indented <- function(label, text) {
  lines <- strwrap(text, max(30, cli::console_width() - 15))
  paste0("  ", formatC(c(label, rep("", length(lines) - 1)), width = -11), lines)
}
