#' Write a report
#'
#' One page for readers who will not open R: what was predicted, how well and against what, how sure that is and what to
#' watch out for; then figures and tables, what each input does, the rows to look at, the brief in force, how to
#' make it again, and a model card. The page needs nothing but itself, prints well, and works by keyboard; cells of the
#' confusion matrix list rows, curves are read by pointing or by a slider, tables sort.
#'
#' A model keeps no inputs. What needs them (what each input does, the columns of rows to look at, unusual rows)
#' is in the report when the table is given that the model was trained on.
#'
#' @param x A model, or what [folds()], [scout()], [lineup()] or [watch_model()] returns.
#' @param file A path that ends in `.html`, or in `.pdf` where the browser Chromium is there to print it.
#' @param data Of a model, the table that it was trained on.
#' @param rows Whether the report may show single rows: their keys, values and predictions, also as points of figures.
#' @param ... Not used.
#' @return `file`, invisibly. It is written whole or not at all.
#' @section Looks: A report of a model counts as a look at its test rows, see [appraise()].
#' @section Errors: Another ending; a table that is not the one of the training. A model of whose rows nothing is left
#'   to evaluate it by is reported without measures.
#' @examples
#' set.seed(1)
#' model <- brief(kilns, target = "outcome") |>
#'   set_about(purpose = "To find firings that need a second look.", limits = "Gas kilns only.") |>
#'   quick() |> regimen(epochs = 20) |> train(progress = "none")
#' if (rlang::is_installed(c("ggplot2", "htmltools", "svglite"))) {
#'   file <- tempfile(fileext = ".html")
#'   write_report(model, file, kilns)
#'   file.size(file)
#' }
#' @export
write_report <- function(x, file, data = NULL, rows = TRUE, ...) {
  check_others(...)
  check_flag(rows, "rows")
  if (!is_text(file, 1)) fail(sprintf("A report's file is named by one text, not %s.", describe(file)))
  ending <- tolower(sub("^.*[.]", "", basename(file)))
  if (!ending %in% c("html", "pdf")) {
    fail(sprintf("%s has no ending that names a format for reports.", quoted(file)), "It is .html or .pdf.")
  }
  check_can_write(file)
  rlang::check_installed(c("ggplot2", "htmltools", "svglite"), "to write reports")
  on.exit(reporter("auto")(list(event = "done")))
  page <- page_text(report_parts(x, data, rows))
  if (ending == "pdf") page_to_pdf(page, file) else write_whole(charToRaw(enc2utf8(page)), file)
  invisible(file)
}

# What the page consists of: list(title, kicker, lead, sections).
report_parts <- function(x, data, rows) UseMethod("report_parts")

#' @export
report_parts.default <- function(x, data, rows) {
  wrong_object("write_report", "a model, folds, a scouting, a lineup or a watch", x)
}

check_no_data <- function(data, what) {
  if (!is.null(data)) fail(sprintf("A report of %s takes no `data`: it holds all that the report shows.", what))
}

kicker_of <- function(what) sprintf("%s, %s", what, format(Sys.Date(), "%Y-%m-%d"))

# ---- the page --------------------------------------------------------------------------------------------------------

# A report's page: one file that needs nothing else.

# `parts` is list(title, kicker, lead, sections).
page_text <- function(parts) {
  sections <- drop_nulls(parts$sections)
  links <- lapply(sections, function(s) element("li", element("a", s$title, href = paste0("#", s$id))))
  bodies <- lapply(sections, function(s) {
    heading <- paste0(s$id, "-heading")
    element("section", id = s$id, `aria-labelledby` = heading, element("h2", s$title, id = heading), s$content)
  })
  body <- element(
    "body",
    element("a", "To the report", class = "skip", href = "#report"),
    element(
      "div", class = "page",
      element("header", element("p", parts$kicker, class = "kicker"), element("h1", parts$title)),
      element("nav", `aria-label` = "Contents", element("ul", links)),
      element("main", id = "report", tabindex = "-1", element("div", class = "lead", parts$lead), bodies),
      element("footer", element("p", sprintf("Made by hylomath %s.", package_version_text())))
    ),
    element("script", htmltools::HTML(report_part("report.js")))
  )
  # an element `head` would be taken for what goes into the head of another page
  paste0(
    "<!DOCTYPE html>\n<html lang=\"en\">\n<head>\n<meta charset=\"utf-8\">\n",
    "<meta name=\"viewport\" content=\"width=device-width, initial-scale=1\">\n",
    "<title>", htmltools::htmlEscape(parts$title), "</title>\n<style>\n", report_part("report.css"), "\n</style>\n",
    "</head>\n", as.character(body), "\n</html>\n"
  )
}

