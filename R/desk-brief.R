# The brief as sentences. Each word in them that stands for a setting opens what the setting can be, what it means and
# what the rule makes of it on this table. Which settings there are, what they can be and what they mean comes from the
# brief's schema and the help pages: a setting that is new stands among the others by itself.

# What stands in sentences, with the settings' keys in braces. The others stand behind them, each by its name.
brief_sentences <- function(b) {
  c(
    "Numbers are {prepare.numbers}, and values far out are {prepare.clip}. Missing values are {prepare.missing}.",
    "Categories are {prepare.categories}; levels with a share below {prepare.rare} are put together.",
    "The network is tested on {hold_out.test} of the rows, {hold_out.by}, which are used for nothing else.",
    paste0(
      "{hold_out.folds} is trained",
      if (identical(b[["hold_out"]]$folds, 0)) "; {hold_out.validation} of the rows decide when it stops", "."
    ),
    "The hidden layers are {wiring}.",
    "The method is {regimen.method}, for at most {regimen.epochs} epochs; training stops {regimen.stop}.",
    if (!is.null(b$classes)) "Each class counts {regimen.class_weights}.",
    "The penalty on large weights is {regimen.l2}."
  )
}

# How values read in those sentences; what is not here reads as it is written.
# `%s` is what the rule makes of it on this table.
value_words <- list(
  prepare.numbers = c(
    auto = "prepared by the rule", zscore = "scaled to standard deviations", minmax = "scaled from 0 to 1",
    minmax_signed = "scaled from -1 to 1", robust = "scaled by median and quartiles",
    rank_normal = "replaced by their ranks", piecewise = "cut into pieces", periodic = "turned into waves",
    none = "taken as they are"
  ),
  prepare.clip = c(auto = "treated by the rule", far = "moved to the edge", "0" = "kept"),
  prepare.missing = c(
    auto = "filled by the rule", median = "filled by the median", mean = "filled by the mean",
    common = "filled by the commonest level", own = "a level of their own", flag = "filled by the median and flagged",
    drop = "a reason to leave the row out"
  ),
  prepare.categories = c(
    auto = "encoded by the rule", indicator = "one input a level", ordinal = "numbered in their order",
    frequency = "replaced by their frequency", hash = "hashed into buckets", embedding = "learned as points"
  ),
  hold_out.test = c(auto = "a fifth", "0" = "none"),
  hold_out.by = c(
    stratified = "with the same shares of every class or size", random = "drawn at random",
    ordered = "the last in time", key = "drawn by a hash of their id or group"
  ),
  hold_out.folds = c(auto = "A cross-validation ensemble", "0" = "One network"),
  hold_out.validation = c(auto = "%s (by the rule)"),
  wiring = c(auto = "%s (by the rule)", linear = "none: it is a linear model"),
  regimen.method = c(auto = "%s (by the rule)"),
  regimen.epochs = c(auto = "%s (by the rule)"),
  regimen.stop = c(auto = "when the validation loss has not improved for %s epochs", none = "at the last epoch only"),
  regimen.class_weights = c(none = "by its number of rows", even = "the same, however rare it is"),
  regimen.l2 = c(auto = "%s (by the rule)", evidence = "set by the data (evidence)")
)

# The settings that a user may open, by key: list(key, path, type, meaning).
desk_settings <- function() {
  # the help pages are read once
  if (is.null(the_help$settings)) the_help$settings <- described_settings()
  the_help$settings
}

the_help <- new.env(parent = emptyenv())

described_settings <- function() {
  pages <- tools::Rd_db("hylomath")
  argument_meaning <- function(verb, argument) meaning_in_help(pages, verb, argument)
  of_section <- function(schema, section, verb) {
    names <- names(schema)
    lapply(stats::setNames(names, paste0(section, ".", names)), function(name) {
      list(
        key = paste0(section, ".", name), path = c(section, name), type = schema[[name]],
        meaning = argument_meaning(verb, name)
      )
    })
  }
  c(
    of_section(brief_schema$prepare, "prepare", "prepare"), of_section(brief_schema$hold_out, "hold_out", "hold_out"),
    list(wiring = list(
      key = "wiring", path = "wiring", type = brief_schema$wiring, meaning = argument_meaning("wire", "wiring")
    )),
    of_section(brief_schema$regimen, "regimen", "regimen"), of_section(brief_schema$about, "about", "set_about"),
    of_section(brief_schema$decisions, "decisions", "set_decisions"),
    list(
      task = list(
        key = "task", path = "task", type = type_choice(task_words()), meaning = argument_meaning("brief", "task")
      ),
      add_columns = list(
        key = "add_columns", path = "add_columns", type = brief_schema$add_columns,
        meaning = argument_meaning("add_columns", "...")
      ),
      keep_rows = list(
        key = "keep_rows", path = "keep_rows", type = brief_schema$keep_rows,
        meaning = argument_meaning("keep_rows", "condition")
      )
    )
  )
}

