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

# ---- completion ------------------------------------------------------------------------------------------------------

# Scripts by which shells complete the command's words: subcommands, options, columns of the table that is named, files.

cli_completion_verb <- function(verbs) {
  cli_command(
    "Write the script by which a shell completes the command's words, columns of tables among them.",
    takes = "bash|zsh|fish", files = 1, run = function(shell, options) write_lines(shell_completion(shell, verbs)),
    example = c(
      "hylomath completion bash > ~/.local/share/bash-completion/completions/hylomath",
      "hylomath completion zsh > ~/.zfunc/_hylomath",
      "hylomath completion fish > ~/.config/fish/completions/hylomath.fish"
    ),
    list()
  )
}

shell_completion <- function(shell, verbs) {
  write <- switch(shell, bash = bash_completion, zsh = zsh_completion, fish = fish_completion, cli_wrong(
    sprintf("There is no completion for %s: it is bash, zsh or fish.", describe(shell)), "completion"
  ))
  write(verbs)
}

# What may stand behind an option: "column", "folder", "file", or "" for what can't be known.
completed_by <- function(option) {
  if (is.null(option$metavar)) return(NA_character_)
  switch(option$metavar, COLUMN = "column", FOLDER = "folder", FILE = , TABLE = "file", "")
}

options_completed_by <- function(verbs, what) {
  options <- unlist(lapply(verbs, cli_all_options), recursive = FALSE)
  unique(unlist(lapply(options, function(option) if (completed_by(option) %in% what) option$flags)))
}

# The first line of the first table that is named, a name a line, without signs that a terminal obeys. A name is
# whatever somebody has written into a file: no shell may expand it.
columns_in_shell <- paste(
  "head -n 1 -- \"$table\" 2>/dev/null | head -c 100000 | tr -d '\\r\"' | tr ',;\\t' '\\n\\n\\n' |",
  "LC_ALL=C tr -d '\\000-\\011\\013-\\037\\177'"
)

bash_completion <- function(verbs) {
  cases <- sprintf("    %s) options=\"%s\" ;;", names(verbs), vapply(verbs, function(v) {
    paste(flags_of(v), collapse = " ")
  }, ""))
  of <- function(what) paste(options_completed_by(verbs, what), collapse = "|")
  c(
    "# completes hylomath in bash; written by `hylomath completion bash`",
    "_hylomath_columns() {", "  local table", "  for table in \"${COMP_WORDS[@]}\"; do",
    "    case \"$table\" in *.csv|*.tsv|*.txt)", "      [ -f \"$table\" ] || continue",
    paste0("      ", columns_in_shell), "      return ;;", "    esac",
    "  done", "}",
    "# what begins with the current word, of the lines that come in; `compgen -W` would run what stands in them",
    "_hylomath_offer() {", "  local line", "  COMPREPLY=()", "  while IFS= read -r line; do",
    "    case \"$line\" in \"$current\"*) COMPREPLY+=(\"$line\") ;; esac", "  done", "}",
    "_hylomath() {",
    "  local current=\"${COMP_WORDS[COMP_CWORD]}\" before=\"${COMP_WORDS[COMP_CWORD-1]}\" options=\"\" line",
    "  local IFS=$' \\t\\n'",
    "  if [ \"$COMP_CWORD\" -eq 1 ]; then",
    sprintf("    COMPREPLY=($(compgen -W \"%s help\" -- \"$current\"))", paste(names(verbs), collapse = " ")),
    "    return", "  fi", "  case \"${COMP_WORDS[1]}\" in", cases, "  esac", "  case \"$before\" in",
    sprintf("    %s) _hylomath_offer < <(_hylomath_columns); return ;;", of("column")),
    sprintf("    %s) _hylomath_files -d; return ;;", of("folder")),
    "  esac", "  case \"$current\" in", "    -*) COMPREPLY=($(compgen -W \"$options\" -- \"$current\")) ;;",
    "    *) _hylomath_files -f ;;", "  esac", "}",
    "_hylomath_files() {", "  COMPREPLY=()",
    "  while IFS= read -r line; do COMPREPLY+=(\"$line\"); done < <(compgen \"$1\" -- \"$current\")", "}",
    "complete -o filenames -F _hylomath hylomath"
  )
}

zsh_completion <- function(verbs) {
  plain <- function(text) gsub("'", "", gsub("([\\[\\]:\\\\])", "\\\\\\1", text, perl = TRUE))
  spec <- function(option) {
    action <- switch(completed_by(option) %||% "", column = ":column:_hylomath_columns", folder = ":folder:_files -/",
      file = ":file:_files", ":value:"
    )
    if (is.null(option$metavar)) action <- ""
    sprintf("      '%s[%s]%s' \\", option$flags, plain(option$help), action)
  }
  cases <- unlist(lapply(names(verbs), function(name) {
    specs <- unlist(lapply(cli_all_options(verbs[[name]]), spec))
    c(sprintf("    %s) _arguments \\", name), specs, "      '*:file:_files' ;;")
  }))
  c(
    "#compdef hylomath", "# completes hylomath in zsh; written by `hylomath completion zsh`",
    "_hylomath_columns() {", "  local table names", "  for table in $words; do",
    "    case $table in *.csv|*.tsv|*.txt)", "      [[ -f $table ]] || continue",
    sprintf("      names=(${(f)\"$(%s)\"})", columns_in_shell),
    "      compadd -a names", "      return ;;", "    esac", "  done", "}", "_hylomath() {", "  local -a verbs",
    "  verbs=(", sprintf("    '%s:%s'", names(verbs), plain(vapply(verbs, cli_first_words, ""))), "  )",
    "  if (( CURRENT == 2 )); then", "    _describe command verbs", "    return", "  fi", "  local verb=$words[2]",
    "  shift words", "  (( CURRENT-- ))", "  case $verb in", cases, "  esac", "}", "_hylomath \"$@\""
  )
}

