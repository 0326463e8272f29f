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
