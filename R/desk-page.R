# The desk's page: its parts as HTML, and the one page that they stand on.

# A form's own button is one without a type: one of the type `submit` would make the library hold back all inputs
# until it is pressed.

# ---- parts -----------------------------------------------------------------------------------------------------------

show_part <- function(desk, name, html) {
  if (identical(desk$parts[[name]]$html, html) && name != "says") return(invisible())
  desk$version <- desk$version + 1
  desk$parts[[name]] <- list(html = html, version = desk$version)
}

# The record, the queue and the script after a change of the state.
show_record <- function(desk) {
  ids <- shown_sheets(desk$state)
  show_part(desk, "order", as.list(as.integer(ids)))
  for (id in ids) show_sheet(desk, desk$state$sheets[[id]])
  pinned <- Filter(function(id) desk$state$sheets[[id]]$pinned && makes_model(desk$state$sheets[[id]]), ids)
  show_part(desk, "script", as_html(script_part(desk$state)))
  show_part(desk, "pinned", as_html(if (length(pinned) > 1) element(
    "button", sprintf("Compare the %d pinned trainings", length(pinned)), type = "button", `data-act` = "compare"
  )))
  for (as in c("r", "commands")) {
    ending <- c(r = "R", commands = "sh")[[as]]
    write_whole(charToRaw(enc2utf8(paste0(desk_script(desk$state, as), "\n", collapse = ""))),
      file.path(desk$folder, paste0("script.", ending)))
  }
}

show_sheet <- function(desk, sheet) {
  show_part(desk, paste0("sheet-", sheet$id), as_html(sheet_part(desk, sheet)))
}

files_part <- function(files) {
  choices <- lapply(files, function(one) element("option", one$label, value = one$label))
  list(
    element(
      "form", `data-act` = "open", class = "line",
      element("label", `for` = "file-chosen", "A table of this folder"),
      element("select", id = "file-chosen", name = "table", element("option", "choose", value = ""), choices),
      element("button", "Open")
    ),
    folded_element(
      "From a database, by a query", element(
        "form", `data-act` = "open", class = "line",
        element("label", `for` = "db-file", "SQLite file of this folder, or the name of a PostgreSQL database"),
        element("input", id = "db-file", name = "table", autocomplete = "off"),
        element("label", `for` = "db-query", "Query"),
        element("input", id = "db-query", name = "query", size = "40", autocomplete = "off",
          placeholder = "select * from firings"),
        element("button", "Open")
      )
    )
  )
}

script_part <- function(state) {
  list(
    code_element(paste(desk_script(state, "r"), collapse = "\n"), "The script in R"),
    folded_element(
      "As commands", code_element(paste(desk_script(state, "commands"), collapse = "\n"), "The script as commands")
    ),
    element("p", class = "unsaid", "In the folder they are script.R and script.sh. They give the same networks again.")
  )
}

# ---- a sheet ---------------------------------------------------------------------------------------------------------

sheet_part <- function(desk, sheet) {
  id <- as.integer(sheet$id)
  own <- function(act, label, ...) {
    element("button", label, type = "button", `data-act` = act, `data-sheet` = id, ...)
  }
  ends <- sheet$end
  runs <- identical(desk$job$id, sheet$id)
  waits <- is.null(ends) && !runs && kind_of(sheet)$long
  heading <- paste0("sheet-heading-", id)
  list(
    element(
      "header", element("h3", sheet_name(sheet), id = heading),
      element("span", class = "state", sheet_state(sheet, runs, waits)),
      element(
        "span", class = "tools",
        if (runs) own("stop", if (isTRUE(desk$job$stopped)) "Stopping \u2026" else "Stop", class = "main"),
        if (waits) own("first", "Do this first"), if (waits) own("stop", "Leave it out"),
        own("pin", if (sheet$pinned) "Unpin" else "Pin", `aria-pressed` = tolower(sheet$pinned)),
        if (!is.null(ends)) own("throw", "Throw away")
      )
    ),
    if (length(sheet$asks)) element(
      "p", class = "asks", paste(names(sheet$asks), vapply(sheet$asks, asked_in_words, ""), collapse = ", ")
    ),
    if (runs) element("div", class = "curves", `data-sheet` = id, `aria-label` = "Curves of the loss", role = "img"),
    if (runs) element("p", class = "progress", `data-sheet` = id, role = "status"),
    if (!is.null(ends) && length(ends$says)) element("p", class = "wrong", paste(ends$says, collapse = " ")),
    if (has_ended_well(sheet)) sheet_body(desk, sheet, own),
    folded_element("Note and name", element(
      "form", `data-act` = "name", `data-sheet` = id, class = "line",
      element("label", `for` = paste0("name-", id), "Name"),
      element("input", id = paste0("name-", id), name = "value", value = sheet$name %||% "", autocomplete = "off"),
      element("button", "Set")
    ), element(
      "form", `data-act` = "note", `data-sheet` = id, class = "line",
      element("label", `for` = paste0("note-", id), "Note"),
      element(
        "input", id = paste0("note-", id), name = "value", value = sheet$note %||% "", size = "40", autocomplete = "off"
      ),
      element("button", "Set")
    )),
    if (!is.null(sheet$note) && nzchar(sheet$note)) element("p", class = "user-note", sheet$note),
    folded_element("Code", code_element(paste(c(
      sheet_code(desk$state, sheet), "", paste("#", sheet_command(desk$state, sheet))
    ), collapse = "\n"), sprintf("The code of sheet %d", id)))
  )
}

