# The table at a desk: its columns with what they are for, pictures of their distributions, its rows by the page. What
# runs here runs in the desk's worker.

the_desk_table <- new.env(parent = emptyenv())

# The table of a source, read once as long as its file and the columns that are texts stay as they are.
desk_table <- function(data, kinds = NULL) {
  file <- data$file %||% data$sqlite
  stamp <- list(data, text_columns(kinds), if (!is.null(file)) as.list(file.info(file)[c("size", "mtime")]))
  if (!identical(the_desk_table$stamp, stamp)) {
    the_desk_table$table <- structure(read_source(data, kinds = kinds), columns = NULL)
    the_desk_table$stamp <- stamp
    the_desk_table$seen <- NULL
  }
  the_desk_table$table
}

# A table that comes from elsewhere, kept in the folder: under its own name, or with a number behind it where another
# table has that, since briefs of the desk name their tables. list(file).
keep_table <- function(from, name = basename(from)) {
  stem <- sub("[.].*$", "", name)
  for (i in seq_len(1e4)) {
    file <- file.path("tables", if (i == 1) name else sprintf("%s-%d%s", stem, i, substring(name, nchar(stem) + 1)))
    if (!file.exists(file)) {
      replace_whole(file, function(part) file.copy(from, part, overwrite = TRUE))
      break
    }
    if (identical(unname(tools::md5sum(from)), unname(tools::md5sum(file)))) break
  }
  list(file = file)
}

# The tables of the desk's folder: lists of `label` and `source`, one for each sheet of a workbook and each table of a
# database.
desk_sources <- function() {
  files <- list.files(c(".", "tables"), table_endings, full.names = TRUE, ignore.case = TRUE)
  unlist(lapply(sub("^[.]/", "", files), function(file) {
    # what can't be read says so when it is opened
    whole <- if (is_database_file(file)) list(sqlite = file, query = "select 1") else list(file = file)
    tryCatch(sources_in(file), hylomath_error = function(e) list(list(label = file, source = whole)))
  }), recursive = FALSE)
}

sources_in <- function(file) {
  if (is_database_file(file)) {
    return(lapply(sqlite_tables(file), function(table) {
      query <- sprintf("select * from %s", DBI::dbQuoteIdentifier(DBI::ANSI(), table))
      list(label = sprintf("%s, %s", file, table), source = list(sqlite = file, query = query))
    }))
  }
  sheets <- if (file_kind(file) == "excel") excel_sheets(file)
  if (length(sheets) < 2) return(list(list(label = file, source = list(file = file))))
  lapply(sheets, function(sheet) {
    list(label = sprintf("%s, %s", file, sheet), source = list(file = file, sheet = sheet))
  })
}

# A brief as text, with its table.
desk_brief <- function(data, text) {
  b <- read_brief(text = text, read = FALSE)
  with_table(b, desk_table(data, unlist(b$columns$kinds)))
}

# The first brief of a table, as text. Seeds are drawn, so that it means the same wherever it is trained.
desk_start <- function(data, target) {
  b <- start_brief(desk_table(data), target, source = data)
  for (section in c("hold_out", "regimen")) b[[section]]$seed <- draw_seed()
  text <- brief_yaml(b)
  c(list(draft = text), desk_see_table(data, text))
}

# The brief after what was clicked on, and what the page shows of it: list(draft, table, brief). `change` is
# list(what, ...), see brief_changes().
desk_draft <- function(data, text, change) {
  b <- brief_changes()[[change$what]](desk_brief(data, text), change)
  text <- brief_yaml(b)
  c(list(draft = text), desk_see_table(data, text))
}

brief_changes <- function() {
  list(
    set = function(b, change) brief_with(b, change$key, change$value),
    best = function(b, change) with_settings_of(b, best_brief(read_result(change$file))),
    trial = function(b, change) {
      found <- read_result(change$file)
      trial <- type_count(max(found$trials$trial))(as_one_number(change$trial), "trial")
      with_settings_of(b, trial_brief(found[c("brief", "base", "space")], found$rows, trial))
    },
    inputs = function(b, change) {
      set_columns(b, keep = tidyselect::all_of(brief_inputs(best_brief(read_result(change$file)))))
    },
    # units or layers are no keys of the brief, and make another wiring
    take = function(b, change) changed_brief(b, stats::setNames(list(change$value), change$key)),
    column = function(b, change) brief_with_column(b, change$column, change$of, change$value),
    merge = function(b, change) merged_brief(b, change$column, change$levels),
    advice = advised_brief,
    positive = function(b, change) {
      b["positive"] <- list(change$value)
      completed_anew(b)
    }
  )
}

