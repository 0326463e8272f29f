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

report_part <- function(name) {
  path <- system.file("report", name, package = "hylomath", mustWork = TRUE)
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