# A style sheet or script of the package's pages.
report_part <- function(name, folder = "report") {
  path <- system.file(folder, name, package = "hylomath", mustWork = TRUE)
  paste(readLines(path, encoding = "UTF-8"), collapse = "\n")
}

# Prints a page to a PDF by a browser that is there.
page_to_pdf <- function(page, file) {
  browser <- Sys.which(c("chromium", "chromium-browser", "google-chrome", "chrome"))
  browser <- browser[nzchar(browser)]
  if (length(browser) == 0) {
    fail(
      "A PDF is printed by the browser Chromium, which is not here.",
      "Install it, or write .html and print that from any browser."
    )
  }
  folder <- tempfile("report-")
  dir.create(folder)
  on.exit(unlink(folder, recursive = TRUE))
  writeLines(page, file.path(folder, "report.html"), useBytes = TRUE)
  printed <- file.path(folder, "report.pdf")
  said <- suppressWarnings(system2(browser[[1]], c(
    "--headless", "--no-sandbox", "--disable-gpu", "--no-pdf-header-footer", paste0("--user-data-dir=", folder),
    paste0("--print-to-pdf=", printed), paste0("file://", file.path(folder, "report.html"))
  ), stdout = TRUE, stderr = TRUE, timeout = 120))
  if (!file.exists(printed)) fail(sprintf("The browser could not print the report: %s", utils::tail(said, 1)))
  replace_whole(file, function(part) file.copy(printed, part, overwrite = TRUE))
}

# ---- elements --------------------------------------------------------------------------------------------------------

# Pieces of a report as HTML. All text is escaped by what makes the elements; cells are those that are printed.

# An element with attributes by name and what it holds behind them.
element <- function(.tag, ..., .noWS = NULL) htmltools::tag(.tag, list(...), .noWS = .noWS)

# Each text in an element of its own.
said_in <- function(name, texts, ...) lapply(texts, function(text) element(name, with_code(text), ...))

# What stands between backticks is code.
with_code <- function(text) {
  parts <- strsplit(text, "`", fixed = TRUE)[[1]]
  if (length(parts) < 3) return(text)
  inside <- seq_along(parts) %% 2 == 0
  Map(function(part, code) if (code) element("code", part, .noWS = "outside") else part, parts, inside) |> unname()
}

paragraphs_of <- function(texts) said_in("p", texts)

# A section of a page: list(id, title, content). Sections that are NULL are left out.
page_section <- function(id, title, ...) list(id = id, title = title, content = drop_nulls(list(...)))

# Columns of cells as text by name, the first `keys` of them what the rows are about.
table_element <- function(cells, keys = 1, caption = NULL, sorts = TRUE) {
  n <- length(cells[[1]])
  if (n == 0) return(NULL)
  kind <- function(j) if (j <= keys) "key"
  heads <- lapply(seq_along(cells), function(j) element("th", names(cells)[j], scope = "col", class = kind(j)))
  rows <- lapply(seq_len(n), function(i) {
    element("tr", lapply(seq_along(cells), function(j) {
      text <- as.character(cells[[j]][i])
      if (j == 1) element("th", text, scope = "row", class = "key") else element("td", text, class = kind(j))
    }))
  })
  in_scroll(caption, element(
    "table", class = if (sorts && n > 2) "sorts",
    if (!is.null(caption)) element("caption", caption),
    element("thead", element("tr", heads)), element("tbody", rows)
  ))
}

# What may be wider than the page scrolls by itself, by keyboard too.
in_scroll <- function(label, table) {
  element("div", class = "scroll", tabindex = "0", role = "region", `aria-label` = label %||% "A table", table)
}

