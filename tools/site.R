# Builds the guide, the reference and the documents as static pages, offline, from the sources that stand in the
# repository: make site. Every link within the site is followed; one that leads nowhere is an error.
out <- file.path(".build", "site")
unlink(out, recursive = TRUE)
for (folder in c("guide", "reference", "docs/screenshots")) dir.create(file.path(out, folder), recursive = TRUE)

style <- paste(c(readLines("inst/report/report.css"), paste(
  "main img { max-width: 100%; height: auto; }",
  "main { max-width: 60rem; }",
  "td, th, td:not(:first-child), th:not(:first-child) { text-align: left; }",
  "td[align=right], th[align=right] { text-align: right; }",
  ".page { display: block; }", "nav ul { display: flex; }", "nav { position: static; padding-top: 0; }",
  "td p { margin: 0.2rem 0; }", sep = "\n"
)), collapse = "\n")
writeLines(style, file.path(out, "site.css"))

# ---- a page --------------------------------------------------------------------------------------------------------

escaped <- function(text) gsub("<", "&lt;", gsub("&", "&amp;", text, fixed = TRUE), fixed = TRUE)

# `path` is the page's place in the site; `body` its content as HTML.
write_page <- function(path, title, body) {
  up <- if (grepl("/", path)) "../" else ""
  entries <- c(
    "index.html" = "Home", "guide/index.html" = "Guide", "reference/index.html" = "Reference",
    "docs/model-format.html" = "Model file", "docs/inside.html" = "Inside", "docs/measured.html" = "Measured"
  )
  links <- sprintf("<li><a href=\"%s%s\">%s</a></li>", up, names(entries), entries)
  # what is wider than the page scrolls by itself, by keyboard too
  body <- gsub("<pre>", "<pre tabindex=\"0\">", body, fixed = TRUE)
  body <- gsub("(?s)<thead>\\s*<tr>(\\s*<th[^>]*>\\s*</th>)+\\s*</tr>\\s*</thead>", "", body, perl = TRUE)
  body <- gsub("<th[^>]*>\\s*</th>", "<td></td>", paste(body, collapse = "\n"))
  tables <- strsplit(body, "<table[^>]*>")[[1]]
  opened <- "<div class=\"scroll\" tabindex=\"0\" role=\"region\" aria-label=\"Table %d\"><table>"
  body <- paste0(tables, c(sprintf(opened, seq_along(tables[-1])), ""), collapse = "")
  body <- gsub("</table>", "</table></div>", body, fixed = TRUE)
  writeLines(c(
    "<!DOCTYPE html>", "<html lang=\"en\">", "<head>", "<meta charset=\"utf-8\">",
    "<meta name=\"viewport\" content=\"width=device-width, initial-scale=1\">",
    sprintf("<title>%s</title>", escaped(title)), sprintf("<link rel=\"stylesheet\" href=\"%ssite.css\">", up),
    "</head>", "<body>", "<a class=\"skip\" href=\"#text\">To the text</a>", "<div class=\"page\">",
    "<header><p class=\"kicker\">Hylomath</p></header>",
    "<nav aria-label=\"Site\"><ul>", links, "</ul></nav>", "<main id=\"text\" tabindex=\"-1\">", body, "</main>",
    "</div>", "</body>", "</html>"
  ), file.path(out, path), useBytes = TRUE)
}

from_markdown <- function(lines) {
  html <- markdown::mark_html(text = lines, template = FALSE, options = "-smart")
  paste(enc2utf8(html), collapse = "\n")
}

# Links between files of the repository as links between pages; `up` leads from the page to the site's root.
relinked <- function(html, up) {
  chapter <- "href=\"(?:\\.\\./)?vignettes/([a-z-]+)\\.Rmd\""
  html <- gsub(chapter, sprintf("href=\"%sguide/\\1.html\"", up), html, perl = TRUE)
  html <- gsub("href=\"(?:docs/)?([a-z-]+)\\.md\"", sprintf("href=\"%sdocs/\\1.html\"", up), html, perl = TRUE)
  gsub("href=\"CONTRIBUTING\\.md\"", sprintf("href=\"%sdocs/contributing.html\"", up), html)
}

# ---- home and documents -------------------------------------------------------------------------------------------

invisible(file.copy(list.files("docs/screenshots", full.names = TRUE), file.path(out, "docs/screenshots")))
write_page("index.html", "Hylomath", relinked(from_markdown(readLines("README.md", encoding = "UTF-8")), ""))
documents <- c(list.files("docs", "[.]md$", full.names = TRUE), "CONTRIBUTING.md", "NEWS.md")
for (file in documents) {
  lines <- readLines(file, encoding = "UTF-8")
  name <- tolower(sub("[.]md$", "", basename(file)))
  title <- sub("^#+ *", "", grep("^#", lines, value = TRUE)[1])
  html <- gsub("(src|href)=\"screenshots/", "\\1=\"screenshots/", from_markdown(lines))
  html <- gsub("href=\"docs/", "href=\"", html, fixed = TRUE)
  write_page(file.path("docs", paste0(name, ".html")), title, relinked(html, "../"))
}

# ---- guide --------------------------------------------------------------------------------------------------------

