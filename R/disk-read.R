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
