# What the command says of itself: the overview, the help of a subcommand, and the same as a page of the manual.

cli_first_words <- function(verb) sub("[.:,].*", "", verb$does)

cli_exit_status <- function(verb) {
  usual <- c("0" = "done", "1" = "the work failed", "2" = "the call was wrong")
  said <- c(usual, verb$statuses)
  sprintf("%s.", paste(names(said), said, collapse = ", "))
}

cli_overview <- function(groups) {
  width <- max(nchar(unlist(lapply(groups, names))))
  listed <- lapply(names(groups), function(group) {
    verbs <- groups[[group]]
    c("", cli::style_bold(group), paste0("  ", formatC(names(verbs), width = -width), "  ", vapply(
      verbs, cli_first_words, ""
    )))
  })
  c(
    "hylomath: honest feedforward networks for tabular records", "",
    "Usage: hylomath COMMAND [arguments] [options]", unlist(listed), "", cli::style_bold("A whole analysis"),
    "  hylomath look kilns.csv --target outcome",
    "  hylomath brief kilns.csv --target outcome -o kilns.yml",
    "  hylomath train kilns.yml -o kilns.hylo",
    "  hylomath appraise kilns.hylo", "  hylomath predict kilns.hylo new.csv -o scored.csv",
    "  hylomath report kilns.hylo kilns.csv -o kilns.html", "",
    wrapped(paste(
      "hylomath COMMAND --help shows more, with examples. A table given as - is read from standard input.",
      "Results go to standard output, messages to standard error, with colour on a terminal only and never if NO_COLOR",
      "is set."
    ), 0), "", wrapped(paste("Exit status:", cli_exit_status(list())), 0)
  )
}

cli_help <- function(verb, name) {
  c(
    sprintf("Usage: hylomath %s", cli_usage(verb, name)), "", wrapped(verb$does, 0), "",
    cli::style_bold("Options"), unlist(lapply(cli_all_options(verb), function(option) {
      c(paste0("  ", cli_option_words(option)), wrapped(option$help, 6))
    })),
    "", cli::style_bold(if (length(verb$example) > 1) "Examples" else "Example"), paste0("  ", verb$example), "",
    wrapped(paste("Exit status:", cli_exit_status(verb)), 0)
  )
}

cli_usage <- function(verb, name) paste(c(name, verb$takes[nzchar(verb$takes)], "[options]"), collapse = " ")

# "-o, --output FILE"
cli_option_words <- function(option) paste(c(paste(option$flags, collapse = ", "), option$metavar), collapse = " ")

# A page of the manual in roff.
cli_manual_page <- function(verb, name) {
  roff <- function(text) {
    text <- gsub("-", "\\-", gsub("\\", "\\e", text, fixed = TRUE), fixed = TRUE)
    ifelse(grepl("^[.']", text), paste0("\\&", text), text)
  }
  options <- lapply(cli_all_options(verb), function(option) {
    c(".TP", paste0(".B ", roff(cli_option_words(option))), roff(option$help))
  })
  c(
    sprintf(".TH HYLOMATH-%s 1 \"\" \"hylomath %s\"", toupper(name), package_version_text()), ".SH NAME",
    roff(sprintf("hylomath-%s - %s", name, cli_first_words(verb))), ".SH SYNOPSIS",
    roff(paste("hylomath", cli_usage(verb, name))), ".SH DESCRIPTION", roff(verb$does), ".SH OPTIONS", unlist(options),
    ".SH EXAMPLES", as.vector(rbind(".PP", roff(verb$example))), ".SH EXIT STATUS", roff(cli_exit_status(verb)),
    ".SH SEE ALSO", roff("hylomath --help")
  )
}