# What an argument means, from the verb's help page as plain text; an empty one where there is none.
meaning_in_help <- function(pages, verb, argument) {
  page <- Find(function(page) any(vapply(rd_parts(page, "\\alias"), rd_text, "") == verb), pages)
  items <- unlist(lapply(rd_parts(page, "\\arguments"), rd_parts, "\\item"), recursive = FALSE)
  for (item in items) {
    names <- trimws(strsplit(gsub("\\dots", "...", rd_text(item[[1]]), fixed = TRUE), ",")[[1]])
    if (argument %in% names) return(trimws(gsub("\\s+", " ", rd_text(item[[2]]))))
  }
  ""
}

rd_parts <- function(page, tag) Filter(function(part) identical(attr(part, "Rd_tag"), tag), as.list(page))

# Marked-up text as plain text; code stands between backticks.
rd_text <- function(part) {
  tag <- attr(part, "Rd_tag") %||% ""
  if (tag == "\\dots") return("...")
  if (is.character(part)) return(paste(part, collapse = ""))
  inside <- paste(vapply(as.list(part), rd_text, ""), collapse = "")
  switch(tag, "\\code" = paste0("`", inside, "`"), "\\eqn" = inside, "\\doi" = paste0("doi:", inside), inside)
}

# A value as it stands in a file or behind `--set`.
written_value <- function(value) {
  if (length(value) == 0) return("")
  if (is.list(value)) {
    inside <- vapply(value, written_value, "")
    nested <- vapply(value, function(one) is.list(one) || length(one) > 1, NA)
    inside[nested & !startsWith(inside, "{")] <- sprintf("[%s]", inside[nested & !startsWith(inside, "{")])
    return(sprintf("{%s}", paste0(names(value), ": ", inside, collapse = ", ")))
  }
  paste(if (is.numeric(value)) format_each(value) else value, collapse = ", ")
}

# A value as a sentence says it; `in_force` is what the rule makes of it, as text.
value_in_words <- function(setting, value, in_force = NULL) {
  text <- written_value(value)
  known <- value_words[[setting$key]]
  if (text %in% names(known)) {
    said <- known[[text]]
    if (!grepl("%s", said, fixed = TRUE)) return(said)
    if (setting$key == "regimen.stop") in_force <- sub("^.*patience: ([0-9]+).*$", "\\1", in_force %||% "so many")
    return(sprintf(said, in_force %||% "as much as is usual"))
  }
  shares <- grepl("rare$|test$|validation$|calibration$", setting$key) && is.numeric(value) && length(value) == 1
  if (shares) return(format_percent_short(value))
  if (setting$key == "hold_out.folds") return(sprintf("A cross-validation ensemble of %s folds", text))
  if (setting$key == "regimen.stop") return(sprintf("by %s", text))
  if (!nzchar(text)) "nothing" else text
}

# ---- settings changed ------------------------------------------------------------------------------------------------

# The brief with one setting at another value, given as a text as behind `--set`; a list may be texts with commas
# between them, and an empty text takes the setting back to its default.
brief_with <- function(b, key, text) {
  said <- brief_settings(b)
  setting <- desk_settings()[[key]]
  if (is.null(setting)) fail(sprintf("The brief has no setting %s.", quoted(key)))
  listed <- offers_of(setting$type)$kind == "texts" && !grepl("^\\s*[[{]", text)
  value <- if (!nzchar(text)) {
    value_at(brief_defaults, setting$path)
  } else if (listed) {
    trimws(strsplit(text, ",", fixed = TRUE)[[1]])
  } else {
    setting_from_text(text, quoted(key))
  }
  # which classes there are belongs to the task
  if (key == "task") said[c("classes", "positive")] <- NULL
  said <- if (is.null(value)) without_setting(said, setting$path) else set_at(said, setting$path, value)
  complete_brief(settle_settings(said, brief_schema), b$table)
}