# Terms with what is said of them; NULLs are left out.
facts_element <- function(facts) {
  facts <- drop_nulls(facts)
  pairs <- lapply(names(facts), function(term) {
    list(element("dt", term), said_in("dd", as.character(facts[[term]])))
  })
  element("dl", class = "facts", pairs)
}

folded_element <- function(summary, ..., class = NULL) {
  element("details", class = class, element("summary", summary), ...)
}

# In a scrolling box that the keyboard reaches.
code_element <- function(text, label) {
  element(
    "pre", tabindex = "0", role = "region", `aria-label` = label, element("code", text, .noWS = c("outside", "inside")),
    .noWS = "inside"
  )
}

notes_element <- function(notes) {
  if (NROW(notes) == 0) return(element("p", "No notes."))
  lapply(seq_len(nrow(notes)), function(i) {
    told <- element("p", element("strong", with_code(notes$note[i])))
    element("div", class = "note", told, element("p", with_code(advice_in_words(notes$try[i]))))
  })
}

# A figure's value with what it is to be read beside.
card_element <- function(name, value, beside) {
  element(
    "div", class = "card",
    element("div", name, class = "name"), element("div", value, class = "value"),
    said_in("div", beside, class = "beside")
  )
}

# ---- figures ---------------------------------------------------------------------------------------------------------

# Figures within a report: SVG whose text is text, with a text that stands in its place.

# `figure` is a ggplot; `id` makes what it refers to its own; `curves` are values that are read by a slider or by
# pointing, list(name, at, series).
figure_element <- function(figure, id, caption = NULL, square = FALSE, curves = NULL) {
  reporter("auto")(list(event = "doing", what = "drawing", of = gsub("-", " ", id, fixed = TRUE)))
  figure <- titles_within(figure, if (square) 960 else 1280)
  svg <- figure_svg(figure, id, width = if (square) 6.7 else 8.9, height = 5.6)
  reading <- if (!is.null(curves)) {
    list(
      element(
        "div", class = "reading",
        element("label", `for` = paste0(id, "-at"), sprintf("Read the curves at %s", curves$name)),
        element(
          "input", id = paste0(id, "-at"), type = "range", min = "0", max = as.character(length(curves$at) - 1),
          value = "0"
        ),
        element("output", `for` = paste0(id, "-at"))
      ),
      element("script", type = "application/json", htmltools::HTML(script_json(curves)))
    )
  }
  element(
    "figure", class = if (square) "square", `data-curves` = if (!is.null(curves)) "",
    in_scroll(gsub("\n", " ", figure$labels$title, fixed = TRUE), htmltools::HTML(svg)), reading,
    if (!is.null(caption)) element("figcaption", caption)
  )
}

figure_svg <- function(figure, id, width, height) {
  drawing <- svglite::svgstring(
    width = width, height = height, pointsize = 12, standalone = FALSE, fix_text_size = FALSE, bg = "transparent"
  )
  device <- grDevices::dev.cur()
  tryCatch(print(figure), finally = grDevices::dev.off(device))
  svg <- as.character(drawing())
  said <- paste(c(figure$labels$title, figure$labels$subtitle), collapse = ". ")
  said <- htmltools::htmlEscape(gsub("\n", " ", said, fixed = TRUE), attribute = TRUE)
  svg <- sub("<svg ", sprintf("<svg role='img' aria-label='%s' ", gsub("'", "&#39;", said, fixed = TRUE)), svg)
  svg <- gsub("font-family: \"[^\"]*\"", "font-family: system-ui, sans-serif", svg)
  # the page's own paper shows, which may be dark
  svg <- gsub(sprintf("fill: %s;", figure_paper), "fill: none;", svg, fixed = TRUE)
  svg <- gsub("id='cp", sprintf("id='%s-cp", id), svg, fixed = TRUE)
  gsub("url(#cp", sprintf("url(#%s-cp", id), svg, fixed = TRUE)
}

# What plot_curves() draws, as values by epoch.
curve_values <- function(figure) {
  drawn <- figure$data
  parts <- unique(drawn$part)
  at <- sort(unique(drawn$epoch))
  series <- lapply(stats::setNames(nm = parts), function(part) {
    own <- drawn[drawn$part == part, ]
    own$loss[match(at, own$epoch)]
  })
  list(name = "epoch", at = I(at), series = lapply(series, function(values) I(signif(values, 6))))
}
