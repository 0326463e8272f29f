# One theme and one palette for all figures. The colours differ in lightness as well as in hue, so that they stay
# apart in grey and for the colour-blind.

figure_colours <- c(ink = "#1F3A5F", ochre = "#D9902F", sea = "#4A9CA6", plum = "#6A3D67", stone = "#8B8F96")
figure_paper <- "#FBFAF7"
figure_pale <- "#EEF2F6"  # the light end of a scale that ends in ink
figure_text <- "#22303F"
figure_faint <- "#55585E"
figure_grid <- "#E6E3DB"

hue <- function(name) figure_colours[[name]]

# For lines that have to be told apart: light and dark in turn, and used with two kinds of dashes.
figure_lines <- c(figure_colours[c("ink", "ochre", "plum", "sea")], moss = "#5B6B2F", slate = "#878B92")
figure_dashes <- c("solid", "22", "solid", "22", "solid", "22")

figure_theme <- function(base_size = 13) {
  ggplot2::theme_minimal(base_size = base_size) +
    ggplot2::theme(
      plot.background = ggplot2::element_rect(fill = figure_paper, colour = NA),
      panel.grid.minor = ggplot2::element_blank(),
      panel.grid.major = ggplot2::element_line(colour = figure_grid, linewidth = 0.4),
      plot.title = ggplot2::element_text(face = "bold", colour = hue("ink")),
      plot.subtitle = ggplot2::element_text(colour = figure_faint, margin = ggplot2::margin(b = 10)),
      plot.title.position = "plot",
      axis.title = ggplot2::element_text(colour = figure_faint),
      plot.margin = ggplot2::margin(14, 18, 12, 14)
    )
}

need_ggplot <- function() rlang::check_installed("ggplot2", "to draw figures")

#' Write a figure to a file
#'
#' @param figure A figure, such as [plot_curves()] returns.
#' @param file A path whose ending says the format: `.png`, `.pdf` or `.svg`.
#' @param width,height Size in pixels, 144 of them an inch.
#' @return `figure`, invisibly. The file is written whole or not at all.
#' @section Errors: Another ending, or none.
#' @examples
#' set.seed(1)
#' model <- brief(kilns, target = "outcome") |> regimen(epochs = 10) |> quick() |> train(progress = "none")
#' write_figure(plot_curves(model), tempfile(fileext = ".png"))
#' @export
write_figure <- function(figure, file, width = 1280, height = 800) {
  need_ggplot()
  force(figure)  # what goes wrong in making it is no trouble with the file
  figure <- titles_within(figure, width)
  device <- figure_device(file)
  replace_whole(file, function(part) {
    ggplot2::ggsave(part, figure, device = device, width = width / 144, height = height / 144, dpi = 144)
  })
  invisible(figure)
}

# Titles that would be cut off at this width go on in the next line.
titles_within <- function(figure, width) {
  # the widths of letters in pixels; square panels stand in the middle, and so do their titles
  room <- function(letter) max(20, floor((width - 170) / letter))
  for (part in c("title", "subtitle")) {
    text <- figure$labels[[part]]
    if (!is.character(text) || length(text) != 1) next
    lines <- strsplit(text, "\n", fixed = TRUE)[[1]]
    within <- room(if (part == "title") 18.6 else 13.4)
    figure$labels[[part]] <- paste(unlist(lapply(lines, strwrap, width = within)), collapse = "\n")
  }
  figure
}

# Numbers along an axis as everywhere else: 15,650 and 200,000.
axis_numbers <- function(x) ifelse(is.na(x), NA, format_each_short(ifelse(is.na(x), 0, x)))

numbers_across <- function(...) ggplot2::scale_x_continuous(labels = axis_numbers, ...)

numbers_up <- function(...) ggplot2::scale_y_continuous(labels = axis_numbers, ...)

# What draws the format that the file's ending names.
figure_device <- function(file) {
  if (!is_text(file, 1)) fail(sprintf("A file is named by one text, not %s.", describe(file)))
  ending <- tolower(sub("^.*[.]", "", basename(file)))
  switch(ending,
    png = if (rlang::is_installed("ragg")) ragg::agg_png else "png",
    pdf = grDevices::cairo_pdf,
    svg = function(filename, width, height, ...) grDevices::svg(filename, width = width, height = height),
    fail(
      sprintf("%s has no ending that names a format for figures.", quoted(file)),
      "It is one of .png, .pdf and .svg."
    )
  )
}