asked_in_words <- function(value) written_value(if (is.numeric(value)) signif(value, 4) else value)

sheet_state <- function(sheet, runs, waits) {
  if (runs) return("at work")
  if (waits) return("waits for its turn")
  if (is.null(sheet$end)) return("under way")
  sprintf("%s, %s, %s", sheet$end$how, format_seconds(sheet$end$seconds), sheet$made)
}

sheet_body <- function(desk, sheet, own) {
  body <- desk$bodies[[as.character(sheet$id)]]
  list(
    if (is.null(body)) {
      own("show", "Show it", class = "main")
    } else {
      element("div", class = "body", htmltools::HTML(body))
    },
    if (makes_model(sheet)) {
      model_tools(desk, sheet, own)
    } else if (!is.null(kind_of(sheet)$leaves(sheet))) {
      download(sheet)
    }
  )
}

download <- function(sheet) {
  file <- kind_of(sheet)$leaves(sheet)
  element("p", class = "download", element(
    "a", sprintf("Download %s", basename(file)), href = paste0("/file/", file), download = NA
  ))
}

# What can be done with a model.
model_tools <- function(desk, sheet, own) {
  id <- as.integer(sheet$id)
  files <- unlist(lapply(desk$files, function(one) if (identical(names(one$source), "file")) one$source$file))
  tables <- function(name, first) element(
    "select", name = "table", `aria-label` = name, element("option", first, value = ""),
    lapply(files, function(file) element("option", file, value = file))
  )
  folded_element(
    "What to do with it", class = "uses",
    element(
      "form", `data-act` = "list", `data-sheet` = id, class = "line", "A ranked list of ",
      tables("Rows to list", "the rows of the training table"),
      choice_of(c("xlsx", "csv"), "xlsx", "Kind of file", name = "ending"), " rows that it learned from are ",
      choice_of(c("marked", "left out", "as others"), "marked", "Rows that it learned from", name = "learned"),
      element("button", "Make the list")
    ),
    element(
      "form", `data-act` = "row", `data-sheet` = id, class = "line",
      element("label", `for` = paste0("row-", id), "Why is this row predicted so? Its id or number"),
      element("input", id = paste0("row-", id), name = "row", size = "10", autocomplete = "off"),
      element("button", "Explain")
    ),
    element(
      "form", `data-act` = "watch", `data-sheet` = id, class = "line", "Have newer rows changed? Those of ",
      tables("Newer rows", "choose a file"), element("button", "Compare")
    ),
    element(
      "form", `data-act` = "subgroups", `data-sheet` = id, class = "line",
      element("label", `for` = paste0("by-", id), "How good is it by"),
      element("input", id = paste0("by-", id), name = "column", size = "12", list = "columns", autocomplete = "off"),
      element("button", "Show subgroups")
    ),
    element(
      "p", class = "buttons", own("form", "A form to try a row"), own("importance", "Which columns matter?"),
      own("report", "Write a report"), own("adopt-brief", "Take its brief up again")
    ),
    download(sheet)
  )
}

# ---- the page --------------------------------------------------------------------------------------------------------

desk_theme <- function() {
  bslib::bs_theme(
    version = 5, bg = figure_paper, fg = figure_text, primary = hue("ink"), secondary = hue("stone"),
    base_font = "system-ui, sans-serif", code_font = "ui-monospace, monospace", "enable-rounded" = TRUE
  )
}

