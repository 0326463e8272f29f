#' @export
print.hylomath_brief <- function(x, ...) print_lines(x)

#' @export
format.hylomath_brief <- function(x, ...) {
  table <- x$table
  # what is in force for the table, or why nothing is
  a <- if (!is.null(table)) tryCatch(settle(x), hylomath_error = function(e) e)
  candidates <- if (inherits(a, "hylomath_analysis") && is_ensemble(a)) ensemble_candidates(a)
  size <- if (is.null(table)) "none yet" else paste0(counted(nrow(table), "row"), ", ", counted(ncol(table), "column"))
  c(
    cli::style_bold(sprintf("A brief: predict %s", enumerate(x$target))),
    brief_about_text(x$about),
    indented("task", brief_task_text(x)),
    indented("table", size),
    if (length(x$columns$kinds)) {
      brief_columns_text(x)
    } else {
      indented("columns", "kinds are guessed when the table is read")
    },
    brief_derive_text(x),
    indented("prepare", settings_text(shown_preparation(x$prepare))),
    indented("hold out", settings_text(x$hold_out)),
    if (!is.null(a)) indented("parts", parts_in_words(a)),
    if (inherits(a, "hylomath_analysis")) indented("ensemble", ensemble_in_words(a)),
    brief_wiring_text(x, a, candidates),
    indented("regimen", regimen_text(x, candidates[[1]] %||% a)),
    if (length(x$decisions)) indented("decisions", settings_text(x$decisions)),
    if (inherits(a, "hylomath_analysis")) format_notes(brief_notes(x, a))
  )
}

brief_about_text <- function(about) unlist(Map(indented, names(about), lapply(about, enumerate)))

# The ensemble that is trained, or why there is none.
ensemble_in_words <- function(a) {
  if (!is_ensemble(a)) return(sprintf("none, one network is trained: %s", a$single))
  auto <- if (identical(a$brief[["hold_out"]]$folds, "auto")) sprintf(" (auto, by rule %d)", as.integer(a$brief$rule))
  how <- if (a$hold_out$by == "ordered") {
    paste0(
      "%d folds%s; each network learns from earlier rows and predicts later ones; at last all learn from all rows. ",
      sprintf("The earliest %s have no out-of-fold prediction.", counted(sum(a$fold %in% 0:1), "row"))
    )
  } else {
    "%d folds%s; each network learns from all folds but two, one of these stops it, it predicts the other"
  }
  sprintf(how, as.integer(a$hold_out$folds), auto %||% "")
}

# What an open wiring comes to.
brief_wiring_text <- function(b, a, candidates) {
  if (b$wiring != "auto" || !inherits(a, "hylomath_analysis")) return(indented("wiring", b$wiring))
  if (is.null(candidates)) return(indented("wiring", sprintf("%s (auto)", format_wiring(a$wiring))))
  c(
    indented("wiring", paste0(
      "auto: these",
      if (length(trial_folds(a, candidates))) sprintf(" (after %d folds those behind are given up)", folds_of_trial),
      ", blended by their out-of-fold predictions"
    )),
    unlist(lapply(names(candidates), function(name) {
      on_trial <- length(trial_folds(a, candidates)) && !name %in% first_candidates(candidates)
      indented("", paste0(name, if (on_trial) trial_text(name, candidates[[name]])))
    }))
  )
}

# When a smooth wiring is tried, and what it takes.
trial_text <- function(name, a) {
  by <- function(share) if (share > 0) paste0(format_percent_short(share), " ") else ""
  when <- if (name %in% larger_wirings) {
    sprintf("if those of few units are %sbelow the others", by(lead_worth_larger))
  } else {
    sprintf("if the best so far is %sbelow linear", by(bend_worth_a_trial(a)))
  }
  sprintf(" (%s; %s)", when, second_order_text(a, function() learn_preparation(a)))
}

brief_task_text <- function(b) {
  if (is.null(b$task)) return("guessed when the table is read")
  target <- target_of(b)
  task_of(target)$describe(target)
}

