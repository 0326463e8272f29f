# Pieces of a report as HTML. All text is escaped by what makes the elements; cells are those that are printed.

# An element with attributes by name and what it holds behind them.
element <- function(name, ..., .noWS = NULL) htmltools::tag(name, list(...), .noWS = .noWS)

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
