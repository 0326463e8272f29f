# The files of a call: what is to be written is looked at before any work; `-` stands for standard input and output.

# That each output's folder is there, and that none takes an input's place.
cli_check_outputs <- function(verb, name, parsed) {
  for (option in verb$options) {
    file <- parsed$options[[option_key(option)]]
    if (is.null(file)) next
    if (identical(option$metavar, "FOLDER")) cli_said(check_can_make_folder(file), name)
    if (!identical(option$metavar, "FILE") || file == "-") next
    cli_said(check_can_write(file), name)
    # a model can be written over the one that it comes from
    if (identical(option, shared_options()$output_model) || !file.exists(file)) next
    inputs <- parsed$arguments[file.exists(parsed$arguments)]
    if (normalizePath(file) %in% normalizePath(inputs)) {
      what <- "`%s %s` would take the place of a file that is read."
      cli_wrong(sprintf(what, option$flags[length(option$flags)], harmless(file)), name)
    }
  }
}

# `-` as an output: list(options, deliver), where the verb writes into a file of its own and says nothing beside it, and
# `deliver()` puts that on standard output. What is written row by row goes there by itself.
cli_through_output <- function(verb, name, options) {
  outputs <- vapply(Filter(function(option) identical(option$metavar, "FILE"), verb$options), option_key, "")
  piped <- Filter(function(key) identical(options[[key]], "-"), outputs)
  if (length(piped) == 0 || verb$input == "stream") return(list(options = options, deliver = function() NULL))
  if (length(piped) > 1 || isTRUE(options$json)) {
    cli_wrong("Only one thing can be written to standard output.", name)
  }
  file <- tempfile(fileext = if (piped %in% c("figure", "network")) ".png" else "")
  options[[piped]] <- file
  options$quiet <- TRUE
  options$piped <- TRUE
  list(options = options, deliver = function() {
    core_write_output(readBin(file, "raw", file.size(file)))
    unlink(file)
  })
}

# Standard input as a file, for the verbs that look at a table more than once; so is what comes by a pipe that the shell
# names, as with <(...).
cli_from_input <- function(verb, name, arguments) {
  piped <- arguments %in% c("-", "/dev/stdin")
  if (verb$input == "stream") return(replace(arguments, piped, "-"))
  handed <- grepl("^/(dev/fd|proc/self/fd)/[0-9]+$", arguments)
  if (!any(piped | handed)) return(arguments)
  if (verb$input == "none") {
    cli_wrong(sprintf("`hylomath %s` takes no standard input (-): give a file.", name), name)
  }
  if (sum(piped) > 1) cli_wrong("Standard input (-) is one table.", name)
  for (i in which(handed)) arguments[i] <- text_from(arguments[i])
  if (any(piped)) arguments[piped] <- text_from("-")
  arguments
}
