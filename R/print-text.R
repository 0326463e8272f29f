# Text as a reader wants it, shared by all that prints.

# A table as text: a header and aligned columns; text to the left, numbers (given as text) to the right.
text_table <- function(columns, right = integer(), indent = 2) {
  cells <- lapply(seq_along(columns), function(i) {
    text <- c(names(columns)[i], columns[[i]])
    cli::ansi_align(text, width = max(cli::ansi_nchar(text, "width")), align = if (i %in% right) "right" else "left")
  })
  lines <- paste0(strrep(" ", indent), do.call(paste, c(cells, sep = "  ")))
  lines <- sub("[[:space:]]+$", "", lines)
  c(cli::style_bold(lines[1]), lines[-1])
}

# The first columns are keys, to the left; the others are numbers, to the right.
as_text_table <- function(columns, keys) text_table(columns, right = seq_along(columns)[-seq_len(keys)])

# The columns of a confusion matrix as text.
confusion_columns <- function(confusion) {
  counts <- apply(confusion, 2, format_weighted_count, simplify = FALSE)
  stats::setNames(counts, shorten(rownames(confusion), 12))
}

# Whether lines of text are too wide for the console.
too_wide <- function(lines) max(cli::ansi_nchar(lines, "width")) > cli::console_width()

format_notes <- function(notes, width = cli::console_width()) {
  if (NROW(notes) == 0) return(character())
  lines <- lapply(seq_len(nrow(notes)), function(i) {
    said <- paste0(notes$note[i], " [", notes$code[i], "]")
    c(wrapped(said, 2, 4, width), wrapped(advice_here(notes$try[i]), 4, 4, width))
  })
  c("", cli::style_bold("Notes"), unlist(lines))
}

paragraphs <- function(sentences) unlist(lapply(sentences, wrapped, 2))

# "  label      text", wrapped to the console with the text under itself.
indented <- function(label, text) {
  lines <- strwrap(text, max(30, cli::console_width() - 15))
  paste0("  ", formatC(c(label, rep("", length(lines) - 1)), width = -11), lines)
}

# Where something is named again in the next row, it is left out there.
said_once <- function(x) ifelse(duplicated(x), "", x)

interval_cell <- function(low, high) {
  ifelse(is.na(low) | is.na(high), "-", paste(format_measure(low), "to", format_measure(high)))
}

# "95 % interval"
interval_heading <- function(level) sprintf("%s %% interval", format_number(100 * level))

# A difference with its interval.
difference_cell <- function(difference, low, high) {
  sprintf("%s (%s to %s)", format_signed(difference), format_signed(low), format_signed(high))
}

# "5 folds, dealt 2 times"
folds_words <- function(k, repeats, end = "") {
  paste0(counted(k, "fold"), if (repeats > 1) sprintf(", dealt %d times%s", repeats, end) else "")
}

# Said where an interrupt ended a list of fits early.
left_out_text <- function(n, what) {
  if (n > 0) sprintf("An interrupt left out %s: what is shown was done before it.", counted(n, what))
}

write_lines <- function(...) cat(harmless(c(...), styled = cli::num_ansi_colors() > 1), sep = "\n")

# What print() does for every object of ours: its lines, and the object back.
print_lines <- function(x, ...) {
  write_lines(format(x, ...))
  invisible(x)
}

# ---- advice by place -------------------------------------------------------------------------------------------------

# Advice in the form of the place where it is read: as a call in R, as a command or `--set` in a shell, in words on a
# page.

advice_place <- function() getOption("hylomath.place", "r")

advice_here <- function(advice) {
  switch(advice_place(), shell = advice_for_shell(advice), page = advice_in_words(advice), advice)
}

# Calls of verbs within a text: a name, and what stands in its brackets, which may hold brackets of their own.
call_pattern <- "\\b[a-z_]+\\((?:[^()]|\\((?:[^()]|\\([^()]*\\))*\\))*\\)"

advice_for_shell <- function(advice) {
  vapply(advice, function(text) {
    found <- gregexpr(call_pattern, text, perl = TRUE)
    regmatches(text, found) <- lapply(regmatches(text, found), vapply, call_in_shell, "")
    text
  }, "", USE.NAMES = FALSE)
}

call_in_shell <- function(text) {
  call <- tryCatch(str2lang(text), error = function(e) NULL)
  if (!is.call(call)) return(text)
  given <- as.list(call)[-1]
  given <- given[vapply(given, function(x) !identical(x, quote(expr = )), NA)]  # `costs = ` says no value
  named <- given[rlang::names2(given) != ""]
  verb <- as.character(call[[1]])
  sections <- c(
    set_columns = "columns.", prepare = "prepare.", hold_out = "hold_out.", regimen = "regimen.", brief = ""
  )
  if (verb %in% names(sections) && length(named)) {
    only <- if (!is.null(named$only)) paste0("only.", shell_value(named$only), ".")
    keys <- paste0(sections[[verb]], only, setdiff(names(named), "only"))
    values <- vapply(named[setdiff(names(named), "only")], shell_value, "")
    return(paste0("--set ", keys, "=", values, collapse = " "))
  }
  commands <- c(
    train = "train BRIEF.yml", decide = "decide MODEL.hylo", recalibrate = "recalibrate MODEL.hylo",
    folds = "folds BRIEF.yml",
    importance = "importance MODEL.hylo TABLE", appraise = "appraise MODEL.hylo",
    unusual_rows = "predict MODEL.hylo TABLE"
  )
  if (verb == "wire") return(sprintf("--set wiring=%s", shQuote(shell_value(given[[length(given)]]))))
  if (verb == "merge_levels") return(sprintf("--merge-levels %s (of brief)", shell_value(given[[length(given)]])))
  if (!verb %in% names(commands)) return(text)
  options <- if (verb == "unusual_rows") " --flags" else if (length(named)) {
    paste0(" --", names(named), " ", vapply(named, shell_value, ""), collapse = "")
  }
  paste0("hylomath ", commands[[verb]], options)
}

# Texts and names as they are, several in brackets.
shell_value <- function(value) {
  if (rlang::is_call(value, "c")) {
    return(sprintf("[%s]", paste(vapply(as.list(value)[-1], shell_value, ""), collapse = ", ")))
  }
  if (is.character(value)) value else paste(deparse(value), collapse = " ")
}

# Without the calls, which nobody can make on a page: of a sentence what stands before them.
advice_in_words <- function(advice) {
  vapply(advice, function(text) {
    sentences <- strsplit(text, "(?<=[.;]) ", perl = TRUE)[[1]]
    has_call <- grepl(call_pattern, sentences, perl = TRUE)
    before <- sub(paste0(call_pattern, ".*"), "", sentences[has_call], perl = TRUE)
    before <- sub("[ :,(]*( (with|by|see|in|for example|using))?[ :,(]*$", "", before, ignore.case = TRUE)
    before <- sub(", or [a-z]+$", "", before)
    # a condition alone is no advice
    whole <- lengths(strsplit(before, " ")) > 1 & !grepl("^if [^,]*$", before, ignore.case = TRUE)
    sentences[has_call] <- ifelse(whole, paste0(before, "."), "")
    sentences <- capitalised(sub("^or ", "", sentences[sentences != ""]))
    paste(sentences, collapse = " ")
  }, "", USE.NAMES = FALSE)
}
