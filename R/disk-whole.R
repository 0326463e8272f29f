# Files are written whole or not at all: into a neighbour first, which then takes the name in one step. What is no plain
# file (a device, a pipe) is written into, and a link is followed to the file that it names. A file that was there keeps
# its mode and its owner.

write_whole <- function(bytes, file) replace_whole(file, function(part) writeBin(bytes, part))

# So many bytes are packed lightly: they are mostly weights, which hardly shrink.
much_to_compress <- 2^25

# Piece by piece, so that it can be interrupted.
write_compressed <- function(text, file) {
  bytes <- charToRaw(text)
  replace_whole(file, function(part) {
    connection <- gzfile(part, "wb", compression = if (length(bytes) > much_to_compress) 1 else 6)
    on.exit(close(connection))
    piece <- 2^24
    for (at in seq(0, length(bytes) - 1, by = piece)) {
      writeBin(bytes[seq(at + 1, length.out = min(piece, length(bytes) - at))], connection)
    }
  })
}

# More bytes to a temporary file; what can't be kept to its end is said, where R says nothing.
add_to_temporary <- function(bytes, path) {
  lost <- core_append_file(path.expand(path), bytes)
  if (lost == "") return(invisible())
  unlink(path)
  fail(
    sprintf("There is no room for a temporary file in %s: %s.", quoted(dirname(path)), tolower(lost)),
    "Make room there, or name another folder by the environment variable TMPDIR."
  )
}

check_folder <- function(folder, file) {
  if (dir.exists(folder)) return()
  fail(sprintf("There is no folder %s to write %s into.", quoted(folder), quoted(basename(file))))
}

# `write` writes the whole content to the path that it is given.
replace_whole <- function(file, write) {
  named <- file
  file <- link_target(file)
  folder <- dirname(file)
  check_folder(folder, file)
  if (dir.exists(file)) fail(sprintf("%s is a folder; a file can't take its place.", quoted(file)))
  in_place <- file.exists(file) && !core_is_plain_file(path.expand(file))
  part <- if (in_place) file else tempfile(paste0(".", basename(file), "-"), tmpdir = folder)
  if (!in_place) {
    on.exit(unlink(part))
    make_private(part)
  }
  failure <- tryCatch(
    {
      suppressWarnings(write(part))
      lost <- if (in_place) "" else core_settle_file(path.expand(part), path.expand(folder))
      if (nzchar(lost)) simpleError(lost)
    },
    error = function(e) e
  )
  if (inherits(failure, "hylomath_error")) rlang::cnd_signal(failure)
  hint <- "Is the folder writable, and is there room?"
  if (!is.null(failure)) fail(sprintf("%s can't be written: %s", quoted(named), conditionMessage(failure)), hint)
  if (!in_place && !file.exists(file)) Sys.chmod(part, "0666", use_umask = TRUE)
  if (!in_place && !take_place(part, file)) fail(sprintf("%s can't be written.", quoted(named)), hint)
  invisible(named)
}

# An empty file that nobody else may read: what takes the place of a file has its mode at the end, and no wider one
# before.
make_private <- function(path) {
  former <- Sys.umask("077")
  on.exit(Sys.umask(former))
  suppressWarnings(file.create(path))
}

# A file's place in one step; where its owner can't be kept so, its bytes are put into the file that is there.
take_place <- function(part, file) {
  if (core_like_file(path.expand(part), path.expand(file))) return(file.rename(part, file))
  file.copy(part, file, overwrite = TRUE, copy.mode = FALSE)
}

# Where a chain of links leads; the path itself if it is none.
link_target <- function(file) {
  for (step in 1:40) {
    to <- Sys.readlink(file)
    if (is.na(to) || to == "") return(file)
    file <- path_in(to, dirname(file))
  }
  fail(sprintf("%s is a link that leads round in a circle.", quoted(file)))
}

# A folder that is to be drawn into, made with those above it that aren't there.
check_can_make_folder <- function(folder) {
  if (dir.exists(folder)) return(check_can_write(file.path(folder, "x")))
  there <- folder
  while (!file.exists(there)) there <- dirname(there)
  if (!dir.exists(there)) fail(sprintf("%s is a file; a folder is needed.", quoted(there)))
  check_can_write(file.path(there, "x"))
}

# Before hours of training, not after.
check_can_write <- function(file) {
  file <- link_target(file)
  folder <- dirname(file)
  check_folder(folder, file)
  if (dir.exists(file)) fail(sprintf("%s is a folder; a file's name is needed.", quoted(file)))
  if (file.exists(file) && !core_is_plain_file(path.expand(file))) return(check_no_pipe(file))
  if (file.access(folder, 2) != 0) fail(sprintf("The folder %s is not writable.", quoted(folder)))
}