without_setting <- function(settings, path) {
  if (length(path) == 1) {
    settings[[path]] <- NULL
  } else if (!is.null(settings[[path[1]]])) {
    settings[[path[1]]] <- without_setting(settings[[path[1]]], path[-1])
  }
  settings
}

# The brief with a column in another role, or of another kind, or written in another way.
brief_with_column <- function(b, column, what, value) {
  said <- brief_settings(b)
  if (what == "kind") {
    said$columns$kinds[[column]] <- value
    return(complete_brief(settle_settings(said, brief_schema), b$table))
  }
  if (value == "target") return(target_moved(said, column, b$table))
  if (column %in% said$target) {
    fail(sprintf("%s is the target.", quoted(column)), "Make another column the target first.")
  }
  own <- names(Filter(function(role) identical(role, column), said$columns[column_roles]))
  said$columns[own] <- NULL
  if ("weight" %in% own) said$columns$weight_is <- NULL
  said$columns$drop <- setdiff(said$columns$drop, column)
  if (value == "drop") said$columns$drop <- union(said$columns$drop, column)
  if (value %in% column_roles) said$columns[[value]] <- column
  complete_brief(settle_settings(said, brief_schema), b$table)
}

# Another target is another task: what was said of the columns stays, and so do the seeds.
target_moved <- function(said, column, table) {
  said$target <- column
  said[c("task", "classes", "positive")] <- NULL
  said$columns$drop <- setdiff(said$columns$drop, column)
  roles <- Filter(function(role) identical(said$columns[[role]], column), column_roles)
  said$columns[roles] <- NULL
  said$columns$kinds[[column]] <- NULL
  complete_brief(settle_settings(said, brief_schema), table)
}

# The role of each column of a brief.
column_uses <- function(b, columns = names(b$columns$kinds)) {
  use <- stats::setNames(rep("not used", length(columns)), columns)
  use[intersect(columns, brief_inputs(b))] <- "input"
  use[intersect(columns, b$columns$drop)] <- "drop"
  for (role in column_roles) use[intersect(columns, b$columns[[role]])] <- role
  use[intersect(columns, b$target)] <- "target"
  use
}

# ---- the page's part -------------------------------------------------------------------------------------------------

# What the page shows of a brief; `a` is what it comes to on its table, or the error that says why nothing does.
brief_part <- function(b, a) {
  settings <- desk_settings()
  settled <- inherits(a, "hylomath_analysis")
  in_force <- if (settled) values_in_force(b, a) else list()
  sentences <- brief_sentences(b)
  spoken <- lapply(sentences, sentence_element, b = b, settings = settings, in_force = in_force)
  in_sentences <- unlist(regmatches(sentences, gregexpr("(?<=[{])[^}]+", sentences, perl = TRUE)))
  others <- settings[setdiff(names(settings), c("task", in_sentences))]
  list(
    element(
      "div", class = "sentences", target_sentence(b, settings$task), " ",
      unlist(lapply(spoken, c, " "), recursive = FALSE)
    ),
    if (settled) {
      element("p", class = "comes-to", sprintf("Rows: %s.", parts_in_words(a)), if (is_ensemble(a)) {
        sprintf("Ensemble: %s.", ensemble_in_words(a))
      })
    } else {
      element("p", class = "wrong", role = "alert", a$what, " ", advice_in_words(a$try %||% ""))
    },
    folded_element(
      "All other settings", element("ul", class = "others", lapply(others, function(setting) {
        name <- gsub("_", " ", sub("^[a-z_]+[.]", "", setting$key))
        element("li", paste0(capitalised(name), ": "), setting_word(setting, b, in_force))
      }))
    )
  )
}

# "Predict outcome (classification of 4 classes) from 10 columns."
target_sentence <- function(b, task) {
  inputs <- brief_inputs(b)
  classes <- if (!is.null(b$classes)) sprintf(" of %d classes", length(b$classes)) else ""
  list(
    "Predict ", element("b", enumerate(b$target), .noWS = "outside"), " (", setting_word(task, b, list()),
    paste0(classes, ") from "),
    element("b", counted(length(inputs), "column"), .noWS = "outside"), ".",
    if (length(b$classes) == 2) list(" The class to find is ", choice_of(
      b$classes, b$positive %||% "", "The class to find", `data-act` = "positive"
    ), ".")
  )
}

