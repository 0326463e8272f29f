# One page to try a network by hand: a field for each column that it takes in, with what training saw of it, and the
# prediction beside them. `code` defines `predictRow`, which predicts a row: by itself, or by asking a service.

form_page <- function(model, code) {
  template <- paste(readLines(system.file("transcripts", "form.html", package = "hylomath"), encoding = "UTF-8"),
    collapse = "\n"
  )
  target <- target_in(model)
  about <- sprintf(
    "%s. Network %s. Every change is predicted at once; an empty field is a missing value.",
    capitalised(task_of(target)$describe(target)), identity_of(model)
  )
  about <- paste(c(about, rule_text(model$predictor)), collapse = " ")
  parts <- list(
    title = html_text(sprintf("A network that predicts %s", enumerate(target$columns))), about = html_text(about),
    columns = script_json(form_columns(model)), transcript = in_script(code)
  )
  # all at once, so that what looks like a place in one part is none
  places <- gregexpr("\\{\\{[a-z]+\\}\\}", template)
  wanted <- gsub("[{}]", "", regmatches(template, places)[[1]])
  regmatches(template, places) <- list(unlist(parts[wanted]))
  paste0(template, "\n")
}

responds_itself <- function(transcript) {
  paste0("{\n", transcript, "\n}\n", "const predictRow = async (row) => transcript.predict(row);")
}

asks_service <- paste(
  "async function predictRow(row) {",
  "  const response = await fetch(\"predict\", {",
  "    method: \"POST\", headers: { \"Content-Type\": \"application/json\" }, body: JSON.stringify({ rows: [row] }),",
  "  });",
  "  const body = await response.json();",
  "  if (!response.ok) throw new Error(body.error);",
  "  return body.predictions[0];",
  "}", sep = "\n"
)

html_text <- function(text) {
  for (pair in list(c("&", "&amp;"), c("<", "&lt;"), c(">", "&gt;"), c("\"", "&quot;"))) {
    text <- gsub(pair[1], pair[2], text, fixed = TRUE)
  }
  text
}

# Nothing in a script may end it.
in_script <- function(text) gsub("<!--", "<\\\\!--", gsub("</", "<\\\\/", text))

# The columns as fields: list(name, type, low, high, levels, told, value).
form_columns <- function(model) {
  plans <- model$predictor$preparation$columns
  names(plans) <- prepared_columns(model$predictor$preparation)
  derived <- names(model$predictor$preparation$rules$derived)
  lapply(raw_columns_of(model), function(column) {
    plan <- if (!column$name %in% derived) plans[[column$name]]
    field <- list(name = column$name, type = column$type, told = form_told(column))
    if (is.null(plan)) return(field)
    if (column$type == "number") {
      return(c(field, list(low = plan$seen_low, high = plan$seen_high, value = signif(plan$fill, 6))))
    }
    if (column$type == "flag") return(c(field, list(levels = I(c("TRUE", "FALSE")), value = "FALSE")))
    levels <- grep("^[(]withheld", c(plan$levels, plan$rare), value = TRUE, invert = TRUE)
    if (length(levels)) field <- c(field, list(levels = I(levels), value = levels[1]))
    field
  })
}

form_told <- function(column) {
  switch(column$type,
    date = "a date", time = "a date and a time", flag = "TRUE or FALSE",
    if (nzchar(column$trained)) paste("trained on", column$trained) else "a number"
  )
}