chapters <- list.files("vignettes", "[.]Rmd$", full.names = TRUE)
titles <- vapply(chapters, function(file) {
  sub("^title: \"(.*)\"$", "\\1", grep("^title:", readLines(file, encoding = "UTF-8"), value = TRUE))
}, "")
for (i in seq_along(chapters)) {
  name <- sub("[.]Rmd$", "", basename(chapters[i]))
  source <- normalizePath(chapters[i])
  former <- setwd(file.path(out, "guide"))
  knitr::opts_chunk$set(fig.path = paste0(name, "-"))
  page <- knitr::knit(text = readLines(source, encoding = "UTF-8"), quiet = TRUE, envir = new.env())
  knitr::opts_chunk$restore()
  setwd(former)
  text <- sub("(?s)^---\\n.*?\\n---\\n", "", paste(page, collapse = "\n"), perl = TRUE)
  body <- sprintf("<h1>%s</h1>\n%s", escaped(titles[i]), from_markdown(text))
  write_page(file.path("guide", paste0(name, ".html")), titles[i], body)
}
chapter_links <- sprintf(
  "<li><a href=\"%s.html\">%s</a></li>", sub("[.]Rmd$", "", basename(chapters)), escaped(titles)
)
write_page("guide/index.html", "Guide", c("<h1>Guide</h1>", "<ol>", chapter_links, "</ol>"))

# ---- reference ----------------------------------------------------------------------------------------------------

help <- lapply(list.files("man", "[.]Rd$", full.names = TRUE), tools::parse_Rd)
tagged <- function(rd, tag) {
  parts <- Filter(function(part) identical(attr(part, "Rd_tag"), tag), rd)
  vapply(parts, function(part) trimws(paste(unlist(part), collapse = "")), "")
}
names <- vapply(help, function(rd) tagged(rd, "\\name")[1], "")
files <- paste0(gsub("[^A-Za-z0-9._-]", "-", names), ".html")
topics <- lapply(help, tagged, "\\alias")
links <- stats::setNames(rep(files, lengths(topics)), unlist(topics))
for (i in seq_along(help)) {
  html <- utils::capture.output(tools::Rd2HTML(
    help[[i]], package = "hylomath", Links = links, Links2 = character(), stages = c("build", "install", "render")
  ))
  body <- sub("(?s).*<body[^>]*>(.*)</body>.*", "\\1", paste(html, collapse = "\n"), perl = TRUE)
  # the table at the head names package and documentation; the page's title is a heading of the first order
  body <- sub("(?s)<table[^>]*>\\s*<tr>\\s*<td>[^<]*\\{hylomath\\}</td>.*?</table>", "", body, perl = TRUE)
  body <- gsub("<h2>", "<h1>", sub("</h2>", "</h1>", body, fixed = TRUE), fixed = TRUE)
  body <- gsub("(</?)h3>", "\\1h2>", body)
  # pages of other packages are not here
  body <- gsub("(?s)<a href=\"\\.\\./\\.\\./[^\"]*\">(.*?)</a>", "\\1", body, perl = TRUE)
  body <- sub("(?s)<hr ?/?>\\s*<div style=\"text-align: center;\">.*", "", body, perl = TRUE)
  write_page(file.path("reference", files[i]), names[i], body)
}
exported <- sub("^export\\((.*)\\)$", "\\1", grep("^export", readLines("NAMESPACE"), value = TRUE))
headings <- vapply(help, function(rd) gsub("\\s+", " ", tagged(rd, "\\title")[1]), "")
entry <- function(i) {
  own <- intersect(topics[[i]], exported)
  what <- if (length(own)) paste0("<code>", escaped(own), "()</code>", collapse = ", ") else escaped(names[i])
  sprintf("<tr><td><a href=\"%s\">%s</a></td><td>%s</td></tr>", files[i], what, escaped(headings[i]))
}
rows <- vapply(seq_along(help), entry, "")
write_page("reference/index.html", "Reference", c(
  "<h1>Reference</h1>", "<p>Every verb with its help page; arguments have their units, defaults and errors there.</p>",
  "<table><thead><tr><th>what</th><th>what for</th></tr></thead><tbody>", rows, "</tbody></table>"
))

# ---- links --------------------------------------------------------------------------------------------------------

pages <- list.files(out, "[.]html$", recursive = TRUE)
broken <- unlist(lapply(pages, function(page) {
  html <- paste(readLines(file.path(out, page), warn = FALSE), collapse = "\n")
  found <- unique(regmatches(html, gregexpr("(?<=href=\"|src=\")[^\"]*", html, perl = TRUE))[[1]])
  local <- found[!grepl("^(https?:|mailto:|data:)", found) & nzchar(found)]
  there <- vapply(local, function(link) {
    parts <- strsplit(link, "#", fixed = TRUE)[[1]]
    target <- if (nzchar(parts[1])) file.path(out, dirname(page), utils::URLdecode(parts[1])) else file.path(out, page)
    if (!file.exists(target)) return(FALSE)
    if (length(parts) < 2) return(TRUE)
    text <- paste(readLines(target, warn = FALSE), collapse = "\n")
    grepl(sprintf("(id|name)=\"%s\"", parts[2]), text)
  }, NA)
  if (any(!there)) paste(page, "->", local[!there])
}))
if (length(broken)) stop("Links that lead nowhere:\n  ", paste(broken, collapse = "\n  "), call. = FALSE)
cat(sprintf("%d pages in %s; every link leads somewhere.\n", length(pages), out))