# A menu of words of which one is chosen.
choice_of <- function(words, chosen, label, ...) {
  options <- lapply(words, function(word) {
    element("option", word, value = word, selected = if (identical(word, unname(chosen))) NA)
  })
  if (!unname(chosen) %in% words) options <- c(list(element("option", chosen, value = "", selected = NA)), options)
  element("select", `aria-label` = label, ..., options, .noWS = "outside")
}

# A sentence with its settings as words to open.
sentence_element <- function(sentence, b, settings, in_force) {
  parts <- strsplit(sentence, "[{}]")[[1]]
  lapply(seq_along(parts), function(i) {
    if (i %% 2 == 0) setting_word(settings[[parts[i]]], b, in_force) else parts[i]
  })
}

# A setting as a word that opens what it can be.
setting_word <- function(setting, b, in_force) {
  value <- value_at(brief_settings(b), setting$path)
  text <- written_value(value)
  element(
    "details", class = "word", `data-key` = setting$key, .noWS = c("outside", "inside"),
    element("summary", value_in_words(setting, value, in_force[[setting$key]]), .noWS = "outside"),
    element("div", class = "choices", setting_choices(setting, text, in_force[[setting$key]]), .noWS = "outside")
  )
}

setting_choices <- function(setting, text, in_force) {
  offers <- offers_of(setting$type)
  words <- unique(c(offers$words, offers$choices))
  buttons <- lapply(words, function(word) {
    reads <- value_words[[setting$key]]
    reads <- if (word == "auto") "by the rule" else if (word %in% names(reads)) reads[[word]] else word
    if (reads != word) reads <- sprintf("%s (%s)", reads, word)
    element(
      "button", reads, type = "button", `data-act` = "set", `data-key` = setting$key, `data-value` = word,
      `aria-pressed` = if (identical(word, text)) "true" else "false"
    )
  })
  id <- gsub(".", "-", setting$key, fixed = TRUE)
  own <- if (offers$kind != "choice") {
    element(
      "form", `data-act` = "set", `data-key` = setting$key,
      element("label", `for` = id, offers_in_words(offers)),
      element("input", id = id, name = "value", value = if (text %in% words) "" else text, autocomplete = "off"),
      element("button", "Set")
    )
  }
  default <- written_value(value_at(brief_defaults, setting$path))
  list(
    element("p", class = "key", element("code", setting$key), if (nzchar(default)) sprintf(", by default %s", default)),
    if (!is.null(in_force)) element("p", class = "force", sprintf("On this table it comes to %s.", in_force)),
    if (length(buttons)) element("div", class = "buttons", buttons), own,
    if (nzchar(setting$meaning)) element("p", class = "meaning", with_code(setting$meaning)),
    element("p", class = "wrong", role = "alert", hidden = NA)
  )
}

offers_in_words <- function(offers) {
  switch(offers$kind,
    number = capitalised(offers$limits), texts = "Texts, with commas between them",
    map = "Values by name: {a: 1, b: 2}", "A value"
  )
}

# By key what `auto` and other open settings come to on the brief's table, as text.
values_in_force <- function(b, a) {
  # of the networks of an ensemble those of its first wiring
  own <- if (is_ensemble(a)) ensemble_candidates(a)[[1]] else a
  regimen <- settled_settings(b[["regimen"]], own)
  values <- c(
    stats::setNames(regimen, paste0("regimen.", names(regimen))),
    stats::setNames(a$hold_out, paste0("hold_out.", names(a$hold_out)))
  )
  said <- flat_settings(brief_settings(b))
  open <- names(said)[said == "auto"]
  values <- values[intersect(names(values), open)]
  values <- Filter(function(value) !identical(value, "auto") && length(value), values)
  if (identical(b$wiring, "auto")) values$wiring <- if (is_ensemble(a)) "several sets" else format_wiring(a$wiring)
  shares <- names(values) %in% paste0("hold_out.", c("validation", "test"))
  c(lapply(values[shares], format_percent_short), lapply(values[!shares], written_value))
}

# Elements as text; a list of them within one.
as_html <- function(x) {
  if (!inherits(x, "shiny.tag")) x <- element("div", x)
  enc2utf8(as.character(htmltools::doRenderTags(x, indent = FALSE)))
}
