# Files as they are read: checked first, text in UTF-8, compressed documents whole.

check_file <- function(file) {
  if (!is_text(file, 1)) fail(sprintf("A file is named by one text, not %s.", describe(file)))
  if (!validUTF8(file)) fail("The name of a file is not in UTF-8.", "Give it another name.")
  # R would fetch it
  if (grepl("^[A-Za-z]+://", file)) {
    fail(sprintf("%s is an address, not a file.", quoted(file)), "Save what is there, and give its file.")
  }
  if (grepl("[[:cntrl:]]", file)) {
    fail(sprintf("The name of the file %s holds a line break or another control character.", describe(file)))
  }
  if (dir.exists(file)) fail(sprintf("%s is a folder, not a file.", quoted(file)))
  if (!file.exists(file)) fail(sprintf("There is no file %s.", quoted(file)), suggest_file(file))
  if (file.access(file, 4) != 0) fail(sprintf("%s may not be read.", quoted(file)), "Look at the file's permissions.")
  check_no_pipe(file)
}

# A pipe that has a name waits until somebody is at its other end, maybe for ever.
check_no_pipe <- function(file) {
  if (core_is_pipe(path.expand(file)) && !grepl("^/(dev|proc)/", file)) {
    fail(sprintf("%s is a pipe, not a file.", quoted(file)), "Standard input and standard output can be given as -.")
  }
}

read_text <- function(file) {
  check_no_pipe(file)
  check_limit(file.size(file), "bytes", sprintf("%s has", quoted(file)))
  bytes <- readBin(file, "raw", file.size(file))
  if (any(bytes == 0)) fail(sprintf("%s is not a text file: it holds zero bytes.", quoted(file)))
  text <- rawToChar(bytes)
  Encoding(text) <- "UTF-8"
  if (!validUTF8(text)) fail(sprintf("%s is not in UTF-8.", quoted(file)), "Save it in UTF-8 and try again.")
  text
}

is_absolute <- function(path) grepl("^(/|[A-Za-z]:|~)", path)

path_in <- function(path, folder) if (is_absolute(path)) path else file.path(folder, path)

# The path of a file as seen from a folder: relative where it lies below, absolute elsewhere.
path_from <- function(file, folder) {
  file <- normalizePath(file, "/")
  folder <- paste0(normalizePath(folder, "/"), "/")
  if (startsWith(file, folder)) substring(file, nchar(folder) + 1) else file
}

# ---- compressed documents -----------------------------------------------------------------------------------------

read_compressed <- function(file) {
  source <- byte_source(file)
  on.exit(source$close())
  parts <- list()
  bytes <- 0
  while (length(part <- source$read(2^20)) > 0) {
    bytes <- bytes + length(part)
    check_limit(bytes, "bytes", sprintf("%s unpacks to", quoted(file)))
    parts[[length(parts) + 1]] <- part
  }
  text <- rawToChar(unlist(parts))
  Encoding(text) <- "UTF-8"
  text
}

# Whether a file is compressed at all, and how its text begins.
is_compressed <- function(file) identical(readBin(file, "raw", 2), as.raw(c(0x1f, 0x8b)))

compressed_starts_with <- function(file, text) {
  if (!is_compressed(file)) return(FALSE)
  source <- byte_source(file)
  on.exit(source$close())
  start <- charToRaw(text)
  identical(source$read(length(start)), start)
}

starts_with_bytes <- function(file, text) {
  start <- charToRaw(text)
  identical(readBin(file, "raw", length(start)), start)
}

# ---- bytes, one part after another --------------------------------------------------------------------------------

# list(read, close): `read(n)` gives the next n bytes, fewer at the end and none behind it. What is compressed is
# unpacked and held to its checksums. `from` is a file, "-" for standard input.
byte_source <- function(from) {
  if (from != "-" && !grepl("^/(dev/fd|proc/self/fd)/", from) && is_compressed(from)) return(unpacked_source(from))
  connection <- file(if (from == "-") "stdin" else from, "rb", raw = from != "-")
  list(read = function(n) readBin(connection, "raw", n), close = function() close(connection))
}

unpacked_source <- function(file) {
  damaged <- function(e) {
    fail(sprintf("%s is damaged: it can't be unpacked to its end.", quoted(file)), sprintf("(%s.)", first_sentence(e)))
  }
  unpacker <- said_by_others(core_unpacker(path.expand(file)), damaged)
  list(
    read = function(n) said_by_others(core_unpack(unpacker, n), damaged),
    close = function() core_unpack_close(unpacker)
  )
}

# ---- writing, whole or not at all ------------------------------------------------------------------------------------

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
