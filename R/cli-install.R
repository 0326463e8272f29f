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