# What a search found, with the brief's own rows and seed.
with_settings_of <- function(b, found) {
  own <- brief_settings(found)
  own$regimen["seed"] <- list(b[["regimen"]]$seed)
  said <- brief_settings(b)
  said[c("prepare", "wiring", "regimen")] <- own[c("prepare", "wiring", "regimen")]
  complete_brief(settle_settings(said, brief_schema), b$table)
}

# Levels that are the same thing, put together under the one with most rows.
merged_brief <- function(b, column, levels) {
  if (length(levels) < 2) fail("Tick two levels or more that are the same thing.")
  derived <- as.list(b$add_columns)
  labels <- as_label(working_table_of(b)[[column]])
  derived[[column]] <- if (is.null(derived[[column]])) merging_text(column, list(levels), labels) else {
    merging_text(column, list(levels), labels, derived[[column]])
  }
  b$add_columns <- derived
  b$columns$kinds[[column]] <- NULL
  if (column %in% b$target) b[c("task", "classes", "positive")] <- NULL
  completed_anew(b)
}

# ---- what is shown of it ---------------------------------------------------------------------------------------------

most_columns_shown <- 200
most_levels_shown <- 40

# list(table, brief): what the page shows of the table and, where there is a brief, of that.
desk_see_table <- function(data, text = NULL) {
  table <- desk_table(data)
  if (is.null(text)) {
    if (is.null(the_desk_table$seen)) the_desk_table$seen <- look(table)
    return(list(table = as_html(table_part(table, the_desk_table$seen, NULL)), brief = ""))
  }
  b <- desk_brief(data, text)
  a <- settled_or_wrong(b)
  table <- working_table_of(b)
  notes <- if (inherits(a, "hylomath_analysis")) brief_notes(b, a)
  seen <- look(table, target = b$target[1])
  # what the brief has its own notes on, or has settled
  settled <- c("rows_belong_together", "gives_target_away", "few_values", "id_like", "total_row")
  seen$notes <- rbind(seen$notes[!seen$notes$code %in% settled, ], notes)
  list(table = as_html(table_part(table, seen, b)), brief = as_html(brief_part(b, a)))
}

# What a brief comes to, or what is wrong with it.
settled_or_wrong <- function(b) tryCatch(settle(b), hylomath_error = identity)

table_part <- function(table, seen, b) {
  facts <- utils::head(seen$columns, most_columns_shown)
  uses <- if (!is.null(b)) column_uses(b)
  kinds <- if (!is.null(b)) unlist(b$columns$kinds) else stats::setNames(facts$kind, facts$column)
  classes <- if (!is.null(b)) classes_to_picture(b, table)
  rows <- lapply(seq_len(nrow(facts)), function(i) {
    column <- facts$column[i]
    column_row(facts[i, ], table[[column]], kinds[[column]] %||% facts$kind[i], uses[column], classes)
  })
  left <- nrow(seen$columns) - nrow(facts)
  heads <- c("column", "is for", "kind", "values", "missing", "spread")
  list(
    element("p", class = "size", sprintf(
      "%s, %s%s", counted(nrow(table), "row"), counted(ncol(table), "column"),
      if (is.null(b)) ". Which column is to be predicted?" else ""
    )),
    class_legend(classes),
    in_scroll("Columns of the table", element(
      "table", class = "columns",
      element("thead", element("tr", lapply(heads, function(head) element("th", head, scope = "col")))),
      element("tbody", rows)
    )),
    if (left > 0) {
      element("p", class = "unsaid", sprintf("And %s, which the brief knows too.", counted(left, "more column")))
    },
    desk_notes(seen$notes)
  )
}

