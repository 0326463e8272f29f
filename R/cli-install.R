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
#' @return The starter's path, invisibly.
#' @examples
#' install_command(tempdir())
#' @export
install_command <- function(folder = "~/.local/bin") {
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
        "R_LIBS=%s${R_LIBS:+:$R_LIBS} exec %s %s \"$@\"", sep = "\n"
      ),
      shQuote(libraries), shQuote(rscript), shQuote(program)
    )
  )
  write_whole(charToRaw(paste0(paste(lines, collapse = "\n"), "\n")), starter)
  Sys.chmod(starter, "755")
  on_path <- normalizePath(strsplit(Sys.getenv("PATH"), .Platform$path.sep)[[1]], mustWork = FALSE)
  reached <- normalizePath(folder) %in% on_path
  message(sprintf("Wrote %s.%s", starter, if (reached) "" else sprintf(" Add %s to your PATH.", folder)))
  invisible(starter)
}
