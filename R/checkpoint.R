# The state of a training, of folds, of a variation or a sifting, kept in a file while it runs, so that work that was
# killed goes on to the same bits. JSON, one document a line: the header says what is trained; then come the results of
# networks that have ended and, each some seconds, the states of those that have not. The last line of a key counts.

# list(every, result, states, keep_result, keep_state, kept_in): functions of a network's key, and `kept_in()`, which
# gives the file once it is written. The file is taken until `frame` ends.
open_checkpoint <- function(checkpoint, header, every = 30, frame = parent.frame()) {
  if (is.null(checkpoint)) return(no_checkpoint())
  wanted <- check_checkpoint(checkpoint)
  file <- wanted$file
  type_number(0, 1e6)(every, "every")
  growing <- growing_file(file, header, frame)
  known <- if (file.exists(file)) known_lines_of(wanted, header) else list()
  if (length(known)) rlang::inform(checkpoint_text(file, known), class = "hylomath_message_checkpoint")
  place_of <- function(key, start = 0L) sprintf("%s | %d", key, as.integer(start))
  began <- proc.time()[["elapsed"]]
  written <- length(known) > 0
  sizes <- vapply(known, stored_size, 0)
  put <- function(line) {
    place <- place_of(line$key, line$start %||% 0L)
    # a file that is too large to be read again would be of no use; what is left out is trained again
    size <- stored_size(line)
    if (sum(sizes[names(sizes) != place]) + size > limit_of("bytes") / 2) return(invisible())
    sizes[[place]] <<- size
    known[[place]] <<- line
    if (!written && proc.time()[["elapsed"]] - began < wanted$after) return(invisible())
    # the whole file is written the first time, and again when too much of it has been replaced by later lines
    if (!written || file.size(file) + size > min(limit_of("bytes"), sum(sizes) + most_stale_bytes)) {
      growing$rewrite(known)
      written <<- TRUE
    } else {
      growing$add(line)
    }
  }
  drop_states <- function(key) {
    of_key <- vapply(known, function(line) identical(line$key, key) && !is.null(line$state), NA)
    known <<- known[!of_key]
    sizes <<- sizes[!names(sizes) %in% names(of_key)[of_key]]
  }
  list(
    every = every,
    result = function(key) known[[place_of(key)]]$result,
    states = function(key, starts) {
      states <- lapply(seq_len(starts), function(i) known[[place_of(key, i)]]$state %||% numeric())
      if (any(lengths(states))) states
    },
    keep_result = function(key, result) {
      drop_states(key)
      put(list(key = key, result = result))
    },
    keep_state = function(key, start, state) put(list(key = key, start = as.integer(start), state = state)),
    kept_in = function() if (written) file
  )
}

# Bytes of a line, at most: numbers are written in four thirds of their own bytes.
stored_size <- function(line) 1.5 * as.numeric(utils::object.size(line))

# list(file, after, replaces): the file, the seconds of training before it is first written, and whether a file of
# another training is replaced instead of refused.
check_checkpoint <- function(checkpoint) {
  if (is_text(checkpoint, 1)) return(list(file = checkpoint, after = 0, replaces = FALSE))
  holds <- is.list(checkpoint) && setequal(names(checkpoint), c("file", "after")) && is_text(checkpoint$file, 1)
  if (!holds) {
    fail(
      sprintf("`checkpoint` is the path of a file, not %s.", describe(checkpoint)),
      "Or give list(file = , after = ): it is written when training has taken `after` seconds."
    )
  }
  type_number(0, 1e6)(checkpoint$after, "checkpoint$after")
  c(checkpoint, list(replaces = TRUE))
}

# Knows nothing and keeps nothing.
no_checkpoint <- function() {
  nothing <- function(...) NULL
  list(
    every = Inf, result = nothing, states = nothing, keep_result = nothing, keep_state = nothing, kept_in = nothing
  )
}

# The same checkpoint for other networks, whose keys begin with a word of their own.
checkpoint_of_kind <- function(checkpoint, word) {
  own <- function(key) paste(word, key)
  list(
    every = checkpoint$every, result = function(key) checkpoint$result(own(key)),
    states = function(key, starts) checkpoint$states(own(key), starts),
    keep_result = function(key, result) checkpoint$keep_result(own(key), result),
    keep_state = function(key, start, state) checkpoint$keep_state(own(key), start, state),
    kept_in = checkpoint$kept_in
  )
}