# The brief after what a note of it, or of a sheet's model, advises.
advised_brief <- function(b, change) {
  said <- if (is.null(change$of)) {
    a <- settled_or_wrong(b)
    rbind(
      if (inherits(a, "hylomath_analysis")) brief_notes(b, a), look(working_table_of(b), target = b$target[1])$notes
    )
  } else {
    model <- read_model(model_place(list(id = change$of)))
    if (length(model$evaluated)) notes(appraise(model)) else notes(model)
  }
  calls <- advised_calls(said$try[match(change$note, vapply(said$note, rlang::hash, ""))])
  if (length(calls) == 0) fail("The note advises nothing that can be done here.")
  for (call in calls) b <- eval(as.call(append(as.list(call), list(quote(b)), 1)), list(b = b), asNamespace("hylomath"))
  b
}

column_row <- function(facts, x, kind, use, classes) {
  column <- facts$column
  name <- function(what) sprintf("%s of %s", what, column)
  role <- if (is.null(use)) {
    element(
      "button", "Predict this", type = "button", `data-act` = "target", `data-column` = column,
      `aria-label` = sprintf("Predict %s", column)
    )
  } else {
    choice_of(
      c("target", "input", column_roles, "drop"), use, name("Role"), `data-act` = "column", `data-column` = column,
      `data-of` = "role"
    )
  }
  element(
    "tr", class = if (identical(unname(use), "target")) "target",
    element("th", column, scope = "row"), element("td", role),
    element("td", if (is.null(use)) kind else choice_of(
      union(kind, c("number", "count", "flag", "category", "date", "time", "id", "text")), kind, name("Kind"),
      `data-act` = "column", `data-column` = column, `data-of` = "kind"
    )),
    element("td", class = "values", facts$values, level_boxes(column, x, kind, use)),
    element("td", class = "number", if (facts$missing > 0) format_count(facts$missing) else ""),
    element("td", htmltools::HTML(distribution_svg(x, kind, classes)))
  )
}

# Levels to tick that are the same thing.
level_boxes <- function(column, x, kind, use) {
  if (is.null(use) || kind != "category") return(NULL)
  levels <- labels_in(x)
  if (length(levels) < 3 || length(levels) > most_levels_shown) return(NULL)
  boxes <- lapply(sort(levels), function(level) {
    element("label", element("input", type = "checkbox", value = level), " ", level)
  })
  folded_element(
    "same levels",
    element("fieldset", element("legend", sprintf("Tick levels of %s that are the same thing", column)), boxes),
    element("button", "Put them together", type = "button", `data-act` = "merge", `data-column` = column),
    class = "levels"
  )
}

# ---- pictures of distributions ---------------------------------------------------------------------------------------

most_classes_pictured <- 4
rows_pictured <- 20000

# The target's classes along the rows, where they are few enough to be told apart in a small picture.
classes_to_picture <- function(b, table) {
  if (length(b$target) > 1 || is.null(b$classes) || is.null(table[[b$target]])) return(NULL)
  labels <- as_label(table[[b$target]])
  count <- sort(table(labels), decreasing = TRUE)
  if (length(count) > most_classes_pictured) return(NULL)
  factor(labels, names(count))
}

class_legend <- function(classes) {
  if (is.null(classes)) return(NULL)
  keys <- Map(function(name, colour) {
    list(element("i", style = paste0("background:", colour)), element("span", name))
  }, levels(classes), unname(figure_lines)[seq_along(levels(classes))])
  element("p", class = "legend", "Shares of ", unname(keys))
}

# Bars of a column's values. With classes each bar is the share of each of them, as wide as it has rows; without, bars
# are as high as they have rows.
distribution_svg <- function(x, kind, classes, width = 116, height = 28) {
  n <- length(x)
  if (n > rows_pictured) {
    rows <- unique(round(seq(1, n, length.out = rows_pictured)))
    x <- x[rows]
    classes <- classes[rows]
  }
  bins <- value_bins(x, kind)
  if (is.null(bins)) return("")
  counts <- if (is.null(classes)) matrix(tabulate(bins, nlevels(bins)), 1) else unclass(table(classes, bins))
  total <- colSums(counts)
  if (sum(total) == 0) return("")
  step <- width / ncol(counts)
  bars <- if (is.null(classes)) {
    h <- height * total / max(total)
    svg_bars(step * (seq_along(total) - 1), height - h, step * 0.86, h, figure_lines[[1]])
  } else {
    tops <- apply(counts, 2, function(column) cumsum(column) / max(1, sum(column)))
    tops <- matrix(tops, nrow(counts))
    wide <- step * 0.92 * sqrt(total / max(total))
    at <- step * (seq_along(total) - 0.5) - wide / 2
    unlist(lapply(seq_len(nrow(counts)), function(k) {
      below <- if (k == 1) 0 else tops[k - 1, ]
      svg_bars(at, height * below, wide, height * (tops[k, ] - below), figure_lines[[k]])
    }))
  }
  sprintf(
    "<svg class='spread' viewBox='0 0 %d %d' width='%d' height='%d' aria-hidden='true'>%s</svg>", width, height, width,
    height, paste(bars, collapse = "")
  )
}

