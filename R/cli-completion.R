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
