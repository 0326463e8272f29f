# Files are written whole or not at all: into a neighbour first, which then takes the name in one step.

write_whole <- function(bytes, file) replace_whole(file, function(part) writeBin(bytes, part))

# `write` writes the whole content to the path that it is given.
replace_whole <- function(file, write) {
  folder <- dirname(file)
  if (!dir.exists(folder)) fail(sprintf("There is no folder %s to write %s into.", quoted(folder), quoted(basename(file))))
  if (dir.exists(file)) fail(sprintf("%s is a folder; a file can't take its place.", quoted(file)))
  part <- tempfile(paste0(".", basename(file), "-"), tmpdir = folder)
  on.exit(unlink(part))
  failure <- tryCatch({ suppressWarnings(write(part)); NULL }, hylomath_error = rlang::cnd_signal, error = conditionMessage)
  if (!is.null(failure)) fail(sprintf("%s can't be written: %s", quoted(file), failure), "Is the folder writable, and is there room?")
  if (!file.rename(part, file)) fail(sprintf("%s can't be written.", quoted(file)), "Is the folder writable, and is there room?")
  invisible(file)
}

check_file <- function(file) {
  if (!is_text(file, 1)) fail(sprintf("A file is named by one text, not %s.", describe(file)))
  if (dir.exists(file)) fail(sprintf("%s is a folder, not a file.", quoted(file)))
  if (!file.exists(file)) fail(sprintf("There is no file %s.", quoted(file)), suggest_file(file))
}

read_text <- function(file) {
  bytes <- readBin(file, "raw", file.size(file))
  if (any(bytes == 0)) fail(sprintf("%s is not a text file: it holds zero bytes.", quoted(file)))
  text <- rawToChar(bytes)
  Encoding(text) <- "UTF-8"
  if (!validUTF8(text)) fail(sprintf("%s is not in UTF-8.", quoted(file)), "Save it in UTF-8 and try again.")
  text
}

is_absolute <- function(path) grepl("^(/|[A-Za-z]:|~)", path)