svg_bars <- function(x, y, width, height, colour) {
  bars <- sprintf(
    "<rect x='%.1f' y='%.1f' width='%.1f' height='%.1f' fill='%s'/>", x, y, width, height, colour
  )
  bars[height > 0 & width > 0]
}

# A factor of the values' bins; NULL for what has no distribution to look at.
value_bins <- function(x, kind) {
  if (kind %in% c("id", "text", "other", "missing", "constant")) return(NULL)
  if (is.numeric(x) || inherits(x, c("Date", "POSIXct"))) {
    x <- as.numeric(x)
    x[!is.finite(x)] <- NA
    if (length(unique(x[!is.na(x)])) > 12) {
      ends <- stats::quantile(x, c(0.005, 0.995), na.rm = TRUE, names = FALSE)
      if (ends[1] < ends[2]) {
        return(cut(pmin(pmax(x, ends[1]), ends[2]), seq(ends[1], ends[2], length.out = 21), include.lowest = TRUE))
      }
    }
    return(factor(x))
  }
  labels <- as_label(x)
  common <- names(utils::head(sort(table(labels), decreasing = TRUE), 12))
  factor(labels, common)
}

# ---- its rows --------------------------------------------------------------------------------------------------------

rows_a_page <- 25

# A page of the rows that a condition holds for, in the order of a column: those of the file, or with what the brief
# makes of them.
desk_rows <- function(data, text, page = 1, sort = NULL, down = FALSE, where = "") {
  table <- if (is.null(text)) desk_table(data) else working_table_of(desk_brief(data, text))
  rows <- if (nzchar(where)) which(rows_where(where, table, "The condition")) else seq_len(nrow(table))
  if (!is.null(sort) && sort %in% names(table)) {
    x <- table[[sort]][rows]
    rows <- rows[order(if (is.factor(x)) as.character(x) else x, decreasing = isTRUE(down), na.last = TRUE)]
  }
  pages <- max(1, ceiling(length(rows) / rows_a_page))
  page <- min(max(1, page), pages)
  shown <- rows[seq_len(length(rows)) > (page - 1) * rows_a_page & seq_len(length(rows)) <= page * rows_a_page]
  columns <- utils::head(names(table), 60)
  cells <- lapply(table[shown, columns, drop = FALSE], function(x) {
    text <- if (is.numeric(x)) format_each_short(x) else as_label(x)
    ifelse(is.na(text), "", text)
  })
  heads <- lapply(columns, function(column) {
    state <- if (identical(column, sort)) if (isTRUE(down)) "descending" else "ascending"
    element("th", scope = "col", `aria-sort` = state, element(
      "button", column, type = "button", `data-act` = "rows", `data-sort` = column,
      `data-down` = if (identical(state, "ascending")) "true" else "false"
    ))
  })
  body <- lapply(seq_along(shown), function(i) {
    element("tr", element("th", format_count(shown[i]), scope = "row"), lapply(cells, function(cell) {
      element("td", substr(cell[i], 1, 80))
    }))
  })
  step <- function(label, to, can) {
    element("button", label, type = "button", `data-act` = "rows", `data-page` = to, disabled = if (!can) NA)
  }
  list(rows = as_html(list(
    in_scroll("Rows of the table", element(
      "table", class = "rows", element("thead", element("tr", element("th", "row", scope = "col"), unname(heads))),
      element("tbody", body)
    )),
    element(
      "p", class = "pager", step("Earlier rows", page - 1, page > 1),
      sprintf("Page %s of %s, %s", format_count(page), format_count(pages), counted(length(rows), "row")),
      step("Later rows", page + 1, page < pages)
    )
  )))
}