# So many bytes of replaced states a file may hold.
most_stale_bytes <- 64e6

checkpoint_kind <- list(
  format = "hylomath checkpoint", version = 4L, what = "checkpoint", texts = c("brief", "table", "kernel", "version"),
  hint = "Such files are written by train(checkpoint = ), folds(), vary() and sift(), and by their commands.",
  again = "Remove it and train again."
)

# What is trained, by which a checkpoint is told from those of other work; `more` is what the brief doesn't say of it.
checkpoint_header <- function(b, table, more) {
  list(
    format = checkpoint_kind$format, format_version = checkpoint_kind$version, brief = brief_yaml(without_use(b)),
    table = table_hash(table), kernel = core_kernel(), version = package_version_text(), more = drop_nulls(more)
  )
}

# The lines to go on from. A file that may be replaced is replaced where it is damaged or of another training.
known_lines_of <- function(place, header) {
  if (!place$replaces) return(known_lines(place$file, header))
  tryCatch(known_lines(place$file, header), hylomath_error = function(e) {
    text <- sprintf("%s It will be replaced.", first_sentence(e))
    rlang::inform(text, class = "hylomath_message_checkpoint")
    list()
  })
}

# By place the lines of a file that is of the same training.
known_lines <- function(file, header) {
  stored <- read_json_lines(file, checkpoint_kind, mend = TRUE)
  apart <- header_difference(header, stored$header)
  if (!is.null(apart)) fail_other_training(file, apart, header, stored$header)
  lines <- each_line(stored$lines, file, checkpoint_kind, function(line) {
    line <- lapply(line, from_stored)
    holds <- is_text(line$key, 1) && is_place(line$start %||% 0L, 0, 1e6) && is.numeric(line$state %||% 0)
    if (holds) line
  })
  names(lines) <- vapply(lines, function(line) sprintf("%s | %d", line$key, line$start %||% 0L), "")
  lines[!duplicated(names(lines), fromLast = TRUE)]
}

fail_other_training <- function(file, apart, own, stored) {
  what <- switch(apart,
    brief = sprintf("its brief differs in `%s`", brief_difference(own$brief, stored$brief)),
    table = "it was of other rows",
    kernel = sprintf("it ran at the kernel level `%s`, and this is `%s`", stored$kernel, own$kernel),
    more = other_work(own$more, stored$more),
    version = sprintf("it was written by version %s of hylomath", stored$version),
    sprintf("its %s differs", apart)
  )
  hint <- if (apart == "kernel") sprintf(" Or start R with HYLOMATH_KERNEL=%s.", stored$kernel) else ""
  fail(
    sprintf("%s is the checkpoint of another training: %s.", quoted(file), what),
    paste0("Name another file, or remove this one.", hint)
  )
}

# How the work differs where brief and table are the same; `stored` is of a file, which may hold anything.
other_work <- function(own, stored) {
  if (!is.list(stored) || !is_text(stored[["verb"]], 1)) return("it doesn't say what it is of")
  if (own$verb != stored$verb) return(sprintf("it was written by %s(), not by %s()", stored$verb, own$verb))
  apart <- header_difference(own, stored)
  former <- vapply(as.list(stored[[apart]]), describe, "")
  sprintf("its `%s` is %s", apart, if (length(former)) enumerate(former, "and", limit = 5) else "not set")
}

checkpoint_text <- function(file, known) {
  ended <- sum(vapply(known, function(line) !is.null(line$result), NA))
  begun <- length(unique(vapply(Filter(function(line) is.null(line$result), known), `[[`, "", "key")))
  parts <- c(
    if (ended) sprintf("%s ended", counted(ended, "network")),
    if (begun) sprintf("%s on the way", counted(begun, "network"))
  )
  sprintf("Goes on from %s: %s.", file, paste(parts, collapse = ", "))
}

# The seeds of the split and of the training that a checkpoint goes by; those of a file that isn't there are NULL.
checkpoint_seeds <- function(checkpoint) {
  place <- if (!is.null(checkpoint)) check_checkpoint(checkpoint)
  if (is.null(place) || !file.exists(place$file)) return(list())
  seeds <- function() {
    b <- read_brief(text = read_json_lines(place$file, checkpoint_kind)$header$brief, read = FALSE)
    list(hold_out = b[["hold_out"]]$seed, regimen = b[["regimen"]]$seed)
  }
  if (place$replaces) tryCatch(seeds(), hylomath_error = function(e) list()) else seeds()
}