fish_completion <- function(verbs) {
  plain <- function(text) gsub("'", "\\'", gsub("\\", "\\\\", text, fixed = TRUE), fixed = TRUE)
  each <- unlist(lapply(names(verbs), function(name) {
    vapply(cli_all_options(verbs[[name]]), function(option) {
      short <- sub("^-", "", option$flags[!startsWith(option$flags, "--")])
      long <- sub("^--", "", option$flags[startsWith(option$flags, "--")])
      by <- switch(completed_by(option) %||% "",
        column = " -x -a '(__hylomath_columns)'", folder = " -x -a '(__fish_complete_directories)'",
        file = " -r -F", " -x"
      )
      if (is.null(option$metavar)) by <- ""
      sprintf(
        "complete -c hylomath -n '__fish_seen_subcommand_from %s'%s -l %s%s -d '%s'", name,
        if (length(short)) paste0(" -s ", short) else "", long, by, plain(option$help)
      )
    }, "")
  }))
  c(
    "# completes hylomath in fish; written by `hylomath completion fish`", "function __hylomath_columns",
    "  for table in (commandline -opc)", "    if string match -qr '\\.(csv|tsv|txt)$' -- $table; and test -f $table",
    paste0("      ", columns_in_shell), "      return", "    end", "  end", "end",
    sprintf("complete -c hylomath -n __fish_use_subcommand -f -a %s -d '%s'", names(verbs), plain(vapply(
      verbs, cli_first_words, ""
    ))),
    each
  )
}

# ---- the command and its manual --------------------------------------------------------------------------------------

# R would run the profile of the current folder, whoever wrote it.
profile_of_user <- paste0(
  "export R_PROFILE_USER=\"${R_PROFILE_USER:-$HOME/.Rprofile}\" ",
  "R_ENVIRON_USER=\"${R_ENVIRON_USER:-$HOME/.Renviron}\""
)

#' Put the command on the path
#'
#' Writes a small starter for `hylomath` into a folder that the shell searches. This is the one step between the
#' installed package and the command.
#'
#' @param folder A folder on the path; it is made if need be.
#' @param manual Where to write pages of the manual, one a subcommand, for `man hylomath-train`; `NULL` for none.
#' @return The starter's path, invisibly.
#' @section Errors: A folder that can't be written.
#' @examples
#' install_command(tempdir())
#' @export
install_command <- function(folder = "~/.local/bin", manual = NULL) {
  folder <- path.expand(folder)
  dir.create(folder, showWarnings = FALSE, recursive = TRUE)
  starter <- file.path(folder, "hylomath")
  program <- system.file("cli", "hylomath.R", package = "hylomath")
  libraries <- paste(normalizePath(.libPaths()), collapse = .Platform$path.sep)
  rscript <- file.path(R.home("bin"), "Rscript")
  lines <- c(
    "#!/bin/sh",
    sprintf(
      paste(
        "# the profile of the folder that it is called in is not the user's", profile_of_user,
        "# what is attached by default is of no use here, and takes as long to load as the rest",
        "R_DEFAULT_PACKAGES=NULL R_LIBS=%s${R_LIBS:+:$R_LIBS} exec %s %s \"$@\"", sep = "\n"
      ),
      shQuote(libraries), shQuote(rscript), shQuote(program)
    )
  )
  write_whole(charToRaw(paste0(paste(lines, collapse = "\n"), "\n")), starter)
  Sys.chmod(starter, "755")
  on_path <- normalizePath(strsplit(Sys.getenv("PATH"), .Platform$path.sep)[[1]], mustWork = FALSE)
  reached <- normalizePath(folder) %in% on_path
  message(sprintf("Wrote %s.%s", starter, if (reached) "" else sprintf(" Add %s to your PATH.", folder)))
  if (!is.null(manual)) write_manual(path.expand(manual))
  invisible(starter)
}

write_manual <- function(folder) {
  dir.create(folder, showWarnings = FALSE, recursive = TRUE)
  verbs <- cli_verbs()
  for (name in names(verbs)) {
    page <- paste0(paste(cli_manual_page(verbs[[name]], name), collapse = "\n"), "\n")
    write_whole(charToRaw(enc2utf8(page)), file.path(folder, sprintf("hylomath-%s.1", name)))
  }
  message(sprintf("Wrote %s of the manual into %s.", counted(length(verbs), "page"), folder))
}