# One page that needs nothing else: what the libraries bring stands in it.
desk_page <- function(title, nonce) {
  library_file <- function(name) {
    path <- system.file("www", "shared", name, package = "shiny", mustWork = TRUE)
    paste(readLines(path, encoding = "UTF-8", warn = FALSE), collapse = "\n")
  }
  theme <- dependency_text(bslib::bs_theme_dependencies(desk_theme()), "stylesheet", "^bootstrap$")
  # nothing is loaded
  theme <- gsub("@font-face\\s*[{][^}]*[}]", "", theme)
  shared <- paste(library_file("jquery.min.js"), library_file("shiny.min.js"), sep = ";\n")
  script <- function(text) {
    sprintf("<script nonce=\"%s\">\n%s\n</script>\n", nonce, gsub("</script", "<\\\\/script", text))
  }
  paste0(
    "<!DOCTYPE html>\n<html lang=\"en\">\n<head>\n<meta charset=\"utf-8\">\n",
    "<meta name=\"viewport\" content=\"width=device-width, initial-scale=1\">\n",
    "<title>", htmltools::htmlEscape(title), "</title>\n<style>\n", theme, "\n", report_part("report.css"), "\n",
    report_part("desk.css", "desk"), "\n</style>\n", script(shared), "</head>\n",
    as_html(desk_body(title)), script(report_part("report.js")), script(report_part("desk.js", "desk")), "</html>\n"
  )
}

# The files of one kind of dependencies, as one text.
dependency_text <- function(dependencies, kind, named = "") {
  texts <- lapply(dependencies, function(one) {
    if (!grepl(named, one$name)) return(NULL)
    folder <- one$src$file
    if (!is.null(one$package)) folder <- system.file(folder, package = one$package)
    lapply(file.path(folder, unlist(one[[kind]])), readLines, encoding = "UTF-8", warn = FALSE)
  })
  paste(unlist(texts), collapse = "\n")
}

desk_body <- function(title) {
  region <- function(id, label, ...) {
    element("section", `aria-labelledby` = paste0(id, "-heading"), class = "region",
      element("h2", label, id = paste0(id, "-heading")), ...)
  }
  part <- function(name, ...) element("div", id = paste0("part-", name), ...)
  demo <- lapply(demo_tables, function(name) {
    element("button", name, type = "button", `data-act` = "demo", `data-name` = name)
  })
  element(
    "body", class = "desk",
    element("a", "To the record", class = "skip", href = "#record"),
    element("header", class = "top", element("h1", "Hylomath"), element("p", class = "folder", title),
      element("p", id = "link", role = "status")),
    element("p", id = "says", role = "alert", hidden = NA),
    element(
      "main", class = "sides",
      element(
        "div", class = "left",
        region("table", "Table",
          element("div", class = "sources",
            element("p", class = "line", "Drop a file on this page, or ",
              element("label", `for` = "file", "choose one", element(
                "input", id = "file", type = "file", class = "visually-hidden shiny-input-file"
              )), ", or try made-up records: ", demo),
            part("files")),
          part("table"), element("datalist", id = "columns"),
          folded_element("Rows", element(
            "form", `data-act` = "rows", class = "line", element("label", `for` = "rows-where", "Rows with"),
            element("input", id = "rows-where", name = "where", size = "30", autocomplete = "off",
              placeholder = "a condition, or nothing for all"),
            element("button", "Show")
          ), part("rows"), class = "rows-of-table")),
        region("brief", "Brief", part("brief"),
          element("p", class = "buttons", id = "brief-tools", hidden = NA,
            element("button", "Train", type = "button", class = "main", `data-act` = "train"),
            element("button", "One network, quickly", type = "button", `data-act` = "set",
              `data-key` = "hold_out.folds", `data-value` = "0")),
          element("details", class = "better", id = "better", hidden = NA, element("summary", "Ways to make it better"),
            element("form", `data-act` = "vary", class = "line",
              element("label", `for` = "vary-setting", "Try"),
              element(
                "input", id = "vary-setting", name = "setting", value = "batch_size", size = "14", autocomplete = "off",
                list = "settings"
              ),
              element("label", `for` = "vary-values", "at"),
              element("input", id = "vary-values", name = "values", placeholder = "16, 64, 256", autocomplete = "off"),
              element("button", "Compare the values"),
              element("datalist", id = "settings", lapply(varied_words(), function(key) {
                element("option", value = key)
              }))),
            element("form", `data-act` = "scout", class = "line",
              element("label", `for` = "scout-budget", "Search settings in so many trials"),
              element("input", id = "scout-budget", name = "budget", value = "24", size = "4", autocomplete = "off"),
              element("button", "Search")),
            element("p", class = "buttons",
              element("button", "Does it depend on the rows? (folds)", type = "button", `data-act` = "folds"),
              element("button", "Would more rows help?", type = "button", `data-act` = "more-rows"),
              element("button", "Which columns can be left out? (sift)", type = "button", `data-act` = "sift"))))
      ),
      element(
        "div", class = "right", id = "record", tabindex = "-1",
        region("record", "Record", element("p", class = "unsaid", id = "nothing", "What you do appears here."),
          part("pinned"), element("div", id = "sheets")),
        region("script", "Script", part("script"))
      )
    )
  )
}