# Columns by what is done with them, so that a wrong guess is seen at once.
brief_columns_text <- function(b) {
  columns <- b$columns
  kinds <- unlist(columns$kinds)
  inputs <- brief_inputs(b)
  roles <- unlist(columns[intersect(column_roles, names(columns))])
  by_kind <- split(inputs, factor(kinds[inputs], column_kinds), drop = TRUE)
  unused <- setdiff(names(kinds), c(inputs, b$target, roles, columns$drop, b[["hold_out"]]$parts))
  list_of <- function(label, names) if (length(names)) indented(label, enumerate(names, limit = 30))
  c(
    indented("inputs", sprintf("%d columns", length(inputs))),
    unlist(lapply(names(by_kind), function(kind) list_of(paste0("  ", kind), by_kind[[kind]]))),
    unlist(lapply(names(roles), function(role) indented(role, roles[[role]]))),
    list_of("dropped", columns$drop),
    if (length(columns$formats)) indented("written", paste(names(columns$formats), columns$formats, collapse = "; ")),
    if (length(unused)) list_of("not used", sprintf("%s (%s)", unused, kinds[unused]))
  )
}

# Expressions may be longer than anybody reads; the file has them whole.
most_shown <- 1000

brief_derive_text <- function(b) {
  derived <- unlist(b[["add_columns"]])
  condition <- b[["keep_rows"]]
  c(
    if (length(derived)) {
      indented("derived", paste0(names(derived), " = ", shorten(derived, most_shown), collapse = "; "))
    },
    if (!is.null(condition)) indented("keep rows", shorten(condition, most_shown))
  )
}

# What only some categories have a use for is shown where one is set.
shown_preparation <- function(settings) {
  kinds <- c(settings$categories, unlist(lapply(settings$only, `[[`, "categories")))
  if (!"hash" %in% kinds) settings$buckets <- NULL
  if (!"embedding" %in% kinds) settings$embedding_width <- NULL
  if (identical(settings$strongest, "auto")) settings$strongest <- NULL
  settings[lengths(settings) > 0]
}

# What is in force for the brief's table, with what the rule chose marked as such, and without what is switched off.
regimen_text <- function(b, a) {
  said <- b[["regimen"]]
  is_open <- function(x) vapply(x, identical, NA, "auto")
  in_force <- settled_settings(said, a)
  reason <- if (!identical(in_force$method, said$method)) {
    method_reason(a, in_force$method, function() learn_preparation(a))
  }
  is_off <- function(name) identical(in_force[[name]], switched_off[[name]]) || length(in_force[[name]]) == 0
  shown <- in_force[!vapply(names(in_force), is_off, NA)]
  if (!identical(in_force$method, "auto")) shown <- shown[!is_open(shown)]  # what the method has no use for
  # what goes to its one minimum is not stopped before
  if (identical(in_force$method, "newton") && identical(said$stop, "auto")) shown$stop <- NULL
  differs <- vapply(names(shown), function(name) !identical(shown[[name]], said[[name]]), NA)
  chosen <- names(shown) %in% names(said) & differs & !is_open(shown)
  by_rule <- ifelse(names(shown) == "method", paste0(" (auto: ", reason, ")"), " (auto)")
  texts <- paste0(names(shown), " ", vapply(shown, setting_text, ""), ifelse(chosen, by_rule, ""))
  paste(texts, collapse = ", ")
}

switched_off <- list(
  output = "auto", schedule = "constant", l1 = 0, gradient_clip = 0, max_norm = 0, input_noise = 0,
  class_weights = "none",
  restarts = 1, keep = "best"
)

# The regimen in force where the brief and its table go together.
settled_settings <- function(said, a) {
  if (!inherits(a, "hylomath_analysis")) return(said)
  tryCatch(
    {
      in_force <- regimen_in_force(a, function() learn_preparation(a))
      if (identical(said$loss, "auto")) in_force$loss <- a$target$loss$kind
      in_force
    },
    hylomath_error = function(e) said
  )
}

# The parts that the settings come to, or why they come to none.
parts_in_words <- function(a) {
  if (inherits(a, "condition")) paste("none yet:", a$what) else parts_text(count_parts(a))
}

parts_text <- function(parts) paste(format_each_count(parts$rows), part_words(parts$part), collapse = ", ")

settings_text <- function(settings) {
  if (length(settings) == 0) return("as usual")
  paste(names(settings), vapply(settings, setting_text, ""), collapse = ", ")
}

setting_text <- function(x) {
  if (is.list(x)) return(paste0("(", paste(names(x), vapply(x, setting_text, ""), collapse = ", "), ")"))
  paste(if (is.numeric(x)) format_each(x) else x, collapse = " ")
}
