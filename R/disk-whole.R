# Files are written whole or not at all: into a neighbour first, which then takes the name in one step.

write_whole <- function(bytes, file) replace_whole(file, function(part) writeBin(bytes, part))

check_folder <- function(folder, file) {
  if (dir.exists(folder)) return()
  fail(sprintf("There is no folder %s to write %s into.", quoted(folder), quoted(basename(file))))
}

# `write` writes the whole content to the path that it is given.
replace_whole <- function(file, write) {
  folder <- dirname(file)
  check_folder(folder, file)
  if (dir.exists(file)) fail(sprintf("%s is a folder; a file can't take its place.", quoted(file)))
  part <- tempfile(paste0(".", basename(file), "-"), tmpdir = folder)
  on.exit(unlink(part))
  failure <- tryCatch(
    {
      suppressWarnings(write(part))
      NULL
    },
    hylomath_error = rlang::cnd_signal,
    error = conditionMessage
  )
  hint <- "Is the folder writable, and is there room?"
  if (!is.null(failure)) fail(sprintf("%s can't be written: %s", quoted(file), failure), hint)
  if (!file.rename(part, file)) fail(sprintf("%s can't be written.", quoted(file)), hint)
  invisible(file)
}

# Before hours of training, not after.
check_can_write <- function(file) {
  folder <- dirname(file)
  check_folder(folder, file)
  if (dir.exists(file)) fail(sprintf("%s is a folder; the model needs a file name.", quoted(file)))
  if (file.access(folder, 2) != 0) fail(sprintf("The folder %s is not writable.", quoted(folder)))
}
