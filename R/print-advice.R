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
